//! Writing the rows that went the short way.

use keen_notch_core::carving::{Batch, OutColumn};
use keen_notch_core::program::Made;
use keen_notch_core::text::buffer::Buffer;
use keen_notch_core::text::simd::Span;

use super::{Job, Layout};
use crate::gather::{Gathered, Row};
use crate::record::push_cell;

/// What is written of rows that go together.
pub struct Written<'b> {
    /// The part that the rows stand in.
    text: &'b [u8],
    delimiter: u8,
    columns: Vec<Column<'b>>,
    /// Whether anything is.
    is_written: bool,
    /// Whether there is one column only.
    is_alone: bool,
    /// Whether the columns stand behind the row as it is.
    is_appended: bool,
    /// Whether results need quotes only where their values have some.
    is_plain: bool,
    /// The bytes that all rows take at most, where no cell needs quotes.
    most: usize,
}

/// A column of the output: its cells by row, and the bytes that they stand in.
struct Column<'b> {
    source: &'b [u8],
    spans: &'b [Span],
    /// Whether they are results, and not cells of the table as they stand.
    is_piece: bool,
}

impl<'b> Written<'b> {
    /// What is written of the rows that were gathered from the part `text`, and of what came of them.
    pub fn new(job: &Job, delimiter: u8, gathered: &'b Gathered, text: &'b str, batch: &'b Batch) -> Written<'b> {
        let (columns, is_appended) = match job.layout {
            Layout::Appended(count) => (&job.columns[job.columns.len() - count..], true),
            Layout::CellByCell => (&job.columns[..], false),
            Layout::Nothing => (&[][..], false),
        };
        let is_special = |byte: u8| byte == delimiter || matches!(byte, b'"' | b'\n' | b'\r');
        // A delimiter may be a letter, and come to be in another case.
        let needs_no_quotes = |made: Made| match made {
            Made::Parts => true,
            Made::Changed(added) => !delimiter.is_ascii_alphabetic() && !added.is_some_and(is_special),
            Made::Anew => false,
        };
        // A line with nothing on it needs quotes too.
        let is_alone = job.columns.len() == 1;
        let mut is_plain = !is_alone;
        let column = |column: &OutColumn| match column {
            OutColumn::Original(column) => Column { source: text.as_bytes(), spans: gathered.cells(*column), is_piece: false },
            OutColumn::Piece { piece, .. } => {
                let results = &batch.pieces()[*piece];
                is_plain &= needs_no_quotes(results.made());
                Column { source: results.source(text.as_bytes()), spans: results.spans(), is_piece: true }
            }
        };
        let columns: Vec<Column> = columns.iter().map(column).collect();
        let raw = gathered.width();
        // The cells of a column do not overlap: together they are no longer than what they stand in, which has less
        // than 4 GiB.
        let wide = |column: &Column| column.spans.iter().fold(0, |sum: u32, span| sum + (span.end - span.start));
        let cells = columns.iter().map(|column| wide(column) as usize + column.spans.len()).sum::<usize>();
        let (text, is_written) = (text.as_bytes(), job.layout != Layout::Nothing);
        Written { text, delimiter, columns, is_written, is_alone, is_appended, is_plain, most: raw + cells }
    }

    /// Writes some of the rows, the first of which has this index among them.
    pub fn write(&self, rows: &[Row], first: usize, out: &mut Buffer) {
        if !self.is_written {
            return;
        }
        let mut first = first;
        for rows in rows.chunk_by(|row, next| row.has_quotes == next.has_quotes) {
            if self.is_plain && !rows.iter().any(|row| row.has_quotes) {
                self.write_plainly(rows, first, out);
            } else {
                (first..).zip(rows).for_each(|(index, row)| self.write_carefully(row, index, out));
            }
            first += rows.len();
        }
    }

    /// Writes rows none of whose values has quotes, where no result needs any.
    // Compiled by itself: what its loops need then stays in registers.
    #[inline(never)]
    fn write_plainly(&self, rows: &[Row], first: usize, out: &mut Buffer) {
        let mut writer = out.writer(self.most);
        let (before, behind) =
            if self.is_appended { (&[][..], &self.columns[..]) } else { self.columns.split_at(self.columns.len().min(1)) };
        for (index, row) in (first..).zip(rows) {
            if self.is_appended {
                writer.extend(row.raw.bytes(self.text));
            }
            for column in before {
                writer.extend(column.spans[index].bytes(column.source));
            }
            for column in behind {
                writer.cell(self.delimiter, column.source, column.spans[index]);
            }
            writer.line_end(row.line_end().bytes(self.text));
        }
        writer.finish();
    }

    /// Writes a row of which results may need quotes.
    fn write_carefully(&self, row: &Row, index: usize, out: &mut Buffer) {
        let start = out.width();
        if self.is_appended {
            out.extend(row.raw.bytes(self.text));
        }
        for (place, column) in self.columns.iter().enumerate() {
            if self.is_appended || place > 0 {
                out.push(self.delimiter);
            }
            if column.is_piece {
                push_cell(out, column.spans[index].bytes(column.source), self.delimiter);
            } else {
                out.extend(column.spans[index].bytes(column.source));
            }
        }
        if self.is_alone && out.width() == start {
            // A line with nothing on it would be no row to most readers.
            out.extend(b"\"\"");
        }
        out.extend(row.line_end().bytes(self.text));
    }
}
