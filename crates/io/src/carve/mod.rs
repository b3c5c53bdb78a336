//! The main job: adding pieces to every row of a table.
//!
//! A table is read chunk by chunk. Each chunk is worked out by itself, on any thread; what came of the chunks is put
//! together in their order, which is where rows get their numbers and are written.

mod failing;
mod merge;
mod work;

use std::ops::ControlFlow;
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, Ordering};

use keen_notch_core::carving::{Carving, CheckName, Fault, OutColumn};
use keen_notch_core::column::Header;
use keen_notch_core::diagnostics::{Diagnostics, Hint};
use keen_notch_core::program::State;
use keen_notch_core::sightings::Sightings;
use keen_notch_core::summary::{self, CheckCounts, Level, PieceCounts, RowOf, Summary};
use keen_notch_core::tally::Tally;
use keen_notch_core::text::characters;
use keen_notch_core::widths::Widths;

use crate::Error;
use crate::encode::fixed_width::{self, Places};
use crate::encode::{Shape, TextOptions, aside, encoder};
use crate::faults::FaultFile;
use crate::formats::{Kind, Named};
use crate::inputs::Inputs;
use crate::pool::{self, Ahead, Turns};
use crate::sink::Sink;
use crate::source::Format;
use crate::table::{self, Table};
use crate::view::View;

pub use failing::Failing;
use merge::Merger;
use work::{Asked, Before, Part, Worker};

/// What is to be carved, and how it is written.
#[derive(Debug)]
pub struct Job {
    carving: Carving,
    used: Vec<usize>,
    shape: Shape,
    /// How many columns the table has.
    table_columns: usize,
    checks: Vec<CheckName>,
    /// How many of the first output rows, and of the rows with faults, are kept to be shown.
    preview: usize,
    samples: usize,
    /// How many of the rows that do not meet a check are kept to be shown, of each check.
    samples_of_each: usize,
    /// Whether texts that do not meet a check are counted.
    counts_failing: bool,
    diagnostics: Diagnostics,
    threads: usize,
    /// The pieces that are written, by their indices, and what becomes of texts of theirs that may be taken for formulas.
    written: Vec<usize>,
    formulas: Formulas,
    /// What is said of the output, and of that of the rows that are set aside.
    named: Named,
    named_aside: Named,
    text_options: TextOptions,
    /// Where columns are, where fixed-width text is written.
    places: Option<Places>,
}

/// How many rows came to what. Rows read are those kept, those set aside and those left out.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Counts {
    /// Rows read.
    pub rows: u64,
    /// Rows read that went into the output.
    pub rows_kept: u64,
    /// Rows of the output: more, where a piece gets a row a result.
    pub rows_out: u64,
    /// Rows with faults that were set aside.
    pub set_aside: u64,
    /// Rows that did not meet the conditions of `keep`.
    pub left_out: u64,
    /// Rows with at least one fault.
    pub faulty: u64,
}

impl Counts {
    /// Adds the counts of other rows.
    fn add(&mut self, other: &Counts) {
        self.rows += other.rows;
        self.rows_kept += other.rows_kept;
        self.rows_out += other.rows_out;
        self.set_aside += other.set_aside;
        self.left_out += other.left_out;
        self.faulty += other.faulty;
    }
}

/// What came of a run.
#[derive(Debug, Default)]
pub struct Report {
    /// How many rows came to what.
    pub counts: Counts,
    /// The counts of each piece.
    pub tallies: Vec<Tally>,
    /// The counts of each check, in the order of [`Job::checks`].
    pub checks: Vec<Sightings>,
    /// The rows with a value that each check looked at.
    pub checked: Vec<u64>,
    /// For each check, the texts that do not meet it, where the job asked for them.
    pub failing: Vec<Failing>,
    /// The first output rows, as many as the job asked for.
    pub preview: Vec<Vec<PreviewCell>>,
    /// A few rows of each kind that is worth a look, where the job asked for rows to be shown.
    pub odd: Vec<OddRow>,
    /// The first rows with faults, as many as the job asked for.
    pub samples: Vec<FaultyRow>,
    /// The inputs, and where their rows begin.
    pub inputs: Inputs,
    /// For each of [`Job::written`], the results that a spreadsheet may take for formulas, where these are looked for.
    pub formulas: Vec<Sightings>,
    /// What a person should know of the run, the most useful first.
    pub hints: Vec<Hint>,
    /// Sequences of bytes that were not of the encoding, in whose place U+FFFD was read.
    pub replaced: u64,
}

