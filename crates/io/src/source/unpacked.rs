//! Reading compressed text. It is unpacked on a thread of its own, ahead of who reads it.

use std::fmt;
use std::io::{self, Read};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread;

use crossbeam_channel::{Receiver, bounded};

use crate::formats::Compression;

/// Bytes that are unpacked at a time, and how many times that is held ahead.
const PIECE: usize = 256 << 10;
const AHEAD: usize = 4;

/// Compressed bytes that cannot be unpacked, as an error of reading them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Broken {
    compression: Compression,
    why: Why,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Why {
    /// It ends before its end.
    CutShort,
    /// It does not begin as it should.
    NotCompressed,
    /// Something in it is wrong.
    Damaged,
    /// This program cannot unpack it.
    #[cfg(not(feature = "compressed"))]
    NotInBuild,
}

impl fmt::Display for Broken {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let name = self.compression.name();
        match self.why {
            Why::CutShort => write!(f, "its {name} data is cut short"),
            Why::NotCompressed => write!(f, "it is not compressed with {name}, as its name says"),
            Why::Damaged => write!(f, "its {name} data is damaged"),
            #[cfg(not(feature = "compressed"))]
            Why::NotInBuild => write!(f, "this build does not unpack {name}"),
        }
    }
}

impl std::error::Error for Broken {}

impl Broken {
    /// What to do about it, in one line.
    pub fn help(&self) -> &'static str {
        match self.why {
            Why::CutShort | Why::Damaged => {
                "get the file once more: rows up to there may be right, and the others are not there"
            }
            Why::NotCompressed => "say what it is, such as --from csv",
            #[cfg(not(feature = "compressed"))]
            Why::NotInBuild => "unpack it first",
        }
    }
}

/// What `packed` gives, unpacked.
///
/// # Errors
/// Where this build does not unpack it.
pub fn unpacked(packed: impl Read + Send + 'static, compression: Compression) -> io::Result<Box<dyn Read + Send>> {
    let failed = Arc::new(AtomicBool::new(false));
    let packed = io::BufReader::with_capacity(64 << 10, Noting { reader: packed, failed: Arc::clone(&failed) });
    let reader = decoder(packed, compression)?;
    Ok(ahead(Unpacked { reader, compression, failed, has_begun: false }))
}

#[cfg(feature = "compressed")]
fn decoder(packed: impl io::BufRead + Send + 'static, compression: Compression) -> io::Result<Box<dyn Read + Send>> {
    Ok(match compression {
        Compression::Gzip => Box::new(flate2::bufread::MultiGzDecoder::new(packed)),
        Compression::Zstd => Box::new(zstd::stream::read::Decoder::with_buffer(packed)?),
    })
}

#[cfg(not(feature = "compressed"))]
fn decoder(_: impl io::BufRead, compression: Compression) -> io::Result<Box<dyn Read + Send>> {
    Err(io::Error::other(Broken { compression, why: Why::NotInBuild }))
}

/// Notes whether it was the reader that failed.
struct Noting<R> {
    reader: R,
    failed: Arc<AtomicBool>,
}

impl<R: Read> Read for Noting<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.reader.read(buffer);
        if read.is_err() {
            self.failed.store(true, Ordering::Relaxed);
        }
        read
    }
}

/// Tells errors of what was packed from errors of reading it.
struct Unpacked {
    reader: Box<dyn Read + Send>,
    compression: Compression,
    failed: Arc<AtomicBool>,
    has_begun: bool,
}

impl Read for Unpacked {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        match self.reader.read(buffer) {
            Ok(read) => {
                self.has_begun |= read > 0;
                Ok(read)
            }
            Err(error) if self.failed.load(Ordering::Relaxed) || error.kind() == io::ErrorKind::Interrupted => Err(error),
            Err(error) => {
                let why = match error.kind() {
                    io::ErrorKind::UnexpectedEof => Why::CutShort,
                    _ if self.has_begun => Why::Damaged,
                    _ => Why::NotCompressed,
                };
                Err(io::Error::other(Broken { compression: self.compression, why }))
            }
        }
    }
}

/// The same, read ahead on a thread of its own; where that cannot start, as it is.
fn ahead(reader: Unpacked) -> Box<dyn Read + Send> {
    let (hand, handed) = bounded::<Unpacked>(1);
    let (give, pieces) = bounded(AHEAD);
    let read_ahead = move || {
        let Ok(mut reader) = handed.recv() else { return };
        loop {
            let mut piece = Vec::with_capacity(PIECE);
            let read = reader.by_ref().take(PIECE as u64).read_to_end(&mut piece);
            let is_last = read.is_err() || piece.is_empty();
            // What was unpacked before an error comes first. Where nobody takes it, nobody reads on.
            let is_given = (piece.is_empty() || give.send(Ok(piece)).is_ok()) && read.is_ok();
            if let Err(error) = read {
                let _ = give.send(Err(error));
            } else if is_last {
                let _ = give.send(Ok(Vec::new()));
            }
            if is_last || !is_given {
                return;
            }
        }
    };
    if thread::Builder::new().name("unpack".to_owned()).spawn(read_ahead).is_err() {
        return Box::new(reader);
    }
    match hand.send(reader) {
        Ok(()) => Box::new(Ahead { pieces, piece: Vec::new(), at: 0, has_ended: false }),
        Err(unsent) => Box::new(unsent.into_inner()),
    }
}

/// Pieces that were unpacked ahead. An empty one is the end.
struct Ahead {
    pieces: Receiver<io::Result<Vec<u8>>>,
    piece: Vec<u8>,
    at: usize,
    has_ended: bool,
}

impl Read for Ahead {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.at == self.piece.len() && !self.has_ended {
            let stopped = |_| io::Error::other("the thread that unpacks it has stopped");
            self.piece = self.pieces.recv().map_err(stopped)??;
            self.at = 0;
            self.has_ended = self.piece.is_empty();
        }
        let read = (&self.piece[self.at..]).read(buffer)?;
        self.at += read;
        Ok(read)
    }
}
