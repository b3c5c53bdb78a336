//! Batches as an Arrow stream, one message per batch.

use std::io::{self, Write};

use arrow_array::RecordBatch;
use arrow_ipc::writer::{DictionaryTracker, IpcDataGenerator, IpcWriteOptions, write_message};
use arrow_schema::{ArrowError, Schema};

use crate::encode::Extend;

/// Writes the schema.
///
/// # Errors
/// The schema cannot be encoded.
pub fn push_schema(schema: &Schema, out: &mut impl Extend) -> Result<(), ArrowError> {
    let options = IpcWriteOptions::default();
    let mut tracker = DictionaryTracker::new(false);
    let message = IpcDataGenerator {}.schema_to_bytes_with_dictionary_tracker(schema, &mut tracker, &options);
    push(message, &options, out)
}

/// Writes a batch with all its dictionaries, because another thread may have written the previous one.
///
/// # Errors
/// The batch cannot be encoded.
pub fn push_batch(batch: &RecordBatch, out: &mut impl Extend) -> Result<(), ArrowError> {
    let options = IpcWriteOptions::default();
    let mut tracker = DictionaryTracker::new(false);
    // Dictionaries get their numbers with the schema.
    IpcDataGenerator {}.schema_to_bytes_with_dictionary_tracker(&batch.schema(), &mut tracker, &options);
    let (dictionaries, rows) = IpcDataGenerator {}.encode(batch, &mut tracker, &options, &mut Default::default())?;
    dictionaries.into_iter().chain([rows]).try_for_each(|message| push(message, &options, out))
}

fn push(message: arrow_ipc::writer::EncodedData, options: &IpcWriteOptions, out: &mut impl Extend) -> Result<(), ArrowError> {
    write_message(Extending(out), message, options)?;
    Ok(())
}

struct Extending<'o, E>(&'o mut E);

impl<E: Extend> Write for Extending<'_, E> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.extend(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}
