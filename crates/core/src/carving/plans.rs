//! What pieces, layouts, proofs and conditions are when they are bound to the columns of a table.

use super::condition::BoundCondition;
use crate::layout::LayoutPlan;
use crate::piece::Shape;
use crate::program::{ByteSet, Program};
use crate::value_type::ValueType;

/// A piece made ready.
#[derive(Debug)]
pub(super) struct PiecePlan {
    pub(super) name: String,
    pub(super) body: PieceBody,
    pub(super) when: Option<WhenPlan>,
    pub(super) shape: Shape,
    /// The column whose place it takes.
    pub(super) replaces: Option<usize>,
    pub(super) checks: Vec<CheckPlan>,
    /// What its results stand for, which is a check too.
    pub(super) value_type: Option<ValueType>,
    /// What is asked of the piece where it is missing, beside the checks that are asked then by themselves.
    pub(super) asks_missing: AsksMissing,
    /// Whether it is not written.
    pub(super) hidden: bool,
    /// The bytes that its results may have though no column that it comes from does.
    pub(super) adds: ByteSet,
    /// Its source columns: ascending indices.
    pub(super) sources: Vec<usize>,
}

impl PiecePlan {
    /// The columns that it depends on.
    pub(super) fn used_columns(&self) -> Vec<usize> {
        let mut used: Vec<usize> = match &self.body {
            PieceBody::Take { column, .. } | PieceBody::Field { column, .. } => vec![*column],
            PieceBody::Build(parts) => parts
                .iter()
                .filter_map(|part| if let BuildPlan::Column(column) = part { Some(*column) } else { None })
                .collect(),
        };
        used.extend(self.when.as_ref().map(|when| when.column));
        used.extend(self.when.as_ref().and_then(|when| when.condition.column()));
        used.extend(self.checks.iter().filter_map(|check| check.condition.column()));
        used
    }

    /// How many columns of the output it fills.
    pub(super) fn columns(&self) -> usize {
        match self.shape {
            Shape::Columns(columns) => columns,
            // How many it will be is not known before the data has been read.
            Shape::AutoColumns | Shape::One | Shape::Rows => 1,
        }
    }
}

/// Where the text of a piece comes from.
#[derive(Debug)]
pub(super) enum PieceBody {
    Take {
        column: usize,
        program: Program,
        /// The text of the phrase.
        phrase: String,
    },
    /// A piece of a layout, both by their numbers.
    Field {
        column: usize,
        layout: usize,
        field: usize,
    },
    Build(Vec<BuildPlan>),
}

/// A part of a built text.
#[derive(Debug, Clone)]
pub(super) enum BuildPlan {
    Text(String),
    Piece(usize),
    Column(usize),
}

/// The condition under which a piece is taken.
#[derive(Debug)]
pub(super) struct WhenPlan {
    pub(super) column: usize,
    pub(super) condition: BoundCondition,
}

/// A layout and the column it describes.
#[derive(Debug)]
pub(super) struct BoundLayout {
    pub(super) column: usize,
    pub(super) plan: LayoutPlan,
    pub(super) words: String,
}

/// A text that must make a column's value again.
#[derive(Debug)]
pub(super) struct ProofPlan {
    pub(super) column: usize,
    pub(super) parts: Vec<BuildPlan>,
    pub(super) words: String,
}

/// A condition on a piece or a column that a row must meet to be kept.
#[derive(Debug)]
pub(super) struct KeepPlan {
    pub(super) of: BuildPlan,
    pub(super) condition: BoundCondition,
}

/// What a missing piece is for those who check it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum AsksMissing {
    /// Nothing: it has no checks, may be missing, or a check of its own asks for that.
    No,
    /// Something to be warned of: it has only checks that warn.
    Warns,
    /// A fault.
    Faults,
}

/// A condition that a piece must meet.
#[derive(Debug)]
pub(super) struct CheckPlan {
    pub(super) condition: BoundCondition,
    /// Whether it is asked where there is no result too.
    pub(super) asks_nothing: bool,
    /// Whether it is not met there.
    pub(super) wants_text: bool,
    pub(super) only_warns: bool,
    /// The words it was written in.
    pub(super) words: String,
}
