//! Divides the rows of a chunk into batches whose results stay within a limit.

use std::ops::Range;

use keen_notch_core::carving::{BatchResults, TooLarge};

use crate::Error;
use crate::encode::MOST_HELD;
use crate::source::{Chunk, LineCount, Reading};

/// Rows per batch. Small enough for the working set to fit in the CPU cache, and large enough to amortise the cost per batch.
const BATCH: usize = 256;

/// Maximum cells per batch. Wide tables have smaller batches, because each cell uses memory.
const MOST_CELLS: usize = 64 << 10;

/// Each thread may use one part in this many of the memory for the results of a batch.
const SHARE: usize = 128;

/// A chunk may buffer one part in this many of the memory per thread as output. Each thread has several chunks in flight.
const WRITTEN_SHARE: usize = 16;

/// Minimum memory for `unique`, in bytes. With less, its temporary files would be tiny.
const LEAST: usize = 256 << 10;

#[derive(Debug, Clone, Copy)]
pub struct Limits {
    memory: usize,
    row: usize,
    batch: usize,
    remembered: usize,
    written: usize,
}

impl Limits {
    pub fn new(reading: &Reading, threads: usize) -> Limits {
        Limits {
            memory: reading.memory,
            row: reading.max_row,
            batch: (reading.memory / threads.max(1) / SHARE).min(reading.max_row),
            remembered: (reading.memory / 4 * 3).max(LEAST),
            written: (reading.memory / threads.max(1) / WRITTEN_SHARE).max(MOST_HELD),
        }
    }
}

impl Limits {
    pub fn memory(&self) -> usize {
        self.memory
    }

    pub fn remembered(&self) -> usize {
        self.remembered
    }

    /// The size at which the output buffer of a chunk is flushed.
    pub fn written(&self) -> usize {
        self.written
    }

    pub fn batch(&self) -> usize {
        self.batch
    }
}

pub struct Batches {
    limits: Limits,
    next: usize,
    rows: usize,
    most: usize,
    is_first: bool,
}

impl Batches {
    /// The batches of `rows` rows with `columns` cells each; one empty batch if there are no rows.
    pub fn of(rows: usize, columns: usize, limits: Limits) -> Batches {
        let most = (MOST_CELLS / columns.max(1)).clamp(1, BATCH);
        Batches { limits, next: 0, rows, most, is_first: true }
    }

    /// The rows of the next batch; `batch_results` gets the memory limit.
    pub fn next(&mut self, batch_results: &mut BatchResults) -> Option<Range<usize>> {
        if self.next == self.rows && !std::mem::take(&mut self.is_first) {
            return None;
        }
        self.is_first = false;
        let range = self.next..(self.next + self.most).min(self.rows);
        self.next = range.end;
        batch_results.set_most(if range.len() > 1 { self.limits.batch } else { self.limits.row });
        Some(range)
    }

    /// Retries the last batch, which was too large, with fewer rows.
    ///
    /// # Errors
    /// The batch was a single row.
    pub fn take_again(&mut self, last: Range<usize>, too_large: TooLarge, chunk: &dyn Chunk) -> Result<(), Error> {
        if last.len() <= 1 {
            let TooLarge { of, most } = too_large;
            let line = chunk.line(last.start, &mut LineCount::default());
            return Err(Error::ResultsTooLarge { name: chunk.source().to_owned(), of, line, limit: most });
        }
        (self.next, self.most) = (last.start, last.len() / 2);
        Ok(())
    }
}
