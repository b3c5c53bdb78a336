//! What is looked at of a table: its columns, or what pieces would add to it.

use keen_notch_core::batch::{Batch, Texts};
use keen_notch_core::carving::{Carving, TooLarge, Worked};
use keen_notch_core::column::Header;

/// Columns of a table, or pieces that are worked out of them and written nowhere.
#[derive(Debug, Clone, Copy)]
pub enum View<'v> {
    /// Columns, by their indices.
    Columns(&'v [usize]),
    /// All pieces, with one result in each row.
    Pieces(&'v Carving),
}

impl View<'_> {
    /// The columns of the table that it needs.
    pub(crate) fn needs(&self) -> Vec<usize> {
        match self {
            View::Columns(columns) => columns.to_vec(),
            View::Pieces(carving) => carving.used_columns(),
        }
    }

    /// The number of columns it has.
    pub(crate) fn count(&self) -> usize {
        match self {
            View::Columns(columns) => columns.len(),
            View::Pieces(carving) => carving.count(),
        }
    }

    /// What its columns are called.
    pub fn titles(&self, header: &Header) -> Vec<String> {
        match self {
            View::Columns(columns) => columns.iter().map(|column| header.title(*column)).collect(),
            View::Pieces(carving) => (0..carving.count()).map(|piece| carving.name(piece).to_owned()).collect(),
        }
    }

    /// Works out a batch.
    ///
    /// # Errors
    /// Where the results are too large.
    pub(crate) fn work_out(&self, batch: &Batch, worked: &mut Worked) -> Result<(), TooLarge> {
        match self {
            View::Columns(_) => Ok(()),
            View::Pieces(carving) => carving.run(batch, worked),
        }
    }

    /// The texts of one of its columns, in a batch that was worked out.
    pub(crate) fn texts<'a>(&self, column: usize, batch: &Batch<'a>, worked: &'a Worked) -> Texts<'a> {
        match self {
            View::Columns(columns) => batch.column(columns[column]),
            View::Pieces(carving) => carving.texts(column, batch, worked),
        }
    }
}
