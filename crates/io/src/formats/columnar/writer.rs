//! Builds Parquet and Arrow files from batches.

use std::io;

use crate::formats::Kind;
use crate::sink::transform::Transform;

#[cfg(not(feature = "columnar"))]
pub(crate) fn transform(kind: Kind) -> io::Result<Box<dyn Transform>> {
    let why = format!("this build does not write {}", kind.name);
    Err(crate::sink::transform::Limit::error(why, crate::Remedy::Feature("columnar")))
}

#[cfg(feature = "columnar")]
pub(crate) fn transform(kind: Kind) -> io::Result<Box<dyn Transform>> {
    Ok(Box::new(of_packages::ColumnarFile::new(kind)))
}

#[cfg(feature = "columnar")]
mod of_packages {
    use std::collections::HashSet;
    use std::io::{self, Write};
    use std::mem;

    use arrow_array::cast::AsArray;
    use arrow_array::{Array, RecordBatch, StringArray};
    use arrow_buffer::Buffer;
    use arrow_ipc::reader::StreamDecoder;
    use arrow_ipc::writer::{DictionaryHandling, FileWriter, IpcWriteOptions};
    use arrow_schema::{ArrowError, SchemaRef};
    use parquet::arrow::ArrowWriter;
    use parquet::basic::{Compression, GzipLevel, ZstdLevel};
    use parquet::file::metadata::KeyValue;
    use parquet::file::properties::{DEFAULT_DATA_PAGE_ROW_COUNT_LIMIT, WriterProperties};
    use parquet::schema::types::ColumnPath;

    use super::super::copying::CopyingWriter;
    use crate::formats::columnar::{ARROW_STREAM, PARQUET};
    use crate::formats::columnar::{Dictionaries, Plan};
    use crate::guarded::guarded;
    use crate::head;
    use crate::kind::Kind;
    use crate::sink::Limit;
    use crate::sink::transform::Transform;

    const END: [u8; 8] = [0xFF, 0xFF, 0xFF, 0xFF, 0, 0, 0, 0];
    const MOST_GROUP: usize = 32 << 20;
    /// Maximum cells of a row group with many columns. The package takes about 10 bytes for each of up to 20 000 cells of a column that
    /// wait for the end of their page, and does not count them in the size of the row group.
    const MOST_CELLS: usize = 3 << 20;
    const LOOKED: usize = 1024;

    pub struct ColumnarFile {
        kind: Kind,
        plan: Option<Plan>,
        pending: Vec<u8>,
        decoder: StreamDecoder,
        writer: Writer,
    }

    enum Writer {
        /// Waits for the schema; for a stream, passes bytes on.
        Bytes(Vec<u8>),
        File(Box<FileWriter<Vec<u8>>>, Dictionaries),
        Parquet(Box<ArrowWriter<Vec<u8>>>),
        Copied(Box<CopyingWriter>),
    }

    impl ColumnarFile {
        pub fn new(kind: Kind) -> ColumnarFile {
            let decoder = StreamDecoder::new().with_require_alignment(false);
            ColumnarFile { kind, plan: None, pending: Vec::new(), decoder, writer: Writer::Bytes(Vec::new()) }
        }

        fn take(&mut self, bytes: &[u8]) -> io::Result<()> {
            if self.kind == &ARROW_STREAM {
                if let Writer::Bytes(made) = &mut self.writer {
                    made.extend(bytes);
                }
                return Ok(());
            }
            let mut buffer = Buffer::from(bytes);
            while !buffer.is_empty() {
                let batch = self.decoder.decode(&mut buffer).map_err(refused)?;
                if let Some(batch) = batch {
                    self.begin(Some(&batch))?;
                    self.write(&batch)?;
                }
            }
            Ok(())
        }

        fn begin(&mut self, first: Option<&RecordBatch>) -> io::Result<()> {
            let (Writer::Bytes(_), Some(schema)) = (&self.writer, self.decoder.schema()) else { return Ok(()) };
            if self.kind != &PARQUET {
                let options = IpcWriteOptions::default().with_dictionary_handling(DictionaryHandling::Delta);
                let writer = FileWriter::try_new_with_options(Vec::new(), &schema, options).map_err(refused)?;
                self.writer = Writer::File(Box::new(writer), Dictionaries::default());
                return Ok(());
            }
            let plan = self.plan.take().unwrap_or_default();
            self.writer = match &plan.copies {
                Some(copies) => {
                    let copied = CopyingWriter::new(copies, &schema, |schema| properties(&plan, schema, first));
                    Writer::Copied(Box::new(copied.map_err(|error| refused(error.into()))?))
                }
                None => {
                    let properties = properties(&plan, &schema, first);
                    let writer = ArrowWriter::try_new(Vec::new(), schema, Some(properties));
                    Writer::Parquet(Box::new(writer.map_err(|error| refused(error.into()))?))
                }
            };
            self.plan = Some(plan);
            Ok(())
        }

