//! Which rows of a chunk are worked on together: few enough at a time for their results to stay within a limit.

use std::ops::Range;

use keen_notch_core::carving::{TooLarge, Worked};

use crate::Error;
use crate::encode::MOST_HELD;
use crate::source::{Chunk, LineCount, Reading};

/// Rows that are worked on together: few enough for all that is known of them to stay near the processor, and many enough
/// that what is done once for all of them does not matter.
const BATCH: usize = 256;

/// The most cells in a batch. Wide tables have smaller batches, since each cell uses memory.
const MOST_CELLS: usize = 64 << 10;

/// The share of the memory of a run that the results of one batch may take on each thread.
const SHARE: usize = 128;

/// A chunk may buffer one part in this many of the memory per thread as output. Each thread has several chunks in flight.
const WRITTEN_SHARE: usize = 16;

/// The least that what is remembered of rows may take, in bytes: with less, files would have next to nothing in them.
const LEAST: usize = 256 << 10;

/// How many bytes may be taken.
#[derive(Debug, Clone, Copy)]
pub struct Limits {
    /// The whole run.
    memory: usize,
    /// Those of one row.
    row: usize,
    /// Those of several together.
    batch: usize,
    /// What is remembered of rows.
    remembered: usize,
    /// The output buffer of a chunk.
    written: usize,
}

impl Limits {
    /// The limits of a run on this number of threads.
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
    /// The memory limit of the run.
    pub fn memory(&self) -> usize {
        self.memory
    }

    /// How many bytes may be taken by what is remembered of rows.
    pub fn remembered(&self) -> usize {
        self.remembered
    }

    /// The size at which the output buffer of a chunk is flushed.
    pub fn written(&self) -> usize {
        self.written
    }

    /// How many bytes the results of several rows may take together.
    pub fn batch(&self) -> usize {
        self.batch
    }
}

/// The rows of a chunk, batch by batch.
pub struct Batches {
    limits: Limits,
    /// The first row of the next batch, and the number of rows.
    next: usize,
    rows: usize,
    /// The most rows of a batch.
    most: usize,
    /// Whether there has been none so far.
    is_first: bool,
}

impl Batches {
    /// The batches of `rows` rows with `columns` cells each; one empty batch if there are no rows.
    pub fn of(rows: usize, columns: usize, limits: Limits) -> Batches {
        let most = (MOST_CELLS / columns.max(1)).clamp(1, BATCH);
        Batches { limits, next: 0, rows, most, is_first: true }
    }

    /// The rows of the next batch, of which `worked` is to hold the results.
    pub fn next(&mut self, worked: &mut Worked) -> Option<Range<usize>> {
        if self.next == self.rows && !std::mem::take(&mut self.is_first) {
            return None;
        }
        self.is_first = false;
        let range = self.next..(self.next + self.most).min(self.rows);
        self.next = range.end;
        worked.set_most(if range.len() > 1 { self.limits.batch } else { self.limits.row });
        Some(range)
    }

    /// Takes the last batch, which came to too much, again, with fewer rows at a time.
    ///
    /// # Errors
    /// Where it was one row.
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
