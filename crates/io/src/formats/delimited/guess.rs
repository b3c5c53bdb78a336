//! Detects the delimiter: the comma, unless the header has none and one other mark divides the first rows into the same number of cells.

use std::io::{self, Cursor, Read};

use crate::formats::delimited::record::{Cells, Record};

const OTHERS: [u8; 3] = [b';', b'\t', b'|'];
const MOST_BYTES: usize = 64 << 10;
const MOST_ROWS: usize = 10;

/// The delimiter, from the first bytes or the whole text, if it is not the comma.
fn other_delimiter(start: &[u8], is_whole: bool) -> Option<u8> {
    let valid = match str::from_utf8(start) {
        Ok(text) => text,
        Err(error) => str::from_utf8(&start[..error.valid_up_to()]).unwrap_or_default(),
    };
    let text = valid.trim_start_matches('\u{feff}').trim_start_matches(['\r', '\n']);
    if text.lines().next().unwrap_or_default().contains(',') {
        return None;
    }
    let mut fitting = OTHERS.into_iter().filter(|delimiter| divides(text, *delimiter, is_whole));
    fitting.next().filter(|_| fitting.next().is_none())
}

/// Whether a mark divides the first rows into the same number of several cells.
fn divides(text: &str, delimiter: u8, is_whole: bool) -> bool {
    let (mut at, mut rows, mut wanted) = (0, 0, None);
    let mut cells = Cells::default();
    while at < text.len() && rows <= MOST_ROWS {
        let record = Record::read(text, at, delimiter, &mut cells);
        at += record.width();
        // The last row may be incomplete.
        if record.is_blank_line() || (record.line_end.is_empty() && !is_whole) {
            continue;
        }
        rows += 1;
        if *wanted.get_or_insert(record.count()) != record.count() {
            return false;
        }
    }
    wanted.is_some_and(|count| count > 1)
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Start {
    /// The delimiter of a first line `sep=;`.
    pub declared: Option<u8>,
    /// The detected delimiter, if it is not the comma.
    pub guessed: Option<u8>,
}

/// The delimiter of a line `sep=;`, which spreadsheets write and read.
pub fn separator(line: &str) -> Option<u8> {
    let line = line.strip_prefix('"').and_then(|line| line.strip_suffix('"')).unwrap_or(line);
    let (word, delimiter) = line.split_at_checked(4)?;
    match delimiter.as_bytes() {
        [byte] if word.eq_ignore_ascii_case("sep=") && byte.is_ascii() && !matches!(byte, b'"' | b'\n' | b'\r') => Some(*byte),
        _ => None,
    }
}

/// Reads the start of a text to find the delimiter. Returns a reader over the whole text.
///
/// # Errors
/// It cannot be read.
pub fn start(mut reader: Box<dyn Read + Send>) -> io::Result<(Start, Box<dyn Read + Send>)> {
    let mut start = Vec::new();
    let mut chunk = [0; 8 << 10];
    let mut is_whole = false;
    // Do not wait for slow input beyond the row after the header.
    while start.len() < MOST_BYTES && start.iter().filter(|byte| **byte == b'\n').count() < 2 {
        match reader.read(&mut chunk) {
            Ok(0) => {
                is_whole = true;
                break;
            }
            Ok(read) => start.extend_from_slice(&chunk[..read]),
            Err(error) if error.kind() == io::ErrorKind::Interrupted => {}
            Err(error) => return Err(error),
        }
    }
    let line = start.split(|byte| *byte == b'\n').next().unwrap_or_default();
    let line = str::from_utf8(line).unwrap_or_default().trim_start_matches('\u{feff}').trim_end_matches('\r');
    let declared = separator(line);
    let guessed = if declared.is_none() { other_delimiter(&start, is_whole) } else { None };
    Ok((Start { declared, guessed }, Box::new(Cursor::new(start).chain(reader))))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_first_line_can_set_the_delimiter() {
        for (line, expected) in [
            ("sep=;", Some(b';')),
            ("SEP=\t", Some(b'\t')),
            ("\"sep=|\"", Some(b'|')),
            ("sep=", None),
            ("sep=;;", None),
            ("sep=é", None),
            ("sep;x", None),
            ("séparé", None),
        ] {
            assert_eq!(separator(line), expected, "{line:?}");
        }
    }

    #[test]
    fn other_delimiters_are_taken_where_they_divide_all_rows_alike() {
        for (text, expected) in [
            ("code;site\nA;1\nB;2\n", Some(b';')),
            ("code;site\nA,1;x\n", Some(b';')),
            ("\u{feff}\r\ncode\tsite\nA\t1", Some(b'\t')),
            ("code|site\n\"A|1\"|2\n", Some(b'|')),
            ("code;site\n", Some(b';')),
            ("code,site;x\nA;1\n", None),
            ("code;site\nA;1;2\n", None),
            ("code;site\nA\n", None),
            ("a;b|c\n1;2|3\n", None),
            ("code\nA;1\n", None),
            ("code\nA\n", None),
            ("", None),
            ("a;b\n1;2\n\u{fffd}", None),
        ] {
            assert_eq!(other_delimiter(text.as_bytes(), true), expected, "{text:?}");
        }
        assert_eq!(other_delimiter(b"a;b;c\n1;2;3\n4;5", false), Some(b';'), "the last row is cut off");
        assert_eq!(other_delimiter(b"a;b;c\n1;2;3\n4;5", true), None);
    }
}
