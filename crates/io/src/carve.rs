//! The main job: adding pieces to every row of a table.

use std::io::{self, Write};
use std::ops::ControlFlow;

use keen_notch_core::carving::{Carving, CheckName, Fault, Memory, OutColumn, Workspace};
use keen_notch_core::check::{Misfit, MisfitKind};
use keen_notch_core::column::Header;
use keen_notch_core::hints::{Hint, Watcher};
use keen_notch_core::plan::State;
use keen_notch_core::sightings::Sightings;
use keen_notch_core::tally::Tally;

use crate::Error;
use crate::faults::FaultFile;
use crate::output::Output;
use crate::record::{Cells, Record, Rooms, push_cell};
use crate::table::{Line, Part, Preamble, Ragged, Table};

/// What is to be carved, and how it is written.
#[derive(Debug)]
pub struct Job {
    carving: Carving,
    used: Vec<usize>,
    columns: Vec<OutColumn>,
    titles: Vec<String>,
    layout: Layout,
    /// Whether all original columns go into the output, in their order.
    keeps_all: bool,
    checks: Vec<CheckName>,
    /// How many of the first output rows, and of the rows with faults, are kept to be shown.
    preview: usize,
    samples: usize,
    watcher: Watcher,
}

/// How an output row is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Layout {
    /// The raw row, and so many columns behind it.
    Appended(usize),
    /// Cell by cell.
    CellByCell,
}

/// What came of a run. Rows read are those written, those set aside and those left out.
#[derive(Debug, Default)]
pub struct Report {
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
    /// The counts of each piece.
    pub tallies: Vec<Tally>,
    /// The counts of each check, in the order of [`Job::checks`].
    pub checks: Vec<CheckTally>,
    /// The first output rows, as many as the job asked for.
    pub preview: Vec<Vec<PreviewCell>>,
    /// The first rows with faults, as many as the job asked for.
    pub samples: Vec<FaultyRow>,
    /// What a person should know of the run, the most useful first.
    pub hints: Vec<Hint>,
}

/// The counts of one check.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct CheckTally {
    /// Rows that did not meet it.
    pub rows: u64,
    /// The first of them, by their numbers.
    pub first: Vec<u64>,
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

/// How many rows of a check are remembered by their numbers.
const FIRST_ROWS: usize = 5;

/// Where a run writes to.
pub struct Outs<'a> {
    /// The rows.
    pub rows: &'a mut dyn Write,
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
            columns,
            keeps_all,
            checks: checks(&carving),
            carving,
            preview,
            samples: 0,
            watcher: Watcher::default(),
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
    let name = outs.name.clone();
    let failed = |source: io::Error| Error::Write { name: name.clone(), source };
    let mut report = Report {
        tallies: vec![Tally::default(); job.carving.count()],
        checks: vec![CheckTally::default(); job.checks.len()],
        ..Report::default()
    };
    let mut carver = Carver {
        job,
        delimiter: table.dialect.delimiter,
        line_end: table.preamble.line_end.clone(),
        rooms: Rooms::default(),
        work: Workspace::default(),
        memory: Memory::default(),
        found: Vec::new(),
        ended: true,
        counted: (0, 0),
        watcher: job.watcher.clone(),
    };
    let mut bytes = Vec::new();
    let mut aside = Vec::new();
    carver.header(&table.header, &table.preamble, &mut bytes);
    if outs.offcuts.is_some() {
        carver.offcuts_header(&table.header, &table.preamble, &mut aside);
    }
    while let Some(part) = table.next_part()? {
        let before = report.rows;
        carver.part(&part, &mut bytes, &mut aside, outs, &mut report)?;
        table.meter().add_rows(report.rows - before);
        outs.rows.write_all(&bytes).map_err(failed)?;
        bytes.clear();
        if let Some(offcuts) = &mut outs.offcuts {
            offcuts.put(&aside)?;
        }
        aside.clear();
    }
    outs.rows.write_all(&bytes).map_err(failed)?;
    outs.rows.flush().map_err(failed)?;
    let checks = job.checks.iter().zip(&report.checks);
    let checks: Vec<_> = checks
        .map(|(check, tally)| {
            (check.of.clone(), check.words.clone(), Sightings { count: tally.rows, rows: tally.first.clone() })
        })
        .collect();
    report.hints = carver.watcher.hints(report.rows, &checks);
    Ok(report)
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
        carving.run(&|column| record.value(column, &rooms), &mut work);
        for (piece, most) in &mut most {
            *most = work.count(*piece).max(*most);
        }
        ControlFlow::Continue(())
    })?;
    Ok(most)
}

