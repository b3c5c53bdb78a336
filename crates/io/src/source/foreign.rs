//! Recognises other formats and encodings by the first bytes of an input.

use std::io::{Cursor, Read};

use crate::Error;

/// First bytes of files, their format, and the option value to read them, if supported.
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

const LONGEST: usize = 10;

/// Examines the first bytes of a text input. Returns a reader over the whole input.
///
/// # Errors
/// It cannot be read, or is not text.
pub fn refused(name: &str, mut reader: Box<dyn Read + Send>) -> Result<Box<dyn Read + Send>, Error> {
    let mut start = Vec::with_capacity(LONGEST);
    let read = reader.by_ref().take(LONGEST as u64).read_to_end(&mut start);
    read.map_err(|error| Error::of_reading(name, error))?;
    match SIGNS.iter().find(|(sign, ..)| start.starts_with(sign)) {
        Some((_, found, from)) => Err(Error::NoText { name: name.to_owned(), found, from: *from }),
        None => Ok(Box::new(Cursor::new(start).chain(reader))),
    }
}

/// Detects UTF-16 without a byte-order mark. Every ASCII character must have its zero byte on the same side, and the bytes must be
/// invalid UTF-8 or have a control character in every pair.
pub fn utf16(start: &[u8]) -> Option<&'static str> {
    let (pairs, _) = start.as_chunks::<2>();
    if pairs.len() < 2 {
        return None;
    }
    let zeros = |side: usize| pairs.iter().filter(|pair| pair[side] == 0).count();
    let (encoding, unit): (_, fn([u8; 2]) -> u16) = match (zeros(0), zeros(1)) {
        (0, 1..) => ("utf-16le", u16::from_le_bytes),
        (1.., 0) => ("utf-16be", u16::from_be_bytes),
        _ => return None,
    };
    let is_text = |pair: &[u8; 2]| !matches!(unit(*pair), 0..=8 | 11 | 12 | 14..=31);
    let has_control = |pair: &[u8; 2]| pair.iter().any(|byte| matches!(byte, 0..=8 | 11 | 12 | 14..=31));
    // A character at the end may be incomplete.
    let is_utf8 = str::from_utf8(start).map_or_else(|error| error.error_len().is_none(), |_| true);
    (pairs.iter().all(is_text) && (!is_utf8 || pairs.iter().all(has_control))).then_some(encoding)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn utf16_is_detected_by_its_zeros() {
        let bytes = |text: &str, unit: fn(u16) -> [u8; 2]| text.encode_utf16().flat_map(unit).collect::<Vec<u8>>();
        for text in ["part_code,depot\nGRP-1,East\n", "код,место\nА1,Б2", "東,京\n"] {
            assert_eq!(utf16(&bytes(text, u16::to_le_bytes)), Some("utf-16le"), "{text}");
            assert_eq!(utf16(&bytes(text, u16::to_be_bytes)), Some("utf-16be"), "{text}");
            assert_eq!(utf16(text.as_bytes()), None, "{text}");
        }
        for other in [&b""[..], b"a", b"a\0b", b"\0\0\0\0", b"a\0\x01\0", b"code\nGRP-1\nx\0y\n", b"crew_id,name\0,em"] {
            assert_eq!(utf16(other), None, "{other:?}");
        }
    }
}
