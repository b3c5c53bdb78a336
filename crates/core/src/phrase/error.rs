//! What can be wrong with a phrase.

use std::fmt;

use super::Span;

/// A phrase that cannot be right, found before any row is read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PhraseError {
    /// What is wrong.
    pub kind: ErrorKind,
    /// The words at fault, in bytes of the phrase; empty at its end where something is missing.
    pub span: Span,
    /// What to write instead, in one line.
    pub help: String,
}

/// What is wrong with a phrase.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum ErrorKind {
    /// There are no words at all. A phrase says how a piece is taken, so it cannot be empty.
    Empty,
    /// A text has an opening quote and no closing one, so its end cannot be told.
    UnclosedText(char),
    /// A backslash in a text is followed by something that is no escape.
    UnknownEscape(String),
    /// A typographic quote, as word processors make them, where a straight one belongs.
    TypographicQuote(char),
    /// A word that is not a step where a step must be.
    UnknownStep(String),
    /// Something else than what must follow here; the first text is what was wanted.
    Expected {
        /// What was wanted, with quotes of its own where it is a word.
        wanted: String,
        /// What is there instead; `None` at the end of the phrase.
        found: Option<String>,
    },
    /// Position 0. Positions start at 1, and someone who counts from 0 would be off by one in silence.
    PositionZero,
    /// A width of 0 characters, which could never give a result.
    WidthZero,
    /// A count that must not be negative.
    NegativeWidth,
    /// A number beyond what any value could have.
    NumberTooLarge {
        /// The greatest number allowed here.
        most: usize,
    },
    /// The second position comes before the first, so nothing could ever be between them.
    Backwards,
    /// A marker with nothing in it, which is everywhere and nowhere.
    EmptyMarker,
    /// Padding with nothing.
    EmptyFilling,
    /// A literal text with steps after it: it is a result and takes none.
    StepAfterLiteral,
    /// A regular expression has an opening slash and no closing one.
    UnclosedRegex,
    /// A letter after a regular expression that is not a flag.
    UnknownFlag,
    /// A word that is not a condition where one must be.
    UnknownCondition(String),
    /// A regular expression that cannot be read; the reason is the regex crate's.
    BadRegex(String),
    /// Regular expressions whose compiled forms together would be larger than the limit, in bytes.
    RegexesTooLarge {
        /// The limit, in bytes.
        limit: usize,
    },
    /// A regular expression whose compiled form would be larger than the limit, in bytes.
    RegexTooLarge {
        /// The limit, in bytes.
        limit: usize,
    },
    /// A regular expression that matches nothing at all, where it is to be found somewhere.
    MatchesNothing,
    /// A group that the regular expression does not have.
    NoSuchGroup(String),
    /// An example of a number that is none.
    BadExample,
    /// A date format that cannot be read, or that leaves the day open.
    BadDateFormat(String),
    /// A mark that alone is wider than the text may be.
    MarkTooWide,
    /// Several results where there are several already.
    SeveralAgain,
    /// `joined with` where there is only one result.
    NothingToJoin,
    /// Several results, with nothing that says what is to become of them.
    SeveralLeft,
    /// A condition that needs more than one text to look at.
    NotHere(&'static str),
    /// A list that cannot be had; the reason is a sentence.
    NoList(String),
}

impl ErrorKind {
    /// What to say at the words at fault.
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
            ErrorKind::BadExample => "not an example of a number".to_owned(),
            ErrorKind::BadDateFormat(reason) => reason.clone(),
            ErrorKind::MarkTooWide => "wider than the text may be".to_owned(),
            ErrorKind::SeveralAgain => "gives several results of each".to_owned(),
            ErrorKind::NothingToJoin => "the phrase gives a single result".to_owned(),
            ErrorKind::SeveralLeft => "gives several results".to_owned(),
            ErrorKind::NotHere(_) => "not here".to_owned(),
            ErrorKind::NoList(_) => String::new(),
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
            ErrorKind::EmptyFilling => f.write_str("the filling is empty"),
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
            ErrorKind::BadExample => f.write_str("this does not show how a number is written"),
            ErrorKind::BadDateFormat(_) => f.write_str("the date format cannot be used"),
            ErrorKind::MarkTooWide => f.write_str("the mark does not fit in the width"),
            ErrorKind::SeveralAgain => f.write_str("the phrase already gives several results"),
            ErrorKind::NothingToJoin => f.write_str("`joined with` needs several results"),
            ErrorKind::SeveralLeft => f.write_str("the phrase gives several results, but has no place for them"),
            ErrorKind::NoList(reason) => f.write_str(reason),
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
