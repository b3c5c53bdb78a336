//! Tables of the program itself: faults, and matching rows.

use keen_notch_core::batch::{Batch, Buffer};
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
use crate::source::memory::MemoryChunk;
use crate::source::types::{ObservedTypes, Type};
use crate::source::{CellKind, Chunk, Rows};

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

const MOST_ROWS: usize = 4096;
const MOST_TEXT: usize = 512 << 10;

/// A table whose rows the program makes. The encoder is the same as for the rows of inputs.
pub struct OwnTable {
    encoder: Box<dyn Encoder>,
    rows: MemoryChunk,
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
        let rows = MemoryChunk::new(String::new(), columns.len());
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
        for value in values {
            match value {
                Value::Text(text) => self.rows.push(CellKind::Text, text),
                Value::Count(Some(count)) => self.rows.push(CellKind::Number, &count.to_string()),
                Value::Count(None) => self.rows.push(CellKind::Nothing, ""),
            }
        }
        if self.rows.rows() >= MOST_ROWS || self.rows.size() >= MOST_TEXT { self.end(out) } else { Ok(()) }
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
        let rows = Rows { numbers: (0..range.end as u32).collect(), ..Rows::default() };
        let batch = Batch { rows: range.end, ..Batch::default() };
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
        self.rows.clear();
        written
    }
}