/// What a summary says beside the counts.
#[derive(Debug, Clone)]
pub struct MadeBy {
    /// The version of the program.
    pub program: String,
    /// What was asked of each row, a line each.
    pub asked: Vec<String>,
    /// The files with values that others must be listed in.
    pub listed: Vec<summary::Listed>,
    /// The part that was read, where that is not all.
    pub part: Option<summary::Part>,
}

impl Report {
    /// The summary of the run, which was of this job on a table with these columns.
    pub fn summary(&self, job: &Job, header: &Header, MadeBy { program, asked, listed, part }: MadeBy) -> Summary {
        let title = |column: Option<usize>| column.map(|column| header.title(column));
        let piece = |(piece, tally): (usize, &Tally)| PieceCounts {
            name: job.carving.name(piece).to_owned(),
            column: title(job.carving.column(piece)),
            tally: *tally,
        };
        let row = |row: &u64| {
            let (input, row) = self.inputs.locate(*row);
            RowOf { file: self.inputs.name(input).to_owned(), row }
        };
        let check = |((check, seen), checked): ((&CheckName, &Sightings), &u64)| CheckCounts {
            of: check.of.clone(),
            column: title(check.column),
            check: check.words.clone(),
            level: if check.only_warns { Level::Warning } else { Level::Fault },
            implied: check.is_implied,
            elsewhere: check.is_elsewhere,
            checked: *checked,
            rows: seen.count,
            first_rows: seen.rows.iter().map(row).collect(),
        };
        let Counts { rows, rows_kept, rows_out, set_aside, left_out, faulty } = self.counts;
        Summary {
            version: summary::VERSION,
            program,
            asked,
            listed,
            part,
            rows_compared: job.carving.looks_back(),
            inputs: self.inputs.rows(rows),
            rows: summary::Rows { read: rows, kept: rows_kept, written: rows_out, set_aside, left_out, with_faults: faulty },
            pieces: self.tallies.iter().enumerate().map(piece).collect(),
            checks: job.checks.iter().zip(&self.checks).zip(&self.checked).map(check).collect(),
            replacements: self.replaced,
        }
    }
}

/// A row with faults, to be shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FaultyRow {
    /// Its number among the rows of the run, from 1.
    pub row: u64,
    /// The line of its input that it begins on.
    pub line: u64,
    /// What is wrong with it, with the value of the column each is about.
    pub faults: Vec<(Fault, String)>,
}

/// Where a run writes to.
pub struct Outs<'a> {
    /// The rows.
    pub rows: &'a mut dyn Sink,
    /// Rows with faults, where they are set aside.
    pub offcuts: Option<&'a mut dyn Sink>,
    /// One line a fault, where that is asked for.
    pub faults: Option<FaultFile<'a>>,
}

/// Why a row is worth a look.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Odd {
    /// A check is not met.
    Fault,
    /// A piece is missing.
    Missing,
    /// A piece is short.
    Short,
    /// A piece is long.
    Long,
    /// A piece comes from another branch than the first.
    Fallback,
}

impl Odd {
    /// All of them, the gravest first.
    pub const ALL: [Odd; 5] = [Odd::Fault, Odd::Missing, Odd::Short, Odd::Long, Odd::Fallback];

