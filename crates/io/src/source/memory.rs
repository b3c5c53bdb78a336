use std::ops::Range;

use keen_notch_core::batch::Span;
use keen_notch_core::column::Header;

use crate::Error;
use crate::source::{Cell, CellKind, Chunk, Format, LineCount, RawRows, Rows, Source};

/// A source of rows that were parsed as a whole.
pub struct MemorySource {
    header: Header,
    format: Format,
    name: String,
    rows: Option<MemoryChunk>,
}

impl MemorySource {
    pub fn new(header: Header, format: Format, rows: MemoryChunk) -> MemorySource {
        MemorySource { header, format, name: rows.source.clone(), rows: Some(rows) }
    }
}

impl Source for MemorySource {
    fn name(&self) -> &str {
        &self.name
    }

    fn header(&self) -> &Header {
        &self.header
    }

    fn next_chunk(&mut self) -> Result<Option<Box<dyn Chunk>>, Error> {
        Ok(self.rows.take().map(|rows| Box::new(rows) as Box<dyn Chunk>))
    }

    fn format(&self) -> Format {
        self.format.clone()
    }
}

/// Rows in memory, for formats that are parsed as a whole and for tables of the program itself.
#[derive(Debug, Clone)]
pub struct MemoryChunk {
    source: String,
    columns: usize,
    text: String,
    cells: Vec<(CellKind, Span)>,
    lines: Vec<u64>,
}

impl MemoryChunk {
    /// No rows yet. `source` is the label for messages.
    pub fn new(source: String, columns: usize) -> MemoryChunk {
        MemoryChunk { source, columns, text: String::new(), cells: Vec::new(), lines: Vec::new() }
    }

    /// Adds the next cell. The cells of a row come in the order of the columns.
    pub fn push(&mut self, kind: CellKind, text: &str) {
        let start = self.text.len();
        self.text.push_str(text);
        self.cells.push((kind, Span::new(start, self.text.len())));
    }

    /// Sets the line of the next row, from 1. Without lines, rows have their numbers.
    pub fn begin_row(&mut self, line: u64) {
        self.lines.push(line);
    }

    /// Removes the rows.
    pub fn clear(&mut self) {
        self.text.clear();
        self.cells.clear();
        self.lines.clear();
    }

    fn at(&self, row: usize, column: usize) -> (CellKind, Span) {
        let index = row * self.columns + column;
        let cell = self.cells.get(index).filter(|_| column < self.columns);
        cell.copied().unwrap_or((CellKind::Nothing, Span::default()))
    }
}

impl Chunk for MemoryChunk {
    fn open(&mut self, _: &[usize]) -> Result<(), Error> {
        Ok(())
    }

    fn source(&self) -> &str {
        &self.source
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
            values.fill(text, rows.clone().map(|row| self.at(row, column).1));
        }
    }

    fn cell<'c>(&'c self, _: &'c str, row: usize, column: usize) -> Cell<'c> {
        let (kind, span) = self.at(row, column);
        Cell::new(kind, span.text(&self.text))
    }

    fn ragged(&self, _: Range<usize>) -> &[(u32, u32)] {
        &[]
    }

    fn line(&self, row: usize, _: &mut LineCount) -> u64 {
        self.lines.get(row).copied().unwrap_or(row as u64 + 1)
    }

    fn raw(&self) -> Option<RawRows<'_>> {
        None
    }

    fn size(&self) -> usize {
        self.text.len()
    }
}
