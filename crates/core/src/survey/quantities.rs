//! The numbers and the dates of a column.

use super::numbers::{NumberDistribution, Numbers};
use crate::dates::DateCounts;

#[derive(Debug, Clone)]
pub(super) struct Quantities {
    pub(super) numbers: Numbers,
    pub(super) dates: DateCounts,
}

impl Default for Quantities {
    fn default() -> Quantities {
        Quantities { numbers: Numbers::new(), dates: DateCounts::default() }
    }
}

impl Quantities {
    /// Quantities for saving, which reveal no number or date.
    #[cfg(feature = "cutlist")]
    pub(super) fn wide() -> Quantities {
        Quantities { numbers: Numbers::wide(), dates: DateCounts::of_years() }
    }

    /// Observes a value that `count` rows have, first `row`.
    pub(super) fn observe(&mut self, row: u64, value: &str, count: u64) {
        self.numbers.observe(row, value, count);
        self.dates.observe_times(row, value, count);
    }

    pub(super) fn merge(&mut self, other: &Quantities) {
        self.numbers.merge(&other.numbers);
        self.dates.merge(&other.dates);
    }

    pub(super) fn bytes(&self) -> usize {
        self.numbers.bytes() + self.dates.bytes()
    }

    /// The numbers, unless the values are dates.
    pub(super) fn distribution(&self) -> Option<NumberDistribution> {
        if self.dates.recognised().is_empty() { self.numbers.distribution() } else { None }
    }
}
