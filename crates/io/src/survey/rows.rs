use std::ops::ControlFlow;

use keen_notch_core::batch::Buffer;
use keen_notch_core::survey::Members;

use crate::Error;
use crate::encode::{OwnColumn, Value, own_table};
use crate::formats::{FileFormat, Kind};
use crate::sink::Sink;
use crate::table::Table;
use crate::view::View;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct MatchingRow<'a> {
    pub input: usize,
    /// Its number in the input, from 1.
    pub row: u64,
    pub line: u64,
    pub value: &'a str,
}

/// Calls `see` with the first `most` rows whose text in the first column of `view` belongs to the groups, until it returns a break.
///
/// # Errors
/// The table cannot be read.
pub fn rows_of(
    table: &mut Table,
    view: View,
    members: &mut Members,
    most: Option<u64>,
    mut see: impl FnMut(MatchingRow) -> ControlFlow<()>,
) -> Result<(), Error> {
    let most = most.unwrap_or(u64::MAX);
    table.each_row(view, |row| {
        if row.number > most {
            return ControlFlow::Break(());
        }
        let ((input, number), value) = (row.place, row.text(0));
        let found = MatchingRow { input, row: number, line: row.lines.0, value };
        if members.has(value) { see(found) } else { ControlFlow::Continue(()) }
    })
}

const TOGETHER: usize = 32 << 10;

/// Writes the rows whose value belongs to the groups: row, line and value, and the file if there are several. Delimited text has the
/// delimiter of the input.
///
/// # Errors
/// The table cannot be read, or the rows cannot be written.
pub fn write_rows(
    table: &mut Table,
    view: View,
    members: &mut Members,
    most: Option<u64>,
    named: FileFormat,
    out: &mut dyn Sink,
) -> Result<(), Error> {
    let (mut bytes, mut written) = (Buffer::default(), Ok(()));
    let inputs = table.inputs.clone();
    let title = match named.kind {
        Some(Kind::JsonLines) => "value".to_owned(),
        _ => view.titles(&table.header).into_iter().next().unwrap_or_default(),
    };
    let column = |title: &str, is_count| OwnColumn { title: title.to_owned(), is_count };
    let file = inputs.are_several().then(|| column("file", false));
    let columns = file.into_iter().chain([column("row", true), column("line", true), column(&title, false)]).collect();
    let mut rows = own_table(named, table.format.delimiter().unwrap_or(b','), columns)?;
    rows.begin(&mut bytes);
    rows_of(table, view, members, most, |MatchingRow { input, row, line, value }| {
        let values = [Value::Text(inputs.name(input)), Value::Count(Some(row)), Value::Count(Some(line)), Value::Text(value)];
        rows.row(&values[usize::from(!inputs.are_several())..], &mut bytes);
        if bytes.width() >= TOGETHER {
            written = out.put(bytes.bytes());
            bytes.clear();
        }
        if written.is_ok() { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
    })?;
    written?;
    rows.end(&mut bytes);
    out.put(bytes.bytes())
}
