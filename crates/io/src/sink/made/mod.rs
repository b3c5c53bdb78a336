//! What is made of the bytes that encoders write, on their way to where they go: they are compressed, or a file of a format that
//! cannot be written row by row.

mod columnar;
mod compressed;
#[cfg(feature = "columnar")]
mod copied;
mod workbook;

use std::fmt;
use std::io::{self, Write};

use super::Sink;
use crate::Error;
use crate::formats::{Compression, Kind};

/// Bytes that are held before they are handed on.
const HELD: usize = 256 << 10;

/// Makes something of what it is given, into another sink.
pub struct Made {
    sink: Box<dyn Sink>,
    /// None once all of it is written.
    maker: Option<Box<dyn Maker>>,
}

/// Makes bytes of those that are written to it.
trait Maker: Write + Send {
    /// What has been made and not yet taken.
    fn made(&mut self) -> &mut Vec<u8>;

    /// The rest, written to `out`.
    fn end(self: Box<Self>, out: &mut (dyn Write + Send)) -> io::Result<()>;
}

/// Why a format cannot hold what is written, and what to do about it.
#[derive(Debug)]
pub struct Limit {
    /// Why.
    pub why: String,
    /// What to do.
    pub help: &'static str,
}

impl fmt::Display for Limit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.why)
    }
}

impl std::error::Error for Limit {}

impl Limit {
    /// As an error of writing.
    fn error(why: impl Into<String>, help: &'static str) -> io::Error {
        io::Error::other(Limit { why: why.into(), help })
    }
}

impl Made {
    /// What is put is compressed into `sink`.
    ///
    /// # Errors
    /// Where this build cannot do that.
    pub fn compressed(sink: Box<dyn Sink>, compression: Compression) -> Result<Made, Error> {
        let maker = compressed::maker(compression).map_err(|source| failed(&*sink, source))?;
        Ok(Made { sink, maker: Some(maker) })
    }

    /// A workbook of the cells that are put goes into `sink`.
    ///
    /// # Errors
    /// Where this build cannot do that.
    pub fn workbook(sink: Box<dyn Sink>) -> Result<Made, Error> {
        let maker = workbook::maker().map_err(|source| failed(&*sink, source))?;
        Ok(Made { sink, maker: Some(maker) })
    }

    /// Parquet or Arrow of the batches that are put goes into `sink`.
    ///
    /// # Errors
    /// Where this build cannot do that.
    pub fn columnar(sink: Box<dyn Sink>, kind: Kind) -> Result<Made, Error> {
        let maker = columnar::maker(kind).map_err(|source| failed(&*sink, source))?;
        Ok(Made { sink, maker: Some(maker) })
    }
}

fn failed(sink: &dyn Sink, source: io::Error) -> Error {
    Error::Write { name: sink.name().to_owned(), source, is_half_written: sink.is_final() }
}

/// Writes into a sink, and keeps its error.
struct Onward<'s> {
    sink: &'s mut dyn Sink,
    error: Option<Error>,
}

impl Write for Onward<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.sink.put(bytes).map_err(|error| {
            self.error = Some(error);
            io::Error::other("the sink failed")
        })?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Sink for Made {
    fn name(&self) -> &str {
        self.sink.name()
    }

    fn put(&mut self, bytes: &[u8]) -> Result<(), Error> {
        let Made { sink, maker: Some(maker) } = self else { return Ok(()) };
        maker.write_all(bytes).map_err(|source| failed(&**sink, source))?;
        if maker.made().len() >= HELD {
            sink.put(maker.made())?;
            maker.made().clear();
        }
        Ok(())
    }

    fn settle(&mut self) -> Result<(), Error> {
        if let Some(maker) = self.maker.take() {
            let mut onward = Onward { sink: &mut *self.sink, error: None };
            if let Err(source) = maker.end(&mut onward) {
                return Err(onward.error.unwrap_or_else(|| failed(&*self.sink, source)));
            }
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
