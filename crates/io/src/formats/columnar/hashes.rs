//! Hashes of rows as an Arrow stream, for an engine that compares them.

use std::sync::Arc;

use arrow_array::{ArrayRef, BooleanArray, FixedSizeBinaryArray, Int32Array, Int64Array, RecordBatch};
use arrow_schema::{ArrowError, DataType, Field, Schema, SchemaRef};
use keen_notch_core::batch::Buffer;
use keen_notch_core::repeats::RowHash;

use super::stream::{push_batch, push_schema};
use crate::Error;

/// Bytes of a hash, the most significant first.
const WIDTH: i32 = 16;
/// The end of a stream.
const END: [u8; 8] = [0xFF, 0xFF, 0xFF, 0xFF, 0, 0, 0, 0];

fn schema(names: &[&str; 5]) -> SchemaRef {
    let types = [DataType::Int64, DataType::Int32, DataType::FixedSizeBinary(WIDTH), DataType::Boolean, DataType::Boolean];
    Arc::new(Schema::new(names.iter().zip(types).map(|(name, of)| Field::new(*name, of, false)).collect::<Vec<_>>()))
}

/// The start of a stream with these columns.
///
/// # Errors
/// The package refuses the schema.
pub fn begin(names: &[&str; 5], out: &mut Buffer) -> Result<(), Error> {
    push_schema(&schema(names), out).map_err(refused)
}

/// Adds some hashes.
///
/// # Errors
/// The package refuses the batch.
pub fn push(names: &[&str; 5], hashes: &[RowHash], out: &mut Buffer) -> Result<(), Error> {
    let all = |of: &dyn Fn(&RowHash) -> bool| Arc::new(BooleanArray::from_iter(hashes.iter().map(|hash| Some(of(hash)))));
    let bytes = hashes.iter().map(|hash| hash.comparison.hash.bits().to_be_bytes());
    let columns = || -> Result<Vec<ArrayRef>, ArrowError> {
        Ok(vec![
            Arc::new(Int64Array::from_iter_values(hashes.iter().map(|hash| hash.row as i64))),
            Arc::new(Int32Array::from_iter_values(hashes.iter().map(|hash| hash.comparison.check as i32))),
            Arc::new(FixedSizeBinaryArray::try_new(WIDTH, bytes.flatten().collect::<Vec<u8>>().into(), None)?),
            all(&|hash| hash.comparison.new_for_piece),
            all(&|hash| hash.comparison.new_for_row),
        ])
    };
    let batch = columns().and_then(|columns| RecordBatch::try_new(schema(names), columns));
    batch.and_then(|batch| push_batch(&batch, out)).map_err(refused)
}

/// The end of the stream.
pub fn end(out: &mut Buffer) {
    out.extend(&END);
}

fn refused(error: ArrowError) -> Error {
    Error::NoColumnar { format: super::ARROW_STREAM.name, why: error.to_string() }
}
