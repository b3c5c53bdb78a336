//! The chunks of Parquet and Arrow inputs.

use std::sync::Arc;

use arrow_array::RecordBatch;
use arrow_schema::{ArrowError, SchemaRef};
use keen_notch_core::column::Header;

use crate::Error;
use crate::Remedy;
use crate::formats::Kind;
use crate::formats::columnar::source::chunk::ColumnarChunk;
use crate::formats::columnar::{Columnar, Plan};
use crate::guarded::guarded;
use crate::source::{Chunk, Format, Source};

/// Approximate size of a chunk in bytes. Its output fits into one flush.
const CHUNK: usize = 384 << 10;
const MOST_ROWS: usize = 4096;
const LEAST_ROWS: usize = 64;

pub type Batches = Box<dyn Iterator<Item = Result<RecordBatch, ArrowError>> + Send>;

/// Starts reading the needed columns, by default all.
pub type Begin = Box<dyn FnOnce(Option<&[usize]>) -> Result<Batches, ArrowError> + Send>;

pub struct OpenColumnarFile {
    pub schema: SchemaRef,
    pub plan: Plan,
    pub begin: Begin,
    /// Whether batches contain only the needed columns.
    pub is_projected: bool,
}

pub struct ColumnarRows {
    name: Arc<str>,
    header: Header,
    columnar: Columnar,
    needed: Option<Vec<usize>>,
    is_projected: bool,
    begin: Option<Begin>,
    batches: Option<Batches>,
    /// The rest of the last batch, and the approximate size of a row in bytes.
    rest: Option<(RecordBatch, usize)>,
    before: u64,
}

impl ColumnarRows {
    pub fn new(name: String, kind: Kind, opened: OpenColumnarFile) -> ColumnarRows {
        let OpenColumnarFile { schema, plan, begin, is_projected } = opened;
        let names = schema.fields().iter().map(|field| field.name().clone()).collect();
        ColumnarRows {
            name: name.into(),
            header: Header::Names(names),
            columnar: Columnar { kind, schema, plan },
            needed: None,
            is_projected,
            begin: Some(begin),
            batches: None,
            rest: None,
            before: 0,
        }
    }

    fn next_batch(&mut self) -> Result<Option<RecordBatch>, Error> {
        loop {
            // The packages may panic on damaged files.
            let outcome = guarded(|| {
                if let Some(begin) = self.begin.take() {
                    self.batches = Some(begin(self.needed.as_deref())?);
                }
                self.batches.as_mut().and_then(Iterator::next).transpose()
            });
            match outcome {
                Some(Ok(Some(batch))) if batch.num_rows() == 0 => {}
                Some(Ok(batch)) => return Ok(batch),
                Some(Err(ArrowError::MemoryError(why))) => {
                    let help = Remedy::MoreMemory;
                    return Err(Error::BadFile { name: self.name.to_string(), why, help });
                }
                Some(Err(error)) => return Err(self.broken(&error.to_string())),
                None => return Err(self.broken("its bytes are damaged")),
            }
        }
    }

    fn broken(&self, reason: &str) -> Error {
        let why = match self.before {
            0 => format!("it is damaged ({reason})"),
            rows => format!("it is damaged after row {rows} ({reason})"),
        };
        Error::BadFile { name: self.name.to_string(), why, help: "get a new copy of it".into() }
    }
}

pub fn rows_of(width: usize) -> usize {
    (CHUNK / width.max(1)).clamp(LEAST_ROWS, MOST_ROWS)
}

impl Source for ColumnarRows {
    fn name(&self) -> &str {
        &self.name
    }

    fn header(&self) -> &Header {
        &self.header
    }

    fn need(&mut self, columns: &[usize]) {
        self.needed = Some(columns.to_vec());
    }

    fn next_chunk(&mut self) -> Result<Option<Box<dyn Chunk>>, Error> {
        let (batch, width) = match self.rest.take() {
            Some(rest) => rest,
            None => match self.next_batch()? {
                Some(batch) => {
                    let width = batch.get_array_memory_size() / batch.num_rows().max(1);
                    (batch, width)
                }
                None => return Ok(None),
            },
        };
        let rows = rows_of(width).min(batch.num_rows());
        let chunk = batch.slice(0, rows);
        if rows < batch.num_rows() {
            self.rest = Some((batch.slice(rows, batch.num_rows() - rows), width));
        }
        let places = match (&self.needed, self.is_projected) {
            (Some(needed), true) => needed.clone(),
            _ => (0..self.header.count()).collect(),
        };
        let chunk = ColumnarChunk::new(Arc::clone(&self.name), (chunk, rows * width), places, self.before);
        self.before += rows as u64;
        Ok(Some(Box::new(chunk)))
    }

    fn format(&self) -> Format {
        Format::new(self.columnar.clone())
    }
}
