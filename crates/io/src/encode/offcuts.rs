//! Encoders of offcuts: rows as they were read, with the reason.

use keen_notch_core::batch::Buffer;
use keen_notch_core::column::Header;
use keen_notch_core::text::characters;

use super::cell::{push_cell, push_quoted};
use super::{Extend, Out};
use super::{json_lines, workbook};
use crate::Error;
use crate::cells::Record;
use crate::formats::{FileFormat, Kind};
use crate::source::delimited::Preamble;
use crate::source::fixed_width::Layout;
use crate::source::json_lines::Style;
use crate::source::types::ObservedTypes;
use crate::source::{Chunk, Format};

/// Titles of the reason column, for tables that already have such a column.
const TITLES: [&str; 3] = ["why", "why_set_aside", "keen_notch_why"];

pub trait OffcutEncoder: Send + Sync {
    fn begin(&self, out: &mut Buffer);

    fn write(&self, chunk: &dyn Chunk, text: &str, row: usize, why: &str, out: &mut Out);

    fn end_chunk(&self, _chunk: &dyn Chunk, _out: &mut Out) -> Result<(), Error> {
        Ok(())
    }
}

/// Selects the encoder for offcuts of a table.
///
/// # Errors
/// Fixed-width offcuts of a table in another format.
pub fn offcut_encoder(
    format: &Format,
    named: FileFormat,
    (header, types): (&Header, &[ObservedTypes]),
) -> Result<Box<dyn OffcutEncoder>, Error> {
    let is_taken = |title: &&str| matches!(header, Header::Names(names) if names.iter().any(|name| name == title));
    let title = TITLES.into_iter().find(|title| !is_taken(title)).unwrap_or(TITLES[0]);
    let header = header.clone();
    Ok(match (named.kind, format) {
        (None | Some(Kind::Delimited(_)), Format::Delimited { dialect, preamble })
            if named.other_delimiter(dialect.delimiter).is_none() =>
        {
            Box::new(AsRead { delimiter: dialect.delimiter, preamble: preamble.clone(), header, title })
        }
        (Some(Kind::Workbook), _) => {
            let sheet = if let Format::Workbook { sheet, .. } = format { Some(sheet.clone()) } else { None };
            Box::new(Sheet { sheet, header, title })
        }
        #[cfg(feature = "columnar")]
        (Some(kind @ (Kind::Parquet | Kind::Arrow(_))), _) => {
            Box::new(super::columnar::OffcutColumns::new(kind, format, types, &header, title)?)
        }
        (Some(Kind::Database), _) => Box::new(super::database::OffcutTable::new(format, types, &header, title)),
        #[cfg(not(feature = "columnar"))]
        (Some(kind @ (Kind::Parquet | Kind::Arrow(_))), _) => return Err(super::not_in_build(kind, types)),
        (Some(Kind::Delimited(_) | Kind::OtherWorkbook), _)
        | (None, Format::Delimited { .. } | Format::Workbook { .. } | Format::Columnar(_) | Format::Database(_)) => {
            Box::new(Cells { delimiter: named.delimiter().unwrap_or(b','), header, title })
        }
        (None | Some(Kind::FixedWidth), Format::FixedWidth(layout)) => Box::new(Lines { layout: layout.clone(), title }),
        (Some(Kind::FixedWidth), _) => {
            let why = "the input has no positions for its columns".to_owned();
            return Err(Error::NoPlace { title: title.to_owned(), why });
        }
        (Some(Kind::JsonLines | Kind::Foreign(_)), _) | (None, Format::JsonLines(_)) => {
            let style = if let Format::JsonLines(style) = format { Some(*style) } else { None };
            Box::new(Objects { style, header, title })
        }
    })
}

struct Lines {
    layout: Layout,
    title: &'static str,
}

impl Lines {
    fn line(&self, line: &str, why: &str, out: &mut impl Extend) {
        let last = self.layout.widths.columns().last().and_then(|column| column.last).unwrap_or_default();
        let line = line.trim_end_matches(' ');
        out.extend(line.as_bytes());
        (characters::count(line)..last).for_each(|_| out.extend(b" "));
        out.extend(b" ");
        out.extend(why.as_bytes());
        out.extend(self.layout.line_end.as_bytes());
    }
}

impl OffcutEncoder for Lines {
    fn begin(&self, out: &mut Buffer) {
        if let Some(header) = &self.layout.header {
            self.line(header.trim_start_matches(['\r', '\n']), self.title, out);
        }
    }

    fn write(&self, chunk: &dyn Chunk, text: &str, row: usize, why: &str, out: &mut Out) {
        if let Some(row) = chunk.raw().and_then(|raw| raw.rows.get(row).copied()) {
            self.line(row.raw.text(text), why, out);
        }
    }
}

