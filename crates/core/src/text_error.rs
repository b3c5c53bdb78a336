//! Errors in user-written texts: the problem, its place and a suggestion.

use std::fmt;

use crate::column::ColumnError;
use crate::phrase::{PhraseError, Span};

/// An error in a user-written text.
///
/// ```
/// use keen_notch_core::piece::Piece;
///
/// let error = Piece::parse("family: fist 3", 0).unwrap_err();
/// assert_eq!(error.span, 8..12);
/// assert!(error.help.contains("first"));
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TextError {
    pub message: String,
    pub label: String,
    /// The wrong words, as bytes of the text; empty if something is missing.
    pub span: Span,
    /// A suggestion, in one line.
    pub help: String,
    /// The unknown column, if that is the problem.
    pub column: Option<Box<ColumnError>>,
}

impl TextError {
    /// An error without a message at the wrong words.
    pub fn new(message: impl Into<String>, span: Span, help: impl Into<String>) -> TextError {
        TextError { message: message.into(), label: String::new(), span, help: help.into(), column: None }
    }

    pub fn of_column(error: ColumnError, span: Span) -> TextError {
        TextError { column: Some(Box::new(error.clone())), ..TextError::new(error.to_string(), span, error.help()) }
    }

    /// The error, for a text that starts at byte `offset` of another.
    pub fn moved(mut self, offset: usize) -> TextError {
        self.span = offset + self.span.start..offset + self.span.end;
        self
    }
}

impl From<PhraseError> for TextError {
    fn from(error: PhraseError) -> TextError {
        TextError {
            message: error.kind.to_string(),
            label: error.kind.label(),
            span: error.span,
            help: error.help,
            column: None,
        }
    }
}

impl fmt::Display for TextError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}; {}", self.message, self.help)
    }
}

impl std::error::Error for TextError {}
