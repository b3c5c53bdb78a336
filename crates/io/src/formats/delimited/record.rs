//! Parses a single row in a simple way: for the header, and as a reference for the structural index.

use std::borrow::Cow;
use std::ops::Range;

use keen_notch_core::text::bytes::{any_word, eight, has, position_of_two};

#[inline]
pub fn needs_quotes(bytes: &[u8], delimiter: u8) -> bool {
    const QUOTE: u64 = eight(b'"');
    const FEED: u64 = eight(b'\n');
    const RETURN: u64 = eight(b'\r');
    let delimiters = eight(delimiter);
    any_word(bytes, |word| has(word, delimiters) | has(word, QUOTE) | has(word, FEED) | has(word, RETURN) != 0)
}

#[derive(Debug, Clone, Copy)]
pub struct Record<'b> {
    /// The row without its line end.
    pub raw: &'b str,
    /// Its line end: `
    /// `, `\r
    /// `, or empty at the end of the input.
    pub line_end: &'b str,
    cells: &'b [Range<usize>],
}

#[derive(Debug, Default)]
pub struct Cells(Vec<Range<usize>>);

impl<'b> Record<'b> {
    /// Parses the row at byte `at` of `block`.
    ///
    /// A cell that begins with a quote is quoted: everything up to the closing quote is text, and two quotes stand for one. Text between
    /// a closing quote and the next delimiter also belongs to the cell. Any other quote is text.
    pub fn read(block: &'b str, at: usize, delimiter: u8, cells: &'b mut Cells) -> Record<'b> {
        let text = &block[at..];
        let bytes = text.as_bytes();
        cells.0.clear();
        let mut start = 0;
        loop {
            let is_quoted = bytes.get(start) == Some(&b'"');
            let from = if is_quoted { after_quotes(bytes, start) } else { start };
            let stop = position_of_two(delimiter, b'\n', &bytes[from..]).map_or(bytes.len(), |n| from + n);
            if bytes.get(stop) == Some(&delimiter) {
                cells.0.push(start..stop);
                start = stop + 1;
                continue;
            }
            let end = if stop > from && stop < bytes.len() && bytes[stop - 1] == b'\r' { stop - 1 } else { stop };
            cells.0.push(start..end);
            let line_end = &text[end..(stop + 1).min(text.len())];
            return Record { raw: &text[..end], line_end, cells: &cells.0 };
        }
    }

    pub fn count(&self) -> usize {
        self.cells.len()
    }

    /// Its size in bytes, with the line end.
    pub fn width(&self) -> usize {
        self.raw.len() + self.line_end.len()
    }

    pub fn is_blank_line(&self) -> bool {
        self.raw.is_empty()
    }

    /// The raw bytes of the cell `index`, from 0, with quotes.
    pub fn raw_cell(&self, index: usize) -> &'b str {
        self.cells.get(index).map_or("", |cell| &self.raw[cell.clone()])
    }

    pub fn owned_value(&self, index: usize) -> String {
        value(self.raw_cell(index)).into_owned()
    }
}

fn after_quotes(bytes: &[u8], start: usize) -> usize {
    let mut at = start + 1;
    loop {
        match memchr::memchr(b'"', &bytes[at..]) {
            // Blocks end with rows, so an unclosed quote was rejected before.
            None => return bytes.len(),
            Some(found) if bytes.get(at + found + 1) == Some(&b'"') => at += found + 2,
            Some(found) => return at + found + 1,
        }
    }
}

/// Whether a cell is quoted from its first byte to its last, with every inner quote doubled.
pub fn is_in_quotes(cell: &[u8]) -> bool {
    let [b'"', inner @ .., b'"'] = cell else { return false };
    let mut rest = inner;
    while let Some(quote) = memchr::memchr(b'"', rest) {
        if rest.get(quote + 1) != Some(&b'"') {
            return false;
        }
        rest = &rest[quote + 2..];
    }
    true
}

pub fn value(cell: &str) -> Cow<'_, str> {
    let Some(inner) = cell.strip_prefix('"') else { return Cow::Borrowed(cell) };
    let mut value = String::new();
    unquote(inner, &mut value);
    Cow::Owned(value)
}

/// Appends the text of a quoted cell to `value`; `inner` is the text after the opening quote.
pub fn unquote(inner: &str, value: &mut String) {
    value.clear();
    let mut rest = inner;
    while let Some(quote) = rest.find('"') {
        value.push_str(&rest[..quote]);
        rest = &rest[quote + 1..];
        match rest.strip_prefix('"') {
            Some(after) => {
                value.push('"');
                rest = after;
            }
            None => break,
        }
    }
    value.push_str(rest);
}

#[cfg(test)]
pub fn values(row: &str) -> Vec<String> {
    let mut cells = Cells::default();
    let record = Record::read(row, 0, b',', &mut cells);
    (0..record.count()).map(|index| record.owned_value(index)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_read() {
        for (row, expected, line_end) in [
            ("a,b\n", vec!["a", "b"], "\n"),
            ("a,b\r\nc", vec!["a", "b"], "\r\n"),
            ("a,b", vec!["a", "b"], ""),
            ("a,b\r", vec!["a", "b\r"], ""),
            (",\n", vec!["", ""], "\n"),
            ("\n", vec![""], "\n"),
            ("\r\n", vec![""], "\r\n"),
            ("\"a,b\",\"\"\n", vec!["a,b", ""], "\n"),
            ("\"a\r\n\"\"b\"\"\",c\r\n", vec!["a\r\n\"b\"", "c"], "\r\n"),
            ("\"a\"b,5\" pipe\n", vec!["ab", "5\" pipe"], "\n"),
            ("\"a\"b\"c\",x\n", vec!["ab\"c\"", "x"], "\n"),
            ("\"x\"\r\n", vec!["x"], "\r\n"),
        ] {
            assert_eq!(values(row), expected, "{row:?}");
            let mut cells = Cells::default();
            assert_eq!(Record::read(row, 0, b',', &mut cells).line_end, line_end, "{row:?}");
        }
    }
}
