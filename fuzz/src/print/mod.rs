//! Phrases and cut lists written out again, from what was understood of them.
//!
//! This is a second account of the grammar, by hand: what it writes must be read as the same.

mod list;
mod phrase;

pub use list::list;
pub use phrase::{condition, form, phrase};
