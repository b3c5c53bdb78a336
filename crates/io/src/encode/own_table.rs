//! Tables of the program itself: faults, and matching rows.

use keen_notch_core::batch::Buffer;

use super::cell::push_cell;
use super::json_lines;
use crate::Error;
use crate::cells::Record;
use crate::formats::{FileFormat, Kind};
use crate::source::json_lines::Style;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Value<'v> {
    Text(&'v str),
    Count(Option<u64>),
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OwnColumn {
    pub title: String,
    /// Whether its values are numbers; otherwise they are texts.
    pub is_count: bool,
}

pub trait OwnTable: Send {
    fn begin(&mut self, out: &mut Buffer);

    fn row(&mut self, values: &[Value], out: &mut Buffer);

    fn end(&mut self, out: &mut Buffer);
}

/// Selects the encoder. Delimited text has this delimiter by default.
///
/// # Errors
/// The format does not support such tables.
pub fn own_table(named: FileFormat, delimiter: u8, columns: Vec<OwnColumn>) -> Result<Box<dyn OwnTable>, Error> {
    Ok(match named.kind {
        None | Some(Kind::Delimited(_)) => Box::new(Text { delimiter: named.delimiter().unwrap_or(delimiter), columns }),
        Some(Kind::JsonLines) => Box::new(Objects { columns }),
        Some(Kind::Workbook) => Box::new(Sheet { columns }),
        #[cfg(feature = "columnar")]
        Some(Kind::Parquet | Kind::Arrow(_)) => Box::new(super::columnar::OwnColumns::new(&columns)),
        Some(Kind::Database) => Box::new(super::database::OwnRows::new(&columns)),
        #[cfg(not(feature = "columnar"))]
        Some(kind @ (Kind::Parquet | Kind::Arrow(_))) => return Err(super::not_in_build(kind, &[])),
        Some(kind @ (Kind::FixedWidth | Kind::OtherWorkbook | Kind::Foreign(_))) => {
            return Err(Error::NoTable { format: kind.name() });
        }
    })
}

struct Text {
    delimiter: u8,
    columns: Vec<OwnColumn>,
}

impl OwnTable for Text {
    fn begin(&mut self, out: &mut Buffer) {
        super::push_row(out, self.columns.iter().map(|column| column.title.as_str()), self.delimiter);
    }

    fn row(&mut self, values: &[Value], out: &mut Buffer) {
        for (index, value) in values.iter().enumerate() {
            if index > 0 {
                out.push(self.delimiter);
            }
            match value {
                Value::Text(text) => push_cell(out, text.as_bytes(), self.delimiter),
                Value::Count(count) => out.extend(count.map_or(String::new(), |count| count.to_string()).as_bytes()),
            }
        }
        out.push(b'\n');
    }

    fn end(&mut self, _: &mut Buffer) {}
}

struct Objects {
    columns: Vec<OwnColumn>,
}

impl OwnTable for Objects {
    fn begin(&mut self, _: &mut Buffer) {}

    fn row(&mut self, values: &[Value], out: &mut Buffer) {
        for (index, (column, value)) in self.columns.iter().zip(values).enumerate() {
            out.push(if index == 0 { b'{' } else { b',' });
            out.extend(&json_lines::key(&column.title, Style::default()));
            match value {
                Value::Text(text) => json_lines::push_text(text, out),
                Value::Count(count) => out.extend(count.map_or("null".to_owned(), |count| count.to_string()).as_bytes()),
            }
        }
        out.extend(b"}\n");
    }

    fn end(&mut self, _: &mut Buffer) {}
}

struct Sheet {
    columns: Vec<OwnColumn>,
}

impl OwnTable for Sheet {
    fn begin(&mut self, out: &mut Buffer) {
        self.columns.iter().for_each(|column| Record::Text(&column.title).push(out));
        Record::End.push(out);
    }

    fn row(&mut self, values: &[Value], out: &mut Buffer) {
        for value in values {
            match value {
                Value::Text(text) => Record::Text(text).push(out),
                Value::Count(Some(count)) => Record::Number(*count as f64).push(out),
                Value::Count(None) => Record::Blank.push(out),
            }
        }
        Record::End.push(out);
    }

    fn end(&mut self, _: &mut Buffer) {}
}
