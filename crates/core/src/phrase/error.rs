use std::fmt;

use super::Span;

/// An invalid phrase, found before any row is read.
///
/// ```
/// use keen_notch_core::phrase::Phrase;
///
/// let error = Phrase::parse("first 0").unwrap_err();
/// assert_eq!((error.kind.label().as_str(), error.span), ("the phrase takes no characters", 6..7));
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PhraseError {
    pub kind: ErrorKind,
    /// The wrong words, as bytes of the phrase; empty at the end if something is missing.
    pub span: Span,
    /// A suggestion, in one line.
    pub help: String,
}

/// The kinds of invalid phrases.
///
/// ```
/// use keen_notch_core::phrase::{ErrorKind, Phrase};
///
/// assert!(matches!(Phrase::parse("frist 3").unwrap_err().kind, ErrorKind::UnknownStep(step) if step == "frist"));
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum ErrorKind {
    Empty,
    UnclosedText(char),
    UnknownEscape(String),
    TypographicQuote(char),
    UnknownStep(String),
    Expected {
        wanted: String,
        found: Option<String>,
    },
    /// Position 0. Positions start at 1; accepting 0 would hide an off-by-one mistake.
    PositionZero,
    WidthZero,
    NegativeWidth,
    NumberTooLarge {
        most: usize,
    },
    Backwards,
    EmptyMarker,
    EmptyFilling,
    StepAfterLiteral,
    UnclosedRegex,
    UnknownFlag,
    UnknownCondition(String),
    BadRegex(String),
    RegexesTooLarge {
        limit: usize,
    },
    RegexTooLarge {
        limit: usize,
    },
    /// A regular expression that matches the empty text, used as a marker.
    MatchesNothing,
    NoSuchGroup(String),
    NoGroups,
    BadExample,
    /// An invalid date format, or one that does not identify a day.
    BadDateFormat(String),
    MarkTooWide,
    SeveralAgain,
    NothingToJoin,
    SeveralLeft,
    /// A condition that needs other columns or rows.
    NotHere(&'static str),
    /// `today` without a current date.
    NoToday,
    /// An unavailable list, with the reason as a sentence.
    NoList(String),
    /// A blank key of `lookup`.
    EmptyKey,
    /// An empty result of `lookup`.
    EmptyResult,
    /// A key of `lookup` with two different results.
    TwoResults(String),
}

impl ErrorKind {
    /// The message at the wrong words.
    pub fn label(&self) -> String {
        match self {
            ErrorKind::Empty => "a step is missing".to_owned(),
            ErrorKind::UnclosedText(_) => "opened here and never closed".to_owned(),
            ErrorKind::UnknownEscape(_) => "not an escape".to_owned(),
            ErrorKind::TypographicQuote(_) => "not a straight quote".to_owned(),
            ErrorKind::UnknownStep(_) => "not a step".to_owned(),
            ErrorKind::Expected { wanted, found: Some(_) } => format!("{wanted} belongs here"),
            ErrorKind::Expected { wanted, found: None } => format!("{wanted} is missing"),
            ErrorKind::PositionZero => "characters and sections start at 1".to_owned(),
            ErrorKind::WidthZero => "the phrase takes no characters".to_owned(),
            ErrorKind::NegativeWidth => "a width cannot be negative".to_owned(),
            ErrorKind::NumberTooLarge { most } => format!("{most} is the most"),
            ErrorKind::Backwards => "ends before it begins".to_owned(),
            ErrorKind::EmptyMarker => "the text to find is empty".to_owned(),
            ErrorKind::EmptyFilling => "the text to pad with is empty".to_owned(),
            ErrorKind::StepAfterLiteral => "a literal text takes no further step".to_owned(),
            ErrorKind::UnclosedRegex => "opened here and never closed".to_owned(),
            ErrorKind::UnknownFlag => "not a flag".to_owned(),
            ErrorKind::UnknownCondition(_) => "not a condition".to_owned(),
            ErrorKind::BadRegex(reason) => reason.clone(),
            ErrorKind::RegexTooLarge { .. } | ErrorKind::RegexesTooLarge { .. } => "too large".to_owned(),
            ErrorKind::MatchesNothing => "matches the empty text".to_owned(),
            ErrorKind::NoSuchGroup(_) => "not a group of it".to_owned(),
            ErrorKind::NoGroups => "no parentheses".to_owned(),
            ErrorKind::BadExample => "not an example of a number".to_owned(),
            ErrorKind::BadDateFormat(reason) => reason.clone(),
            ErrorKind::MarkTooWide => "wider than the text can be".to_owned(),
            ErrorKind::SeveralAgain => "gives several results of each".to_owned(),
            ErrorKind::NothingToJoin => "the phrase gives a single result".to_owned(),
            ErrorKind::SeveralLeft => "gives several results".to_owned(),
            ErrorKind::NotHere(_) => "not here".to_owned(),
            ErrorKind::NoToday => "not known here".to_owned(),
            ErrorKind::NoList(_) => String::new(),
            ErrorKind::EmptyKey => "the key is blank".to_owned(),
            ErrorKind::EmptyResult => "the result is empty".to_owned(),
            ErrorKind::TwoResults(_) => "another result".to_owned(),
        }
    }
}

impl fmt::Display for ErrorKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            ErrorKind::Empty => f.write_str("the phrase is empty"),
            ErrorKind::UnclosedText(quote) => write!(f, "a text opened with {quote} is not closed"),
            ErrorKind::UnknownEscape(escape) => write!(f, "`{escape}` is not an escape in a text"),
            ErrorKind::TypographicQuote(quote) => write!(f, "the typographic quote {quote} does not open a text"),
            ErrorKind::UnknownStep(word) => write!(f, "`{word}` is not a step"),
            ErrorKind::Expected { wanted, found: Some(found) } => write!(f, "{wanted} was expected, not {found}"),
            ErrorKind::Expected { wanted, found: None } => write!(f, "{wanted} is missing at the end"),
            ErrorKind::PositionZero => f.write_str("positions start at 1"),
            ErrorKind::WidthZero => f.write_str("a width of 0"),
            ErrorKind::NegativeWidth => f.write_str("a width is a number of characters, counted from 1"),
            ErrorKind::NumberTooLarge { .. } => f.write_str("the number is too large"),
            ErrorKind::Backwards => f.write_str("the range runs backwards"),
            ErrorKind::EmptyMarker => f.write_str("the marker is empty"),
            ErrorKind::EmptyFilling => f.write_str("the padding is empty"),
            ErrorKind::StepAfterLiteral => f.write_str("a step after a literal text"),
            ErrorKind::UnclosedRegex => f.write_str("a regular expression is not closed"),
            ErrorKind::UnknownFlag => f.write_str("an unknown flag after a regular expression"),
            ErrorKind::UnknownCondition(word) => write!(f, "`{word}` is not a condition"),
            ErrorKind::BadRegex(_) => f.write_str("the regular expression cannot be read"),
            ErrorKind::RegexesTooLarge { limit } => {
                write!(f, "the regular expressions up to this one compile to more than {} MiB together", limit >> 20)
            }
            ErrorKind::RegexTooLarge { limit } => {
                write!(f, "the regular expression is too large: it would compile to more than {} MiB", limit >> 20)
            }
            ErrorKind::MatchesNothing => f.write_str("the regular expression can match the empty text"),
            ErrorKind::NoSuchGroup(name) => write!(f, "the regular expression has no group {name}"),
            ErrorKind::NoGroups => f.write_str("the regular expression has no group"),
            ErrorKind::BadExample => f.write_str("this is not an example of a number"),
            ErrorKind::BadDateFormat(_) => f.write_str("the date format cannot be used"),
            ErrorKind::MarkTooWide => f.write_str("the mark does not fit in the width"),
            ErrorKind::SeveralAgain => f.write_str("the phrase already gives several results"),
            ErrorKind::NothingToJoin => f.write_str("`joined with` needs several results"),
            ErrorKind::SeveralLeft => f.write_str("the phrase gives several results, but has no place for them"),
            ErrorKind::NoToday => f.write_str("the current date is not known here"),
            ErrorKind::NoList(reason) => f.write_str(reason),
            ErrorKind::EmptyKey => f.write_str("a key of `lookup` is blank"),
            ErrorKind::EmptyResult => f.write_str("a result of `lookup` is empty"),
            ErrorKind::TwoResults(key) => write!(f, "`lookup` has two results for {}", super::quoted(key)),
            ErrorKind::NotHere(condition) => write!(f, "`{condition}` cannot test a single text"),
        }
    }
}

impl fmt::Display for PhraseError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}; {}", self.kind, self.help)
    }
}

impl std::error::Error for PhraseError {}
