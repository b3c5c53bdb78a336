//! A chunk of delimited text, whose values are found with the structural index.

use std::ops::Range;
use std::sync::{Arc, Mutex};

use keen_notch_core::batch::{Buffer, Span};

use crate::Error;
use crate::formats::delimited::index::Index;
use crate::formats::delimited::marks::AnyOf;
use crate::formats::delimited::record::unquote;
use crate::formats::delimited::row_ends::OutsideQuotes;
use crate::pool::lock;
use crate::source::blocks::{Block, LONG, STRIDE, lines};
use crate::source::strips::Strip;
use crate::source::{Cell, CellKind, Chunk, LineCount, Ragged, RawCells, RawRow, RawRows, Reading, Rows, Values};

pub struct DelimitedChunk {
    block: Block,
    /// The strip to read the block from, when the chunk is opened.
    strip: Option<Strip<OutsideQuotes>>,
    /// The first row: after the header in the first chunk of an input.
    start: usize,
    table: Arc<ChunkContext>,
    found: ChunkIndex,
}

impl Drop for DelimitedChunk {
    fn drop(&mut self) {
        // The memory of a very long row is not kept.
        if self.block.bytes().len() <= LONG {
            lock(&self.table.spare).push(std::mem::take(&mut self.found));
        }
    }
}

#[derive(Debug)]
pub struct ChunkContext {
    pub name: String,
    pub columns: usize,
    pub delimiter: u8,
    /// What to do with rows that have too few or too many cells.
    pub ragged: Ragged,
    pub max_row: usize,
    spare: Mutex<Vec<ChunkIndex>>,
}

impl ChunkContext {
    pub fn new(name: String, columns: usize, delimiter: u8, reading: &Reading) -> ChunkContext {
        let (ragged, max_row) = (reading.ragged, reading.max_row);
        ChunkContext { name, columns, delimiter, ragged, max_row, spare: Mutex::default() }
    }
}

#[derive(Debug, Default)]
struct ChunkIndex {
    index: Index,
    rows: Vec<RawRow>,
    /// For each row, the index of the end of its first cell.
    first_ends: Vec<u32>,
    ragged: Vec<(u32, u32)>,
    has_gaps: bool,
    columns: Vec<usize>,
}

impl DelimitedChunk {
    pub fn new(block: Block, start: usize, table: Arc<ChunkContext>) -> DelimitedChunk {
        let found = lock(&table.spare).pop().unwrap_or_default();
        DelimitedChunk { block, strip: None, start, table, found }
    }

    /// A chunk that is read when it is opened.
    pub fn of_strip(strip: Strip<OutsideQuotes>, table: Arc<ChunkContext>) -> DelimitedChunk {
        let mut chunk = DelimitedChunk::new(Block::default(), 0, table);
        chunk.strip = Some(strip);
        chunk
    }

    fn cells(&self, row: usize) -> usize {
        let ragged = &self.found.ragged;
        match ragged.binary_search_by_key(&(row as u32), |(row, _)| *row) {
            Ok(place) => ragged[place].1 as usize,
            Err(_) => self.table.columns,
        }
    }
}

