//! Decompression on a separate thread, ahead of the reader.

use std::fmt;
use std::io::{self, Read};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread;

use crossbeam_channel::{Receiver, bounded};

use crate::Remedy;
use crate::kind::Compression;

/// Bytes per decompressed piece, and pieces to read ahead.
const PIECE: usize = 256 << 10;
const AHEAD: usize = 4;

/// Compressed data that cannot be decompressed, as a read error.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BrokenCompression {
    compression: Compression,
    why: Why,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Why {
    CutShort,
    NotCompressed,
    Damaged,
    TakesMemory,
    #[cfg(not(feature = "compressed"))]
    NotInBuild,
}

impl fmt::Display for BrokenCompression {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let name = self.compression.name();
        match self.why {
            Why::CutShort => write!(f, "its {name} data is truncated"),
            Why::NotCompressed => write!(f, "it is not compressed with {name}, as its name says"),
            Why::Damaged => write!(f, "its {name} data is damaged"),
            Why::TakesMemory => write!(f, "its {name} data needs more memory than the limit"),
            #[cfg(not(feature = "compressed"))]
            Why::NotInBuild => write!(f, "this build does not decompress {name}"),
        }
    }
}

impl std::error::Error for BrokenCompression {}

impl BrokenCompression {
    pub fn remedy(&self) -> Remedy {
        match self.why {
            Why::CutShort | Why::Damaged => "get a new copy of the file: the rows after this place are missing".into(),
            Why::NotCompressed => Remedy::NameFormat,
            Why::TakesMemory => Remedy::MoreMemoryOrDecompress,
            #[cfg(not(feature = "compressed"))]
            Why::NotInBuild => "decompress it first".into(),
        }
    }
}

/// Decompresses a reader on a separate thread. `memory` limits the window of Zstandard, in bytes.
pub fn unpacked(packed: impl Read + Send + 'static, compression: Compression, memory: usize) -> Box<dyn Read + Send> {
    let failed = Arc::new(AtomicBool::new(false));
    let packed = io::BufReader::with_capacity(64 << 10, Noting { reader: packed, failed: Arc::clone(&failed) });
    ahead(Decompressor { state: State::Packed(Box::new(packed)), compression, memory, failed })
}

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

struct Decompressor {
    state: State,
    compression: Compression,
    memory: usize,
    failed: Arc<AtomicBool>,
}

type Packed = Box<dyn io::BufRead + Send>;

enum State {
    Packed(Packed),
    Begun(Box<dyn Read + Send>),
    Stopped,
}

impl Decompressor {
    fn broken(&self, why: Why) -> io::Error {
        io::Error::other(BrokenCompression { compression: self.compression, why })
    }

    /// Reads more. The first call checks the first bytes.
    fn read_on(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if let State::Begun(reader) = &mut self.state {
            return reader.read(buffer);
        }
        let State::Packed(mut packed) = std::mem::replace(&mut self.state, State::Stopped) else { return Ok(0) };
        let mut beginning = Vec::with_capacity(BEGINNING);
        packed.by_ref().take(BEGINNING as u64).read_to_end(&mut beginning)?;
        if !begins(self.compression, &beginning) {
            return Err(self.broken(Why::NotCompressed));
        }
        let packed: Packed = Box::new(io::Cursor::new(beginning).chain(packed));
        let mut reader = decoder(packed, self.compression, self.memory)?;
        let read = reader.read(buffer);
        self.state = State::Begun(reader);
        read
    }
}

impl Read for Decompressor {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        self.read_on(buffer).map_err(|error| {
            let is_known = error.get_ref().is_some_and(|inner| inner.is::<BrokenCompression>());
            if is_known || self.failed.load(Ordering::Relaxed) || error.kind() == io::ErrorKind::Interrupted {
                return error;
            }
            self.broken(match error.kind() {
                io::ErrorKind::UnexpectedEof => Why::CutShort,
                // The library has no error code for this.
                _ if error.to_string().contains("too much memory") => Why::TakesMemory,
                _ => Why::Damaged,
            })
        })
    }
}

