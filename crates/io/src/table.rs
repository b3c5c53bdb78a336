//! A table made of one or more inputs with the same columns, read chunk by chunk.

use std::collections::VecDeque;
use std::ops::ControlFlow;
use std::sync::Arc;

use keen_notch_core::batch::Batch;
use keen_notch_core::column::Header;

use crate::Error;
use crate::encode::{Encoder, Shape};
pub use crate::source::delimited::Ragged;
use crate::source::delimited::{Delimited, Dialect, MOST_ROW};
use crate::source::input::{Encoding, Input};
use crate::source::meter::Meter;
use crate::source::{Chunk, LineCount, Rows, Source};

/// Rows that are worked on together: few enough for all that is known of them to stay near the processor, and many enough
/// that what is done once for all of them does not matter.
pub const BATCH: usize = 256;

/// How inputs are to be read.
#[derive(Debug, Clone)]
pub struct Reading {
    /// The delimiter as given; otherwise the input's name decides.
    pub delimiter: Option<String>,
    /// Whether the first row holds the names of the columns.
    pub header: bool,
    /// The encoding, if it is not UTF-8.
    pub encoding: Option<Encoding>,
    /// The longest row allowed, in bytes.
    pub max_row: usize,
    /// What becomes of rows with another number of cells than there are columns.
    pub ragged: Ragged,
    /// How many bytes are read at a time; `None` leaves it to the reader.
    pub stride: Option<usize>,
    /// Counts what has been read and done.
    pub meter: Arc<Meter>,
}

impl Default for Reading {
    fn default() -> Reading {
        Reading {
            delimiter: None,
            header: true,
            encoding: None,
            max_row: MOST_ROW,
            ragged: Ragged::Stop,
            stride: None,
            meter: Arc::default(),
        }
    }
}

/// A table that has been opened: its header is known, its rows are still to come.
pub struct Table {
    /// The columns.
    pub header: Header,
    /// The byte between two cells, where the table is delimited text.
    pub delimiter: u8,
    dialect: Dialect,
    reading: Reading,
    current: Box<dyn Source>,
    waiting: VecDeque<Waiting>,
    first: String,
}

/// An input whose turn has not come.
enum Waiting {
    /// A file that is opened again when it is its turn.
    File(Input),
    /// What can be read once only, and has been begun with.
    Open(Box<dyn Source>),
    /// Standard input, which nobody has looked at yet.
    Unseen(Input),
}

/// A row of a batch that is looked at by itself.
pub struct RowAt<'a> {
    /// Its index in the batch.
    pub index: usize,
    /// Its number in the table, from 1.
    pub number: u64,
    /// The values of the batch.
    pub batch: &'a Batch<'a>,
    /// The lines of its input that it begins and ends on, from 1.
    pub lines: (u64, u64),
}

impl RowAt<'_> {
    /// The value of a column; empty where it was not asked for.
    pub fn value(&self, column: usize) -> &str {
        self.batch.value(column, self.index)
    }
}

impl Table {
    /// Opens the inputs as one table. Every input but standard input is opened, and its header compared with the first
    /// one's, before a row is read.
    ///
    /// # Errors
    /// Where an input cannot be read, is empty, or has other columns than the first.
    pub fn open(inputs: &[Input], reading: &Reading) -> Result<Table, Error> {
        let mut inputs = inputs.iter().cloned();
        let first = inputs.next().unwrap_or(Input::Stdin);
        let dialect = Dialect::new(reading.delimiter.as_deref(), first.path(), reading.header)?;
        reading.meter.restart();
        let current: Box<dyn Source> = Box::new(Delimited::open(&first, dialect, reading)?);
        let header = current.header().clone();
        let mut waiting = VecDeque::new();
        for input in inputs {
            if input == Input::Stdin {
                waiting.push_back(Waiting::Unseen(input));
                continue;
            }
            // The first look at a file is not counted: it is read again when it is its turn. What is no file cannot be.
            let is_file = input.is_ordinary_file();
            let meter = if is_file { Arc::default() } else { Arc::clone(&reading.meter) };
            let source = Delimited::open(&input, dialect, &Reading { meter, ..reading.clone() })?;
            same_columns(current.name(), &header, &source)?;
            waiting.push_back(if is_file { Waiting::File(input) } else { Waiting::Open(Box::new(source)) });
        }
        let (first, delimiter) = (current.name().to_owned(), dialect.delimiter);
        Ok(Table { header, delimiter, dialect, reading: reading.clone(), current, waiting, first })
    }

