//! Inputs: files and standard input, opened, decompressed and decoded.

use std::fs::File;
use std::io::{self, Read};
use std::path::PathBuf;
use std::sync::Arc;

use crate::Error;
use crate::Remedy;
use crate::source::Reading;
use crate::source::address::Relation;
use crate::source::decoding::{DecodingReader, WrongBytes};
use crate::source::decompressor::unpacked;
use crate::source::foreign;
use crate::source::meter::MeteredReader;
use crate::source::whole::Whole;

/// A regular file with its size when it was opened.
#[derive(Debug, Clone)]
pub(crate) struct SizedFile {
    pub(crate) file: Arc<File>,
    pub(crate) size: u64,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Input {
    Stdin,
    File(PathBuf),
    Memory(String, Arc<[u8]>),
    Database(Arc<Relation>),
}

impl Input {
    /// The label for messages.
    pub fn name(&self) -> String {
        match self {
            Input::Stdin => "standard input".to_owned(),
            Input::File(path) => path.display().to_string(),
            Input::Memory(name, _) => name.clone(),
            Input::Database(relation) => relation.to_string(),
        }
    }

    /// Whether it can be read only once, like a pipe.
    pub fn is_read_once(&self) -> bool {
        match self {
            Input::Stdin => true,
            // A missing file or a folder is an error when it is opened.
            Input::File(path) => path.metadata().is_ok_and(|found| !found.is_file() && !found.is_dir()),
            Input::Memory(..) | Input::Database(_) => false,
        }
    }

    pub fn path(&self) -> Option<&std::path::Path> {
        match self {
            Input::File(path) => Some(path),
            Input::Stdin | Input::Memory(..) | Input::Database(_) => None,
        }
    }

    /// Opens the input without conversions, and counts its bytes.
    ///
    /// # Errors
    /// It does not exist, is a folder, or is not readable.
    pub fn open_raw(&self, reading: &Reading) -> Result<Box<dyn Read + Send>, Error> {
        self.open_with_file(reading).map(|(raw, _)| raw)
    }

    /// The same, with the file and its size if it is a regular one.
    fn open_with_file(&self, reading: &Reading) -> Result<(Box<dyn Read + Send>, Option<SizedFile>), Error> {
        let mut regular = None;
        let raw: Box<dyn Read + Send> = match self {
            Input::Stdin => Box::new(io::stdin()),
            Input::Memory(_, bytes) => Box::new(io::Cursor::new(Arc::clone(bytes))),
            // A database has rows instead of bytes.
            Input::Database(_) => Box::new(io::empty()),
            Input::File(path) => {
                let failed = |source| Error::Read { name: self.name(), source };
                let file = File::open(path).map_err(failed)?;
                let found = file.metadata().map_err(failed)?;
                if found.is_dir() {
                    return Err(Error::Folder { name: self.name() });
                }
                let file = Arc::new(file);
                regular = found.is_file().then(|| SizedFile { file: Arc::clone(&file), size: found.len() });
                Box::new(Whole::new(file).map_err(failed)?)
            }
        };
        Ok((Box::new(MeteredReader { reader: raw, meter: Arc::clone(&reading.meter) }), regular))
    }

    /// Opens the input and decompresses it if necessary.
    ///
    /// # Errors
    /// The errors of [`Input::open_raw`]. Invalid compressed data is a read error.
    pub fn open_unpacked(&self, reading: &Reading) -> Result<Box<dyn Read + Send>, Error> {
        self.unpacked_with_file(reading).map(|(raw, _)| raw)
    }

    fn unpacked_with_file(&self, reading: &Reading) -> Result<(Box<dyn Read + Send>, Option<SizedFile>), Error> {
        let (raw, file) = self.open_with_file(reading)?;
        Ok(match reading.compression(self) {
            None => (raw, file),
            Some(compression) => (unpacked(raw, compression, reading.memory), None),
        })
    }

    /// Reads the whole decompressed input, for formats with a footer.
    ///
    /// # Errors
    /// The errors of [`Input::open_unpacked`], or it exceeds the memory limit.
    pub fn read_whole(&self, reading: &Reading) -> Result<Vec<u8>, Error> {
        self.read_rest(Vec::new(), self.open_unpacked(reading)?, reading)
    }

    /// The same, after the first bytes have been read.
    ///
    /// # Errors
    /// It cannot be read, or exceeds the memory limit.
    pub fn read_rest(&self, mut bytes: Vec<u8>, reader: impl Read, reading: &Reading) -> Result<Vec<u8>, Error> {
        let most = reading.memory as u64;
        let read = reader.take(most).read_to_end(&mut bytes);
        read.map_err(|error| Error::of_reading(&self.name(), error))?;
        if bytes.len() as u64 >= most {
            let why = format!("it must fit in memory, and has at least {most} bytes");
            let help = Remedy::MoreMemoryOrText;
            return Err(Error::BadFile { name: self.name(), why, help });
        }
        Ok(bytes)
    }

    /// Opens the input as UTF-8 text, decompressed and decoded. Counts the original bytes.
    ///
    /// # Errors
    /// It does not exist, is a folder, is not readable, or is not text.
    pub fn open(&self, reading: &Reading) -> Result<Box<dyn Read + Send>, Error> {
        self.open_text(reading).map(|(text, _)| text)
    }

    /// The same, with the file if its bytes are the text.
    ///
    /// # Errors
    /// The errors of [`Input::open`].
    pub(crate) fn open_text(&self, reading: &Reading) -> Result<(Box<dyn Read + Send>, Option<SizedFile>), Error> {
        let (raw, file) = self.unpacked_with_file(reading)?;
        let Reading { encoding, wrong_bytes, meter, .. } = reading;
        let raw = foreign::refused(&self.name(), raw)?;
        let encoding = encoding.unwrap_or(Encoding::UTF_8);
        if encoding == Encoding::UTF_8 && *wrong_bytes == WrongBytes::Stop {
            // Invalid bytes are found with the rows.
            return Ok((raw, file));
        }
        Ok((Box::new(DecodingReader::new(raw, encoding, *wrong_bytes, Arc::clone(meter))), None))
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Encoding(&'static encoding_rs::Encoding);

impl Encoding {
    pub const UTF_8: Encoding = Encoding(encoding_rs::UTF_8);

    /// The encoding with a name from the WHATWG Encoding Standard.
    ///
    /// # Errors
    /// The name is unknown, or the standard forbids decoding.
    pub fn named(label: &str) -> Result<Encoding, Error> {
        match encoding_rs::Encoding::for_label(label.trim().as_bytes()) {
            None => Err(Error::UnknownEncoding { label: label.to_owned() }),
            Some(found) if found == encoding_rs::REPLACEMENT => Err(Error::UnsafeEncoding { label: label.to_owned() }),
            Some(found) => Ok(Encoding(found)),
        }
    }

    pub(super) fn decoder(self) -> encoding_rs::Decoder {
        if self == Encoding::UTF_8 { self.0.new_decoder_without_bom_handling() } else { self.0.new_decoder() }
    }
}
