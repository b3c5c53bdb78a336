//! Delimited text as a source, in blocks of whole rows.

pub mod encoder;

mod cell;
mod chunk;
mod dialect;
mod guess;
mod index;
mod marks;
mod quotes;
pub mod record;
mod row_ends;
#[cfg(test)]
mod strip_tests;

use std::collections::VecDeque;
use std::sync::Arc;

pub use dialect::{Dialect, delimiter};
use keen_notch_core::column::Header;

use crate::Error;
use crate::formats::delimited::chunk::{ChunkContext, DelimitedChunk};
use crate::formats::delimited::encoder::DelimitedEncoder;
use crate::formats::delimited::record::{Cells, Record};
use crate::formats::delimited::row_ends::OutsideQuotes;
use crate::formats::descriptor::{FormatDescriptor, Opening};
use crate::kind::{Between, FormatInfo, Kind};
use crate::source::blocks;
use crate::source::blocks::{Block, Blocks};
use crate::source::input::SizedFile;
use crate::source::strips::Strips;
use crate::source::{Chunk, Format, Reading, Source, TableFormat};

const INFO: FormatInfo = FormatInfo { name: "delimited text", ..FormatInfo::TEXT };

static CSV: FormatInfo = FormatInfo { endings: &["csv"], delimiter: Some(Between::CommaOrSemicolon), ..INFO };
static TEXT: FormatInfo = FormatInfo { endings: &["txt"], delimiter: Some(Between::Anything), ..INFO };
static TABS: FormatInfo = FormatInfo { endings: &["tsv", "tab"], delimiter: Some(Between::Only(b'\t')), ..INFO };
static BARS: FormatInfo = FormatInfo { endings: &["psv"], delimiter: Some(Between::Only(b'|')), ..INFO };

pub static FORMATS: [FormatDescriptor; 4] = [format(&CSV), format(&TEXT), format(&TABS), format(&BARS)];

const fn format(kind: Kind) -> FormatDescriptor {
    FormatDescriptor {
        open: Some(|opening| Ok(Box::new(DelimitedSource::open(opening)?))),
        encoder: Some(|asked| Ok(Box::new(DelimitedEncoder::for_output(asked)))),
        ..FormatDescriptor::new(kind)
    }
}

/// The properties of an opened table.
#[derive(Debug, Clone)]
pub struct DelimitedText {
    pub dialect: Dialect,
    pub preamble: Preamble,
}

impl TableFormat for DelimitedText {
    fn kind(&self) -> Kind {
        &TEXT
    }

    fn delimiter(&self) -> Option<u8> {
        Some(self.dialect.delimiter)
    }

    fn is_guessed(&self) -> bool {
        self.dialect.is_guessed
    }

    fn reading(&self, first: &Reading, _: &Header) -> Reading {
        Reading { other_delimiter: self.delimiter(), otherwise: self.kind(), ..first.clone() }
    }
}

/// Maximum empty lines after a header, in bytes, to skip in order to examine the first row.
const MOST_BLANK: usize = 1 << 20;

/// The bytes before the first row of a table.
#[derive(Debug, Clone, Default)]
pub struct Preamble {
    pub byte_order_mark: bool,
    /// The first line if it sets the delimiter (`sep=;`), with its line end; otherwise empty.
    pub separator: String,
    /// Empty lines and the header row without its line end; only the empty lines without a header.
    pub header: String,
    /// The line end of the first row, or `
    /// ` if it has none.
    pub line_end: String,
    /// Whether the header row has a line end.
    pub ended: bool,
    /// Whether every cell of the first rows is quoted.
    pub quotes_all: bool,
}

impl Preamble {
    /// The header row without the empty lines before it and without its line end.
    pub fn header_row(&self) -> &str {
        self.header.trim_start_matches(['\r', '\n'])
    }

    /// The start of a file of offcuts: the header row, in a line of its own.
    pub fn for_offcuts(&self) -> Preamble {
        Preamble { byte_order_mark: false, header: self.header_row().to_owned(), ended: true, ..self.clone() }
    }
}

