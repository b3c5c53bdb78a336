//! JSON: an array of objects, read and written as a stream.
//!
//! The reader turns the array into JSON Lines, so that everything else is shared. Each object keeps its members as they are. Blank lines
//! keep the numbers of the lines, as far as each object begins on a line of its own.

use std::io::{self, Read, Write};

use crate::kind::{FormatInfo, Kind};
use crate::sink::transform::Transform;

pub static INFO: FormatInfo = FormatInfo { name: "JSON", endings: &["json"], has_objects: true, ..FormatInfo::TEXT };

/// Bytes to read at a time.
const READ: usize = 64 << 10;

/// Where the reader is in the array.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Place {
    BeforeArray,
    BeforeFirst,
    AfterComma,
    InElement,
    /// In a string of an element; `true` after a backslash.
    InText(bool),
    AfterElement,
    AfterArray,
}

/// Reads the objects of an array as JSON Lines.
pub struct ArrayReader<R> {
    inner: R,
    place: Place,
    /// The open brackets of an element.
    depth: usize,
    /// Whether only spaces came since the last line break of an element.
    after_break: bool,
    /// The last byte of an element.
    last: u8,
    /// Line breaks read.
    line: u64,
    /// Line breaks of the array that the output does not have yet.
    owed: usize,
    /// Line breaks of the output that the array does not have.
    ahead: usize,
    input: Vec<u8>,
    output: Vec<u8>,
    given: usize,
    has_ended: bool,
}

impl<R: Read> ArrayReader<R> {
    pub fn new(inner: R) -> ArrayReader<R> {
        ArrayReader {
            inner,
            place: Place::BeforeArray,
            depth: 0,
            after_break: false,
            last: 0,
            line: 0,
            owed: 0,
            ahead: 0,
            input: vec![0; READ],
            output: Vec::new(),
            given: 0,
            has_ended: false,
        }
    }

    /// Reads until there is output, or the end.
    fn fill(&mut self) -> io::Result<()> {
        self.given = 0;
        self.output.clear();
        let mut input = std::mem::take(&mut self.input);
        let outcome = self.fill_from(&mut input);
        // Also after an error: a reader may be asked again after an interruption.
        self.input = input;
        outcome?;
        match self.place {
            Place::BeforeArray | Place::AfterArray => Ok(()),
            _ if self.has_ended => Err(self.invalid("the array is not closed: a ] is missing at the end")),
            _ => Ok(()),
        }
    }

    fn fill_from(&mut self, input: &mut [u8]) -> io::Result<()> {
        while self.output.is_empty() && !self.has_ended {
            let count = self.inner.read(input)?;
            self.has_ended = count == 0;
            let mut rest = input.get(..count).unwrap_or_default();
            while let Some((byte, after)) = rest.split_first() {
                if self.place == Place::InText(false) {
                    let end = memchr::memchr2(b'"', b'\\', rest).unwrap_or(rest.len());
                    self.output.extend_from_slice(&rest[..end]);
                    rest = &rest[end..];
                    if end > 0 {
                        continue;
                    }
                }
                self.take(*byte)?;
                rest = after;
            }
        }
        Ok(())
    }

    fn take(&mut self, byte: u8) -> io::Result<()> {
        self.line += u64::from(byte == b'\n');
        let is_space = matches!(byte, b' ' | b'\t' | b'\r' | b'\n');
        match self.place {
            Place::InText(after_backslash) => self.take_in_text(byte, after_backslash),
            Place::InElement => self.take_in_element(byte),
            _ if is_space => self.owed += usize::from(byte == b'\n'),
            Place::BeforeArray if byte == b'[' => self.place = Place::BeforeFirst,
            // A byte-order mark.
            Place::BeforeArray if matches!(byte, 0xEF | 0xBB | 0xBF) => {}
            Place::BeforeArray => return Err(self.invalid("it begins with no array of objects")),
            Place::BeforeFirst if byte == b']' => self.place = Place::AfterArray,
            Place::AfterComma if byte == b']' => {
                return Err(self.invalid("an element is missing between a comma and the end of the array"));
            }
            Place::BeforeFirst | Place::AfterComma => {
                self.pay();
                self.place = Place::InElement;
                self.take_in_element(byte);
            }
            Place::AfterElement if byte == b',' => self.place = Place::AfterComma,
            Place::AfterElement if byte == b']' => self.place = Place::AfterArray,
            Place::AfterElement => return Err(self.invalid("a comma is missing between two elements of the array")),
            Place::AfterArray => return Err(self.invalid("the text continues after the array")),
        }
        Ok(())
    }

