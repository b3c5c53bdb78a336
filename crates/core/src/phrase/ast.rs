//! The syntax tree of a phrase. Every node that can be at fault knows where it is.

pub use super::number_example::NumberExample;
use crate::text::characters;
use crate::text::unit::Unit;

/// A place in the text of a phrase, in bytes.
pub type Span = std::ops::Range<usize>;

/// A phrase: branches tried from left to right until one gives a result.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Phrase {
    /// The text the phrase was read from; every span points into it.
    pub source: String,
    /// At least one branch.
    pub branches: Vec<Branch>,
}

/// What is between two `or`s.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Branch {
    /// Where the branch is.
    pub span: Span,
    /// What it does.
    pub body: Body,
}

impl Branch {
    /// How many characters its result has at most, as what it ends in says.
    pub fn width(&self) -> Option<usize> {
        let steps = match &self.body {
            Body::Literal(text) => return Some(characters::count(text)),
            Body::Steps(steps) => steps,
        };
        // Some finishes leave as many characters as there were, or fewer.
        let keeps = |step: &&Step| {
            matches!(
                step.kind,
                StepKind::Trim(_)
                    | StepKind::Squeeze
                    | StepKind::Upper
                    | StepKind::Lower
                    | StepKind::Title
                    | StepKind::Keep(_)
                    | StepKind::DropClass(_)
            )
        };
        match &steps.iter().rev().find(|step| !keeps(step))?.kind {
            StepKind::First(width) | StepKind::Last(width) => Some(*width),
            StepKind::Char(_) => Some(1),
            StepKind::CharsFor { width, .. } | StepKind::Pad { width, .. } | StepKind::Clip { width, .. } => Some(*width),
            StepKind::CharsTo(Range { from, to, bounded: true }) => match (from, to) {
                (Position::FromStart(from), Position::FromStart(to)) => Some((to + 1).saturating_sub(*from)),
                (Position::FromEnd(from), Position::FromEnd(to)) => Some((from + 1).saturating_sub(*to)),
                _ => None,
            },
            _ => None,
        }
    }
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
    /// Where the step is.
    pub span: Span,
    /// What it does.
    pub kind: StepKind,
}

/// What a step does to the text that reaches it.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
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
    CharsTo(Range),
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
    /// `before last "-"`
    Before(Occurrence),
    /// `after 2nd "-"`
    After(Occurrence),
    /// `from "S"`
    From(Occurrence),
    /// `through 2nd "-"`
    Through(Occurrence),
    /// `between "(" and ")"`
    Between {
        /// What it begins after.
        first: Occurrence,
        /// What it ends before; without an ordinal, the next one after the first.
        second: Marker,
        /// Which one, where an ordinal was said.
        nth: Option<Position>,
    },
    /// `section 2 by "-"` (a range of one) and `sections 1 to 2 by "-"`
    Sections {
        /// Which of them.
        range: Range,
        /// What divides the text.
        by: Division,
    },
    /// `sections by "-"`: every one, as several results
    AllSections(Division),
    /// `number`, `number 2 signed`
    Number {
        /// Which one.
        which: Position,
        /// How numbers are written.
        style: NumberStyle,
    },
    /// `numbers`: every one, as several results
    AllNumbers(NumberStyle),
    /// `run 2`, `run 1 of digits`
    Run {
        /// Which one.
        which: Position,
        /// Of what class; of any one kind where none is said.
        of: Option<Class>,
    },
    /// `runs`, `runs of digits`: every one, as several results
    AllRuns(Option<Class>),
    /// `match /re/ group 1`
    Match(Pattern),
    /// `matches /re/ group 1`: every one, as several results
    AllMatches(Pattern),
    /// `length`
    Length(Option<Unit>),
    /// `position of last "-"`
    PositionOf(Occurrence),
    /// `count of "-"`
    CountOf(Marker),
    /// `whether starts with "GRP"`
    Whether(Condition),
    /// `joined with "; "`: several results made one
    Joined(String),
    /// `trim`, `trim left`, `trim right`
    Trim(Sides),
    /// `squeeze`
    Squeeze,
    /// `upper`
    Upper,
    /// `lower`
    Lower,
    /// `title`
    Title,
    /// `keep digits`
    Keep(Class),
    /// `drop spaces`
    DropClass(Class),
    /// `replace "/" with "-"`
    Replace {
        /// What is replaced, wherever it is.
        marker: Marker,
        /// What is there instead; `$1` in it is a group where the marker is a regular expression.
        with: String,
        /// Where that text is in the phrase.
        with_span: Span,
    },
    /// `pad left to 6 with "0"`
    Pad {
        /// The side the filling goes to.
        side: Side,
        /// The width aimed at, in characters.
        width: usize,
        /// The filling, repeated as needed.
        with: String,
    },
    /// `clip to 10`, `clip to 10 with "…"`
    Clip {
        /// The greatest width, in characters.
        width: usize,
        /// What is at the end of a text that was clipped, and counts in the width.
        mark: String,
    },
    /// `prefix "WO-"`
    Prefix(String),
    /// `suffix " mm"`
    Suffix(String),
    /// `plain number`, `plain number like "1.234,5"`: see [`NumberStyle::like`]
    PlainNumber(Vec<NumberExample>),
    /// `plain digits`: decimal digits of any script as 0 to 9
    PlainDigits,
    /// `date "%y%m%d"`
    Date(DateFormat),
}

