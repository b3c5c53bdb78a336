//! What must hold whatever is read.
//!
//! Each target takes bytes and ends with a panic where something does not hold. A fuzzer that is guided by coverage runs them
//! (`targets/`), and so do plain tests, over the corpus and mutations of it (`tests/mutations.rs`).
#![forbid(unsafe_code)]
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "what cannot go on has failed")]

mod decoding;
mod drafts;
mod formats;
mod lists;
mod phrases;
mod print;
pub mod run;
mod surveys;
mod tables;
mod workbooks;

pub use decoding::decode;
pub use drafts::{draft, draft_says_what_it_finds, leads_to_its_column};
pub use formats::format;
pub use lists::list;
pub use phrases::{condition, layout, phrase};
pub use surveys::{page, survey};
pub use tables::table;
pub use workbooks::workbook;