    /// Whether the state of a piece is of this kind.
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

/// A row that is worth a look, to be shown.
#[derive(Debug, Clone)]
pub struct OddRow {
    /// Its number among the rows of the run, from 1.
    pub row: u64,
    /// Why.
    pub why: Odd,
    /// The output row.
    pub cells: Vec<PreviewCell>,
}

/// Rows of each kind that are shown.
const MOST_ODD: usize = 2;
/// Rows of each kind that are kept until it is known which are shown as a graver kind.
const MOST_ODD_KEPT: usize = MOST_ODD * Odd::ALL.len();

/// A cell of an output row, to be shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PreviewCell {
    /// Its value.
    pub text: String,
    /// What became of it, where it is a piece's.
    pub state: Option<State>,
}

/// What becomes of results that a spreadsheet may take for formulas.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Formulas {
    /// They are not looked for.
    #[default]
    Ignored,
    /// They are counted.
    Counted,
    /// They are counted, and get an apostrophe, which makes them texts.
    Guarded,
}

impl Job {
    /// A job on tables with these columns, of which `originals` go into the output, by their indices. The
    /// first `preview` rows of its output are kept to be shown.
    pub fn new(carving: Carving, header: &Header, originals: &[usize], preview: usize) -> Job {
        Job {
            used: carving.used_columns(),
            shape: Shape::new(&carving, header, originals),
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
            named: Named::default(),
            named_aside: Named::default(),
            text_options: TextOptions::default(),
            places: None,
        }
        .with_written()
    }

    /// Notes which pieces are written.
    fn with_written(mut self) -> Job {
        let piece = |column: &OutColumn| if let OutColumn::Piece { piece, .. } = column { Some(*piece) } else { None };
        self.written = self.shape.columns.iter().filter_map(piece).collect();
        self.written.dedup();
        self
    }

    /// The job, with results that a spreadsheet may take for formulas looked for.
    pub fn with_formulas(mut self, formulas: Formulas) -> Job {
        self.formulas = formulas;
        self
    }

    /// The job, with what is said of delimited text that is written.
    pub fn with_text_options(mut self, options: TextOptions) -> Job {
        self.text_options = options;
        self
    }

    /// The job, with its rows written as fixed-width text. `widths` says where columns are, and otherwise those of the table stay where
    /// they are, and pieces come after them, as wide as `width` says. A row has a fault where a text is wider than its place. `names` is
    /// what the inputs are called.
    ///
    /// # Errors
    /// Where a column has no place.
    pub fn with_places(
        mut self,
        format: &Format,
        widths: Option<&Widths>,
        width: &dyn Fn(usize) -> Option<usize>,
        names: &[String],
    ) -> Result<Job, Error> {
        let read = if let Format::FixedWidth(layout) = format { Some(layout) } else { None };
        let places = fixed_width::places(&self.shape, read, widths, width)?;
        for ((column, place), title) in self.shape.columns.iter().zip(&places).zip(&self.shape.titles) {
            let most = place.1 + 1 - place.0;
            match column {
                OutColumn::Source if names.iter().any(|name| characters::count(name) > most) => {
                    let why = "the name of an input is wider than its place".to_owned();
                    return Err(Error::NoPlace { title: title.clone(), why });
                }
                OutColumn::Source | OutColumn::Faults | OutColumn::Compared => {}
                column => self.carving.set_place(*column, most),
            }
        }
        (self.used, self.checks, self.places) = (self.carving.used_columns(), checks(&self.carving), Some(places));
        Ok(self)
    }

    /// Where the columns of an output of fixed-width text are.
    pub fn widths(&self) -> Option<Widths> {
        self.places.as_ref().map(|places| fixed_width::widths_of(&self.shape.titles, places))
    }

    /// Rows in which a text is wider than its place, as the report of a run counts them.
    pub fn too_wide(&self, report: &Report) -> u64 {
        self.carving.place_checks().map(|check| report.checks[check].count).sum()
    }

    /// The pieces that are written, by their indices.
    pub fn written(&self) -> &[usize] {
        &self.written
    }

