//! The results of a chunk, on their way to the merger.

use keen_notch_core::batch::Buffer;
use keen_notch_core::carving::{Fault, Totals};
use keen_notch_core::diagnostics::Diagnostics;
use keen_notch_core::repeats::RowHash;
use keen_notch_core::sightings::Sightings;

use super::{Failing, FaultyRow, Job, OddRow, PreviewCell};
use crate::encode::Held;

/// The results of a chunk. Rows are numbered from 1 within it.
pub struct ChunkResult {
    pub bytes: Buffer,
    pub aside: Buffer,
    pub(super) offcuts: Vec<(u32, String)>,
    pub(super) kept: (Held, Held),
    pub faults: Vec<LocatedFault>,
    pub hashes: Vec<RowHash>,
    pub(super) held: usize,
    pub samples: Vec<FaultyRow>,
    pub(super) sampled: SampleCounts,
    pub preview: Vec<Vec<PreviewCell>>,
    pub odd: Vec<OddRow>,
    pub totals: Totals,
    pub failing: Vec<Failing>,
    pub formulas: Vec<Sightings>,
    pub diagnostics: Diagnostics,
    pub input: usize,
    /// Whether the output continues that of the previous part, within one row.
    pub goes_on: bool,
}

#[derive(Default)]
pub struct SampleCounts(Vec<usize>);

impl SampleCounts {
    pub fn new(job: &Job) -> SampleCounts {
        SampleCounts(vec![0; if job.samples_of_each > 0 { job.checks.len() } else { 0 }])
    }

    /// Whether to keep a row that fails `checks`, given that `kept` rows are kept already.
    pub fn wants(&self, job: &Job, kept: usize, mut checks: impl Iterator<Item = usize>) -> bool {
        let lacks = |check: usize| self.0.get(check).is_some_and(|count| *count < job.samples_of_each);
        kept < job.samples || (job.samples_of_each > 0 && checks.any(lacks))
    }

    pub fn note(&mut self, checks: impl Iterator<Item = usize>) {
        for check in checks {
            self.0.iter_mut().skip(check).take(1).for_each(|count| *count += 1);
        }
    }
}

/// Larger buffers, for very long rows, are not reused.
pub(super) const MOST_KEPT: usize = 2 << 20;

pub struct LocatedFault {
    pub row: u64,
    pub line: u64,
    pub fault: Fault,
    pub value: String,
}

impl ChunkResult {
    pub fn new(job: &Job) -> ChunkResult {
        ChunkResult {
            bytes: Buffer::default(),
            aside: Buffer::default(),
            offcuts: Vec::new(),
            kept: Default::default(),
            faults: Vec::new(),
            hashes: Vec::new(),
            held: 0,
            samples: Vec::new(),
            sampled: SampleCounts::new(job),
            preview: Vec::new(),
            odd: Vec::new(),
            totals: Totals::new(&job.carving, job.checks.len()),
            failing: vec![Failing::default(); if job.counts_failing { job.checks.len() } else { 0 }],
            formulas: vec![Sightings::default(); job.written.len()],
            diagnostics: job.diagnostics.clone(),
            input: 0,
            goes_on: false,
        }
    }

    pub(super) fn ahead_of(job: &Job, input: usize) -> ChunkResult {
        ChunkResult { input, ..ChunkResult::new(job) }
    }

    /// Clears the results. Keeps the memory, unless it was for a very long row.
    pub fn clear(&mut self, job: &Job) {
        let [bytes, aside] = [&mut self.bytes, &mut self.aside].map(|buffer| {
            let mut kept = std::mem::take(buffer);
            if kept.width() > MOST_KEPT {
                return Buffer::default();
            }
            kept.clear();
            kept
        });
        *self = ChunkResult { bytes, aside, ..ChunkResult::new(job) };
    }
}

#[derive(Debug, Clone, Copy)]
pub struct OptionalOutputs {
    pub offcuts: bool,
    pub faults: bool,
    pub cells: bool,
    pub compared: bool,
    /// Whether the hashes of rows are written to a file.
    pub hashes: bool,
}
