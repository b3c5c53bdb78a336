//! Inputs: files and standard input, opened and decoded.

use std::fs::File;
use std::io::{self, Read};
use std::path::PathBuf;
use std::sync::Arc;

use encoding_rs_io::DecodeReaderBytesBuilder;

use super::meter::{Meter, Metered};
use crate::Error;

/// An input that is named.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Input {
    /// Standard input.
    Stdin,
    /// A file.
    File(PathBuf),
    /// Bytes in memory, with what to call them.
    Memory(String, Arc<[u8]>),
}

impl Input {
    /// What to call the input in a message.
    pub fn name(&self) -> String {
        match self {
            Input::Stdin => "standard input".to_owned(),
            Input::File(path) => path.display().to_string(),
            Input::Memory(name, _) => name.clone(),
        }
    }

    /// Whether it cannot be opened once more to give the same, as a pipe cannot.
    pub fn is_read_once(&self) -> bool {
        match self {
            Input::Stdin => true,
            // What is not there, or is a folder, is refused when it is opened.
            Input::File(path) => path.metadata().is_ok_and(|found| !found.is_file() && !found.is_dir()),
            Input::Memory(..) => false,
        }
    }

    /// The path of a file.
    pub fn path(&self) -> Option<&std::path::Path> {
        match self {
            Input::File(path) => Some(path),
            Input::Stdin | Input::Memory(..) => None,
        }
    }

    /// Opens the input; with an encoding, what is read from it is UTF-8. The meter counts the bytes as they are.
    ///
    /// # Errors
    /// Where it is missing, a folder, or may not be read.
    pub fn open(&self, encoding: Option<Encoding>, meter: &Arc<Meter>) -> Result<Box<dyn Read + Send>, Error> {
        let raw: Box<dyn Read + Send> = match self {
            Input::Stdin => Box::new(io::stdin()),
            Input::Memory(_, bytes) => Box::new(io::Cursor::new(Arc::clone(bytes))),
            Input::File(path) => {
                let failed = |source| Error::Read { name: self.name(), source };
                let file = File::open(path).map_err(failed)?;
                if file.metadata().map_err(failed)?.is_dir() {
                    return Err(Error::Folder { name: self.name() });
                }
                Box::new(file)
            }
        };
        let raw = Metered { reader: raw, meter: Arc::clone(meter) };
        Ok(match encoding {
            None => Box::new(raw),
            Some(encoding) => Box::new(DecodeReaderBytesBuilder::new().encoding(Some(encoding.0)).build(raw)),
        })
    }
}

/// A character encoding other than UTF-8 as it is.
#[derive(Debug, Clone, Copy)]
pub struct Encoding(&'static encoding_rs::Encoding);

impl Encoding {
    /// The encoding of a name from the WHATWG Encoding Standard.
    ///
    /// # Errors
    /// Where there is none of that name.
    pub fn named(label: &str) -> Result<Encoding, Error> {
        let found = encoding_rs::Encoding::for_label(label.trim().as_bytes());
        found.map(Encoding).ok_or_else(|| Error::UnknownEncoding { label: label.to_owned() })
    }
}
