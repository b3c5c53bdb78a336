//! A table of one or more inputs with the same columns, read in chunks.

use std::collections::VecDeque;
use std::ops::{ControlFlow, Range};
use std::sync::Arc;

use keen_notch_core::batch::Batch;
use keen_notch_core::carving::{BatchResults, BatchRows};
use keen_notch_core::column::Header;
use keen_notch_core::summary;

use crate::Error;
use crate::batches::{Batches, Limits};
use crate::formats;
use crate::inputs::Inputs;
use crate::part::{self, Bounds, PartRead};
use crate::pool::HasSize;
use crate::source::decoding::{WrongBytes, replaced_within};
use crate::source::file_stamps::FileStamps;
use crate::source::input::{Encoding, Input};
use crate::source::meter::Meter;
use crate::source::types::ObservedTypes;
use crate::source::{Chunk, Format, LineCount, Ragged, Reading, Rows, Source, TypeDifference};
use crate::view::View;

/// An opened table: the header is known, the rows are not read yet.
pub struct Table {
    pub header: Header,
    /// The header of its files, without columns from the names of folders.
    pub file_header: Header,
    pub format: Format,
    /// The types of the columns, as far as they are known.
    pub types: Vec<ObservedTypes>,
    pub inputs: Inputs,
    at: usize,
    reading: Reading,
    current: Box<dyn Source>,
    waiting: VecDeque<Waiting>,
    needed: Option<Vec<usize>>,
    first: String,
    all: Vec<Input>,
    first_reading: Reading,
    part: Option<PartRead>,
    unchanged: FileStamps,
    is_again: bool,
    is_shared: bool,
}

pub struct TableChunk {
    pub input: usize,
    pub chunk: Box<dyn Chunk>,
}

impl HasSize for TableChunk {
    fn size(&self) -> usize {
        self.chunk.size()
    }
}

enum Waiting {
    Again(Input),
    Open(Box<dyn Source>),
    Unseen(Input),
}

#[derive(Debug, Clone, Copy, Default)]
struct BatchPosition {
    rows: u64,
    input: usize,
    rows_of_others: u64,
}

/// Some rows of a chunk in a view, which can have left out some of them.
pub(crate) struct ViewedRows<'a> {
    chunk: &'a dyn Chunk,
    text: &'a str,
    /// The rows of the chunk that were read.
    pub range: Range<usize>,
    /// The number of rows of the table before them.
    pub before: u64,
    pub batch: &'a Batch<'a>,
    pub batch_results: &'a BatchResults,
}

impl ViewedRows<'_> {
    fn index_in_chunk(&self, index: usize) -> usize {
        self.batch.numbers.rows.get(index).map_or(self.range.start + index, |row| *row as usize)
    }

    /// The number of a row in the table, from 1.
    pub fn number(&self, index: usize) -> u64 {
        self.before + (self.index_in_chunk(index) - self.range.start) as u64 + 1
    }
}

pub struct RowAt<'a> {
    pub index: usize,
    /// Its number in the table, from 1.
    pub number: u64,
    /// Its input, from 0, and its number in it, from 1.
    pub place: (usize, u64),
    pub batch: &'a Batch<'a>,
    view: View<'a>,
    pub batch_results: &'a BatchResults,
    /// Its first and last line in the input, from 1.
    pub lines: (u64, u64),
}

impl RowAt<'_> {
    /// The value of a column; empty if it was not requested.
    pub fn value(&self, column: usize) -> &str {
        self.batch.value(column, self.index)
    }

    /// The text of a column or piece of the view, by its index.
    pub fn text(&self, index: usize) -> &str {
        self.view.texts(index, self.batch, self.batch_results).get(self.index)
    }
}

impl Table {
    /// Opens the inputs as one table. Opens all inputs except standard input, and compares their headers, before a row is read.
    ///
    /// ```
    /// use keen_notch_io::source::Reading;
    /// use keen_notch_io::source::input::Input;
    /// use keen_notch_io::table::Table;
    ///
    /// let parts = Input::Memory("parts.csv".to_owned(), b"part_code,depot\nGRP-1,East\n".as_slice().into());
    /// let table = Table::open(&[parts], &Reading::default())?;
    /// assert_eq!(table.header.title(1), "depot");
    /// # Ok::<(), keen_notch_io::Error>(())
    /// ```
    ///
    /// # Errors
    /// Where an input cannot be read, is empty, or has other columns than the first.
    pub fn open(inputs: &[Input], reading: &Reading) -> Result<Table, Error> {
        Table::open_unchanged(inputs, reading, FileStamps::of(inputs), reading.all_columns)
    }

