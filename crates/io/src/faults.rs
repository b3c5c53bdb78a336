//! The file of faults: one line each, CSV or JSON lines.

use keen_notch_core::batch::Buffer;
use keen_notch_core::carving::{CheckName, Fault};
use keen_notch_core::column::Header;
use serde::Serialize;

use crate::Error;
use crate::encode::push_row;
use crate::formats::{Kind, Named};
use crate::sink::Sink;

/// How faults are written down.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FaultFormat {
    /// A table with a header.
    Csv,
    /// An object a line.
    JsonLines,
}

impl FaultFormat {
    /// JSON lines for `.jsonl` and `.ndjson`, CSV for everything else.
    pub fn of(path: &std::path::Path) -> FaultFormat {
        match Named::of(path).kind {
            Some(Kind::JsonLines) => FaultFormat::JsonLines,
            _ => FaultFormat::Csv,
        }
    }
}

/// A file of faults being written.
pub struct FaultFile<'a> {
    out: &'a mut dyn Sink,
    format: FaultFormat,
    header: &'a Header,
    line: Buffer,
}

/// One fault, as it is written.
#[derive(Serialize)]
struct Entry<'a> {
    file: &'a str,
    row: u64,
    line: u64,
    column: &'a str,
    piece: &'a str,
    fault: &'a str,
    level: &'a str,
    value: &'a str,
    result: &'a str,
    /// The character of the result at which it went wrong, from 1.
    at: Option<usize>,
    check: &'a str,
    detail: &'a str,
}

impl<'a> FaultFile<'a> {
    /// Begins a file of faults on a table with these columns.
    ///
    /// # Errors
    /// Where its first line cannot be written.
    pub fn new(out: &'a mut dyn Sink, format: FaultFormat, header: &'a Header) -> Result<FaultFile<'a>, Error> {
        if format == FaultFormat::Csv {
            out.put(b"file,row,line,column,piece,fault,level,value,result,at,check,detail\n")?;
        }
        Ok(FaultFile { out, format, header, line: Buffer::default() })
    }

    /// Writes a fault of a row: of an input, by its number there, on a line of it. `value` is the value of the column it is about.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn write(
        &mut self,
        (file, row, line): (&str, u64, u64),
        check: &CheckName,
        fault: &Fault,
        value: &str,
    ) -> Result<(), Error> {
        let column = check.column.map_or(String::new(), |column| self.header.title(column));
        let entry = Entry {
            file,
            row,
            line,
            column: &column,
            piece: &check.of,
            fault: fault.violation.kind.word(),
            level: if check.only_warns { "warning" } else { "fault" },
            value,
            result: &fault.result,
            at: fault.violation.at,
            check: &check.words,
            detail: &fault.violation.detail,
        };
        self.line.clear();
        match self.format {
            FaultFormat::Csv => entry.push_csv(&mut self.line),
            // Numbers and texts can always be written as JSON.
            FaultFormat::JsonLines => {
                self.line.extend(serde_json::to_string(&entry).unwrap_or_default().as_bytes());
                self.line.push(b'\n');
            }
        }
        self.out.put(self.line.bytes())
    }
}

impl Entry<'_> {
    fn push_csv(&self, out: &mut Buffer) {
        let at = self.at.map_or(String::new(), |at| at.to_string());
        let (row, line) = (self.row.to_string(), self.line.to_string());
        let cells = [
            self.file,
            &row,
            &line,
            self.column,
            self.piece,
            self.fault,
            self.level,
            self.value,
            self.result,
            &at,
            self.check,
            self.detail,
        ];
        push_row(out, cells, b',');
    }
}
