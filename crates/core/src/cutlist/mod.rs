//! Cut lists: TOML files with pieces, checks and layouts.

mod file;
mod place;
mod read;

pub use file::schema;
pub use file::{RaggedRows, Reading, Writing};
pub use read::{CutList, MOST_BYTES, MOST_PIECES, Main, no_piece};
