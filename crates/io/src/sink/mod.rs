//! Where bytes go.
//!
//! An encoder makes bytes, and a sink takes them. A new target is a sink of its own.

mod file;
mod stream;

pub use file::{File, is_input};
pub use stream::Stream;

use crate::Error;

/// Takes bytes, and keeps all of them or none, as far as the target allows that.
pub trait Sink: Send {
    /// What the sink is called in a message.
    fn name(&self) -> &str;

    /// Takes bytes after those before.
    ///
    /// # Errors
    /// Where they cannot be written.
    fn put(&mut self, bytes: &[u8]) -> Result<(), Error>;

    /// Keeps what was put. Without this a file is as it was before.
    ///
    /// # Errors
    /// Where the last bytes cannot be written, or the whole cannot be put in its place.
    fn commit(self: Box<Self>) -> Result<(), Error>;
}
