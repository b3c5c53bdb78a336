use keen_notch_core::batch::Buffer;

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

pub fn push_row<'c>(out: &mut Buffer, cells: impl IntoIterator<Item = &'c str>, delimiter: u8) {
    for (index, cell) in cells.into_iter().enumerate() {
        if index > 0 {
            out.push(delimiter);
        }
        push_cell(out, cell.as_bytes(), delimiter);
    }
    out.push(b'\n');
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::formats::delimited::record::values;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn written_cells_are_read_again(texts in proptest::collection::vec("[a,\"\r\né -]{0,6}", 1..5)) {
            let mut row = Buffer::default();
            push_row(&mut row, texts.iter().map(String::as_str), b',');
            prop_assert_eq!(values(row.text()), texts);
        }
    }
}