    fn open_unchanged(inputs: &[Input], reading: &Reading, unchanged: FileStamps, is_again: bool) -> Result<Table, Error> {
        let mut rows_of = Inputs::new(inputs);
        let (all, first_reading) = (inputs.to_vec(), reading.clone());
        let known = if reading.all_columns { formats::columns(inputs, reading)? } else { None };
        let stride = match reading.parts {
            Some(parts) if reading.stride.is_none() => part::stride(inputs, reading, parts)?,
            _ => reading.stride,
        };
        let reading = &Reading { columns: known, stride, ..reading.clone() };
        let mut inputs = inputs.iter().cloned();
        let columns_of_others;
        reading.meter.restart();
        let first = inputs.next().unwrap_or(Input::Stdin);
        let opened = match formats::open(&first, reading) {
            // A first input without rows has the columns of the others, if their format finds columns in rows.
            Err(Error::Empty { .. }) if all.len() > 1 && reading.columns.is_none() => {
                columns_of_others = Reading { columns: formats::columns(&all, reading)?, ..reading.clone() };
                formats::open(&first, &columns_of_others)
            }
            opened => opened,
        };
        let current = opened?;
        let (first, header, format) = (current.name().to_owned(), current.header().clone(), current.format());
        let file_header = current.file_header().clone();
        rows_of.add_folders(current.values_of_folders());
        let types = current.types().to_vec();
        // Later inputs are read like the first one, whatever their names.
        let reading = format.reading(reading, &file_header);
        let mut waiting = VecDeque::new();
        for input in inputs {
            if input == Input::Stdin {
                waiting.push_back(Waiting::Unseen(input));
                continue;
            }
            // Progress does not count the first opening, because the input is read again in its turn. A pipe is read once.
            let again = !input.is_read_once();
            let meter = if again { Arc::default() } else { Arc::clone(&reading.meter) };
            let source = formats::open(&input, &Reading { meter, ..reading.clone() })?;
            same_columns(&first, (&header, &format), &*source)?;
            rows_of.add_folders(source.values_of_folders());
            waiting.push_back(if again { Waiting::Again(input) } else { Waiting::Open(source) });
        }
        Ok(Table {
            header,
            file_header,
            format,
            types,
            needed: None,
            inputs: rows_of,
            at: 0,
            reading,
            current,
            waiting,
            first,
            all,
            first_reading,
            part: None,
            unchanged,
            is_again,
            is_shared: false,
        })
    }

    /// Calls `find` with the header. If it fails and later rows may have other columns, scans the inputs for all columns and tries again.
    /// Call it before the first row.
    ///
    /// # Errors
    /// The error of `find`, or the inputs cannot be read.
    pub fn find<T, E: From<Error>>(&mut self, find: impl Fn(&Header) -> Result<T, E>) -> Result<T, E> {
        let found = find(&self.header);
        if found.is_ok() || !self.current.may_have_more_columns() || self.is_read_once() {
            return found;
        }
        let reading = Reading { all_columns: true, ..self.first_reading.clone() };
        *self = Table::open_unchanged(&self.all, &reading, self.unchanged.clone(), true)?;
        find(&self.header)
    }

    /// The titles of the columns from the names of folders.
    pub(crate) fn titles_of_folders(&self) -> Vec<String> {
        (self.file_header.count()..self.header.count()).map(|column| self.header.title(column)).collect()
    }

    /// The number of columns from the names of folders. They follow the columns of the files.
    pub fn folders(&self) -> usize {
        self.header.count() - self.file_header.count()
    }

    /// The names of its inputs, if all are files without conversions.
    pub(crate) fn plain_files(&self) -> Option<Vec<String>> {
        let name = |input: &Input| {
            let is_plain = !input.is_read_once() && self.first_reading.compression(input).is_none();
            input.path().filter(|_| is_plain && self.part.is_none())?.to_str().map(str::to_owned)
        };
        self.all.iter().map(name).collect()
    }

    /// Whether an input can be read only once.
    pub fn is_read_once(&self) -> bool {
        self.all.iter().any(Input::is_read_once)
    }

    /// The same table from its start.
    ///
    /// # Errors
    /// The errors of [`Table::open`]. At its end, [`Table::next_part`] fails if a file has changed since the first reading.
    pub fn again(&self) -> Result<Table, Error> {
        Table::open_unchanged(&self.all, &self.first_reading, self.unchanged.clone(), true)
    }

    /// Checks its files for changes since the first reading.
    ///
    /// # Errors
    /// One of them has changed.
    pub fn check_unchanged(&self) -> Result<(), Error> {
        self.unchanged.check()
    }

    /// Lets threads share the reading, except of a part, which ends where the size of the chunks before says. The chunks do not depend on
    /// the number of threads.
    pub(crate) fn share_reading(&mut self) {
        self.is_shared = self.part.is_none();
        if self.is_shared {
            self.current.share_reading();
        }
    }

