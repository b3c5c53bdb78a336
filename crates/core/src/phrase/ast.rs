//! The syntax tree of a phrase. Nodes carry their spans for error messages.

pub use super::number_example::NumberExample;
use crate::text::characters;
use crate::text::unit::Unit;

/// A byte range in the text of a phrase.
pub type Span = std::ops::Range<usize>;

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Phrase {
    /// The source text, to which all spans refer.
    pub source: String,
    pub branches: Vec<Branch>,
}

impl Phrase {
    /// The step that leaves several results, if any.
    pub fn several_step(&self) -> Option<&Step> {
        self.branches.iter().find_map(|branch| match &branch.body {
            Body::Steps(steps) => step_with_several(steps),
            Body::Literal(_) => None,
        })
    }
}

/// A branch: the part between two `or`s or `else`s.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Branch {
    pub span: Span,
    /// Whether it follows `else`. Its result is then no fallback.
    pub is_else: bool,
    pub body: Body,
}

impl Branch {
    /// The maximum width of the result in characters, if its last steps limit it.
    pub fn width(&self) -> Option<usize> {
        let steps = match &self.body {
            Body::Literal(text) => return Some(characters::count(text)),
            Body::Steps(steps) => steps,
        };
        for step in steps.iter().rev() {
            match &step.kind {
                // These steps never add characters.
                StepKind::Trim(_)
                | StepKind::Squeeze
                | StepKind::Upper
                | StepKind::Lower
                | StepKind::Title
                | StepKind::Keep(_)
                | StepKind::DropClass(_)
                | StepKind::PlainDigits
                | StepKind::If { .. } => {}
                StepKind::First(width) | StepKind::Last(width) => return Some(*width),
                StepKind::Text(text) => return Some(characters::count(text)),
                StepKind::Char(_) => return Some(1),
                StepKind::CharsFor { width, .. } | StepKind::Pad { width, .. } | StepKind::Clip { width, .. } => {
                    return Some(*width);
                }
                StepKind::CharsTo(Range { from, to, bounded: true }) => {
                    return match (from, to) {
                        (Position::FromStart(from), Position::FromStart(to)) => Some((to + 1).saturating_sub(*from)),
                        (Position::FromEnd(from), Position::FromEnd(to)) => Some((from + 1).saturating_sub(*to)),
                        _ => None,
                    };
                }
                StepKind::CharsTo(Range { bounded: false, .. })
                | StepKind::Whole
                | StepKind::DropFirst(_)
                | StepKind::DropLast(_)
                | StepKind::Before(_)
                | StepKind::After(_)
                | StepKind::From(_)
                | StepKind::Through(_)
                | StepKind::Between { .. }
                | StepKind::Sections { .. }
                | StepKind::AllSections(_)
                | StepKind::Number { .. }
                | StepKind::AllNumbers(_)
                | StepKind::Run { .. }
                | StepKind::AllRuns(_)
                | StepKind::Match(_)
                | StepKind::AllMatches(_)
                | StepKind::AllGroups(_)
                | StepKind::Length(_)
                | StepKind::PositionOf(_)
                | StepKind::CountOf(_)
                | StepKind::Whether(_)
                | StepKind::Joined(_)
                | StepKind::Replace { .. }
                | StepKind::Prefix(_)
                | StepKind::Suffix(_)
                | StepKind::PlainNumber(_)
                | StepKind::AddCheckDigit(_)
                | StepKind::RowNumber
                | StepKind::LookupIn(_)
                | StepKind::LookupPairs { .. }
                | StepKind::Date { .. } => return None,
            }
        }
        None
    }
}

