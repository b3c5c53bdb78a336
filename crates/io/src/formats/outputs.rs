//! Opens outputs in their formats.

use std::fs;
use std::path::Path;

use crate::Error;
use crate::files::{Destination, RunFiles};
use crate::formats::descriptor;
use crate::kind::FileFormat;
use crate::sink::{File, Sink, TransformSink, standard_output, stream};

/// Opens an output for text: standard output for `-`, otherwise a file, compressed if its extension says so.
///
/// # Errors
/// It is an input or another output, or cannot be written.
pub fn create(path: &Path, files: &RunFiles) -> Result<Box<dyn Sink>, Error> {
    create_as(path, FileFormat { kind: None, ..FileFormat::of(path) }, files)
}

/// Opens an output for a table in a given format.
///
/// # Errors
/// The errors of [`create`].
pub fn create_as(path: &Path, named: FileFormat, files: &RunFiles) -> Result<Box<dyn Sink>, Error> {
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
    with_format(sink, named)
}

/// Adds the transformations for a format: compression, or building a file that cannot be written row by row.
///
/// # Errors
/// This build does not support the format.
pub fn with_format(sink: Box<dyn Sink>, named: FileFormat) -> Result<Box<dyn Sink>, Error> {
    let sink = match named.compression {
        None => sink,
        Some(compression) => Box::new(TransformSink::compressed(sink, compression)?),
    };
    match named.kind.and_then(|kind| Some((kind, descriptor(kind)?.finish?))) {
        Some((kind, finish)) => Ok(Box::new(TransformSink::new(sink, finish(kind))?)),
        None => Ok(sink),
    }
}