impl StepKind {
    /// Whether the step gives several results.
    pub fn gives_several(&self) -> bool {
        matches!(self, StepKind::AllSections(_) | StepKind::AllNumbers(_) | StepKind::AllRuns(_) | StepKind::AllMatches(_))
    }
}

/// The step that leaves these with several results, if one does.
pub fn step_with_several(steps: &[Step]) -> Option<&Step> {
    let last = steps.iter().rev().find(|step| step.kind.gives_several() || matches!(step.kind, StepKind::Joined(_)))?;
    last.kind.gives_several().then_some(last)
}

/// Places from one to another, both included.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Range {
    /// The first.
    pub from: Position,
    /// The last.
    pub to: Position,
    /// Whether all of them must be there: not so where `to end` was said.
    pub bounded: bool,
}

/// One of the places where a marker is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Occurrence {
    /// Which one, counted over the whole text.
    pub nth: Position,
    /// What is looked for.
    pub marker: Marker,
}

/// How a text is divided.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Division {
    /// What divides it.
    pub marker: Marker,
    /// Whether empty sections are left out, and out of the count.
    pub skipping_empty: bool,
}

/// How numbers are written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NumberStyle {
    /// Whether a sign belongs to the number.
    pub signed: bool,
    /// Examples that show the thousands mark, the decimal mark and the sign. Without one, the decimal mark is a point. Several
    /// show the same number with different signs.
    pub like: Vec<NumberExample>,
}

/// How a date is written, with its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DateFormat {
    /// The format, as strftime has it.
    pub text: String,
    /// The first year that a year of two digits can be; 1969 where none is said.
    pub from: Option<i16>,
    /// Where it is, from the quotes on.
    pub span: Span,
}

/// A regular expression and the group of it that is meant.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pattern {
    /// The regular expression.
    pub regex: Regex,
    /// The group; the whole match where none is said.
    pub group: Option<Group>,
}

/// A group of a regular expression, with its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Group {
    /// Its number or its name, as written.
    pub name: String,
    /// Where that is.
    pub span: Span,
}

/// A regular expression as written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Regex {
    /// What is between the slashes.
    pub pattern: String,
    /// The flags after them: any of `i`, `m`, `s` and `x`.
    pub flags: String,
    /// Where it is, slashes included.
    pub span: Span,
}

/// What is looked for in a value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Marker {
    /// A text as it is; never empty.
    Text {
        /// The text.
        text: String,
        /// Whether upper and lower case are the same.
        any_case: bool,
    },
    /// Whatever a regular expression matches.
    Regex(Regex),
    /// One unbroken run of a class.
    Run(Class),
    /// One character out of some.
    OneOf(String),
}

/// A class of characters: all that belong to any of its parts.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Class {
    /// At least one part.
    pub parts: Vec<ClassPart>,
}

