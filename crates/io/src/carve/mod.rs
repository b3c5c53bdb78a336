//! The main job: adding pieces to every row of a table.
//!
//! The table is read in chunks, and any thread processes any chunk. The results are merged in order, which numbers the rows and writes
//! them.

mod chunk_result;
mod failing;
mod merge;
mod recorder;
mod work;

use std::ops::ControlFlow;
use std::sync::Mutex;

use keen_notch_core::carving::{Carving, CheckName, Fault, OutColumn, Totals};
use keen_notch_core::column::Header;
use keen_notch_core::diagnostics::{Diagnostics, Hint};
use keen_notch_core::program::State;
use keen_notch_core::sightings::Sightings;
use keen_notch_core::summary::{self, RowOf, Summary};
use keen_notch_core::text::characters;
use keen_notch_core::widths::Widths;

use crate::Error;
use crate::encode::{EncoderRequest, Places};
use crate::encode::{OutputSchema, TextOptions};
use crate::faults::FaultFile;
use crate::formats;
use crate::formats::columnar::PARQUET;
use crate::formats::fixed_width::Layout;
use crate::formats::fixed_width::encoder;
use crate::hashes::HashFile;
use crate::inputs::Inputs;
use crate::kind::FileFormat;
use crate::pool::{self, Ahead, Turns};
use crate::sink::{Reserved, Sink};
use crate::source::Format;
use crate::table::{self, Table};
use crate::view::View;

use chunk_result::{ChunkResult, OptionalOutputs};
pub use failing::Failing;
use merge::Merger;
use work::{RowCount, RunState, Worker};

#[derive(Debug)]
pub struct Job {
    carving: Carving,
    used: Vec<usize>,
    shape: OutputSchema,
    table_columns: usize,
    checks: Vec<CheckName>,
    preview: usize,
    samples: usize,
    samples_of_each: usize,
    counts_failing: bool,
    diagnostics: Diagnostics,
    threads: usize,
    written: Vec<usize>,
    formulas: Formulas,
    named: FileFormat,
    named_aside: FileFormat,
    text_options: TextOptions,
    places: Option<Places>,
}

#[derive(Debug, Default)]
pub struct Report {
    /// The counts, with the checks in the order of [`Job::checks`].
    pub totals: Totals,
    pub failing: Vec<Failing>,
    pub preview: Vec<Vec<PreviewCell>>,
    pub odd: Vec<OddRow>,
    pub samples: Vec<FaultyRow>,
    pub inputs: Inputs,
    /// For each of [`Job::written`], the results that look like formulas, if counted.
    pub formulas: Vec<Sightings>,
    pub hints: Vec<Hint>,
    pub replaced: u64,
    /// The number of hashes that were written.
    pub hashes: u64,
}

#[derive(Debug, Clone)]
pub struct MadeBy {
    pub program: String,
    pub asked: Vec<String>,
    pub listed: Vec<summary::ListFile>,
    pub part: Option<summary::Part>,
}

impl Report {
    pub fn summary(&self, job: &Job, header: &Header, MadeBy { program, asked, listed, part }: MadeBy) -> Summary {
        let row_of = |row: &u64| {
            let (input, row) = self.inputs.locate(*row);
            RowOf { file: self.inputs.name(input).to_owned(), row }
        };
        Summary {
            version: summary::VERSION,
            program,
            asked,
            listed,
            part,
            hashes: None,
            rows_compared: job.carving.looks_back(),
            inputs: self.inputs.rows(self.totals.rows.read),
            rows: self.totals.rows,
            pieces: job.carving.piece_counts(&self.totals, header),
            checks: summary::check_counts(&job.checks, header, &self.totals, row_of),
            replacements: self.replaced,
        }
    }
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FaultyRow {
    pub row: u64,
    pub line: u64,
    pub faults: Vec<(Fault, String)>,
}

pub struct Outs<'a> {
    pub rows: &'a mut dyn Sink,
    pub offcuts: Option<&'a mut dyn Sink>,
    pub faults: Option<FaultFile<'a>>,
    pub hashes: Option<HashFile<'a>>,
}