    /// The job, with its pieces observed, which gives hints after the run.
    pub fn with_diagnostics(mut self, diagnostics: Diagnostics) -> Job {
        self.diagnostics = diagnostics;
        self
    }

    /// The job, with the first `samples` rows that do not meet a check kept to be shown, of each check.
    pub fn with_samples_of_each(mut self, samples: usize) -> Job {
        self.samples_of_each = samples;
        self
    }

    /// The job, with the first `samples` rows that have faults kept to be shown.
    pub fn with_samples(mut self, samples: usize) -> Job {
        self.samples = samples;
        self
    }

    /// The job, with the texts counted that do not meet a check.
    pub fn with_failing(mut self) -> Job {
        self.counts_failing = true;
        self
    }

    /// The job, with nothing written of its rows.
    pub fn without_rows(mut self) -> Job {
        self.shape.is_written = false;
        self.written.clear();
        self
    }

    /// The job, worked on by `threads` threads. What comes out is the same, whatever their number.
    pub fn with_threads(mut self, threads: usize) -> Job {
        self.threads = threads.max(1);
        self
    }

    /// The job, with what is said of how rows are written down, and of how those are that are set aside.
    pub fn with_formats(mut self, rows: Named, aside: Named) -> Job {
        (self.named, self.named_aside) = (rows, aside);
        self
    }

    /// The job, with a column of this title in its output that names the input of each row, after the first `originals` columns.
    pub fn with_source_column(mut self, title: &str, originals: usize) -> Job {
        self.shape.insert(originals, OutColumn::Source, title);
        self
    }

    /// The job, with a column of this title after all others: [`OutColumn::Faults`] or [`OutColumn::Compared`].
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

    /// How the table is written down, as the encoder is told it: where all rows of files of Parquet become rows of another, in their order,
    /// the columns that they had are copied as they are.
    fn format(&self, table: &Table, sets_aside: bool) -> Format {
        let keeps_rows = self.carving.keeps_every_row() && self.shape.rows_piece.is_none() && !sets_aside;
        let is_parquet = self.named.kind == Some(Kind::Parquet) && self.shape.is_written && self.preview == 0;
        match table.plain_files().filter(|_| keeps_rows && is_parquet) {
            Some(files) => table.format.copied(files),
            None => table.format.clone(),
        }
    }

    /// The columns whose values are asked for, and those of them whose cells are written as they are shown, where rows may be set aside.
    fn needs(&self, format: &Format, sets_aside: bool) -> (Vec<usize>, Vec<usize>) {
        let original = |column: &OutColumn| if let OutColumn::Original(column) = column { Some(*column) } else { None };
        let are_values = self.shape.is_written && !format.is_copied();
        let originals = if are_values { self.shape.columns.iter().filter_map(original).collect() } else { Vec::new() };
        let all: Vec<usize> = if sets_aside { (0..self.table_columns).collect() } else { Vec::new() };
        let needed = table::in_order(&[&self.used[..], &originals, &all].concat());
        let shown = if self.preview > 0 || !self.named.is_columnar() { originals } else { Vec::new() };
        let aside = if self.named_aside.is_columnar() { Vec::new() } else { all };
        (needed, table::in_order(&[shown, aside].concat()))
    }

    /// Every check of the run; the last is that a row has as many cells as there are columns.
    pub fn checks(&self) -> &[CheckName] {
        &self.checks
    }

    /// The pieces.
    pub fn carving(&self) -> &Carving {
        &self.carving
    }

    /// The columns of the output.
    pub fn columns(&self) -> &[OutColumn] {
        &self.shape.columns
    }

    /// What the columns of the output are called.
    pub fn titles(&self) -> &[String] {
        &self.shape.titles
    }
}

/// The checks of the pieces, and that of the rows themselves.
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

/// The bytes that the Parquet writer takes for each column of a row group, whatever its values, as measured.
const PARQUET_COLUMN: usize = 16 << 10;

