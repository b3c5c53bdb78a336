//! A table made of one or more inputs with the same columns, read part by part.

use std::collections::VecDeque;
use std::ops::ControlFlow;
use std::sync::Arc;

use keen_notch_core::column::Header;

use crate::Error;
use crate::block::{Block, Blocks, MOST_ROW, lines};
use crate::dialect::Dialect;
use crate::input::{Encoding, Input};
use crate::meter::Meter;
use crate::record::{Cells, Record};

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

/// What becomes of rows with another number of cells than there are columns.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Ragged {
    /// The run ends with an error.
    #[default]
    Stop,
    /// They are kept: cells that are not there are blank, cells too many stay where they are.
    Keep,
    /// They are set aside with the rows that have faults.
    SetAside,
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
    /// How the table is written down.
    pub dialect: Dialect,
    /// What stands before the first row: a byte-order mark and the header row with its line end.
    pub preamble: Preamble,
    reading: Reading,
    current: Open,
    waiting: VecDeque<Input>,
}

/// What stands before the first row of a table, byte for byte.
#[derive(Debug, Clone, Default)]
pub struct Preamble {
    /// Whether there is a byte-order mark.
    pub byte_order_mark: bool,
    /// Blank lines and the header row without its line end; empty where there is no header.
    pub header: String,
    /// The line end of the first row, or `\n` where it has none.
    pub line_end: String,
    /// Whether the header row itself ends in a line end.
    pub ended: bool,
}

impl Preamble {
    /// The header row without the blank lines before it and without its line end.
    pub fn header_row(&self) -> &str {
        self.header.trim_start_matches(['\r', '\n'])
    }
}

/// Some rows of a table.
pub struct Part {
    block: Block,
    /// Where the rows begin in the block: behind the header in an input's first.
    start: usize,
    name: String,
    columns: usize,
    delimiter: u8,
    ragged: Ragged,
}

/// A row, or a line that is none.
pub enum Line<'b> {
    /// A row, and the byte of its part at which it begins.
    Row(Record<'b>, usize),
    /// A row with another number of cells than there are columns, and where it begins. Only where the reader
    /// was not told to stop there.
    Ragged(Record<'b>, usize),
    /// A line with nothing on it in a table of several columns: no row, but nothing to lose either.
    Blank(Record<'b>),
}

impl Line<'_> {
    /// How many bytes of the part it takes, its line end included.
    pub fn width(&self) -> usize {
        match self {
            Line::Row(record, _) | Line::Ragged(record, _) | Line::Blank(record) => record.width(),
        }
    }
}

/// Where a row stands. Its line is counted only when it is asked for.
#[derive(Clone, Copy)]
pub struct At<'p> {
    part: &'p Part,
    at: usize,
}

impl At<'_> {
    /// The line of the input that the row begins on, from 1.
    pub fn line(self) -> u64 {
        self.part.line(self.at)
    }
}

/// An input that is being read.
struct Open {
    name: String,
    blocks: Blocks,
    /// The block that held the header, and where the rows begin in it.
    first: Option<(Block, usize)>,
    preamble: Preamble,
    header: Header,
}

