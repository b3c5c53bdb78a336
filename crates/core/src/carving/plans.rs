use super::condition::BoundCondition;
use crate::layout::LayoutPlan;
use crate::piece::OutputForm;
use crate::program::{ByteSet, Program};
use crate::value_type::ValueType;

#[derive(Debug)]
pub(super) struct PiecePlan {
    pub(super) name: String,
    pub(super) body: PieceBody,
    pub(super) when: Option<WhenPlan>,
    pub(super) shape: OutputForm,
    pub(super) replaces: Option<usize>,
    pub(super) checks: Vec<CheckPlan>,
    pub(super) value_type: Option<ValueType>,
    pub(super) asks_missing: AsksMissing,
    pub(super) hidden: bool,
    /// The bytes that its results can contain although its source columns do not.
    pub(super) adds: ByteSet,
    pub(super) sources: Vec<usize>,
}

impl PiecePlan {
    pub(super) fn used_columns(&self) -> Vec<usize> {
        let mut used: Vec<usize> = match &self.body {
            PieceBody::Take { column, .. } | PieceBody::Field { column, .. } | PieceBody::Part { column, .. } => vec![*column],
            PieceBody::Build(parts) => parts
                .iter()
                .filter_map(|part| if let BuildPlan::Column(column) = part { Some(*column) } else { None })
                .collect(),
        };
        used.extend(self.when.as_ref().map(|when| when.column));
        if let PieceBody::Take { gates, .. } = &self.body {
            used.extend(gates.iter().map(|gate| gate.column));
            used.extend(gates.iter().flat_map(|gate| gate.condition.columns()));
        }
        used.extend(self.when.iter().flat_map(|when| when.condition.columns()));
        used.extend(self.checks.iter().flat_map(|check| check.condition.columns()));
        used
    }

    pub(super) fn columns(&self) -> usize {
        match self.shape {
            OutputForm::Columns(columns) => columns,
            OutputForm::Parts(_) => 0,
            // The number is unknown until the data has been read.
            OutputForm::AutoColumns | OutputForm::One | OutputForm::Rows => 1,
        }
    }
}

#[derive(Debug)]
pub(super) enum PieceBody {
    Take {
        column: usize,
        program: Program,
        phrase: String,
        gates: Vec<GatePlan>,
    },
    Field {
        column: usize,
        layout: usize,
        field: usize,
    },
    Build(Vec<BuildPlan>),
    /// A result of another piece, from 0.
    Part {
        column: usize,
        of: usize,
        result: usize,
    },
}

/// A condition of a branch on another column.
#[derive(Debug)]
pub(super) struct GatePlan {
    pub(super) column: usize,
    pub(super) condition: BoundCondition,
}

#[derive(Debug, Clone)]
pub(super) enum BuildPlan {
    Text(String),
    Piece(usize),
    Column(usize),
}

#[derive(Debug)]
pub(super) struct WhenPlan {
    pub(super) column: usize,
    pub(super) condition: BoundCondition,
}

#[derive(Debug)]
pub(super) struct BoundLayout {
    pub(super) column: usize,
    pub(super) plan: LayoutPlan,
    pub(super) words: String,
}

#[derive(Debug)]
pub(super) struct ProofPlan {
    pub(super) column: usize,
    pub(super) parts: Vec<BuildPlan>,
    pub(super) words: String,
}

#[derive(Debug)]
pub(super) struct KeepPlan {
    pub(super) of: BuildPlan,
    pub(super) condition: BoundCondition,
}

impl KeepPlan {
    /// The column, for a condition that the columns alone decide.
    pub(super) fn column(&self) -> Option<usize> {
        match self.of {
            BuildPlan::Column(column) if !self.condition.needs_pieces() => Some(column),
            _ => None,
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum AsksMissing {
    No,
    Warns,
    Faults,
}

#[derive(Debug)]
pub(super) struct CheckPlan {
    pub(super) condition: BoundCondition,
    pub(super) asks_nothing: bool,
    pub(super) wants_text: bool,
    pub(super) only_warns: bool,
    pub(super) words: String,
}
