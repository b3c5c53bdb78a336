//! Pieces bound to the columns of a table, and their evaluation on batches of rows.

mod batch_results;
mod bind;
mod condition;
mod judge;
mod memory;
mod plans;
mod run;
mod steps;
mod table_rows;
mod totals;

pub use batch_results::{BatchResults, Failure};
pub use bind::BindError;
pub use judge::{CheckName, Fault, NOT_MISSING};
pub use memory::{MakeStore, Memory, RowComparison};
pub use run::TooLarge;
pub use steps::{BatchRows, Carved, Compared, Judged, NextStep, Refused};
pub use table_rows::TableRows;
pub use totals::{RowCounts, Totals};

use std::collections::HashSet;
use std::ops::Range;

use self::condition::{AskedRows, column_of};
use self::judge::{CheckOf, PlaceCheck};
use self::memory::{Together, UniqueCheck};
use self::plans::{BoundLayout, BuildPlan, KeepPlan, PieceBody, PiecePlan, ProofPlan};
use crate::batch::Batch;
use crate::column::Header;
use crate::piece::OutputForm;
use crate::program::{ByteSet, Program, Trace};
use crate::value_type::ValueType;

/// The pieces of a run, bound to the columns of a table.
///
/// ```
/// use keen_notch_core::batch::{Batch, Column};
/// use keen_notch_core::carving::{Carving, BatchResults};
/// use keen_notch_core::column::Header;
/// use keen_notch_core::piece::{Piece, Rules};
/// use keen_notch_core::program::Setting;
/// use keen_notch_core::text::unit::Unit;
///
/// let wanted = Rules { pieces: vec![Piece::parse("family: first 3", 0)?], ..Rules::default() };
/// let header = Header::Names(vec!["part_code".to_owned()]);
/// let carving = Carving::new(&wanted, None, &Setting::new(Unit::Characters), &header)?;
/// let codes = Column::of(["GRP-00041273", "HNG-00760251"]);
/// let batch = Batch { rows: 2, columns: &[codes.texts()], ..Batch::default() };
/// let mut results = BatchResults::default();
/// carving.evaluate(&batch, &mut results)?;
/// assert_eq!(carving.texts(0, &batch, &results).get(1), "HNG");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Default)]
pub struct Carving {
    pieces: Vec<PiecePlan>,
    /// The evaluation order: built pieces after their parts.
    order: Vec<usize>,
    layouts: Vec<BoundLayout>,
    proofs: Vec<ProofPlan>,
    keep: Vec<KeepPlan>,
    unique: Option<Together>,
    uniques: usize,
    unique_checks: Vec<UniqueCheck>,
    is_compared_elsewhere: bool,
    places: Vec<PlaceCheck>,
    check_list: Vec<CheckOf>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum OutColumn {
    Original(usize),
    Piece {
        piece: usize,
        /// The index of the result; always 0 for a piece that writes a row for each result.
        result: usize,
    },
    /// A text of the row's input, the same in all of its rows: 0 is its name, and the next ones come from the names of its folders.
    OfInput(usize),
    Faults,
    /// The hashes for another program that compares rows.
    Compared,
    /// Why a row is set aside.
    Reason,
}

impl OutColumn {
    pub fn original(self) -> Option<usize> {
        match self {
            OutColumn::Original(column) => Some(column),
            _ => None,
        }
    }
}

impl Carving {
    pub fn keeps_every_row(&self) -> bool {
        self.keep.is_empty()
    }

    pub fn value_type(&self, piece: usize) -> Option<ValueType> {
        self.pieces[piece].value_type
    }

    /// The bytes that a piece can contain although its source columns do not.
    pub fn adds(&self, piece: usize) -> ByteSet {
        self.pieces[piece].adds
    }

    /// Whether the results of a piece are pieces of their own.
    pub fn is_divided(&self, piece: usize) -> bool {
        matches!(self.pieces[piece].shape, OutputForm::Parts(_))
    }

    /// The source columns of a piece: ascending indices.
    pub fn sources(&self, piece: usize) -> &[usize] {
        &self.pieces[piece].sources
    }

    pub fn count(&self) -> usize {
        self.pieces.len()
    }

    pub fn name(&self, piece: usize) -> &str {
        &self.pieces[piece].name
    }

    /// The program of a piece; `None` if it is built.
    pub fn program(&self, piece: usize) -> Option<&Program> {
        match &self.pieces[piece].body {
            PieceBody::Take { program, .. } => Some(program),
            PieceBody::Field { .. } | PieceBody::Build(_) | PieceBody::Part { .. } => None,
        }
    }

    /// The run of the phrase of a piece in a row, step by step; `None` if it has no phrase.
    pub fn trace(&self, piece: usize, batch: &Batch, row: usize) -> Option<Trace> {
        let PieceBody::Take { column, program, gates, .. } = &self.pieces[piece].body else { return None };
        let closed: Vec<bool> = run::closed(gates, batch).iter().map(|rows| rows.has(row)).collect();
        Some(program.trace_where(batch.value(*column, row), batch.numbers.get(row), &closed))
    }

    /// Whether a piece depends on the numbers of the rows.
    pub fn numbers_rows(&self) -> bool {
        (0..self.count()).any(|piece| self.program(piece).is_some_and(Program::numbers_rows))
    }

