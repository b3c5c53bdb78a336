//! Counts of the states of pieces.

use crate::program::State;

/// The counts of the states of a piece.
///
/// ```
/// use keen_notch_core::program::State;
/// use keen_notch_core::tally::Tally;
///
/// let mut tally = Tally::default();
/// tally.count(State::default());
/// tally.count(State::MISSING);
/// assert_eq!((tally.filled, tally.missing), (1, 1));
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[cfg_attr(feature = "cutlist", derive(serde::Serialize, serde::Deserialize))]
pub struct Tally {
    pub filled: u64,
    /// Results with fewer characters or sections than requested.
    pub short: u64,
    pub long: u64,
    /// Missing results for values without text.
    pub blank: u64,
    /// Missing results for values with text.
    pub missing: u64,
    /// Rows that the `when` condition excludes.
    pub not_asked: u64,
    /// Results of a later branch; they can also be short or long.
    pub fallback: u64,
    pub warned: u64,
    /// Rows that fail a check, or have more results than columns.
    pub faulted: u64,
}

impl Tally {
    pub fn add(&mut self, other: &Tally) {
        self.filled += other.filled;
        self.short += other.short;
        self.long += other.long;
        self.blank += other.blank;
        self.missing += other.missing;
        self.not_asked += other.not_asked;
        self.fallback += other.fallback;
        self.warned += other.warned;
        self.faulted += other.faulted;
    }

    /// Rows with a result.
    pub fn there(&self, rows: u64) -> u64 {
        rows.saturating_sub(self.blank + self.missing + self.not_asked)
    }

    #[inline]
    pub fn count(&mut self, state: State) {
        if state.is_filled() {
            self.filled += 1;
            return;
        }
        self.short += u64::from(state.short);
        self.long += u64::from(state.long);
        self.blank += u64::from(state.blank);
        self.missing += u64::from(state.missing);
        self.not_asked += u64::from(state.not_asked);
        self.fallback += u64::from(state.fallback);
    }
}