impl Chunk for DelimitedChunk {
    // A separate function, so that the loops keep their variables in registers.
    #[inline(never)]
    fn open(&mut self, columns: &[usize]) -> Result<(), Error> {
        if let Some(strip) = self.strip.take() {
            self.block = strip.read()?.unwrap_or_default();
        }
        let bytes = self.block.bytes();
        let ChunkIndex { index, rows, first_ends, ragged, has_gaps, columns: taken } = &mut self.found;
        index.find(bytes, self.start, self.table.delimiter);
        rows.clear();
        first_ends.clear();
        ragged.clear();
        taken.clear();
        taken.extend_from_slice(columns);
        *has_gaps = false;
        let (ends, wanted) = (index.ends(), self.table.columns);
        let (mut at, mut first) = (self.start, 0);
        for feed in index.feeds() {
            let mut after = first + wanted;
            let end = *feed as usize;
            let has_return = end > at && end < bytes.len() && bytes[end - 1] == b'\r';
            let raw = Span::new(at, end - usize::from(has_return));
            let next = (end + 1).min(bytes.len());
            if ends.get(after - 1) != Some(feed) {
                after = first + ends[first..].iter().take_while(|end| *end <= feed).count();
                if raw.is_empty() && wanted > 1 {
                    // An empty line is not a row.
                    *has_gaps = true;
                    (at, first) = (next, after);
                    continue;
                }
                if self.table.ragged == Ragged::Stop {
                    return Err(Error::Ragged {
                        name: self.table.name.clone(),
                        line: self.block.first_line + lines(&bytes[..at]),
                        found: after - first,
                        wanted,
                    });
                }
                ragged.push((rows.len() as u32, (after - first) as u32));
            }
            rows.push(RawRow { raw, next: next as u32 });
            first_ends.push(first as u32);
            (at, first) = (next, after);
        }
        // Rows are read in blocks, so a row over the limit can come with others.
        let is_too_long = |row: &&RawRow| row.raw.width() > self.table.max_row;
        let too_long = if bytes.len() > self.table.max_row { rows.iter().find(is_too_long) } else { None };
        match too_long {
            None => Ok(()),
            Some(row) => Err(Error::RowTooLong {
                name: self.table.name.clone(),
                line: self.block.first_line + lines(&bytes[..row.raw.start as usize]),
                limit: self.table.max_row,
            }),
        }
    }

    fn source(&self) -> &str {
        &self.table.name
    }

    fn text(&self) -> Result<&str, Error> {
        self.block.text(&self.table.name)
    }

    fn rows(&self) -> usize {
        self.found.rows.len()
    }

    // A separate function, so that the loops keep their variables in registers.
    #[inline(never)]
    fn take<'c>(&'c self, text: &'c str, range: Range<usize>, into: &mut Rows<'c>) {
        let ChunkIndex { index, rows, first_ends, .. } = &self.found;
        let (rows, first_ends) = (&rows[range.clone()], &first_ends[range.clone()]);
        into.begin(range.clone(), &self.found.columns);
        for column in &self.found.columns {
            let values = &mut into.columns[*column];
            (values.text, values.own) = (text, None);
            values.spans.clear();
            values.forms.clear(rows.len());
            values.special.clear(rows.len());
            // The rule for finding a cell is the same for all rows.
            match column.checked_sub(1) {
                None => values.spans.extend(rows.iter().zip(first_ends).map(|(row, first)| {
                    let end = index.ends().get(*first as usize).copied().unwrap_or(row.raw.end);
                    Span { start: row.raw.start, end: end.min(row.raw.end) }
                })),
                Some(before) => {
                    let ends = index.ends().get(before..).unwrap_or_default();
                    values.spans.extend(rows.iter().zip(first_ends).map(|(row, first)| {
                        match ends.get(*first as usize..*first as usize + 2) {
                            Some([start, end]) => Span { start: start + 1, end: (*end).min(row.raw.end) },
                            _ => Span { start: row.raw.end, end: row.raw.end },
                        }
                    }));
                }
            }
        }
        for (row, cells) in self.ragged(range.clone()) {
            let place = *row as usize - range.start;
            for column in self.found.columns.iter().filter(|column| **column >= *cells as usize) {
                let end = rows[place].raw.end;
                into.columns[*column].spans[place] = Span { start: end, end };
            }
        }
        // Most rows need no closer look; in most others it concerns a later column.
        let Some(last) = self.found.columns.last().map(|last| &into.columns[*last].spans) else { return };
        let up_to_last = |(row, last): (&RawRow, &Span)| Span { start: row.raw.start, end: last.end.max(row.raw.start) };
        let rare = rows.iter().zip(last).map(up_to_last).map(|span| index.has_rare(span));
        let rare: Vec<u32> = (0..).zip(rare).filter(|(_, rare)| *rare).map(|(row, _)| row).collect();
        if !rare.is_empty() {
            for column in &self.found.columns {
                look_closely(&mut into.columns[*column], &rare, index, text, self.table.delimiter);
            }
        }
    }

    fn cell<'c>(&'c self, text: &'c str, row: usize, column: usize) -> Cell<'c> {
        Cell::new(CellKind::Text, crate::formats::delimited::record::value(RawCells::cell(self, row, column).text(text)))
    }

    fn ragged(&self, rows: Range<usize>) -> &[(u32, u32)] {
        let place = |row: usize| self.found.ragged.partition_point(|(ragged, _)| (*ragged as usize) < row);
        self.found.ragged.get(place(rows.start)..place(rows.end)).unwrap_or_default()
    }

    fn line(&self, row: usize, from: &mut LineCount) -> u64 {
        let at = self.found.rows.get(row).map_or(0, |row| row.raw.start as usize);
        self.block.line(at, from)
    }

    fn raw(&self) -> Option<RawRows<'_>> {
        let ChunkIndex { rows, has_gaps, .. } = &self.found;
        Some(RawRows { rows, start: self.start, has_gaps: *has_gaps, delimiter: Some(self.table.delimiter), cells: self })
    }

    fn size(&self) -> usize {
        if self.strip.is_some() { STRIDE } else { self.block.bytes().len() }
    }
}

