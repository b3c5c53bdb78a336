//! The cells of a sheet as displayed.

use std::ops::Range;

use keen_notch_core::batch::Span;

use crate::source::meter::CellNames;
use crate::source::{CellKind, FormattedNumber};

#[derive(Default)]
pub struct Sheet {
    pub text: String,
    pub(super) cells: Vec<SheetCell>,
    pub rows: Vec<SheetRow>,
    /// Merged cells: their rows, from 1, and columns, from 0.
    pub merged: Vec<(Range<u32>, Range<u32>)>,
    /// Number of values with more digits than a workbook stores.
    pub imprecise: u64,
    /// Numbers with a date format but no valid date.
    pub undated: CellNames,
    pub(super) numbers: Vec<(f64, u32)>,
    pub(super) formats: Vec<String>,
}

pub struct SheetCell {
    pub column: u32,
    pub span: Span,
    pub kind: CellKind,
    /// The index of its formatted number, from 1; 0 for none.
    pub(super) shown: u32,
}

pub struct SheetRow {
    pub number: u32,
    pub(super) cells: Range<usize>,
}

impl Sheet {
    pub fn row(&self, index: usize) -> &[SheetCell] {
        self.rows.get(index).and_then(|row| self.cells.get(row.cells.clone())).unwrap_or_default()
    }

    /// The cell of a column in a row, if it has content.
    pub fn cell(&self, row: usize, column: u32) -> Option<&SheetCell> {
        let cells = self.row(row);
        let place = cells.binary_search_by_key(&column, |cell| cell.column).ok()?;
        cells.get(place)
    }

    /// The formatted number of a cell, if any.
    pub fn shown(&self, cell: &SheetCell) -> Option<FormattedNumber<'_>> {
        let (number, format) = *self.numbers.get((cell.shown as usize).checked_sub(1)?)?;
        Some(FormattedNumber { number, format: self.formats.get(format as usize)? })
    }

    /// The range from the first to the last column with content.
    pub fn columns(&self) -> Range<u32> {
        let columns = self.cells.iter().map(|cell| cell.column);
        columns.clone().min().unwrap_or(0)..columns.max().map_or(0, |last| last + 1)
    }
}

/// The name of a column by its index from 0: A, B … Z, AA …
pub fn letters(column: u32) -> String {
    let mut letters = Vec::new();
    let mut rest = column + 1;
    while rest > 0 {
        letters.push(char::from(b'A' + ((rest - 1) % 26) as u8));
        rest = (rest - 1) / 26;
    }
    letters.iter().rev().collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_have_letters() {
        for (column, shown) in [(0, "A"), (25, "Z"), (26, "AA"), (701, "ZZ"), (702, "AAA"), (16_383, "XFD")] {
            assert_eq!(letters(column), shown);
        }
    }
}
