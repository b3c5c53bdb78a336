//! Runs of cut lists over tables in memory, with everything that they give.

use keen_notch_core::carving::{BindError, Carving};
use keen_notch_core::column::ColumnRef;
use keen_notch_core::cutlist::CutList;
use keen_notch_core::diagnostics::Diagnostics;
use keen_notch_core::program::Setting;
use keen_notch_core::summary::Part;
use keen_notch_core::widths::Widths;
use keen_notch_io::Error;
use keen_notch_io::carve::{Formulas, Job, Outs, Report, carve, measure};
use keen_notch_io::faults::FaultFile;
use keen_notch_io::formats::FileFormat;
use keen_notch_io::sink::{Sink, Stream};
use keen_notch_io::source::input::Input;
use keen_notch_io::source::{Ragged, Reading};
use keen_notch_io::table::Table;

/// How a run is done.
#[derive(Debug, Clone, Copy, Default)]
pub struct Way<'a> {
    /// How many bytes are read at a time; `None` leaves it to the reader.
    pub stride: Option<usize>,
    /// How many threads work.
    pub threads: usize,
    /// The columns that go into the output; all where none are said.
    pub originals: Option<&'a [usize]>,
    /// Whether texts that may be taken for formulas get an apostrophe.
    pub guards_formulas: bool,
    /// What is said of the output.
    pub to: FileFormat,
    /// The part of the rows that is read; all where none is said.
    pub part: Option<Part>,
}

/// What a run gives.
#[derive(Debug)]
pub struct Ran {
    /// What it says of itself, or why it ended.
    pub report: Result<Report, Error>,
    /// The output.
    pub rows: String,
    /// The rows that were set aside.
    pub offcuts: String,
    /// The faults.
    pub faults: String,
    /// Where the columns are of fixed-width text that was written.
    pub widths: Option<Widths>,
}

/// An input in memory.
pub fn input(name: &str, text: impl AsRef<[u8]>) -> Input {
    Input::Memory(name.to_owned(), text.as_ref().into())
}

/// Binds a list to a table. Pieces come from the first column unless the list says otherwise.
///
/// # Errors
/// Where the list does not go with the table.
pub fn bind(list: &CutList, table: &Table) -> Result<Carving, Box<BindError>> {
    let main = list.column.as_ref().map_or(ColumnRef::Number(1), |main| main.column.clone());
    Carving::new(&list.wanted, Some(&main), &Setting::new(list.unit), &table.header).map_err(Box::new)
}

/// Runs a list; none where it does not go with the table.
///
/// # Errors
/// Where the inputs are no table.
pub fn run(inputs: &[Input], list: &CutList, reading: &Reading, way: Way) -> Result<Option<Ran>, Error> {
    let mut table = Table::open(inputs, &Reading { stride: way.stride, ..reading.clone() })?;
    let Ok(mut carving) = bind(list, &table) else { return Ok(None) };
    if !carving.auto_pieces().is_empty() {
        for (piece, columns) in measure(&mut table, &carving)? {
            carving.set_columns(piece, columns);
        }
        if carving.doubled_title(&table.header).is_some() {
            return Ok(None);
        }
        table = Table::open(inputs, &Reading { stride: way.stride, ..reading.clone() })?;
    }
    if let Some(part) = way.part {
        table.take_part(part)?;
    }
    let header = table.header.clone();
    let all: Vec<usize> = (0..header.count()).collect();
    let job = Job::new(carving, &header, way.originals.unwrap_or(&all), 2)
        .with_samples(3)
        .with_diagnostics(Diagnostics::new(&list.wanted.pieces, &()))
        .with_formulas(if way.guards_formulas { Formulas::Guarded } else { Formulas::Counted })
        .with_formats(way.to, FileFormat::default())
        .with_threads(way.threads);
    let job = match way.to.kind {
        Some(kind) if kind.needs_positions => {
            // A place for each, one after the other.
            let place = |index: usize| format!("{} for 20", index * 21 + 1);
            let places: Vec<String> = (0..job.titles().len()).map(place).collect();
            let widths = Widths::parse(&places.join(", ")).expect("they are");
            job.with_places(&table.format, Some(&widths), &|_| None, &table.inputs)?
        }
        _ => job,
    };
    let widths = job.widths();
    let (mut rows, mut offcuts, mut faults) = (Vec::new(), Vec::new(), Vec::new());
    let report = {
        let [mut rows, mut offcuts, mut faults] =
            [&mut rows, &mut offcuts, &mut faults].map(|bytes: &mut Vec<u8>| Stream::new("memory", bytes));
        let faults = Some(FaultFile::new(&mut faults, FileFormat::default(), table.is_continued())?);
        let offcuts = if reading.ragged == Ragged::SetAside { Some(&mut offcuts as &mut dyn Sink) } else { None };
        carve(&mut table, &job, &mut Outs { rows: &mut rows, offcuts, faults, hashes: None })
    };
    let [rows, offcuts, faults] = [rows, offcuts, faults].map(|bytes| String::from_utf8(bytes).expect("all is text"));
    Ok(Some(Ran { report, rows, offcuts, faults, widths }))
}
