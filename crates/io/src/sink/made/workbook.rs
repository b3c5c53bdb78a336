//! Making a workbook of cells.

use std::io;

use super::Maker;

#[cfg(not(feature = "workbooks"))]
pub fn maker() -> io::Result<Box<dyn Maker>> {
    Err(super::Limit::error("this build does not write workbooks", "write delimited text, such as --to csv"))
}

#[cfg(feature = "workbooks")]
pub fn maker() -> io::Result<Box<dyn Maker>> {
    Ok(Box::new(of_package::Making::new()?))
}

/// What the package for writing workbooks is told.
#[cfg(feature = "workbooks")]
mod of_package {
    use std::collections::HashMap;
    use std::io::{self, Write};

    use rust_xlsxwriter::{DocProperties, ExcelDateTime, Format, Workbook, Worksheet, XlsxError};

    use super::super::{Limit, Maker};
    use crate::cells::Record;
    use crate::guarded::guarded;

    /// The most rows, columns and characters of a cell that a sheet has: ECMA-376, and the limits that programs for it publish.
    const MOST_ROWS: u32 = 1_048_576;
    const MOST_COLUMNS: u16 = 16_384;

    /// A workbook that is being made. Its rows wait in a temporary file until it is complete.
    pub struct Making {
        book: Workbook,
        /// The row and column of the next cell, from 0.
        row: u32,
        column: u16,
        formats: HashMap<String, Format>,
        /// The beginning of a record whose rest has not come yet.
        pending: Vec<u8>,
        made: Vec<u8>,
    }

    impl Making {
        /// One without a row.
        pub fn new() -> io::Result<Making> {
            let mut book = Workbook::new();
            // The same rows always give the same file.
            let time = ExcelDateTime::from_ymd(2000, 1, 1).map_err(io::Error::other)?;
            book.set_properties(&DocProperties::new().set_creation_datetime(&time));
            book.add_worksheet_with_constant_memory().map_err(io::Error::other)?;
            Ok(Making { book, row: 0, column: 0, formats: HashMap::new(), pending: Vec::new(), made: Vec::new() })
        }

        fn take(&mut self, record: Record) -> io::Result<()> {
            if self.row == MOST_ROWS && record != Record::End {
                return Err(Limit::error(
                    format!("a sheet has {MOST_ROWS} rows at most, and there are more"),
                    "write delimited text, such as -o OUT.csv, or keep fewer rows with `keep` in a cut list",
                ));
            }
            if self.column == MOST_COLUMNS && record != Record::End {
                return Err(Limit::error(
                    format!("a sheet has {MOST_COLUMNS} columns at most, and there are more"),
                    "write delimited text, such as -o OUT.csv, or fewer columns with --columns",
                ));
            }
            let (row, column) = (self.row, self.column);
            let sheet = self.book.worksheet_from_index(0).map_err(io::Error::other)?;
            let mut shown = |sheet: &mut Worksheet, number: f64, format: &str| {
                if !self.formats.contains_key(format) {
                    self.formats.insert(format.to_owned(), Format::new().set_num_format(format));
                }
                sheet.write_number_with_format(row, column, number, &self.formats[format]).map(drop)
            };
            let outcome = match record {
                Record::Sheet(name) => {
                    sheet.set_name(name).map_err(io::Error::other)?;
                    return Ok(());
                }
                Record::End => {
                    (self.row, self.column) = (row + 1, 0);
                    return Ok(());
                }
                Record::Blank => Ok(()),
                Record::Text(text) => sheet.write_string(row, column, text).map(drop),
                Record::Digits(digits) => sheet.write_string(row, column, digits).map(drop),
                Record::Number(number) => sheet.write_number(row, column, number).map(drop),
                Record::Shown(number, format) => shown(sheet, number, format),
                Record::Truth(truth) => sheet.write_boolean(row, column, truth).map(drop),
                Record::Date(date) => {
                    let format = if date.contains('T') { "yyyy-mm-dd hh:mm:ss" } else { "yyyy-mm-dd" };
                    // A workbook has no dates before the year 1900, and nothing shorter than a millisecond.
                    let fraction = date.split_once('.').map_or("", |(_, fraction)| fraction);
                    let is_exact = fraction.bytes().skip(3).take_while(u8::is_ascii_digit).all(|digit| digit == b'0');
                    let is_late = date.get(..4).is_some_and(|year| year >= "1900");
                    match ExcelDateTime::parse_from_str(if is_exact && is_late { date } else { "" }) {
                        Ok(moment) => shown(sheet, moment.to_excel(), format),
                        Err(_) => sheet.write_string(row, column, date).map(drop),
                    }
                }
            };
            self.column += 1;
            outcome.map_err(|error| match error {
                XlsxError::MaxStringLengthExceeded => Limit::error(
                    format!(
                        "the text in row {} of the sheet, column {column}, is longer than the 32767 characters that a cell has",
                        row + 1,
                        column = column + 1
                    ),
                    "write delimited text, such as -o OUT.csv, or leave the column out with --without",
                ),
                error => io::Error::other(error),
            })
        }
    }