const BEGINNING: usize = 4;

/// Whether the first bytes match the signature, or are a truncated signature.
fn begins(compression: Compression, bytes: &[u8]) -> bool {
    let is_skipped = bytes.len() == BEGINNING && bytes[0] & 0xf0 == 0x50 && bytes[1..] == [0x2a, 0x4d, 0x18];
    let magic: &[u8] = match compression {
        Compression::Gzip => &[0x1f, 0x8b],
        Compression::Zstd => &[0x28, 0xb5, 0x2f, 0xfd],
    };
    bytes.starts_with(magic) || magic.starts_with(bytes) || (compression == Compression::Zstd && is_skipped)
}

#[cfg(not(feature = "compressed"))]
fn decoder(_: Packed, compression: Compression, _: usize) -> io::Result<Box<dyn Read + Send>> {
    Err(io::Error::other(BrokenCompression { compression, why: Why::NotInBuild }))
}

#[cfg(feature = "compressed")]
fn decoder(packed: Packed, compression: Compression, memory: usize) -> io::Result<Box<dyn Read + Send>> {
    // As a binary logarithm. RFC 8878 requires at least 8 MiB; the library allows at most 2 GiB.
    let window = memory.max(1).ilog2().clamp(23, 31);
    Ok(match compression {
        Compression::Gzip => Box::new(Members::Between(Some(packed), false)),
        Compression::Zstd => {
            let mut decoder = zstd::stream::read::Decoder::with_buffer(packed)?;
            decoder.window_log_max(window)?;
            Box::new(decoder)
        }
    })
}

/// Reads all members of a gzip file, and skips zero padding from tapes and block devices.
#[cfg(feature = "compressed")]
enum Members {
    Within(Box<flate2::bufread::GzDecoder<Packed>>),
    /// Between members; `true` after the first.
    Between(Option<Packed>, bool),
}

#[cfg(feature = "compressed")]
impl Read for Members {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        loop {
            match self {
                Members::Within(member) => match member.read(buffer)? {
                    0 if !buffer.is_empty() => {}
                    read => return Ok(read),
                },
                Members::Between(Some(packed), true) => {
                    let held = packed.fill_buf()?;
                    let zeros = held.iter().take_while(|byte| **byte == 0).count();
                    if held.is_empty() {
                        return Ok(0);
                    }
                    if zeros > 0 {
                        packed.consume(zeros);
                        continue;
                    }
                }
                Members::Between(..) => {}
            }
            *self = match std::mem::replace(self, Members::Between(None, true)) {
                Members::Within(member) => Members::Between(Some(member.into_inner()), true),
                Members::Between(Some(packed), _) => Members::Within(Box::new(flate2::bufread::GzDecoder::new(packed))),
                Members::Between(None, _) => return Ok(0),
            };
        }
    }
}

/// Reads ahead on a separate thread, or without one if it cannot start.
fn ahead(reader: Decompressor) -> Box<dyn Read + Send> {
    let (hand, handed) = bounded::<Decompressor>(1);
    let (give, pieces) = bounded(AHEAD);
    let read_ahead = move || {
        let Ok(mut reader) = handed.recv() else { return };
        loop {
            let mut piece = Vec::with_capacity(PIECE);
            let read = reader.by_ref().take(PIECE as u64).read_to_end(&mut piece);
            let is_last = read.is_err() || piece.is_empty();
            // Data before an error comes first. If the receiver is gone, reading stops.
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

/// Pieces decompressed ahead. An empty one is the end.
struct Ahead {
    pieces: Receiver<io::Result<Vec<u8>>>,
    piece: Vec<u8>,
    at: usize,
    has_ended: bool,
}

impl Read for Ahead {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        if self.at == self.piece.len() && !self.has_ended {
            let stopped = |_| io::Error::other("the thread that decompresses it has stopped");
            self.piece = self.pieces.recv().map_err(stopped)??;
            self.at = 0;
            self.has_ended = self.piece.is_empty();
        }
        let read = (&self.piece[self.at..]).read(buffer)?;
        self.at += read;
        Ok(read)
    }
}