impl<'a> Outs<'a> {
    /// Only the rows.
    pub fn of_rows(rows: &'a mut dyn Sink) -> Outs<'a> {
        Outs { rows, offcuts: None, faults: None, hashes: None }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Odd {
    Fault,
    Missing,
    Short,
    Long,
    Fallback,
}

impl Odd {
    /// All reasons, the most serious first.
    pub const ALL: [Odd; 5] = [Odd::Fault, Odd::Missing, Odd::Short, Odd::Long, Odd::Fallback];

    pub(self) fn is(self, state: State) -> bool {
        match self {
            Odd::Fault => false,
            Odd::Missing => state.missing,
            Odd::Short => state.short,
            Odd::Long => state.long,
            Odd::Fallback => state.fallback,
        }
    }
}

#[derive(Debug, Clone)]
pub struct OddRow {
    pub row: u64,
    pub why: Odd,
    pub cells: Vec<PreviewCell>,
}

const MOST_ROWS_OF_KIND: usize = 2;
/// Rows to keep for each reason until it is known which of them are shown for a more serious one.
const MOST_ODD_KEPT: usize = MOST_ROWS_OF_KIND * Odd::ALL.len();

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PreviewCell {
    pub text: String,
    pub state: Option<State>,
}

/// The treatment of results that look like formulas.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Formulas {
    #[default]
    Ignored,
    Counted,
    Guarded,
}

impl Job {
    /// A job for tables with these columns. `originals` are the indices of the columns to write. The first `preview` rows are kept for
    /// display.
    pub fn new(carving: Carving, header: &Header, originals: &[usize], preview: usize) -> Job {
        Job {
            used: carving.used_columns(),
            shape: OutputSchema::new(&carving, header, originals),
            table_columns: header.count(),
            checks: checks(&carving),
            carving,
            preview,
            samples: 0,
            samples_of_each: 0,
            counts_failing: false,
            diagnostics: Diagnostics::default(),
            threads: 1,
            written: Vec::new(),
            formulas: Formulas::default(),
            named: FileFormat::default(),
            named_aside: FileFormat::default(),
            text_options: TextOptions::default(),
            places: None,
        }
        .with_written()
    }

    fn with_written(mut self) -> Job {
        let piece = |column: &OutColumn| if let OutColumn::Piece { piece, .. } = column { Some(*piece) } else { None };
        self.written = self.shape.columns.iter().filter_map(piece).collect();
        self.written.dedup();
        self
    }

    pub fn with_formulas(mut self, formulas: Formulas) -> Job {
        self.formulas = formulas;
        self
    }

    /// Says that the last `count` columns of the table come from the names of folders.
    pub fn with_folders(mut self, count: usize) -> Job {
        self.shape.set_folders(self.table_columns - count);
        self.table_columns -= count;
        self
    }

    pub fn with_text_options(mut self, options: TextOptions) -> Job {
        self.text_options = options;
        self
    }

    /// Sets fixed-width output. `widths` gives the columns; otherwise those of the table keep their positions and pieces follow with the
    /// width from `width`. A text that is too wide is a fault. `inputs` are the inputs of the table.
    ///
    /// # Errors
    /// A column has no position.
    pub fn with_places(
        mut self,
        format: &Format,
        widths: Option<&Widths>,
        width: &dyn Fn(usize) -> Option<usize>,
        inputs: &Inputs,
    ) -> Result<Job, Error> {
        let read = format.get::<Layout>();
        let places = encoder::places(&self.shape, read, widths, width)?;
        for ((column, place), title) in self.shape.columns.iter().zip(&places).zip(&self.shape.titles) {
            let most = place.1 + 1 - place.0;
            match column {
                OutColumn::OfInput(text) if inputs.texts(*text).any(|text| characters::count(text) > most) => {
                    let what = if *text == 0 { "name of an input" } else { "name of a folder" };
                    let why = format!("the {what} is wider than its place");
                    return Err(Error::NoPlace { title: title.clone(), why });
                }
                OutColumn::OfInput(_) | OutColumn::Faults | OutColumn::Compared | OutColumn::Reason => {}
                column => self.carving.set_place(*column, most),
            }
        }
        (self.used, self.checks, self.places) = (self.carving.used_columns(), checks(&self.carving), Some(places));
        Ok(self)
    }

    pub fn widths(&self) -> Option<Widths> {
        self.places.as_ref().map(|places| encoder::widths_of(&self.shape.titles, places))
    }

    pub fn too_wide(&self, report: &Report) -> u64 {
        self.carving.place_checks().map(|check| report.totals.failed[check].count).sum()
    }

    pub fn written(&self) -> &[usize] {
        &self.written
    }

    pub fn with_diagnostics(mut self, diagnostics: Diagnostics) -> Job {
        self.diagnostics = diagnostics;
        self
    }

    pub fn with_samples_of_each(mut self, samples: usize) -> Job {
        self.samples_of_each = samples;
        self
    }

    pub fn with_samples(mut self, samples: usize) -> Job {
        self.samples = samples;
        self
    }

    pub fn with_failing(mut self) -> Job {
        self.counts_failing = true;
        self
    }

    pub fn without_rows(mut self) -> Job {
        self.shape.is_written = false;
        self.written.clear();
        self
    }

    /// Sets the number of threads. The output does not depend on it.
    pub fn with_threads(mut self, threads: usize) -> Job {
        self.threads = threads.max(1);
        self
    }

    pub fn with_formats(mut self, rows: FileFormat, aside: FileFormat) -> Job {
        (self.named, self.named_aside) = (rows, aside);
        self
    }

    /// Gives an original column another title. Returns `None` if it is not written.
    pub fn with_title(mut self, original: usize, title: &str) -> Option<Job> {
        self.shape.rename(original, title).then_some(self)
    }

    /// Adds a column with this title for the input of each row, after the first `originals` columns.
    pub fn with_source_column(mut self, title: &str, originals: usize) -> Job {
        self.shape.insert(originals, OutColumn::OfInput(0), title);
        self
    }

    /// Adds a last column with this title: [`OutColumn::Faults`] or [`OutColumn::Compared`].
    pub fn with_list_column(mut self, column: OutColumn, title: &str) -> Job {
        self.shape.insert(self.shape.columns.len(), column, title);
        self
    }

    /// Adds the unchanged values of a source column as the last column, under a placeholder title. A database update compares them with the
    /// current values.
    pub fn with_column_as_read(mut self, column: usize, title: &str) -> Job {
        self.shape.insert(self.shape.columns.len(), OutColumn::Original(column), title);
        self
    }

    /// The format of the table for the encoder. If all rows of Parquet files are written to Parquet in order, their columns are copied.
    fn format(&self, table: &Table, sets_aside: bool) -> Format {
        let keeps_rows =
            self.carving.keeps_every_row() && self.shape.renamed.is_empty() && self.shape.rows_piece.is_none() && !sets_aside;
        let is_parquet = self.named.kind == Some(&PARQUET) && self.shape.is_written && self.preview == 0;
        match table.plain_files().filter(|_| keeps_rows && is_parquet) {
            Some(files) => table.format.copied(&files).unwrap_or_else(|| table.format.clone()),
            None => table.format.clone(),
        }
    }

    /// The columns to read, and those whose cells are written as displayed, if rows can be set aside.
    fn needs(&self, format: &Format, sets_aside: bool) -> (Vec<usize>, Vec<usize>) {
        let original = |column: &OutColumn| if let OutColumn::Original(column) = column { Some(*column) } else { None };
        let are_values = self.shape.is_written && !format.is_copied();
        let originals = if are_values { self.shape.columns.iter().filter_map(original).collect() } else { Vec::new() };
        let all: Vec<usize> = if sets_aside { (0..self.table_columns).collect() } else { Vec::new() };
        let needed = table::in_order(&[&self.used[..], &originals, &all].concat());
        let shown =
            if self.preview > 0 || !self.named.kind.is_some_and(|kind| kind.has_arrays) { originals } else { Vec::new() };
        let aside = if self.named_aside.kind.is_some_and(|kind| kind.has_arrays) { Vec::new() } else { all };
        (needed, table::in_order(&[shown, aside].concat()))
    }

    /// All checks; the last one is that a row has as many cells as columns.
    pub fn checks(&self) -> &[CheckName] {
        &self.checks
    }

    pub fn carving(&self) -> &Carving {
        &self.carving
    }

    pub fn columns(&self) -> &[OutColumn] {
        &self.shape.columns
    }

    pub fn titles(&self) -> &[String] {
        &self.shape.titles
    }
}

fn checks(carving: &Carving) -> Vec<CheckName> {
    let cells = CheckName {
        of: "rows".to_owned(),
        piece: None,
        column: None,
        words: "as many cells as columns".to_owned(),
        only_warns: false,
        is_implied: true,
        is_elsewhere: false,
    };
    carving.checks().into_iter().chain([cells]).collect()
}

/// Memory of the Parquet writer for each column of a row group, in bytes, as measured.
const PARQUET_COLUMN: usize = 16 << 10;

/// Carves the table and writes it to `outs`.
///
/// # Errors
/// The table cannot be read, or an output cannot be written.
pub fn carve(table: &mut Table, job: &Job, outs: &mut Outs) -> Result<Report, Error> {
    let format = job.format(table, outs.offcuts.is_some());
    let header = &table.file_header;
    let types = table.types.get(..header.count()).unwrap_or(&table.types);
    let folders = table.titles_of_folders();
    let encoder = formats::encoder(EncoderRequest {
        kind: job.named.of_output(&format),
        read: Some(&format),
        options: job.text_options,
        places: job.places.as_ref(),
        header,
        types,
        shape: &job.shape,
    })?;
    // Without offcuts, their encoder needs no rows.
    let named_aside = if outs.offcuts.is_some() { job.named_aside } else { FileFormat::default() };
    let aside = formats::offcut_encoder(&table.format, named_aside, (header, &folders), types)?;
    let (encoder, aside) = (&*encoder, &*aside);
    let (meter, limits) = (table.shared_meter(), table.limits(job.threads));
    let (out_columns, limit) = (job.shape.titles.len(), limits.memory());
    if job.named.kind == Some(&PARQUET) && out_columns.saturating_mul(PARQUET_COLUMN) > limit {
        return Err(Error::ParquetTooWide { columns: out_columns, limit });
    }
    let ragged = table.ragged();
    let asked = OptionalOutputs {
        offcuts: outs.offcuts.is_some(),
        faults: outs.faults.is_some(),
        cells: job.shape.columns.contains(&OutColumn::Faults),
        compared: outs.hashes.is_some() || job.shape.columns.contains(&OutColumn::Compared),
        hashes: outs.hashes.is_some(),
    };
    let inputs = table.inputs.clone();
    let (needed, cells) = job.needs(&format, outs.offcuts.is_some());
    table.need(&needed);
    table.share_reading();
    let has_head = |named: FileFormat| !(table.is_continued() && named.kind.unwrap_or(table.format.kind()).is_text);
    let heads = (has_head(job.named), has_head(job.named_aside));
    let mut merger = Merger::new(job, outs, (encoder, aside), (inputs.clone(), &table.header), heads)?;
    let turns = Turns::new(RunState::within(limits.remembered()));
    let counts = Turns::new(RowCount::after(inputs.first(), inputs.skipped(inputs.first())));
    // The start of a run, in order, decides about later observations.
    let focus = Mutex::new(job.diagnostics.focus().collect::<Vec<_>>());
    // Reusing buffers is cheaper than allocating new memory.
    let spare = Mutex::new(Vec::<ChunkResult>::new());
    let worker = || {
        let mut worker = Worker::new((job, &counts), (encoder, aside), asked, (ragged, limits), (inputs.names(), &cells));
        let (meter, spare, turns, focus) = (&meter, &spare, &turns, &focus);
        move |number, of_table: table::TableChunk, ahead: Ahead<ChunkResult>| {
            let mut part = pool::lock(spare).pop().unwrap_or_else(|| ChunkResult::new(job));
            part.input = of_table.input;
            part.diagnostics.set_focus(&pool::lock(focus));
            worker.work(number, of_table, turns, &mut part, ahead)?;
            meter.add_rows(part.totals.rows.read);
            Ok(part)
        }
    };
    let join = |part: ChunkResult| {
        let reserved = merger.take(&part)?;
        merger.set_focus(&mut pool::lock(&focus));
        Ok((part, reserved))
    };
    let write = |(mut part, reserved): (ChunkResult, Option<Reserved>)| {
        if let Some(reserved) = reserved {
            reserved.write(part.bytes.bytes())?;
        }
        part.clear(job);
        let mut spare = pool::lock(&spare);
        // Parts of very long rows can exceed the number of parts in progress.
        if spare.len() < job.threads {
            spare.push(part);
        }
        Ok(())
    };
    pool::in_order(job.threads, || table.next_part(), worker, join, write)?;
    table.settle_replaced()?;
    Ok(Report { replaced: meter.replaced(), ..merger.finish()? })
}

/// The maximum number of results in a row, for each piece with `columns = "auto"`. Reads the whole table.
///
/// # Errors
/// The table cannot be read.
pub fn measure(table: &mut Table, carving: &Carving) -> Result<Vec<(usize, usize)>, Error> {
    let mut most: Vec<(usize, usize)> = carving.auto_pieces().into_iter().map(|piece| (piece, 0)).collect();
    table.each_view(View::Pieces(carving), |rows| {
        for (piece, most) in &mut most {
            let results = rows.batch_results.piece(*piece);
            *most = (0..rows.batch.rows).map(|row| results.items(row).len()).max().unwrap_or(0).max(*most);
        }
        ControlFlow::Continue(())
    })?;
    Ok(most)
}