pub struct DelimitedSource {
    dialect: Dialect,
    preamble: Preamble,
    header: Header,
    blocks: Blocks<OutsideQuotes>,
    first: Option<(Block, usize)>,
    ahead: VecDeque<Block>,
    shape: Arc<ChunkContext>,
    shared: Shared,
}

/// The file for threads that share the reading.
struct Shared {
    /// The file, if it can be read at any place.
    file: Option<SizedFile>,
    strips: Option<Strips<OutsideQuotes>>,
    reading: Reading,
}

impl DelimitedSource {
    /// Opens an input and reads its header.
    ///
    /// # Errors
    /// It cannot be read, is empty or has another format, or the given delimiter is invalid.
    pub fn open(Opening { input, kind, is_named, reading }: Opening) -> Result<DelimitedSource, Error> {
        let given = reading.delimiter.as_deref().map(delimiter).transpose()?;
        let name = input.name();
        let (reader, file) = input.open_text(reading)?;
        let (start, reader) = guess::start(reader).map_err(|error| Error::of_reading(&name, error))?;
        let other = reading.other_delimiter.filter(|other| kind.other_delimiter(*other).is_none());
        let declared = given.or(start.declared).or(kind.only_delimiter()).or(other);
        let delimiter = declared.or(start.guessed).unwrap_or(b',');
        let dialect = Dialect { delimiter, header: reading.header, is_guessed: declared.is_none() && start.guessed.is_some() };
        let mut blocks = Blocks::new(name.clone(), reader, OutsideQuotes::new(dialect.delimiter), reading);
        let byte_order_mark = blocks.byte_order_mark()?;
        let (mut skipped, mut ahead) = (String::new(), VecDeque::new());
        let mut separator = String::new();
        while let Some(block) = blocks.next_block()? {
            let text = block.text(&name)?;
            let mut at = 0;
            if separator.is_empty() && skipped.is_empty() && start.declared.is_some() {
                at = text.find('\n').map_or(text.len(), |line_end| line_end + 1);
                separator.push_str(&text[..at]);
            }
            let from = at;
            let mut cells = Cells::default();
            while at < text.len() {
                let record = Record::read(text, at, dialect.delimiter, &mut cells);
                if record.is_blank_line() {
                    at += record.width();
                    continue;
                }
                if let Some((found, from)) = json(record.raw, &text[at + record.width()..]).filter(|_| !is_named) {
                    return Err(Error::LooksLike { name, found, from });
                }
                // A trailing carriage return belongs to the cell if other rows end differently.
                let has_return = !record.raw.starts_with('"') && record.raw.trim_end_matches('\r').contains('\r');
                if has_return && at + record.width() == text.len() {
                    ahead.push_back(blocks.next_block()?.ok_or_else(|| Error::CarriageReturns { name: name.clone() })?);
                }
                let quotes_all = is_in_quotes(&record) && {
                    let (mut next, mut looked) = (first_is_in_quotes(&text[at + record.width()..], dialect.delimiter), 0);
                    // The result does not depend on the size of reads, unless empty lines never end.
                    while next.is_none()
                        && looked < MOST_BLANK
                        && let Some(block) = blocks.next_block()?
                    {
                        next = first_is_in_quotes(block.text(&name)?, dialect.delimiter);
                        looked += block.bytes().len();
                        ahead.push_back(block);
                    }
                    next != Some(false)
                };
                if record.raw.len() > reading.max_row {
                    let line = block.first_line + blocks::lines(&block.bytes()[..at]);
                    return Err(Error::RowTooLong { name, line, limit: reading.max_row });
                }
                let mut preamble = Preamble {
                    byte_order_mark,
                    separator,
                    header: String::new(),
                    line_end: if record.line_end.is_empty() { "\n" } else { record.line_end }.to_owned(),
                    ended: !record.line_end.is_empty(),
                    quotes_all,
                };
                let (header, rows) = if dialect.header {
                    preamble.header = format!("{skipped}{}{}", &text[from..at], record.raw);
                    let names = (0..record.count()).map(|index| record.owned_value(index)).collect();
                    (Header::Names(names), at + record.width())
                } else {
                    preamble.header = format!("{skipped}{}", &text[from..at]);
                    (Header::Unnamed(record.count()), at)
                };
                let shape = Arc::new(ChunkContext::new(name, header.count(), dialect.delimiter, reading));
                let first = Some((block, rows));
                let shared = Shared { file, strips: None, reading: reading.clone() };
                return Ok(DelimitedSource { dialect, preamble, header, blocks, first, ahead, shape, shared });
            }
            skipped.push_str(&text[from..]);
        }
        Err(Error::Empty { name })
    }
}

