//! The rows whose value has a shape.

use std::ops::ControlFlow;

use keen_notch_core::batch::Buffer;
use keen_notch_core::survey::Members;

use crate::Error;
use crate::encode::push_row;
use crate::sink::Sink;
use crate::table::Table;
use crate::view::View;

/// A row that belongs to a shape.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Found<'a> {
    /// The input it is of, from 0.
    pub input: usize,
    /// Its number there, from 1.
    pub row: u64,
    /// The line it begins on.
    pub line: u64,
    /// The value that has the shape.
    pub value: &'a str,
}

/// Calls `see` with each of the first `most` rows of the table whose text in the first column of `view` belongs to the groups,
/// until it breaks off.
///
/// # Errors
/// Where the table cannot be read so far.
pub fn rows_of(
    table: &mut Table,
    view: View,
    members: &mut Members,
    most: Option<u64>,
    mut see: impl FnMut(Found) -> ControlFlow<()>,
) -> Result<(), Error> {
    let most = most.unwrap_or(u64::MAX);
    table.each_row(view, |row| {
        if row.number > most {
            return ControlFlow::Break(());
        }
        let ((input, number), value) = (row.place, row.text(0));
        let found = Found { input, row: number, line: row.lines.0, value };
        if members.has(value) { see(found) } else { ControlFlow::Continue(()) }
    })
}

/// How rows that were found are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RowsFormat {
    /// As a table with a header, divided as the input is, if that is delimited text.
    Table,
    /// As an object a line.
    JsonLines,
}

/// Bytes that are written together.
const TOGETHER: usize = 32 << 10;

/// Writes the rows of the table whose value belongs to the groups: row, line and value of each, and the file before these where
/// there are several.
///
/// # Errors
/// Where the table cannot be read so far, or the rows cannot be written.
pub fn write_rows(
    table: &mut Table,
    view: View,
    members: &mut Members,
    most: Option<u64>,
    format: RowsFormat,
    out: &mut dyn Sink,
) -> Result<(), Error> {
    let delimiter = table.format.delimiter().unwrap_or(b',');
    let (mut lines, mut written) = (Buffer::default(), Ok(()));
    let inputs = table.inputs.clone();
    let title = view.titles(&table.header).into_iter().next().unwrap_or_default();
    if format == RowsFormat::Table {
        let file = inputs.are_several().then_some("file");
        push_row(&mut lines, file.into_iter().chain(["row", "line", &title]), delimiter);
    }
    rows_of(table, view, members, most, |Found { input, row, line: at, value }| {
        let file = inputs.are_several().then(|| inputs.name(input));
        match format {
            RowsFormat::Table => {
                push_row(&mut lines, file.into_iter().chain([&*row.to_string(), &at.to_string(), value]), delimiter);
            }
            RowsFormat::JsonLines => {
                let mut found = serde_json::json!({"row": row, "line": at, "value": value});
                if let Some(file) = file {
                    found["file"] = file.into();
                }
                lines.extend(format!("{found}\n").as_bytes());
            }
        }
        if lines.width() >= TOGETHER {
            written = out.put(lines.bytes());
            lines.clear();
        }
        if written.is_ok() { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
    })?;
    written?;
    out.put(lines.bytes())
}
