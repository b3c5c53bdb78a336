//! A table made of one or more inputs with the same columns, read chunk by chunk.

use std::collections::VecDeque;
use std::ops::ControlFlow;
use std::sync::Arc;

use keen_notch_core::batch::Batch;
use keen_notch_core::carving::Worked;
use keen_notch_core::column::Header;
use keen_notch_core::summary;

use crate::Error;
use crate::batches::{Batches, Limits};
use crate::inputs::Inputs;
use crate::part::{self, PartRead};
use crate::pool::HasSize;
use crate::source::input::Input;
use crate::source::json_lines;
use crate::source::meter::Meter;
use crate::source::types::Seen;
use crate::source::unchanged::Unchanged;
use crate::source::{self, Chunk, Format, LineCount, Ragged, Reading, Rows, Source};
use crate::view::View;

/// A table that has been opened: its header is known, its rows are still to come.
pub struct Table {
    /// The columns.
    pub header: Header,
    /// How it is written down.
    pub format: Format,
    /// What the values of each column are, where the format says that of each value, as far as it is known.
    pub types: Vec<Seen>,
    /// Its inputs, and where the rows of each begin, as far as it has been read row by row.
    pub inputs: Inputs,
    /// The input that is being read, by its index.
    at: usize,
    reading: Reading,
    current: Box<dyn Source>,
    waiting: VecDeque<Waiting>,
    /// The columns whose values will be asked for, where that was said.
    needed: Option<Vec<usize>>,
    first: String,
    /// All its inputs, and how the first of them was to be read.
    all: Vec<Input>,
    first_reading: Reading,
    /// Where only a part of it is read.
    part: Option<PartRead>,
    /// Its files before the first reading.
    unchanged: Unchanged,
    /// Whether this is a later reading.
    is_again: bool,
}

/// Some rows of one of the inputs.
pub struct Part {
    /// The input, by its index.
    pub input: usize,
    /// Its rows.
    pub chunk: Box<dyn Chunk>,
}

impl HasSize for Part {
    fn size(&self) -> usize {
        self.chunk.size()
    }
}

/// An input whose turn has not come.
enum Waiting {
    /// One that is opened again when it is its turn.
    Again(Input),
    /// What can be read once only, and has been begun with.
    Open(Box<dyn Source>),
    /// Standard input, which nobody has looked at yet.
    Unseen(Input),
}

/// Where in the table a batch begins.
#[derive(Debug, Clone, Copy, Default)]
struct Before {
    /// Rows before it.
    rows: u64,
    /// The input that it is of.
    input: usize,
    /// Rows of the inputs before that.
    rows_of_others: u64,
}

/// A row of a batch that is looked at by itself.
pub struct RowAt<'a> {
    /// Its index in the batch.
    pub index: usize,
    /// Its number in the table, from 1.
    pub number: u64,
    /// The input it is of, from 0, and its number there, from 1.
    pub place: (usize, u64),
    /// The values of the batch.
    pub batch: &'a Batch<'a>,
    /// What is looked at.
    view: View<'a>,
    /// What came of the batch.
    pub worked: &'a Worked,
    /// The lines of its input that it begins and ends on, from 1.
    pub lines: (u64, u64),
}

impl RowAt<'_> {
    /// The value of a column; empty where it was not asked for.
    pub fn value(&self, column: usize) -> &str {
        self.batch.value(column, self.index)
    }

    /// The text of one of the columns or pieces that are looked at, by its index among these.
    pub fn text(&self, index: usize) -> &str {
        self.view.texts(index, self.batch, self.worked).get(self.index)
    }
}