/// The fault of a row with another number of cells than there are columns.
fn ragged(record: &Record, part: &Part, job: &Job) -> Fault {
    let detail = format!("it has {} cells, not {}", record.count(), part.columns());
    let misfit = Misfit::new(MisfitKind::Ragged, detail);
    Fault { check: job.checks.len() - 1, result: String::new(), place: None, misfit }
}

struct Carver<'j> {
    job: &'j Job,
    delimiter: u8,
    line_end: String,
    rooms: Rooms,
    work: Workspace,
    memory: Memory,
    /// What is wrong with the row at hand.
    found: Vec<Fault>,
    /// Whether what was written last ends in a line end.
    ended: bool,
    /// The byte of the part at hand up to which lines were counted, and the line there.
    counted: (usize, u64),
    watcher: Watcher,
}

impl Carver<'_> {
    fn header(&mut self, header: &Header, preamble: &Preamble, out: &mut Vec<u8>) {
        if preamble.byte_order_mark {
            out.extend_from_slice("\u{feff}".as_bytes());
        }
        if matches!(header, Header::Unnamed(_)) {
            return;
        }
        match self.job.layout {
            Layout::Appended(count) => {
                out.extend_from_slice(preamble.header.as_bytes());
                for title in &self.job.titles[self.job.titles.len() - count..] {
                    out.push(self.delimiter);
                    push_cell(out, title, self.delimiter);
                }
            }
            Layout::CellByCell => {
                let mut cells = Cells::default();
                let record = Record::read(preamble.header_row(), 0, self.delimiter, &mut cells);
                for (index, (column, title)) in self.job.columns.iter().zip(&self.job.titles).enumerate() {
                    if index > 0 {
                        out.push(self.delimiter);
                    }
                    match column {
                        OutColumn::Original(index) => out.extend_from_slice(record.raw_cell(*index).as_bytes()),
                        OutColumn::Piece { .. } => push_cell(out, title, self.delimiter),
                    }
                }
            }
        }
        self.ended = preamble.ended;
        if preamble.ended {
            out.extend_from_slice(preamble.line_end.as_bytes());
        }
    }

    /// The header of the rows that are set aside: the table's own, and a column that says why.
    fn offcuts_header(&self, header: &Header, preamble: &Preamble, out: &mut Vec<u8>) {
        let Header::Names(names) = header else { return };
        let why = ["why", "why_set_aside", "keen_notch_why"].into_iter().find(|name| !names.iter().any(|taken| taken == name));
        out.extend_from_slice(preamble.header_row().as_bytes());
        out.push(self.delimiter);
        push_cell(out, why.unwrap_or("why"), self.delimiter);
        out.extend_from_slice(preamble.line_end.as_bytes());
    }

    fn part(
        &mut self,
        part: &Part,
        out: &mut Vec<u8>,
        aside: &mut Vec<u8>,
        outs: &mut Outs,
        report: &mut Report,
    ) -> Result<(), Error> {
        self.counted = (0, part.line(0));
        let mut failed = Ok(());
        let _ = part.each_line(|line| {
            match line {
                Line::Row(record, at) | Line::Ragged(record, at) => {
                    failed = self.row(&record, part, at, out, aside, outs, report);
                }
                // A line that is no row is kept where the lines are kept.
                Line::Blank(record) if matches!(self.job.layout, Layout::Appended(_)) => {
                    self.end_line(out);
                    out.extend_from_slice(record.line_end.as_bytes());
                }
                Line::Blank(_) => {}
            }
            if failed.is_ok() { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
        })?;
        failed
    }

    /// Ends the line before this one, if the input that it came from did not.
    fn end_line(&mut self, out: &mut Vec<u8>) {
        if !self.ended {
            out.extend_from_slice(self.line_end.as_bytes());
            self.ended = true;
        }
    }

    #[expect(clippy::too_many_arguments, reason = "a row meets everything that a run has")]
    fn row(
        &mut self,
        record: &Record,
        part: &Part,
        at: usize,
        out: &mut Vec<u8>,
        aside: &mut Vec<u8>,
        outs: &mut Outs,
        report: &mut Report,
    ) -> Result<(), Error> {
        report.rows += 1;
        for column in &self.job.used {
            record.prepare(*column, &mut self.rooms);
        }
        let carving = &self.job.carving;
        self.found.clear();
        let is_ragged = record.count() != part.columns();
        if is_ragged && part.ragged() == Ragged::SetAside {
            self.found.push(ragged(record, part, self.job));
        } else {
            carving.run(&|column| record.value(column, &self.rooms), &mut self.work);
            if !carving.keeps(&|column| record.value(column, &self.rooms), &self.work, report.rows, &mut self.memory) {
                report.left_out += 1;
                return Ok(());
            }
            let value = |column| record.value(column, &self.rooms);
            for piece in 0..self.watcher.count() {
                if let Some(column) = carving.column(piece) {
                    let text = carving.text(piece, 0, &value, &self.work);
                    self.watcher.see(piece, report.rows, value(column), text, self.work.state(piece));
                }
            }
            let value = |column| record.value(column, &self.rooms);
            carving.judge(&value, &mut self.work, report.rows, &mut self.memory, &mut report.tallies, &mut self.found);
            if is_ragged {
                self.found.push(ragged(record, part, self.job));
            }
        }
        for fault in self.found.iter().filter(|fault| fault.misfit.kind == MisfitKind::WrongLayout) {
            self.watcher.see_layout(report.rows, &fault.result, &fault.misfit);
        }
        if !self.found.is_empty() {
            let line = self.line(part, at);
            self.report_faults(record, line, outs, report)?;
            let is_faulty = self.found.iter().any(|fault| !self.job.checks[fault.check].only_warns);
            report.faulty += u64::from(is_faulty);
            if is_faulty && outs.offcuts.is_some() {
                report.set_aside += 1;
                self.set_aside(record, aside);
                return Ok(());
            }
        }
        let copies = carving.rows_piece().map_or(1, |piece| self.work.count(piece).max(1));
        for copy in 0..copies {
            self.end_line(out);
            self.row_copy(record, part.columns(), copy, out);
            if report.preview.len() < self.job.preview {
                report.preview.push(self.preview(record, copy));
            }
            out.extend_from_slice(record.line_end.as_bytes());
            self.ended = !record.line_end.is_empty();
        }
        report.rows_kept += 1;
        report.rows_out += copies as u64;
        Ok(())
    }

    /// The line that byte `at` of the part is on; bytes are asked for from left to right.
    fn line(&mut self, part: &Part, at: usize) -> u64 {
        let (from, line) = self.counted;
        self.counted = (at, line + crate::block::lines(&part.bytes()[from..at]));
        self.counted.1
    }

    /// Counts the faults of the row at hand, and writes them down.
    fn report_faults(&self, record: &Record, line: u64, outs: &mut Outs, report: &mut Report) -> Result<(), Error> {
        let mut last = None;
        for fault in &self.found {
            let tally = &mut report.checks[fault.check];
            if last.replace(fault.check) != Some(fault.check) {
                tally.rows += 1;
                if tally.first.len() < FIRST_ROWS {
                    tally.first.push(report.rows);
                }
            }
            if let Some(file) = &mut outs.faults {
                let check = &self.job.checks[fault.check];
                file.write(report.rows, line, check, fault, &self.value_of(record, check))?;
            }
        }
        if report.samples.len() < self.job.samples {
            let faults = self.found.iter().map(|fault| (fault.clone(), self.value_of(record, &self.job.checks[fault.check])));
            report.samples.push(FaultyRow { row: report.rows, line, faults: faults.collect() });
        }
        Ok(())
    }

    /// The value of the column that a check is about; the whole row where it is about no column.
    fn value_of(&self, record: &Record, check: &CheckName) -> String {
        check.column.map_or_else(|| record.raw.to_owned(), |column| record.owned_value(column))
    }

    /// Writes the row as it is, and why it is set aside.
    fn set_aside(&self, record: &Record, aside: &mut Vec<u8>) {
        aside.extend_from_slice(record.raw.as_bytes());
        aside.push(self.delimiter);
        let faults = self.found.iter().filter(|fault| !self.job.checks[fault.check].only_warns);
        let why = faults.map(|fault| format!("{}: {}", self.job.checks[fault.check].of, fault.misfit.detail));
        push_cell(aside, &why.collect::<Vec<_>>().join("; "), self.delimiter);
        aside.extend_from_slice(if record.line_end.is_empty() { &self.line_end } else { record.line_end }.as_bytes());
    }

    /// Writes the row, with the result `copy` of the piece that gets a row a result.
    fn row_copy(&self, record: &Record, table_columns: usize, copy: usize, out: &mut Vec<u8>) {
        let start = out.len();
        let columns = match self.job.layout {
            Layout::Appended(count) => {
                out.extend_from_slice(record.raw.as_bytes());
                // A row that is too short is filled up, so that the pieces stand in their columns.
                out.extend(std::iter::repeat_n(self.delimiter, table_columns.saturating_sub(record.count())));
                &self.job.columns[self.job.columns.len() - count..]
            }
            Layout::CellByCell => &self.job.columns,
        };
        for (index, column) in columns.iter().enumerate() {
            if index > 0 || matches!(self.job.layout, Layout::Appended(_)) {
                out.push(self.delimiter);
            }
            match column {
                OutColumn::Original(index) => out.extend_from_slice(record.raw_cell(*index).as_bytes()),
                OutColumn::Piece { piece, result } => {
                    push_cell(out, self.piece_text(record, *piece, *result, copy), self.delimiter)
                }
            }
        }
        if self.job.layout == Layout::CellByCell && self.job.keeps_all {
            // Cells beyond the last column have no place, but must not be lost.
            for index in table_columns..record.count() {
                out.push(self.delimiter);
                out.extend_from_slice(record.raw_cell(index).as_bytes());
            }
        }
        if self.job.columns.len() == 1 && out.len() == start {
            // A line with nothing on it would be no row to most readers.
            out.extend_from_slice(b"\"\"");
        }
    }

    fn piece_text<'a>(&'a self, record: &Record<'a>, piece: usize, result: usize, copy: usize) -> &'a str {
        let carving = &self.job.carving;
        let result = if carving.rows_piece() == Some(piece) { copy } else { result };
        carving.text(piece, result, &|column| record.value(column, &self.rooms), &self.work)
    }

    fn preview(&self, record: &Record, copy: usize) -> Vec<PreviewCell> {
        let cell = |column: &OutColumn| match column {
            OutColumn::Original(index) => PreviewCell { text: record.owned_value(*index), state: None },
            OutColumn::Piece { piece, result } => {
                let text = self.piece_text(record, *piece, *result, copy).to_owned();
                PreviewCell { text, state: Some(self.work.state(*piece)) }
            }
        };
        self.job.columns.iter().map(cell).collect()
    }
}
