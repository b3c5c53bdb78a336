//! Reads Arrow: a stream or a file.
//!
//! The source reads messages one by one and checks their lengths before decoding. The Arrow package allocates the stated length, even if
//! it is false.

use std::fs::File;
use std::io::{self, BufReader, Cursor, Read, Seek, SeekFrom};
use std::sync::Arc;

use arrow_array::RecordBatch;
use arrow_buffer::Buffer;
use arrow_ipc::reader::{FileDecoder, StreamDecoder, read_footer_length};
use arrow_ipc::{Block, CompressionType, Message, MetadataVersion, convert, root_as_footer, root_as_message};
use arrow_schema::{ArrowError, Schema, SchemaRef};

use crate::Error;
use crate::Remedy;
use crate::formats::columnar::Plan;
use crate::formats::columnar::source::rows::{Batches, OpenColumnarFile};
use crate::guarded::guarded;
use crate::source::Reading;
use crate::source::input::Input;
use crate::source::meter::MeteredReader;

/// The start of a file; streams lack it.
const MAGIC: &[u8] = b"ARROW1";
/// The start of every message, except from the oldest writers.
const CONTINUATION: [u8; 4] = [0xFF; 4];
/// Upper limit of the LZ4 compression ratio.
const MOST_OF_LZ4: u64 = 256;

/// Opens an input, and detects whether it is a file or a stream.
///
/// # Errors
/// It cannot be read, or is not Arrow.
pub fn open(input: &Input, reading: &Reading) -> Result<OpenColumnarFile, Error> {
    let mut reader = input.open_unpacked(reading)?;
    let mut start = Vec::with_capacity(MAGIC.len());
    let read = reader.by_ref().take(MAGIC.len() as u64).read_to_end(&mut start);
    read.map_err(|error| Error::of_reading(&input.name(), error))?;
    if start.is_empty() {
        return Err(Error::Empty { name: input.name() });
    }
    if start != MAGIC {
        let reader = Cursor::new(start).chain(reader);
        // A buffer would take the start of the next stream.
        return match reading.stops_at_end_of_stream {
            true => opened(input, || Streams::new(reader, reading.memory, true)),
            false => opened(input, || Streams::new(BufReader::new(reader), reading.memory, false)),
        };
    }
    match input.path().filter(|_| !input.is_read_once() && reading.compression(input).is_none()) {
        Some(path) => {
            let file = File::open(path).map_err(|source| Error::Read { name: input.name(), source })?;
            let reader = BufReader::new(MeteredReader { reader: file, meter: Arc::clone(&reading.meter) });
            opened(input, || ArrowFile::new(reader, reading.memory))
        }
        None => {
            let reader = Cursor::new(input.read_rest(start, reader, reading)?);
            opened(input, || ArrowFile::new(reader, reading.memory))
        }
    }
}

fn opened<R>(input: &Input, open: impl FnOnce() -> Result<R, ArrowError>) -> Result<OpenColumnarFile, Error>
where
    R: Iterator<Item = Result<RecordBatch, ArrowError>> + HasSchema + Send + 'static,
{
    let reader = match guarded(open) {
        Some(Ok(reader)) => reader,
        Some(Err(ArrowError::IoError(_, error))) if error.kind() != io::ErrorKind::UnexpectedEof => {
            return Err(Error::of_reading(&input.name(), error));
        }
        Some(Err(_)) | None => {
            let why = "it is truncated, damaged or not Arrow".to_owned();
            let help = Remedy::NewCopyOrFormat;
            return Err(Error::BadFile { name: input.name(), why, help });
        }
    };
    let schema = reader.schema();
    let begin = move |_: Option<&[usize]>| -> Result<Batches, ArrowError> { Ok(Box::new(reader)) };
    Ok(OpenColumnarFile { schema, plan: Plan::default(), begin: Box::new(begin), is_projected: false })
}

trait HasSchema {
    fn schema(&self) -> SchemaRef;
}

/// The batches of a stream and of concatenated streams with the same columns.
struct Streams<R> {
    reader: R,
    decoder: StreamDecoder,
    schema: SchemaRef,
    /// Maximum size of a message in bytes, compressed and decompressed.
    most: usize,
    is_only: bool,
    has_ended: bool,
}

impl<R: Read> Streams<R> {
    /// `is_only` leaves the bytes after the first stream alone.
    fn new(reader: R, most: usize, is_only: bool) -> Result<Streams<R>, ArrowError> {
        let schema = Arc::new(Schema::empty());
        let decoder = decoder();
        let mut streams = Streams { reader, decoder, schema, most, is_only, has_ended: false };
        streams.schema = streams.begin()?.ok_or_else(|| broken("it has no columns"))?;
        Ok(streams)
    }

