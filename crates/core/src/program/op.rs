//! The operations of a compiled phrase.

use std::sync::Arc;

use super::class::ClassPlan;
use super::condition::ConditionPlan;
use super::date::DatePlan;
use super::kernel::{CutKernel, FinishKernel};
use super::lookup::LookupTable;
use super::matcher::Matcher;
use super::number::NumberPlan;
use super::pattern::{CompiledRegex, PatternPlan, Template};
use super::straight::StraightPattern;
use crate::phrase::ast::{CheckDigit, Condition, Position, Range, Side, Sides, Span};
use crate::text::unit::Unit;

/// A compiled phrase.
#[derive(Debug, Clone)]
pub struct Program {
    pub(super) branches: Box<[BranchPlan]>,
    pub(super) unit: Unit,
    pub(super) several: bool,
    /// Whether a step writes the number of the row.
    pub(super) numbers_rows: bool,
    /// The conditions of branches on other columns, in order.
    pub(super) gates: Box<[Gate]>,
}

/// A condition of a branch on another column. The owner of the program evaluates it.
#[derive(Debug, Clone)]
pub struct Gate {
    pub span: Span,
    pub column: String,
    pub condition: Condition,
}

impl Program {
    pub fn gates(&self) -> &[Gate] {
        &self.gates
    }

    /// Whether the results depend on the numbers of the rows: see [`super::Work::set_row_numbers`].
    pub fn numbers_rows(&self) -> bool {
        self.numbers_rows
    }

    /// Whether a branch reads the value: not if it begins with the number of the row, or is a text.
    pub fn reads_value(&self) -> bool {
        let first = |branch: &BranchPlan| match &branch.body {
            BodyPlan::Ops(ops) => !matches!(ops.first(), Some(OpAt { op: Op::RowNumber, .. })),
            BodyPlan::Literal(_) => false,
        };
        self.branches.iter().any(first)
    }

    /// Whether the phrase gives several results for a value.
    pub fn gives_several(&self) -> bool {
        self.several
    }
}

#[derive(Debug, Clone)]
pub(super) struct BranchPlan {
    pub(super) span: Span,
    pub(super) body: BodyPlan,
    pub(super) is_else: bool,
    /// Its gates, as indices.
    pub(super) gates: std::ops::Range<usize>,
}

#[derive(Debug, Clone)]
pub(super) enum BodyPlan {
    Literal(String),
    Ops(Box<[OpAt]>),
}

#[derive(Debug, Clone)]
pub(super) struct OpAt {
    pub(super) span: Span,
    pub(super) op: Op,
    pub(super) kernel: Option<Kernel>,
}

/// A faster equivalent of an operation for plain texts (see [`crate::text::characters::is_plain`]).
#[derive(Debug, Clone)]
pub(super) enum Kernel {
    Cut(CutKernel),
    Finish(FinishKernel),
}

impl OpAt {
    pub(super) fn new(span: Span, op: Op) -> OpAt {
        let kernel = match &op {
            Op::Cut(cut) => CutKernel::of(cut).map(Kernel::Cut),
            Op::Finish(finish) => FinishKernel::of(finish).map(Kernel::Finish),
            Op::Spread(_) | Op::Join(_) | Op::Describe(_) | Op::RowNumber | Op::If(_) => None,
        };
        OpAt { span, op, kernel }
    }
}

/// An operation on the text that reaches a step. The cost of a plan is visible here.
///
/// In a plain text (see [`crate::text::characters::is_plain`]), cuts by position are arithmetic; otherwise they walk over the characters
/// up to the position. [`super::matcher`] states the cost of each kind of marker.
#[derive(Debug, Clone)]
pub(super) enum Op {
    /// Returns a part of the text, without a copy.
    Cut(CutOp),
    Spread(SpreadOp),
    Join(String),
    /// Returns a property of the text: a number, `true` or `false`. Creates a short text.
    Describe(DescribeOp),
    Finish(FinishOp),
    /// The number of the row of the text.
    RowNumber,
    /// The text itself, if the condition holds.
    If(Box<ConditionPlan>),
}

#[derive(Debug, Clone)]
pub(super) enum CutOp {
    Whole,
    First(usize),
    Last(usize),
    Char(Position),
    /// The existing part of a range. Counts the text first.
    CharsTo(Range),
    /// The existing part of a number of characters from a position. Counts the text first.
    CharsFor {
        from: Position,
        width: usize,
    },
    DropFirst(usize),
    DropLast(usize),
    /// The part before a marker, optionally including it. Searches up to the marker, unless it is counted from the end.
    UpTo {
        nth: Position,
        marker: Matcher,
        with_it: bool,
    },
    /// The part after a marker, optionally including it. Searches in the same way.
    Onward {
        nth: Position,
        marker: Matcher,
        with_it: bool,
    },
    /// The part between two markers. Searches the second one after the first, or with an ordinal from the start.
    Between {
        first: Position,
        open: Matcher,
        second: Option<Position>,
        close: Matcher,
    },
    /// The existing sections, with the delimiters between them. Searches up to the last section; positions from the end need the whole
    /// text.
    Sections {
        range: Range,
        by: Matcher,
        skipping_empty: bool,
    },
    Number {
        which: Position,
        style: NumberPlan,
    },
    Run(Position),
    RunOf {
        which: Position,
        class: Matcher,
    },
    Match(Box<PatternPlan>),
    /// The text without white space at its ends. Reads only the ends.
    Trim(Sides),
}

#[derive(Debug, Clone)]
pub(super) enum SpreadOp {
    Sections {
        by: Matcher,
        skipping_empty: bool,
    },
    Numbers(NumberPlan),
    Runs,
    RunsOf(Matcher),
    Matches(Box<PatternPlan>),
    /// The groups of the first match; an unused group is empty.
    Groups {
        compiled: Box<CompiledRegex>,
        straight: Option<StraightPattern>,
        count: usize,
    },
}

/// Properties of a text. Only a position can be missing.
#[derive(Debug, Clone)]
pub(super) enum DescribeOp {
    Length(Option<Unit>),
    /// The position of a marker, from 1; missing without a match.
    PositionOf {
        nth: Position,
        marker: Matcher,
    },
    CountOf(Matcher),
    Whether(Box<ConditionPlan>),
}

#[derive(Debug, Clone)]
pub(super) enum FinishOp {
    Squeeze,
    Upper,
    Lower,
    Title,
    Filter {
        class: Box<ClassPlan>,
        keep: bool,
    },
    Replace {
        marker: Matcher,
        with: Template,
    },
    Pad {
        side: Side,
        width: usize,
        with: String,
    },
    Clip {
        width: usize,
        mark: String,
        mark_width: usize,
    },
    /// A text instead of the text.
    Instead(String),
    Prefix(String),
    Suffix(String),
    /// The plain number; missing if the text is not a number.
    PlainNumber(Option<NumberPlan>),
    PlainDigits,
    /// The text with its check digit; missing for an invalid code.
    AddCheckDigit(CheckDigit),
    /// The result for the text as a key; missing without one.
    Lookup(Arc<LookupTable>),
    Undress(NumberPlan),
    /// The date as ISO 8601; missing if the text is not a date.
    Date(Box<DatePlan>),
}
