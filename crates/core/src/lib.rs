//! Keen Notch as a library: extracts parts from columns of codes, tidies and checks them.
//!
//! A phrase goes one way: text → tokens with spans → syntax tree → checked program. A program runs on a column of values,
//! step by step over all of them. Nothing here opens a file, knows a terminal or reads a command line.
//!
//! - [`phrase`]: the language, [`program`]: phrases compiled, [`batch`]: columns of values;
//! - [`carving`]: all pieces of a table together, with their checks, [`cutlist`]: the files that hold them;
//! - [`check`], [`layout`], [`diagnostics`]: what is said of values that are not as they should be;
//! - [`survey`] and [`draft`]: what is in a column, and a first cut list for it.
//!
//! ```
//! use keen_notch_core::batch::Column;
//! use keen_notch_core::phrase::Phrase;
//! use keen_notch_core::program::{Program, Results, Work};
//! use keen_notch_core::text::unit::Unit;
//!
//! let program = Program::new(&Phrase::parse(r#"section 2 by "-""#)?, Unit::Characters)?;
//! let codes = Column::of(["GRP-00041273-S7K2", "HNG-00760251-N9P4"]);
//! let mut results = Results::default();
//! program.run(codes.texts(), &mut Work::default(), &mut results);
//! let serials: Vec<&str> = results.texts(codes.texts()).iter().collect();
//! assert_eq!(serials, ["00041273", "00760251"]);
//! # Ok::<(), keen_notch_core::phrase::PhraseError>(())
//! ```
#![forbid(unsafe_code)]

pub mod batch;
mod build;
pub mod carving;
pub mod check;
pub mod column;
#[cfg(feature = "cutlist")]
pub mod cutlist;
pub mod decimal;
pub mod diagnostics;
pub mod draft;
pub mod explain;
pub mod gauge;
mod hashed;
pub mod layout;
pub mod number_format;
pub mod phrase;
pub mod piece;
pub mod program;
pub mod sightings;
#[cfg(feature = "cutlist")]
pub mod summary;
pub mod survey;
pub mod tally;
pub mod text;
pub mod text_error;
pub mod toml_text;
pub mod value_type;
#[cfg(feature = "cutlist")]
pub mod verdict;
pub mod widths;
pub mod words;