struct AsRead {
    delimiter: u8,
    preamble: Preamble,
    header: Header,
    title: &'static str,
}

impl AsRead {
    fn push_new(&self, text: &str, out: &mut impl Extend) {
        match self.preamble.quotes_all {
            true => push_quoted(out, text.as_bytes()),
            false => push_cell(out, text.as_bytes(), self.delimiter),
        }
    }
}

impl OffcutEncoder for AsRead {
    fn begin(&self, out: &mut Buffer) {
        out.extend(self.preamble.separator.as_bytes());
        if let Header::Names(_) = self.header {
            out.extend(self.preamble.header_row().as_bytes());
            out.push(self.delimiter);
            self.push_new(self.title, out);
            out.extend(self.preamble.line_end.as_bytes());
        }
    }

    fn write(&self, chunk: &dyn Chunk, text: &str, row: usize, why: &str, out: &mut Out) {
        let Some(raw) = chunk.raw() else { return };
        let Some(row_as_read) = raw.rows.get(row) else { return };
        if raw.delimiter == Some(self.delimiter) {
            out.extend(row_as_read.raw.bytes(text.as_bytes()));
            out.extend(&[self.delimiter]);
        } else {
            // Another input with a different delimiter.
            push_cells(chunk, text, row, &self.header, self.delimiter, out);
        }
        self.push_new(why, out);
        let line_end = row_as_read.line_end().bytes(text.as_bytes());
        out.extend(if line_end.is_empty() { self.preamble.line_end.as_bytes() } else { line_end });
    }
}

fn push_cells(chunk: &dyn Chunk, text: &str, row: usize, header: &Header, delimiter: u8, out: &mut Out) {
    let ragged = chunk.ragged(row..row + 1).first().map_or(0, |(_, cells)| *cells as usize);
    for column in 0..header.count().max(ragged) {
        push_cell(out, chunk.cell(text, row, column).text.as_bytes(), delimiter);
        out.extend(&[delimiter]);
    }
}

struct Cells {
    delimiter: u8,
    header: Header,
    title: &'static str,
}

impl OffcutEncoder for Cells {
    fn begin(&self, out: &mut Buffer) {
        let titles: Vec<String> = (0..self.header.count()).map(|column| self.header.title(column)).collect();
        super::push_row(out, titles.iter().map(String::as_str).chain([self.title]), self.delimiter);
    }

    fn write(&self, chunk: &dyn Chunk, text: &str, row: usize, why: &str, out: &mut Out) {
        push_cells(chunk, text, row, &self.header, self.delimiter, out);
        push_cell(out, why.as_bytes(), self.delimiter);
        out.extend(b"\n");
    }
}

struct Sheet {
    sheet: Option<String>,
    header: Header,
    title: &'static str,
}

impl OffcutEncoder for Sheet {
    fn begin(&self, out: &mut Buffer) {
        let titles: Vec<String> = (0..self.header.count()).map(|column| self.header.title(column)).collect();
        let titles: Vec<String> = titles.into_iter().chain([self.title.to_owned()]).collect();
        workbook::begin(self.sheet.as_deref(), Some(&titles), out);
    }

    fn write(&self, chunk: &dyn Chunk, text: &str, row: usize, why: &str, out: &mut Out) {
        for column in 0..self.header.count() {
            workbook::push_cell(&chunk.cell(text, row, column), out);
        }
        Record::Text(why).push(out);
        Record::End.push(out);
    }
}

struct Objects {
    style: Option<Style>,
    header: Header,
    title: &'static str,
}

impl OffcutEncoder for Objects {
    fn begin(&self, _: &mut Buffer) {}

    fn write(&self, chunk: &dyn Chunk, text: &str, row: usize, why: &str, out: &mut Out) {
        let style = self.style.unwrap_or_default();
        let comma: &[u8] = if style.spaces_after_commas { b", " } else { b"," };
        let raw = if self.style.is_some() { chunk.raw() } else { None };
        let mut after = &b"}"[..];
        let mut is_empty = self.header.count() == 0;
        match raw.and_then(|raw| Some((raw.rows.get(row)?.raw, raw.cells.end(row)))) {
            Some((raw, end)) => {
                out.extend(&text.as_bytes()[raw.start as usize..end]);
                after = &text.as_bytes()[end..raw.end as usize];
                is_empty = text.as_bytes()[end - 1] == b'{';
            }
            None => {
                for column in 0..self.header.count() {
                    out.extend(if column == 0 { b"{" } else { comma });
                    out.extend(&json_lines::key(&self.header.title(column), style));
                    json_lines::push_cell(chunk, text, (row, column), out);
                }
            }
        }
        if !is_empty {
            out.extend(comma);
        }
        out.extend(&json_lines::key(self.title, style));
        json_lines::push_text(why, out);
        out.extend(after);
        out.extend(b"\n");
    }
}
