//! How a table is written down.

use std::path::Path;

use crate::Error;

/// How a table is written down.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Dialect {
    /// The byte between two cells; ASCII, and neither a quote nor a line break.
    pub delimiter: u8,
    /// Whether the first row holds the names of the columns.
    pub header: bool,
}

impl Dialect {
    /// The dialect for a file: the delimiter given, or the tab for `.tsv` and `.tab`, or else the comma.
    ///
    /// # Errors
    /// Where the delimiter given cannot be one.
    pub fn new(delimiter: Option<&str>, path: Option<&Path>, header: bool) -> Result<Dialect, Error> {
        let delimiter = match delimiter {
            Some(given) => delimiter_of(given).ok_or_else(|| Error::BadDelimiter { given: given.to_owned() })?,
            None => match path.and_then(Path::extension) {
                Some(ending) if ending.eq_ignore_ascii_case("tsv") || ending.eq_ignore_ascii_case("tab") => b'\t',
                _ => b',',
            },
        };
        Ok(Dialect { delimiter, header })
    }
}

fn delimiter_of(given: &str) -> Option<u8> {
    match (given, given.as_bytes()) {
        ("tab" | "\\t", _) => Some(b'\t'),
        (_, [b'"' | b'\n' | b'\r']) => None,
        (_, [byte]) if byte.is_ascii() => Some(*byte),
        _ => None,
    }
}
