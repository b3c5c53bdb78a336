//! Where bytes go.
//!
//! An encoder makes bytes, and a sink takes them. A new target is a sink of its own.

pub mod database;
mod early;
mod file;
mod folder;
mod leftovers;
mod made;
mod stream;
mod unfinished;
mod visible;

use std::fs;
use std::io::{IsTerminal, Write};
use std::path::Path;

pub use file::File;
pub use made::{Limit, Made};
pub use stream::Stream;
pub use unfinished::remove as remove_unfinished;
pub use visible::Visible;

use crate::Error;
use crate::files::{Place, RunFiles};
use crate::formats::{Kind, Named};

/// Takes bytes, and keeps all of them or none, as far as the target allows that.
pub trait Sink: Send {
    /// What the sink is called in a message.
    fn name(&self) -> &str;

    /// Takes bytes after those before.
    ///
    /// # Errors
    /// Where they cannot be written.
    fn put(&mut self, bytes: &[u8]) -> Result<(), Error>;

    /// Writes what was put, so that it lasts as far as the target can promise that.
    ///
    /// # Errors
    /// Where the last bytes cannot be written.
    fn settle(&mut self) -> Result<(), Error>;

    /// Puts what was settled in its place; what was there before is kept until the sink is dropped, if that is asked for. Without
    /// this a file is as it was before.
    ///
    /// # Errors
    /// Where it cannot be put there; then what was there still is.
    fn place(&mut self, keeps_old: bool) -> Result<(), Error>;

    /// Has in its place again what was kept of it.
    fn take_back(&mut self);

    /// Whether [`Sink::take_back`] takes it back. Those of which it does not are put in their places after all others.
    fn can_be_taken_back(&self) -> bool {
        true
    }

    /// Whether what was put has gone for good, even where the sink is dropped before the end.
    fn is_final(&self) -> bool;
}

/// The output of a name, which takes text: standard output where it is `-`, and else a file; compressed if its name says so.
///
/// # Errors
/// Where it is an input or another output, or cannot be written.
pub fn open(path: &Path, files: &RunFiles) -> Result<Box<dyn Sink>, Error> {
    open_as(path, Named { kind: None, ..Named::of(path) }, files)
}

/// The same, for a table, of which that is said.
///
/// # Errors
/// As [`open`].
pub fn open_as(path: &Path, named: Named, files: &RunFiles) -> Result<Box<dyn Sink>, Error> {
    let name = path.display().to_string();
    let sink = match files.writes(path)? {
        Place::StandardOutput => standard_output(),
        Place::Direct(place) => {
            let opened = fs::File::options().append(true).open(place);
            let file = opened.map_err(|source| Error::Write { name: name.clone(), source, is_half_written: false })?;
            stream(name, file)
        }
        Place::File(place) => Box::new(File::create(name, place)?),
    };
    made_as(sink, named)
}

/// A sink that makes of what it is given what a name says: something compressed, or a file of a format that is not written row by
/// row.
///
/// # Errors
/// Where this build cannot do that.
pub fn made_as(sink: Box<dyn Sink>, named: Named) -> Result<Box<dyn Sink>, Error> {
    let sink = match named.compression {
        None => sink,
        Some(compression) => Box::new(Made::compressed(sink, compression)?),
    };
    Ok(match named.kind {
        Some(Kind::Workbook) => Box::new(Made::workbook(sink)?),
        Some(kind @ (Kind::Parquet | Kind::Arrow(_))) => Box::new(Made::columnar(sink, kind)?),
        _ => sink,
    })
}

/// Standard output, as it is; where it is a terminal, with nothing in it that the terminal would obey.
pub fn standard_output() -> Box<dyn Sink> {
    stream("standard output", std::io::stdout())
}

/// A stream as it is, or with visible stand-ins for controls if it is a terminal.
fn stream(name: impl Into<String>, out: impl Write + IsTerminal + Send + 'static) -> Box<dyn Sink> {
    match out.is_terminal() {
        true => Box::new(Stream::new(name, Visible::new(out, |_| None))),
        false => Box::new(Stream::new(name, out)),
    }
}

/// Keeps what was put into several outputs: all of it is written before any is put in its place, and they are put there
/// together, in their order.
///
/// # Errors
/// Where one cannot be written, or put in its place; then those before it are taken back, as far as the system can do that.
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
