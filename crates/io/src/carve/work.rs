//! Processes the rows of a chunk: pieces, faults and output bytes.

use std::io;
use std::ops::Range;

use keen_notch_core::batch::formula::is_like_formula;
use keen_notch_core::batch::{Batch, Buffer};
use keen_notch_core::carving::{
    BatchResults, BatchRows, Carved, Compared, Failure, Fault, Memory, NextStep, OutColumn, Refused, Totals,
};
use keen_notch_core::check::{Violation, ViolationKind};
use keen_notch_core::diagnostics::{Diagnostics, Observation, note_looks};
use keen_notch_core::program::Results;
use keen_notch_core::sightings::Sightings;

use super::{Failing, FaultyRow, Formulas, Job, MOST_ODD_KEPT, Odd, OddRow, PreviewCell};
use crate::Error;
use crate::batches::{Batches, Limits};
use crate::encode::lists::{self, RowFaults, words};
use crate::encode::{Encodable, Encoder, Held, Out};
use crate::inputs::Starts;
use crate::pool::{Ahead, Turns};
use crate::source::{Chunk, LineCount, Ragged, Rows};
use crate::spill;
use crate::table;

/// The results of a chunk. Rows are numbered from 1 within it.
pub struct ChunkResult {
    pub bytes: Buffer,
    pub aside: Buffer,
    /// The rows of a batch to set aside, with the reasons.
    offcuts: Vec<(u32, String)>,
    kept: (Held, Held),
    pub faults: Vec<LocatedFault>,
    held: usize,
    pub samples: Vec<FaultyRow>,
    sampled: SampleCounts,
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

/// The number of sample rows for each check.
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
const MOST_KEPT: usize = 2 << 20;

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

    fn ahead_of(job: &Job, input: usize) -> ChunkResult {
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
}

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

/// The memory of a batch, for another one.
type Spare<'c> = (Rows<'c>, BatchResults);

/// A batch with its rows in the chunk, until it is the chunk's turn.
type Waiting<'c> = (Range<usize>, Carved<Rows<'c>>);

/// The same after its turn.
type Ready<'c> = (Range<usize>, Compared<Rows<'c>>);

pub struct Worker<'j> {
    job: &'j Job,
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
}

impl<'j> Worker<'j> {
    pub fn new(
        job: &'j Job,
        (encoder, aside): (&'j dyn Encoder, &'j dyn Encoder),
        asked: OptionalOutputs,
        (ragged, limits): (Ragged, Limits),
        (names, cells): (&'j [String], &'j [usize]),
    ) -> Worker<'j> {
        Worker { job, encoder, aside, asked, ragged, limits, cells, names, spare: Vec::new(), looks: Vec::new() }
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
        let _guard = turns.guard(number);
        chunk.open(&self.job.used)?;
        chunk.open_cells(self.cells)?;
        let chunk = &*chunk;
        let text = chunk.text()?;
        let mut state = State {
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
    fn end(&self, state: &mut State<'_, 'j>, part: &mut ChunkResult) -> Result<(), Error> {
        let State { job, chunk, ahead, .. } = state;
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
        state: &mut State<'_, 'j>,
    ) -> Result<Vec<Ready<'c>>, Error> {
        before.starts.begin(input, before.rows);
        state.starts.clone_from(&before.starts);
        let (ranges, carved): (Vec<_>, Vec<_>) = held.into_iter().unzip();
        let compared = self.job.carving.compare(carved, before.rows, &mut before.memory);
        let compared = compared.map_err(|error| Error::Spill {
            source: error.downcast::<io::Error>().map_or_else(io::Error::other, |error| *error),
        })?;
        Ok(ranges.into_iter().zip(compared).collect())
    }

    fn finish_all<'c>(
        &mut self,
        state: &mut State<'_, 'j>,
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
        state: &mut State<'_, 'j>,
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
        state: &mut State<'_, 'j>,
        (batch, rows): (&Batch, &Rows),
        batch_results: &mut BatchResults,
        range: Range<usize>,
        part: &mut ChunkResult,
    ) -> Result<(), Error> {
        let job = self.job;
        self.observe(batch, rows, batch_results, part);
        let (set_aside, faults) = state.note_faults(batch, rows, batch_results, range.clone(), part);
        self.write_offcuts(state, range.clone(), part)?;
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

    fn write_offcuts(&self, state: &mut State<'_, 'j>, range: Range<usize>, part: &mut ChunkResult) -> Result<(), Error> {
        if part.offcuts.is_empty() {
            return Ok(());
        }
        let State { job, chunk, text, ahead, .. } = state;
        let (numbers, reasons): (Vec<u32>, Vec<String>) = std::mem::take(&mut part.offcuts).into_iter().unzip();
        let batch = Batch { rows: numbers.len(), columns: &[] };
        let input = Encodable {
            chunk: *chunk,
            text,
            range,
            rows: &Rows { numbers, columns: Vec::new() },
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
            let (filled, looks) = &mut self.looks[*column];
            *filled = note_looks(batch.column(*column), looks);
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

struct State<'w, 'j> {
    job: &'j Job,
    chunk: &'w dyn Chunk,
    text: &'w str,
    count: LineCount,
    names: &'w [String],
    starts: Starts,
    asked: OptionalOutputs,
    ragged: Ragged,
    ahead: Ahead<'w, ChunkResult>,
}

/// What becomes of a row with faults.
#[derive(Clone, Copy)]
struct RowUse {
    set_aside: bool,
    is_sample: bool,
}

impl<'j> State<'_, 'j> {
    /// Counts the faults of rows and records them if requested. Returns the rows to set aside, and the faults of the others if a column
    /// lists them.
    fn note_faults(
        &mut self,
        batch: &Batch,
        rows: &Rows,
        batch_results: &mut BatchResults,
        range: Range<usize>,
        part: &mut ChunkResult,
    ) -> (Option<Vec<u32>>, RowFaults<'j>) {
        let State { job, asked, ragged: ragged_as, .. } = *self;
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
        let (input, number) = self.starts.locate(row);
        match self.names {
            [] | [_] => format!("row {number}"),
            names => format!("row {number} of {}", names.get(input).map_or("", String::as_str)),
        }
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

    fn preview(&self, input: &Encodable, part: &mut ChunkResult) {
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
            OutColumn::Source => PreviewCell { text: self.chunk.source().to_owned(), state: None },
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

    fn note_odd(&self, input: &Encodable, part: &mut ChunkResult) {
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
