//! Inputs: files and standard input, opened and decoded.

use std::fs::File;
use std::io::{self, Read};
use std::path::PathBuf;
use std::sync::Arc;

use super::Reading;
use super::decoded::{Decoded, WrongBytes};
use super::foreign;
use super::meter::Metered;
use super::unpacked::unpacked;
use super::whole::Whole;
use crate::Error;
use crate::database::Relation;

/// An input that is named.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Input {
    /// Standard input.
    Stdin,
    /// A file.
    File(PathBuf),
    /// Bytes in memory, with what to call them.
    Memory(String, Arc<[u8]>),
    /// Rows of a database.
    Database(Arc<Relation>),
}

impl Input {
    /// What to call the input in a message.
    pub fn name(&self) -> String {
        match self {
            Input::Stdin => "standard input".to_owned(),
            Input::File(path) => path.display().to_string(),
            Input::Memory(name, _) => name.clone(),
            Input::Database(relation) => relation.to_string(),
        }
    }

    /// Whether it cannot be opened once more to give the same, as a pipe cannot.
    pub fn is_read_once(&self) -> bool {
        match self {
            Input::Stdin => true,
            // What is not there, or is a folder, is refused when it is opened.
            Input::File(path) => path.metadata().is_ok_and(|found| !found.is_file() && !found.is_dir()),
            Input::Memory(..) | Input::Database(_) => false,
        }
    }

    /// The path of a file.
    pub fn path(&self) -> Option<&std::path::Path> {
        match self {
            Input::File(path) => Some(path),
            Input::Stdin | Input::Memory(..) | Input::Database(_) => None,
        }
    }

    /// Opens the input as it is. The bytes are counted.
    ///
    /// # Errors
    /// Where it is missing, a folder, or may not be read.
    pub fn open_raw(&self, reading: &Reading) -> Result<Box<dyn Read + Send>, Error> {
        let raw: Box<dyn Read + Send> = match self {
            Input::Stdin => Box::new(io::stdin()),
            Input::Memory(_, bytes) => Box::new(io::Cursor::new(Arc::clone(bytes))),
            // It has rows and no bytes.
            Input::Database(_) => Box::new(io::empty()),
            Input::File(path) => {
                let failed = |source| Error::Read { name: self.name(), source };
                let file = File::open(path).map_err(failed)?;
                if file.metadata().map_err(failed)?.is_dir() {
                    return Err(Error::Folder { name: self.name() });
                }
                Box::new(Whole::new(file).map_err(failed)?)
            }
        };
        Ok(Box::new(Metered { reader: raw, meter: Arc::clone(&reading.meter) }))
    }

    /// Opens the input, and unpacks it if it is compressed.
    ///
    /// # Errors
    /// As [`Input::open_raw`]. Invalid compressed data is an error of reading.
    pub fn open_unpacked(&self, reading: &Reading) -> Result<Box<dyn Read + Send>, Error> {
        let raw = self.open_raw(reading)?;
        Ok(match reading.named(self).compression {
            None => raw,
            Some(compression) => unpacked(raw, compression, reading.memory),
        })
    }

    /// Reads the whole input, unpacked, where what is at its end has to be known first.
    ///
    /// # Errors
    /// As [`Input::open_unpacked`], and where it is more than the memory that may be taken.
    pub fn read_whole(&self, reading: &Reading) -> Result<Vec<u8>, Error> {
        self.read_rest(Vec::new(), self.open_unpacked(reading)?, reading)
    }

    /// The same, where its first bytes have been read.
    ///
    /// # Errors
    /// Where it cannot be read, or is more than the memory that may be taken.
    pub fn read_rest(&self, mut bytes: Vec<u8>, reader: impl Read, reading: &Reading) -> Result<Vec<u8>, Error> {
        let most = reading.memory as u64;
        let read = reader.take(most).read_to_end(&mut bytes);
        read.map_err(|error| Error::of_reading(&self.name(), error))?;
        if bytes.len() as u64 >= most {
            let why = format!("it must fit in memory, and has at least {most} bytes");
            let help = "give more memory with --memory, or save it as CSV";
            return Err(Error::BadFile { name: self.name(), why, help });
        }
        Ok(bytes)
    }

    /// Opens the input as text; what is read from it is unpacked, and UTF-8 if it is in the encoding that was said. The bytes are counted
    /// as they are in the input.
    ///
    /// # Errors
    /// Where it is missing, a folder, or may not be read, or it is no text.
    pub fn open(&self, reading: &Reading) -> Result<Box<dyn Read + Send>, Error> {
        let raw = self.open_unpacked(reading)?;
        let Reading { encoding, wrong_bytes, meter, .. } = reading;
        let raw = foreign::refused(&self.name(), raw)?;
        let encoding = encoding.unwrap_or(Encoding::UTF_8);
        if encoding == Encoding::UTF_8 && *wrong_bytes == WrongBytes::Stop {
            // Wrong bytes are found with the rows.
            return Ok(raw);
        }
        Ok(Box::new(Decoded::new(raw, encoding, *wrong_bytes, Arc::clone(meter))))
    }
}

/// A character encoding.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Encoding(&'static encoding_rs::Encoding);

impl Encoding {
    /// That of texts where nothing else is said.
    pub const UTF_8: Encoding = Encoding(encoding_rs::UTF_8);

    /// The encoding of a name from the WHATWG Encoding Standard.
    ///
    /// # Errors
    /// Where there is none of that name, or one that the standard has nobody decode.
    pub fn named(label: &str) -> Result<Encoding, Error> {
        match encoding_rs::Encoding::for_label(label.trim().as_bytes()) {
            None => Err(Error::UnknownEncoding { label: label.to_owned() }),
            Some(found) if found == encoding_rs::REPLACEMENT => Err(Error::UnsafeEncoding { label: label.to_owned() }),
            Some(found) => Ok(Encoding(found)),
        }
    }

    /// What decodes it. The byte-order mark of UTF-8 stays: it is part of what comes before the rows.
    pub(super) fn decoder(self) -> encoding_rs::Decoder {
        if self == Encoding::UTF_8 { self.0.new_decoder_without_bom_handling() } else { self.0.new_decoder() }
    }
}
