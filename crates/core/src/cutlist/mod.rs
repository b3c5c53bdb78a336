//! Cut lists: TOML files with pieces, checks and layouts.

mod build;
mod file;
mod place;
mod read;

pub use file::schema;
pub use read::{CutList, Main};
