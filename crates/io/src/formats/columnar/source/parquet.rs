use std::fs::File;
use std::io::BufReader;
use std::sync::Arc;

use arrow_schema::ArrowError;
use bytes::Bytes;
use parquet::arrow::ProjectionMask;
use parquet::arrow::arrow_reader::ParquetRecordBatchReaderBuilder;
use parquet::basic::{Compression, Encoding, EncodingMask};
use parquet::errors::Result as ParquetResult;
use parquet::file::metadata::{ColumnChunkMetaData, ParquetMetaData};
use parquet::file::reader::{ChunkReader, Length};

use crate::Error;
use crate::Remedy;
use crate::formats::columnar::source::bounds;
use crate::formats::columnar::source::rows::{Batches, OpenColumnarFile, rows_of};
use crate::formats::columnar::source::thrift::Thrift;
use crate::formats::columnar::{ColumnPlan, Plan, parquet_metadata};
use crate::guarded::guarded;
use crate::source::Reading;
use crate::source::input::Input;
use crate::source::meter::{Meter, MeteredReader};

/// Opens an input and reads its footer.
///
/// # Errors
/// It cannot be read, or is not Parquet.
pub fn open(input: &Input, reading: &Reading) -> Result<OpenColumnarFile, Error> {
    match input.path().filter(|_| !input.is_read_once() && reading.compression(input).is_none()) {
        Some(path) => {
            let failed = |source| Error::Read { name: input.name(), source };
            let file = File::open(path).map_err(failed)?;
            if file.metadata().map_err(failed)?.is_dir() {
                return Err(Error::Folder { name: input.name() });
            }
            open_reader(input.name(), MeteredFile { reader: file, meter: Arc::clone(&reading.meter) }, reading.memory)
        }
        None => {
            let bytes = Bytes::from(input.read_whole(reading)?);
            open_reader(input.name(), MeteredFile { reader: bytes, meter: Arc::default() }, reading.memory)
        }
    }
}

fn open_reader<R: Again + 'static>(name: String, reader: MeteredFile<R>, memory: usize) -> Result<OpenColumnarFile, Error> {
    if reader.reader.len() == 0 {
        return Err(Error::Empty { name });
    }
    let broken = |why: &str, help: Remedy| Error::BadFile { name: name.clone(), why: why.to_owned(), help };
    let start = reader.reader.get_bytes(0, 4.min(reader.reader.len() as usize)).unwrap_or_default();
    let again = reader.reader.again().map_err(|source| Error::Read { name: name.clone(), source })?;
    if *start == *b"PARE" || (*start == *b"PAR1" && has_encrypted_columns(&reader)) {
        return Err(broken("it is encrypted", "save it without encryption".into()));
    }
    if *start != *b"PAR1" {
        return Err(broken("it is not Parquet", Remedy::NameFormat));
    }
    let builder = guarded(|| -> ParquetResult<_> {
        let metadata = parquet_metadata(&reader)?;
        Ok(ParquetRecordBatchReaderBuilder::new_with_metadata(reader, metadata))
    });
    let builder = match builder {
        Some(Ok(builder)) => builder,
        Some(Err(_)) | None => return Err(broken("it is truncated or damaged", "get a new copy of it".into())),
    };
    let metadata = Arc::clone(builder.metadata());
    if let Some(codec) = unknown_codec(&metadata) {
        return Err(Error::BadFile {
            name,
            why: format!("its columns are compressed with {codec}"),
            help: "write it with zstd, gzip, snappy or lz4".into(),
        });
    }
    let (schema, plan) = (Arc::clone(builder.schema()), plan(&metadata));
    let begin = move |needed: Option<&[usize]>| -> Result<Batches, ArrowError> {
        let mask = match needed {
            Some(needed) => ProjectionMask::roots(builder.parquet_schema(), needed.iter().copied()),
            None => ProjectionMask::all(),
        };
        let most = bounds::rows(&Arc::new(again), &metadata, |leaf| mask.leaf_included(leaf), memory)?;
        let (rows, bytes) = sizes(&metadata);
        let rows = rows_of(bytes / rows.max(1)).min(most);
        let reader = builder.with_projection(mask).with_batch_size(rows).build().map_err(ArrowError::from)?;
        Ok(Box::new(reader))
    };
    Ok(OpenColumnarFile { schema, plan, begin: Box::new(begin), is_projected: true })
}

