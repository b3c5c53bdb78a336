//! The operations of a plan.

use super::class::ClassPlan;
use super::condition::ConditionPlan;
use super::date::DatePlan;
use super::kernel::{CutKernel, FinishKernel};
use super::matcher::Matcher;
use super::number::NumberPlan;
use super::pattern::{PatternPlan, Template};
use crate::phrase::ast::{Position, Range, Side, Sides, Span};
use crate::text::unit::Unit;

/// A phrase made ready to be run on any number of values.
#[derive(Debug, Clone)]
pub struct Program {
    pub(super) branches: Box<[BranchPlan]>,
    pub(super) unit: Unit,
    pub(super) several: bool,
}

impl Program {
    /// Whether the phrase gives several results of one value.
    pub fn gives_several(&self) -> bool {
        self.several
    }
}

/// One branch, and where it is in the phrase.
#[derive(Debug, Clone)]
pub(super) struct BranchPlan {
    pub(super) span: Span,
    pub(super) body: BodyPlan,
}

#[derive(Debug, Clone)]
pub(super) enum BodyPlan {
    /// Gives this text, whatever the value.
    Literal(String),
    Ops(Box<[OpAt]>),
}

/// One operation, where its step is in the phrase, and the kernel that runs it on plain texts.
#[derive(Debug, Clone)]
pub(super) struct OpAt {
    pub(super) span: Span,
    pub(super) op: Op,
    pub(super) kernel: Option<Kernel>,
}

/// What runs an operation on plain texts (see [`crate::text::characters::is_plain`]): the same as its definition, faster.
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
            Op::Spread(_) | Op::Join(_) | Op::Tell(_) => None,
        };
        OpAt { span, op, kernel }
    }
}

/// What is done to the text that reaches a step: the whole cost of a plan can be read off here.
///
/// In a plain text (see [`crate::text::characters::is_plain`]) all cuts by position are arithmetic;
/// elsewhere they walk over the characters up to the place asked for. What looking for a marker costs is
/// said at each of its strategies, in [`super::matcher`].
#[derive(Debug, Clone)]
pub(super) enum Op {
    /// Gives a part of the text: no text is made.
    Cut(CutOp),
    /// Gives several parts of the text.
    Spread(SpreadOp),
    /// Gives the several results as one, with a text between them. Copies them.
    Join(String),
    /// Gives a text about the text: a number, `true` or `false`. Makes a short text.
    Tell(TellOp),
    /// Gives the text changed, or as it is where nothing changes.
    Finish(FinishOp),
}

/// A part of a text.
#[derive(Debug, Clone)]
pub(super) enum CutOp {
    /// All of it.
    Whole,
    /// The first `n`, or all where there are fewer.
    First(usize),
    /// The last `n`, or all where there are fewer.
    Last(usize),
    /// One, where there are that many.
    Char(Position),
    /// What there is from one position to another. Counts first.
    CharsTo(Range),
    /// What there is of a number of characters from a position on. Counts first.
    CharsFor { from: Position, width: usize },
    /// What is left without the first `n`.
    DropFirst(usize),
    /// What is left without the last `n`.
    DropLast(usize),
    /// Up to a marker, with it or without it. Looks no further than the marker, unless it is counted from
    /// the end.
    UpTo { nth: Position, marker: Matcher, with_it: bool },
    /// From a marker on, with it or without it. The same.
    Onward { nth: Position, marker: Matcher, with_it: bool },
    /// Between two markers. Looks for the second from after the first, or where an ordinal was said, from
    /// the start.
    Between { first: Position, open: Matcher, second: Option<Position>, close: Matcher },
    /// What there is of the sections, with what is between them. Looks no further than the last section
    /// asked for; where places count from the end, over the whole text first.
    Sections { range: Range, by: Matcher, skipping_empty: bool },
    /// One number. Looks for digits.
    Number { which: Position, style: NumberPlan },
    /// One unbroken run of a kind. Looks at each character.
    Run(Position),
    /// One unbroken run of a class.
    RunOf { which: Position, class: Matcher },
    /// The first match of a regular expression, or a group of it.
    Match(Box<PatternPlan>),
    /// Without the white space at its ends. Looks at the ends only.
    Trim(Sides),
}

/// Several parts of a text.
#[derive(Debug, Clone)]
pub(super) enum SpreadOp {
    /// Every section.
    Sections { by: Matcher, skipping_empty: bool },
    /// Every number.
    Numbers(NumberPlan),
    /// Every unbroken run of a kind.
    Runs,
    /// Every unbroken run of a class.
    RunsOf(Matcher),
    /// Every match, or a group of each.
    Matches(Box<PatternPlan>),
}

/// A text about a text. These are never missing, but for a position.
#[derive(Debug, Clone)]
pub(super) enum TellOp {
    /// How long it is, in the unit of the program or another.
    Length(Option<Unit>),
    /// Where a marker is, from 1; missing where there is none.
    PositionOf { nth: Position, marker: Matcher },
    /// How often a marker is there.
    CountOf(Matcher),
    /// Whether a condition holds.
    Whether(Box<ConditionPlan>),
}

/// A text changed.
#[derive(Debug, Clone)]
pub(super) enum FinishOp {
    /// Each run of white space as one space.
    Squeeze,
    /// In upper case.
    Upper,
    /// In lower case.
    Lower,
    /// Each word's first letter in upper case, the others in lower case.
    Title,
    /// Its characters that are of the class, or those that are not.
    Filter { class: Box<ClassPlan>, keep: bool },
    /// Another text wherever the marker is.
    Replace { marker: Matcher, with: Template },
    /// Filled up to a width; as it is where it is as wide or wider.
    Pad { side: Side, width: usize, with: String },
    /// Cut off at a width, with a mark at its end.
    Clip { width: usize, mark: String, mark_width: usize },
    /// A text before it.
    Prefix(String),
    /// A text after it.
    Suffix(String),
    /// The number it is, without what does not count; missing where it is none.
    PlainNumber(Option<NumberPlan>),
    /// With decimal digits of any script as 0 to 9.
    PlainDigits,
    /// The number that was found, without its thousands marks.
    Undress(NumberPlan),
    /// The date it is, as ISO 8601; missing where it is none.
    Date(Box<DatePlan>),
}