impl Open {
    fn new(input: &Input, dialect: Dialect, reading: &Reading) -> Result<Open, Error> {
        let name = input.name();
        let reader = input.open(reading.encoding, &reading.meter)?;
        let mut blocks = Blocks::new(name.clone(), reader, dialect.delimiter, reading.max_row);
        if let Some(stride) = reading.stride {
            blocks = blocks.with_stride(stride);
        }
        let byte_order_mark = blocks.byte_order_mark()?;
        let mut skipped = String::new();
        while let Some(block) = blocks.next_block()? {
            let text = block_text(&block, &name)?;
            let mut at = 0;
            let mut cells = Cells::default();
            while at < text.len() {
                let record = Record::read(text, at, dialect.delimiter, &mut cells);
                if record.is_blank_line() {
                    at += record.width();
                    continue;
                }
                if !record.raw.starts_with('"') && record.raw.trim_end_matches('\r').contains('\r') {
                    return Err(Error::CarriageReturns { name });
                }
                let mut preamble = Preamble {
                    byte_order_mark,
                    header: String::new(),
                    line_end: if record.line_end.is_empty() { "\n" } else { record.line_end }.to_owned(),
                    ended: !record.line_end.is_empty(),
                };
                let (header, rows) = if dialect.header {
                    preamble.header = format!("{skipped}{}{}", &text[..at], record.raw);
                    let names = (0..record.count()).map(|index| record.owned_value(index)).collect();
                    (Header::Names(names), at + record.width())
                } else {
                    (Header::Unnamed(record.count()), at)
                };
                return Ok(Open { name, blocks, first: Some((block, rows)), preamble, header });
            }
            skipped.push_str(text);
        }
        Err(Error::Empty { name })
    }

    fn next(&mut self, delimiter: u8, ragged: Ragged) -> Result<Option<Part>, Error> {
        let (block, start) = match self.first.take() {
            Some(first) => first,
            None => match self.blocks.next_block()? {
                Some(block) => (block, 0),
                None => return Ok(None),
            },
        };
        Ok(Some(Part { block, start, name: self.name.clone(), columns: self.header.count(), delimiter, ragged }))
    }
}

impl Table {
    /// Opens the inputs as one table. Every file is opened and its header compared with the first one's
    /// before a row is read.
    ///
    /// # Errors
    /// Where an input cannot be read, is empty, or has other columns than the first.
    pub fn open(inputs: &[Input], reading: &Reading) -> Result<Table, Error> {
        let mut waiting: VecDeque<Input> = inputs.iter().cloned().collect();
        let first = waiting.pop_front().unwrap_or(Input::Stdin);
        let dialect = Dialect::new(reading.delimiter.as_deref(), first.path(), reading.header)?;
        // The first look at the others is not counted: they are read again when it is their turn.
        let first_look = Reading { meter: Arc::default(), ..reading.clone() };
        reading.meter.restart();
        let current = Open::new(&first, dialect, reading)?;
        for input in waiting.iter().filter(|input| **input != Input::Stdin) {
            same_columns(&current, &Open::new(input, dialect, &first_look)?)?;
        }
        let (header, preamble) = (current.header.clone(), current.preamble.clone());
        Ok(Table { header, dialect, preamble, reading: reading.clone(), current, waiting })
    }

    /// The next rows; `None` behind the last.
    ///
    /// # Errors
    /// Where an input cannot be read on, or a later one has other columns than the first.
    pub fn next_part(&mut self) -> Result<Option<Part>, Error> {
        loop {
            if let Some(part) = self.current.next(self.dialect.delimiter, self.reading.ragged)? {
                return Ok(Some(part));
            }
            let Some(input) = self.waiting.pop_front() else { return Ok(None) };
            let next = Open::new(&input, self.dialect, &self.reading)?;
            same_columns(&self.current, &next)?;
            self.current = next;
        }
    }

    /// Counts what has been read and done.
    pub fn shared_meter(&self) -> Arc<Meter> {
        Arc::clone(&self.reading.meter)
    }

    /// Calls `see` with each row in turn and where it stands, until it breaks off.
    ///
    /// # Errors
    /// As [`Table::next_part`], and where a row has another number of cells than there are columns.
    pub fn each_row(&mut self, mut see: impl FnMut(&Record, At) -> ControlFlow<()>) -> Result<(), Error> {
        let meter = self.shared_meter();
        while let Some(part) = self.next_part()? {
            if rows_of(&part, &meter, &mut see)?.is_break() {
                break;
            }
        }
        Ok(())
    }
}

/// Calls `see` with each row of a part, and counts them.
fn rows_of(part: &Part, meter: &Meter, see: &mut impl FnMut(&Record, At) -> ControlFlow<()>) -> Result<ControlFlow<()>, Error> {
    let mut rows = 0;
    let flow = part.each_line(|line| match line {
        Line::Row(record, at) | Line::Ragged(record, at) => {
            rows += 1;
            see(&record, At { part, at })
        }
        Line::Blank(_) => ControlFlow::Continue(()),
    })?;
    meter.add_rows(rows);
    Ok(flow)
}

