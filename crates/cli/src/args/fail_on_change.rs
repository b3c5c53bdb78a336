use std::str::FromStr;

use keen_notch_core::survey::{Against, Change};

/// A change that fails a comparison of surveys.
#[derive(Debug, Clone, PartialEq)]
pub struct FailOnChange {
    what: String,
    /// The share that a change must exceed; 0 for any change.
    beyond: f64,
}

const WHAT: [&str; 13] = [
    "any",
    "new-shape",
    "shape-gone",
    "blanks",
    "new-values",
    "distinct",
    "delimiter",
    "length",
    "numbers",
    "dates",
    "odd",
    "share",
    "column",
];

impl FromStr for FailOnChange {
    type Err = String;

    fn from_str(text: &str) -> Result<FailOnChange, String> {
        let mut words = text.split_whitespace();
        let what = words.next().unwrap_or_default().to_owned();
        if !WHAT.contains(&what.as_str()) {
            return Err(format!("write {}; a share can follow, such as 'blanks 2%'", WHAT.join(", ")));
        }
        let share = words.next().map(|share| share.strip_suffix('%').and_then(|share| share.parse::<f64>().ok()));
        let share = match share {
            None => 0.0,
            Some(Some(share)) if (0.0..=100.0).contains(&share) && words.next().is_none() => share / 100.0,
            Some(_) => return Err(format!("a share can follow, such as '{what} 2%'")),
        };
        Ok(FailOnChange { what, beyond: share })
    }
}

impl FailOnChange {
    /// Whether a difference in the columns is such a change.
    pub fn is_about_columns(&self) -> bool {
        matches!(self.what.as_str(), "any" | "column")
    }

    /// Whether a comparison has such a change. The numbers are the blank values before and now.
    pub fn is_so(&self, against: &Against, (blank_before, blank_now): (u64, u64)) -> bool {
        let share = |count: u64, of: u64| if of == 0 { 0.0 } else { count as f64 / of as f64 };
        if self.what == "blanks" && self.beyond > 0.0 {
            return share(blank_now, against.now.0) - share(blank_before, against.before.0) > self.beyond;
        }
        let passes = |change: &&Change| {
            let of = if matches!(change, Change::ShapeWent { .. }) { against.before.1 } else { against.now.1 };
            (self.what == "any" || self.what == change.word()) && (self.beyond == 0.0 || share(change.size(), of) > self.beyond)
        };
        against.changes.iter().any(|change| passes(&change))
    }
}

impl std::fmt::Display for FailOnChange {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.what)?;
        if self.beyond > 0.0 { write!(f, " {}%", (self.beyond * 1e4).round() / 100.0) } else { Ok(()) }
    }
}
