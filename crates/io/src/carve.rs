//! The main job: adding pieces to every row of a table.

use std::io::{self, Write};
use std::ops::ControlFlow;

use keen_notch_core::carving::{Carving, OutColumn, Workspace};
use keen_notch_core::column::Header;
use keen_notch_core::plan::State;
use keen_notch_core::tally::Tally;

use crate::Error;
use crate::record::{Record, Rooms, push_cell};
use crate::table::{Line, Part, Preamble, Table};

/// What is to be carved, and how it is written.
#[derive(Debug)]
pub struct Job {
    carving: Carving,
    used: Vec<usize>,
    columns: Vec<OutColumn>,
    titles: Vec<String>,
    layout: Layout,
    preview: usize,
}

/// How an output row is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Layout {
    /// The raw row, and so many columns behind it.
    Appended(usize),
    /// Cell by cell.
    CellByCell,
}

/// What came of a run.
#[derive(Debug, Default)]
pub struct Report {
    /// Rows read.
    pub rows: u64,
    /// Rows written: more, where a piece gets a row a result.
    pub rows_out: u64,
    /// The counts of each piece.
    pub tallies: Vec<Tally>,
    /// The first output rows, as many as the job asked for.
    pub preview: Vec<Vec<PreviewCell>>,
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
    /// A job on tables with these columns. The first `preview` rows of its output are kept to be shown.
    pub fn new(carving: Carving, header: &Header, only_pieces: bool, preview: usize) -> Job {
        let columns = carving.out_columns(header, only_pieces);
        let kept = columns.iter().enumerate().take_while(|(index, column)| **column == OutColumn::Original(*index)).count();
        let appends = !only_pieces && kept == header.count();
        Job {
            used: carving.used_columns(),
            titles: columns.iter().map(|column| carving.title(*column, header)).collect(),
            layout: if appends { Layout::Appended(columns.len() - kept) } else { Layout::CellByCell },
            columns,
            carving,
            preview,
        }
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

/// Carves the table and writes it to `out`, in its own format. `name` is what to call `out` in an error.
///
/// # Errors
/// Where the table cannot be read to its end, or `out` cannot be written.
pub fn carve(table: &mut Table, job: &Job, out: &mut dyn Write, name: &str) -> Result<Report, Error> {
    let failed = |source: io::Error| Error::Write { name: name.to_owned(), source };
    let mut report = Report { tallies: vec![Tally::default(); job.carving.count()], ..Report::default() };
    let mut carver = Carver {
        job,
        delimiter: table.dialect.delimiter,
        line_end: table.preamble.line_end.clone(),
        rooms: Rooms::default(),
        work: Workspace::default(),
        ended: true,
    };
    let mut bytes = Vec::new();
    carver.header(&table.header, &table.preamble, &mut bytes);
    while let Some(part) = table.next_part()? {
        carver.part(&part, &mut bytes, &mut report)?;
        out.write_all(&bytes).map_err(failed)?;
        bytes.clear();
    }
    out.write_all(&bytes).map_err(failed)?;
    out.flush().map_err(failed)?;
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

struct Carver<'j> {
    job: &'j Job,
    delimiter: u8,
    line_end: String,
    rooms: Rooms,
    work: Workspace,
    /// Whether what was written last ends in a line end.
    ended: bool,
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
                for (index, title) in self.job.titles.iter().enumerate() {
                    if index > 0 {
                        out.push(self.delimiter);
                    }
                    push_cell(out, title, self.delimiter);
                }
            }
        }
        self.ended = preamble.ended;
        if preamble.ended {
            out.extend_from_slice(preamble.line_end.as_bytes());
        }
    }

    fn part(&mut self, part: &Part, out: &mut Vec<u8>, report: &mut Report) -> Result<(), Error> {
        let _ = part.each_line(|line| {
            match line {
                Line::Row(record, _) => self.row(&record, out, report),
                // A line that is no row is kept where the lines are kept.
                Line::Blank(record) if matches!(self.job.layout, Layout::Appended(_)) => {
                    self.end_line(out);
                    out.extend_from_slice(record.line_end.as_bytes());
                }
                Line::Blank(_) => {}
            }
            ControlFlow::Continue(())
        })?;
        Ok(())
    }

    /// Ends the line before this one, if the input that it came from did not.
    fn end_line(&mut self, out: &mut Vec<u8>) {
        if !self.ended {
            out.extend_from_slice(self.line_end.as_bytes());
            self.ended = true;
        }
    }

    fn row(&mut self, record: &Record, out: &mut Vec<u8>, report: &mut Report) {
        for column in &self.job.used {
            record.prepare(*column, &mut self.rooms);
        }
        let carving = &self.job.carving;
        carving.run(&|column| record.value(column, &self.rooms), &mut self.work);
        carving.count_row(&|column| record.value(column, &self.rooms), &self.work, &mut report.tallies);
        let copies = carving.rows_piece().map_or(1, |piece| self.work.count(piece).max(1));
        for copy in 0..copies {
            self.end_line(out);
            self.row_copy(record, copy, out);
            if report.preview.len() < self.job.preview {
                report.preview.push(self.preview(record, copy));
            }
            out.extend_from_slice(record.line_end.as_bytes());
            self.ended = !record.line_end.is_empty();
        }
        report.rows += 1;
        report.rows_out += copies as u64;
    }

    /// Writes the row, with the result `copy` of the piece that gets a row a result.
    fn row_copy(&self, record: &Record, copy: usize, out: &mut Vec<u8>) {
        let start = out.len();
        let columns = match self.job.layout {
            Layout::Appended(count) => {
                out.extend_from_slice(record.raw.as_bytes());
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