        fn write(&mut self, batch: &RecordBatch) -> io::Result<()> {
            match &mut self.writer {
                Writer::Bytes(_) => Ok(()),
                Writer::File(writer, dictionaries) => {
                    dictionaries.joined(batch).and_then(|batch| writer.write(&batch)).map_err(refused)
                }
                Writer::Parquet(writer) => writer.write(batch).map_err(|error| refused(error.into())),
                Writer::Copied(writer) => writer.write(batch).map_err(|error| refused(error.into())),
            }
        }
    }

    /// The Parquet settings: original columns as in the input, new ones from their first values.
    fn properties(plan: &Plan, schema: &SchemaRef, first: Option<&RecordBatch>) -> WriterProperties {
        let noted = schema.metadata().iter().map(|(key, value)| KeyValue::new(key.clone(), value.clone()));
        let mut noted: Vec<KeyValue> = noted.collect();
        noted.sort_by(|one, other| one.key.cmp(&other.key));
        let mut properties = WriterProperties::builder()
            .set_created_by(concat!("keen-notch ", env!("CARGO_PKG_VERSION")).to_owned())
            .set_compression(Compression::SNAPPY)
            .set_max_row_group_bytes(Some(MOST_GROUP))
            .set_key_value_metadata((!noted.is_empty()).then_some(noted));
        let by_cells = MOST_CELLS / schema.fields().len().max(1);
        let by_cells = (by_cells < DEFAULT_DATA_PAGE_ROW_COUNT_LIMIT).then_some(by_cells.max(64));
        if let Some(rows) = plan.group_rows.into_iter().chain(by_cells).min() {
            properties = properties.set_max_row_group_row_count(Some(rows));
        }
        for column in &plan.columns {
            let path = ColumnPath::new(column.path.clone());
            let compression = match column.compression.as_str() {
                "none" => Compression::UNCOMPRESSED,
                "gzip" => Compression::GZIP(GzipLevel::default()),
                "zstd" => Compression::ZSTD(ZstdLevel::default()),
                "lz4" => Compression::LZ4_RAW,
                _ => Compression::SNAPPY,
            };
            properties = properties
                .set_column_compression(path.clone(), compression)
                .set_column_dictionary_enabled(path.clone(), column.has_dictionary)
                .set_column_bloom_filter_enabled(path, column.has_bloom_filter);
        }
        let new = first.map(|first| first.schema().fields().iter().cloned().zip(first.columns().to_vec()).collect::<Vec<_>>());
        for (field, column) in new.into_iter().flatten() {
            let is_new = plan.columns.iter().all(|known| known.path.first() != Some(field.name()));
            if is_new && column.as_string_opt::<i32>().is_some_and(are_mostly_different) {
                properties = properties.set_column_dictionary_enabled(ColumnPath::from(field.name().as_str()), false);
            }
        }
        properties.build()
    }

    /// Whether a dictionary would contain most of the texts. The package would then abandon it later.
    fn are_mostly_different(texts: &StringArray) -> bool {
        let different: HashSet<Option<&str>> = texts.iter().take(LOOKED).collect();
        different.len() * 2 > texts.len().min(LOOKED)
    }

    fn refused(error: ArrowError) -> io::Error {
        match error {
            ArrowError::IoError(_, error) => error,
            error => Limit::error(error.to_string(), crate::Remedy::WriteAnotherFormat),
        }
    }

    impl Write for ColumnarFile {
        fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
            let mut rest = bytes;
            let begun;
            if self.plan.is_none() {
                self.pending.extend(bytes);
                let Some((plan, width)) = head::read(&self.pending) else { return Ok(bytes.len()) };
                self.plan = Some(plan);
                begun = mem::take(&mut self.pending);
                rest = &begun[width..];
            }
            let outcome = guarded(|| self.take(rest));
            outcome.unwrap_or_else(|| Err(refused(ArrowError::IpcError("its columns cannot be written".to_owned()))))?;
            Ok(bytes.len())
        }

        fn flush(&mut self) -> io::Result<()> {
            Ok(())
        }
    }

    impl Transform for ColumnarFile {
        fn output(&mut self) -> &mut Vec<u8> {
            match &mut self.writer {
                Writer::Bytes(bytes) => bytes,
                Writer::File(writer, _) => writer.get_mut(),
                Writer::Parquet(writer) => writer.inner_mut(),
                Writer::Copied(writer) => writer.output(),
            }
        }

        fn end(mut self: Box<Self>, out: &mut (dyn Write + Send)) -> io::Result<()> {
            // The decoder returns a message when the next one arrives, so without rows the schema is still pending.
            if self.kind != &ARROW_STREAM {
                self.take(&END)?;
                self.begin(None)?;
            }
            let bytes = match self.writer {
                Writer::Bytes(mut bytes) => {
                    bytes.extend(END);
                    bytes
                }
                Writer::File(mut writer, _) => {
                    writer.finish().map_err(refused)?;
                    mem::take(writer.get_mut())
                }
                Writer::Parquet(writer) => writer.into_inner().map_err(|error| refused(error.into()))?,
                Writer::Copied(writer) => writer.finish().map_err(|error| refused(error.into()))?,
            };
            out.write_all(&bytes)
        }
    }
}
