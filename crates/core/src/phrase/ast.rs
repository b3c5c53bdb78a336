//! The syntax tree of a phrase. Every node that can be at fault knows where it stands.

use std::ops::Range;

/// A place in the text of a phrase, in bytes.
pub type Span = Range<usize>;

/// A phrase: branches tried from left to right until one gives a result.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Phrase {
    /// The text the phrase was read from; every span points into it.
    pub source: String,
    /// At least one branch.
    pub branches: Vec<Branch>,
}

/// What stands between two `or`s.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Branch {
    /// Where the branch stands.
    pub span: Span,
    /// What it does.
    pub body: Body,
}

/// What a branch does.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Body {
    /// A lone text: the result itself, whatever the value.
    Literal(String),
    /// Steps from left to right; at least one.
    Steps(Vec<Step>),
}

/// One step with its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Step {
    /// Where the step stands.
    pub span: Span,
    /// What it does.
    pub kind: StepKind,
}

/// What a step does to the text that reaches it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum StepKind {
    /// `whole`
    Whole,
    /// `first 3`
    First(usize),
    /// `last 4`
    Last(usize),
    /// `char 1`
    Char(Position),
    /// `chars 5 to 12`, `chars 5 to end`
    CharsTo {
        /// The first character.
        from: Position,
        /// The last character.
        to: Position,
        /// Whether all of them must be there: not so where `to end` was said.
        bounded: bool,
    },
    /// `chars 5 for 8`
    CharsFor {
        /// The first character.
        from: Position,
        /// How many.
        width: usize,
    },
    /// `drop first 4`
    DropFirst(usize),
    /// `drop last 5`
    DropLast(usize),
    /// `section 2 by "-"` (then `from` and `to` are the same) and `sections 1 to 2 by "-"`
    Sections {
        /// The first section.
        from: Position,
        /// The last section.
        to: Position,
        /// Whether all of them must be there: not so where `to end` was said.
        bounded: bool,
        /// What divides the text.
        by: Marker,
    },
    /// `trim`, `trim left`, `trim right`
    Trim(Sides),
    /// `upper`
    Upper,
    /// `lower`
    Lower,
    /// `pad left to 6 with "0"`
    Pad {
        /// The side the filling goes to.
        side: Side,
        /// The width aimed at, in characters.
        width: usize,
        /// The filling, repeated as needed.
        with: String,
    },
}

/// What is looked for in a value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Marker {
    /// A text as it stands; never empty.
    Text(String),
}

/// A place counted from 1, from either end.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Position {
    /// 1, 2, 3 …
    FromStart(usize),
    /// -1, -2, -3 …, kept without its sign.
    FromEnd(usize),
}

impl Position {
    /// The last of them.
    pub const LAST: Position = Position::FromEnd(1);

    /// The place counted from the start where there are `count` of them: 1 is the first, and a place
    /// that counts back beyond the start is 0 or less.
    pub fn among(self, count: usize) -> i64 {
        match self {
            Position::FromStart(n) => signed(n),
            Position::FromEnd(n) => signed(count) + 1 - signed(n),
        }
    }
}

/// Counts are far below what an `i64` holds; one that is not is as good as the greatest.
fn signed(n: usize) -> i64 {
    i64::try_from(n).unwrap_or(i64::MAX / 4)
}

/// One end of a text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    /// The start.
    Left,
    /// The end.
    Right,
}

/// One end of a text or both.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sides {
    /// One end.
    Only(Side),
    /// Both ends.
    Both,
}
