//! Records what a run reports about single rows: faults, offcuts, samples, a preview and odd rows.

use std::ops::Range;

use keen_notch_core::batch::Batch;
use keen_notch_core::batch::formula::is_like_formula;
use keen_notch_core::carving::BatchRows;
use keen_notch_core::carving::{BatchResults, Failure, Fault, OutColumn};
use keen_notch_core::check::{Violation, ViolationKind};
use keen_notch_core::program::Results;

use super::chunk_result::{ChunkResult, LocatedFault, MOST_KEPT, OptionalOutputs};
use super::{FaultyRow, Formulas, Job, MOST_ODD_KEPT, Odd, OddRow, PreviewCell};
use crate::encode::Encodable;
use crate::encode::lists::{self, RowFaults, words};
use crate::inputs::{Starts, label};
use crate::pool::Ahead;
use crate::source::{Chunk, LineCount, Ragged, Rows};

pub(super) struct Recorder<'w, 'j> {
    pub(super) job: &'j Job,
    pub(super) chunk: &'w dyn Chunk,
    pub(super) text: &'w str,
    pub(super) count: LineCount,
    pub(super) names: &'w [String],
    pub(super) starts: Starts,
    pub(super) asked: OptionalOutputs,
    pub(super) ragged: Ragged,
    pub(super) ahead: Ahead<'w, ChunkResult>,
}

#[derive(Clone, Copy)]
struct RowUse {
    set_aside: bool,
    is_sample: bool,
}

