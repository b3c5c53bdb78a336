//! Transforms encoder output on its way to the sink: compression, and files that cannot be written row by row.

mod compressed;

use std::fmt;
use std::io::{self, Write};

use crate::kind::Compression;
use crate::sink::Sink;
use crate::{Error, Remedy};

pub(crate) const HELD: usize = 256 << 10;

pub struct TransformSink {
    sink: Box<dyn Sink>,
    maker: Option<Box<dyn Transform>>,
}

pub(crate) trait Transform: Write + Send {
    fn output(&mut self) -> &mut Vec<u8>;

    fn end(self: Box<Self>, out: &mut (dyn Write + Send)) -> io::Result<()>;
}

/// A limit of a format, with a suggestion.
#[derive(Debug)]
pub struct Limit {
    pub why: String,
    pub help: Remedy,
}

impl fmt::Display for Limit {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.why)
    }
}

impl std::error::Error for Limit {}

impl Limit {
    pub(crate) fn error(why: impl Into<String>, help: impl Into<Remedy>) -> io::Error {
        io::Error::other(Limit { why: why.into(), help: help.into() })
    }
}

impl TransformSink {
    /// Compresses into `sink`.
    ///
    /// # Errors
    /// This build does not support the compression.
    pub fn compressed(sink: Box<dyn Sink>, compression: Compression) -> Result<TransformSink, Error> {
        TransformSink::new(sink, compressed::transform(compression))
    }

    /// Builds a file that cannot be written row by row into `sink`.
    ///
    /// # Errors
    /// This build does not support the format.
    pub(crate) fn new(sink: Box<dyn Sink>, maker: io::Result<Box<dyn Transform>>) -> Result<TransformSink, Error> {
        let maker = maker.map_err(|source| failed(&*sink, source))?;
        Ok(TransformSink { sink, maker: Some(maker) })
    }
}

fn failed(sink: &dyn Sink, source: io::Error) -> Error {
    Error::Write { name: sink.name().to_owned(), source, is_half_written: sink.is_final() }
}

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

impl Sink for TransformSink {
    fn name(&self) -> &str {
        self.sink.name()
    }

    fn put(&mut self, bytes: &[u8]) -> Result<(), Error> {
        let TransformSink { sink, maker: Some(maker) } = self else { return Ok(()) };
        maker.write_all(bytes).map_err(|source| failed(&**sink, source))?;
        if maker.output().len() >= HELD {
            sink.put(maker.output())?;
            maker.output().clear();
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