/// Carves the table and writes it to `outs`.
///
/// # Errors
/// Where the table cannot be read to its end, or an output cannot be written.
pub fn carve(table: &mut Table, job: &Job, outs: &mut Outs) -> Result<Report, Error> {
    let format = job.format(table, outs.offcuts.is_some());
    let columns = (&table.header, table.types.as_slice());
    let encoder = encoder(&format, (job.named, job.text_options, job.places.as_ref()), columns, &job.shape)?;
    // What writes no row that is set aside needs to know nothing of them.
    let named_aside = if outs.offcuts.is_some() { job.named_aside } else { Named::default() };
    let aside = aside(&table.format, named_aside, columns)?;
    let (encoder, aside) = (&*encoder, &*aside);
    let (meter, limits) = (table.shared_meter(), table.limits(job.threads));
    let (out_columns, limit) = (job.shape.titles.len(), limits.memory());
    if job.named.kind == Some(Kind::Parquet) && out_columns.saturating_mul(PARQUET_COLUMN) > limit {
        return Err(Error::ParquetTooWide { columns: out_columns, limit });
    }
    let ragged = table.ragged();
    let asked = Asked {
        offcuts: outs.offcuts.is_some(),
        faults: outs.faults.is_some(),
        cells: job.shape.columns.contains(&OutColumn::Faults),
        compared: job.shape.columns.contains(&OutColumn::Compared),
    };
    let inputs = table.inputs.clone();
    let (needed, cells) = job.needs(&format, outs.offcuts.is_some());
    table.need(&needed);
    let has_head = |named: Named| !(table.is_continued() && named.can_be_joined(&table.format));
    let heads = (has_head(job.named), has_head(job.named_aside));
    let mut merger = Merger::new(job, outs, (encoder, aside), inputs.clone(), heads)?;
    let turns = Turns::new(Before::within(limits.remembered()));
    // Values to compare others with are the first of a run: they are kept until there are enough of them, counted in order.
    let takes_samples = AtomicBool::new(true);
    // What was written is used again: memory that is new costs more than what is written to it.
    let spare = Mutex::new(Vec::<Part>::new());
    let worker = || {
        let mut worker = Worker::new(job, (encoder, aside), asked, (ragged, limits), (inputs.names(), &cells));
        let (meter, spare, turns, takes_samples) = (&meter, &spare, &turns, &takes_samples);
        move |number, of_table: table::Part, ahead: Ahead<Part>| {
            let mut part = pool::lock(spare).pop().unwrap_or_else(|| Part::new(job));
            part.input = of_table.input;
            part.diagnostics.take_samples(takes_samples.load(Ordering::Relaxed));
            worker.work(number, of_table, turns, &mut part, ahead)?;
            meter.add_rows(part.counts.rows);
            Ok(part)
        }
    };
    let put_together = |mut part: Part| {
        merger.take(&part)?;
        takes_samples.store(merger.lacks_samples(), Ordering::Relaxed);
        part.clear(job);
        let mut spare = pool::lock(&spare);
        // Parts that went ahead are more than are ever worked on.
        if spare.len() < job.threads {
            spare.push(part);
        }
        Ok(())
    };
    pool::in_order(job.threads, || table.next_part(), worker, put_together)?;
    Ok(Report { replaced: meter.replaced(), ..merger.finish()? })
}

/// The greatest number of results that each piece has in any row which fills as many columns as the data
/// needs. Reads the table to its end.
///
/// # Errors
/// Where the table cannot be read to its end.
pub fn measure(table: &mut Table, carving: &Carving) -> Result<Vec<(usize, usize)>, Error> {
    let mut most: Vec<(usize, usize)> = carving.auto_pieces().into_iter().map(|piece| (piece, 0)).collect();
    table.each_view(View::Pieces(carving), |_, batch, worked| {
        for (piece, most) in &mut most {
            let results = worked.piece(*piece);
            *most = (0..batch.rows).map(|row| results.items(row).len()).max().unwrap_or(0).max(*most);
        }
        ControlFlow::Continue(())
    })?;
    Ok(most)
}
