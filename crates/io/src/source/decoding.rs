//! Decodes text in other encodings, and finds invalid bytes.

use std::io::{self, Read};
use std::ops::Range;
use std::sync::Arc;

use encoding_rs::{Decoder, DecoderResult};

use crate::Error;
use crate::source::input::Encoding;
use crate::source::meter::Meter;

const STRIDE: usize = 64 << 10;
/// Maximum bytes before the decoder's position to which an error can refer: a sequence, and the byte after it.
const MOST_BACK: usize = 16;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum WrongBytes {
    #[default]
    Stop,
    Replace,
}

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("invalid {encoding} bytes")]
pub struct NotOfEncoding {
    pub encoding: &'static str,
    /// The line, from 1.
    pub line: u64,
    /// The code point in the line, from 1.
    pub code_point: usize,
    /// The byte in the input, from 1.
    pub byte: u64,
    pub bytes: Vec<u8>,
}

pub struct DecodingReader<R> {
    reader: R,
    decoder: Decoder,
    wrong_bytes: WrongBytes,
    meter: Arc<Meter>,
    raw: Vec<u8>,
    unseen: usize,
    start: u64,
    has_ended: bool,
    /// The decoded text, and the start of the part that was not returned.
    text: Vec<u8>,
    given: usize,
    /// The number of decoded bytes before that text, and the range of decoded bytes where replaced sequences count.
    decoded: u64,
    counted: Range<u64>,
    /// The number of lines before the last line of the text, and the code points of the last one.
    lines: u64,
    code_points: usize,
}

impl<R: Read> DecodingReader<R> {
    /// Decodes `reader`. A byte-order mark overrides the encoding, as in the Encoding Standard.
    pub fn new(reader: R, encoding: Encoding, wrong_bytes: WrongBytes, meter: Arc<Meter>) -> DecodingReader<R> {
        DecodingReader {
            reader,
            decoder: encoding.decoder(),
            wrong_bytes,
            meter,
            raw: Vec::new(),
            unseen: 0,
            start: 0,
            has_ended: false,
            text: Vec::new(),
            given: 0,
            decoded: 0,
            counted: 0..u64::MAX,
            lines: 0,
            code_points: 0,
        }
    }

    /// Reads more, and keeps the bytes to which an error can refer.
    fn fill(&mut self) -> io::Result<()> {
        let passed = self.unseen.saturating_sub(MOST_BACK);
        self.raw.drain(..passed);
        self.start += passed as u64;
        self.unseen -= passed;
        let before = self.raw.len();
        self.raw.resize(before + STRIDE, 0);
        let read = self.reader.read(&mut self.raw[before..]);
        self.raw.truncate(before + *read.as_ref().unwrap_or(&0));
        self.has_ended = read? == 0;
        Ok(())
    }

    fn decode(&mut self) -> io::Result<()> {
        self.decoded += self.text.len() as u64;
        // Each byte gives at most three, and the end of the text some more.
        self.text.resize(3 * (self.raw.len() - self.unseen) + MOST_BACK, 0);
        self.given = 0;
        let mut made = 0;
        let outcome = loop {
            let text = &mut self.text[made..];
            let (result, seen, written) =
                self.decoder.decode_to_utf8_without_replacement(&self.raw[self.unseen..], text, self.has_ended);
            self.unseen += seen;
            count(&text[..written], &mut self.lines, &mut self.code_points);
            made += written;
            let DecoderResult::Malformed(length, after) = result else { break Ok(()) };
            let end = self.unseen - usize::from(after).min(self.unseen);
            let begin = end - usize::from(length).min(end);
            if self.wrong_bytes == WrongBytes::Stop {
                break Err(NotOfEncoding {
                    encoding: self.decoder.encoding().name(),
                    line: self.lines + 1,
                    code_point: self.code_points + 1,
                    byte: self.start + begin as u64 + 1,
                    bytes: self.raw[begin..end].to_vec(),
                });
            }
            if self.counted.contains(&(self.decoded + made as u64)) {
                self.meter.add_replaced();
            }
            made += char::REPLACEMENT_CHARACTER.encode_utf8(&mut self.text[made..]).len();
            self.code_points += 1;
        };
        self.text.truncate(made);
        outcome.map_err(io::Error::other)
    }
}

impl<R: Read> Read for DecodingReader<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        while self.given == self.text.len() && !(self.has_ended && self.unseen == self.raw.len()) {
            self.fill()?;
            self.decode()?;
        }
        let given = (&self.text[self.given..]).read(buffer)?;
        self.given += given;
        Ok(given)
    }
}

