//! One row: where its cells stand, and their values.

use std::ops::Range;

use keen_notch_core::text::buffer::Buffer;
use keen_notch_core::text::bytes::{any_word, eight, has, position_of_two};

/// One row as it stands in its block.
#[derive(Debug, Clone, Copy)]
pub struct Record<'b> {
    /// The row without its line end.
    pub raw: &'b str,
    /// Its line end: `\n`, `\r\n`, or nothing at the end of the input.
    pub line_end: &'b str,
    cells: &'b [Cell],
}

/// Where one cell stands in the raw row.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Cell {
    /// Its bytes, quotes included.
    range: Range<usize>,
    form: Form,
}

/// How a cell is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Form {
    /// As it is.
    Bare,
    /// Between two quotes, with none in it.
    Quoted,
    /// With quotes that stand for others or that are in the way: its value has to be written anew.
    Escaped,
}

/// Room for the cells of a row, reused from row to row.
#[derive(Debug, Default)]
pub struct Cells(Vec<Cell>);

impl<'b> Record<'b> {
    /// Reads the row that begins at byte `at` of `block`.
    ///
    /// A cell that begins with a quote is quoted: up to the closing quote everything is text, and two
    /// quotes stand for one. What stands between a closing quote and the next delimiter belongs to the
    /// cell too, as it is. A quote anywhere else is text.
    pub fn read(block: &'b str, at: usize, delimiter: u8, cells: &'b mut Cells) -> Record<'b> {
        let text = &block[at..];
        let bytes = text.as_bytes();
        cells.0.clear();
        let mut start = 0;
        loop {
            let quoted = bytes.get(start) == Some(&b'"');
            let (from, escaped) = if quoted { behind_quotes(bytes, start) } else { (start, false) };
            let stop = position_of_two(delimiter, b'\n', &bytes[from..]).map_or(bytes.len(), |n| from + n);
            if bytes.get(stop) == Some(&delimiter) {
                cells.0.push(Cell { range: start..stop, form: form(quoted, escaped || stop > from) });
                start = stop + 1;
                continue;
            }
            let end = if stop > from && stop < bytes.len() && bytes[stop - 1] == b'\r' { stop - 1 } else { stop };
            cells.0.push(Cell { range: start..end, form: form(quoted, escaped || end > from) });
            let line_end = &text[end..(stop + 1).min(text.len())];
            return Record { raw: &text[..end], line_end, cells: &cells.0 };
        }
    }

    /// The number of its cells.
    pub fn count(&self) -> usize {
        self.cells.len()
    }

    /// How many bytes of the block it takes, its line end included.
    pub fn width(&self) -> usize {
        self.raw.len() + self.line_end.len()
    }

    /// Whether there is nothing on the line at all.
    pub fn is_blank_line(&self) -> bool {
        self.raw.is_empty()
    }

    /// The bytes of the cell `index` from 0 as they stand in the row, quotes included.
    pub fn raw_cell(&self, index: usize) -> &'b str {
        self.cells.get(index).map_or("", |cell| &self.raw[cell.range.clone()])
    }

    /// Makes the value of the cell `index` ready for [`Record::value`], in the room of its column.
    pub fn prepare(&self, index: usize, rooms: &mut Rooms) {
        if rooms.0.len() <= index {
            rooms.0.resize_with(index + 1, String::new);
        }
        if let Some(Cell { range, form: Form::Escaped }) = self.cells.get(index) {
            unquote(&self.raw[range.start + 1..range.end], &mut rooms.0[index]);
        }
    }

    /// The value of the cell `index`, which was prepared: without its quotes, and with two quotes within as
    /// one.
    pub fn value<'v>(&self, index: usize, rooms: &'v Rooms) -> &'v str
    where
        'b: 'v,
    {
        match self.cells.get(index) {
            None => "",
            Some(Cell { range, form: Form::Bare }) => &self.raw[range.clone()],
            Some(Cell { range, form: Form::Quoted }) => &self.raw[range.start + 1..range.end - 1],
            Some(Cell { form: Form::Escaped, .. }) => rooms.0.get(index).map_or("", String::as_str),
        }
    }

    /// The value of the cell `index` as a text of its own.
    pub fn owned_value(&self, index: usize) -> String {
        let mut rooms = Rooms::default();
        self.prepare(index, &mut rooms);
        self.value(index, &rooms).to_owned()
    }
}

/// Room for values that do not stand in their row as they are, one for each column, reused from row to row.
#[derive(Debug, Default)]
pub struct Rooms(Vec<String>);

fn form(quoted: bool, escaped: bool) -> Form {
    match (quoted, escaped) {
        (false, _) => Form::Bare,
        (true, false) => Form::Quoted,
        (true, true) => Form::Escaped,
    }
}

/// Behind the closing quote of the cell that opens at `start`, and whether there are quotes within.
fn behind_quotes(bytes: &[u8], start: usize) -> (usize, bool) {
    let mut at = start + 1;
    let mut escaped = false;
    loop {
        match memchr::memchr(b'"', &bytes[at..]) {
            // Blocks end with rows, so a quote that is never closed has been refused before.
            None => return (bytes.len(), true),
            Some(found) if bytes.get(at + found + 1) == Some(&b'"') => {
                at += found + 2;
                escaped = true;
            }
            Some(found) => return (at + found + 1, escaped),
        }
    }
}

/// Writes the text of a quoted cell to `room`: `inner` is what stands behind the opening quote.
fn unquote(inner: &str, room: &mut String) {
    room.clear();
    let mut rest = inner;
    while let Some(quote) = rest.find('"') {
        room.push_str(&rest[..quote]);
        rest = &rest[quote + 1..];
        match rest.strip_prefix('"') {
            Some(behind) => {
                room.push('"');
                rest = behind;
            }
            None => break,
        }
    }
    room.push_str(rest);
}

/// Writes a cell behind `out`, in quotes only if it needs them.
pub fn push_cell(out: &mut Buffer, bytes: &[u8], delimiter: u8) {
    const QUOTE: u64 = eight(b'"');
    const FEED: u64 = eight(b'\n');
    const RETURN: u64 = eight(b'\r');
    let delimiters = eight(delimiter);
    let needs_quotes =
        any_word(bytes, |word| has(word, delimiters) | has(word, QUOTE) | has(word, FEED) | has(word, RETURN) != 0);
    if !needs_quotes {
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
    use proptest::prelude::*;

    fn values(row: &str) -> Vec<String> {
        let mut cells = Cells::default();
        let record = Record::read(row, 0, b',', &mut cells);
        (0..record.count()).map(|index| record.owned_value(index)).collect()
    }

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
            prop_assert_eq!(values(std::str::from_utf8(row.bytes()).unwrap()), texts);
        }
    }
}
