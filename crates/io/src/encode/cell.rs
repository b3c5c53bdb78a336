//! Writing one cell of a delimited text.

use keen_notch_core::batch::Buffer;
use keen_notch_core::text::bytes::{any_word, eight, has};

/// Whether a cell needs quotes.
#[inline]
pub fn needs_quotes(bytes: &[u8], delimiter: u8) -> bool {
    const QUOTE: u64 = eight(b'"');
    const FEED: u64 = eight(b'\n');
    const RETURN: u64 = eight(b'\r');
    let delimiters = eight(delimiter);
    any_word(bytes, |word| has(word, delimiters) | has(word, QUOTE) | has(word, FEED) | has(word, RETURN) != 0)
}

/// Writes a cell after `out`, in quotes only if it needs them.
pub fn push_cell(out: &mut Buffer, bytes: &[u8], delimiter: u8) {
    if !needs_quotes(bytes, delimiter) {
        out.extend(bytes);
        return;
    }
    out.push(b'"');
    let mut rest = bytes;
    while let Some(quote) = memchr::memchr(b'"', rest) {
        out.extend(&rest[..=quote]);
        out.push(b'"');
        rest = &rest[quote + 1..];
    }
    out.extend(rest);
    out.push(b'"');
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::delimited::record::values;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn cells_that_are_written_are_read_again(texts in proptest::collection::vec("[a,\"\r\né -]{0,6}", 1..5)) {
            let mut row = Buffer::default();
            for (index, text) in texts.iter().enumerate() {
                if index > 0 {
                    row.push(b',');
                }
                push_cell(&mut row, text.as_bytes(), b',');
            }
            row.push(b'\n');
            prop_assert_eq!(values(row.text()), texts);
        }
    }
}
