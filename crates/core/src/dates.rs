//! Formats of dates that people write, recognised in texts.

mod counts;

use std::sync::LazyLock;

#[cfg(feature = "cutlist")]
#[doc(hidden)]
pub use counts::SavedDates;
pub use counts::{DateBar, DateCounts, DatedRow, RecognisedDates};

use crate::phrase::ast::DateFormat;
use crate::program::DatePlan;

/// The formats to try; the usual one of several that read the same comes first.
const FORMATS: [&str; 21] = [
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
    "%Y-%m-%d %H:%M:%S",
];

pub(crate) static PLANS: LazyLock<Vec<(&'static str, DatePlan)>> = LazyLock::new(|| {
    let plan = |format: &'static str| {
        let read = DateFormat { text: format.to_owned(), from: None, span: 0..0 };
        Some((format, DatePlan::new(&read).ok()?))
    };
    FORMATS.into_iter().filter_map(plan).collect()
});

/// The formats that read nearly all texts together, the most frequent first; none if the texts are no dates.
///
/// ```
/// use keen_notch_core::dates::recognised;
///
/// let found = recognised(&["02.08.2016", "31.12.2019", "05.01.2020"]);
/// assert_eq!((found[0].format, found[0].texts, found[0].latest.date.as_str()), ("%d.%m.%Y", 3, "2020-01-05"));
/// assert!(recognised(&["GRP-00041273", "HNG-66428519"]).is_empty());
/// ```
pub fn recognised<T: AsRef<str>>(texts: &[T]) -> Vec<RecognisedDates> {
    let mut counts = DateCounts::default();
    (1..).zip(texts).for_each(|(row, text)| counts.observe(row, text.as_ref()));
    counts.recognised()
}

/// The formats that are offered where none is recognised.
pub fn usual() -> impl Iterator<Item = &'static str> {
    FORMATS.into_iter().take(4)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn formats(texts: &[&str]) -> Vec<(&'static str, u64, u64)> {
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