/// The number of invalid sequences that become U+FFFD in a range of the decoded bytes.
///
/// # Errors
/// The input cannot be read.
pub fn replaced_within(reader: impl Read, encoding: Encoding, range: Range<u64>) -> io::Result<u64> {
    let meter = Arc::new(Meter::default());
    let mut decoding = DecodingReader::new(reader, encoding, WrongBytes::Replace, Arc::clone(&meter));
    let end = range.end;
    decoding.counted = range;
    while decoding.decoded < end && !(decoding.has_ended && decoding.unseen == decoding.raw.len()) {
        decoding.fill()?;
        decoding.decode()?;
    }
    Ok(meter.replaced())
}

fn count(text: &[u8], lines: &mut u64, code_points: &mut usize) {
    *lines += memchr::memchr_iter(b'\n', text).count() as u64;
    let line = memchr::memrchr(b'\n', text).map_or(0, |end| end + 1);
    if line > 0 {
        *code_points = 0;
    }
    *code_points += text[line..].iter().filter(|byte| **byte & 0xC0 != 0x80).count();
}

impl Error {
    pub(crate) fn of_reading(name: &str, source: io::Error) -> Error {
        let name = name.to_owned();
        match source.downcast::<NotOfEncoding>() {
            Ok(NotOfEncoding { encoding, line, code_point, byte, bytes }) => {
                Error::NotOfEncoding { name, encoding, line, character: code_point, byte, bytes }
            }
            Err(source) => Error::Read { name, source },
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    struct Slowly<'a>(&'a [u8], usize);

    impl Read for Slowly<'_> {
        fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
            let count = self.1.min(buffer.len());
            self.0.read(&mut buffer[..count])
        }
    }

    fn decode(bytes: &[u8], label: &str, wrong: WrongBytes, stride: usize) -> Result<(String, u64), NotOfEncoding> {
        let meter = Arc::new(Meter::default());
        let mut decoded =
            DecodingReader::new(Slowly(bytes, stride), Encoding::named(label).unwrap(), wrong, Arc::clone(&meter));
        let (mut text, mut piece) = (Vec::new(), vec![0; stride]);
        loop {
            match decoded.read(&mut piece) {
                Ok(0) => return Ok((String::from_utf8(text).unwrap(), meter.replaced())),
                Ok(read) => text.extend_from_slice(&piece[..read]),
                Err(error) => return Err(error.downcast().unwrap()),
            }
        }
    }

    #[test]
    fn wrong_bytes_are_found_where_they_are() {
        for (label, bytes, line, code_point, byte, wrong) in [
            ("shift_jis", &b"a,b\nx\x83\x65,\x810"[..], 2, 4, 9, &b"\x81"[..]),
            ("utf-8", b"\xC3\xA9\n\xE2\x82", 2, 1, 4, b"\xE2\x82"),
            ("utf-16le", b"a\0\n\0b\0\0\xD8c\0", 2, 2, 7, b"\0\xD8"),
            ("utf-16be", b"\0a\0\n\0", 2, 1, 5, b"\0"),
            ("euc-jp", b"\n\n\x8F\xA2", 3, 1, 3, b"\x8F\xA2"),
            ("windows-1257", b"abc\xA1", 1, 4, 4, b"\xA1"),
        ] {
            for stride in [1, 2, 3, 100] {
                let error = decode(bytes, label, WrongBytes::Stop, stride).unwrap_err();
                assert_eq!(
                    (error.line, error.code_point, error.byte, error.bytes.as_slice()),
                    (line, code_point, byte, wrong),
                    "{label} {stride}"
                );
            }
        }
    }

    proptest! {
        #[test]
        fn however_it_is_read_it_is_what_the_whole_is(
            bytes in prop_oneof![
                proptest::collection::vec(any::<u8>(), 0..300),
                "[ -~\n\u{e9}\u{30c6}\u{1f6a0}]{0,99}".prop_map(String::into_bytes),
            ],
            label in prop_oneof![
                Just("utf-8"), Just("utf-16le"), Just("utf-16be"), Just("shift_jis"), Just("gb18030"), Just("big5"),
                Just("euc-kr"), Just("iso-2022-jp"), Just("windows-1252"), Just("x-user-defined"),
            ],
            stride in 1_usize..50,
        ) {
            let (whole, _, is_wrong) = encoding_rs::Encoding::for_label(label.as_bytes()).unwrap().decode(&bytes);
            let (text, replaced) = decode(&bytes, label, WrongBytes::Replace, stride).unwrap();
            prop_assert_eq!(&text, &whole);
            prop_assert_eq!(replaced > 0, is_wrong);
            prop_assert_eq!(decode(&bytes, label, WrongBytes::Stop, stride).is_err(), is_wrong);
        }
    }
}
