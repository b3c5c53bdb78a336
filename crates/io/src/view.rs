//! Views of a table: its columns, or its pieces.

use keen_notch_core::batch::{Batch, Texts};
use keen_notch_core::carving::{BatchResults, Carving, TooLarge};
use keen_notch_core::column::Header;

/// Columns of a table, or pieces that are evaluated but not written.
#[derive(Debug, Clone, Copy)]
pub enum View<'v> {
    Columns(&'v [usize]),
    Pieces(&'v Carving),
}

impl View<'_> {
    pub(crate) fn needs(&self) -> Vec<usize> {
        match self {
            View::Columns(columns) => columns.to_vec(),
            View::Pieces(carving) => carving.used_columns(),
        }
    }

    pub(crate) fn count(&self) -> usize {
        match self {
            View::Columns(columns) => columns.len(),
            View::Pieces(carving) => carving.count(),
        }
    }

    pub fn titles(&self, header: &Header) -> Vec<String> {
        match self {
            View::Columns(columns) => columns.iter().map(|column| header.title(*column)).collect(),
            View::Pieces(carving) => (0..carving.count()).map(|piece| carving.name(piece).to_owned()).collect(),
        }
    }

    pub(crate) fn work_out(&self, batch: &Batch, batch_results: &mut BatchResults) -> Result<(), TooLarge> {
        match self {
            View::Columns(_) => Ok(()),
            View::Pieces(carving) => carving.evaluate(batch, batch_results),
        }
    }

    pub(crate) fn texts<'a>(&self, column: usize, batch: &Batch<'a>, batch_results: &'a BatchResults) -> Texts<'a> {
        match self {
            View::Columns(columns) => batch.column(columns[column]),
            View::Pieces(carving) => carving.texts(column, batch, batch_results),
        }
    }
}
