//! Telling what is no text by its first bytes, where its name said nothing of it.

use std::io::{Cursor, Read};

use crate::Error;

/// What files begin with, what they are, and what is to be said of them for them to be read, where they can be.
const SIGNS: [(&[u8], &str, Option<&str>); 8] = [
    (b"\x1F\x8B\x08", "compressed with gzip", Some("csv.gz")),
    (b"\x28\xB5\x2F\xFD", "compressed with zstd", Some("csv.zst")),
    (b"\xFD7zXZ\0", "compressed with xz", None),
    (b"BZh91AY&SY", "compressed with bzip2", None),
    (b"PK\x03\x04", "a workbook or another archive in zip format", Some("xlsx")),
    (b"\xD0\xCF\x11\xE0\xA1\xB1\x1A\xE1", "a workbook or another document in an old binary format", Some("xls")),
    (b"PAR1\x15", "Parquet", Some("parquet")),
    (b"ARROW1\0\0", "Arrow", Some("arrow")),
];

/// The longest of them, in bytes.
const LONGEST: usize = 10;

/// Looks at the first bytes of what is to be read as text, and gives all of it.
///
/// # Errors
/// Where it cannot be read, or these are not those of a text.
pub fn refused(name: &str, mut reader: Box<dyn Read + Send>) -> Result<Box<dyn Read + Send>, Error> {
    let mut start = Vec::with_capacity(LONGEST);
    let read = reader.by_ref().take(LONGEST as u64).read_to_end(&mut start);
    read.map_err(|error| Error::of_reading(name, error))?;
    match SIGNS.iter().find(|(sign, ..)| start.starts_with(sign)) {
        Some((_, found, from)) => Err(Error::NoText { name: name.to_owned(), found, from: *from }),
        None => Ok(Box::new(Cursor::new(start).chain(reader))),
    }
}
