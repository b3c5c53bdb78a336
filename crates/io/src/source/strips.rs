//! Divides a file into blocks of whole rows, on all threads at the same time.
//!
//! A strip is a part of the file with a fixed size. Its block begins after the first row end in the strip, and ends with the first row end
//! after the strip. Quotes before a strip decide where its rows end. A thread therefore guesses the state at the start of its strip, and
//! looks for row ends at once. In the order of the strips, the state at the end of one strip confirms or refutes the guess for the next one
//! (Ge, Li, Eilebrecht, Chandramouli, Kossmann: Speculative distributed CSV data parsing for big data analytics, SIGMOD 2019).

use std::fs::File;
use std::io;
use std::ops::Range;
use std::sync::Arc;

use crate::Error;
use crate::pool::Turns;
use crate::source::blocks::{BLOCK, Block, LineEnds, RowEnds, STRIDE, Spares, lines, look_at};
use crate::source::meter::Meter;
use crate::source::{Reading, ShortenedFile};

/// Bytes to read beyond the end of a strip. Most rows end within them.
const AFTER: usize = 4096;
/// Bytes of a strip to test a guess with.
const TESTED: usize = 4096;

/// Row ends that can be found from anywhere in a text.
pub trait GuessedRowEnds: RowEnds + Clone + Sync {
    /// The state after a byte, inside quotes or not. It is a guess.
    fn after(&self, before: u8, is_inside: bool) -> Self;

    /// Whether the text so far shows that the guess was wrong, or is unusual.
    fn is_doubtful(&self) -> bool;

    /// Whether the same bytes lead to the same row ends.
    fn is_like(&self, other: &Self) -> bool;

    /// The same state at the start of the following bytes. [`RowEnds::opened`] is then `usize::MAX`, unless a quote opens there.
    fn carried(&self) -> Self;
}

/// The strips of a file, from the start of a row on.
pub struct Strips<E> {
    shared: Arc<Shared<E>>,
    next: u64,
}

struct Shared<E> {
    name: String,
    file: Arc<File>,
    bytes: Range<u64>,
    /// The size of a strip: some blocks.
    stride: u64,
    limit: usize,
    meter: Arc<Meter>,
    spares: Arc<Spares>,
    turns: Turns<Start<E>>,
    row_ends: E,
}

/// The state at the start of a strip, after all earlier strips.
struct Start<E> {
    row_ends: E,
    /// The number of line ends before it.
    line_ends: u64,
    /// The line of the quote that is open, if one is.
    opened_line: u64,
}

/// The row ends of a strip, as positions in it.
struct Found<E> {
    guess: E,
    row_ends: Option<(usize, usize)>,
    line_ends: u64,
    after: E,
}

impl<E: GuessedRowEnds> Strips<E> {
    /// The strips from the byte `from`, where a row begins at the line `line`, to the end of the file at `size`.
    pub fn new(
        name: String,
        file: Arc<File>,
        (from, size): (u64, u64),
        line: u64,
        row_ends: E,
        reading: &Reading,
    ) -> Strips<E> {
        let start = Start { row_ends: row_ends.clone(), line_ends: line - 1, opened_line: 0 };
        let shared = Shared {
            name,
            file,
            bytes: from..size,
            stride: reading.stride.unwrap_or(STRIDE).next_multiple_of(BLOCK) as u64,
            limit: reading.max_row,
            meter: Arc::clone(&reading.meter),
            spares: Arc::default(),
            turns: Turns::new(start),
            row_ends,
        };
        Strips { shared: Arc::new(shared), next: 0 }
    }

    /// The next strip. It is not read yet.
    pub fn next_strip(&mut self) -> Option<Strip<E>> {
        let Shared { bytes: Range { start, end }, stride, .. } = &*self.shared;
        if start + self.next * stride >= *end {
            return None;
        }
        self.next += 1;
        Some(Strip { number: self.next - 1, shared: Arc::clone(&self.shared) })
    }
}

/// A strip to read, on any thread. Later strips wait until it is read or dropped.
pub struct Strip<E> {
    number: u64,
    shared: Arc<Shared<E>>,
}

impl<E> Drop for Strip<E> {
    fn drop(&mut self) {
        self.shared.turns.break_off(self.number);
    }
}

