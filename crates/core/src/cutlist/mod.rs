//! Cut lists: TOML files with pieces, checks and layouts.

mod file;
mod place;
mod read;
mod toml_text;

pub use file::schema;
pub use file::{RaggedRows, Reading};
pub use read::{CutList, Main};
pub use toml_text::{toml_key, toml_text};
