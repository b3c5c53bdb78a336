//! The main job: adding pieces to every row of a table.
//!
//! A table is read part by part. Each part is worked out by itself, on any thread; what came of the parts is put
//! together in their order, which is where rows get their numbers and are written.

mod header;
mod merge;
mod rows;
mod written;

use std::io::Write;
use std::ops::ControlFlow;
use std::sync::Mutex;

use keen_notch_core::carving::{Carving, CheckName, Fault, OutColumn, Workspace};
use keen_notch_core::column::Header;
use keen_notch_core::hints::{Hint, Watcher};
use keen_notch_core::program::State;
use keen_notch_core::sightings::Sightings;
use keen_notch_core::tally::Tally;

use crate::Error;
use crate::faults::FaultFile;
use crate::gather::Gathered;
use crate::output::Output;
use crate::pool;
use crate::record::Rooms;
use crate::table::Table;

use merge::Merger;
use rows::{Rows, Worked};

/// What is to be carved, and how it is written.
#[derive(Debug)]
pub struct Job {
    carving: Carving,
    used: Vec<usize>,
    columns: Vec<OutColumn>,
    /// The columns of the table that go into the output as they are.
    originals: Vec<usize>,
    titles: Vec<String>,
    layout: Layout,
    /// Whether all original columns go into the output, in their order.
    keeps_all: bool,
    checks: Vec<CheckName>,
    /// How many of the first output rows, and of the rows with faults, are kept to be shown.
    preview: usize,
    samples: usize,
    watcher: Watcher,
    threads: usize,
    /// Whether rows can go the short way.
    has_short_way: bool,
}

/// How an output row is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Layout {
    /// The raw row, and so many columns behind it.
    Appended(usize),
    /// Cell by cell.
    CellByCell,
    /// Not at all.
    Nothing,
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
    /// The first output rows, as many as the job asked for.
    pub preview: Vec<Vec<PreviewCell>>,
    /// The first rows with faults, as many as the job asked for.
    pub samples: Vec<FaultyRow>,
    /// What a person should know of the run, the most useful first.
    pub hints: Vec<Hint>,
}

/// A row with faults, to be shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FaultyRow {
    /// Its number, from 1.
    pub row: u64,
    /// The line it begins on.
    pub line: u64,
    /// What is wrong with it, with the value of the column each is about.
    pub faults: Vec<(Fault, String)>,
}

/// Where a run writes to.
pub struct Outs<'a> {
    /// The rows.
    pub rows: &'a mut (dyn Write + Send),
    /// What to call that in an error.
    pub name: String,
    /// Rows with faults, where they are set aside.
    pub offcuts: Option<&'a mut Output>,
    /// One line a fault, where that is asked for.
    pub faults: Option<FaultFile<'a>>,
}

/// A cell of an output row, to be shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PreviewCell {
    /// Its value.
    pub text: String,
    /// What became of it, where it is a piece's.
    pub state: Option<State>,
}

impl Job {
    /// A job on tables with these columns, of which `originals` go into the output, by their indices. The
    /// first `preview` rows of its output are kept to be shown.
    pub fn new(carving: Carving, header: &Header, originals: &[usize], preview: usize) -> Job {
        let columns = carving.out_columns(originals);
        let keeps_all = originals.iter().copied().eq(0..header.count());
        let kept = columns.iter().enumerate().take_while(|(index, column)| **column == OutColumn::Original(*index)).count();
        let appends = keeps_all && kept == header.count();
        Job {
            used: carving.used_columns(),
            titles: columns.iter().map(|column| carving.title(*column, header)).collect(),
            layout: if appends { Layout::Appended(columns.len() - kept) } else { Layout::CellByCell },
            originals: columns.iter().filter_map(|column| column.original()).collect(),
            columns,
            keeps_all,
            checks: checks(&carving),
            has_short_way: carving.has_short_way(),
            carving,
            preview,
            samples: 0,
            watcher: Watcher::default(),
            threads: 1,
        }
    }

