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
    /// Whether nobody said the delimiter, and it is not the usual one.
    pub is_guessed: bool,
}

impl Dialect {
    /// The delimiter that is given for a file, or that its ending says: the tab for `.tsv` and `.tab`, the bar for `.psv`; `None`
    /// where neither says one.
    ///
    /// # Errors
    /// Where the delimiter given cannot be one.
    pub fn delimiter_of(delimiter: Option<&str>, path: Option<&Path>) -> Result<Option<u8>, Error> {
        if let Some(given) = delimiter {
            return given_delimiter(given).map(Some).ok_or_else(|| Error::BadDelimiter { given: given.to_owned() });
        }
        let ending = path.and_then(Path::extension).map(|ending| ending.to_ascii_lowercase());
        Ok(match ending.as_ref().and_then(|ending| ending.to_str()) {
            Some("tsv" | "tab") => Some(b'\t'),
            Some("psv") => Some(b'|'),
            _ => None,
        })
    }
}

fn given_delimiter(given: &str) -> Option<u8> {
    match (given, given.as_bytes()) {
        ("tab" | "\\t", _) => Some(b'\t'),
        (_, [b'"' | b'\n' | b'\r']) => None,
        (_, [byte]) if byte.is_ascii() => Some(*byte),
        _ => None,
    }
}
