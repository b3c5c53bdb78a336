//! Surveying columns of a table, and finding the rows of a shape.

use std::ops::ControlFlow;

use keen_notch_core::batch::{Buffer, Texts};
use keen_notch_core::survey::{Depth, Members, Survey};

use crate::encode::push_row;
use crate::sink::Sink;
use crate::source::Format;
use crate::source::delimited::Dialect;
use crate::table::Table;
use crate::{Error, columns};

/// Surveys columns of a table, by their indices, on `threads` threads. Reads to its end, or as far as `most` rows.
///
/// # Errors
/// Where the table cannot be read so far.
pub fn survey(
    table: &mut Table,
    columns: &[usize],
    depth: Depth,
    most: Option<u64>,
    threads: usize,
) -> Result<Vec<Survey>, Error> {
    let Some(most) = most else {
        let observe = |survey: &mut Survey, first_row: u64, values: Texts| {
            (first_row..).zip(values.iter()).for_each(|(row, value)| survey.observe(row, value));
        };
        return columns::fold(table, columns, threads, || Survey::new(depth), observe, Survey::merge);
    };
    let mut surveys: Vec<Survey> = columns.iter().map(|_| Survey::new(depth)).collect();
    if most > 0 {
        table.each_batch(columns, |before, batch| {
            let rows = (most - before).min(batch.rows as u64) as usize;
            for (survey, column) in surveys.iter_mut().zip(columns) {
                let values = batch.column(*column);
                (0..rows).for_each(|row| survey.observe(before + row as u64 + 1, values.get(row)));
            }
            if before + (rows as u64) < most { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
        })?;
    }
    Ok(surveys)
}

/// A row that belongs to a shape.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Found<'a> {
    /// Its number, from 1.
    pub row: u64,
    /// The line it begins on.
    pub line: u64,
    /// The value of the column.
    pub value: &'a str,
}

/// Calls `see` with each row of the table whose value belongs to the groups, until it breaks off.
///
/// # Errors
/// Where the table cannot be read so far.
pub fn rows_of(
    table: &mut Table,
    column: usize,
    members: &mut Members,
    most: Option<u64>,
    mut see: impl FnMut(Found) -> ControlFlow<()>,
) -> Result<(), Error> {
    let most = most.unwrap_or(u64::MAX);
    table.each_row(&[column], |row| {
        if row.number > most {
            return ControlFlow::Break(());
        }
        let value = row.value(column);
        let found = Found { row: row.number, line: row.lines.0, value };
        if members.has(value) { see(found) } else { ControlFlow::Continue(()) }
    })
}

/// How rows that were found are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RowsFormat {
    /// As a table with a header, divided as the input is.
    Table,
    /// As an object a line.
    JsonLines,
}

/// Writes the rows of the table whose value belongs to the groups: number, line and value of each.
///
/// # Errors
/// Where the table cannot be read so far, or the rows cannot be written.
pub fn write_rows(
    table: &mut Table,
    column: usize,
    members: &mut Members,
    most: Option<u64>,
    format: RowsFormat,
    out: &mut dyn Sink,
) -> Result<(), Error> {
    let Format::Delimited { dialect: Dialect { delimiter, .. }, .. } = table.format;
    let (mut line, mut written) = (Buffer::default(), Ok(()));
    if format == RowsFormat::Table {
        push_row(&mut line, ["row", "line", &table.header.title(column)], delimiter);
        out.put(line.bytes())?;
    }
    rows_of(table, column, members, most, |Found { row, line: at, value }| {
        line.clear();
        match format {
            RowsFormat::Table => push_row(&mut line, [&*row.to_string(), &at.to_string(), value], delimiter),
            RowsFormat::JsonLines => {
                let found = serde_json::json!({"row": row, "line": at, "value": value});
                line.extend(format!("{found}\n").as_bytes());
            }
        }
        written = out.put(line.bytes());
        if written.is_ok() { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
    })?;
    written
}
