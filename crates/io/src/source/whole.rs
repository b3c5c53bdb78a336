//! Reading a file as far as it went when it was opened.

use std::fs::File;
use std::io::{self, Read};

/// A file that became shorter while it was read, as an error of reading it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("it became shorter while it was read")]
pub struct Shortened;

/// A file that must not end before it has given as many bytes as it had; that it has more by then is no matter.
pub struct Whole {
    file: File,
    /// The bytes that are still to come.
    left: u64,
}

impl Whole {
    /// For a file that nothing has been read of.
    ///
    /// # Errors
    /// Where its size cannot be had.
    pub fn new(file: File) -> io::Result<Whole> {
        let found = file.metadata()?;
        // What is no plain file says no size.
        let left = if found.is_file() { found.len() } else { 0 };
        Ok(Whole { file, left })
    }
}

impl Read for Whole {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.file.read(buffer)?;
        if read == 0 && self.left > 0 && !buffer.is_empty() {
            return Err(io::Error::other(Shortened));
        }
        self.left = self.left.saturating_sub(read as u64);
        Ok(read)
    }
}
