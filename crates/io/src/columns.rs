//! The values of columns of a table, for what looks at one value after another.

use keen_notch_core::batch::Texts;

use crate::Error;
use crate::pool::{self, Turns};
use crate::source::{Chunk, Rows};
use crate::table::{Table, in_order};

/// Shows each column to a state of its own, chunk by chunk and in their order, to the last row, on `threads` threads. A
/// column is shown to its state by one thread at a time; but while one thread shows a column of a chunk, others show other
/// columns of it, or the same of the next.
///
/// # Errors
/// Where the table cannot be read to its end.
pub fn fold<S: Send>(
    table: &mut Table,
    columns: &[usize],
    threads: usize,
    begin: impl Fn() -> S,
    see: impl Fn(&mut S, Texts) + Sync,
) -> Result<Vec<S>, Error> {
    let meter = table.shared_meter();
    let needed = in_order(columns);
    let turns: Vec<Turns<S>> = columns.iter().map(|_| Turns::new(begin())).collect();
    let worker = || {
        let mut memory = Rows::default();
        let (needed, turns, see) = (&needed, &turns, &see);
        move |number, mut chunk: Box<dyn Chunk>| {
            let _guards: Vec<_> = turns.iter().map(|turns| turns.guard(number)).collect();
            chunk.open(needed)?;
            let text = chunk.text()?;
            let mut rows: Rows = std::mem::take(&mut memory).recycle();
            chunk.take(text, 0..chunk.rows(), &mut rows);
            rows.with_batch(|batch| {
                for (column, turns) in columns.iter().zip(turns) {
                    turns.take(number, |state| see(state, batch.column(*column)));
                }
            });
            memory = rows.recycle();
            Ok(chunk.rows() as u64)
        }
    };
    let count = |rows| {
        meter.add_rows(rows);
        Ok(())
    };
    pool::in_order(threads, || table.next_chunk(), worker, count)?;
    Ok(turns.into_iter().map(Turns::into_state).collect())
}
