//! Tables of text for Keen Notch: reading them block by block, adding pieces to their rows, and writing
//! the result so that it is whole or not there at all.
//!
//! A row keeps its raw bytes from end to end: pieces are appended behind them.
#![forbid(unsafe_code)]

pub mod block;
pub mod carve;
mod columns;
pub mod dialect;
pub mod draft;
mod error;
pub mod faults;
mod gather;
pub mod input;
pub mod lists;
mod marks;
pub mod meter;
pub mod output;
mod pool;
mod quoted;
pub mod record;
pub mod survey;
pub mod table;

pub use error::Error;
