//! Formats of dates that people write, recognised in texts.

use std::sync::LazyLock;

use crate::phrase::ast::DateFormat;
use crate::program::DatePlan;

/// The formats to try; the usual one of several that read the same comes first.
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

/// The formats read nearly all texts of a column of dates.
const COVERED: f64 = 0.9;
/// A format of fewer texts is a mistake rather than a format.
const LEAST: f64 = 0.02;
/// Numbers that happen to be dates have other years.
const YEARS: std::ops::RangeInclusive<&str> = "1850"..="2150";

pub(crate) static PLANS: LazyLock<Vec<(&'static str, DatePlan)>> = LazyLock::new(|| {
    let plan = |format: &'static str| {
        let read = DateFormat { text: format.to_owned(), from: None, span: 0..0 };
        Some((format, DatePlan::new(&read).ok()?))
    };
    FORMATS.into_iter().filter_map(plan).collect()
});

/// A format that reads texts of a column as dates.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RecognisedDates {
    pub format: &'static str,
    /// The number of texts that it reads.
    pub texts: usize,
    /// The number of texts that no other recognised format reads.
    pub only: usize,
    /// The first and the last date, in ISO 8601.
    pub earliest: String,
    pub latest: String,
}

/// The formats that read nearly all texts together, the most frequent first; none if the texts are no dates.
///
/// ```
/// use keen_notch_core::dates::recognised;
///
/// let found = recognised(&["02.08.2016", "31.12.2019", "05.01.2020"]);
/// assert_eq!((found[0].format, found[0].texts, found[0].latest.as_str()), ("%d.%m.%Y", 3, "2020-01-05"));
/// assert!(recognised(&["GRP-00041273", "HNG-66428519"]).is_empty());
/// ```
pub fn recognised<T: AsRef<str>>(texts: &[T]) -> Vec<RecognisedDates> {
    let has_digits = |text: &T| text.as_ref().bytes().filter(u8::is_ascii_digit).count() >= 3;
    if texts.iter().filter(|text| has_digits(text)).count() as f64 <= COVERED * texts.len() as f64 {
        return Vec::new();
    }
    let read = |plan: &DatePlan| -> Vec<Option<String>> {
        texts.iter().map(|text| plan.read(text.as_ref()).filter(|date| is_likely(date))).collect()
    };
    let mut all: Vec<(&'static str, Vec<Option<String>>)> = PLANS.iter().map(|(format, plan)| (*format, read(plan))).collect();
    let count = |dates: &[Option<String>]| dates.iter().flatten().count();
    all.retain(|(_, dates)| count(dates) > 0 && count(dates) as f64 >= LEAST * texts.len() as f64);
    all.sort_by_key(|(_, dates)| std::cmp::Reverse(count(dates)));
    // A format that reads only what a better one reads is another reading of the same dates, unless it reads as many.
    let most = all.first().map_or(0, |(_, dates)| count(dates));
    let mut kept: Vec<(&'static str, Vec<Option<String>>)> = Vec::new();
    for (format, dates) in all {
        let is_read = |text: usize| kept.iter().any(|(_, dates)| dates[text].is_some());
        if count(&dates) == most || (0..texts.len()).any(|text| dates[text].is_some() && !is_read(text)) {
            kept.push((format, dates));
        }
    }
    let covered = (0..texts.len()).filter(|text| kept.iter().any(|(_, dates)| dates[*text].is_some())).count();
    if (covered as f64) < COVERED * texts.len() as f64 {
        return Vec::new();
    }
    let readers = |text: usize| kept.iter().filter(|(_, dates)| dates[text].is_some()).count();
    let found = kept.iter().map(|(format, dates)| RecognisedDates {
        format,
        texts: count(dates),
        only: (0..texts.len()).filter(|text| dates[*text].is_some() && readers(*text) == 1).count(),
        earliest: dates.iter().flatten().min().cloned().unwrap_or_default(),
        latest: dates.iter().flatten().max().cloned().unwrap_or_default(),
    });
    found.collect()
}

fn is_likely(date: &str) -> bool {
    date.get(..4).is_some_and(|year| (*YEARS.start()..=*YEARS.end()).contains(&year))
}

/// The formats that are offered where none is recognised.
pub fn usual() -> impl Iterator<Item = &'static str> {
    FORMATS.into_iter().take(4)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn formats(texts: &[&str]) -> Vec<(&'static str, usize, usize)> {
        recognised(texts).into_iter().map(|found| (found.format, found.texts, found.only)).collect()
    }

    #[test]
    fn formats_of_columns() {
        assert_eq!(formats(&["2016-08-02", "2019-12-31"]), [("%Y-%m-%d", 2, 2)]);
        // Days up to 12 do not tell days from months.
        assert_eq!(formats(&["02/08/2016", "11/12/2019"]), [("%d/%m/%Y", 2, 0), ("%m/%d/%Y", 2, 0)]);
        assert_eq!(formats(&["02/08/2016", "31/12/2019"]), [("%d/%m/%Y", 2, 2)]);
        assert_eq!(formats(&["02/18/2016", "31/12/2019", "01/02/2020"]), [("%d/%m/%Y", 2, 1), ("%m/%d/%Y", 2, 1)]);
        assert_eq!(formats(&["20160802", "20191231"]), [("%Y%m%d", 2, 2)]);
        // Numbers, and dates among other texts.
        assert_eq!(formats(&["00041273", "66428519", "10120304"]), []);
        assert_eq!(formats(&["2016-08-02", "GRP-1", "x"]), []);
        assert_eq!(formats(&[]), []);
    }
}