    /// The next rows; `None` after the last.
    ///
    /// # Errors
    /// Where an input cannot be read on, or a later one has other columns than the first.
    pub fn next_chunk(&mut self) -> Result<Option<Box<dyn Chunk>>, Error> {
        loop {
            if let Some(chunk) = self.current.next_chunk()? {
                return Ok(Some(chunk));
            }
            self.current = match self.waiting.pop_front() {
                None => return Ok(None),
                Some(Waiting::Open(source)) => source,
                Some(Waiting::File(input) | Waiting::Unseen(input)) => {
                    let source = Delimited::open(&input, self.dialect, &self.reading)?;
                    same_columns(&self.first, &self.header, &source)?;
                    Box::new(source)
                }
            };
        }
    }

    /// What writes rows of the table in its own format.
    pub fn own_encoder(&self, shape: &Shape) -> Box<dyn Encoder> {
        self.current.own_encoder(shape)
    }

    /// What becomes of rows with another number of cells than there are columns.
    pub fn ragged(&self) -> Ragged {
        self.reading.ragged
    }

    /// Counts what has been read and done.
    pub fn shared_meter(&self) -> Arc<Meter> {
        Arc::clone(&self.reading.meter)
    }

    /// Calls `see` with batches of rows in turn, with the values of some columns, until it breaks off. `see` gets the number
    /// of rows before the batch, and the batch.
    ///
    /// # Errors
    /// As [`Table::next_chunk`], and where a row has another number of cells than there are columns.
    pub fn each_batch(&mut self, columns: &[usize], mut see: impl FnMut(u64, &Batch) -> ControlFlow<()>) -> Result<(), Error> {
        self.each_part(columns, |before, _, _, batch| see(before, batch))
    }

    /// Calls `see` with each row in turn, with the values of some columns, until it breaks off.
    ///
    /// # Errors
    /// As [`Table::each_batch`].
    pub fn each_row(&mut self, columns: &[usize], mut see: impl FnMut(&RowAt) -> ControlFlow<()>) -> Result<(), Error> {
        let mut count = LineCount::default();
        self.each_part(columns, |before, (chunk, text), first, batch| {
            if first == 0 {
                count = LineCount::default();
            }
            for index in 0..batch.rows {
                let line = chunk.line(first + index, &mut count);
                let raw = chunk.raw().and_then(|raw| raw.rows.get(first + index).copied()).unwrap_or_default();
                let last = line + raw.raw.text(text).matches('\n').count() as u64;
                let number = before + index as u64 + 1;
                if see(&RowAt { index, number, batch, lines: (line, last) }).is_break() {
                    return ControlFlow::Break(());
                }
            }
            ControlFlow::Continue(())
        })
    }

    fn each_part(
        &mut self,
        columns: &[usize],
        mut see: impl FnMut(u64, (&dyn Chunk, &str), usize, &Batch) -> ControlFlow<()>,
    ) -> Result<(), Error> {
        let columns = in_order(columns);
        let meter = self.shared_meter();
        let (mut memory, mut before) = (Rows::default(), 0);
        while let Some(mut chunk) = self.next_chunk()? {
            chunk.open(&columns)?;
            let chunk = &*chunk;
            let text = chunk.text()?;
            let mut rows: Rows = memory.recycle();
            let mut flow = ControlFlow::Continue(());
            for start in (0..chunk.rows()).step_by(BATCH) {
                chunk.take(text, start..(start + BATCH).min(chunk.rows()), &mut rows);
                meter.add_rows(rows.len() as u64);
                flow = rows.with_batch(|batch| see(before, (chunk, text), start, batch));
                before += rows.len() as u64;
                if flow.is_break() {
                    break;
                }
            }
            memory = rows.recycle();
            if flow.is_break() {
                break;
            }
        }
        Ok(())
    }
}

/// Columns in their order, each once.
pub fn in_order(columns: &[usize]) -> Vec<usize> {
    let mut columns = columns.to_vec();
    columns.sort_unstable();
    columns.dedup();
    columns
}

fn same_columns(first: &str, header: &Header, source: &dyn Source) -> Result<(), Error> {
    let found = source.header();
    if found == header {
        return Ok(());
    }
    let title = |header: &Header, column| if column < header.count() { header.title(column) } else { "not there".to_owned() };
    let most = header.count().max(found.count());
    let column = (0..most).find(|column| title(header, *column) != title(found, *column)).unwrap_or(0);
    Err(Error::OtherColumns {
        name: source.name().to_owned(),
        first: first.to_owned(),
        column: column + 1,
        found: title(found, column),
        wanted: title(header, column),
    })
}
