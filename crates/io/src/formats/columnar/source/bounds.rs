//! Estimates the memory for rows of a Parquet file before decoding.
//!
//! A small file can need much memory: pages are compressed, and decoding copies a long dictionary text to each of its rows. This module
//! reads the page headers first (parquet.thrift, `PageHeader`).

use std::sync::Arc;

use arrow_schema::ArrowError;
use parquet::basic::{Encoding, Type};
use parquet::column::page::{Page, PageReader};
use parquet::file::metadata::{ColumnChunkMetaData, ParquetMetaData, RowGroupMetaData};
use parquet::file::reader::{ChunkReader, SerializedPageReader};

use crate::formats::columnar::source::thrift::Thrift;

const SHARE: usize = 8;
/// Bytes to read for a page header at first, and at most.
const HEADER: usize = 512;
const MOST_HEADER: usize = 1 << 20;

#[derive(Debug, PartialEq, Eq)]
struct PageHeader {
    width: usize,
    is_dictionary: bool,
    unpacked: u64,
    packed: u64,
}

/// The maximum number of rows per batch, at least 1, for a share of `memory` bytes. Only leaf columns with `is_needed` count.
///
/// # Errors
/// A page or a row group takes more than the memory.
pub fn rows<R: ChunkReader + 'static>(
    reader: &Arc<R>,
    metadata: &ParquetMetaData,
    is_needed: impl Fn(usize) -> bool,
    memory: usize,
) -> Result<usize, ArrowError> {
    let share = memory / SHARE;
    let mut widest = 0_usize;
    for group in metadata.row_groups() {
        let mut width = 0_usize;
        for (_, column) in group.columns().iter().enumerate().filter(|(leaf, _)| is_needed(*leaf)) {
            width = width.saturating_add(widest_value(reader, group, column, (memory, share))?);
        }
        widest = widest.max(width);
    }
    Ok((share / widest.max(1)).max(1))
}

/// The size of the longest value of a column, or 0 if no value can be much longer than the others.
fn widest_value<R: ChunkReader + 'static>(
    reader: &Arc<R>,
    group: &RowGroupMetaData,
    column: &ColumnChunkMetaData,
    (memory, share): (usize, usize),
) -> Result<usize, ArrowError> {
    let broken = || ArrowError::ParquetError("a page has a wrong position".to_owned());
    let too_large = |bytes: u64| {
        let path = column.column_path().string();
        ArrowError::MemoryError(format!("a page of its column {path} decompresses to {bytes} bytes, and the limit is {memory}"))
    };
    let (mut at, length) = column.byte_range();
    let end = at.saturating_add(length);
    let (mut largest, mut dictionary) = (0_u64, 0_u64);
    while at < end {
        let header = header(&**reader, at, end).ok_or_else(broken)?;
        if header.unpacked > memory as u64 {
            return Err(too_large(header.unpacked));
        }
        match header.is_dictionary {
            true => dictionary = header.unpacked,
            false => largest = largest.max(header.unpacked),
        }
        at = at.saturating_add(header.width as u64).saturating_add(header.packed);
    }
    let has_texts = matches!(column.column_type(), Type::BYTE_ARRAY);
    let total = column.unencoded_byte_array_data_bytes().and_then(|bytes| usize::try_from(bytes).ok());
    // The whole row group fits into the share of one batch.
    if !has_texts || total.is_some_and(|total| total <= share) {
        return Ok(0);
    }
    let shares_prefixes = column.encodings().any(|encoding| encoding == Encoding::DELTA_BYTE_ARRAY);
    let of_pages = if shares_prefixes { largest as usize } else { 0 };
    // The worst case: the longest text in every row.
    let rows = usize::try_from(group.num_rows()).unwrap_or(usize::MAX);
    if dictionary as usize <= share / rows.clamp(1, 4096) {
        return Ok(of_pages);
    }
    let pages = SerializedPageReader::new(Arc::clone(reader), column, rows, None);
    let page = pages.and_then(|mut pages| pages.get_next_page())?;
    Ok(of_pages.max(page.map_or(0, |page| longest(&page))))
}

fn longest(page: &Page) -> usize {
    let Page::DictionaryPage { buf, .. } = page else { return 0 };
    let (mut rest, mut longest) = (&buf[..], 0);
    while let Some((length, values)) = rest.split_first_chunk::<4>() {
        let length = u32::from_le_bytes(*length) as usize;
        longest = longest.max(length.min(values.len()));
        rest = values.get(length..).unwrap_or_default();
    }
    longest
}

fn header<R: ChunkReader>(reader: &R, at: u64, end: u64) -> Option<PageHeader> {
    let mut width = HEADER;
    loop {
        let available = usize::try_from(end - at).unwrap_or(usize::MAX).min(width);
        let bytes = reader.get_bytes(at, available).ok()?;
        match page_header(&mut Thrift::new(&bytes)) {
            Some(header) => return Some(header),
            None if available < width || width >= MOST_HEADER => return None,
            None => width *= 4,
        }
    }
}

fn page_header(thrift: &mut Thrift) -> Option<PageHeader> {
    let (mut kind, mut unpacked, mut packed) = (None, None, None);
    thrift.fields(&mut |thrift, field, of| {
        let place = match (field, of) {
            (1, 5) => &mut kind,
            (2, 5) => &mut unpacked,
            (3, 5) => &mut packed,
            _ => return Some(false),
        };
        *place = Some(thrift.count()?);
        Some(true)
    })?;
    Some(PageHeader { width: thrift.at, is_dictionary: kind? == 2, unpacked: unpacked?, packed: packed? })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn headers_with_further_content() {
        // The kind, both sizes, a struct with a number, a text, a list and a boolean, and a checksum.
        let bytes =
            [0x15, 4, 0x15, 0xC8, 1, 0x15, 60, 0x4C, 0x15, 2, 0x18, 2, b'a', b'b', 0x19, 0x25, 2, 4, 0x11, 0, 0x05, 8, 2, 0, 9];
        let header = page_header(&mut Thrift::new(&bytes));
        assert_eq!(header, Some(PageHeader { width: 24, is_dictionary: true, unpacked: 100, packed: 30 }));
        for short in 0..24 {
            assert_eq!(page_header(&mut Thrift::new(&bytes[..short])), None, "{short} bytes");
        }
        assert_eq!(page_header(&mut Thrift::new(&[0x15, 0, 0x15, 1, 0x15, 2, 0])), None, "a negative size");
        assert_eq!(page_header(&mut Thrift::new(&[0x1C; 100])), None, "structures without end");
    }
}
