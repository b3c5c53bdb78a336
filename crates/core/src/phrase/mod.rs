//! The phrase language: text, then tokens with spans, then the syntax tree.
//!
//! This module knows no values or rows. Cut lists evaluate phrases.

#[doc(hidden)]
pub mod ast;
#[cfg(test)]
mod completeness;
mod error;
mod groups;
mod guesses;
mod next;
pub(crate) mod number_example;
mod parse;
pub(crate) mod print;
#[doc(hidden)]
pub mod reference;
mod token;
#[doc(hidden)]
pub mod words;
mod write;

#[doc(hidden)]
pub use ast::Span;
pub use ast::{Condition, Phrase};
pub use error::{ErrorKind, PhraseError};
pub(crate) use groups::group_names;
#[doc(hidden)]
pub use next::{CompletionContext, Upcoming, next_of_condition, next_of_phrase};
pub(crate) use parse::{ordinal, parse_field};
pub use token::text_at;
#[doc(hidden)]
pub use write::quoted;
