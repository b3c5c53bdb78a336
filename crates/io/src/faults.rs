//! The file of faults, with a row for each.

use keen_notch_core::check::Violation;

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

/// A row of the file.
#[derive(Debug, Clone, Copy)]
pub struct FaultRow<'a> {
    pub file: &'a str,
    pub row: u64,
    pub line: Option<u64>,
    pub column: &'a str,
    pub piece: &'a str,
    pub only_warns: bool,
    pub value: &'a str,
    pub result: &'a str,
    pub check: &'a str,
    pub violation: &'a Violation,
}

pub struct FaultFile<'a> {
    out: &'a mut dyn Sink,
    table: OwnTable,
}

impl<'a> FaultFile<'a> {
    /// Starts a file of faults. It has no header if it `is_continued` from an earlier part.
    ///
    /// # Errors
    /// The format does not support faults, or the header cannot be written.
    pub fn new(out: &'a mut dyn Sink, named: FileFormat, is_continued: bool) -> Result<FaultFile<'a>, Error> {
        let table = fault_table(named)?;
        let is_text = named.kind.is_none_or(|kind| kind.is_text);
        if !(is_continued && is_text) {
            table.begin(out)?;
        }
        Ok(FaultFile { out, table })
    }

    /// Writes a fault.
    ///
    /// # Errors
    /// The fault cannot be written.
    pub fn write(&mut self, fault: &FaultRow) -> Result<(), Error> {
        let FaultRow { file, row, line, column, piece, only_warns, value, result, check, violation } = *fault;
        let values = [
            Value::Text(file),
            Value::Count(Some(row)),
            Value::Count(line),
            Value::Text(column),
            Value::Text(piece),
            Value::Text(violation.kind.word()),
            Value::Text(if only_warns { "warning" } else { "fault" }),
            Value::Text(value),
            Value::Text(result),
            Value::Count(violation.at.map(|at| at as u64)),
            Value::Text(check),
            Value::Text(&violation.detail),
        ];
        self.table.row(&values, self.out)
    }

    /// Writes the last faults.
    ///
    /// # Errors
    /// They cannot be written.
    pub fn end(&mut self) -> Result<(), Error> {
        self.table.end(self.out)
    }
}
