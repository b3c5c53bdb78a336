use super::memory::{Hash, Repeat};
use crate::batch::{MOST_MADE, Mask};
use crate::layout::LayoutFits;
use crate::program::{Results, Work};

/// The results of a batch of rows. The memory is reused from batch to batch.
#[derive(Debug)]
pub struct BatchResults {
    pub(super) most: usize,
    pub(super) pieces: Vec<Results>,
    pub(super) layouts: Vec<LayoutFits>,
    pub(super) rebuilt: Vec<Results>,
    pub(super) hashes: Vec<Vec<Hash>>,
    /// For each condition of `keep` after the first one on earlier rows: the rows that fail it.
    pub(super) not_kept: Vec<Mask>,
    pub(super) repeats: Vec<Repeat>,
    pub(super) kept: Option<Vec<u32>>,
    pub(super) failures: Vec<Failure>,
    pub(super) is_sorted: bool,
    pub(super) faulty: Mask,
    /// The rows that fail a warning of the current piece, and those that fail a check.
    pub(super) warned_of_piece: Mask,
    pub(super) faulted_of_piece: Mask,
    pub(super) failing: Vec<u32>,
    pub(super) rows: Vec<u32>,
    pub(super) work: Work,
}

impl Default for BatchResults {
    fn default() -> BatchResults {
        BatchResults {
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

/// A failed check; [`super::Carving::fault`] explains it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Failure {
    /// The row in the batch, from 0.
    pub row: u32,
    /// The index of the check in [`super::Carving::checks`].
    pub check: u32,
    /// The index of the result among all results of the piece in the batch.
    pub(super) item: u32,
}

impl BatchResults {
    pub fn piece(&self, piece: usize) -> &Results {
        &self.pieces[piece]
    }

    pub(super) fn memory(&self) -> usize {
        self.pieces.iter().chain(&self.rebuilt).map(Results::memory).sum()
    }

    /// Limits the memory of the results to `most` bytes, without the values: created texts, and 8 bytes for each of several results.
    pub fn set_most(&mut self, most: usize) {
        self.most = most;
    }

    pub(super) fn take_kept(&mut self) -> Option<Vec<u32>> {
        self.kept.take()
    }

    pub(super) fn keep(&mut self, rows: &[u32]) {
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

    /// All failures, sorted by check and row.
    pub fn failures(&self) -> &[Failure] {
        &self.failures
    }

    /// A failure for each row that fails a check, sorted by check and row. Several results of a row can fail one check.
    pub fn failing_rows(&self) -> impl Iterator<Item = Failure> {
        self.failures.chunk_by(|a, b| (a.check, a.row) == (b.check, b.row)).map(|failures| failures[0])
    }

    /// All failures, sorted by row and check.
    pub fn failures_by_row(&mut self) -> &[Failure] {
        if !std::mem::replace(&mut self.is_sorted, true) {
            self.failures.sort_unstable();
        }
        &self.failures
    }

    pub fn faulty(&self) -> &Mask {
        &self.faulty
    }

    pub fn layout(&self, layout: usize) -> Option<&LayoutFits> {
        self.layouts.get(layout)
    }
}
