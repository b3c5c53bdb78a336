//! Divides an input into blocks that end at row ends.

use std::io::{self, Read};
use std::ops::Range;
use std::sync::{Arc, Mutex};

use keen_notch_core::batch::OWN_MAPPING;

use crate::Error;
use crate::pool::lock;
use crate::source::foreign::utf16;
use crate::source::{LineCount, Reading};

const ENOUGH: usize = 16;

/// Bytes examined at a time, with one bit each in a mask.
pub const BLOCK: usize = 64;

/// Finds row ends from left to right.
pub trait RowEnds: Send {
    /// Examines further blocks, the first of which is at a position.
    fn look(&mut self, blocks: &[[u8; BLOCK]], at: usize) -> LineEnds;

    fn opened(&self) -> Option<usize>;

    fn go_on(&mut self, bytes: usize);
}

pub struct LineEnds {
    /// The number of line ends, including those inside rows.
    pub line_ends: u64,
    /// The positions after the first and the last row end.
    pub row_ends: Option<(usize, usize)>,
}

/// Finds the row ends of some bytes, which begin at a position. Bytes after the last whole block must be the end of the text.
pub(super) fn look_at(state: &mut impl RowEnds, bytes: &[u8], at: usize) -> LineEnds {
    let (blocks, rest) = bytes.as_chunks::<BLOCK>();
    let mut seen = state.look(blocks, at);
    if !rest.is_empty() {
        let mut last = [0; BLOCK];
        last[..rest.len()].copy_from_slice(rest);
        let of_rest = state.look(&[last], at + blocks.len() * BLOCK);
        seen.line_ends += of_rest.line_ends;
        seen.row_ends = match (seen.row_ends, of_rest.row_ends) {
            (Some((first, _)), Some((_, last))) => Some((first, last)),
            (whole, of_rest) => whole.or(of_rest),
        };
    }
    seen
}

/// Rows are lines.
pub struct EachLine;

impl RowEnds for EachLine {
    fn look(&mut self, blocks: &[[u8; BLOCK]], at: usize) -> LineEnds {
        let bytes = blocks.as_flattened();
        let ends = memchr::memchr(b'\n', bytes).zip(memchr::memrchr(b'\n', bytes));
        LineEnds { line_ends: lines(bytes), row_ends: ends.map(|(first, last)| (at + first + 1, at + last + 1)) }
    }

    fn opened(&self) -> Option<usize> {
        None
    }

    fn go_on(&mut self, _: usize) {}
}

pub const STRIDE: usize = 256 * 1024;
/// Larger blocks contain a long row; their memory is not kept.
pub const LONG: usize = 2 * STRIDE;

/// Maximum cells in a block of lines. Each cell uses memory, even if a line is shorter than the columns.
pub const MOST_CELLS: usize = 256 << 10;

/// Maximum lines in a block, for a table with `columns` columns and one row per line.
pub fn most_lines(columns: usize) -> usize {
    (MOST_CELLS / columns.max(1)).max(1)
}

#[derive(Debug, Default)]
pub struct Block {
    memory: Vec<u8>,
    /// The place of the rows in the memory.
    range: Range<usize>,
    /// The line of the first row in the input, from 1.
    pub first_line: u64,
    spares: Arc<Spares>,
}

impl Block {
    /// The rows at a place in some memory.
    pub(super) fn new(memory: Vec<u8>, range: Range<usize>, first_line: u64, spares: Arc<Spares>) -> Block {
        Block { memory, range, first_line, spares }
    }

    pub fn bytes(&self) -> &[u8] {
        self.memory.get(self.range.clone()).unwrap_or_default()
    }

    /// The text of the block; `name` is the input.
    ///
    /// # Errors
    /// The block is not UTF-8.
    pub fn text(&self, name: &str) -> Result<&str, Error> {
        let bytes = self.bytes();
        simdutf8::compat::from_utf8(bytes).map_err(|error| {
            let at = error.valid_up_to();
            let before = &bytes[..at];
            let line_start = memchr::memrchr(b'\n', before).map_or(0, |n| n + 1);
            Error::NotUtf8 {
                name: name.to_owned(),
                line: self.first_line + lines(before),
                byte: at - line_start + 1,
                value: bytes[at],
            }
        })
    }
}

