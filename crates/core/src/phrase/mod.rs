//! The phrase language: text, then tokens with spans, then the syntax tree.
//!
//! This module knows no values or rows; [`crate::program`] evaluates phrases.

pub mod ast;
mod error;
mod guesses;
mod next;
pub(crate) mod number_example;
mod parse;
pub(crate) mod print;
pub mod reference;
mod token;
pub mod words;
mod write;

pub use ast::{Phrase, Span};
pub use error::{ErrorKind, PhraseError};
pub use next::{CompletionContext, Upcoming, next_of_condition, next_of_phrase};
pub(crate) use parse::{ordinal, parse_field};
pub(crate) use token::text_at;
pub use write::quoted;
