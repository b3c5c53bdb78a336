//! Surveys columns of a table, and finds the rows of a shape.

mod rows;

use std::ops::ControlFlow;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

use keen_notch_core::batch::{Batch, Texts};
use keen_notch_core::carving::{BatchResults, BatchRows};
use keen_notch_core::survey::{Depth, Survey};

pub use rows::{MatchingRow, rows_of, write_rows};

use crate::Error;
use crate::batches::Batches;
use crate::inputs::Inputs;
use crate::pool::{self, Ahead, Turns, lock};
use crate::source::Rows;
use crate::table::{Table, TableChunk, in_order};
use crate::view::View;

/// Surveys of the columns of a view.
pub struct Surveyed {
    pub surveys: Vec<Survey>,
    /// Locates the rows.
    pub inputs: Inputs,
    /// The number of rows read.
    pub rows: u64,
}

/// Surveys columns on `threads` threads, in up to `most` rows.
///
/// # Errors
/// The table cannot be read.
pub fn survey(table: &mut Table, view: View, depth: Depth, most: Option<u64>, threads: usize) -> Result<Surveyed, Error> {
    match most {
        None => survey_all(table, view, depth, threads),
        Some(most) => survey_first(table, view, depth, most),
    }
}

fn survey_first(table: &mut Table, view: View, depth: Depth, most: u64) -> Result<Surveyed, Error> {
    let memory = Memory::new(view, depth, table.limits(1).memory())?;
    let mut surveys = memory.surveys();
    let (mut outcome, mut read) = (Ok(()), 0);
    if most > 0 {
        let mut known = 0;
        table.each_view(view, |rows| {
            let end = rows.before + rows.range.len() as u64;
            read = end.min(most);
            let wanted = (0..rows.batch.rows).take_while(|row| rows.number(*row) <= most).count();
            observe(view, &mut surveys, wanted, &|row| rows.number(row), (rows.batch, rows.batch_results));
            outcome = memory.note(&mut known, &surveys);
            if outcome.is_ok() && end < most { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
        })?;
    }
    outcome.map(|()| Surveyed { surveys, inputs: table.inputs.clone(), rows: read })
}

/// Surveys all rows. Each thread has its own surveys for the chunks that it takes; they are merged at the end.
fn survey_all(table: &mut Table, view: View, depth: Depth, threads: usize) -> Result<Surveyed, Error> {
    let (meter, limits) = (table.shared_meter(), table.limits(threads));
    let memory = Memory::new(view, depth, limits.memory())?;
    let threads = threads.min(memory.most_threads());
    let needed = in_order(&view.needs());
    table.need(&needed);
    // The surveys of finished threads; the number of the first row of the next chunk, and the first rows of the inputs.
    let done: Mutex<Vec<Vec<Survey>>> = Mutex::default();
    let inputs = Mutex::new(table.inputs.clone());
    let first_rows = Turns::new(1);
    let worker = || {
        let (mut spare, mut batch_results, mut known) = (Rows::default(), BatchResults::default(), 0);
        let mut own = ThreadSurveys { surveys: memory.surveys(), done: &done };
        let (memory, needed, first_rows, inputs) = (&memory, &needed, &first_rows, &inputs);
        move |number, TableChunk { input, mut chunk }: TableChunk, _: Ahead<u64>| {
            let _guard = first_rows.guard(number);
            chunk.open(needed)?;
            let count = chunk.rows() as u64;
            let first_row = first_rows.take(number, |next| {
                lock(inputs).begin(input, *next - 1);
                std::mem::replace(next, *next + count)
            });
            // If an earlier chunk cannot be read, the run ends with its error.
            let Some(first_row) = first_row else { return Ok(0) };
            let text = chunk.text()?;
            let mut rows: Rows = std::mem::take(&mut spare).recycle();
            let mut batches = Batches::of(chunk.rows(), chunk.cells_of_row(needed.len()), limits);
            while let Some(range) = batches.next(&mut batch_results) {
                chunk.take(text, range.clone(), &mut rows);
                match view.work_out(&mut rows, &mut batch_results) {
                    Ok(()) => rows.with_batch(|batch| {
                        let number = |row: usize| first_row + rows.number(row) - 1;
                        observe(view, &mut own.surveys, batch.rows, &number, (batch, &batch_results));
                    }),
                    Err(too_large) => batches.take_again(range, too_large, &*chunk)?,
                }
            }
            spare = rows.recycle();
            memory.note(&mut known, &own.surveys)?;
            Ok(count)
        }
    };
    let mut read = 0;
    let count = |rows| {
        meter.add_rows(rows);
        read += rows;
        Ok(())
    };
    pool::in_order(threads, || table.next_part(), worker, count)?;
    let mut all = std::mem::take(&mut *lock(&done)).into_iter();
    let mut surveys = all.next().unwrap_or_else(|| memory.surveys());
    for others in all {
        surveys.iter_mut().zip(others).for_each(|(survey, other)| survey.merge(other));
    }
    let inputs = lock(&inputs).clone();
    Ok(Surveyed { surveys, inputs, rows: read })
}

struct Memory {
    columns: usize,
    depth: Depth,
    taken: AtomicUsize,
    most: usize,
    share: usize,
}

/// Estimated memory of a column with one value, in bytes.
const LEAST: usize = 3 << 10;
/// The memory is divided among this many threads, before surveys get smaller.
const THREADS: usize = 2;

impl Memory {
    /// # Errors The memory is too small for one value of each column.
    fn new(view: View, depth: Depth, most: usize) -> Result<Memory, Error> {
        let columns = view.count();
        // The result must not depend on the number of threads.
        let share = (most / columns.max(1) / THREADS).clamp(LEAST, depth.bytes());
        let memory = Memory { columns, depth, taken: AtomicUsize::new(0), most, share };
        if columns * LEAST > most { Err(memory.too_large()) } else { Ok(memory) }
    }

    fn too_large(&self) -> Error {
        Error::SurveyTooLarge { columns: self.columns, limit: self.most }
    }

    fn most_threads(&self) -> usize {
        (self.most / (self.columns * self.share).max(1)).max(1)
    }

    fn surveys(&self) -> Vec<Survey> {
        (0..self.columns).map(|_| Survey::within(self.depth, self.share)).collect()
    }

    /// Updates the memory of a thread's surveys. `known` is their size at the last call.
    ///
    /// # Errors All surveys together exceed the limit.
    fn note(&self, known: &mut usize, surveys: &[Survey]) -> Result<(), Error> {
        let bytes = surveys.iter().map(Survey::bytes).sum();
        let before = std::mem::replace(known, bytes);
        let taken =
            self.taken.fetch_add(bytes.wrapping_sub(before), Ordering::Relaxed).wrapping_add(bytes).wrapping_sub(before);
        if taken > self.most { Err(self.too_large()) } else { Ok(()) }
    }
}

fn observe(
    view: View,
    surveys: &mut [Survey],
    rows: usize,
    number: &dyn Fn(usize) -> u64,
    (batch, batch_results): (&Batch, &BatchResults),
) {
    for (column, survey) in surveys.iter_mut().enumerate() {
        let texts: Texts = view.texts(column, batch, batch_results);
        if texts.text.is_empty() && !matches!(view, View::Kept { .. }) {
            survey.observe_empty(number(0), rows.min(texts.len()));
            continue;
        }
        texts.iter().enumerate().take(rows).for_each(|(row, value)| survey.observe(number(row), value));
    }
}

/// The surveys of one thread, merged with the others at its end. Their row numbers increase.
struct ThreadSurveys<'d> {
    surveys: Vec<Survey>,
    done: &'d Mutex<Vec<Vec<Survey>>>,
}

impl Drop for ThreadSurveys<'_> {
    fn drop(&mut self) {
        lock(self.done).push(std::mem::take(&mut self.surveys));
    }
}