    impl Write for Making {
        fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
            let mut pending = std::mem::take(&mut self.pending);
            pending.extend(bytes);
            // The package does not expect that a disk is full.
            let outcome = guarded(|| {
                let mut at = 0;
                while let Some((record, width)) = Record::read(&pending[at..]) {
                    self.take(record)?;
                    at += width;
                }
                Ok(at)
            });
            let at = outcome.unwrap_or_else(|| Err(no_room()))?;
            pending.drain(..at);
            self.pending = pending;
            Ok(bytes.len())
        }

        fn flush(&mut self) -> io::Result<()> {
            Ok(())
        }
    }

    impl Maker for Making {
        fn made(&mut self) -> &mut Vec<u8> {
            &mut self.made
        }

        fn end(mut self: Box<Self>, out: &mut (dyn Write + Send)) -> io::Result<()> {
            let outcome = guarded(|| self.book.save_to_writer(out));
            outcome.unwrap_or(Err(XlsxError::IoError(no_room()))).map_err(|error| match error {
                XlsxError::IoError(error) => error,
                error => io::Error::other(error),
            })
        }
    }

    fn no_room() -> io::Error {
        Limit::error(
            "its rows cannot be kept in a temporary file until it is complete",
            "make room in the folder for temporary files (TMPDIR), or write delimited text, such as -o OUT.csv",
        )
    }
}

#[cfg(all(test, feature = "workbooks"))]
#[allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]
mod tests {
    use keen_notch_core::batch::Buffer;

    use super::*;
    use crate::cells::Record;

    /// What is said of these records, after some.
    fn refused(records: impl IntoIterator<Item = Record<'static>>) -> Option<String> {
        let (mut making, mut bytes) = (maker().unwrap(), Buffer::default());
        records.into_iter().for_each(|record| record.push(&mut bytes));
        let outcome = bytes.bytes().chunks(1 << 16).try_for_each(|bytes| making.write_all(bytes));
        outcome.err().map(|error| error.to_string())
    }

    #[test]
    fn what_a_sheet_has_no_room_for_is_refused() {
        let rows = |count| std::iter::repeat_n(Record::End, count).chain([Record::Text("GRP-1")]);
        assert_eq!(refused(rows(1_048_575)), None);
        assert_eq!(refused(rows(1_048_576)).unwrap(), "a sheet has 1048576 rows at most, and there are more");
        let columns = |count| std::iter::repeat_n(Record::Blank, count);
        assert_eq!(refused(columns(16_384)), None);
        assert_eq!(refused(columns(16_385)).unwrap(), "a sheet has 16384 columns at most, and there are more");
        let long = |width| [Record::End, Record::Blank, Record::Text(&*Box::leak("é".repeat(width).into_boxed_str()))];
        assert_eq!(refused(long(32_767)), None);
        assert_eq!(
            refused(long(32_768)).unwrap(),
            "the text in row 2 of the sheet, column 2, is longer than the 32767 characters that a cell has"
        );
    }
}