    fn begin(&mut self) -> Result<Option<SchemaRef>, ArrowError> {
        self.decoder = decoder();
        let mut bytes = match self.message()? {
            Some((message, true)) => message,
            Some((_, false)) => return Err(broken("it has rows before its columns")),
            None => return Ok(None),
        };
        self.decoder.decode(&mut bytes)?;
        // The decoder parses a message only after the start of the next one.
        let mut end = Buffer::from(CONTINUATION);
        self.decoder.decode(&mut end)?;
        self.decoder.schema().map(Some).ok_or_else(|| broken("it has no columns"))
    }

    /// The next message with valid lengths, and whether it has a schema; `None` at the end of a stream.
    fn message(&mut self) -> Result<Option<(Buffer, bool)>, ArrowError> {
        let mut bytes = Vec::new();
        if !self.read(&mut bytes, 4)? {
            return Ok(None);
        }
        if bytes == CONTINUATION {
            bytes.clear();
            if !self.read(&mut bytes, 4)? {
                return Err(broken("it is truncated"));
            }
        }
        let length = bytes.first_chunk().map_or(0, |length| i32::from_le_bytes(*length));
        let length = usize::try_from(length).map_err(|_| broken("a message has no length"))?;
        if length == 0 {
            return Ok(None);
        }
        let start = bytes.len();
        if !self.read(&mut bytes, length)? {
            return Err(broken("it is truncated"));
        }
        let message = root_as_message(&bytes[start..]).map_err(|error| broken(&error.to_string()))?;
        let has_schema = message.header_as_schema().is_some();
        let body = usize::try_from(message.bodyLength()).map_err(|_| broken("a message has no length"))?;
        if !self.read(&mut bytes, body)? && body > 0 {
            return Err(broken("it is truncated"));
        }
        let message = root_as_message(&bytes[start..start + length]).map_err(|error| broken(&error.to_string()))?;
        check(&message, &bytes[start + length..], self.most)?;
        Ok(Some((Buffer::from_vec(bytes), has_schema)))
    }

    fn read(&mut self, bytes: &mut Vec<u8>, count: usize) -> Result<bool, ArrowError> {
        if count > self.most {
            return Err(too_large(count as u64, self.most));
        }
        // Grow with the bytes that arrive: the stated length can be false.
        let read = self.reader.by_ref().take(count as u64).read_to_end(bytes)?;
        if read < count && read > 0 {
            return Err(broken("it is truncated"));
        }
        Ok(read > 0)
    }
}

impl<R: Read> HasSchema for Streams<R> {
    fn schema(&self) -> SchemaRef {
        Arc::clone(&self.schema)
    }
}

impl<R: Read> Iterator for Streams<R> {
    type Item = Result<RecordBatch, ArrowError>;

    fn next(&mut self) -> Option<Self::Item> {
        while !self.has_ended {
            let batch = match self.message() {
                Ok(Some((_, true))) => Err(broken("it has columns again among its rows")),
                Ok(Some((mut bytes, false))) => self.decoder.decode(&mut bytes).and_then(|batch| {
                    // The decoder returns a batch only after the start of the next message.
                    let mut next = Buffer::from(CONTINUATION);
                    Ok(batch.or(self.decoder.decode(&mut next)?))
                }),
                Ok(None) if self.is_only => {
                    self.has_ended = true;
                    Ok(None)
                }
                // Another stream may follow.
                Ok(None) => match self.begin() {
                    Ok(Some(schema)) if schema == self.schema => Ok(None),
                    Ok(Some(_)) => Err(broken("another stream with other columns comes after the first")),
                    Ok(None) => {
                        self.has_ended = true;
                        Ok(None)
                    }
                    Err(error) => Err(error),
                },
                Err(error) => Err(error),
            };
            self.has_ended |= batch.is_err();
            if let Some(batch) = batch.transpose() {
                return Some(batch);
            }
        }
        None
    }
}

fn decoder() -> StreamDecoder {
    StreamDecoder::new().with_require_alignment(false)
}

struct ArrowFile<R> {
    reader: R,
    decoder: FileDecoder,
    schema: SchemaRef,
    blocks: std::vec::IntoIter<Block>,
    most: usize,
}