    fn take_in_text(&mut self, byte: u8, after_backslash: bool) {
        self.output.push(byte);
        self.place = match byte {
            b'"' if !after_backslash => Place::InElement,
            _ => Place::InText(byte == b'\\' && !after_backslash),
        };
        if self.place == Place::InElement && self.depth == 0 {
            self.end_element(Place::AfterElement);
        }
    }

    fn take_in_element(&mut self, byte: u8) {
        match byte {
            b'\n' => {
                self.owed += 1;
                self.after_break = true;
                return;
            }
            b' ' | b'\t' | b'\r' if self.after_break => return,
            // The end of a number or a word, which the parser of lines refuses.
            b',' if self.depth == 0 => return self.end_element(Place::AfterComma),
            b']' if self.depth == 0 => return self.end_element(Place::AfterArray),
            b'{' | b'[' => self.depth += 1,
            b'}' | b']' => self.depth = self.depth.saturating_sub(1),
            b'"' => self.place = Place::InText(false),
            _ => {}
        }
        // Members that were on lines of their own are divided by blanks.
        if std::mem::take(&mut self.after_break) && self.last == b',' {
            self.output.push(b' ');
        }
        self.output.push(byte);
        self.last = byte;
        if self.depth == 0 && matches!(byte, b'}' | b']') {
            self.end_element(Place::AfterElement);
        }
    }

    fn invalid(&self, why: &'static str) -> io::Error {
        io::Error::new(io::ErrorKind::InvalidData, BrokenArray { why, line: self.line + 1 })
    }

    fn end_element(&mut self, place: Place) {
        (self.place, self.depth, self.after_break) = (place, 0, false);
        self.output.push(b'\n');
        match self.owed.checked_sub(1) {
            Some(owed) => self.owed = owed,
            None => self.ahead += 1,
        }
    }

    /// Writes blank lines for the line breaks before an element.
    fn pay(&mut self) {
        let known = self.owed.min(self.ahead);
        (self.owed, self.ahead) = (self.owed - known, self.ahead - known);
        self.output.extend(std::iter::repeat_n(b'\n', std::mem::take(&mut self.owed)));
    }
}

/// A text that is no array of objects.
#[derive(Debug)]
pub struct BrokenArray {
    why: &'static str,
    line: u64,
}

impl std::fmt::Display for BrokenArray {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "line {}: {}", self.line, self.why)
    }
}

impl std::error::Error for BrokenArray {}

impl<R: Read> Read for ArrayReader<R> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        if self.given == self.output.len() && !self.has_ended {
            self.fill()?;
        }
        let count = into.len().min(self.output.len() - self.given);
        into[..count].copy_from_slice(&self.output[self.given..self.given + count]);
        self.given += count;
        Ok(count)
    }
}

/// Writes JSON Lines as an array of objects, one on each line.
#[derive(Default)]
pub struct ArrayWriter {
    output: Vec<u8>,
    /// Whether the first object has begun.
    has_rows: bool,
    /// Whether the next byte begins a line.
    at_start: bool,
}

pub(crate) fn transform(_: Kind) -> io::Result<Box<dyn Transform>> {
    Ok(Box::new(ArrayWriter { at_start: true, ..ArrayWriter::default() }))
}

