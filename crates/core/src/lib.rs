#![cfg_attr(feature = "cutlist", doc = include_str!("../README.md"))]
#![forbid(unsafe_code)]

#[cfg(feature = "arrow")]
pub mod arrow;
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
#[cfg(feature = "cutlist")]
pub mod runner;
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
