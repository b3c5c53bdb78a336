//! Tables of the program itself: faults, and matching rows.

use std::ops::Range;

use keen_notch_core::batch::{Batch, Buffer, Span};
use keen_notch_core::carving::{BatchResults, Carving};
use keen_notch_core::column::Header;

use crate::Error;
use crate::encode::EncoderRequest;
use crate::encode::lists::RowFaults;
use crate::encode::{Encodable, Encoder, Held, Out, OutputSchema, TextOptions};
use crate::formats;
use crate::formats::delimited;
use crate::kind::FileFormat;
use crate::sink::Sink;
use crate::source::types::{ObservedTypes, Type};
use crate::source::{Cell, CellKind, Chunk, LineCount, RawRows, Rows};

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Value<'v> {
    Text(&'v str),
    Count(Option<u64>),
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OwnColumn {
    pub title: String,
    /// Whether its values are numbers; otherwise they are texts.
    pub is_count: bool,
}

/// Rows and bytes of text at which the rows are encoded.
const MOST_ROWS: usize = 4096;
const MOST_TEXT: usize = 512 << 10;

/// A table whose rows the program makes. The encoder is the same as for the rows of inputs.
pub struct OwnTable {
    encoder: Box<dyn Encoder>,
    rows: OwnRows,
    carving: Carving,
}

impl OwnTable {
    /// Selects the encoder. Delimited text has this delimiter, unless the format has its own.
    ///
    /// # Errors
    /// The format does not support such tables.
    pub fn new(named: FileFormat, delimiter: u8, columns: &[OwnColumn]) -> Result<OwnTable, Error> {
        let kind = named.kind.unwrap_or(delimited::FORMATS[0].kind);
        if kind.needs_positions {
            return Err(Error::NoTable { format: kind.name });
        }
        let options = TextOptions { delimiter: Some(kind.only_delimiter().unwrap_or(delimiter)), ..TextOptions::default() };
        let header = Header::Names(columns.iter().map(|column| column.title.clone()).collect());
        let of = |column: &OwnColumn| ObservedTypes { first: column.is_count.then_some((Type::Whole, 1)), other: None };
        let types: Vec<ObservedTypes> = columns.iter().map(of).collect();
        let shape = &OutputSchema::of_header(&header);
        let asked = EncoderRequest { kind, read: None, options, places: None, header: &header, types: &types, shape };
        let encoder = formats::encoder(asked)?;
        let rows = OwnRows { columns: columns.len(), ..OwnRows::default() };
        Ok(OwnTable { encoder, rows, carving: Carving::default() })
    }

    /// Writes the header.
    ///
    /// # Errors
    /// The output cannot be written.
    pub fn begin(&self, out: &mut dyn Sink) -> Result<(), Error> {
        let mut bytes = Buffer::default();
        self.encoder.begin(&mut bytes);
        out.put(bytes.bytes())
    }

    /// Adds a row.
    ///
    /// # Errors
    /// The output cannot be written.
    pub fn row(&mut self, values: &[Value], out: &mut dyn Sink) -> Result<(), Error> {
        values.iter().for_each(|value| self.rows.push(value));
        if self.rows.rows() >= MOST_ROWS || self.rows.text.len() >= MOST_TEXT { self.end(out) } else { Ok(()) }
    }

    /// Writes the last rows.
    ///
    /// # Errors
    /// The output cannot be written.
    pub fn end(&mut self, out: &mut dyn Sink) -> Result<(), Error> {
        let range = 0..self.rows.rows();
        if range.is_empty() {
            return Ok(());
        }
        let (mut bytes, mut held, mut written) = (Buffer::default(), Held::default(), Ok(()));
        let mut hand_on = |bytes: &mut Buffer| {
            if written.is_ok() {
                written = out.put(bytes.bytes());
            }
            bytes.clear();
            written.is_ok()
        };
        let mut into = Out::new((&mut bytes, &mut held), &mut hand_on);
        let rows = Rows { numbers: (0..range.end as u32).collect(), columns: Vec::new() };
        let batch = Batch { rows: range.end, columns: &[] };
        let input = Encodable {
            chunk: &self.rows,
            text: "",
            range,
            rows: &rows,
            batch: &batch,
            batch_results: &BatchResults::default(),
            carving: &self.carving,
            written: None,
            faults: &RowFaults::default(),
            reasons: &[],
        };
        self.encoder.encode(&input, &mut into)?;
        self.encoder.end_chunk(&self.rows, &mut into)?;
        hand_on(&mut bytes);
        self.rows = OwnRows { columns: self.rows.columns, ..OwnRows::default() };
        written
    }
}

#[derive(Default)]
struct OwnRows {
    columns: usize,
    text: String,
    cells: Vec<(CellKind, Span)>,
}

impl OwnRows {
    fn push(&mut self, value: &Value) {
        let start = self.text.len();
        let kind = match value {
            Value::Text(text) => {
                self.text.push_str(text);
                CellKind::Text
            }
            Value::Count(Some(count)) => {
                self.text.push_str(&count.to_string());
                CellKind::Number
            }
            Value::Count(None) => CellKind::Nothing,
        };
        self.cells.push((kind, Span::new(start, self.text.len())));
    }
}

impl Chunk for OwnRows {
    fn open(&mut self, _: &[usize]) -> Result<(), Error> {
        Ok(())
    }

    fn source(&self) -> &str {
        ""
    }

    fn text(&self) -> Result<&str, Error> {
        Ok(&self.text)
    }

    fn rows(&self) -> usize {
        self.cells.len() / self.columns.max(1)
    }

    fn take<'c>(&'c self, text: &'c str, rows: Range<usize>, into: &mut Rows<'c>) {
        let columns: Vec<usize> = (0..self.columns).collect();
        into.begin(rows.clone(), &columns);
        for (column, values) in into.columns.iter_mut().enumerate() {
            values.fill(text, rows.clone().map(|row| self.cells[row * self.columns + column].1));
        }
    }

    fn cell<'c>(&'c self, _: &'c str, row: usize, column: usize) -> Cell<'c> {
        let (kind, span) = self.cells[row * self.columns + column];
        Cell::new(kind, span.text(&self.text))
    }

    fn ragged(&self, _: Range<usize>) -> &[(u32, u32)] {
        &[]
    }

    fn line(&self, row: usize, _: &mut LineCount) -> u64 {
        row as u64 + 1
    }

    fn raw(&self) -> Option<RawRows<'_>> {
        None
    }

    fn size(&self) -> usize {
        self.text.len()
    }
}
