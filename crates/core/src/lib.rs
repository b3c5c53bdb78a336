#![cfg_attr(feature = "cutlist", doc = include_str!("../README.md"))]
#![forbid(unsafe_code)]
// Functions have at most 80 lines, except tables, matches and tests.
#![cfg_attr(not(test), warn(clippy::too_many_lines))]

#[cfg(feature = "arrow")]
pub mod arrow;
#[cfg(feature = "cutlist")]
pub mod cutlist;
pub mod draft;
pub mod gauge;
pub mod phrase;
#[cfg(feature = "cutlist")]
pub mod runner;
#[cfg(feature = "cutlist")]
pub mod summary;
pub mod survey;

pub use batch::Column;
pub use check::{Violation, ViolationKind};
pub use program::State;
pub use text_error::TextError;

// Internals, for the other crates of this repository. They follow each other in layers, change without notice, and panic where an index
// is wrong.
#[doc(hidden)]
pub mod batch;
#[doc(hidden)]
pub mod carving;
#[doc(hidden)]
pub mod check;
#[doc(hidden)]
pub mod column;
#[doc(hidden)]
pub mod dates;
#[doc(hidden)]
pub mod decimal;
#[doc(hidden)]
pub mod diagnostics;
#[doc(hidden)]
pub mod explain;
mod hashed;
#[doc(hidden)]
pub mod layout;
#[doc(hidden)]
pub mod number_format;
#[doc(hidden)]
pub mod piece;
#[doc(hidden)]
pub mod program;
#[cfg(feature = "cutlist")]
#[doc(hidden)]
pub mod repeats;
#[doc(hidden)]
pub mod sightings;
#[doc(hidden)]
pub mod tally;
#[doc(hidden)]
pub mod text;
#[doc(hidden)]
pub mod text_error;
#[doc(hidden)]
pub mod toml_text;
#[doc(hidden)]
pub mod value_type;
#[cfg(feature = "cutlist")]
#[doc(hidden)]
pub mod verdict;
#[doc(hidden)]
pub mod widths;
#[doc(hidden)]
pub mod words;
