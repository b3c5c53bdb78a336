//! Where bytes go.
//!
//! An encoder makes bytes, and a sink takes them. A new target is a sink of its own.

mod early;
mod file;
mod stream;
mod unfinished;

use std::path::Path;

pub use file::{File, is_input};
pub use stream::Stream;
pub use unfinished::remove as remove_unfinished;

use crate::Error;
use crate::source::input::Input;

/// Takes bytes, and keeps all of them or none, as far as the target allows that.
pub trait Sink: Send {
    /// What the sink is called in a message.
    fn name(&self) -> &str;

    /// Takes bytes after those before.
    ///
    /// # Errors
    /// Where they cannot be written.
    fn put(&mut self, bytes: &[u8]) -> Result<(), Error>;

    /// Sees to it that what was put has been written, and will last as far as the target can promise that.
    ///
    /// # Errors
    /// Where the last bytes cannot be written.
    fn settle(&mut self) -> Result<(), Error>;

    /// Keeps what was put and settled. Without this a file is as it was before.
    ///
    /// # Errors
    /// Where the whole cannot be put in its place.
    fn commit(self: Box<Self>) -> Result<(), Error>;
}

/// The output of a name: standard output where that is `-`, and else a file.
///
/// # Errors
/// As [`File::create`].
pub fn open(path: &Path, inputs: &[Input]) -> Result<Box<dyn Sink>, Error> {
    Ok(match path.as_os_str() == "-" {
        true => Box::new(Stream::new("standard output", std::io::stdout())),
        false => Box::new(File::create(path, inputs)?),
    })
}

/// Keeps what was put into several outputs: all of it is written before any is put in its place, and they are put there
/// together, in their order.
///
/// # Errors
/// Where one cannot be written, or put in its place; then those after it are as they were before.
pub fn commit_all(mut sinks: Vec<Box<dyn Sink + '_>>) -> Result<(), Error> {
    sinks.iter_mut().try_for_each(|sink| sink.settle())?;
    let _held = unfinished::hold();
    sinks.into_iter().try_for_each(Sink::commit)
}
