//! How a table is written down.

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

/// The delimiter that is given in words.
///
/// # Errors
/// Where it cannot be one.
pub fn delimiter(given: &str) -> Result<u8, Error> {
    given_delimiter(given).ok_or_else(|| Error::BadDelimiter { given: given.to_owned() })
}

fn given_delimiter(given: &str) -> Option<u8> {
    match (given, given.as_bytes()) {
        ("tab" | "\\t", _) => Some(b'\t'),
        (_, [b'"' | b'\n' | b'\r']) => None,
        (_, [byte]) if byte.is_ascii() => Some(*byte),
        _ => None,
    }
}
