//! Cut lists: TOML files with pieces, checks and layouts.

mod file;
mod place;
mod read;

pub use file::schema;
#[doc(hidden)]
pub use file::{RaggedRows, Reading, Writing};
pub use read::CutList;
#[doc(hidden)]
pub use read::{MOST_BYTES, MOST_PIECES, Main, no_piece};
