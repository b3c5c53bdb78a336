//! The plan of a phrase: which operation each step is.

use memchr::memmem::Finder;

use crate::phrase::Phrase;
use crate::phrase::ast::{Body, Marker, Position, Side, Sides, Span, StepKind};

/// A phrase made ready to be run on any number of values.
#[derive(Debug, Clone)]
pub struct Plan {
    pub(super) branches: Box<[BranchPlan]>,
}

/// One branch, and where it stands in the phrase.
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

/// One operation, and where its step stands in the phrase.
#[derive(Debug, Clone)]
pub(super) struct OpAt {
    pub(super) span: Span,
    pub(super) op: Op,
}

/// What is done to the text that reaches a step: the whole cost of a plan can be read off here.
///
/// In a plain text (see [`crate::text::characters::is_plain`]) all cuts by position are arithmetic;
/// elsewhere they walk over the characters up to the place asked for.
#[derive(Debug, Clone)]
pub(super) enum Op {
    /// Gives the text unless it is empty. No work.
    Whole,
    /// Gives the first `n` characters, or all where there are fewer.
    First(usize),
    /// Gives the last `n` characters, or all where there are fewer.
    Last(usize),
    /// Gives one character where there are so many.
    Char(Position),
    /// Gives what there is of the characters from one position to another, both included. Counts the
    /// characters first.
    CharsTo { from: Position, to: Position, bounded: bool },
    /// Gives what there is of `width` characters from a position on. Counts the characters first.
    CharsFor { from: Position, width: usize },
    /// Gives what is left without the first `n` characters.
    DropFirst(usize),
    /// Gives what is left without the last `n` characters.
    DropLast(usize),
    /// Gives what there is of the sections, with what stands between them, as `by` divides the text.
    /// One byte search up to the last section asked for; from the end, one over the whole text.
    Sections { from: Position, to: Position, bounded: bool, by: Box<Finder<'static>> },
    /// Gives the text without the white space at its ends. Looks at the ends only.
    Trim(Sides),
    /// Gives the text in upper case; the text itself where nothing changes.
    Upper,
    /// Gives the text in lower case; the text itself where nothing changes.
    Lower,
    /// Gives the text filled up to a width; the text itself where it is as wide or wider.
    Pad { side: Side, width: usize, with: String },
}

impl Plan {
    /// Compiles a phrase.
    pub fn new(phrase: &Phrase) -> Plan {
        let branches = phrase.branches.iter().map(|branch| BranchPlan {
            span: branch.span.clone(),
            body: match &branch.body {
                Body::Literal(text) => BodyPlan::Literal(text.clone()),
                Body::Steps(steps) => {
                    BodyPlan::Ops(steps.iter().map(|step| OpAt { span: step.span.clone(), op: op(&step.kind) }).collect())
                }
            },
        });
        Plan { branches: branches.collect() }
    }
}

fn op(step: &StepKind) -> Op {
    match step {
        StepKind::Whole => Op::Whole,
        StepKind::First(n) => Op::First(*n),
        StepKind::Last(n) => Op::Last(*n),
        StepKind::Char(position) => Op::Char(*position),
        StepKind::CharsTo { from, to, bounded } => Op::CharsTo { from: *from, to: *to, bounded: *bounded },
        StepKind::CharsFor { from, width } => Op::CharsFor { from: *from, width: *width },
        StepKind::DropFirst(n) => Op::DropFirst(*n),
        StepKind::DropLast(n) => Op::DropLast(*n),
        StepKind::Sections { from, to, bounded, by: Marker::Text(text) } => {
            let by = Box::new(Finder::new(text.as_bytes()).into_owned());
            Op::Sections { from: *from, to: *to, bounded: *bounded, by }
        }
        StepKind::Trim(sides) => Op::Trim(*sides),
        StepKind::Upper => Op::Upper,
        StepKind::Lower => Op::Lower,
        StepKind::Pad { side, width, with } => Op::Pad { side: *side, width: *width, with: with.clone() },
    }
}