    pub(crate) fn need(&mut self, columns: &[usize]) {
        self.current.need(columns);
        self.needed = Some(columns.to_vec());
    }

    /// The next rows; `None` at the end.
    ///
    /// # Errors
    /// An input cannot be read, or has other columns than the first; in a later reading, a file has changed.
    pub fn next_part(&mut self) -> Result<Option<TableChunk>, Error> {
        if let Some(chunk) = self.part.as_mut().and_then(|part| part.first.take()) {
            return Ok(Some(TableChunk { input: self.at, chunk }));
        }
        loop {
            if self.part.as_ref().is_some_and(|part| part.is_over(self.at)) {
                return self.end();
            }
            if let Some(chunk) = self.current.next_chunk()? {
                self.part.iter_mut().for_each(|part| part.read += chunk.size() as u64);
                return Ok(Some(TableChunk { input: self.at, chunk }));
            }
            if !self.go_on()? {
                return self.end();
            }
        }
    }

    fn end(&self) -> Result<Option<TableChunk>, Error> {
        if self.is_again {
            self.check_unchanged()?;
        }
        Ok(None)
    }

    fn go_on(&mut self) -> Result<bool, Error> {
        let mut source = match self.waiting.pop_front() {
            None => return Ok(false),
            Some(Waiting::Open(source)) => source,
            Some(Waiting::Again(input) | Waiting::Unseen(input)) => {
                let source = formats::open(&input, &self.reading)?;
                same_columns(&self.first, (&self.header, &self.format), &*source)?;
                source
            }
        };
        self.needed.iter().for_each(|columns| source.need(columns));
        if self.is_shared {
            source.share_reading();
        }
        self.current = source;
        self.at += 1;
        self.part.iter_mut().for_each(|part| part.read = 0);
        Ok(true)
    }

    /// Restricts the table to a part. Scans the rows before it in the same input to number rows and lines. Call it before the first row.
    ///
    /// # Errors
    /// Those rows cannot be read.
    pub fn take_part(&mut self, part: summary::Part) -> Result<(), Error> {
        let bounds = part::bounds(&self.all, &self.first_reading, part)?;
        while self.at < bounds.inputs.start && self.go_on()? {}
        let (inputs, from) = (bounds.inputs.clone(), bounds.from);
        let (mut rows, mut read, mut start, mut first) = (0, 0, 0, None);
        if from > 0 {
            while let Some(mut chunk) = self.current.next_chunk()? {
                let size = chunk.size() as u64;
                if read >= from {
                    let is_own = bounds.to.is_none_or(|to| inputs.len() > 1 || read < to);
                    start = if is_own { read } else { read + size };
                    first = is_own.then_some(chunk);
                    read += size;
                    break;
                }
                chunk.open(&[])?;
                chunk.text()?;
                rows += chunk.rows() as u64;
                read += size;
                start = read;
            }
        }
        self.inputs.take_part(inputs, rows);
        self.part = Some(PartRead { is_continued: part.number > 1, bounds, first, read, start });
        Ok(())
    }

    /// Counts the invalid sequences of a part, once it is read. The decoder counted other parts too.
    ///
    /// # Errors
    /// An input cannot be read again.
    pub fn settle_replaced(&self) -> Result<(), Error> {
        let Some(part) = self.part.as_ref().filter(|_| self.reading.wrong_bytes == WrongBytes::Replace) else { return Ok(()) };
        let Bounds { inputs, to, .. } = &part.bounds;
        let mut replaced = 0;
        for index in inputs.clone() {
            let input = &self.all[index];
            let is_last = index + 1 == inputs.end && to.is_some();
            let start = if index == inputs.start { part.start } else { 0 };
            let end = if is_last { part.read.max(start) } else { u64::MAX };
            if self.first_reading.kind(input).is_text {
                let encoding = self.first_reading.encoding.unwrap_or(Encoding::UTF_8);
                let reader = input.open_unpacked(&Reading { meter: Arc::default(), ..self.first_reading.clone() })?;
                let counted = replaced_within(reader, encoding, start..end);
                replaced += counted.map_err(|error| Error::of_reading(&input.name(), error))?;
            }
        }
        self.reading.meter.set_replaced(replaced);
        Ok(())
    }

    /// Whether the part follows another one.
    pub fn is_continued(&self) -> bool {
        self.part.as_ref().is_some_and(|part| part.is_continued)
    }

    /// What to do with rows that have too few or too many cells.
    pub fn ragged(&self) -> Ragged {
        self.reading.ragged
    }

    pub(crate) fn limits(&self, threads: usize) -> Limits {
        Limits::new(&self.reading, threads)
    }

    /// Progress counters.
    pub fn shared_meter(&self) -> Arc<Meter> {
        Arc::clone(&self.reading.meter)
    }