impl<R: Read + Seek> ArrowFile<R> {
    fn new(mut reader: R, most: usize) -> Result<ArrowFile<R>, ArrowError> {
        let end = reader.seek(SeekFrom::End(0))?;
        let mut last = [0; 10];
        reader.seek(SeekFrom::Start(end.checked_sub(10).ok_or_else(|| broken("it is truncated"))?))?;
        reader.read_exact(&mut last)?;
        let length = read_footer_length(last)? as u64;
        let start = (end - 10).checked_sub(length).ok_or_else(|| broken("it is truncated"))?;
        let mut bytes = Vec::new();
        reader.seek(SeekFrom::Start(start))?;
        reader.by_ref().take(length).read_to_end(&mut bytes)?;
        let footer = root_as_footer(&bytes).map_err(|error| broken(&error.to_string()))?;
        let schema = footer.schema().ok_or_else(|| broken("it has no columns"))?;
        let schema = Arc::new(convert::try_fb_to_schema(schema)?);
        let decoder = FileDecoder::new(Arc::clone(&schema), MetadataVersion::V1).with_require_alignment(false);
        let blocks: Vec<Block> = footer.recordBatches().map_or(Vec::new(), |blocks| blocks.iter().copied().collect());
        let dictionaries: Vec<Block> = footer.dictionaries().map_or(Vec::new(), |blocks| blocks.iter().copied().collect());
        let mut file = ArrowFile { reader, decoder, schema, blocks: blocks.into_iter(), most };
        for block in dictionaries {
            let bytes = file.block(&block)?;
            file.decoder.read_dictionary(&block, &bytes)?;
        }
        Ok(file)
    }

    fn block(&mut self, block: &Block) -> Result<Buffer, ArrowError> {
        let not_there = || broken("a block has a wrong position");
        let start = u64::try_from(block.offset()).map_err(|_| not_there())?;
        let head = usize::try_from(block.metaDataLength()).map_err(|_| not_there())?;
        let body = usize::try_from(block.bodyLength()).map_err(|_| not_there())?;
        let length = head.checked_add(body).filter(|length| *length <= self.most);
        let length = length.ok_or_else(|| too_large(body as u64, self.most))?;
        self.reader.seek(SeekFrom::Start(start))?;
        let mut bytes = Vec::new();
        self.reader.by_ref().take(length as u64).read_to_end(&mut bytes)?;
        if bytes.len() < length {
            return Err(not_there());
        }
        let (head, body) = bytes.split_at(head);
        let head = head.strip_prefix(&CONTINUATION).unwrap_or(head);
        let message = root_as_message(head.get(4..).unwrap_or_default()).map_err(|error| broken(&error.to_string()))?;
        check(&message, body, self.most)?;
        Ok(Buffer::from_vec(bytes))
    }
}

impl<R: Read + Seek> HasSchema for ArrowFile<R> {
    fn schema(&self) -> SchemaRef {
        Arc::clone(&self.schema)
    }
}

impl<R: Read + Seek> Iterator for ArrowFile<R> {
    type Item = Result<RecordBatch, ArrowError>;

    fn next(&mut self) -> Option<Self::Item> {
        let block = self.blocks.next()?;
        let batch = self.block(&block).and_then(|bytes| self.decoder.read_record_batch(&block, &bytes));
        if batch.is_err() {
            self.blocks = Vec::new().into_iter();
        }
        batch.transpose()
    }
}

/// Checks that the stated sizes of all decompressed buffers add up to at most `most` bytes.
fn check(message: &Message, body: &[u8], most: usize) -> Result<(), ArrowError> {
    let dictionary = message.header_as_dictionary_batch().and_then(|dictionary| dictionary.data());
    let Some(batch) = message.header_as_record_batch().or(dictionary) else { return Ok(()) };
    let (Some(compression), Some(buffers)) = (batch.compression(), batch.buffers()) else { return Ok(()) };
    let mut all = 0_u64;
    for buffer in buffers {
        let place = usize::try_from(buffer.offset()).ok().zip(usize::try_from(buffer.length()).ok());
        let bytes = place.and_then(|(start, length)| body.get(start..start.checked_add(length)?));
        let bytes = bytes.ok_or_else(|| broken("a buffer has a wrong position"))?;
        let Some(length) = bytes.first_chunk::<8>() else { continue };
        // -1 marks an uncompressed buffer.
        let Ok(length) = u64::try_from(i64::from_le_bytes(*length)) else { continue };
        all = all.saturating_add(length);
        let is_possible = compression.codec() != CompressionType::LZ4_FRAME || length <= bytes.len() as u64 * MOST_OF_LZ4;
        if !is_possible {
            return Err(broken("the stated size of a buffer is impossible"));
        }
    }
    if all > most as u64 { Err(too_large(all, most)) } else { Ok(()) }
}

fn broken(why: &str) -> ArrowError {
    ArrowError::IpcError(why.to_owned())
}

fn too_large(bytes: u64, most: usize) -> ArrowError {
    ArrowError::MemoryError(format!("a batch of its rows needs {bytes} bytes, and the limit is {most}"))
}
