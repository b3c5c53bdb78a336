use std::ops::ControlFlow;

use keen_notch_core::survey::Members;

use crate::Error;
use crate::formats::own_table::{OwnColumn, OwnTable, Value};
use crate::kind::FileFormat;
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
    let mut written = Ok(());
    let inputs = table.inputs.clone();
    let title = view.titles(&table.header).into_iter().next().unwrap_or_default();
    let is_taken = named.kind.is_some_and(|kind| kind.has_objects) || ["file", "row", "line"].contains(&title.as_str());
    let title = if is_taken { "value".to_owned() } else { title };
    let column = |title: &str, is_count| OwnColumn { title: title.to_owned(), is_count };
    let file = inputs.are_several().then(|| column("file", false));
    let of_rows = [column("row", true), column("line", true), column(&title, false)];
    let columns: Vec<OwnColumn> = file.into_iter().chain(of_rows).collect();
    let mut rows = OwnTable::new(named, table.format.delimiter().unwrap_or(b','), &columns)?;
    rows.begin(out)?;
    rows_of(table, view, members, most, |MatchingRow { input, row, line, value }| {
        let values = [Value::Text(inputs.name(input)), Value::Count(Some(row)), Value::Count(Some(line)), Value::Text(value)];
        written = rows.row(&values[usize::from(!inputs.are_several())..], out);
        if written.is_ok() { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
    })?;
    written?;
    rows.end(out)
}