    /// Calls `see` with batches of some columns in order, until it returns a break. `see` gets the number of earlier rows, and the batch.
    ///
    /// # Errors
    /// The errors of [`Table::next_part`], or a row has too few or too many cells.
    pub fn each_batch(&mut self, columns: &[usize], mut see: impl FnMut(u64, &Batch) -> ControlFlow<()>) -> Result<(), Error> {
        self.each_part(View::Columns(columns), |before, rows| see(before.rows, rows.batch))
    }

    /// Calls `see` with the rows of a view, batch by batch, until it returns a break.
    ///
    /// # Errors
    /// The errors of [`Table::each_batch`].
    pub(crate) fn each_view(&mut self, view: View, mut see: impl FnMut(&ViewedRows) -> ControlFlow<()>) -> Result<(), Error> {
        self.each_part(view, |_, rows| see(rows))
    }

    /// Calls `see` with each row and its results for a view, until it returns a break.
    ///
    /// # Errors
    /// The errors of [`Table::each_batch`].
    pub fn each_row(&mut self, view: View, mut see: impl FnMut(&RowAt) -> ControlFlow<()>) -> Result<(), Error> {
        let mut count = LineCount::default();
        self.each_part(view, |before, rows| {
            let ViewedRows { chunk, text, batch, batch_results, .. } = *rows;
            if rows.range.start == 0 {
                count = LineCount::default();
            }
            for index in 0..batch.rows {
                let at = rows.index_in_chunk(index);
                let line = chunk.line(at, &mut count);
                let raw = chunk.raw().and_then(|raw| raw.rows.get(at).copied()).unwrap_or_default();
                let last = line + raw.raw.text(text).matches('\n').count() as u64;
                let number = rows.number(index);
                let place = (before.input, number - before.rows_of_others);
                if see(&RowAt { index, number, place, batch, batch_results, view, lines: (line, last) }).is_break() {
                    return ControlFlow::Break(());
                }
            }
            ControlFlow::Continue(())
        })
    }

    fn each_part(
        &mut self,
        view: View,
        mut see: impl FnMut(BatchPosition, &ViewedRows) -> ControlFlow<()>,
    ) -> Result<(), Error> {
        let columns = in_order(&view.needs());
        self.need(&columns);
        let meter = self.shared_meter();
        let limits = self.limits(1);
        let (mut memory, mut batch_results, mut before) = (Rows::default(), BatchResults::default(), BatchPosition::default());
        while let Some(TableChunk { input, mut chunk }) = self.next_part()? {
            self.inputs.begin(input, before.rows);
            if input != before.input {
                before = BatchPosition { input, rows_of_others: before.rows, ..before };
            }
            chunk.open(&columns)?;
            let chunk = &*chunk;
            let text = chunk.text()?;
            let mut rows: Rows = memory.recycle();
            let before_chunk = before.rows - before.rows_of_others + self.inputs.skipped(input);
            let mut flow = ControlFlow::Continue(());
            let mut batches = Batches::of(chunk.rows(), chunk.cells_of_row(columns.len()), limits);
            while let Some(range) = batches.next(&mut batch_results)
                && flow.is_continue()
            {
                chunk.take(text, range.clone(), &mut rows);
                rows.before = before_chunk;
                flow = match view.work_out(&mut rows, &mut batch_results) {
                    Ok(()) => rows.with_batch(|batch| {
                        let (before_batch, range) = (before.rows, range.clone());
                        let batch_results = &batch_results;
                        see(before, &ViewedRows { chunk, text, range, before: before_batch, batch, batch_results })
                    }),
                    Err(too_large) => {
                        batches.take_again(range, too_large, chunk)?;
                        continue;
                    }
                };
                before.rows += range.len() as u64;
                meter.add_rows(range.len() as u64);
            }
            memory = rows.recycle();
            if flow.is_break() {
                break;
            }
        }
        Ok(())
    }
}

pub fn in_order(columns: &[usize]) -> Vec<usize> {
    let mut columns = columns.to_vec();
    columns.sort_unstable();
    columns.dedup();
    columns
}

fn same_columns(first: &str, (header, format): (&Header, &Format), source: &dyn Source) -> Result<(), Error> {
    let found = source.format();
    if let Some(TypeDifference { column, own: wanted, other: found }) = format.other_type(&found) {
        let (name, first) = (source.name().to_owned(), first.to_owned());
        return Err(Error::OtherType { name, first, column, found, wanted });
    }
    if found.name() != format.name() {
        let (name, first) = (source.name().to_owned(), first.to_owned());
        return Err(Error::OtherFormat { name, found: found.name(), first, wanted: format.name() });
    }
    let found = source.header();
    if found == header {
        return Ok(());
    }
    let title = |header: &Header, column| (column < header.count()).then(|| header.title(column));
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
