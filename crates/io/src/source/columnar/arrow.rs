//! Opening Arrow: a stream, or a file.

use std::fs::File;
use std::io::{self, BufReader, Cursor, Read, Seek};
use std::sync::Arc;

use arrow_ipc::reader::{FileReader, StreamReader};
use arrow_schema::ArrowError;

use super::rows::{Batches, Opened};
use crate::Error;
use crate::columnar::Plan;
use crate::guarded::guarded;
use crate::source::Reading;
use crate::source::input::Input;
use crate::source::meter::Metered;

/// What a file begins with; a stream does not.
const MAGIC: &[u8] = b"ARROW1";

/// Opens an input, which may be either: what it begins with tells.
///
/// # Errors
/// Where it cannot be read, or is no Arrow.
pub fn open(input: &Input, reading: &Reading) -> Result<Opened, Error> {
    let mut reader = input.open_unpacked(reading)?;
    let mut start = Vec::with_capacity(MAGIC.len());
    let read = reader.by_ref().take(MAGIC.len() as u64).read_to_end(&mut start);
    read.map_err(|error| Error::of_reading(&input.name(), error))?;
    if start.is_empty() {
        return Err(Error::Empty { name: input.name() });
    }
    if start != MAGIC {
        return opened(input, || StreamReader::try_new(BufReader::new(Cursor::new(start).chain(reader)), None));
    }
    match input.path().filter(|_| !input.is_read_once() && reading.named(input).compression.is_none()) {
        Some(path) => {
            let file = File::open(path).map_err(|source| Error::Read { name: input.name(), source })?;
            of_file(input, BufReader::new(Metered { reader: file, meter: Arc::clone(&reading.meter) }))
        }
        None => of_file(input, Cursor::new(input.read_rest(start, reader, reading)?)),
    }
}

fn of_file(input: &Input, reader: impl Read + Seek + Send + 'static) -> Result<Opened, Error> {
    opened(input, || FileReader::try_new(reader, None))
}

/// What a reader of batches reads.
fn opened<R>(input: &Input, open: impl FnOnce() -> Result<R, ArrowError>) -> Result<Opened, Error>
where
    R: Iterator<Item = Result<arrow_array::RecordBatch, ArrowError>> + HasSchema + Send + 'static,
{
    let reader = match guarded(open) {
        Some(Ok(reader)) => reader,
        Some(Err(ArrowError::IoError(_, error))) if error.kind() != io::ErrorKind::UnexpectedEof => {
            return Err(Error::of_reading(&input.name(), error));
        }
        Some(Err(_)) | None => {
            let why = "it is cut short, broken, or no Arrow".to_owned();
            let help = "get it anew from where it came from; or say what it is, such as --from csv";
            return Err(Error::BadFile { name: input.name(), why, help });
        }
    };
    let schema = reader.schema_of();
    let begin = move |_: Option<&[usize]>| -> Result<Batches, ArrowError> { Ok(Box::new(reader)) };
    Ok(Opened { schema, plan: Plan::default(), begin: Box::new(begin), is_projected: false })
}

/// What knows its columns.
trait HasSchema {
    fn schema_of(&self) -> arrow_schema::SchemaRef;
}

impl<R: Read> HasSchema for StreamReader<R> {
    fn schema_of(&self) -> arrow_schema::SchemaRef {
        self.schema()
    }
}

impl<R: Read + Seek> HasSchema for FileReader<R> {
    fn schema_of(&self) -> arrow_schema::SchemaRef {
        self.schema()
    }
}
