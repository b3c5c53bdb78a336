//! What came of a batch of rows.

use super::memory::{Hash, Repeat};
use crate::batch::{MOST_MADE, Mask};
use crate::layout::Fits;
use crate::program::{Results, Work};

/// What came of a batch of rows. Its memory is used again from batch to batch.
#[derive(Debug)]
pub struct Worked {
    /// The most bytes that all results may take together, beside the values.
    pub(super) most: usize,
    /// The results of each piece.
    pub(super) pieces: Vec<Results>,
    /// What the layouts found in each row.
    pub(super) layouts: Vec<Fits>,
    /// What the proofs put together.
    pub(super) rebuilt: Vec<Results>,
    /// For each thing that is asked of the rows before, the hash of each text.
    pub(super) hashes: Vec<Vec<Hash>>,
    /// For each condition of `keep` after the first that is asked of the rows before: the rows that do not meet it.
    pub(super) not_kept: Vec<Mask>,
    /// Texts that were in rows before, in their order.
    pub(super) repeats: Vec<Repeat>,
    /// The rows that are kept, where some are not.
    pub(super) kept: Option<Vec<u32>>,
    /// Everything that is wrong, check by check.
    pub(super) failures: Vec<Failure>,
    /// Whether `failures` is sorted by rows.
    pub(super) is_sorted: bool,
    /// Rows with something wrong that is more than a warning.
    pub(super) faulty: Mask,
    /// The rows in which a check of the piece at hand that only warns is not met, and those with others.
    pub(super) warned_of_piece: Mask,
    pub(super) faulted_of_piece: Mask,
    /// The texts that do not meet the condition at hand.
    pub(super) failing: Vec<u32>,
    /// The rows that meet the condition at hand.
    pub(super) rows: Vec<u32>,
    pub(super) work: Work,
}

impl Default for Worked {
    fn default() -> Worked {
        Worked {
            most: MOST_MADE,
            pieces: Vec::new(),
            layouts: Vec::new(),
            rebuilt: Vec::new(),
            hashes: Vec::new(),
            not_kept: Vec::new(),
            repeats: Vec::new(),
            kept: None,
            failures: Vec::new(),
            is_sorted: false,
            faulty: Mask::default(),
            warned_of_piece: Mask::default(),
            faulted_of_piece: Mask::default(),
            failing: Vec::new(),
            rows: Vec::new(),
            work: Work::default(),
        }
    }
}

/// Something wrong with a row; [`super::Carving::fault`] says what and why.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Failure {
    /// The row of the batch, from 0.
    pub row: u32,
    /// Which check found it, by its index among [`super::Carving::checks`].
    pub check: u32,
    /// Which result it is about, by its index among all results of the piece in the batch.
    pub(super) item: u32,
}

impl Worked {
    /// The results of a piece.
    pub fn piece(&self, piece: usize) -> &Results {
        &self.pieces[piece]
    }

    /// How many bytes the results take beside the values.
    pub fn made(&self) -> usize {
        self.pieces.iter().chain(&self.rebuilt).map(Results::made).sum()
    }

    /// Lets the results of a batch take `most` bytes together, beside the values: texts that are made, and 8 bytes for each of
    /// several results.
    pub fn set_most(&mut self, most: usize) {
        self.most = most;
    }

    /// The rows that are kept, by their indices, where some are left out by `keep`: to be asked after
    /// [`super::Carving::remember`] and answered with [`Worked::keep`].
    pub fn take_kept(&mut self) -> Option<Vec<u32>> {
        self.kept.take()
    }

    /// Leaves all but some rows out of the results.
    pub fn keep(&mut self, rows: &[u32]) {
        self.pieces.iter_mut().for_each(|results| results.keep(rows));
        self.layouts.iter_mut().for_each(|fits| fits.keep(rows));
        self.rebuilt.iter_mut().for_each(|results| results.keep(rows));
        let mut kept = (0..).zip(rows).peekable();
        self.repeats.retain_mut(|repeat| {
            while kept.next_if(|(_, row)| **row < repeat.row).is_some() {}
            let new = kept.peek().filter(|(_, row)| **row == repeat.row).map(|(index, _)| *index);
            repeat.row = new.unwrap_or(repeat.row);
            new.is_some()
        });
    }

    /// Everything that is wrong, check by check and in each by rows.
    pub fn failures(&self) -> &[Failure] {
        &self.failures
    }

    /// The same, row by row and in each by checks.
    pub fn failures_by_row(&mut self) -> &[Failure] {
        if !std::mem::replace(&mut self.is_sorted, true) {
            self.failures.sort_unstable();
        }
        &self.failures
    }

    /// The rows with something wrong that is more than a warning.
    pub fn faulty(&self) -> &Mask {
        &self.faulty
    }

    /// The layout of a number: where it did not find a form in its values.
    pub fn layout(&self, layout: usize) -> Option<&Fits> {
        self.layouts.get(layout)
    }
}
