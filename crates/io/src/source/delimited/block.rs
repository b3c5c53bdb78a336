//! Cutting an input into blocks that end where a row ends.

use std::hint::select_unpredictable;
use std::io::{self, Read};
use std::sync::{Arc, Mutex};

use keen_notch_core::batch::OWN_MAPPING;

use pulp::{Arch, Simd, WithSimd};

use super::marks::{self, BLOCK, RowMarks};
use super::quoted::Quoted;
use crate::Error;
use crate::pool::lock;

/// How much is read at a time, in bytes.
pub const STRIDE: usize = 256 * 1024;
/// Bytes of a block beyond which there is a long row in it, whose memory is not kept.
pub const LONG: usize = 2 * STRIDE;

/// Some whole rows of an input, one after the other, with their line ends.
#[derive(Debug)]
pub struct Block {
    /// The bytes; never empty.
    pub bytes: Vec<u8>,
    /// The line of the input its first row begins on, from 1.
    pub first_line: u64,
    spares: Arc<Spares>,
}

impl Block {
    /// The text of the block, of the input of this name.
    ///
    /// # Errors
    /// Where it is not UTF-8.
    pub fn text(&self, name: &str) -> Result<&str, Error> {
        simdutf8::compat::from_utf8(&self.bytes).map_err(|error| {
            let at = error.valid_up_to();
            let before = &self.bytes[..at];
            let line_start = memchr::memrchr(b'\n', before).map_or(0, |n| n + 1);
            Error::NotUtf8 {
                name: name.to_owned(),
                line: self.first_line + lines(before),
                byte: at - line_start + 1,
                value: self.bytes[at],
            }
        })
    }
}

impl Drop for Block {
    fn drop(&mut self) {
        self.spares.give_back(std::mem::take(&mut self.bytes));
    }
}

/// Memory of blocks that are done with, to be read into again: new memory costs more than reading does.
#[derive(Debug, Default)]
struct Spares(Mutex<Vec<Vec<u8>>>);

impl Spares {
    /// The most that are kept: more are never on their way.
    const MOST: usize = 16;

    fn take(&self) -> Vec<u8> {
        lock(&self.0).pop().unwrap_or_default()
    }

    fn give_back(&self, buffer: Vec<u8>) {
        let mut spares = lock(&self.0);
        // The memory of a row that was very long is not kept.
        if spares.len() < Spares::MOST && buffer.capacity() <= LONG {
            spares.push(buffer);
        }
    }
}

/// The blocks of one input.
pub struct Blocks {
    name: String,
    reader: Box<dyn Read + Send>,
    limit: usize,
    stride: usize,
    /// A buffer whose first `filled` bytes were read and not yet handed out; it begins at the start of a row.
    buffer: Vec<u8>,
    filled: usize,
    spares: Arc<Spares>,
    delimiter: u8,
    /// How much of that has been looked at.
    looked: usize,
    /// Whether that ends in quotes.
    quoted: Quoted,
    /// After the last row end found there.
    row_end: usize,
    /// The line ends found there, those in quotes included.
    line_ends: u64,
    line: u64,
    ended: bool,
}

impl Blocks {
    /// Blocks of what `reader` gives. `limit` is the longest row allowed, in bytes.
    pub fn new(name: String, reader: Box<dyn Read + Send>, delimiter: u8, limit: usize) -> Blocks {
        Blocks {
            name,
            reader,
            limit,
            stride: STRIDE,
            buffer: Vec::new(),
            filled: 0,
            spares: Arc::default(),
            delimiter,
            looked: 0,
            quoted: Quoted::new(),
            row_end: 0,
            line_ends: 0,
            line: 1,
            ended: false,
        }
    }

    /// The same, reading `stride` bytes at a time.
    pub fn with_stride(mut self, stride: usize) -> Blocks {
        self.stride = stride.max(1);
        self
    }