impl<'j> Recorder<'_, 'j> {
    /// Counts the faults of rows and records them if requested. Returns the rows to set aside, and the faults of the others if a column
    /// lists them.
    pub(super) fn note_faults(
        &mut self,
        batch: &Batch,
        rows: &Rows,
        batch_results: &mut BatchResults,
        range: Range<usize>,
        part: &mut ChunkResult,
    ) -> (Option<Vec<u32>>, RowFaults<'j>) {
        let Recorder { job, asked, ragged: ragged_as, .. } = *self;
        let mut cells = RowFaults::of(&job.checks);
        let ragged_check = job.checks.len() - 1;
        if job.counts_failing {
            for failure in batch_results.failing_rows() {
                part.failing[failure.check as usize].note(&job.carving.failing_text(failure, batch, batch_results));
            }
        }
        // Rows with too few or too many cells, unless they are left out: those of the batch, and those set aside before.
        let ragged = self.chunk.ragged(range).iter().map(|(row, _)| *row);
        let in_batch = |row: &u32| rows.numbers.binary_search(row).ok().map(|index| index as u32);
        let ragged: Vec<(u32, Option<u32>)> = ragged
            .map(|row| (row, in_batch(&row)))
            .filter(|(_, index)| index.is_some() || ragged_as == Ragged::SetAside)
            .collect();
        ragged.iter().for_each(|(row, _)| part.totals.failed[ragged_check].note(u64::from(*row) + 1));
        part.totals.checked[ragged_check] += (rows.len() + ragged.iter().filter(|(_, index)| index.is_none()).count()) as u64;
        let outside = ragged.iter().filter(|(_, index)| index.is_none()).count();
        let of_batch = ragged.iter().filter_map(|(_, index)| *index);
        let also_ragged = of_batch.filter(|row| !batch_results.faulty().has(*row as usize)).count();
        part.totals.rows.with_faults += (outside + also_ragged) as u64;
        if asked.compared {
            batch_results.failures_by_row();
        }
        let wants_samples = part.samples.len() < job.samples || job.samples_of_each > 0;
        if !asked.offcuts && !asked.faults && !asked.cells && !wants_samples {
            return (None, cells);
        }
        // By row, for readers and files.
        let mut failures = batch_results.failures_by_row().to_vec().into_iter().peekable();
        let mut ragged = ragged.into_iter().peekable();
        let mut aside = Vec::new();
        loop {
            let of_failure = failures.peek().map(|failure| rows.numbers[failure.row as usize]);
            let of_ragged = ragged.peek().map(|(row, _)| *row);
            let Some(row) = of_failure.into_iter().chain(of_ragged).min() else { break };
            let mut found = Vec::new();
            let index = in_batch(&row);
            while let Some(failure) = failures.next_if(|failure| rows.numbers[failure.row as usize] == row) {
                found.push(failure);
            }
            let is_ragged = ragged.next_if(|(of, _)| *of == row).is_some();
            let is_faulty = is_ragged || found.iter().any(|failure| !job.checks[failure.check as usize].only_warns);
            let set_aside = is_faulty && asked.offcuts;
            if let (true, Some(index)) = (set_aside, index) {
                aside.push(index);
            }
            let checks = found.iter().map(|failure| failure.check as usize).chain(is_ragged.then_some(ragged_check));
            let is_sample = part.sampled.wants(job, part.samples.len(), checks);
            if set_aside || asked.faults || asked.cells || is_sample {
                let faults = self.faults(row, is_ragged, &found, batch, batch_results);
                self.note_row(row, &faults, index.map(|index| (batch, index)), RowUse { set_aside, is_sample }, part);
                if let Some(index) = index.filter(|_| asked.cells && !set_aside) {
                    cells.note(index, faults);
                }
            }
        }
        (asked.offcuts.then_some(aside), cells)
    }

    fn name(&self, row: u64) -> String {
        label(self.starts.locate(row), self.names)
    }

    fn faults(&self, row: u32, is_ragged: bool, found: &[Failure], batch: &Batch, batch_results: &BatchResults) -> Vec<Fault> {
        let job = self.job;
        let fault = |failure: &Failure| job.carving.fault(*failure, batch, batch_results, &|row| self.name(row));
        let mut faults: Vec<Fault> = found.iter().map(fault).collect();
        if is_ragged {
            let cells = self.chunk.ragged(row as usize..row as usize + 1).first().map_or(0, |(_, cells)| *cells);
            let detail = format!("it has {cells} cells, not {}", job.table_columns);
            let violation = Violation::new(ViolationKind::Ragged, detail);
            faults.push(Fault { check: job.checks.len() - 1, result: String::new(), place: None, violation });
        }
        if job.formulas == Formulas::Guarded {
            faults.iter_mut().filter(|fault| is_like_formula(&fault.result)).for_each(|fault| fault.result.insert(0, '\''));
        }
        faults
    }

    fn note_row(
        &mut self,
        row: u32,
        faults: &[Fault],
        of_batch: Option<(&Batch, u32)>,
        RowUse { set_aside, is_sample }: RowUse,
        part: &mut ChunkResult,
    ) {
        let (job, asked) = (self.job, self.asked);
        let line = self.chunk.line(row as usize, &mut self.count);
        let raw = || self.chunk.raw().and_then(|raw| raw.rows.get(row as usize)).map_or("", |row| row.raw.text(self.text));
        let value = |fault: &Fault| match (job.checks[fault.check].column, of_batch) {
            (Some(column), Some((batch, index))) => batch.value(column, index as usize).to_owned(),
            _ => raw().to_owned(),
        };
        let row_number = u64::from(row) + 1;
        if asked.faults {
            for fault in faults {
                let found = LocatedFault { row: row_number, line, fault: fault.clone(), value: value(fault) };
                part.held += size_of::<LocatedFault>() + found.value.len() + fault.result.len() + fault.violation.detail.len();
                part.faults.push(found);
            }
            if part.held > MOST_KEPT {
                // No later chunk depends on the faults, so they can be written early.
                let faults = std::mem::take(&mut part.faults);
                part.held = 0;
                (self.ahead)(ChunkResult { faults, ..ChunkResult::ahead_of(job, part.input) });
            }
        }
        if is_sample {
            part.sampled.note(faults.iter().map(|fault| fault.check));
            let faults = faults.iter().map(|fault| (fault.clone(), value(fault))).collect();
            part.samples.push(FaultyRow { row: row_number, line, faults });
        }
        if set_aside {
            part.totals.rows.set_aside += 1;
            let faults = faults.iter().filter(|fault| !job.checks[fault.check].only_warns);
            let why = words(faults.map(|fault| (&*job.checks[fault.check].of, &*fault.violation.detail)));
            // One file holds rows of several inputs.
            let why = if self.names.len() > 1 { format!("{}, line {line}: {why}", self.chunk.source()) } else { why };
            part.offcuts.push((row, why));
        }
    }

    pub(super) fn preview(&self, input: &Encodable, part: &mut ChunkResult) {
        let job = self.job;
        let all: Vec<u32> = (0..input.rows.len() as u32).collect();
        for row in input.written.unwrap_or(&all).iter().map(|row| *row as usize) {
            let copies = job.shape.rows_piece.map_or(1, |piece| input.batch_results.piece(piece).items(row).len().max(1));
            for copy in 0..copies {
                if part.preview.len() >= job.preview {
                    return;
                }
                part.preview.push(self.output_row(input, row, copy));
            }
        }
    }

    fn output_row(&self, input: &Encodable, row: usize, copy: usize) -> Vec<PreviewCell> {
        let job = self.job;
        let cell = |column: &OutColumn| match *column {
            OutColumn::OfInput(text) => PreviewCell { text: self.chunk.of_input(text).to_owned(), state: None },
            column @ (OutColumn::Faults | OutColumn::Compared | OutColumn::Reason) => {
                PreviewCell { text: lists::line(column, input, row), state: None }
            }
            OutColumn::Original(column) => {
                let number = input.rows.numbers[row] as usize;
                PreviewCell { text: self.chunk.cell(self.text, number, column).text.into_owned(), state: None }
            }
            OutColumn::Piece { piece, result } => {
                let result = if job.shape.rows_piece == Some(piece) { copy } else { result };
                let results = input.batch_results.piece(piece);
                let texts = job.carving.texts(piece, input.batch, input.batch_results);
                let text = results.items(row).nth(result).map_or("", |item| texts.get(item));
                PreviewCell { text: text.to_owned(), state: Some(results.state(row)) }
            }
        };
        job.shape.columns.iter().map(cell).collect()
    }

    pub(super) fn note_odd(&self, input: &Encodable, part: &mut ChunkResult) {
        let pieces: Vec<&Results> = (0..self.job.carving.count()).map(|piece| input.batch_results.piece(piece)).collect();
        let pieces: Vec<&Results> = pieces.into_iter().filter(|results| !results.are_filled()).collect();
        if pieces.is_empty() && input.batch_results.faulty().is_none() {
            return;
        }
        for why in Odd::ALL {
            let is_odd = |row: &usize| match why {
                Odd::Fault => input.batch_results.faulty().has(*row),
                _ => pieces.iter().any(|results| why.is(results.state(*row))),
            };
            for row in (0..input.rows.len()).filter(is_odd) {
                if part.odd.iter().filter(|known| known.why == why).count() >= MOST_ODD_KEPT {
                    break;
                }
                let number = input.rows.number(row);
                part.odd.push(OddRow { row: number, why, cells: self.output_row(input, row, 0) });
            }
        }
    }
}
