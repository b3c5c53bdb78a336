//! Reading a file up to its size at opening.

use std::fs::File;
use std::io::{self, Read};
use std::sync::Arc;

/// A file that shrank while it was read, as a read error.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("it was truncated while it was read")]
pub struct ShortenedFile;

/// A file that must return as many bytes as it had at opening. Later growth is ignored.
pub struct Whole {
    file: Arc<File>,
    left: u64,
}

impl Whole {
    /// Wraps a file before its first read.
    ///
    /// # Errors
    /// Its size is unknown.
    pub fn new(file: Arc<File>) -> io::Result<Whole> {
        let found = file.metadata()?;
        // Only regular files report a size.
        let left = if found.is_file() { found.len() } else { 0 };
        Ok(Whole { file, left })
    }
}

impl Read for Whole {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = (&*self.file).read(buffer)?;
        if read == 0 && self.left > 0 && !buffer.is_empty() {
            return Err(io::Error::other(ShortenedFile));
        }
        self.left = self.left.saturating_sub(read as u64);
        Ok(read)
    }
}
