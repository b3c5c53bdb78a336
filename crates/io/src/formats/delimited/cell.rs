//! Cells of delimited text, with quotes if necessary.

use crate::encode::out::Extend;
use crate::formats::delimited::record::needs_quotes;

pub fn push_cell(out: &mut impl Extend, bytes: &[u8], delimiter: u8) {
    match needs_quotes(bytes, delimiter) {
        true => push_quoted(out, bytes),
        false => out.extend(bytes),
    }
}

pub fn push_quoted(out: &mut impl Extend, bytes: &[u8]) {
    out.extend(b"\"");
    let mut rest = bytes;
    while let Some(quote) = memchr::memchr(b'"', rest) {
        out.extend(&rest[..=quote]);
        out.extend(b"\"");
        rest = &rest[quote + 1..];
    }
    out.extend(rest);
    out.extend(b"\"");
}

#[cfg(test)]
mod tests {
    use keen_notch_core::batch::Buffer;

    use super::*;
    use crate::formats::delimited::record::values;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn written_cells_are_read_again(texts in proptest::collection::vec("[a,\"\r\né -]{0,6}", 1..5)) {
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