impl Table {
    /// Opens the inputs as one table. Every input but standard input is opened, and its header compared with the first
    /// one's, before a row is read.
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
        Table::open_unchanged(inputs, reading, Unchanged::of(inputs), reading.all_columns)
    }

    fn open_unchanged(inputs: &[Input], reading: &Reading, unchanged: Unchanged, is_again: bool) -> Result<Table, Error> {
        let rows_of = Inputs::new(inputs);
        let (all, first_reading) = (inputs.to_vec(), reading.clone());
        let known = if reading.all_columns { json_lines::columns(inputs, reading)? } else { None };
        let reading = &Reading { columns: known, ..reading.clone() };
        let mut inputs = inputs.iter().cloned();
        reading.meter.restart();
        let current = source::open(&inputs.next().unwrap_or(Input::Stdin), reading)?;
        let (first, header, format) = (current.name().to_owned(), current.header().clone(), current.format());
        let types = current.types().to_vec();
        // Whatever its name, a later input is read as the first one.
        let reading = format.reading(reading, &header);
        let mut waiting = VecDeque::new();
        for input in inputs {
            if input == Input::Stdin {
                waiting.push_back(Waiting::Unseen(input));
                continue;
            }
            // The first look at an input is not counted: it is read again when it is its turn. A pipe cannot be.
            let again = !input.is_read_once();
            let meter = if again { Arc::default() } else { Arc::clone(&reading.meter) };
            let source = source::open(&input, &Reading { meter, ..reading.clone() })?;
            same_columns(&first, (&header, &format), &*source)?;
            waiting.push_back(if again { Waiting::Again(input) } else { Waiting::Open(source) });
        }
        Ok(Table {
            header,
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
        })
    }

    /// What `find` finds by the columns. Where that is not found among the columns of the first rows, and rows further on may have
    /// others, they are looked for. To be called before the first row is read.
    ///
    /// # Errors
    /// That of `find`, and where the inputs cannot be read.
    pub fn find<T, E: From<Error>>(&mut self, find: impl Fn(&Header) -> Result<T, E>) -> Result<T, E> {
        let found = find(&self.header);
        if found.is_ok() || !self.current.may_have_more_columns() || self.is_read_once() {
            return found;
        }
        let reading = Reading { all_columns: true, ..self.first_reading.clone() };
        *self = Table::open_unchanged(&self.all, &reading, self.unchanged.clone(), true)?;
        find(&self.header)
    }

    /// The names of its inputs, where all are files that are read as they are.
    pub(crate) fn plain_files(&self) -> Option<Vec<String>> {
        let name = |input: &Input| {
            let is_plain = !input.is_read_once() && self.first_reading.named(input).compression.is_none();
            input.path().filter(|_| is_plain && self.part.is_none())?.to_str().map(str::to_owned)
        };
        self.all.iter().map(name).collect()
    }

    /// Whether one of its inputs cannot be read a second time.
    pub fn is_read_once(&self) -> bool {
        self.all.iter().any(Input::is_read_once)
    }

    /// The same table from its start, with the same columns.
    ///
    /// # Errors
    /// As [`Table::open`]. At its end, [`Table::next_part`] fails if a file has changed since the first reading.
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

    /// Says that only the values of these columns will be asked for, by their indices, which rise. To be called before the first row
    /// is read.
    pub(crate) fn need(&mut self, columns: &[usize]) {
        self.current.need(columns);
        self.needed = Some(columns.to_vec());
    }

    /// The next rows; `None` after the last.
    ///
    /// # Errors
    /// Where an input cannot be read on, or a later one has other columns than the first; after an earlier reading, where a file has changed.
    pub fn next_part(&mut self) -> Result<Option<Part>, Error> {
        if let Some(chunk) = self.part.as_mut().and_then(|part| part.first.take()) {
            return Ok(Some(Part { input: self.at, chunk }));
        }
        loop {
            if self.part.as_ref().is_some_and(|part| part.is_over(self.at)) {
                return self.end();
            }
            if let Some(chunk) = self.current.next_chunk()? {
                self.part.iter_mut().for_each(|part| part.read += chunk.size() as u64);
                return Ok(Some(Part { input: self.at, chunk }));
            }
            if !self.go_on()? {
                return self.end();
            }
        }
    }

    /// The end of the rows.
    fn end(&self) -> Result<Option<Part>, Error> {
        if self.is_again {
            self.check_unchanged()?;
        }
        Ok(None)
    }

    /// Goes on to the next input, if there is one.
    fn go_on(&mut self) -> Result<bool, Error> {
        let mut source = match self.waiting.pop_front() {
            None => return Ok(false),
            Some(Waiting::Open(source)) => source,
            Some(Waiting::Again(input) | Waiting::Unseen(input)) => {
                let source = source::open(&input, &self.reading)?;
                same_columns(&self.first, (&self.header, &self.format), &*source)?;
                source
            }
        };
        self.needed.iter().for_each(|columns| source.need(columns));
        self.current = source;
        self.at += 1;
        self.part.iter_mut().for_each(|part| part.read = 0);
        Ok(true)
    }

    /// Leaves out all rows but those of a part; what is before it in the same input is read, to know how many rows and lines that is. To
    /// be called before the first row is read.
    ///
    /// # Errors
    /// Where what is before it cannot be read.
    pub fn take_part(&mut self, part: summary::Part) -> Result<(), Error> {
        let bounds = part::bounds(&self.all, &self.first_reading, part)?;
        while self.at < bounds.inputs.start && self.go_on()? {}
        let (inputs, from) = (bounds.inputs.clone(), bounds.from);
        let (mut rows, mut read, mut first) = (0, 0, None);
        if from > 0 {
            while let Some(mut chunk) = self.current.next_chunk()? {
                let size = chunk.size() as u64;
                if read >= from {
                    first = bounds.to.is_none_or(|to| inputs.len() > 1 || read < to).then_some(chunk);
                    read += size;
                    break;
                }
                chunk.open(&[])?;
                chunk.text()?;
                rows += chunk.rows() as u64;
                read += size;
            }
        }
        self.inputs.take_part(inputs, rows);
        self.part = Some(PartRead { is_continued: part.number > 1, bounds, first, read });
        Ok(())
    }

    /// Whether another part of it comes before that which is read.
    pub fn is_continued(&self) -> bool {
        self.part.as_ref().is_some_and(|part| part.is_continued)
    }

    /// What becomes of rows with another number of cells than there are columns.
    pub fn ragged(&self) -> Ragged {
        self.reading.ragged
    }

    /// How many bytes the results of its rows may take, where this number of threads work on them.
    pub(crate) fn limits(&self, threads: usize) -> Limits {
        Limits::new(&self.reading, threads)
    }

    /// Counts what has been read and done.
    pub fn shared_meter(&self) -> Arc<Meter> {
        Arc::clone(&self.reading.meter)
    }

    /// Calls `see` with batches of rows in turn, with the values of some columns, until it breaks off. `see` gets the number
    /// of rows before the batch, and the batch.
    ///
    /// # Errors
    /// As [`Table::next_part`], and where a row has another number of cells than there are columns.
    pub fn each_batch(&mut self, columns: &[usize], mut see: impl FnMut(u64, &Batch) -> ControlFlow<()>) -> Result<(), Error> {
        self.each_part(View::Columns(columns), |before, _, _, batch, _| see(before.rows, batch))
    }

    /// Calls `see` with batches of rows in turn, with what is looked at of them worked out, until it breaks off. `see` gets the
    /// number of rows before the batch, the batch, and what came of it.
    ///
    /// # Errors
    /// As [`Table::each_batch`].
    pub(crate) fn each_view(
        &mut self,
        view: View,
        mut see: impl FnMut(u64, &Batch, &Worked) -> ControlFlow<()>,
    ) -> Result<(), Error> {
        self.each_part(view, |before, _, _, batch, worked| see(before.rows, batch, worked))
    }

    /// Calls `see` with each row in turn, with what is looked at of it worked out, until it breaks off.
    ///
    /// # Errors
    /// As [`Table::each_batch`].
    pub fn each_row(&mut self, view: View, mut see: impl FnMut(&RowAt) -> ControlFlow<()>) -> Result<(), Error> {
        let mut count = LineCount::default();
        self.each_part(view, |before, (chunk, text), first, batch, worked| {
            if first == 0 {
                count = LineCount::default();
            }
            for index in 0..batch.rows {
                let line = chunk.line(first + index, &mut count);
                let raw = chunk.raw().and_then(|raw| raw.rows.get(first + index).copied()).unwrap_or_default();
                let last = line + raw.raw.text(text).matches('\n').count() as u64;
                let number = before.rows + index as u64 + 1;
                let place = (before.input, number - before.rows_of_others);
                if see(&RowAt { index, number, place, batch, worked, view, lines: (line, last) }).is_break() {
                    return ControlFlow::Break(());
                }
            }
            ControlFlow::Continue(())
        })
    }

    fn each_part(
        &mut self,
        view: View,
        mut see: impl FnMut(Before, (&dyn Chunk, &str), usize, &Batch, &Worked) -> ControlFlow<()>,
    ) -> Result<(), Error> {
        let columns = in_order(&view.needs());
        self.need(&columns);
        let meter = self.shared_meter();
        let limits = self.limits(1);
        let (mut memory, mut worked, mut before) = (Rows::default(), Worked::default(), Before::default());
        while let Some(Part { input, mut chunk }) = self.next_part()? {
            self.inputs.begin(input, before.rows);
            if input != before.input {
                before = Before { input, rows_of_others: before.rows, ..before };
            }
            chunk.open(&columns)?;
            let chunk = &*chunk;
            let text = chunk.text()?;
            let mut rows: Rows = memory.recycle();
            let mut flow = ControlFlow::Continue(());
            let mut batches = Batches::of(chunk.rows(), chunk.cells_of_row(columns.len()), limits);
            while let Some(range) = batches.next(&mut worked)
                && flow.is_continue()
            {
                chunk.take(text, range.clone(), &mut rows);
                let seen = rows.with_batch(|batch| {
                    view.work_out(batch, &mut worked)?;
                    Ok(see(before, (chunk, text), range.start, batch, &worked))
                });
                flow = match seen {
                    Ok(flow) => flow,
                    Err(too_large) => {
                        batches.take_again(range, too_large, chunk)?;
                        continue;
                    }
                };
                before.rows += rows.len() as u64;
                meter.add_rows(rows.len() as u64);
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

fn same_columns(first: &str, (header, format): (&Header, &Format), source: &dyn Source) -> Result<(), Error> {
    let found = source.format();
    if let Some((column, found, wanted)) = format.other_type(&found) {
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
