use std::ops::Range;
use std::sync::Arc;

use keen_notch_core::batch::Span;

use crate::Error;
use crate::source::{Cell, CellKind, Chunk, LineCount, RawRows, Rows};

pub struct DatabaseChunk {
    name: Arc<str>,
    /// The columns that were read, as ascending indices, and the number of columns of the table.
    places: Vec<usize>,
    count: usize,
    before: u64,
    text: String,
    cells: Vec<(Span, CellKind)>,
    rows: usize,
    start: usize,
    opened: Vec<usize>,
}

impl DatabaseChunk {
    /// An empty chunk of a table with this many columns, of which some are read, after earlier rows.
    pub fn new(name: Arc<str>, places: Vec<usize>, count: usize, before: u64) -> DatabaseChunk {
        let (text, cells) = (String::new(), Vec::new());
        DatabaseChunk { name, places, count, before, text, cells, rows: 0, start: 0, opened: Vec::new() }
    }

    pub fn next(&self) -> DatabaseChunk {
        let before = self.before + self.rows as u64;
        DatabaseChunk::new(Arc::clone(&self.name), self.places.clone(), self.count, before)
    }

    /// Adds a value: `push` appends its text and returns its kind.
    pub fn push<E>(&mut self, push: impl FnOnce(&mut String) -> Result<CellKind, E>) -> Result<(), E> {
        let start = self.text.len();
        let kind = push(&mut self.text)?;
        self.cells.push((Span::new(start, self.text.len()), kind));
        Ok(())
    }

    /// Ends a row. Returns the size of its texts in bytes.
    pub fn end_row(&mut self) -> usize {
        self.rows += 1;
        let width = self.text.len() - self.start;
        self.start = self.text.len();
        width
    }

    pub fn next_row(&self) -> u64 {
        self.before + self.rows as u64 + 1
    }

    pub fn text_bytes(&self) -> u64 {
        self.text.len() as u64
    }

    fn at(&self, row: usize, column: usize) -> (Span, CellKind) {
        let place = self.places.binary_search(&column).ok();
        let cell = place.and_then(|place| self.cells.get(row * self.places.len() + place));
        cell.copied().unwrap_or((Span::default(), CellKind::Nothing))
    }
}

impl Chunk for DatabaseChunk {
    fn open(&mut self, columns: &[usize]) -> Result<(), Error> {
        self.opened = columns.to_vec();
        Ok(())
    }

    fn source(&self) -> &str {
        &self.name
    }

    fn text(&self) -> Result<&str, Error> {
        Ok(&self.text)
    }

    fn rows(&self) -> usize {
        self.rows
    }

    fn take<'c>(&'c self, text: &'c str, range: Range<usize>, into: &mut Rows<'c>) {
        into.begin(range.clone(), &self.opened);
        for column in &self.opened {
            into.columns[*column].fill(text, range.clone().map(|row| self.at(row, *column).0));
        }
    }

    fn cell<'c>(&'c self, text: &'c str, row: usize, column: usize) -> Cell<'c> {
        let (span, kind) = self.at(row, column);
        Cell::new(kind, span.text(text))
    }

    fn ragged(&self, _: Range<usize>) -> &[(u32, u32)] {
        &[]
    }

    fn line(&self, row: usize, _: &mut LineCount) -> u64 {
        self.before + row as u64 + 1
    }

    fn raw(&self) -> Option<RawRows<'_>> {
        None
    }

    fn size(&self) -> usize {
        self.text.len() + self.cells.len() * size_of::<(Span, CellKind)>()
    }
}
