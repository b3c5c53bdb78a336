//! Dates among examples: formats that people write, tried on every text.

use std::sync::LazyLock;

use crate::phrase::ast::DateFormat;
use crate::phrase::quoted;
use crate::program::DatePlan;

const FORMATS: [&str; 20] = [
    "%Y-%m-%d",
    "%d.%m.%Y",
    "%d/%m/%Y",
    "%m/%d/%Y",
    "%d-%m-%Y",
    "%m-%d-%Y",
    "%Y/%m/%d",
    "%Y.%m.%d",
    "%Y%m%d",
    "%d%m%Y",
    "%d.%m.%y",
    "%d/%m/%y",
    "%m/%d/%y",
    "%y%m%d",
    "%d %b %Y",
    "%d-%b-%Y",
    "%d-%b-%y",
    "%d %B %Y",
    "%B %d, %Y",
    "%Y-%m-%dT%H:%M:%S",
];

static PLANS: LazyLock<Vec<(&str, DatePlan)>> = LazyLock::new(|| {
    let plan = |format: &'static str| {
        let read = DateFormat { text: format.to_owned(), from: None, span: 0..0 };
        Some((format, DatePlan::new(&read).ok()?))
    };
    FORMATS.into_iter().filter_map(plan).collect()
});

/// The steps that read all texts as dates of one format, and write them like the results.
pub(super) fn steps(texts: &[impl AsRef<str>], results: &[&str]) -> Vec<String> {
    let has_digits = |text: &str| text.bytes().filter(u8::is_ascii_digit).count() >= 3;
    if !texts.iter().all(|text| has_digits(text.as_ref())) || !results.iter().all(|result| has_digits(result)) {
        return Vec::new();
    }
    let read = |plan: &DatePlan| texts.iter().map(|text| plan.read(text.as_ref())).collect::<Option<Vec<String>>>();
    let mut steps = Vec::new();
    for (format, plan) in &*PLANS {
        let Some(dates) = read(plan) else { continue };
        let dates: Vec<&str> = dates.iter().map(String::as_str).collect();
        if dates == results {
            steps.push(format!("date {}", quoted(format)));
            continue;
        }
        // Where several formats write these results, the usual one comes first.
        let is_written =
            |plan: &DatePlan| results.iter().zip(&dates).all(|(result, date)| plan.read(result).as_deref() == Some(date));
        let output = PLANS.iter().find(|(_, plan)| is_written(plan));
        steps.extend(output.map(|(output, _)| format!("date {} as {}", quoted(format), quoted(output))));
    }
    steps
}