impl RawCells for DelimitedChunk {
    fn cell(&self, row: usize, column: usize) -> Span {
        let (Some(found), Some(first)) = (self.found.rows.get(row), self.found.first_ends.get(row)) else {
            return Span::default();
        };
        let first = *first as usize;
        let ends = self.found.index.ends();
        let end = ends.get(first + column).filter(|_| column < self.cells(row));
        let start = if column == 0 { Some(found.raw.start) } else { ends.get(first + column - 1).map(|end| end + 1) };
        match (start, end) {
            (Some(start), Some(end)) => Span { start, end: (*end).min(found.raw.end) },
            _ => Span { start: found.raw.end, end: found.raw.end },
        }
    }

    fn end(&self, row: usize) -> usize {
        self.found.rows.get(row).map_or(0, |row| row.raw.end as usize)
    }
}

/// Unquotes values, and records which values are not plain and which contain bytes that need quotes.
// A separate function, so that the loops keep their variables in registers.
#[inline(never)]
fn look_closely(values: &mut Values, rows: &[u32], index: &Index, text: &str, delimiter: u8) {
    let bytes = text.as_bytes();
    let special = AnyOf::new([b'"', delimiter, b'\n']);
    let mut escaped: Vec<u32> = Vec::new();
    let is_quote = |at: u32| bytes.get(at as usize) == Some(&b'"');
    for row in rows.iter().map(|row| *row as usize) {
        let span = &mut values.spans[row];
        let inner = Span { start: span.start + 1, end: span.end.saturating_sub(1).max(span.start + 1) };
        let is_around = span.width() > 1 && is_quote(span.start) && is_quote(span.end - 1);
        let looked_at = if is_around { inner } else { *span };
        if !index.has_rare(looked_at) {
            if is_around {
                if special.is_in(bytes, inner) {
                    values.special.set(row);
                }
                *span = inner;
            }
            continue;
        }
        let (has_quotes, is_odd) = index.has(*span);
        if is_odd {
            let (form, has_return) = index.form(bytes, *span);
            values.forms.set(row, form);
            if has_return {
                values.special.set(row);
            }
        }
        if !has_quotes {
            continue;
        }
        if is_around && !special.is_in(bytes, inner) {
            *span = inner;
            continue;
        }
        values.special.set(row);
        if is_around && memchr::memchr(b'"', inner.bytes(bytes)).is_none() {
            *span = inner;
        } else if is_quote(span.start) {
            escaped.push(row as u32);
        }
    }
    if !escaped.is_empty() {
        write_anew(values, &escaped, text);
    }
}

#[cold]
fn write_anew(values: &mut Values, escaped: &[u32], text: &str) {
    let (mut own, mut value, mut escaped) = (Buffer::default(), String::new(), escaped.iter().peekable());
    for (row, span) in values.spans.iter_mut().enumerate() {
        let start = own.width();
        if escaped.next_if(|of| **of as usize == row).is_some() {
            unquote(span.text(text).get(1..).unwrap_or_default(), &mut value);
            own.extend(value.as_bytes());
        } else {
            own.extend(span.bytes(text.as_bytes()));
        }
        *span = Span::new(start, own.width());
    }
    values.own = Some(own);
}