    /// Takes the byte-order mark off the start, if there is one. To be called before [`Blocks::next_block`].
    ///
    /// # Errors
    /// Where reading fails, or the mark is that of UTF-16.
    pub fn byte_order_mark(&mut self) -> Result<bool, Error> {
        while self.filled < 3 && !self.ended {
            self.fill()?;
        }
        match self.held() {
            [0xEF, 0xBB, 0xBF, ..] => {
                self.buffer.copy_within(3..self.filled, 0);
                self.filled -= 3;
                Ok(true)
            }
            [0xFF, 0xFE, ..] => Err(Error::Utf16 { name: self.name.clone(), encoding: "utf-16le" }),
            [0xFE, 0xFF, ..] => Err(Error::Utf16 { name: self.name.clone(), encoding: "utf-16be" }),
            _ => Ok(false),
        }
    }

    /// What was read and not yet handed out.
    fn held(&self) -> &[u8] {
        &self.buffer[..self.filled]
    }

    /// The next block; `None` after the last.
    ///
    /// # Errors
    /// Where reading fails, a quote is never closed, or a row is longer than the limit.
    pub fn next_block(&mut self) -> Result<Option<Block>, Error> {
        loop {
            self.look();
            if self.row_end > 0 {
                return Ok(Some(self.hand_out(self.row_end)));
            }
            if self.ended {
                if let Some(quote) = self.quoted.opened() {
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
            // Zeros that come from the system cost nothing until they are written over.
            rest = vec![0; after.len() + self.stride];
        }
        rest[..after.len()].copy_from_slice(after);
        self.filled = after.len();
        let mut bytes = std::mem::replace(&mut self.buffer, rest);
        bytes.truncate(end);
        let first_line = self.line;
        // Those after the block are few: they belong to the next.
        self.line += self.line_ends - after_lines;
        self.line_ends = after_lines;
        self.looked -= end;
        self.row_end = 0;
        self.quoted.go_on(end);
        Block { bytes, first_line, spares: Arc::clone(&self.spares) }
    }

    /// Reads on until there is as much more as is read at a time, or the input ends.
    fn fill(&mut self) -> Result<(), Error> {
        let wanted = self.filled + self.stride;
        if self.buffer.is_empty() {
            self.buffer = vec![0; wanted];
        } else if self.buffer.len() < wanted {
            let size = if wanted > LONG { wanted.max(OWN_MAPPING) } else { wanted };
            // Doubled, a long row would take up to twice its size.
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

    /// Looks at what has been read since the last look, for quotes and for the last row end. Before the end of the input, only
    /// whole blocks are looked at.
    fn look(&mut self) {
        let held = &self.buffer[..self.filled];
        let unlooked = self.filled - self.looked;
        let end = if self.ended { self.filled } else { self.looked + unlooked / BLOCK * BLOCK };
        let (blocks, rest) = held[self.looked..end].as_chunks::<BLOCK>();
        let mut last = [0; BLOCK];
        last[..rest.len()].copy_from_slice(rest);
        let rest = if rest.is_empty() { &[][..] } else { std::slice::from_ref(&last) };
        for (at, blocks) in [(self.looked, blocks), (self.looked + blocks.len() * BLOCK, rest)] {
            let (delimiter, quoted) = (self.delimiter, &mut self.quoted);
            let found = Arch::new().dispatch(FindRowEnds { blocks, start: at, delimiter, quoted });
            self.line_ends += found.line_ends;
            self.row_end = found.row_end.unwrap_or(self.row_end);
        }
        self.looked = end;
    }
}

/// What was found of line ends in some bytes.
struct RowEnds {
    /// The number of line ends, those in quotes included.
    line_ends: u64,
    /// After the last one that ends a row.
    row_end: Option<usize>,
}

/// Looks for line ends in some blocks, the first of which is at a place.
struct FindRowEnds<'a> {
    blocks: &'a [[u8; BLOCK]],
    start: usize,
    delimiter: u8,
    quoted: &'a mut Quoted,
}

impl WithSimd for FindRowEnds<'_> {
    type Output = RowEnds;

    #[inline(always)]
    fn with_simd<S: Simd>(self, _: S) -> RowEnds {
        let FindRowEnds { blocks, start, delimiter, quoted } = self;
        let (mut row_end, mut line_ends, mut at) = (0, 0, start);
        let mut marks = [RowMarks::default(); 64];
        for stretch in blocks.chunks(marks.len()) {
            marks::mark_rows(stretch, &mut marks);
            for (block, RowMarks { mut feeds, quotes }) in stretch.iter().zip(marks) {
                line_ends += u64::from(feeds.count_ones());
                if quotes != 0 || quoted.is_inside() {
                    feeds &= !quoted.inside(at, quotes, feeds | marks::places(block, delimiter));
                } else {
                    quoted.go_past(feeds | u64::from(block[BLOCK - 1] == delimiter) << (BLOCK - 1));
                }
                let after_last = at + BLOCK - feeds.leading_zeros() as usize;
                row_end = select_unpredictable(feeds != 0, after_last, row_end);
                at += BLOCK;
            }
        }
        RowEnds { line_ends, row_end: (row_end > 0).then_some(row_end) }
    }
}

/// The number of line ends in `bytes`.
pub fn lines(bytes: &[u8]) -> u64 {
    memchr::memchr_iter(b'\n', bytes).count() as u64
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::source::delimited::record::{Cells, Record};

    /// The blocks with their first lines, read `stride` bytes at a time; a row may have 60.
    fn blocks(text: &str, stride: usize) -> Result<Vec<(String, u64)>, Error> {
        let reader = Box::new(io::Cursor::new(text.to_owned()));
        let mut blocks = Blocks::new("test".into(), reader, b',', 60).with_stride(stride);
        let mut found = Vec::new();
        while let Some(block) = blocks.next_block()? {
            found.push((String::from_utf8(block.bytes.clone()).unwrap(), block.first_line));
        }
        Ok(found)
    }

    #[test]
    fn an_unclosed_quote_and_a_row_without_end_are_refused() {
        for stride in [1, 7, 100] {
            let error = blocks("a,b\n1,2\n3,\"x\n4,5\n", stride).unwrap_err();
            assert!(matches!(error, Error::UnclosedQuote { line: 3, .. }), "{error}");
        }
        let error = blocks("a,b\n\"0123456789012345678901234567890123456789012345678901234567890123456789\",", 10).unwrap_err();
        assert!(matches!(error, Error::RowTooLong { line: 2, limit: 60, .. }), "{error}");
    }

    /// Rows as no careful writer would write them, but with every quote closed.
    fn rows() -> impl Strategy<Value = Vec<String>> {
        let cell = r#"[a;é]{0,3}|"([a,\r\n]|""){0,4}"|a"[a;]{0,2}"#;
        let row = proptest::collection::vec(cell, 1..5).prop_map(|cells| cells.join(","));
        proptest::collection::vec(row, 0..40)
    }

    proptest! {
        #[test]
        fn blocks_end_where_rows_end_whatever_the_stride(
            rows in rows(),
            line_end in prop_oneof![Just("\n"), Just("\r\n")],
            stride in 1..200_usize,
        ) {
            let text = rows.join(line_end);
            let mut starts = vec![0];
            let mut cells = Cells::default();
            while let Some(at) = starts.last().copied().filter(|at| *at < text.len()) {
                starts.push(at + Record::read(&text, at, b',', &mut cells).width());
            }
            let mut at = 0;
            for (block, first_line) in blocks(&text, stride).unwrap() {
                prop_assert_eq!(&text[at..at + block.len()], &block);
                prop_assert_eq!(first_line, lines(&text.as_bytes()[..at]) + 1);
                at += block.len();
                prop_assert!(starts.contains(&at), "{:?} ends within a row", block);
            }
            prop_assert_eq!(at, text.len());
        }
    }
}