fn is_in_quotes(record: &Record) -> bool {
    (0..record.count()).all(|cell| record.raw_cell(cell).starts_with('"'))
}

/// Whether every cell of the first row is quoted; `None` without a row.
fn first_is_in_quotes(text: &str, delimiter: u8) -> Option<bool> {
    let (mut cells, mut at) = (Cells::default(), 0);
    while at < text.len() {
        let record = Record::read(text, at, delimiter, &mut cells);
        if !record.is_blank_line() {
            return Some(is_in_quotes(&record));
        }
        at += record.width();
    }
    None
}

/// The format and its option value, if the first row and the text after it are JSON.
fn json(row: &str, after: &str) -> Option<(&'static str, &'static str)> {
    match (is_object(row), begins_array(row, after)) {
        (true, _) => Some(("JSON Lines", "jsonl")),
        (_, true) => Some(("JSON", "json")),
        _ => None,
    }
}

fn is_object(row: &str) -> bool {
    row.trim_start().strip_prefix('{').is_some_and(|rest| rest.trim_start().starts_with(['"', '}']))
}

/// Whether a row and the text after it begin an array of objects.
fn begins_array(row: &str, after: &str) -> bool {
    let rest = row.trim_start().strip_prefix('[').map(str::trim_start);
    rest.is_some_and(|rest| {
        is_object(rest) || (rest.is_empty() && after.trim_start().starts_with('{')) || rest.trim_end() == "{"
    })
}

impl Source for DelimitedSource {
    fn name(&self) -> &str {
        &self.shape.name
    }

    fn header(&self) -> &Header {
        &self.header
    }

    fn next_chunk(&mut self) -> Result<Option<Box<dyn Chunk>>, Error> {
        let (block, start) = match self.first.take() {
            Some(first) => first,
            None if self.ahead.is_empty() && self.shared.strips.is_some() => {
                let strip = self.shared.strips.as_mut().and_then(Strips::next_strip);
                return Ok(
                    strip.map(|strip| Box::new(DelimitedChunk::of_strip(strip, Arc::clone(&self.shape))) as Box<dyn Chunk>)
                );
            }
            None => match self.ahead.pop_front().map_or_else(|| self.blocks.next_block(), |block| Ok(Some(block)))? {
                Some(block) => (block, 0),
                None => return Ok(None),
            },
        };
        Ok(Some(Box::new(DelimitedChunk::new(block, start, Arc::clone(&self.shape)))))
    }

    fn share_reading(&mut self) {
        let (from, line) = self.blocks.position();
        // A file that the system makes, such as `/proc/kallsyms`, can have more bytes than its size of 0.
        if let Some(SizedFile { file, size }) = self.shared.file.take().filter(|file| from < file.size) {
            let row_ends = OutsideQuotes::new(self.dialect.delimiter);
            let name = self.shape.name.clone();
            self.shared.strips = Some(Strips::new(name, file, (from, size), line, row_ends, &self.shared.reading));
        }
    }

    fn format(&self) -> Format {
        Format::new(DelimitedText { dialect: self.dialect, preamble: self.preamble.clone() })
    }
}
