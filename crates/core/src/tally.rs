//! Counting what became of the pieces of a run.

use crate::program::State;

/// The counts of one piece.
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
    /// Results that are exactly what the first branch asked for.
    pub filled: u64,
    /// Results with fewer characters or sections than asked for.
    pub short: u64,
    /// Results longer than the width they were padded to.
    pub long: u64,
    /// No result of a value without text.
    pub blank: u64,
    /// No result of a value with text.
    pub missing: u64,
    /// Rows in which the condition under which the piece is taken does not hold.
    pub not_asked: u64,
    /// Results of another branch than the first; these may be short or long as well.
    pub fallback: u64,
    /// Rows in which a check that only warns was not met.
    pub warned: u64,
    /// Rows in which a check was not met, or in which there were more results than columns for them.
    pub faulted: u64,
}

impl Tally {
    /// Adds counts of other rows.
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

    /// Counts one result.
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
