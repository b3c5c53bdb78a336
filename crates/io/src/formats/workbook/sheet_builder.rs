use keen_notch_core::batch::Span;

use crate::Error;
use crate::Remedy;
use crate::formats::workbook::cells::{Sheet, SheetCell, SheetRow, letters};
use crate::source::meter::CellNames;
use crate::source::reading::EmptyFormulas;
use crate::source::{CellKind, Reading};

pub struct SheetBuilder<'n> {
    name: &'n str,
    title: &'n str,
    reads_empty_formulas: bool,
    empty_formulas: CellNames,
    is_sorted: bool,
    most: usize,
    pub sheet: Sheet,
    cells: Vec<(u32, SheetCell)>,
}

/// The kind of a cell, and its formatted number with the index of the format.
pub type Put = (CellKind, Option<(f64, u32)>);

impl<'n> SheetBuilder<'n> {
    /// An empty sheet of the workbook `name`, with these number formats.
    pub fn new(name: &'n str, title: &'n str, reading: &Reading, formats: Vec<String>) -> SheetBuilder<'n> {
        SheetBuilder {
            name,
            title,
            reads_empty_formulas: reading.empty_formulas == EmptyFormulas::Blank,
            empty_formulas: CellNames::default(),
            is_sorted: true,
            most: reading.memory,
            sheet: Sheet { formats, ..Sheet::default() },
            cells: Vec::new(),
        }
    }

    /// Adds a formula without a stored value, as a blank cell. Its row counts even if all cells are blank.
    ///
    /// # Errors
    /// The errors of [`SheetBuilder::add`].
    pub fn add_empty_formula(&mut self, at: (u32, u32)) -> Result<(), Error> {
        self.empty_formulas.count += 1;
        self.empty_formulas.list(|| cell_name(at));
        let place = self.sheet.text.len();
        self.push((at.0, SheetCell { column: at.1, span: Span::new(place, place), kind: CellKind::Nothing, shown: 0 }))
    }

    /// Adds a cell by row and column, from 0. `push` writes its text.
    ///
    /// # Errors
    /// The cells exceed the memory limit.
    pub fn add(&mut self, (row, column): (u32, u32), push: impl FnOnce(&mut Sheet) -> Put) -> Result<(), Error> {
        let start = self.sheet.text.len();
        let undated = self.sheet.undated.count;
        let (kind, number) = push(&mut self.sheet);
        if self.sheet.undated.count > undated {
            self.sheet.undated.list(|| cell_name((row, column)));
        }
        let shown = number.map_or(0, |number| {
            self.sheet.numbers.push(number);
            self.sheet.numbers.len() as u32
        });
        let end = self.sheet.text.len();
        // A format can hide a number.
        let is_there = end > start || shown > 0;
        if is_there { self.push((row, SheetCell { column, span: Span::new(start, end), kind, shown })) } else { Ok(()) }
    }

    fn push(&mut self, cell: (u32, SheetCell)) -> Result<(), Error> {
        let end = self.sheet.text.len();
        let bytes = end + self.cells.len() * size_of::<(u32, SheetCell)>();
        if u32::try_from(end).is_err() || bytes > self.most {
            let why = "its cells take more memory than the limit".to_owned();
            return Err(Error::BadFile { name: self.name.to_owned(), why, help: Remedy::MoreMemoryOrSplit });
        }
        self.is_sorted &= self.cells.last().is_none_or(|(row, last)| (*row, last.column) < (cell.0, cell.1.column));
        self.cells.push(cell);
        Ok(())
    }

    /// The sheet.
    ///
    /// # Errors
    /// The sheet has formulas without a stored value, and `--empty-formulas` is `stop`.
    pub fn finish(self) -> Result<Sheet, Error> {
        let SheetBuilder { mut sheet, mut cells, .. } = self;
        if self.empty_formulas.count > 0 && !self.reads_empty_formulas {
            let CellNames { count, first } = self.empty_formulas;
            let (name, sheet) = (self.name.to_owned(), self.title.to_owned());
            return Err(Error::EmptyFormulas { name, sheet, count, first });
        }
        if !self.is_sorted {
            cells.sort_by_key(|(row, cell)| (*row, cell.column));
            cells.dedup_by(|(row, cell), (other, same)| (*row, cell.column) == (*other, same.column));
        }
        for (index, (row, cell)) in cells.into_iter().enumerate() {
            match sheet.rows.last_mut() {
                Some(last) if last.number == row + 1 => last.cells.end = index + 1,
                _ => sheet.rows.push(SheetRow { number: row + 1, cells: index..index + 1 }),
            }
            sheet.cells.push(cell);
        }
        Ok(sheet)
    }
}

/// The requested or the first sheet.
///
/// # Errors
/// It does not exist.
pub fn sheet_of(name: &str, sheets: &[String], reading: &Reading) -> Result<String, Error> {
    let Some(wanted) = &reading.sheet else {
        return sheets.first().cloned().ok_or_else(|| Error::Empty { name: name.to_owned() });
    };
    let is_it = |sheet: &&String| *sheet == wanted || sheet.trim() == wanted.trim();
    sheets.iter().find(is_it).cloned().ok_or_else(|| Error::NoSheet {
        name: name.to_owned(),
        sheet: wanted.clone(),
        sheets: sheets.to_vec(),
    })
}

fn cell_name((row, column): (u32, u32)) -> String {
    format!("{}{}", letters(column), row.saturating_add(1))
}
