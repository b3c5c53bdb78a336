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
    pub mend: String,
}

/// What is wrong with a phrase.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ErrorKind {
    /// There are no words at all. A phrase says how a piece is taken, so it cannot be empty.
    Empty,
    /// A text has an opening quote and no closing one, so its end cannot be told.
    UnclosedText(char),
    /// A backslash in a text is followed by something that is no escape.
    UnknownEscape(String),
    /// A typographic quote, as word processors make them, where a straight one belongs.
    TypographicQuote(char),
    /// A word that is no step where a step must stand.
    UnknownStep(String),
    /// Something else than what must follow here; the first text is what was wanted.
    Expected {
        /// What was wanted, with quotes of its own where it is a word.
        wanted: String,
        /// What stands there instead; `None` at the end of the phrase.
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
    /// The second position stands before the first, so nothing could ever be between them.
    Backwards,
    /// A marker with nothing in it, which stands everywhere and nowhere.
    EmptyMarker,
    /// Padding with nothing.
    EmptyFilling,
    /// A literal text with steps behind it: it is a result and takes none.
    StepAfterLiteral,
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
            ErrorKind::PositionZero => "there is no character or section 0".to_owned(),
            ErrorKind::WidthZero => "nothing would be taken".to_owned(),
            ErrorKind::NegativeWidth => "a width cannot be negative".to_owned(),
            ErrorKind::NumberTooLarge { most } => format!("{most} is the most"),
            ErrorKind::Backwards => "ends before it begins".to_owned(),
            ErrorKind::EmptyMarker => "nothing to look for".to_owned(),
            ErrorKind::EmptyFilling => "nothing to fill with".to_owned(),
            ErrorKind::StepAfterLiteral => "a literal text takes no further step".to_owned(),
        }
    }
}

impl fmt::Display for ErrorKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            ErrorKind::Empty => f.write_str("the phrase is empty"),
            ErrorKind::UnclosedText(quote) => write!(f, "a text opened with {quote} is not closed"),
            ErrorKind::UnknownEscape(escape) => write!(f, "`{escape}` means nothing in a text"),
            ErrorKind::TypographicQuote(quote) => write!(f, "the typographic quote {quote} does not open a text"),
            ErrorKind::UnknownStep(word) => write!(f, "`{word}` is no step"),
            ErrorKind::Expected { wanted, found: Some(found) } => write!(f, "{wanted} was expected, not {found}"),
            ErrorKind::Expected { wanted, found: None } => write!(f, "{wanted} is missing at the end"),
            ErrorKind::PositionZero => f.write_str("positions start at 1"),
            ErrorKind::WidthZero => f.write_str("a width of 0"),
            ErrorKind::NegativeWidth => f.write_str("a width is a number of characters, counted from 1"),
            ErrorKind::NumberTooLarge { .. } => f.write_str("the number is too large"),
            ErrorKind::Backwards => f.write_str("the range runs backwards"),
            ErrorKind::EmptyMarker => f.write_str("the marker is empty"),
            ErrorKind::EmptyFilling => f.write_str("the filling is empty"),
            ErrorKind::StepAfterLiteral => f.write_str("a step behind a literal text"),
        }
    }
}

impl fmt::Display for PhraseError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}; {}", self.kind, self.mend)
    }
}

impl std::error::Error for PhraseError {}
