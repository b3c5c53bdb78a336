//! JSON as a source: an object per line, or an array of objects. Their keys are the columns.
//!
//! The columns are in the order of first appearance. Output as JSON Lines needs only those of the first lines. If all columns matter, the
//! inputs are scanned first, if they can be read twice.

pub mod encoder;

pub mod array;
mod chunk;
mod keys;
pub mod line;
mod lists;

use std::collections::VecDeque;
use std::io::Read;
use std::sync::Arc;

use keen_notch_core::column::Header;

use crate::Error;
use crate::formats::descriptor::FormatDescriptor;
use crate::formats::json_lines::array::ArrayReader;
use crate::formats::json_lines::chunk::{ChunkContext, JsonLinesChunk};
use crate::formats::json_lines::encoder::JsonLines as JsonLinesEncoder;
use crate::formats::json_lines::keys::Keys;
use crate::kind::{FormatInfo, Kind};
use crate::source::blocks::{Block, Blocks, EachLine};
use crate::source::input::Input;
use crate::source::types::ObservedTypes;
use crate::source::{Chunk, Format, Reading, Source, TableFormat};

pub static INFO: FormatInfo =
    FormatInfo { name: "JSON Lines", endings: &["jsonl", "ndjson"], has_objects: true, ..FormatInfo::TEXT };

pub static FORMATS: [FormatDescriptor; 2] = [
    of_kind(&INFO),
    // An array of objects.
    FormatDescriptor { finish: Some(array::transform), ..of_kind(&array::INFO) },
];

const fn of_kind(kind: Kind) -> FormatDescriptor {
    FormatDescriptor {
        open: Some(|opening| Ok(Box::new(JsonLines::open(opening.input, opening.reading)?))),
        columns: Some(columns),
        encoder: Some(|asked| Ok(Box::new(JsonLinesEncoder::for_output(asked)?))),
        ..FormatDescriptor::new(kind)
    }
}

/// Opens an input as lines.
fn open_lines(input: &Input, reading: &Reading) -> Result<Box<dyn Read + Send>, Error> {
    let reader = input.open(reading)?;
    Ok(if reading.kind(input) == &array::INFO { Box::new(ArrayReader::new(reader)) } else { reader })
}

impl TableFormat for Style {
    fn kind(&self) -> Kind {
        if self.is_array { &array::INFO } else { &INFO }
    }

    fn reading(&self, first: &Reading, header: &Header) -> Reading {
        Reading { columns: Some((header.clone(), Vec::new())), otherwise: self.kind(), ..first.clone() }
    }
}

/// Bytes of an input to scan for columns before the first row, unless all are needed.
const LOOKED: usize = 256 << 10;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Style {
    /// Whether the objects are in an array.
    pub is_array: bool,
    pub byte_order_mark: bool,
    pub spaces_after_colons: bool,
    pub spaces_after_commas: bool,
}

pub struct JsonLines {
    header: Header,
    style: Style,
    types: Vec<ObservedTypes>,
    blocks: Blocks<EachLine>,
    first: VecDeque<Block>,
    shape: Arc<ChunkContext>,
    may_have_more: bool,
}

impl JsonLines {
    /// Opens an input and finds its columns.
    ///
    /// # Errors
    /// It cannot be read or is empty, or an examined line is not an object.
    pub fn open(input: &Input, reading: &Reading) -> Result<JsonLines, Error> {
        let name = input.name();
        let mut keys = Keys::default();
        let mut blocks = Blocks::new(name.clone(), open_lines(input, reading)?, EachLine, reading);
        let byte_order_mark = blocks.byte_order_mark()?;
        let (mut first, mut looked, mut style) = (VecDeque::new(), 0, None);
        while looked < LOOKED || style.is_none() {
            let Some(block) = blocks.next_block()? else { break };
            let of_first = keys.find(&block, &name, LOOKED.saturating_sub(looked).max(1), reading.all_columns)?;
            style = style.or(of_first);
            looked += block.bytes().len();
            first.push_back(block);
        }
        let is_array = reading.kind(input) == &array::INFO;
        let style = Style { is_array, byte_order_mark, ..style.unwrap_or_default() };
        let mut types = keys.types.clone();
        if let Some((columns, known)) = &reading.columns {
            (keys, types) = (Keys::of(columns), known.clone());
        }
        if keys.count() == 0 {
            return Err(Error::Empty { name });
        }
        let header = keys.header();
        let shape = Arc::new(ChunkContext::new(name, keys, is_array, reading));
        Ok(JsonLines { header, style, types, blocks, first, shape, may_have_more: !reading.all_columns })
    }
}

/// The columns and types of all lines of some inputs; `None` without columns.
///
/// # Errors
/// An input cannot be read, or a line is not an object.
pub fn columns(inputs: &[Input], reading: &Reading) -> Result<Option<(Header, Vec<ObservedTypes>)>, Error> {
    // The progress display does not count this scan.
    let reading = Reading { meter: Arc::default(), ..reading.clone() };
    let mut keys = Keys::default();
    for input in inputs {
        let mut blocks = Blocks::new(input.name(), open_lines(input, &reading)?, EachLine, &reading);
        blocks.byte_order_mark()?;
        while let Some(block) = blocks.next_block()? {
            keys.find(&block, &input.name(), usize::MAX, true)?;
        }
    }
    Ok((keys.count() > 0).then(|| (keys.header(), keys.types)))
}

impl Source for JsonLines {
    fn name(&self) -> &str {
        &self.shape.name
    }

    fn header(&self) -> &Header {
        &self.header
    }

    fn types(&self) -> &[ObservedTypes] {
        &self.types
    }

    fn may_have_more_columns(&self) -> bool {
        self.may_have_more
    }

    fn next_chunk(&mut self) -> Result<Option<Box<dyn Chunk>>, Error> {
        let block = match self.first.pop_front() {
            Some(block) => Some(block),
            None => self.blocks.next_block()?,
        };
        Ok(block.map(|block| Box::new(JsonLinesChunk::new(block, Arc::clone(&self.shape))) as Box<dyn Chunk>))
    }

    fn format(&self) -> Format {
        Format::new(self.style)
    }
}
