use crate::Error;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Dialect {
    /// The delimiter: ASCII, not a quote or line break.
    pub delimiter: u8,
    pub header: bool,
    /// Whether the delimiter was detected and is not the usual one.
    pub is_guessed: bool,
}

/// Parses a delimiter option.
///
/// # Errors
/// It is invalid.
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
