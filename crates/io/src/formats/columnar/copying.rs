//! Parquet with columns copied from the input files beside new columns. Used if all rows are kept in order.

use std::collections::VecDeque;
use std::fs::File;
use std::sync::Arc;

use arrow_array::RecordBatch;
use arrow_schema::{Schema, SchemaRef};
use parquet::arrow::ArrowSchemaConverter;
use parquet::arrow::add_encoded_arrow_schema_to_metadata;
use parquet::arrow::arrow_reader::ArrowReaderMetadata;
use parquet::arrow::arrow_writer::{ArrowColumnWriter, ArrowRowGroupWriterFactory, compute_leaves};
use parquet::column::writer::ColumnCloseResult;
use parquet::errors::{ParquetError, Result};
use parquet::file::properties::WriterProperties;
use parquet::file::writer::SerializedFileWriter;
use parquet::schema::types::Type;

use crate::formats::columnar::{Copies, parquet_metadata};

pub struct CopyingWriter {
    writer: SerializedFileWriter<Vec<u8>>,
    factory: ArrowRowGroupWriterFactory,
    columns: Vec<Option<usize>>,
    leaves: Vec<usize>,
    /// Row groups whose rows are incomplete.
    groups: VecDeque<Group>,
    /// The new columns of the first of these groups, and the number of rows so far.
    new: Vec<ArrowColumnWriter>,
    rows: usize,
}

struct Group {
    file: Arc<Source>,
    index: usize,
    rows: usize,
}

struct Source {
    file: File,
    metadata: ArrowReaderMetadata,
}

impl CopyingWriter {
    pub fn new(
        copies: &Copies,
        new: &SchemaRef,
        properties: impl FnOnce(&SchemaRef) -> WriterProperties,
    ) -> Result<CopyingWriter> {
        let open = |name: &String| -> Result<Arc<Source>> {
            let file = File::open(name)?;
            let metadata = parquet_metadata(&file)?;
            Ok(Arc::new(Source { file, metadata }))
        };
        let sources = copies.files.iter().map(open).collect::<Result<Vec<_>>>()?;
        let Some(first) = sources.first() else { return Err(ParquetError::General("the file is missing".to_owned())) };
        let converted = ArrowSchemaConverter::new().convert(new)?;
        let (mut fields, mut types, mut next) = (Vec::new(), Vec::new(), 0);
        for column in &copies.columns {
            match column {
                Some(column) => {
                    fields.push(Arc::clone(&first.metadata.schema().fields()[*column]));
                    types.push(first.metadata.parquet_schema().root_schema().get_fields()[*column].clone());
                }
                None => {
                    fields.push(new.fields()[next].clone());
                    types.push(converted.root_schema().get_fields()[next].clone());
                    next += 1;
                }
            }
        }
        let schema = Arc::new(Schema::new_with_metadata(fields, first.metadata.schema().metadata().clone()));
        let mut properties = properties(&schema);
        add_encoded_arrow_schema_to_metadata(&schema, &mut properties);
        let leaves = types.iter().map(|of| leaves(of)).collect();
        let name = first.metadata.parquet_schema().root_schema().name();
        let root = Type::group_type_builder(name).with_fields(types).build()?;
        let writer = SerializedFileWriter::new(Vec::new(), Arc::new(root), Arc::new(properties))?;
        let factory = ArrowRowGroupWriterFactory::new(&writer, schema);
        let groups = sources.iter().flat_map(|source| {
            let groups = source.metadata.metadata().row_groups().iter().enumerate();
            groups.map(|(index, group)| Group { file: Arc::clone(source), index, rows: group.num_rows().max(0) as usize })
        });
        let groups = groups.collect();
        Ok(CopyingWriter { writer, factory, columns: copies.columns.clone(), leaves, groups, new: Vec::new(), rows: 0 })
    }

    pub fn output(&mut self) -> &mut Vec<u8> {
        self.writer.inner_mut()
    }

    /// Adds the new columns of the next rows.
    ///
    /// # Errors
    /// They cannot be written, or a file cannot be read again.
    pub fn write(&mut self, batch: &RecordBatch) -> Result<()> {
        let mut at = 0;
        while at < batch.num_rows() {
            let Some(group) = self.groups.front() else {
                return Err(ParquetError::General("the input has more rows than before".to_owned()));
            };
            let all = group.rows;
            let rows = (all - self.rows).min(batch.num_rows() - at);
            if rows > 0 {
                if self.new.is_empty() {
                    self.new = self.new_columns()?;
                }
                let batch = batch.slice(at, rows);
                // A list of structs has a writer for each of its leaves.
                let mut writers = self.new.iter_mut();
                for (field, array) in batch.schema_ref().fields().iter().zip(batch.columns()) {
                    let leaves = compute_leaves(field, array)?;
                    leaves.iter().zip(writers.by_ref()).try_for_each(|(leaf, writer)| writer.write(leaf))?;
                }
            }
            (self.rows, at) = (self.rows + rows, at + rows);
            if self.rows == all {
                self.end_group()?;
            }
        }
        Ok(())
    }

    fn new_columns(&self) -> Result<Vec<ArrowColumnWriter>> {
        let mut all = self.factory.create_column_writers(self.writer.flushed_row_groups().len())?.into_iter();
        let mut new = Vec::new();
        for (column, leaves) in self.columns.iter().zip(&self.leaves) {
            let of_column = all.by_ref().take(*leaves).collect::<Vec<_>>();
            if column.is_none() {
                new.extend(of_column);
            }
        }
        Ok(new)
    }

    fn end_group(&mut self) -> Result<()> {
        let Some(Group { file, index, rows }) = self.groups.pop_front() else { return Ok(()) };
        self.rows = 0;
        if rows == 0 {
            return Ok(());
        }
        let mut new = std::mem::take(&mut self.new).into_iter();
        let metadata = file.metadata.metadata();
        let chunks = metadata.row_group(index).columns();
        let (root_of, descriptor) = (file.metadata.parquet_schema(), metadata.file_metadata().schema_descr());
        let mut group = self.writer.next_row_group()?;
        for (column, leaves) in self.columns.iter().zip(&self.leaves) {
            match column {
                Some(column) => {
                    let of_column = (0..descriptor.num_columns()).filter(|leaf| root_of.get_column_root_idx(*leaf) == *column);
                    for chunk in of_column.map(|leaf| &chunks[leaf]) {
                        let close = ColumnCloseResult {
                            bytes_written: chunk.compressed_size().max(0) as u64,
                            rows_written: rows as u64,
                            metadata: chunk.clone(),
                            bloom_filter: None,
                            column_index: None,
                            offset_index: None,
                        };
                        group.append_column(&file.file, close)?;
                    }
                }
                None => {
                    for writer in new.by_ref().take(*leaves) {
                        writer.close()?.append_to_row_group(&mut group)?;
                    }
                }
            }
        }
        group.close()?;
        Ok(())
    }

    /// Ends the file.
    ///
    /// # Errors
    /// Rows are missing.
    pub fn finish(mut self) -> Result<Vec<u8>> {
        while self.groups.front().is_some_and(|group| group.rows == 0) {
            self.groups.pop_front();
        }
        if !self.groups.is_empty() {
            return Err(ParquetError::General("the input has fewer rows than before".to_owned()));
        }
        self.writer.into_inner()
    }
}

fn leaves(of: &Type) -> usize {
    if of.is_primitive() { 1 } else { of.get_fields().iter().map(|of| leaves(of)).sum() }
}