impl Write for ArrayWriter {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        for line in bytes.split_inclusive(|byte| *byte == b'\n') {
            let text = line.strip_suffix(b"\n").unwrap_or(line);
            let text = text.strip_suffix(b"\r").unwrap_or(text);
            if !text.is_empty() {
                if std::mem::take(&mut self.at_start) {
                    let before: &[u8] = if self.has_rows { b",\n" } else { b"[\n" };
                    self.output.extend_from_slice(before);
                    self.has_rows = true;
                }
                self.output.extend_from_slice(text);
            }
            self.at_start |= line.ends_with(b"\n");
        }
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Transform for ArrayWriter {
    fn output(&mut self) -> &mut Vec<u8> {
        &mut self.output
    }

    fn end(mut self: Box<Self>, out: &mut (dyn Write + Send)) -> io::Result<()> {
        let end: &[u8] = if self.has_rows { b"\n]\n" } else { b"[]\n" };
        self.output.extend_from_slice(end);
        out.write_all(&self.output)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// Some bytes at a time, after an interruption.
    struct Slowly<'a>(&'a [u8], usize, bool);

    impl Read for Slowly<'_> {
        fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
            self.2 = !self.2;
            if self.2 {
                return Err(io::ErrorKind::Interrupted.into());
            }
            let count = self.1.min(self.0.len()).min(into.len());
            into[..count].copy_from_slice(&self.0[..count]);
            self.0 = &self.0[count..];
            Ok(count)
        }
    }

    fn lines(array: &str, stride: usize) -> Result<String, String> {
        let mut text = String::new();
        ArrayReader::new(Slowly(array.as_bytes(), stride, false))
            .read_to_string(&mut text)
            .map_err(|error| error.to_string())?;
        Ok(text)
    }

    fn array(lines: &str, stride: usize) -> String {
        let (mut writer, mut all) = (transform(&INFO).unwrap(), Vec::new());
        lines.as_bytes().chunks(stride).for_each(|bytes| writer.write_all(bytes).unwrap());
        writer.end(&mut all).unwrap();
        String::from_utf8(all).unwrap()
    }

    #[test]
    fn elements_keep_their_lines() {
        for (text, expected) in [
            ("[]", ""),
            ("  \n", ""),
            ("[{\"a\":1},{\"a\":2}]", "{\"a\":1}\n{\"a\":2}\n"),
            ("[\n  {\n    \"a\": 1,\n    \"b\": [1,\n2]\n  },\n  {}\n]\n", "\n{\"a\": 1, \"b\": [1, 2]}\n\n\n\n\n{}\n"),
            ("\u{feff}[{\"a\":\"]}\\\"\\\\\"}\n, 7, \"x\"]", "{\"a\":\"]}\\\"\\\\\"}\n7\n\"x\"\n"),
        ] {
            for stride in [1, 2, 7, 100] {
                assert_eq!(lines(text, stride).as_deref(), Ok(expected), "{text}");
            }
        }
        for (text, why) in [
            ("{\"a\":1}\n", "it begins with no array of objects"),
            ("[{}", "the array is not closed: a ] is missing at the end"),
            ("[{} {}]", "a comma is missing between two elements of the array"),
            ("[{},]", "an element is missing between a comma and the end of the array"),
            ("[{}] {}", "the text continues after the array"),
        ] {
            assert_eq!(lines(text, 3), Err(format!("line 1: {why}")));
        }
    }

    proptest! {
        /// Compared with the JSON package, on arrays as it writes them.
        #[test]
        fn an_array_has_its_objects_on_lines(
            objects in proptest::collection::vec(proptest::collection::btree_map("[a-c\"\\\\\n]{0,2}", "[a\\]\\[{},\"\\\\\n é]{0,6}", 0..4), 0..6),
            is_pretty: bool, stride in 1..40_usize,
        ) {
            let text = if is_pretty { serde_json::to_string_pretty(&objects) } else { serde_json::to_string(&objects) }.unwrap();
            let read = lines(&text, stride).unwrap();
            let parsed: Vec<std::collections::BTreeMap<String, String>> =
                read.lines().filter(|line| !line.is_empty()).map(|line| serde_json::from_str(line).unwrap()).collect();
            prop_assert_eq!(&parsed, &objects);
            if is_pretty {
                // Each object is on the line where it begins.
                let starts: Vec<usize> = text.lines().enumerate().filter(|(_, line)| line.starts_with("  {")).map(|(at, _)| at).collect();
                let found: Vec<usize> = read.lines().enumerate().filter(|(_, line)| !line.is_empty()).map(|(at, _)| at).collect();
                prop_assert_eq!(found, starts);
            }
            let written: Vec<std::collections::BTreeMap<String, String>> = serde_json::from_str(&array(&read, stride)).unwrap();
            prop_assert_eq!(&written, &objects);
        }
    }
}
