//! The values of columns of a table, for what looks at one value after another.

use keen_notch_core::batch::Column;

use crate::Error;
use crate::pool;
use crate::source::{Chunk, Rows};
use crate::table::{BATCH, Table, in_order};

/// Calls `see` with the values of columns, some rows at a time and in their order, to the last row. They are taken out
/// of the table on so many threads, and seen by one of these at a time.
///
/// # Errors
/// Where the table cannot be read to its end.
pub fn each(table: &mut Table, columns: &[usize], threads: usize, mut see: impl FnMut(&[Column]) + Send) -> Result<(), Error> {
    let meter = table.shared_meter();
    let in_order = in_order(columns);
    let worker = || {
        let mut memory = Rows::default();
        let (in_order, meter) = (&in_order, &meter);
        move |_, chunk: Box<dyn Chunk>| {
            let (values, rows) = take(chunk, columns, in_order, &mut memory)?;
            meter.add_rows(rows);
            Ok(values)
        }
    };
    pool::in_order(
        threads,
        || table.next_chunk(),
        worker,
        |values: Vec<Column>| {
            see(&values);
            Ok(())
        },
    )
}

/// The values of columns of a chunk, and how many rows it has.
fn take(
    mut chunk: Box<dyn Chunk>,
    columns: &[usize],
    in_order: &[usize],
    memory: &mut Rows<'static>,
) -> Result<(Vec<Column>, u64), Error> {
    chunk.open(in_order)?;
    let text = chunk.text()?;
    let mut taken: Vec<Column> = columns.iter().map(|_| Column::default()).collect();
    let mut rows: Rows = std::mem::take(memory).recycle();
    for start in (0..chunk.rows()).step_by(BATCH) {
        chunk.take(text, start..(start + BATCH).min(chunk.rows()), &mut rows);
        rows.with_batch(|batch| {
            for (column, taken) in columns.iter().zip(&mut taken) {
                batch.column(*column).iter().for_each(|value| taken.push(value));
            }
        });
    }
    *memory = rows.recycle();
    Ok((taken, chunk.rows() as u64))
}
