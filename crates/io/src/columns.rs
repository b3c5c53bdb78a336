//! The values of columns of a table, for what is kept of a column and can be merged from parts.

use std::sync::Mutex;

use keen_notch_core::batch::Texts;

use crate::Error;
use crate::pool::{self, Ahead, Turns, lock};
use crate::source::Rows;
use crate::table::{Part, Table, in_order};

/// Observes columns to the last row, on `threads` threads, and gives a state for each column. Every thread has
/// states of its own, from `begin`, and observes the chunks that it takes: `observe` gets the number of the first row and the
/// values from there on. At the end the states of a column are merged.
///
/// # Errors
/// Where the table cannot be read to its end.
pub fn fold<S: Send>(
    table: &mut Table,
    columns: &[usize],
    threads: usize,
    begin: impl Fn() -> S + Sync,
    observe: impl Fn(&mut S, u64, Texts) + Sync,
    merge: impl Fn(&mut S, S),
) -> Result<Vec<S>, Error> {
    let meter = table.shared_meter();
    let needed = in_order(columns);
    let begin_all = || -> Vec<S> { columns.iter().map(|_| begin()).collect() };
    // The states of threads that are done, and the number of the first row of the next chunk.
    let done: Mutex<Vec<Vec<S>>> = Mutex::default();
    let first_rows = Turns::new(1);
    let worker = || {
        let mut memory = Rows::default();
        let mut own = Own { states: begin_all(), done: &done };
        let (needed, first_rows, observe) = (&needed, &first_rows, &observe);
        move |number, Part { mut chunk, .. }: Part, _: Ahead<u64>| {
            let _guard = first_rows.guard(number);
            chunk.open(needed)?;
            let count = chunk.rows() as u64;
            let first_row = first_rows.take(number, |next| std::mem::replace(next, *next + count));
            // Where a chunk before this one cannot be read, the run ends with its error.
            let Some(first_row) = first_row else { return Ok(0) };
            let text = chunk.text()?;
            let mut rows: Rows = std::mem::take(&mut memory).recycle();
            chunk.take(text, 0..chunk.rows(), &mut rows);
            rows.with_batch(|batch| {
                let states = columns.iter().zip(&mut own.states);
                states.for_each(|(column, state)| observe(state, first_row, batch.column(*column)));
            });
            memory = rows.recycle();
            Ok(count)
        }
    };
    let count = |rows| {
        meter.add_rows(rows);
        Ok(())
    };
    pool::in_order(threads, || table.next_part(), worker, count)?;
    let mut all = std::mem::take(&mut *lock(&done)).into_iter();
    let mut states = all.next().unwrap_or_else(begin_all);
    for others in all {
        states.iter_mut().zip(others).for_each(|(state, other)| merge(state, other));
    }
    Ok(states)
}

/// The states of one thread, which go to those of the others when it is done. Their rows rise, as the chunks of a thread do.
struct Own<'d, S> {
    states: Vec<S>,
    done: &'d Mutex<Vec<Vec<S>>>,
}

impl<S> Drop for Own<'_, S> {
    fn drop(&mut self) {
        lock(self.done).push(std::mem::take(&mut self.states));
    }
}
