//! Sinks take the bytes of encoders. A new target needs one.

pub(crate) mod early;
pub(crate) mod file;
pub(crate) mod folder;
pub(crate) mod leftovers;
pub(crate) mod stream;
pub(crate) mod transform;
pub(crate) mod unfinished;
pub(crate) mod visible;

use std::io::{IsTerminal, Write};

pub use file::{File, Reserved};
pub use stream::Stream;
pub use transform::{Limit, TransformSink};
pub use unfinished::remove as remove_unfinished;
pub use visible::Visible;

use crate::Error;

/// Takes bytes, and keeps all or none of them as far as the target allows.
pub trait Sink: Send {
    fn name(&self) -> &str;

    /// Adds bytes.
    ///
    /// # Errors
    /// They cannot be written.
    fn put(&mut self, bytes: &[u8]) -> Result<(), Error>;

    /// Adds room for bytes, which any thread can write later, before [`Sink::settle`]. `None` if the bytes must be written in order.
    ///
    /// # Errors
    /// Earlier bytes cannot be written.
    fn reserve(&mut self, _bytes: usize) -> Result<Option<Reserved>, Error> {
        Ok(None)
    }

    /// Writes everything durably, as far as the target allows.
    ///
    /// # Errors
    /// The last bytes cannot be written.
    fn settle(&mut self) -> Result<(), Error>;

    /// Puts the output in place. If `keeps_old`, the old content is kept until the sink is dropped. Without this call, a file stays as it
    /// was.
    ///
    /// # Errors
    /// The output cannot be put in place; the old content is still there.
    fn place(&mut self, keeps_old: bool) -> Result<(), Error>;

    fn take_back(&mut self);

    /// Whether [`Sink::take_back`] works. Other sinks are placed last.
    fn can_be_taken_back(&self) -> bool {
        true
    }

    fn is_final(&self) -> bool;
}

/// Standard output. On a terminal, escape sequences in the data become visible marks.
pub fn standard_output() -> Box<dyn Sink> {
    stream("standard output", std::io::stdout())
}

pub(crate) fn stream(name: impl Into<String>, out: impl Write + IsTerminal + Send + 'static) -> Box<dyn Sink> {
    match out.is_terminal() {
        true => Box::new(Stream::new(name, Visible::new(out, |_| None))),
        false => Box::new(Stream::new(name, out)),
    }
}

/// Commits several outputs: writes all of them, then puts them in place in order.
///
/// # Errors
/// An output cannot be written or put in place; earlier ones are restored as far as possible.
pub fn commit_all(mut sinks: Vec<Box<dyn Sink + '_>>) -> Result<(), Error> {
    sinks.sort_by_key(|sink| !sink.can_be_taken_back());
    sinks.iter_mut().try_for_each(|sink| sink.settle())?;
    let _held = unfinished::hold();
    let are_several = sinks.len() > 1;
    for index in 0..sinks.len() {
        if let Err(error) = sinks[index].place(are_several) {
            sinks[..index].iter_mut().rev().for_each(|sink| sink.take_back());
            return Err(error);
        }
    }
    Ok(())
}