impl Block {
    /// Splits the block into parts of at most `most_lines` lines.
    pub fn parts(self, most_lines: usize) -> Vec<Block> {
        let bytes = self.bytes();
        let ends: Vec<usize> = memchr::memchr_iter(b'\n', bytes).skip(most_lines - 1).step_by(most_lines).collect();
        if ends.is_empty() {
            return vec![self];
        }
        let mut parts = Vec::new();
        let mut start = 0;
        for (number, end) in (0..).zip(ends.into_iter().map(|end| end + 1).chain([bytes.len()])) {
            if start < end {
                let first_line = self.first_line + number * most_lines as u64;
                parts.push(Block::new(bytes[start..end].to_vec(), 0..end - start, first_line, Arc::clone(&self.spares)));
            }
            start = end;
        }
        parts
    }

    /// The line of a byte in the input, from 1. `from` is the position of the last call.
    pub fn line(&self, at: usize, from: &mut LineCount) -> u64 {
        if at < from.at {
            *from = LineCount::default();
        }
        from.ends += lines(&self.bytes()[from.at..at]);
        from.at = at;
        self.first_line + from.ends
    }
}

impl Drop for Block {
    fn drop(&mut self) {
        self.spares.give_back(std::mem::take(&mut self.memory));
    }
}

/// Buffers to reuse, because new memory costs more than reading.
#[derive(Debug, Default)]
pub(super) struct Spares(Mutex<Vec<Vec<u8>>>);

impl Spares {
    /// More are never in use.
    const MOST: usize = 16;

    pub(super) fn take(&self) -> Vec<u8> {
        lock(&self.0).pop().unwrap_or_default()
    }

    pub(super) fn give_back(&self, buffer: Vec<u8>) {
        let mut spares = lock(&self.0);
        // The memory of a very long row is not kept.
        if spares.len() < Spares::MOST && (1..=LONG).contains(&buffer.capacity()) {
            spares.push(buffer);
        }
    }
}

pub struct Blocks<E> {
    name: String,
    reader: Box<dyn Read + Send>,
    limit: usize,
    stride: usize,
    /// A buffer of `filled` bytes that were read but not returned; it begins at a row.
    buffer: Vec<u8>,
    filled: usize,
    spares: Arc<Spares>,
    looked: usize,
    row_ends: E,
    row_end: usize,
    line_ends: u64,
    line: u64,
    ended: bool,
    is_decoded: bool,
    /// The byte of the input where the buffer begins.
    at: u64,
}

impl<E: RowEnds> Blocks<E> {
    /// Reads blocks from `reader`.
    pub fn new(name: String, reader: Box<dyn Read + Send>, row_ends: E, reading: &Reading) -> Blocks<E> {
        Blocks {
            name,
            reader,
            limit: reading.max_row,
            stride: reading.stride.unwrap_or(STRIDE).max(1),
            buffer: Vec::new(),
            filled: 0,
            spares: Arc::default(),
            looked: 0,
            row_ends,
            row_end: 0,
            line_ends: 0,
            line: 1,
            ended: false,
            is_decoded: reading.encoding.is_some(),
            at: 0,
        }
    }

    /// Skips a byte-order mark. Call it before [`Blocks::next_block`].
    ///
    /// # Errors
    /// Reading fails, or the text is UTF-16.
    pub fn byte_order_mark(&mut self) -> Result<bool, Error> {
        while self.filled < ENOUGH && !self.ended {
            self.fill()?;
        }
        match self.held() {
            [0xEF, 0xBB, 0xBF, ..] => {
                self.buffer.copy_within(3..self.filled, 0);
                self.filled -= 3;
                self.at += 3;
                Ok(true)
            }
            [0xFF, 0xFE, ..] => Err(Error::Utf16 { name: self.name.clone(), encoding: "utf-16le", has_mark: true }),
            [0xFE, 0xFF, ..] => Err(Error::Utf16 { name: self.name.clone(), encoding: "utf-16be", has_mark: true }),
            // Look at a fixed number of bytes: the result must not depend on the read size.
            held => match utf16(&held[..held.len().min(ENOUGH)]).filter(|_| !self.is_decoded) {
                Some(encoding) => Err(Error::Utf16 { name: self.name.clone(), encoding, has_mark: false }),
                None => Ok(false),
            },
        }
    }

