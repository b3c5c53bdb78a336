//! The main job: adding pieces to every row of a table.

use std::io::{self, Write};
use std::ops::ControlFlow;

use keen_notch_core::column::Header;
use keen_notch_core::plan::{Plan, Scratch, State};
use keen_notch_core::tally::Tally;

use crate::Error;
use crate::record::{Record, push_cell};
use crate::table::{Line, Part, Preamble, Table};

/// What is to be carved.
#[derive(Debug)]
pub struct Job {
    /// The pieces, in the order of their columns.
    pub pieces: Vec<BoundPiece>,
    /// Whether the original columns are left out.
    pub only_pieces: bool,
    /// How many of the first rows are kept to be shown.
    pub preview: usize,
}

/// A piece whose column has been found.
#[derive(Debug)]
pub struct BoundPiece {
    /// The name of the new column.
    pub name: String,
    /// The column it comes from, by its index from 0.
    pub column: usize,
    /// How it is taken.
    pub plan: Plan,
}

/// What came of a run.
#[derive(Debug, Default)]
pub struct Report {
    /// Rows read, and written.
    pub rows: u64,
    /// The counts of each piece.
    pub tallies: Vec<Tally>,
    /// The first rows, as many as the job asked for.
    pub preview: Vec<PreviewRow>,
}

/// A row to be shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PreviewRow {
    /// The values of its original cells.
    pub cells: Vec<String>,
    /// The pieces and their states.
    pub pieces: Vec<(String, State)>,
}

/// Carves the table and writes it to `out`, in its own format. `name` is what to call `out` in an error.
///
/// # Errors
/// Where the table cannot be read to its end, or `out` cannot be written.
pub fn carve(table: &mut Table, job: &Job, out: &mut dyn Write, name: &str) -> Result<Report, Error> {
    let failed = |source: io::Error| Error::Write { name: name.to_owned(), source };
    let mut report = Report { tallies: vec![Tally::default(); job.pieces.len()], ..Report::default() };
    let mut carver = Carver { job, delimiter: table.dialect.delimiter, value: String::new(), scratch: Scratch::default() };
    let mut bytes = Vec::new();
    carver.header(&table.header, &table.preamble, &mut bytes);
    let mut ended = bytes.is_empty() || table.preamble.ended;
    while let Some(part) = table.next_part()? {
        carver.part(&part, &mut bytes, &mut report, &mut ended, &table.preamble.line_end)?;
        out.write_all(&bytes).map_err(failed)?;
        bytes.clear();
    }
    out.write_all(&bytes).map_err(failed)?;
    out.flush().map_err(failed)?;
    Ok(report)
}

struct Carver<'j> {
    job: &'j Job,
    delimiter: u8,
    value: String,
    scratch: Scratch,
}

impl Carver<'_> {
    fn header(&self, header: &Header, preamble: &Preamble, out: &mut Vec<u8>) {
        if preamble.byte_order_mark {
            out.extend_from_slice("\u{feff}".as_bytes());
        }
        if matches!(header, Header::Unnamed(_)) {
            return;
        }
        if !self.job.only_pieces {
            out.extend_from_slice(preamble.header.as_bytes());
        }
        for (index, piece) in self.job.pieces.iter().enumerate() {
            if index > 0 || !self.job.only_pieces {
                out.push(self.delimiter);
            }
            push_cell(out, &piece.name, self.delimiter);
        }
        if preamble.ended {
            out.extend_from_slice(preamble.line_end.as_bytes());
        }
    }

    fn part(
        &mut self,
        part: &Part,
        out: &mut Vec<u8>,
        report: &mut Report,
        ended: &mut bool,
        line_end: &str,
    ) -> Result<(), Error> {
        let _ = part.each_line(|line| {
            if !*ended {
                // The input before this one did not end in a line end.
                out.extend_from_slice(line_end.as_bytes());
            }
            match line {
                Line::Row(record) => {
                    self.row(&record, out, report);
                    out.extend_from_slice(record.line_end.as_bytes());
                    *ended = !record.line_end.is_empty();
                }
                Line::Blank(record) => {
                    if !self.job.only_pieces {
                        out.extend_from_slice(record.line_end.as_bytes());
                    }
                    *ended = true;
                }
            }
            ControlFlow::Continue(())
        })?;
        Ok(())
    }

    fn row(&mut self, record: &Record, out: &mut Vec<u8>, report: &mut Report) {
        let start = out.len();
        if !self.job.only_pieces {
            out.extend_from_slice(record.raw.as_bytes());
        }
        report.rows += 1;
        let mut preview = (report.preview.len() < self.job.preview).then(|| PreviewRow {
            cells: (0..record.count()).map(|index| record.value(index, &mut self.value).to_owned()).collect(),
            pieces: Vec::new(),
        });
        for (index, piece) in self.job.pieces.iter().enumerate() {
            let value = record.value(piece.column, &mut self.value);
            let cut = piece.plan.cut(value, &mut self.scratch);
            report.tallies[index].count(cut.state);
            if let Some(preview) = &mut preview {
                preview.pieces.push((cut.text.to_owned(), cut.state));
            }
            if index > 0 || !self.job.only_pieces {
                out.push(self.delimiter);
            }
            push_cell(out, cut.text, self.delimiter);
        }
        if self.job.only_pieces && out.len() == start {
            // A line with nothing on it would be no row to most readers.
            out.extend_from_slice(b"\"\"");
        }
        report.preview.extend(preview);
    }
}
