//! Tables of text for Keen Notch: reading them block by block, adding pieces to their rows, and writing
//! the result so that it is whole or not there at all.
//!
//! A row keeps its raw bytes from end to end: pieces are appended after them.
#![forbid(unsafe_code)]

mod batches;
pub mod carve;
mod cells;
pub mod columnar;
pub mod database;
pub mod draft;
pub mod encode;
mod error;
pub mod faults;
pub mod files;
pub mod formats;
mod guarded;
mod head;
pub mod inputs;
pub mod lists;
mod part;
mod pool;
pub mod sink;
pub mod source;
pub mod spill;
pub mod survey;
pub mod table;
pub mod view;

pub use error::Error;
pub use guarded::is_guarded;
