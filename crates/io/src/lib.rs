//! Tables for Keen Notch: reading them in blocks, adding pieces to their rows, and writing the result atomically.
//!
//! A row keeps its raw bytes; pieces are appended to them.
#![forbid(unsafe_code)]
// Functions have at most 80 lines, except tables, matches and tests.
#![cfg_attr(not(test), warn(clippy::too_many_lines))]

mod batches;
pub mod carve;
mod cells;
pub mod draft;
pub mod encode;
mod error;
pub mod faults;
pub mod files;
pub mod formats;
pub mod found;
mod guarded;
pub mod hashes;
mod head;
pub mod inputs;
mod kind;
pub mod lists;
mod part;
mod pool;
mod remedy;
pub mod sink;
pub mod source;
pub mod spill;
pub mod survey;
pub mod table;
pub mod view;

pub use error::Error;
pub use guarded::is_guarded;
pub use remedy::Remedy;