fn same_columns(first: &Open, other: &Open) -> Result<(), Error> {
    if first.header == other.header {
        return Ok(());
    }
    let title = |header: &Header, index| if index < header.count() { header.title(index) } else { "not there".to_owned() };
    let columns = first.header.count().max(other.header.count());
    let differs = (0..columns).find(|&index| title(&first.header, index) != title(&other.header, index)).unwrap_or(0);
    Err(Error::OtherColumns {
        name: other.name.clone(),
        first: first.name.clone(),
        column: differs + 1,
        found: title(&other.header, differs),
        wanted: title(&first.header, differs),
    })
}

impl Part {
    /// The columns of the table.
    pub fn columns(&self) -> usize {
        self.columns
    }

    /// What becomes of rows with another number of cells.
    pub fn ragged(&self) -> Ragged {
        self.ragged
    }

    /// The bytes of the part, its header before the first row included.
    pub fn bytes(&self) -> &[u8] {
        &self.block.bytes
    }

    /// The line of the input that the part begins on, from 1.
    pub fn first_line(&self) -> u64 {
        self.block.first_line
    }

    /// The line of the input that byte `at` of the part is on, from 1.
    pub fn line(&self, at: usize) -> u64 {
        self.block.first_line + lines(&self.block.bytes[..at])
    }

    /// The text of the part, its header before the first row included.
    ///
    /// # Errors
    /// Where it is not UTF-8.
    pub fn text(&self) -> Result<&str, Error> {
        block_text(&self.block, &self.name)
    }

    /// The byte that divides cells.
    pub fn delimiter(&self) -> u8 {
        self.delimiter
    }

    /// The byte that the first row begins at.
    pub fn start(&self) -> usize {
        self.start
    }

    /// The line that begins at byte `at` of the part, whose text this is.
    ///
    /// # Errors
    /// Where it is a row with another number of cells than there are columns.
    pub fn line_at<'b>(&self, text: &'b str, at: usize, cells: &'b mut Cells) -> Result<Line<'b>, Error> {
        let record = Record::read(text, at, self.delimiter, cells);
        if record.count() == self.columns {
            Ok(Line::Row(record, at))
        } else if record.is_blank_line() {
            Ok(Line::Blank(record))
        } else if self.ragged != Ragged::Stop {
            Ok(Line::Ragged(record, at))
        } else {
            let (name, line) = (self.name.clone(), self.line(at));
            Err(Error::Ragged { name, line, found: record.count(), wanted: self.columns })
        }
    }

    /// Calls `see` with each line in turn, until it breaks off.
    ///
    /// # Errors
    /// Where the part is not UTF-8, or a row has another number of cells than there are columns.
    pub fn each_line(&self, mut see: impl FnMut(Line) -> ControlFlow<()>) -> Result<ControlFlow<()>, Error> {
        let text = self.text()?;
        let mut cells = Cells::default();
        let mut at = self.start;
        while at < text.len() {
            let line = self.line_at(text, at, &mut cells)?;
            at += line.width();
            if see(line).is_break() {
                return Ok(ControlFlow::Break(()));
            }
        }
        Ok(ControlFlow::Continue(()))
    }
}

fn block_text<'b>(block: &'b Block, name: &str) -> Result<&'b str, Error> {
    simdutf8::compat::from_utf8(&block.bytes).map_err(|error| {
        let at = error.valid_up_to();
        let before = &block.bytes[..at];
        let line_start = memchr::memrchr(b'\n', before).map_or(0, |n| n + 1);
        Error::NotUtf8 {
            name: name.to_owned(),
            line: block.first_line + lines(before),
            byte: at - line_start + 1,
            value: block.bytes[at],
        }
    })
}
