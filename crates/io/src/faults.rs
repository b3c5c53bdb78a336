//! The file of faults, with a row for each.

use keen_notch_core::carving::{CheckName, Fault};
use keen_notch_core::column::Header;

use crate::Error;
use crate::formats::own_table::{OwnColumn, OwnTable, Value};
use crate::kind::FileFormat;
use crate::sink::Sink;

const COLUMNS: [(&str, bool); 12] = [
    ("file", false),
    ("row", true),
    ("line", true),
    ("column", false),
    ("piece", false),
    ("fault", false),
    ("level", false),
    ("value", false),
    ("result", false),
    // The first wrong character of the result, from 1.
    ("at", true),
    ("check", false),
    ("detail", false),
];

/// Selects the encoder for faults.
///
/// # Errors
/// The format does not support such a table.
pub fn fault_table(named: FileFormat) -> Result<OwnTable, Error> {
    let column = |(title, is_count): (&str, bool)| OwnColumn { title: title.to_owned(), is_count };
    OwnTable::new(named, b',', &COLUMNS.map(column))
}

/// The input of a row, and the row and line in it, from 1.
#[derive(Debug, Clone, Copy)]
pub struct RowPlace<'a> {
    pub file: &'a str,
    pub row: u64,
    pub line: u64,
}

pub struct FaultFile<'a> {
    out: &'a mut dyn Sink,
    table: OwnTable,
    header: &'a Header,
}

impl<'a> FaultFile<'a> {
    /// Starts a file of faults for a table with these columns. It has no header if it `is_continued` from an earlier part.
    ///
    /// # Errors
    /// The format does not support faults, or the header cannot be written.
    pub fn new(
        out: &'a mut dyn Sink,
        named: FileFormat,
        header: &'a Header,
        is_continued: bool,
    ) -> Result<FaultFile<'a>, Error> {
        let table = fault_table(named)?;
        let is_text = named.kind.is_none_or(|kind| kind.is_text);
        if !(is_continued && is_text) {
            table.begin(out)?;
        }
        Ok(FaultFile { out, table, header })
    }

    /// Writes a fault, with the input, the row and line in it, and the `value` of its column.
    ///
    /// # Errors
    /// The fault cannot be written.
    pub fn write(
        &mut self,
        RowPlace { file, row, line }: RowPlace,
        check: &CheckName,
        fault: &Fault,
        value: &str,
    ) -> Result<(), Error> {
        let column = check.column.map_or(String::new(), |column| self.header.title(column));
        let values = [
            Value::Text(file),
            Value::Count(Some(row)),
            Value::Count(Some(line)),
            Value::Text(&column),
            Value::Text(&check.of),
            Value::Text(fault.violation.kind.word()),
            Value::Text(if check.only_warns { "warning" } else { "fault" }),
            Value::Text(value),
            Value::Text(&fault.result),
            Value::Count(fault.violation.at.map(|at| at as u64)),
            Value::Text(&check.words),
            Value::Text(&fault.violation.detail),
        ];
        self.table.row(&values, self.out)
    }

    pub fn end(&mut self) -> Result<(), Error> {
        self.table.end(self.out)
    }
}