    /// The byte of the input where the next block begins, and its line from 1.
    pub fn position(&self) -> (u64, u64) {
        (self.at, self.line)
    }

    fn held(&self) -> &[u8] {
        &self.buffer[..self.filled]
    }

    /// The next block; `None` at the end.
    ///
    /// # Errors
    /// Reading fails, a quote is never closed, or a row is longer than the limit.
    pub fn next_block(&mut self) -> Result<Option<Block>, Error> {
        loop {
            self.look();
            if self.row_end > 0 {
                return Ok(Some(self.hand_out(self.row_end)));
            }
            if self.ended {
                if let Some(quote) = self.row_ends.opened() {
                    return Err(Error::UnclosedQuote {
                        name: self.name.clone(),
                        line: self.line + lines(&self.held()[..quote]),
                    });
                }
                if self.filled <= self.limit {
                    return Ok((self.filled > 0).then(|| self.hand_out(self.filled)));
                }
            }
            if self.looked > self.limit {
                return Err(Error::RowTooLong { name: self.name.clone(), line: self.line, limit: self.limit });
            }
            self.fill()?;
        }
    }

    fn hand_out(&mut self, end: usize) -> Block {
        let mut rest = self.spares.take();
        let after = &self.buffer[end..self.filled];
        let after_lines = lines(&self.buffer[end..self.looked]);
        if rest.len() < after.len() {
            // The system provides zeroed memory without cost until it is written.
            rest = vec![0; after.len() + self.stride];
        }
        rest[..after.len()].copy_from_slice(after);
        self.filled = after.len();
        let mut bytes = std::mem::replace(&mut self.buffer, rest);
        bytes.truncate(end);
        let first_line = self.line;
        // The few bytes after the block belong to the next one.
        self.line += self.line_ends - after_lines;
        self.line_ends = after_lines;
        self.looked -= end;
        self.row_end = 0;
        self.row_ends.go_on(end);
        self.at += end as u64;
        Block::new(bytes, 0..end, first_line, Arc::clone(&self.spares))
    }

    fn fill(&mut self) -> Result<(), Error> {
        let wanted = self.filled + self.stride;
        if self.buffer.is_empty() {
            self.buffer = vec![0; wanted];
        } else if self.buffer.len() < wanted {
            let size = if wanted > LONG { wanted.max(OWN_MAPPING) } else { wanted };
            // Doubling could take twice the size of a long row.
            self.buffer.reserve_exact(size - self.buffer.len());
            self.buffer.resize(wanted, 0);
        }
        while self.filled < wanted && !self.ended {
            match self.reader.read(&mut self.buffer[self.filled..wanted]) {
                Ok(read) => {
                    self.ended = read == 0;
                    self.filled += read;
                }
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(source) => return Err(Error::of_reading(&self.name, source)),
            }
        }
        Ok(())
    }

    /// Examines new bytes for quotes and the last row end. Before the end of the input, only in whole blocks.
    fn look(&mut self) {
        let unlooked = self.filled - self.looked;
        let end = if self.ended { self.filled } else { self.looked + unlooked / BLOCK * BLOCK };
        let seen = look_at(&mut self.row_ends, &self.buffer[self.looked..end], self.looked);
        self.line_ends += seen.line_ends;
        self.row_end = seen.row_ends.map_or(self.row_end, |(_, last)| last);
        self.looked = end;
    }
}

pub fn lines(bytes: &[u8]) -> u64 {
    memchr::memchr_iter(b'\n', bytes).count() as u64
}
