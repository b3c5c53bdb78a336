//! What is looked at of a table: its columns, or what pieces would add to it.

use keen_notch_core::batch::{Batch, Texts};
use keen_notch_core::carving::{Carving, Worked};
use keen_notch_core::column::Header;

use crate::Error;
use crate::source::{Chunk, LineCount};

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

    /// Works out a batch, which begins with the row of this index in its chunk.
    ///
    /// # Errors
    /// Where the results of a piece are too large.
    pub(crate) fn work_out(
        &self,
        batch: &Batch,
        worked: &mut Worked,
        (chunk, first): (&dyn Chunk, usize),
    ) -> Result<(), Error> {
        let View::Pieces(carving) = self else { return Ok(()) };
        carving.run(batch, worked);
        refuse_too_large(carving, worked, chunk, first)
    }

    /// The texts of one of its columns, in a batch that was worked out.
    pub(crate) fn texts<'a>(&self, column: usize, batch: &Batch<'a>, worked: &'a Worked) -> Texts<'a> {
        match self {
            View::Columns(columns) => batch.column(columns[column]),
            View::Pieces(carving) => carving.texts(column, batch, worked),
        }
    }
}

/// Refuses the results of a batch that would take too much memory; the batch begins with the row of this index in its chunk.
///
/// # Errors
/// Where those of a piece would.
pub(crate) fn refuse_too_large(carving: &Carving, worked: &Worked, chunk: &dyn Chunk, first: usize) -> Result<(), Error> {
    let Some(piece) = worked.too_large() else { return Ok(()) };
    let line = chunk.line(first, &mut LineCount::default());
    Err(Error::ResultsTooLarge { name: chunk.source().to_owned(), piece: carving.name(piece).to_owned(), line })
}