/// Whether a file with a plaintext footer has encrypted columns: field 8 of `FileMetaData` in parquet.thrift.
fn has_encrypted_columns(reader: &impl ChunkReader) -> bool {
    let footer = || {
        let end = reader.len().checked_sub(8)?;
        let length = reader.get_bytes(end, 4).ok()?;
        let length = u32::from_le_bytes(length.first_chunk().copied()?).into();
        reader.get_bytes(end.checked_sub(length)?, usize::try_from(length).ok()?).ok()
    };
    let Some(footer) = footer() else { return false };
    let mut is_encrypted = false;
    let whole = Thrift::new(&footer).fields(&mut |_, field, _| {
        is_encrypted |= field == 8;
        Some(false)
    });
    whole.is_some() && is_encrypted
}

fn sizes(metadata: &ParquetMetaData) -> (usize, usize) {
    let groups = metadata.row_groups();
    let rows: i64 = groups.iter().map(|group| group.num_rows().max(0)).sum();
    let bytes: i64 = groups.iter().map(|group| group.total_byte_size().max(0)).sum();
    (usize::try_from(rows).unwrap_or_default(), usize::try_from(bytes).unwrap_or_default())
}

fn unknown_codec(metadata: &ParquetMetaData) -> Option<&'static str> {
    let mut codecs = metadata.row_groups().iter().flat_map(|group| group.columns()).map(|column| column.compression());
    codecs.find_map(|codec| match codec {
        Compression::BROTLI(_) => Some("Brotli"),
        Compression::LZO => Some("LZO"),
        _ => None,
    })
}

fn plan(metadata: &ParquetMetaData) -> Plan {
    let groups = metadata.row_groups();
    let most = groups.iter().filter_map(|group| usize::try_from(group.num_rows()).ok()).max();
    let columns = groups.first().map(|group| group.columns()).unwrap_or_default();
    let column = |column: &ColumnChunkMetaData| ColumnPlan {
        path: column.column_path().parts().to_vec(),
        compression: match column.compression() {
            Compression::UNCOMPRESSED => "none",
            Compression::GZIP(_) => "gzip",
            Compression::ZSTD(_) => "zstd",
            Compression::LZ4_RAW | Compression::LZ4 => "lz4",
            _ => "snappy",
        }
        .to_owned(),
        has_dictionary: column.dictionary_page_offset().is_some() && !gave_dictionary_up(column),
        has_bloom_filter: column.bloom_filter_offset().is_some(),
    };
    Plan { group_rows: most.filter(|_| groups.len() > 1), columns: columns.iter().map(column).collect(), copies: None }
}

fn gave_dictionary_up(column: &ColumnChunkMetaData) -> bool {
    let is_dictionary =
        |encodings: &EncodingMask| encodings.is_only(Encoding::RLE_DICTIONARY) || encodings.is_only(Encoding::PLAIN_DICTIONARY);
    column.page_encoding_stats_mask().is_some_and(|encodings| !is_dictionary(encodings))
}

/// A file that another reader can read at the same time.
trait Again: ChunkReader + Sized {
    fn again(&self) -> std::io::Result<Self>;
}

impl Again for File {
    fn again(&self) -> std::io::Result<File> {
        self.try_clone()
    }
}

impl Again for Bytes {
    fn again(&self) -> std::io::Result<Bytes> {
        Ok(self.clone())
    }
}

struct MeteredFile<R> {
    reader: R,
    meter: Arc<Meter>,
}

impl<R: Length> Length for MeteredFile<R> {
    fn len(&self) -> u64 {
        self.reader.len()
    }
}

impl<R: ChunkReader> ChunkReader for MeteredFile<R> {
    type T = BufReader<MeteredReader<R::T>>;

    fn get_read(&self, start: u64) -> ParquetResult<Self::T> {
        Ok(BufReader::new(MeteredReader { reader: self.reader.get_read(start)?, meter: Arc::clone(&self.meter) }))
    }

    fn get_bytes(&self, start: u64, length: usize) -> ParquetResult<Bytes> {
        let bytes = self.reader.get_bytes(start, length)?;
        self.meter.add_bytes(bytes.len() as u64);
        Ok(bytes)
    }
}
