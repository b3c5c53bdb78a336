//! The steps of a batch: its rows are carved, compared with earlier rows, and judged. The types allow no other order, so no filter and no
//! comparison is left out.

use super::Carving;
use super::batch_results::BatchResults;
use super::memory::Memory;
use super::run::TooLarge;
use super::totals::Totals;
use crate::batch::Batch;
use crate::check::unique_texts::StoreError;

/// The rows of a batch. Their owner drops the rows that a list leaves out.
pub trait BatchRows {
    /// Keeps only the rows at these ascending indices.
    fn keep(&mut self, rows: &[u32]);

    fn count(&self) -> usize;

    fn with_batch<R>(&self, call: impl FnOnce(&Batch) -> R) -> R;

    fn number(&self, row: usize) -> u64;
}

/// Rows with their pieces. The comparison with earlier rows is next.
#[derive(Debug)]
pub struct Carved<R> {
    rows: R,
    results: BatchResults,
    left_out: u64,
}

/// Rows that were compared with earlier rows, or need no comparison. The checks are next.
#[derive(Debug)]
pub struct Compared<R>(Carved<R>);

/// The kept rows of a batch with their pieces and failed checks.
#[derive(Debug)]
pub struct Judged<R> {
    rows: R,
    results: BatchResults,
}

#[derive(Debug)]
pub enum NextStep<R> {
    Compare(Carved<R>),
    Judge(Compared<R>),
}

/// Rows whose results are too large. They are as before, except that `keep` can have removed some.
pub struct Refused<R> {
    pub rows: R,
    pub results: BatchResults,
    pub error: TooLarge,
}

/// Batches per lookup of stored texts. Large lookups read the files in order.
const RECALLED: usize = 128;

impl Carving {
    /// Evaluates the conditions of `keep` and all pieces. `spare` supplies the memory.
    ///
    /// # Errors
    /// The results exceed the memory limit of `spare`. Try fewer rows.
    pub fn carve<R: BatchRows>(&self, mut rows: R, spare: BatchResults) -> Result<Carved<R>, Box<Refused<R>>> {
        let mut results = spare;
        let before = rows.count();
        if let Err(error) = self.filter(&mut rows, &mut results) {
            return Err(Box::new(Refused { rows, results, error }));
        }
        if self.has_comparisons() {
            rows.with_batch(|batch| self.hash(batch, &mut results));
        }
        let left_out = (before - rows.count()) as u64;
        Ok(Carved { rows, results, left_out })
    }

    /// The part of [`Carving::carve`] that needs no other rows: evaluates `keep` and all pieces.
    ///
    /// # Errors
    /// The results exceed the memory limit.
    pub fn filter<R: BatchRows>(&self, rows: &mut R, results: &mut BatchResults) -> Result<(), TooLarge> {
        if let Some(kept) = rows.with_batch(|batch| self.select(batch, results).map(<[u32]>::to_vec)) {
            rows.keep(&kept);
        }
        rows.with_batch(|batch| self.evaluate(batch, results))?;
        keep(rows, results);
        Ok(())
    }

    /// Passes on rows that no earlier row affects; others need [`Carving::compare`].
    pub fn next_step<R>(&self, carved: Carved<R>) -> NextStep<R> {
        if self.looks_back() { NextStep::Compare(carved) } else { NextStep::Judge(Compared(carved)) }
    }

    /// Compares batches, in row order, with all earlier rows. `before` is added to the numbers of their rows.
    ///
    /// # Errors
    /// A store fails.
    pub fn compare<R: BatchRows>(
        &self,
        mut carved: Vec<Carved<R>>,
        before: u64,
        memory: &mut Memory,
    ) -> Result<Vec<Compared<R>>, StoreError> {
        for batches in carved.chunks_mut(RECALLED) {
            self.compare_batches(batches, before, memory)?;
        }
        Ok(carved.into_iter().map(Compared).collect())
    }

    /// As [`Carving::compare`], for one batch.
    ///
    /// # Errors
    /// A store fails.
    pub fn compare_one<R: BatchRows>(
        &self,
        mut carved: Carved<R>,
        before: u64,
        memory: &mut Memory,
    ) -> Result<Compared<R>, StoreError> {
        self.compare_batches(std::slice::from_mut(&mut carved), before, memory)?;
        Ok(Compared(carved))
    }

    fn compare_batches<R: BatchRows>(
        &self,
        batches: &mut [Carved<R>],
        before: u64,
        memory: &mut Memory,
    ) -> Result<(), StoreError> {
        if !self.looks_back() {
            return Ok(());
        }
        self.recall(batches.iter().map(|batch| &batch.results), memory)?;
        for Carved { rows, results, .. } in batches {
            self.remember(results, rows.count(), |row| before + rows.number(row), memory)?;
        }
        Ok(())
    }

    /// Runs all checks. Adds the counts to `totals`, except the rows read, kept and written, which are the caller's decision.
    pub fn judge<R: BatchRows>(&self, compared: Compared<R>, totals: &mut Totals) -> Judged<R> {
        let Compared(Carved { mut rows, mut results, left_out }) = compared;
        totals.rows.left_out += left_out + keep(&mut rows, &mut results);
        rows.with_batch(|batch| self.check_all(batch, &mut results, &mut totals.pieces, &mut totals.checked));
        for failure in results.failing_rows() {
            if let Some(failed) = totals.failed.get_mut(failure.check as usize) {
                failed.note(rows.number(failure.row as usize));
            }
        }
        totals.rows.with_faults += results.faulty().count() as u64;
        Judged { rows, results }
    }
}

fn keep<R: BatchRows>(rows: &mut R, results: &mut BatchResults) -> u64 {
    let Some(kept) = results.take_kept() else { return 0 };
    let before = rows.count();
    rows.keep(&kept);
    results.keep(&kept);
    (before - kept.len()) as u64
}

impl<R> Carved<R> {
    /// The memory of the results in bytes, without the values.
    pub fn memory(&self) -> usize {
        self.results.memory()
    }
}

impl<R> Judged<R> {
    pub fn rows(&self) -> &R {
        &self.rows
    }

    pub fn results(&self) -> &BatchResults {
        &self.results
    }

    pub fn parts(&mut self) -> (&R, &mut BatchResults) {
        (&self.rows, &mut self.results)
    }

    /// The rows, and the memory of the results for the next batch.
    pub fn into_parts(self) -> (R, BatchResults) {
        (self.rows, self.results)
    }
}