/// The content of a branch.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Body {
    /// A lone text, which is the result for every value.
    Literal(String),
    Steps(Vec<Step>),
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Step {
    pub span: Span,
    pub kind: StepKind,
}

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
        from: Position,
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
        first: Occurrence,
        /// The marker after the result; without an ordinal, the next one after the first.
        second: Marker,
        nth: Option<Position>,
    },
    /// `section 2 by "-"` (a range of one) and `sections 1 to 2 by "-"`
    Sections {
        range: Range,
        by: Division,
    },
    AllSections(Division),
    /// `number`, `number 2 signed`
    Number {
        which: Position,
        style: NumberStyle,
    },
    AllNumbers(NumberStyle),
    /// `run 2`, `run 1 of digits`
    Run {
        which: Position,
        /// The class; `None` for a run of any one kind.
        of: Option<Class>,
    },
    AllRuns(Option<Class>),
    /// `match /re/ group 1`
    Match(Pattern),
    AllMatches(Pattern),
    /// `groups of /(?<family>[A-Z]+)-(\d+)/`: all groups of the first match, in order
    AllGroups(Regex),
    /// `length`
    Length(Option<Unit>),
    /// `position of last "-"`
    PositionOf(Occurrence),
    /// `count of "-"`
    CountOf(Marker),
    /// `whether starts with "GRP"`
    Whether(Condition),
    /// `row number`: the number of the row in its input, from 1
    RowNumber,
    /// `if starts with "GRP"`, `if kind: one of "A", "B"`
    If {
        /// The column that the condition looks at; `None` for the text.
        column: Option<String>,
        condition: Condition,
    },
    /// A text instead of the value, after `if`: `if digits then "number"`
    Text(String),
    /// `joined with "; "`: joins several results
    Joined(String),
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
        marker: Marker,
        /// The replacement; `$1` is a group if the marker is a regular expression.
        with: String,
        with_span: Span,
    },
    /// `pad left to 6 with "0"`
    Pad {
        side: Side,
        width: usize,
        with: String,
    },
    /// `clip to 10`, `clip to 10 with "…"`
    Clip {
        width: usize,
        /// The text at the end of a shortened result, included in the width.
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
    /// `add check digit luhn`
    AddCheckDigit(CheckDigit),
    /// `lookup in "families.csv" column "code" give "name"`
    LookupIn(LookupSource),
    /// `lookup "M" as "Male", "F" as "Female"`
    LookupPairs {
        pairs: Vec<LookupPair>,
        any_case: bool,
    },
    /// `date "%y%m%d"`, `date "%y%m%d" as "%d.%m.%Y"`
    Date {
        format: DateFormat,
        /// The format of the result; `None` for ISO 8601.
        output: Option<DateOutput>,
    },
}

impl StepKind {
    /// Whether the step gives several results.
    pub fn gives_several(&self) -> bool {
        matches!(
            self,
            StepKind::AllSections(_)
                | StepKind::AllNumbers(_)
                | StepKind::AllRuns(_)
                | StepKind::AllMatches(_)
                | StepKind::AllGroups(_)
        )
    }
}

