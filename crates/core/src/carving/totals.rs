//! The counts of a run.

use super::Carving;
use crate::sightings::Sightings;
use crate::tally::Tally;

/// The counts of consecutive rows. Parts that ran elsewhere are added in row order with [`Totals::append`].
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Totals {
    pub rows: RowCounts,
    /// The states of each piece.
    pub pieces: Vec<Tally>,
    /// The failing rows of each check, in the order of [`Carving::checks`]. The numbers of the rows start at 1 in every part.
    pub failed: Vec<Sightings>,
    /// The number of rows that each check looked at.
    pub checked: Vec<u64>,
}

/// Numbers of rows.
///
/// ```
/// use keen_notch_core::summary::RowCounts;
///
/// let mut all = RowCounts { read: 3, kept: 3, ..RowCounts::default() };
/// all.add(&RowCounts { read: 2, kept: 1, left_out: 1, ..RowCounts::default() });
/// assert_eq!((all.read, all.kept, all.left_out), (5, 4, 1));
/// ```
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
#[cfg_attr(feature = "cutlist", derive(serde::Serialize, serde::Deserialize))]
pub struct RowCounts {
    /// Rows read: the sum of kept, set aside and left out.
    pub read: u64,
    /// Rows in the output.
    pub kept: u64,
    /// Rows written; more than kept if a piece writes a row for each result.
    pub written: u64,
    pub set_aside: u64,
    /// Rows left out by `keep`.
    pub left_out: u64,
    /// Rows with at least one fault.
    pub with_faults: u64,
}

impl RowCounts {
    pub fn add(&mut self, other: &RowCounts) {
        self.read += other.read;
        self.kept += other.kept;
        self.written += other.written;
        self.set_aside += other.set_aside;
        self.left_out += other.left_out;
        self.with_faults += other.with_faults;
    }
}

impl Totals {
    /// No rows yet. `checks` is at least the number of [`Carving::checks`]; a caller can append checks of its own.
    pub fn new(carving: &Carving, checks: usize) -> Totals {
        Totals {
            rows: RowCounts::default(),
            pieces: vec![Tally::default(); carving.count()],
            failed: vec![Sightings::default(); checks],
            checked: vec![0; checks],
        }
    }

    /// Adds the counts of the rows that follow.
    pub fn append(&mut self, later: &Totals) {
        self.pieces.iter_mut().zip(&later.pieces).for_each(|(all, tally)| all.add(tally));
        self.failed.iter_mut().zip(&later.failed).for_each(|(all, seen)| all.append(seen, self.rows.read));
        self.checked.iter_mut().zip(&later.checked).for_each(|(all, rows)| *all += rows);
        self.rows.add(&later.rows);
    }
}
