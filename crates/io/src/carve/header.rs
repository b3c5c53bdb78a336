//! What an output begins with.

use keen_notch_core::carving::OutColumn;
use keen_notch_core::column::Header;
use keen_notch_core::text::buffer::Buffer;

use super::{Job, Layout};
use crate::record::{Cells, Record, push_cell};
use crate::table::Preamble;

/// What is known before the first row.
pub struct Begin<'j> {
    /// The job.
    pub job: &'j Job,
    /// What stands between two cells.
    pub delimiter: u8,
    /// What stands before the first row of the table.
    pub preamble: Preamble,
}

impl Begin<'_> {
    /// The header of the output. Whether it ends in a line end.
    pub fn header(&self, header: &Header, out: &mut Buffer) -> bool {
        let Begin { job, delimiter, preamble } = self;
        if preamble.byte_order_mark && job.layout != Layout::Nothing {
            out.extend("\u{feff}".as_bytes());
        }
        if matches!(header, Header::Unnamed(_)) {
            return true;
        }
        match job.layout {
            Layout::Nothing => return true,
            Layout::Appended(count) => {
                out.extend(preamble.header.as_bytes());
                for title in &job.titles[job.titles.len() - count..] {
                    out.push(*delimiter);
                    push_cell(out, title.as_bytes(), *delimiter);
                }
            }
            Layout::CellByCell => {
                let mut cells = Cells::default();
                let record = Record::read(preamble.header_row(), 0, *delimiter, &mut cells);
                for (index, (column, title)) in job.columns.iter().zip(&job.titles).enumerate() {
                    if index > 0 {
                        out.push(*delimiter);
                    }
                    match column {
                        OutColumn::Original(index) => out.extend(record.raw_cell(*index).as_bytes()),
                        OutColumn::Piece { .. } => push_cell(out, title.as_bytes(), *delimiter),
                    }
                }
            }
        }
        if preamble.ended {
            out.extend(preamble.line_end.as_bytes());
        }
        preamble.ended
    }

    /// The header of the rows that are set aside: the table's own, and a column that says why.
    pub fn offcuts_header(&self, header: &Header, out: &mut Buffer) {
        let Header::Names(names) = header else { return };
        let why = ["why", "why_set_aside", "keen_notch_why"].into_iter().find(|name| !names.iter().any(|taken| taken == name));
        out.extend(self.preamble.header_row().as_bytes());
        out.push(self.delimiter);
        push_cell(out, why.unwrap_or("why").as_bytes(), self.delimiter);
        out.extend(self.preamble.line_end.as_bytes());
    }
}
