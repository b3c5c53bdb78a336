//! A chunk of fixed-width text, with cells at the same positions in each line.

use std::ops::Range;
use std::sync::Arc;

use keen_notch_core::batch::Span;
use keen_notch_core::widths::Widths;

use crate::Error;
use crate::source::blocks::Block;
use crate::source::{Cell, CellKind, Chunk, LineCount, RawCells, RawRow, RawRows, Reading, Rows};

pub struct FixedWidthChunk {
    block: Block,
    /// The first row: after the header in the first chunk of an input.
    start: usize,
    table: Arc<ChunkContext>,
    rows: Vec<RawRow>,
    values: Vec<Span>,
    columns: Vec<usize>,
}

pub struct ChunkContext {
    pub name: String,
    widths: Arc<Widths>,
    max_row: usize,
}

impl ChunkContext {
    pub fn new(name: String, widths: Arc<Widths>, reading: &Reading) -> ChunkContext {
        ChunkContext { name, widths, max_row: reading.max_row }
    }
}

impl FixedWidthChunk {
    pub fn new(block: Block, start: usize, table: Arc<ChunkContext>) -> FixedWidthChunk {
        FixedWidthChunk { block, start, table, rows: Vec::new(), values: Vec::new(), columns: Vec::new() }
    }

    fn count(&self) -> usize {
        self.table.widths.columns().len()
    }

    fn span(&self, row: usize, column: usize) -> Span {
        self.values.get(row * self.count() + column).copied().unwrap_or_default()
    }
}

impl Chunk for FixedWidthChunk {
    fn open(&mut self, columns: &[usize]) -> Result<(), Error> {
        let FixedWidthChunk { block, start, table, rows, values, columns: taken } = self;
        let text = block.text(&table.name)?;
        taken.extend_from_slice(columns);
        let mut at = *start;
        for line in text[*start..].split_inclusive('\n') {
            let (start, next) = (at, at + line.len());
            at = next;
            let whole = line.strip_suffix('\n').unwrap_or(line);
            let whole = whole.strip_suffix('\r').unwrap_or(whole);
            if whole.len() > table.max_row {
                let line = block.line(start, &mut LineCount::default());
                return Err(Error::RowTooLong { name: table.name.clone(), line, limit: table.max_row });
            }
            if let Some(character) = table.widths.beyond(whole) {
                let line = block.line(start, &mut LineCount::default());
                return Err(Error::BeyondColumns { name: table.name.clone(), line, character });
            }
            values.extend(table.widths.cells(whole).map(|cell| Span::new(start + cell.start, start + cell.end)));
            rows.push(RawRow { raw: Span::new(start, start + whole.len()), next: next as u32 });
        }
        Ok(())
    }

    fn source(&self) -> &str {
        &self.table.name
    }

    fn text(&self) -> Result<&str, Error> {
        self.block.text(&self.table.name)
    }

    fn rows(&self) -> usize {
        self.rows.len()
    }

    fn take<'c>(&'c self, text: &'c str, range: Range<usize>, into: &mut Rows<'c>) {
        let count = self.count();
        let rows = &self.values[range.start * count..range.end * count];
        into.begin(range, &self.columns);
        for column in &self.columns {
            into.columns[*column].fill(text, rows.chunks_exact(count).map(|row| row[*column]));
        }
    }

    fn cell<'c>(&'c self, text: &'c str, row: usize, column: usize) -> Cell<'c> {
        Cell::new(CellKind::Text, self.span(row, column).text(text))
    }

    fn ragged(&self, _: Range<usize>) -> &[(u32, u32)] {
        &[]
    }

    fn line(&self, row: usize, from: &mut LineCount) -> u64 {
        self.block.line(self.rows.get(row).map_or(0, |row| row.raw.start as usize), from)
    }

    fn raw(&self) -> Option<RawRows<'_>> {
        Some(RawRows { rows: &self.rows, start: self.start, has_gaps: false, delimiter: None, cells: self })
    }

    fn size(&self) -> usize {
        self.block.bytes().len()
    }
}

impl RawCells for FixedWidthChunk {
    fn cell(&self, row: usize, column: usize) -> Span {
        self.span(row, column)
    }

    fn end(&self, row: usize) -> usize {
        self.rows.get(row).map_or(0, |row| row.raw.end as usize)
    }
}
