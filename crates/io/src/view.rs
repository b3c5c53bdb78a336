//! Views of a table: its columns, or its pieces.

use std::collections::HashSet;

use keen_notch_core::batch::{Batch, Texts};
use keen_notch_core::carving::{BatchResults, BatchRows, Carving, TooLarge};
use keen_notch_core::column::Header;

/// Columns of a table, or pieces that are evaluated but not written.
#[derive(Debug, Clone, Copy)]
pub enum View<'v> {
    Columns(&'v [usize]),
    Pieces(&'v Carving),
    /// Columns, or otherwise the pieces, of the rows that the list keeps.
    Kept {
        columns: Option<&'v [usize]>,
        carving: &'v Carving,
    },
}

impl View<'_> {
    pub(crate) fn needs(&self) -> Vec<usize> {
        match self {
            View::Columns(columns) => columns.to_vec(),
            View::Pieces(carving) => carving.used_columns(),
            View::Kept { columns, carving } => [columns.unwrap_or_default(), &carving.used_columns()].concat(),
        }
    }

    pub(crate) fn count(&self) -> usize {
        match self {
            View::Columns(columns) | View::Kept { columns: Some(columns), .. } => columns.len(),
            View::Pieces(carving) | View::Kept { columns: None, carving } => carving.count(),
        }
    }

    pub fn titles(&self, header: &Header) -> Vec<String> {
        match self {
            View::Columns(columns) | View::Kept { columns: Some(columns), .. } => {
                columns.iter().map(|column| header.title(*column)).collect()
            }
            View::Pieces(carving) | View::Kept { columns: None, carving } => {
                (0..carving.count()).map(|piece| carving.name(piece).to_owned()).collect()
            }
        }
    }

    /// The number of each column among the columns of its name, from 1.
    pub fn nths(&self, header: &Header) -> Vec<usize> {
        match self {
            View::Columns(columns) | View::Kept { columns: Some(columns), .. } => {
                let nths = header.nths_of_names();
                columns.iter().map(|column| nths.get(*column).copied().unwrap_or(1)).collect()
            }
            View::Pieces(_) | View::Kept { columns: None, .. } => vec![1; self.count()],
        }
    }

    /// The words that name each column: its title, or its number such as `#4` if another column has that title.
    pub fn words(&self, header: &Header) -> Vec<String> {
        let (View::Columns(columns) | View::Kept { columns: Some(columns), .. }) = self else { return self.titles(header) };
        let all = header.nths_of_names().into_iter().enumerate();
        let doubled: HashSet<String> = all.filter(|(_, nth)| *nth == 2).map(|(column, _)| header.title(column)).collect();
        let named = columns.iter().zip(self.titles(header));
        named.map(|(column, title)| if doubled.contains(&title) { format!("#{}", column + 1) } else { title }).collect()
    }

    /// Evaluates what is shown, and drops the rows that are left out.
    pub(crate) fn work_out<R: BatchRows>(&self, rows: &mut R, results: &mut BatchResults) -> Result<(), TooLarge> {
        match self {
            View::Columns(_) => Ok(()),
            View::Pieces(carving) => rows.with_batch(|batch| carving.evaluate(batch, results)),
            View::Kept { carving, .. } => carving.filter(rows, results),
        }
    }

    pub(crate) fn texts<'a>(&self, column: usize, batch: &Batch<'a>, batch_results: &'a BatchResults) -> Texts<'a> {
        match self {
            View::Columns(columns) | View::Kept { columns: Some(columns), .. } => batch.column(columns[column]),
            View::Pieces(carving) | View::Kept { columns: None, carving } => carving.texts(column, batch, batch_results),
        }
    }
}