/// The step that leaves several results, if any.
pub fn step_with_several(steps: &[Step]) -> Option<&Step> {
    let last = steps.iter().rev().find(|step| step.kind.gives_several() || matches!(step.kind, StepKind::Joined(_)))?;
    last.kind.gives_several().then_some(last)
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Range {
    pub from: Position,
    pub to: Position,
    /// Whether all positions must exist; false for `to end`.
    pub bounded: bool,
}

/// An occurrence of a marker.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Occurrence {
    /// The ordinal, counted over the whole text.
    pub nth: Position,
    pub marker: Marker,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Division {
    pub marker: Marker,
    /// Whether empty sections are dropped and not counted.
    pub skipping_empty: bool,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NumberStyle {
    /// Whether a sign is part of the number.
    pub signed: bool,
    /// Examples of the thousands mark, the decimal mark and the sign. Without examples, the decimal mark is a point.
    pub like: Vec<NumberExample>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DateFormat {
    pub text: String,
    /// The first possible year of `%y`; `None` for 1969.
    pub from: Option<i16>,
    pub span: Span,
}

/// The output format of a date.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DateOutput {
    pub text: String,
    pub span: Span,
}

/// A regular expression with an optional group.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pattern {
    pub regex: Regex,
    /// The group; `None` for the whole match.
    pub group: Option<Group>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Group {
    /// Its number or its name, as written.
    pub name: String,
    pub span: Span,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Regex {
    pub pattern: String,
    /// The flags after them: any of `i`, `m`, `s` and `x`.
    pub flags: String,
    pub span: Span,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Marker {
    Text { text: String, any_case: bool },
    Regex(Regex),
    Run(Class),
    OneOf(String),
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Class {
    pub parts: Vec<ClassPart>,
}

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
    Spaces,
    /// `punctuation`: everything else.
    Punctuation,
    /// `any of "-/"`: these characters.
    AnyOf(String),
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Field {
    pub name: String,
    /// The minimum width in characters.
    pub from: usize,
    /// The maximum width; `None` for no limit.
    pub to: Option<usize>,
    /// The class; `None` for any character.
    pub class: Option<Class>,
}

/// A parsed condition. `FromStr` parses it, and `Display` writes it in its usual form.
///
/// ```
/// use keen_notch_core::phrase::Condition;
///
/// let condition: Condition = "not starts with  'GRP'".parse()?;
/// assert_eq!(condition.to_string(), "not starts with \"GRP\"");
/// # Ok::<(), keen_notch_core::phrase::PhraseError>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Condition {
    pub span: Span,
    /// Whether it begins with `not`.
    pub negated: bool,
    pub kind: ConditionKind,
}

impl Condition {
    /// Whether it tests the presence of a text: `required`, `blank` and their negations.
    pub fn is_about_absence(&self) -> bool {
        self.holds_for_absent().is_some()
    }

    /// Whether it fails for an absent text: `required` or `not blank`.
    pub fn wants_text(&self) -> bool {
        self.holds_for_absent() == Some(false)
    }

    /// Whether it holds for an absent text; `None` if it looks only at texts. Combinations follow Kleene's logic of three values.
    fn holds_for_absent(&self) -> Option<bool> {
        let of_parts = |parts: &[Condition], decides: bool| {
            let parts: Vec<Option<bool>> = parts.iter().map(Condition::holds_for_absent).collect();
            match parts.contains(&Some(decides)) {
                true => Some(decides),
                false => parts.iter().all(|part| *part == Some(!decides)).then_some(!decides),
            }
        };
        let holds = match &self.kind {
            ConditionKind::Required => Some(false),
            ConditionKind::Blank => Some(true),
            ConditionKind::All(parts) => of_parts(parts, false),
            ConditionKind::Any(parts) => of_parts(parts, true),
            _ => None,
        };
        holds.map(|holds| holds != self.negated)
    }

    /// The parts of a combination with `and` or `or`.
    pub fn parts(&self) -> &[Condition] {
        if let ConditionKind::All(parts) | ConditionKind::Any(parts) = &self.kind { parts } else { &[] }
    }

    /// The parts of a combination, with its negation moved into them, and whether all of them must hold.
    pub fn split(&self) -> (bool, Vec<Condition>) {
        let is_all = matches!(self.kind, ConditionKind::All(_));
        let part = |part: &Condition| Condition { negated: part.negated != self.negated, ..part.clone() };
        (is_all != self.negated, self.parts().iter().map(part).collect())
    }

    /// Calls `see` with each file that it names.
    pub fn each_list(&self, see: &mut dyn FnMut(&ListSource)) {
        if let ConditionKind::ListedIn { list, .. } = &self.kind {
            see(list);
        }
        self.parts().iter().for_each(|part| part.each_list(see));
    }

    /// Whether it or a part of it has this property.
    pub fn any(&self, has: &dyn Fn(&ConditionKind) -> bool) -> bool {
        has(&self.kind) || self.parts().iter().any(|part| part.any(has))
    }
}

/// A column of a file with allowed texts.
///
/// ```
/// use keen_notch_core::runner::ListSource;
///
/// let source = ListSource { file: "teams.csv".to_owned(), column: Some("team".to_owned()), has_header: true };
/// assert_eq!(source.column.as_deref(), Some("team"));
/// ```
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ListSource {
    /// The file, as the phrase names it.
    pub file: String,
    /// The column; `None` is the first column.
    pub column: Option<String>,
    /// Whether the first row of the file is a header.
    pub has_header: bool,
}

/// Two columns of a file, for `lookup in`.
///
/// ```
/// use keen_notch_core::runner::{ListSource, LookupSource};
///
/// let keys = ListSource { file: "families.csv".to_owned(), column: None, has_header: true };
/// let source = LookupSource { keys, give: Some("name".to_owned()), any_case: false };
/// assert_eq!(source.keys.file, "families.csv");
/// ```
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct LookupSource {
    /// The column of the keys.
    pub keys: ListSource,
    /// The column of the results; `None` is the second column.
    pub give: Option<String>,
    /// Whether keys that differ only in case are the same.
    pub any_case: bool,
}

/// A key and its result.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LookupPair {
    pub key: String,
    pub result: String,
    pub span: Span,
}

#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum ConditionKind {
    /// `required`: the piece is not missing.
    Required,
    /// `blank`: empty or white space.
    Blank,
    /// `length 8`, `length 4 to 8`, `length 4 to`
    Length {
        from: usize,
        to: Option<usize>,
    },
    Class(Class),
    /// `fits /re/`: the whole text matches.
    Fits(Regex),
    /// `starts with MARKER`
    StartsWith(Marker),
    /// `ends with MARKER`
    EndsWith(Marker),
    /// `contains MARKER`
    Contains(Marker),
    /// `contains word "WO"`: as a whole word.
    ContainsWord(String),
    /// `one of "A", "B"`
    OneOf {
        texts: Vec<String>,
        any_case: bool,
    },
    /// `listed in "sites.csv" column "site"`
    ListedIn {
        list: ListSource,
        any_case: bool,
    },
    /// `range 1 to 999`: compared exactly; either limit is optional.
    Range {
        from: Option<String>,
        to: Option<String>,
    },
    /// `range 2020-01-01 to today`: a date in ISO 8601; either limit is optional.
    Days {
        from: Option<Day>,
        to: Option<Day>,
    },
    /// `date "%y%m%d"`
    Date(DateFormat),
    /// `email`
    Email,
    /// `check digit luhn`
    CheckDigit(CheckDigit),
    /// `unique`
    Unique,
    /// `same as NAME`: a column or a piece.
    SameAs {
        name: String,
        any_case: bool,
    },
    /// `length 8 and not contains "0"`
    All(Vec<Condition>),
    /// `blank or length 8`
    Any(Vec<Condition>),
}

/// The first or last day of a range.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Day {
    /// In ISO 8601.
    Date(String),
    Today,
}

/// Check digit algorithms.
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

/// A position from either end, counted from 1.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Position {
    /// 1, 2, 3 …
    FromStart(usize),
    /// -1, -2, -3 …, stored without the sign.
    FromEnd(usize),
}

impl Position {
    pub const FIRST: Position = Position::FromStart(1);
    pub const LAST: Position = Position::FromEnd(1);

    /// The position from the start among `count`: 1 is the first. The result is 0 or less if the position is before the start.
    pub fn among(self, count: usize) -> i64 {
        match self {
            Position::FromStart(n) => signed(n),
            Position::FromEnd(n) => signed(count) + 1 - signed(n),
        }
    }
}

/// Saturates; real counts are far below the limit of `i64`.
fn signed(n: usize) -> i64 {
    i64::try_from(n).unwrap_or(i64::MAX / 4)
}

/// An end of a text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Side {
    Left,
    Right,
}

/// One or both ends of a text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sides {
    Only(Side),
    Both,
}
