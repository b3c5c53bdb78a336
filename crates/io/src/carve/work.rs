//! Processes the rows of a chunk: pieces, faults and output bytes.

use std::ops::Range;

use keen_notch_core::batch::{Batch, Buffer};
use keen_notch_core::carving::{BatchResults, BatchRows, Carved, Compared, Memory, NextStep, Refused};
use keen_notch_core::diagnostics::{Observation, note_looks};
use keen_notch_core::repeats::RowHash;

use super::chunk_result::{ChunkResult, MOST_KEPT, OptionalOutputs};
use super::recorder::Recorder;
use super::{Formulas, Job};
use crate::Error;
use crate::batches::{Batches, Limits};
use crate::encode::lists::RowFaults;
use crate::encode::{Encodable, Encoder, Out};
use crate::inputs::Starts;
use crate::pool::{Ahead, Turns};
use crate::source::{Chunk, LineCount, Ragged, Rows};
use crate::spill;
use crate::table;

/// State from earlier chunks, which each chunk updates in turn.
pub struct RunState {
    memory: Memory,
    rows: u64,
    starts: Starts,
}

impl RunState {
    /// The state before the first row, with a memory limit for `unique`.
    pub fn within(memory: usize) -> RunState {
        RunState { memory: spill::memory(memory), rows: 0, starts: Starts::default() }
    }
}

/// The rows of an input that earlier chunks have.
#[derive(Debug, Default)]
pub struct RowCount {
    input: usize,
    rows: u64,
}

impl RowCount {
    /// The rows of the first input that are read, after `rows` others.
    pub fn after(input: usize, rows: u64) -> RowCount {
        RowCount { input, rows }
    }

    /// The number of rows of an input before a chunk with `rows` rows.
    fn before(&mut self, input: usize, rows: u64) -> u64 {
        if input != self.input {
            *self = RowCount { input, rows: 0 };
        }
        let before = self.rows;
        self.rows += rows;
        before
    }
}

/// The memory of a batch, for another one.
type Spare<'c> = (Rows<'c>, BatchResults);

/// A batch with its rows in the chunk, until it is the chunk's turn.
type Waiting<'c> = (Range<usize>, Carved<Rows<'c>>);

type Ready<'c> = (Range<usize>, Compared<Rows<'c>>);

pub struct Worker<'j> {
    job: &'j Job,
    counts: &'j Turns<RowCount>,
    encoder: &'j dyn Encoder,
    aside: &'j dyn Encoder,
    asked: OptionalOutputs,
    ragged: Ragged,
    limits: Limits,
    cells: &'j [usize],
    names: &'j [String],
    spare: Vec<Spare<'static>>,
    /// For each column of a batch, the number of values that are not empty, and the values that need a closer look.
    looks: Vec<(u64, Vec<u32>)>,
    /// The columns with such values.
    looked_at: Vec<usize>,
}

