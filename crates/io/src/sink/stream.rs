//! Outputs without rollback: standard output, a pipe, memory.

use std::io::Write;

use crate::Error;
use crate::sink::Sink;

/// Bytes passed on immediately.
pub struct Stream<W> {
    name: String,
    writer: W,
}

impl<W: Write + Send> Stream<W> {
    /// Writes to `writer`; `name` is its label for messages.
    ///
    /// ```
    /// use keen_notch_io::sink::{Sink, Stream, commit_all};
    ///
    /// let mut bytes = Vec::new();
    /// let mut sink = Stream::new("memory", &mut bytes);
    /// sink.put(b"part_code\n")?;
    /// commit_all(vec![Box::new(sink)])?;
    /// assert_eq!(bytes, b"part_code\n");
    /// # Ok::<(), keen_notch_io::Error>(())
    /// ```
    pub fn new(name: impl Into<String>, writer: W) -> Stream<W> {
        Stream { name: name.into(), writer }
    }

    fn failed(&self, source: std::io::Error) -> Error {
        Error::Write { name: self.name.clone(), source, is_half_written: true }
    }
}

impl<W: Write + Send> Sink for Stream<W> {
    fn name(&self) -> &str {
        &self.name
    }

    fn put(&mut self, bytes: &[u8]) -> Result<(), Error> {
        self.writer.write_all(bytes).map_err(|source| self.failed(source))
    }

    fn settle(&mut self) -> Result<(), Error> {
        self.writer.flush().map_err(|source| self.failed(source))
    }

    fn place(&mut self, _: bool) -> Result<(), Error> {
        Ok(())
    }

    fn take_back(&mut self) {}

    fn is_final(&self) -> bool {
        true
    }
}
