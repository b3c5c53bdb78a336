//! Why something that a person wrote is refused: what is wrong, where, and what to write instead.

use std::fmt;

use crate::column::ColumnError;
use crate::phrase::{PhraseError, Span};

/// Why a text that a person wrote is refused.
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
    /// What is wrong.
    pub message: String,
    /// What to say at the words at fault; may be empty.
    pub label: String,
    /// The words at fault, in bytes of the text; empty where something is missing.
    pub span: Span,
    /// What to write instead, in one line.
    pub help: String,
    /// The column that cannot be found, where that is what is wrong.
    pub column: Option<Box<ColumnError>>,
}

impl TextError {
    /// An error with no more to say at the words at fault.
    pub fn new(message: impl Into<String>, span: Span, help: impl Into<String>) -> TextError {
        TextError { message: message.into(), label: String::new(), span, help: help.into(), column: None }
    }

    /// A column that is named at `span` cannot be found.
    pub fn of_column(error: ColumnError, span: Span) -> TextError {
        TextError { column: Some(Box::new(error.clone())), ..TextError::new(error.to_string(), span, error.help()) }
    }

    /// The same error of a text that is at byte `offset` of another.
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
