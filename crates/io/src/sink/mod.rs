//! Sinks take the bytes of encoders. A new target needs one.

pub(crate) mod early;
pub(crate) mod file;
pub(crate) mod folder;
pub(crate) mod leftovers;
pub(crate) mod stream;
pub(crate) mod transform;
pub(crate) mod unfinished;
pub(crate) mod visible;

use std::fs;
use std::io::{IsTerminal, Write};
use std::path::Path;

pub use file::File;
pub use stream::Stream;
pub use transform::{Limit, TransformSink};
pub use unfinished::remove as remove_unfinished;
pub use visible::Visible;

use crate::Error;
use crate::files::{Destination, RunFiles};
use crate::formats::{FileFormat, Kind};

/// Takes bytes, and keeps all or none of them as far as the target allows.
pub trait Sink: Send {
    fn name(&self) -> &str;

    /// Adds bytes.
    ///
    /// # Errors
    /// They cannot be written.
    fn put(&mut self, bytes: &[u8]) -> Result<(), Error>;

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

/// Opens an output for text: standard output for `-`, otherwise a file, compressed if its extension says so.
///
/// # Errors
/// It is an input or another output, or cannot be written.
pub fn open(path: &Path, files: &RunFiles) -> Result<Box<dyn Sink>, Error> {
    open_as(path, FileFormat { kind: None, ..FileFormat::of(path) }, files)
}

/// Opens an output for a table in a given format.
///
/// # Errors
/// The errors of [`open`].
pub fn open_as(path: &Path, named: FileFormat, files: &RunFiles) -> Result<Box<dyn Sink>, Error> {
    let name = path.display().to_string();
    let sink = match files.writes(path)? {
        Destination::StandardOutput => standard_output(),
        Destination::Direct(place) => {
            let opened = fs::File::options().append(true).open(place);
            let file = opened.map_err(|source| Error::Write { name: name.clone(), source, is_half_written: false })?;
            stream(name, file)
        }
        Destination::File(place) => Box::new(File::create(name, place)?),
    };
    made_as(sink, named)
}

/// Adds the transformations for a format: compression, or building a file that cannot be written row by row.
///
/// # Errors
/// This build does not support the format.
pub fn made_as(sink: Box<dyn Sink>, named: FileFormat) -> Result<Box<dyn Sink>, Error> {
    let sink = match named.compression {
        None => sink,
        Some(compression) => Box::new(TransformSink::compressed(sink, compression)?),
    };
    Ok(match named.kind {
        Some(Kind::Workbook) => Box::new(TransformSink::workbook(sink)?),
        Some(kind @ (Kind::Parquet | Kind::Arrow(_))) => Box::new(TransformSink::columnar(sink, kind)?),
        _ => sink,
    })
}

/// Standard output. On a terminal, escape sequences in the data become visible marks.
pub fn standard_output() -> Box<dyn Sink> {
    stream("standard output", std::io::stdout())
}

fn stream(name: impl Into<String>, out: impl Write + IsTerminal + Send + 'static) -> Box<dyn Sink> {
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
