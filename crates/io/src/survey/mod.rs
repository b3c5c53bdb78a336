//! Surveys columns of a table, and finds the rows of a shape.

mod groups;
mod rows;

use std::ops::ControlFlow;
use std::sync::Mutex;
use std::sync::atomic::{AtomicUsize, Ordering};

use keen_notch_core::batch::{Batch, Texts};
use keen_notch_core::carving::{BatchResults, BatchRows};
use keen_notch_core::survey::{Depth, Survey};

pub use groups::{Groups, MOST_GROUPS};
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
    let memory = Memory::new(view.count(), depth, table.limits(threads).memory())?;
    let Collected { all, inputs, rows } = collect(table, view, most, threads, &memory, &|| Surveys(memory.surveys()))?;
    Ok(Surveyed { surveys: all.0, inputs, rows })
}

/// Surveys a text of a view for each value of another. `places` has the group and the value.
///
/// # Errors
/// The table cannot be read, or there are more than [`MOST_GROUPS`] values.
pub fn survey_by(
    table: &mut Table,
    (view, places): (View, [usize; 2]),
    most: Option<u64>,
    threads: usize,
) -> Result<Collected<Groups>, Error> {
    let memory = Memory::new(2, Depth::Brief, table.limits(threads).memory())?;
    let title = view.titles(&table.header).into_iter().nth(places[0]).unwrap_or_default();
    collect(table, view, most, threads, &memory, &|| Groups::new(&title, places))
}

/// What is collected of the rows of a table.
trait Collector: Send {
    /// Observes the first `rows` rows of a batch. `number` gives the number of a row over all inputs.
    ///
    /// # Errors
    /// There is too much to collect.
    fn observe(
        &mut self,
        view: View,
        rows: usize,
        number: &dyn Fn(usize) -> u64,
        batch: (&Batch, &BatchResults),
    ) -> Result<(), Error>;

    /// # Errors
    /// There is too much to collect.
    fn merge(&mut self, other: Self) -> Result<(), Error>;

    fn bytes(&self) -> usize;
}

pub struct Collected<C> {
    pub all: C,
    /// Locates the rows.
    pub inputs: Inputs,
    /// The number of rows read.
    pub rows: u64,
}

fn collect<C: Collector>(
    table: &mut Table,
    view: View,
    most: Option<u64>,
    threads: usize,
    memory: &Memory,
    new: &(dyn Fn() -> C + Sync),
) -> Result<Collected<C>, Error> {
    match most {
        None => collect_all(table, view, threads, memory, new),
        Some(most) => collect_first(table, view, most, memory, new()),
    }
}

fn collect_first<C: Collector>(
    table: &mut Table,
    view: View,
    most: u64,
    memory: &Memory,
    mut all: C,
) -> Result<Collected<C>, Error> {
    let (mut outcome, mut read) = (Ok(()), 0);
    if most > 0 {
        let mut known = 0;
        table.each_view(view, |rows| {
            let end = rows.before + rows.range.len() as u64;
            read = end.min(most);
            let wanted = (0..rows.batch.rows).take_while(|row| rows.number(*row) <= most).count();
            outcome = all.observe(view, wanted, &|row| rows.number(row), (rows.batch, rows.batch_results));
            outcome = std::mem::replace(&mut outcome, Ok(())).and_then(|()| memory.note(&mut known, all.bytes()));
            if outcome.is_ok() && end < most { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
        })?;
    }
    outcome.map(|()| Collected { all, inputs: table.inputs.clone(), rows: read })
}

/// Collects from all rows. Each thread has its own collector for the chunks that it takes; they are merged at the end.
fn collect_all<C: Collector>(
    table: &mut Table,
    view: View,
    threads: usize,
    memory: &Memory,
    new: &(dyn Fn() -> C + Sync),
) -> Result<Collected<C>, Error> {
    let (meter, limits) = (table.shared_meter(), table.limits(threads));
    let threads = threads.min(memory.most_threads());
    let needed = in_order(&view.needs());
    table.need(&needed);
    table.share_reading();
    // The collectors of finished threads; the number of the first row of the next chunk, and the first rows of the inputs.
    let done: Mutex<Vec<C>> = Mutex::new(Vec::new());
    let inputs = Mutex::new(table.inputs.clone());
    let first_rows = Turns::new(1);
    let worker = || {
        let (mut spare, mut batch_results, mut known) = (Rows::default(), BatchResults::default(), 0);
        let mut own = ThreadCollector { own: Some(new()), done: &done };
        let (needed, first_rows, inputs) = (&needed, &first_rows, &inputs);
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
                        own.get().map_or(Ok(()), |own| own.observe(view, batch.rows, &number, (batch, &batch_results)))
                    })?,
                    Err(too_large) => batches.take_again(range, too_large, &*chunk)?,
                }
            }
            spare = rows.recycle();
            memory.note(&mut known, own.get().map_or(0, |own| own.bytes()))?;
            Ok(count)
        }
    };
    let mut read = 0;
    let count = |rows| {
        meter.add_rows(rows);
        read += rows;
        Ok(())
    };
    pool::in_order(threads, || table.next_part(), worker, count, Ok)?;
    table.settle_replaced()?;
    let mut others = std::mem::take(&mut *lock(&done)).into_iter();
    let mut all = others.next().unwrap_or_else(new);
    others.try_for_each(|other| all.merge(other))?;
    let inputs = lock(&inputs).clone();
    Ok(Collected { all, inputs, rows: read })
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
    fn new(columns: usize, depth: Depth, most: usize) -> Result<Memory, Error> {
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
    fn note(&self, known: &mut usize, bytes: usize) -> Result<(), Error> {
        let before = std::mem::replace(known, bytes);
        let taken =
            self.taken.fetch_add(bytes.wrapping_sub(before), Ordering::Relaxed).wrapping_add(bytes).wrapping_sub(before);
        if taken > self.most { Err(self.too_large()) } else { Ok(()) }
    }
}

/// A survey for each text of a view.
struct Surveys(Vec<Survey>);

impl Collector for Surveys {
    fn observe(
        &mut self,
        view: View,
        rows: usize,
        number: &dyn Fn(usize) -> u64,
        (batch, batch_results): (&Batch, &BatchResults),
    ) -> Result<(), Error> {
        for (column, survey) in self.0.iter_mut().enumerate() {
            let texts: Texts = view.texts(column, batch, batch_results);
            if texts.text.is_empty() && !matches!(view, View::Kept { .. }) {
                // A chunk can have no rows.
                let rows = rows.min(texts.len());
                if rows > 0 {
                    survey.observe_empty(number(0), rows);
                }
                continue;
            }
            texts.iter().enumerate().take(rows).for_each(|(row, value)| survey.observe(number(row), value));
        }
        Ok(())
    }

    fn merge(&mut self, other: Surveys) -> Result<(), Error> {
        self.0.iter_mut().zip(other.0).for_each(|(survey, other)| survey.merge(other));
        Ok(())
    }

    fn bytes(&self) -> usize {
        self.0.iter().map(Survey::bytes).sum()
    }
}

/// The collector of one thread, handed on at its end. The row numbers that it sees increase.
struct ThreadCollector<'d, C> {
    own: Option<C>,
    done: &'d Mutex<Vec<C>>,
}

impl<C> ThreadCollector<'_, C> {
    fn get(&mut self) -> Option<&mut C> {
        self.own.as_mut()
    }
}

impl<C> Drop for ThreadCollector<'_, C> {
    fn drop(&mut self) {
        lock(self.done).extend(self.own.take());
    }
}