impl<E: GuessedRowEnds> Strip<E> {
    /// Reads the block of the strip. `None` if no row begins in the strip, or if an earlier strip cannot be read.
    ///
    /// # Errors
    /// Reading fails, a quote is never closed, or a row is longer than the limit.
    pub fn read(&self) -> Result<Option<Block>, Error> {
        let Shared { bytes: Range { start: from, end: size }, stride, spares, turns, .. } = &*self.shared;
        let start = from + self.number * stride;
        let end = (start + stride).min(*size);
        let width = (end - start) as usize;
        // The byte before the strip is the best hint at the state.
        let before = usize::from(self.number > 0);
        let mut memory = Memory { first: start - before as u64, filled: 0, bytes: spares.take() };
        self.fill(&mut memory, (end + AFTER as u64).min(*size))?;
        self.shared.meter.add_bytes(end - start);
        let strip = &memory.bytes[before..before + width];
        let mut found = self.guess(memory.bytes[..before].first().copied(), strip);
        let resolved = turns.take(self.number, |at_start| {
            if !at_start.row_ends.is_like(&found.guess) {
                found = look(at_start.row_ends.clone(), strip);
            }
            let before = at_start.line_ends;
            let opened_line = match found.after.opened() {
                Some(opened) if opened < width => before + lines(&strip[..opened]) + 1,
                _ => at_start.opened_line,
            };
            *at_start = Start { row_ends: found.after.carried(), line_ends: before + found.line_ends, opened_line };
            (before, opened_line)
        });
        let Some((line_ends, opened_line)) = resolved else { return Ok(None) };
        let first = match found.row_ends {
            _ if self.number == 0 => Some(0),
            row_ends => row_ends.map(|(first, _)| first).filter(|first| start + (*first as u64) < *size),
        };
        let Some(first) = first else {
            spares.give_back(memory.bytes);
            return Ok(None);
        };
        let first_line = line_ends + lines(&strip[..first]) + 1;
        let last = Last {
            strip: before..before + width,
            row: before + found.row_ends.map_or(0, |(_, last)| last),
            line_ends,
            opened_line,
        };
        let end = self.end_of_last(&last, found.after.carried(), &mut memory)?;
        Ok(Some(Block::new(memory.bytes, before + first..end, first_line, Arc::clone(spares))))
    }

    fn guess(&self, before: Option<u8>, strip: &[u8]) -> Found<E> {
        let row_ends = &self.shared.row_ends;
        let Some(before) = before else { return look(row_ends.clone(), strip) };
        let outside = row_ends.after(before, false);
        let is_inside = look(outside.clone(), &strip[..strip.len().min(TESTED)]).after.is_doubtful();
        look(if is_inside { row_ends.after(before, true) } else { outside }, strip)
    }

    /// Finds the first row end after a strip.
    fn end_of_last(&self, last: &Last, mut row_ends: E, memory: &mut Memory) -> Result<usize, Error> {
        let Shared { bytes: Range { end: size, .. }, limit, name, .. } = &*self.shared;
        let mut looked = last.strip.end;
        loop {
            let is_whole = memory.first + memory.filled as u64 == *size;
            let unlooked = memory.filled - looked;
            let end = if is_whole { memory.filled } else { looked + unlooked / BLOCK * BLOCK };
            let seen = look_at(&mut row_ends, &memory.bytes[looked..end], looked - last.strip.end);
            if let Some((first, _)) = seen.row_ends {
                return Ok(last.strip.end + first);
            }
            if is_whole {
                return match row_ends.opened() {
                    None => Ok(memory.filled),
                    Some(opened) => {
                        let opened = last.strip.end.saturating_add(opened);
                        let line = match memory.bytes.get(last.strip.start..opened) {
                            Some(before) => last.line_ends + lines(before) + 1,
                            None => last.opened_line,
                        };
                        Err(Error::UnclosedQuote { name: name.clone(), line })
                    }
                };
            }
            looked = end;
            if looked - last.row > *limit {
                let line = last.line_ends + lines(&memory.bytes[last.strip.start..last.row]) + 1;
                return Err(Error::RowTooLong { name: name.clone(), line, limit: *limit });
            }
            let to = memory.first + (memory.filled + (looked - last.strip.end).max(AFTER)) as u64;
            self.fill(memory, to.min(*size))?;
        }
    }

    /// Reads up to a byte of the file.
    fn fill(&self, memory: &mut Memory, to: u64) -> Result<(), Error> {
        let wanted = (to - memory.first) as usize;
        if memory.bytes.len() < wanted {
            memory.bytes.resize(wanted, 0);
        }
        while memory.filled < wanted {
            let at = memory.first + memory.filled as u64;
            match read_at(&self.shared.file, &mut memory.bytes[memory.filled..wanted], at) {
                Ok(0) => return Err(Error::of_reading(&self.shared.name, io::Error::other(ShortenedFile))),
                Ok(read) => memory.filled += read,
                Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
                Err(source) => return Err(Error::of_reading(&self.shared.name, source)),
            }
        }
        Ok(())
    }
}

/// Bytes of the file, from `first` on. Only `filled` of them are read.
struct Memory {
    first: u64,
    filled: usize,
    bytes: Vec<u8>,
}

/// The last row that begins in a strip.
struct Last {
    /// The place of the strip in the memory.
    strip: Range<usize>,
    /// The start of the row in the memory.
    row: usize,
    /// The number of line ends before the strip.
    line_ends: u64,
    /// The line of a quote that is open at the end of the strip.
    opened_line: u64,
}

/// Finds the row ends of a strip by a guess.
fn look<E: GuessedRowEnds>(guess: E, strip: &[u8]) -> Found<E> {
    let mut after = guess.clone();
    let LineEnds { line_ends, row_ends } = look_at(&mut after, strip, 0);
    Found { guess, row_ends, line_ends, after }
}

#[cfg(unix)]
fn read_at(file: &File, buffer: &mut [u8], at: u64) -> io::Result<usize> {
    std::os::unix::fs::FileExt::read_at(file, buffer, at)
}

#[cfg(windows)]
fn read_at(file: &File, buffer: &mut [u8], at: u64) -> io::Result<usize> {
    std::os::windows::fs::FileExt::seek_read(file, buffer, at)
}