/// A part of a class.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ClassPart {
    /// `digits`: 0 to 9.
    Digits,
    /// `letters`, of any script.
    Letters,
    /// `uppercase` letters.
    Uppercase,
    /// `lowercase` letters.
    Lowercase,
    /// `alphanumeric`: letters and digits.
    Alphanumeric,
    /// `spaces`: Unicode white space.
    Spaces,
    /// `punctuation`: whatever is none of letter, digit or space.
    Punctuation,
    /// `any of "-/"`: these characters.
    AnyOf(String),
}

/// A piece in a form.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Field {
    /// Its name.
    pub name: String,
    /// Its least width, in characters.
    pub from: usize,
    /// Its greatest width; none where it is as wide as it has to be.
    pub to: Option<usize>,
    /// The class of its characters; any where none is said.
    pub class: Option<Class>,
}

/// A condition on a text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Condition {
    /// Where it is, `not` included.
    pub span: Span,
    /// Whether `not` comes before it.
    pub negated: bool,
    /// What must hold.
    pub kind: ConditionKind,
}

impl Condition {
    /// Whether it asks that there is a text at all, or that there is none: `required`, `blank`, and these with `not`. Every other
    /// condition is asked of a text that is there.
    pub fn is_about_absence(&self) -> bool {
        matches!(self.kind, ConditionKind::Required | ConditionKind::Blank)
    }

    /// Whether it is not met where there is no text: `required`, or `not blank`.
    pub fn wants_text(&self) -> bool {
        self.is_about_absence() && (self.kind == ConditionKind::Blank) == self.negated
    }
}

/// A column of a file that holds a list of texts.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ListSource {
    /// The file, as the phrase names it.
    pub file: String,
    /// The column; `None` is the first column.
    pub column: Option<String>,
    /// Whether the first row of the file names its columns.
    pub has_header: bool,
}

/// What a condition asks.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum ConditionKind {
    /// `required`: the piece is not missing.
    Required,
    /// `blank`: there is nothing but white space.
    Blank,
    /// `length 8`, `length 4 to 8`; open above where only `length 4 to` was said.
    Length {
        /// The least, in characters.
        from: usize,
        /// The most.
        to: Option<usize>,
    },
    /// `digits`: every character is of the class.
    Class(Class),
    /// `fits /re/`: the whole text does.
    Fits(Regex),
    /// `starts with MARKER`
    StartsWith(Marker),
    /// `ends with MARKER`
    EndsWith(Marker),
    /// `contains MARKER`
    Contains(Marker),
    /// `contains word "WO"`: not inside a longer word.
    ContainsWord(String),
    /// `one of "A", "B"`
    OneOf {
        /// The texts.
        texts: Vec<String>,
        /// Whether case does not count.
        any_case: bool,
    },
    /// `listed in "sites.csv" column "site"`
    ListedIn {
        /// Where the list is.
        list: ListSource,
        /// Whether upper and lower case are the same.
        any_case: bool,
    },
    /// `range 1 to 999`: numbers, compared exactly; an end may be left open.
    Range {
        /// The least, as written.
        from: Option<String>,
        /// The greatest, as written.
        to: Option<String>,
    },
    /// `date "%Y-%m-%d"`
    Date(DateFormat),
    /// `email`
    Email,
    /// `check digit luhn`
    CheckDigit(CheckDigit),
    /// `unique`
    Unique,
    /// `same as COLUMN`
    SameAs(String),
}

/// The published algorithms for check digits.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum CheckDigit {
    /// `luhn`: ISO/IEC 7812.
    Luhn,
    /// `gs1`: GS1 mod 10.
    Gs1,
    /// `isbn10`
    Isbn10,
    /// `mod97`: ISO 7064 MOD 97-10.
    Mod97,
    /// `mod11-2`: ISO 7064 MOD 11-2.
    Mod112,
    /// `iban`: ISO 13616.
    Iban,
    /// `verhoeff`
    Verhoeff,
    /// `damm`
    Damm,
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
    /// The first of them.
    pub const FIRST: Position = Position::FromStart(1);
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
