//! Surveying columns of a table, and finding the rows of a shape.

use std::ops::ControlFlow;

use keen_notch_core::survey::{Depth, Members, Survey};

use crate::record::Rooms;
use crate::table::Table;
use crate::{Error, columns};

/// Surveys columns of a table, by their indices. Reads to its end, or so many rows.
///
/// # Errors
/// Where the table cannot be read so far.
pub fn survey(table: &mut Table, columns: &[usize], depth: Depth, most: Option<u64>) -> Result<Vec<Survey>, Error> {
    let mut surveys: Vec<Survey> = columns.iter().map(|_| Survey::new(depth)).collect();
    let Some(most) = most else {
        columns::each(table, columns, |values| {
            for (survey, values) in surveys.iter_mut().zip(values) {
                values.values().for_each(|value| survey.see(survey.rows + 1, value));
            }
        })?;
        return Ok(surveys);
    };
    // Nothing is read ahead of the last row that is asked for: more may never come.
    let (mut rooms, mut row) = (Rooms::default(), 0);
    if most > 0 {
        table.each_row(|record, _| {
            row += 1;
            for (survey, column) in surveys.iter_mut().zip(columns) {
                record.prepare(*column, &mut rooms);
                survey.see(row, record.value(*column, &rooms));
            }
            if row < most { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
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
    let mut rooms = Rooms::default();
    let mut row = 0;
    let most = most.unwrap_or(u64::MAX);
    table.each_row(|record, at| {
        row += 1;
        if row > most {
            return ControlFlow::Break(());
        }
        record.prepare(column, &mut rooms);
        let value = record.value(column, &rooms);
        if members.has(value) { see(Found { row, line: at.line(), value }) } else { ControlFlow::Continue(()) }
    })
}