    /// The column of the `when` condition of a piece, if the condition does not hold in this row.
    pub fn fails_when(&self, piece: usize, batch: &Batch, row: usize) -> Option<usize> {
        let when = self.pieces[piece].when.as_ref()?;
        let mut failing = Vec::new();
        let texts_of = |of: &BuildPlan| column_of(of, batch);
        let rows = AskedRows { row_of: &|row| row, texts_of: &texts_of };
        when.condition.note_failing(batch.column(when.column), None, true, rows, &mut failing);
        failing.contains(&(row as u32)).then_some(when.column)
    }

    /// The source column of a piece; `None` if it is built.
    pub fn column(&self, piece: usize) -> Option<usize> {
        match &self.pieces[piece].body {
            PieceBody::Take { column, .. } | PieceBody::Field { column, .. } | PieceBody::Part { column, .. } => Some(*column),
            PieceBody::Build(_) => None,
        }
    }

    pub fn used_columns(&self) -> Vec<usize> {
        let mut used: Vec<usize> = self.pieces.iter().flat_map(PiecePlan::used_columns).collect();
        used.extend(self.layouts.iter().map(|layout| layout.column));
        used.extend(self.proofs.iter().map(|proof| proof.column));
        let parts = self.proofs.iter().flat_map(|proof| &proof.parts).chain(self.keep.iter().map(|keep| &keep.of));
        let parts = parts.chain(self.unique.iter().flat_map(|(parts, _)| parts));
        used.extend(self.keep.iter().flat_map(|keep| keep.condition.columns()));
        used.extend(
            self.places.iter().filter_map(|place| if let OutColumn::Original(column) = place.of { Some(column) } else { None }),
        );
        used.extend(parts.filter_map(|part| if let BuildPlan::Column(column) = part { Some(*column) } else { None }));
        used.sort_unstable();
        used.dedup();
        used
    }

    pub fn auto_pieces(&self) -> Vec<usize> {
        (0..self.pieces.len()).filter(|piece| self.pieces[*piece].shape == OutputForm::AutoColumns).collect()
    }

    /// Sets the number of columns of a piece with `columns = "auto"`.
    pub fn set_columns(&mut self, piece: usize, columns: usize) {
        self.pieces[piece].shape = OutputForm::Columns(columns.max(1));
        self.number_checks();
    }

    /// Sets the width of an output column in characters. A wider text is a fault.
    pub fn set_place(&mut self, of: OutColumn, most: usize) {
        self.places.push(PlaceCheck { of, most });
        self.number_checks();
    }

    /// The checks of fixed widths, by their indices.
    pub fn place_checks(&self) -> Range<usize> {
        self.check_list.len() - self.places.len()..self.check_list.len()
    }

    /// The piece that writes a row for each result.
    pub fn rows_piece(&self) -> Option<usize> {
        (0..self.pieces.len()).find(|piece| self.pieces[*piece].shape == OutputForm::Rows)
    }

    /// The columns of the output: the wanted columns of the table, by index, then the pieces. A piece takes the place of the column that it
    /// replaces.
    pub fn out_columns(&self, originals: &[usize]) -> Vec<OutColumn> {
        let replaced = |column| self.pieces.iter().position(|piece| piece.replaces == Some(column));
        let before = originals.iter().map(|&column| match replaced(column) {
            Some(piece) => OutColumn::Piece { piece, result: 0 },
            None => OutColumn::Original(column),
        });
        let is_after = |piece: &PiecePlan| !piece.hidden && piece.replaces.is_none_or(|column| !originals.contains(&column));
        let after = self.pieces.iter().enumerate().filter(|(_, piece)| is_after(piece));
        let after = after.flat_map(|(piece, plan)| (0..plan.columns()).map(move |result| OutColumn::Piece { piece, result }));
        before.chain(after).collect()
    }

    pub fn title(&self, column: OutColumn, header: &Header) -> String {
        match column {
            OutColumn::Original(index) => header.title(index),
            OutColumn::OfInput(_) => "source".to_owned(),
            OutColumn::Faults => "faults".to_owned(),
            OutColumn::Compared => "compared".to_owned(),
            OutColumn::Reason => "reason".to_owned(),
            OutColumn::Piece { piece, result } => match self.pieces[piece].shape {
                OutputForm::Columns(_) | OutputForm::AutoColumns => format!("{}_{}", self.pieces[piece].name, result + 1),
                OutputForm::One | OutputForm::Rows | OutputForm::Parts(_) => self.pieces[piece].name.clone(),
            },
        }
    }

    /// The first name that two columns of the output would share.
    pub fn doubled_title(&self, header: &Header) -> Option<(usize, String)> {
        let mut seen: HashSet<String> = header.names().unwrap_or_default().iter().cloned().collect();
        for column in self.out_columns(&(0..header.count()).collect::<Vec<_>>()) {
            if let OutColumn::Piece { piece, .. } = column
                && self.pieces[piece].replaces.is_none()
            {
                let title = self.title(column, header);
                if !seen.insert(title.clone()) {
                    return Some((piece, title));
                }
            }
        }
        None
    }
}