impl<'j> Worker<'j> {
    pub fn new(
        (job, counts): (&'j Job, &'j Turns<RowCount>),
        (encoder, aside): (&'j dyn Encoder, &'j dyn Encoder),
        asked: OptionalOutputs,
        (ragged, limits): (Ragged, Limits),
        (names, cells): (&'j [String], &'j [usize]),
    ) -> Worker<'j> {
        let mut looked_at: Vec<usize> = match job.diagnostics.count() {
            0 => Vec::new(),
            _ => (0..job.carving.count())
                .filter(|piece| job.diagnostics.looks_at_ends(*piece))
                .filter_map(|piece| job.carving.column(piece))
                .collect(),
        };
        looked_at.sort_unstable();
        looked_at.dedup();
        Worker {
            job,
            counts,
            encoder,
            aside,
            asked,
            ragged,
            limits,
            cells,
            names,
            spare: Vec::new(),
            looks: Vec::new(),
            looked_at,
        }
    }

    /// Processes a chunk with this number. The output of very long rows is written early.
    ///
    /// # Errors
    /// The chunk is not UTF-8, or a row has too few or too many cells.
    pub fn work(
        &mut self,
        number: u64,
        table::TableChunk { input, mut chunk }: table::TableChunk,
        turns: &Turns<RunState>,
        part: &mut ChunkResult,
        ahead: Ahead<ChunkResult>,
    ) -> Result<(), Error> {
        let (_guard, _counts) = (turns.guard(number), self.counts.guard(number));
        chunk.open(&self.job.used)?;
        // The numbers of the rows come from the chunks before, which are opened on other threads at the same time.
        let before = match self.job.carving.numbers_rows() {
            true => self.counts.take(number, |count| count.before(input, chunk.rows() as u64)).unwrap_or_default(),
            false => 0,
        };
        chunk.open_cells(self.cells)?;
        let chunk = &*chunk;
        let text = chunk.text()?;
        let mut state = Recorder {
            job: self.job,
            chunk,
            text,
            count: LineCount::default(),
            names: self.names,
            starts: Starts::default(),
            asked: self.asked,
            ragged: self.ragged,
            ahead,
        };
        let mut spare: Vec<Spare> = std::mem::take(&mut self.spare).into_iter().map(recycle).collect();
        let count = chunk.rows();
        part.totals.rows.read += count as u64;
        let carving = &self.job.carving;
        // The batches that wait for comparisons with earlier rows, and the memory of their results.
        let (mut held, mut memory) = (Vec::<Waiting>::new(), 0);
        let cells = chunk.cells_of_row(self.job.used.len()).max(self.encoder.held_columns());
        let mut batches = Batches::of(count, cells, self.limits);
        loop {
            let (mut rows, mut results) = spare.pop().unwrap_or_default();
            let Some(range) = batches.next(&mut results) else {
                spare.push((rows, results));
                break;
            };
            chunk.take(text, range.clone(), &mut rows);
            rows.before = before;
            self.set_ragged_aside(chunk, &mut rows);
            let carved = match carving.carve(rows, results) {
                Ok(carved) => carved,
                Err(refused) => {
                    let Refused { rows, results, error } = *refused;
                    batches.take_again(range, error, chunk)?;
                    spare.push((rows, results));
                    continue;
                }
            };
            match carving.next_step(carved) {
                NextStep::Judge(compared) => spare.push(self.finish(&mut state, compared, range, part)?),
                NextStep::Compare(carved) => {
                    memory += carved.memory();
                    held.push((range, carved));
                    if memory > self.limits.batch() {
                        // The memory is released as soon as it is this chunk's turn.
                        let held = std::mem::take(&mut held);
                        let compared = turns.hold(number, |before| self.compare(input, before, held, &mut state));
                        spare.extend(self.finish_all(&mut state, compared.transpose()?, part)?);
                        memory = 0;
                    }
                }
            }
        }
        if carving.looks_back() {
            // Comparisons with earlier rows run in order, so each chunk waits for its turn.
            let compared = turns.take(number, |before| {
                let compared = self.compare(input, before, held, &mut state);
                before.rows += count as u64;
                compared
            });
            spare.extend(self.finish_all(&mut state, compared.transpose()?, part)?);
        }
        self.end(&mut state, part)?;
        if chunk.size() <= MOST_KEPT {
            self.spare = spare.into_iter().map(recycle).collect();
        }
        Ok(())
    }

    /// Writes the remaining rows of the chunk.
    ///
    /// # Errors
    /// The output format cannot hold a value.
    fn end(&self, state: &mut Recorder<'_, 'j>, part: &mut ChunkResult) -> Result<(), Error> {
        let Recorder { job, chunk, ahead, .. } = state;
        let ChunkResult { bytes, goes_on, aside, kept: (held, held_aside), input, .. } = part;
        let mut hand_on = |bytes: &mut Buffer| {
            let first = ChunkResult { bytes: std::mem::take(bytes), goes_on: *goes_on, ..ChunkResult::ahead_of(job, *input) };
            *goes_on = true;
            ahead(first)
        };
        self.encoder.end_chunk(*chunk, &mut Out::new((bytes, held), &mut hand_on))?;
        let mut hand_on =
            |aside: &mut Buffer| ahead(ChunkResult { aside: std::mem::take(aside), ..ChunkResult::ahead_of(job, *input) });
        self.aside.end_chunk(*chunk, &mut Out::new((aside, held_aside), &mut hand_on))
    }

    fn compare<'c>(
        &self,
        input: usize,
        before: &mut RunState,
        held: Vec<Waiting<'c>>,
        state: &mut Recorder<'_, 'j>,
    ) -> Result<Vec<Ready<'c>>, Error> {
        before.starts.begin(input, before.rows);
        state.starts.clone_from(&before.starts);
        let (ranges, carved): (Vec<_>, Vec<_>) = held.into_iter().unzip();
        let compared = self.job.carving.compare(carved, before.rows, &mut before.memory);
        let compared = compared.map_err(Error::of_store)?;
        Ok(ranges.into_iter().zip(compared).collect())
    }

    fn finish_all<'c>(
        &mut self,
        state: &mut Recorder<'_, 'j>,
        compared: Option<Vec<Ready<'c>>>,
        part: &mut ChunkResult,
    ) -> Result<Vec<Spare<'c>>, Error> {
        let finished = compared.into_iter().flatten();
        finished.map(|(range, compared)| self.finish(state, compared, range, part)).collect()
    }

    fn set_ragged_aside(&self, chunk: &dyn Chunk, rows: &mut Rows) {
        let ragged = match (rows.numbers.first(), rows.numbers.last()) {
            (Some(first), Some(last)) => chunk.ragged(*first as usize..*last as usize + 1),
            _ => &[],
        };
        if !ragged.is_empty() && self.ragged == Ragged::SetAside {
            let is_whole = |number: &u32| ragged.binary_search_by_key(number, |(row, _)| *row).is_err();
            let kept: Vec<u32> = (0..).zip(&rows.numbers).filter(|(_, row)| is_whole(row)).map(|(index, _)| index).collect();
            rows.keep(&kept);
        }
    }

    fn finish<'c>(
        &mut self,
        state: &mut Recorder<'_, 'j>,
        compared: Compared<Rows<'c>>,
        range: Range<usize>,
        part: &mut ChunkResult,
    ) -> Result<Spare<'c>, Error> {
        let mut judged = self.job.carving.judge(compared, &mut part.totals);
        let (rows, results) = judged.parts();
        rows.with_batch(|batch| self.write(state, (batch, rows), results, range, part))?;
        Ok(judged.into_parts())
    }

    fn write(
        &mut self,
        state: &mut Recorder<'_, 'j>,
        (batch, rows): (&Batch, &Rows),
        batch_results: &mut BatchResults,
        range: Range<usize>,
        part: &mut ChunkResult,
    ) -> Result<(), Error> {
        let job = self.job;
        self.observe(batch, rows, batch_results, part);
        let (set_aside, faults) = state.note_faults(batch, rows, batch_results, range.clone(), part);
        self.write_offcuts(state, range.clone(), part)?;
        if self.asked.hashes {
            let of_row = |row: usize| {
                let number = rows.number(row);
                let compared = job.carving.compared(row, batch_results);
                compared.map(move |comparison| RowHash { row: number, comparison })
            };
            part.hashes.extend((0..rows.len()).flat_map(of_row));
        }
        // After the checks, which see the results without the apostrophe.
        if job.formulas != Formulas::Ignored {
            for (piece, seen) in job.written.iter().zip(&mut part.formulas) {
                let of_rows = job.carving.formulas(*piece, batch, batch_results, job.formulas == Formulas::Guarded);
                of_rows.iter().for_each(|row| seen.note(rows.number(*row as usize)));
            }
        }
        let written: Option<Vec<u32>> =
            set_aside.map(|aside| (0..rows.len() as u32).filter(|row| aside.binary_search(row).is_err()).collect());
        let kept = written.as_ref().map_or(rows.len(), Vec::len) as u64;
        part.totals.rows.kept += kept;
        part.totals.rows.written += match job.shape.rows_piece {
            None => kept,
            Some(piece) => {
                let count = |row: usize| batch_results.piece(piece).items(row).len().max(1) as u64;
                match &written {
                    None => (0..rows.len()).map(count).sum(),
                    Some(written) => written.iter().map(|row| count(*row as usize)).sum(),
                }
            }
        };
        let (chunk, text, carving, batch_results) = (state.chunk, state.text, &job.carving, &*batch_results);
        let (written, faults) = (written.as_deref(), &faults);
        let input = Encodable { chunk, text, range, rows, batch, batch_results, carving, written, faults, reasons: &[] };
        if part.preview.len() < job.preview {
            state.preview(&input, part);
        }
        if job.preview > 0 {
            state.note_odd(&input, part);
        }
        if !job.shape.is_written {
            return Ok(());
        }
        let ChunkResult { bytes, goes_on, kept: (held, _), input: of, .. } = part;
        let mut hand_on = |bytes: &mut Buffer| {
            let first = ChunkResult { bytes: std::mem::take(bytes), goes_on: *goes_on, ..ChunkResult::ahead_of(job, *of) };
            *goes_on = true;
            (state.ahead)(first)
        };
        self.encoder.encode(&input, &mut Out::new((bytes, held), &mut hand_on))?;
        // The output can be much larger than the input.
        if bytes.width() >= self.limits.written() {
            hand_on(bytes);
        }
        Ok(())
    }

    fn write_offcuts(&self, state: &mut Recorder<'_, 'j>, range: Range<usize>, part: &mut ChunkResult) -> Result<(), Error> {
        if part.offcuts.is_empty() {
            return Ok(());
        }
        let Recorder { job, chunk, text, ahead, .. } = state;
        let (numbers, reasons): (Vec<u32>, Vec<String>) = std::mem::take(&mut part.offcuts).into_iter().unzip();
        let batch = Batch { rows: numbers.len(), ..Batch::default() };
        let input = Encodable {
            chunk: *chunk,
            text,
            range,
            rows: &Rows { numbers, ..Rows::default() },
            batch: &batch,
            batch_results: &BatchResults::default(),
            carving: &job.carving,
            written: None,
            faults: &RowFaults::default(),
            reasons: &reasons,
        };
        let ChunkResult { aside, kept: (_, held), input: of, .. } = part;
        let mut hand_on =
            |aside: &mut Buffer| ahead(ChunkResult { aside: std::mem::take(aside), ..ChunkResult::ahead_of(job, *of) });
        self.aside.encode(&input, &mut Out::new((aside, held), &mut hand_on))
    }

    fn observe(&mut self, batch: &Batch, rows: &Rows, batch_results: &BatchResults, part: &mut ChunkResult) {
        if part.diagnostics.count() == 0 {
            return;
        }
        let number = |row: usize| rows.number(row);
        self.looks.resize_with(batch.columns.len(), Default::default);
        for column in &self.job.used {
            self.looks[*column].0 = batch.column(*column).filled();
        }
        for column in &self.looked_at {
            note_looks(batch.column(*column), &mut self.looks[*column].1);
        }
        let carving = &self.job.carving;
        for piece in 0..carving.count() {
            let Some(column) = carving.column(piece) else { continue };
            let (values, (filled, looks), results) = (batch.column(column), &self.looks[column], batch_results.piece(piece));
            part.diagnostics.observe(piece, Observation { values, filled: *filled, looks, results, number: &number });
        }
        carving.observe_layouts(batch, batch_results, &mut part.diagnostics, &number);
        carving.observe_list_headers(batch, batch_results, &mut part.diagnostics, &number);
    }
}

fn recycle<'c>((rows, results): Spare) -> Spare<'c> {
    (rows.recycle(), results)
}