    /// The same, with a watcher of its pieces, which gives hints after the run.
    pub fn with_watcher(mut self, watcher: Watcher) -> Job {
        self.watcher = watcher;
        self
    }

    /// The same, with the first `samples` rows that have faults kept to be shown.
    pub fn with_samples(mut self, samples: usize) -> Job {
        self.samples = samples;
        self
    }

    /// The same, with nothing written of its rows.
    pub fn without_rows(mut self) -> Job {
        self.layout = Layout::Nothing;
        self
    }

    /// The same, worked on by so many threads. What comes out is the same, whatever their number.
    pub fn with_threads(mut self, threads: usize) -> Job {
        self.threads = threads.max(1);
        self
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
        &self.columns
    }

    /// What the columns of the output are called.
    pub fn titles(&self) -> &[String] {
        &self.titles
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
    };
    carving.checks().into_iter().chain([cells]).collect()
}

/// Carves the table and writes it to `outs`, in its own format.
///
/// # Errors
/// Where the table cannot be read to its end, or an output cannot be written.
pub fn carve(table: &mut Table, job: &Job, outs: &mut Outs) -> Result<Report, Error> {
    let begin = header::Begin { job, delimiter: table.dialect.delimiter, preamble: table.preamble.clone() };
    let meter = table.shared_meter();
    let wanted = rows::Asked { offcuts: outs.offcuts.is_some(), faults: outs.faults.is_some() };
    let header = table.header.clone();
    let mut merger = Merger::new(job, outs, &begin, &header)?;
    // What must be known of the rows before is asked in their order: on one thread, with the rows' own numbers.
    if job.threads == 1 || job.carving.looks_back() {
        let mut rows = Rows::new(job, &begin, wanted);
        let (mut gathered, mut worked) = (Gathered::default(), Worked::new(job));
        while let Some(part) = table.next_part()? {
            rows.work(&part, merger.rows(), &mut gathered, &mut worked)?;
            meter.add_rows(worked.counts.rows);
            merger.take(&worked)?;
            worked.clear(job);
        }
    } else {
        // What was written is used again: room that is new costs more than what is written to it.
        let spare = Mutex::new(Vec::<Worked>::new());
        let worker = || {
            let (mut rows, mut gathered) = (Rows::new(job, &begin, wanted), Gathered::default());
            let (meter, spare) = (&meter, &spare);
            move |part| {
                let mut worked = pool::lock(spare).pop().unwrap_or_else(|| Worked::new(job));
                rows.work(&part, 0, &mut gathered, &mut worked)?;
                meter.add_rows(worked.counts.rows);
                Ok(worked)
            }
        };
        pool::in_order(
            job.threads,
            || table.next_part(),
            worker,
            |mut worked| {
                merger.take(&worked)?;
                worked.clear(job);
                pool::lock(&spare).push(worked);
                Ok(())
            },
        )?;
    }
    merger.finish()
}

/// The greatest number of results that each piece has in any row which fills as many columns as the data
/// needs. Reads the table to its end.
///
/// # Errors
/// Where the table cannot be read to its end.
pub fn measure(table: &mut Table, carving: &Carving) -> Result<Vec<(usize, usize)>, Error> {
    let mut most: Vec<(usize, usize)> = carving.auto_pieces().into_iter().map(|piece| (piece, 0)).collect();
    let used = carving.used_columns();
    let mut rooms = Rooms::default();
    let mut work = Workspace::default();
    table.each_row(|record, _| {
        used.iter().for_each(|column| record.prepare(*column, &mut rooms));
        carving.run(&|column| record.value(column, &rooms), false, &mut work);
        for (piece, most) in &mut most {
            *most = work.count(*piece).max(*most);
        }
        ControlFlow::Continue(())
    })?;
    Ok(most)
}
