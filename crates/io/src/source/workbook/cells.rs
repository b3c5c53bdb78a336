//! The cells of a sheet, as the workbook shows them.

use std::ops::Range;

use keen_notch_core::batch::Span;

use crate::source::{CellKind, Shown};

/// A sheet.
#[derive(Default)]
pub struct Sheet {
    /// The texts of all cells, one after the other.
    pub text: String,
    /// Cells that are not blank, row by row from left to right.
    pub(super) cells: Vec<SheetCell>,
    /// Rows in which some are.
    pub rows: Vec<SheetRow>,
    /// Cells that are merged: their rows, from 1, and columns, from 0.
    pub merged: Vec<(Range<u32>, Range<u32>)>,
    /// Numbers with more digits than the workbook keeps.
    pub imprecise: u64,
    /// Numbers with a date format but no valid date.
    pub undated: Cells,
    /// Numbers that are shown in a format, and the index of that.
    pub(super) numbers: Vec<(f64, u32)>,
    /// The formats that numbers are shown in.
    pub(super) formats: Vec<String>,
}

/// Some cells: their number, and the places of the first.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct Cells {
    /// Their number.
    pub count: u64,
    /// The first of them, as `C2`.
    pub first: Vec<String>,
}

impl Cells {
    /// Maximum number of cell references.
    const MOST: usize = 3;

    /// Notes the place of a cell that has been counted: its row and column, from 0.
    pub fn name(&mut self, (row, column): (u32, u32)) {
        if self.first.len() < Cells::MOST {
            self.first.push(format!("{}{}", letters(column), row.saturating_add(1)));
        }
    }
}

/// A cell.
pub struct SheetCell {
    /// Its column, from 0.
    pub column: u32,
    /// Its text.
    pub span: Span,
    /// What it is.
    pub kind: CellKind,
    /// The number behind it where that is shown in a format: its index, counted from 1.
    pub(super) shown: u32,
}

/// A row.
pub struct SheetRow {
    /// Its number in the sheet, from 1.
    pub number: u32,
    /// Its cells.
    pub(super) cells: Range<usize>,
}

impl Sheet {
    /// The cells of a row, by its index.
    pub fn row(&self, index: usize) -> &[SheetCell] {
        self.rows.get(index).and_then(|row| self.cells.get(row.cells.clone())).unwrap_or_default()
    }

    /// The cell of a column in a row, if there is something in it.
    pub fn cell(&self, row: usize, column: u32) -> Option<&SheetCell> {
        let cells = self.row(row);
        let place = cells.binary_search_by_key(&column, |cell| cell.column).ok()?;
        cells.get(place)
    }

    /// The number behind a cell, where that is shown in a format.
    pub fn shown(&self, cell: &SheetCell) -> Option<Shown<'_>> {
        let (number, format) = *self.numbers.get((cell.shown as usize).checked_sub(1)?)?;
        Some(Shown { number, format: self.formats.get(format as usize)? })
    }

    /// From the first column with something in it to the last.
    pub fn columns(&self) -> Range<u32> {
        let columns = self.cells.iter().map(|cell| cell.column);
        columns.clone().min().unwrap_or(0)..columns.max().map_or(0, |last| last + 1)
    }
}

/// What a column of a sheet is called, counted from 0: A, B … Z, AA …
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
