//! Surveying columns of a table, and finding the rows of a shape.

use std::ops::ControlFlow;

use keen_notch_core::batch::Texts;
use keen_notch_core::survey::{Depth, Members, Survey};

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
