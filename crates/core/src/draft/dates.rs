//! Dates: in examples, and as a reading of a column.

use super::checks::{TextProperties, known};
use super::list::of;
use super::plans::Plans;
use super::reading::{DraftPiece, Proposal, Reading};
use crate::dates::{PLANS, recognised};
use crate::phrase::quoted;
use crate::program::DatePlan;

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

/// The reading of a column of dates; `None` for other columns.
pub(super) fn reading(texts: &[String], taken: &[String], plans: &mut Plans) -> Option<Reading> {
    let found = recognised(texts);
    let branches: Vec<String> = found.iter().map(|found| format!("date {}", quoted(found.format))).collect();
    let take = (!branches.is_empty()).then(|| branches.join(" or "))?;
    let read = plans.each(&take, texts);
    let names = std::iter::once("date".to_owned()).chain((2..).map(|n| format!("date_{n}")));
    let name = names.into_iter().find(|name| !taken.contains(name))?;
    // A date needs no check of its characters.
    let known = TextProperties { class: None, width: None, ..known(&read) };
    let ambiguous = found.iter().any(|found| found.only < found.texts);
    let doubt = if ambiguous { ". Some can be read in two ways; the first format of the phrase reads them" } else { "" };
    let heading = format!("As dates: the phrase reads {}{doubt}.", of(read.len() as u64, texts.len() as u64, "sampled values"));
    let piece = DraftPiece { name, take, expected: true, known };
    Some(Reading { heading, proposal: Proposal::Pieces { pieces: vec![piece], proof: None } })
}
