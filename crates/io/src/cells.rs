//! Cells as bytes: the interface between the encoders and the sinks of workbooks and databases.
//!
//! Many threads encode the cells, and one thread builds the output. A record is a tag and its content.

use crate::encode::Extend;

#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Record<'r> {
    Sheet(&'r str),
    Blank,
    Text(&'r str),
    Number(f64),
    Digits(&'r str),
    Shown(f64, &'r str),
    Truth(bool),
    Date(&'r str),
    End,
}

const SHEET: u8 = 0;
const BLANK: u8 = 1;
const TEXT: u8 = 2;
const NUMBER: u8 = 3;
const SHOWN: u8 = 4;
const FALSE: u8 = 5;
const TRUE: u8 = 6;
const DATE: u8 = 7;
const END: u8 = 8;
const DIGITS: u8 = 9;

impl Record<'_> {
    pub fn push(self, out: &mut impl Extend) {
        match self {
            Record::Sheet(name) => push_text(SHEET, name, out),
            Record::Blank => out.extend(&[BLANK]),
            Record::Text(text) => push_text(TEXT, text, out),
            Record::Number(number) => {
                out.extend(&[NUMBER]);
                out.extend(&number.to_le_bytes());
            }
            Record::Digits(digits) => push_text(DIGITS, digits, out),
            Record::Shown(number, format) => {
                push_text(SHOWN, format, out);
                out.extend(&number.to_le_bytes());
            }
            Record::Truth(truth) => out.extend(&[if truth { TRUE } else { FALSE }]),
            Record::Date(date) => push_text(DATE, date, out),
            Record::End => out.extend(&[END]),
        }
    }

    /// The first record of some bytes, and its size; `None` if it is incomplete.
    pub fn read(bytes: &[u8]) -> Option<(Record<'_>, usize)> {
        let (tag, rest) = bytes.split_first()?;
        let text = || -> Option<(&str, usize)> {
            let (width, rest) = rest.split_first_chunk::<4>()?;
            let width = u32::from_le_bytes(*width) as usize;
            // The bytes were written from a text.
            Some((std::str::from_utf8(rest.get(..width)?).unwrap_or_default(), 5 + width))
        };
        let number = |at: usize| -> Option<f64> { Some(f64::from_le_bytes(*bytes.get(at..)?.first_chunk()?)) };
        Some(match *tag {
            SHEET => text().map(|(name, width)| (Record::Sheet(name), width))?,
            TEXT => text().map(|(text, width)| (Record::Text(text), width))?,
            DATE => text().map(|(date, width)| (Record::Date(date), width))?,
            NUMBER => (Record::Number(number(1)?), 9),
            DIGITS => text().map(|(digits, width)| (Record::Digits(digits), width))?,
            SHOWN => {
                let (format, width) = text()?;
                (Record::Shown(number(width)?, format), width + 8)
            }
            FALSE => (Record::Truth(false), 1),
            TRUE => (Record::Truth(true), 1),
            BLANK => (Record::Blank, 1),
            _ => (Record::End, 1),
        })
    }
}

/// A text is shorter than the limit for a row, which is less than 4 GiB.
fn push_text(tag: u8, text: &str, out: &mut impl Extend) {
    out.extend(&[tag]);
    out.extend(&(text.len() as u32).to_le_bytes());
    out.extend(text.as_bytes());
}

#[cfg(test)]
mod tests {
    use keen_notch_core::batch::Buffer;

    use super::*;

    #[test]
    fn records_are_read_as_they_were_written_and_not_before_they_are_complete() {
        let records = [
            Record::Sheet("Parts"),
            Record::Text("GRP-é"),
            Record::Text(""),
            Record::Blank,
            Record::Number(335.5),
            Record::Digits("12.50"),
            Record::Shown(385.0, "00000"),
            Record::Truth(true),
            Record::Truth(false),
            Record::Date("2025-03-01"),
            Record::End,
        ];
        let mut out = Buffer::default();
        records.iter().for_each(|record| record.push(&mut out));
        let mut rest = out.bytes();
        for record in records {
            let (read, width) = Record::read(rest).expect("it is complete");
            assert_eq!(read, record);
            for short in 0..width {
                assert_eq!(Record::read(&rest[..short]), None, "{record:?}, {short} bytes");
            }
            rest = &rest[width..];
        }
        assert_eq!(rest, b"");
    }
}
