//! Compressing what is written.

use std::io::{self, Write};

use super::Sink;
use crate::Error;
use crate::formats::Compression;

/// Compressed bytes that are held before they are handed on.
const HELD: usize = 256 << 10;

/// Compresses what it is given into another sink.
pub struct Packed {
    sink: Box<dyn Sink>,
    /// None once all of it is written.
    encoder: Option<Box<dyn Encoder>>,
}

/// Compresses bytes.
trait Encoder: Write + Send {
    /// What has been compressed and not yet taken.
    fn made(&mut self) -> &mut Vec<u8>;

    /// The rest.
    fn end(self: Box<Self>) -> io::Result<Vec<u8>>;
}

impl Packed {
    /// What is put is compressed into `sink`.
    ///
    /// # Errors
    /// Where this build cannot do that.
    pub fn new(sink: Box<dyn Sink>, compression: Compression) -> Result<Packed, Error> {
        let encoder = encoder(compression).map_err(|source| Packed::failed(&*sink, source))?;
        Ok(Packed { sink, encoder: Some(encoder) })
    }

    fn failed(sink: &dyn Sink, source: io::Error) -> Error {
        Error::Write { name: sink.name().to_owned(), source, is_half_written: sink.is_final() }
    }
}

impl Sink for Packed {
    fn name(&self) -> &str {
        self.sink.name()
    }

    fn put(&mut self, bytes: &[u8]) -> Result<(), Error> {
        let Packed { sink, encoder: Some(encoder) } = self else { return Ok(()) };
        encoder.write_all(bytes).map_err(|source| Packed::failed(&**sink, source))?;
        if encoder.made().len() >= HELD {
            sink.put(encoder.made())?;
            encoder.made().clear();
        }
        Ok(())
    }

    fn settle(&mut self) -> Result<(), Error> {
        if let Some(encoder) = self.encoder.take() {
            let rest = encoder.end().map_err(|source| Packed::failed(&*self.sink, source))?;
            self.sink.put(&rest)?;
        }
        self.sink.settle()
    }

    fn place(&mut self, keeps_old: bool) -> Result<(), Error> {
        self.sink.place(keeps_old)
    }

    fn take_back(&mut self) {
        self.sink.take_back();
    }

    fn is_final(&self) -> bool {
        self.sink.is_final()
    }
}

#[cfg(feature = "compressed")]
fn encoder(compression: Compression) -> io::Result<Box<dyn Encoder>> {
    Ok(match compression {
        // Without the time, so that the same rows always give the same file.
        Compression::Gzip => Box::new(flate2::GzBuilder::new().mtime(0).write(Vec::new(), flate2::Compression::default())),
        Compression::Zstd => {
            let mut encoder = zstd::stream::write::Encoder::new(Vec::new(), zstd::DEFAULT_COMPRESSION_LEVEL)?;
            encoder.include_checksum(true)?;
            Box::new(encoder)
        }
    })
}

#[cfg(feature = "compressed")]
impl Encoder for flate2::write::GzEncoder<Vec<u8>> {
    fn made(&mut self) -> &mut Vec<u8> {
        self.get_mut()
    }

    fn end(self: Box<Self>) -> io::Result<Vec<u8>> {
        self.finish()
    }
}

#[cfg(feature = "compressed")]
impl Encoder for zstd::stream::write::Encoder<'static, Vec<u8>> {
    fn made(&mut self) -> &mut Vec<u8> {
        self.get_mut()
    }

    fn end(self: Box<Self>) -> io::Result<Vec<u8>> {
        self.finish()
    }
}

#[cfg(not(feature = "compressed"))]
fn encoder(compression: Compression) -> io::Result<Box<dyn Encoder>> {
    let words = format!("this build does not compress with {}", compression.name());
    Err(io::Error::new(io::ErrorKind::Unsupported, words))
}
