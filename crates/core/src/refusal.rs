//! Why something that a person wrote is refused: what is wrong, where, and what to write instead.

use std::fmt;

use crate::phrase::{PhraseError, Span};

/// Why a text that a person wrote is refused.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Refusal {
    /// What is wrong.
    pub message: String,
    /// What to say at the words at fault; may be empty.
    pub label: String,
    /// The words at fault, in bytes of the text; empty where something is missing.
    pub span: Span,
    /// What to write instead, in one line.
    pub mend: String,
}

impl Refusal {
    /// A refusal with no more to say at the words at fault.
    pub fn new(message: impl Into<String>, span: Span, mend: impl Into<String>) -> Refusal {
        Refusal { message: message.into(), label: String::new(), span, mend: mend.into() }
    }

    /// The same refusal of a text that stands at byte `offset` of another.
    pub fn moved(mut self, offset: usize) -> Refusal {
        self.span = offset + self.span.start..offset + self.span.end;
        self
    }
}

impl From<PhraseError> for Refusal {
    fn from(error: PhraseError) -> Refusal {
        Refusal { message: error.kind.to_string(), label: error.kind.label(), span: error.span, mend: error.mend }
    }
}

impl fmt::Display for Refusal {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}; {}", self.message, self.mend)
    }
}

impl std::error::Error for Refusal {}
