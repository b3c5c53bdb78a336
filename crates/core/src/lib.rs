//! The words of Keen Notch as a library: phrases, the plans they compile to, cutting, and the ruler.
//!
//! A phrase goes one way: text → tokens with spans → syntax tree → checked plan → results.
//! Nothing here opens a file, knows a terminal or reads a command line.
//!
//! ```
//! use keen_notch_core::{phrase::Phrase, program::{Program, Scratch}, text::unit::Unit};
//!
//! let phrase = Phrase::parse(r#"section 2 by "-""#)?;
//! let plan = Program::new(&phrase, Unit::Characters)?;
//! let mut scratch = Scratch::default();
//! assert_eq!(plan.cut("GRP-00041273-S7K2", &mut scratch).text, "00041273");
//! # Ok::<(), keen_notch_core::phrase::PhraseError>(())
//! ```
#![forbid(unsafe_code)]

pub mod batch;
pub mod carving;
pub mod check;
pub mod column;
pub mod cutlist;
pub mod decimal;
pub mod diagnostics;
pub mod draft;
pub mod explain;
pub mod gauge;
mod hashed;
pub mod layout;
pub mod phrase;
pub mod piece;
pub mod program;
pub mod sightings;
pub mod survey;
pub mod tally;
pub mod text;
pub mod text_error;
pub mod words;
