use std::borrow::Cow;
use std::ops::Range;
use std::sync::Arc;

use keen_notch_core::batch::Span;

use crate::Error;
use crate::formats::workbook::Table;
use crate::source::{Cell, Chunk, LineCount, RawRows, Rows};

pub struct WorkbookChunk {
    table: Arc<Table>,
    rows: Range<usize>,
    columns: Vec<usize>,
}

impl WorkbookChunk {
    pub fn new(table: Arc<Table>, rows: Range<usize>) -> WorkbookChunk {
        WorkbookChunk { table, rows, columns: Vec::new() }
    }

    fn column(&self, index: usize) -> u32 {
        self.table.columns.start + index as u32
    }
}

impl Chunk for WorkbookChunk {
    fn open(&mut self, columns: &[usize]) -> Result<(), Error> {
        self.columns = columns.to_vec();
        Ok(())
    }

    fn source(&self) -> &str {
        &self.table.name
    }

    fn text(&self) -> Result<&str, Error> {
        Ok(&self.table.sheet.text)
    }

    fn rows(&self) -> usize {
        self.rows.len()
    }

    fn take<'c>(&'c self, text: &'c str, range: Range<usize>, into: &mut Rows<'c>) {
        into.begin(range.clone(), &self.columns);
        for column in &self.columns {
            let cell = |row: usize| self.table.sheet.cell(self.rows.start + row, self.column(*column));
            let spans = range.clone().map(|row| cell(row).map_or(Span::default(), |cell| cell.span));
            into.columns[*column].fill(text, spans);
        }
    }

    fn cell<'c>(&'c self, text: &'c str, row: usize, column: usize) -> Cell<'c> {
        match self.table.sheet.cell(self.rows.start + row, self.column(column)) {
            Some(cell) => {
                let shown = self.table.sheet.shown(cell);
                Cell { kind: cell.kind, text: Cow::Borrowed(cell.span.text(text)), shown }
            }
            None => Cell::NOTHING,
        }
    }

    fn ragged(&self, _: Range<usize>) -> &[(u32, u32)] {
        &[]
    }

    fn line(&self, row: usize, _: &mut LineCount) -> u64 {
        self.table.sheet.rows.get(self.rows.start + row).map_or(0, |row| u64::from(row.number))
    }

    fn raw(&self) -> Option<RawRows<'_>> {
        None
    }

    fn size(&self) -> usize {
        let cells = self.rows.clone().map(|row| self.table.sheet.row(row));
        cells.flatten().map(|cell| cell.span.width() + 1).sum()
    }
}
