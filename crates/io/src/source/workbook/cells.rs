//! The cells of a sheet, as the workbook shows them.

use std::ops::Range;

use keen_notch_core::batch::Span;

use crate::Error;
use crate::source::{CellKind, Reading};

/// A sheet.
#[derive(Default)]
pub struct Sheet {
    /// The texts of all cells, one after the other.
    pub text: String,
    /// Cells that are not blank, row by row from left to right.
    cells: Vec<SheetCell>,
    /// Rows in which some are.
    pub rows: Vec<SheetRow>,
    /// Cells that are merged: their rows, from 1, and columns, from 0.
    pub merged: Vec<(Range<u32>, Range<u32>)>,
    /// Numbers with more digits than the workbook keeps.
    pub imprecise: u64,
}

/// A cell.
pub struct SheetCell {
    /// Its column, from 0.
    pub column: u32,
    /// Its text.
    pub span: Span,
    /// What it is.
    pub kind: CellKind,
}

/// A row.
pub struct SheetRow {
    /// Its number in the sheet, from 1.
    pub number: u32,
    /// Its cells.
    cells: Range<usize>,
}

impl Sheet {
    /// The cells of a row, by its index.
    pub fn row(&self, index: usize) -> &[SheetCell] {
        self.rows.get(index).and_then(|row| self.cells.get(row.cells.clone())).unwrap_or_default()
    }

    /// The cell of a column in a row, if there is something in it.
    pub fn cell(&self, row: usize, column: u32) -> Option<&SheetCell> {
        let cells = self.row(row);
        let place = cells.binary_search_by_key(&column, |cell| cell.column).ok()?;
        cells.get(place)
    }

    /// From the first column with something in it to the last.
    pub fn columns(&self) -> Range<u32> {
        let columns = self.cells.iter().map(|cell| cell.column);
        columns.clone().min().unwrap_or(0)..columns.max().map_or(0, |last| last + 1)
    }
}

/// What a column of a sheet is called, counted from 0: A, B … Z, AA …
pub fn letters(column: u32) -> String {
    let mut letters = Vec::new();
    let mut rest = column + 1;
    while rest > 0 {
        letters.push(char::from(b'A' + ((rest - 1) % 26) as u8));
        rest = (rest - 1) / 26;
    }
    letters.iter().rev().collect()
}

/// Reads a sheet of a workbook: that which was said, or the first. Gives what it is called too, and how many there are.
///
/// # Errors
/// Where the bytes are no workbook that can be read, or it has no such sheet.
#[cfg(not(feature = "workbooks"))]
pub fn read(name: &str, _: Vec<u8>, _: &Reading) -> Result<(Sheet, String, usize), Error> {
    Err(Error::BadWorkbook {
        name: name.to_owned(),
        why: "this build does not read workbooks".to_owned(),
        help: "save it as CSV",
    })
}

#[cfg(feature = "workbooks")]
pub use of_package::read;

/// What the package for workbooks finds in them.
#[cfg(feature = "workbooks")]
mod of_package {
    use std::io::Cursor;
    use std::sync::Arc;

    use calamine::{DataRef, Dimensions, ExcelDateTime, Reader, Style, Xlsx, XlsxError};
    use keen_notch_core::number_format::{self, DIGITS, NumberFormat};
    use zip::ZipArchive;

    use super::super::guarded::guarded;
    use super::{CellKind, Error, Reading, Sheet, SheetCell, SheetRow, Span};

    type Bytes = Cursor<Arc<[u8]>>;

    /// What files of the older format begin with, and newer ones that are encrypted. What is in them can send the package round in
    /// circles, so it never gets them.
    const OTHER: &[u8] = b"\xD0\xCF\x11\xE0";

    pub fn read(name: &str, bytes: Vec<u8>, reading: &Reading) -> Result<(Sheet, String, usize), Error> {
        let bytes: Arc<[u8]> = bytes.into();
        let outcome = guarded(|| read_workbook(name, &bytes, reading));
        outcome.unwrap_or_else(|| Err(broken(name)))
    }

    fn broken(name: &str) -> Error {
        let why = "it is broken, or is no workbook".to_owned();
        let help = "open it with a spreadsheet program and save it anew; if it is text, say so, such as --from csv";
        Error::BadWorkbook { name: name.to_owned(), why, help }
    }

    fn read_workbook(name: &str, bytes: &Arc<[u8]>, reading: &Reading) -> Result<(Sheet, String, usize), Error> {
        if bytes.starts_with(OTHER) {
            let why = "it is encrypted with a password, or of another kind than .xlsx".to_owned();
            return Err(Error::BadWorkbook { name: name.to_owned(), why, help: "save it as .xlsx, without a password" });
        }
        let cursor = || Cursor::new(Arc::clone(bytes));
        let unpacked = unpacked_size(cursor()).ok_or_else(|| broken(name))?;
        if unpacked > reading.memory as u64 {
            let why = format!("unpacked, it has {unpacked} bytes, which is more than may be taken");
            return Err(Error::BadWorkbook {
                name: name.to_owned(),
                why,
                help: "give more memory with --memory, or save it as CSV",
            });
        }
        let book = Xlsx::new(cursor()).map_err(|_| broken(name))?;
        of_book(name, book, reading)
    }

    /// How many bytes there are in an archive, as it says itself.
    fn unpacked_size(bytes: Bytes) -> Option<u64> {
        let mut archive = ZipArchive::new(bytes).ok()?;
        (0..archive.len()).try_fold(0_u64, |all, index| all.checked_add(archive.by_index_raw(index).ok()?.size()))
    }

    /// The sheet that was said, among these.
    fn sheet_of(name: &str, sheets: &[String], reading: &Reading) -> Result<String, Error> {
        let Some(wanted) = &reading.sheet else {
            return sheets.first().cloned().ok_or_else(|| Error::Empty { name: name.to_owned() });
        };
        let is_it = |sheet: &&String| *sheet == wanted || sheet.trim() == wanted.trim();
        sheets.iter().find(is_it).cloned().ok_or_else(|| Error::NoSheet {
            name: name.to_owned(),
            sheet: wanted.clone(),
            sheets: sheets.to_vec(),
        })
    }

    fn of_book(name: &str, mut book: Xlsx<Bytes>, reading: &Reading) -> Result<(Sheet, String, usize), Error> {
        let sheets = book.sheet_names();
        let title = sheet_of(name, &sheets, reading)?;
        let failed = |_: XlsxError| broken(name);
        let merged = book.merge_cells_by_sheet_name(&title).unwrap_or_default();
        let mut cells = book.worksheet_cells_reader(&title).map_err(failed)?;
        let formats: Vec<Option<NumberFormat>> = cells.styles().iter().map(format_of).collect();
        let mut making = Making::new(name, &merged);
        while let Some((cell, style)) = cells.next_cell_with_style_id().map_err(failed)? {
            making.add(cell.get_position(), cell.get_value(), formats.get(style).and_then(Option::as_ref))?;
        }
        Ok((making.finish(), title, sheets.len()))
    }

    fn format_of(style: &Style) -> Option<NumberFormat> {
        NumberFormat::parse(&style.number_format.as_ref()?.format_code)
    }

    /// A sheet that is being made of its cells.
    struct Making<'n> {
        name: &'n str,
        sheet: Sheet,
        cells: Vec<(u32, SheetCell)>,
    }

    impl Making<'_> {
        fn new<'n>(name: &'n str, merged: &[Dimensions]) -> Making<'n> {
            let region = |of: &Dimensions| (of.start.0 + 1..of.end.0 + 2, of.start.1..of.end.1 + 1);
            let sheet = Sheet { merged: merged.iter().map(region).collect(), ..Sheet::default() };
            Making { name, sheet, cells: Vec::new() }
        }

        fn add(&mut self, (row, column): (u32, u32), value: &DataRef, format: Option<&NumberFormat>) -> Result<(), Error> {
            let start = self.sheet.text.len();
            let kind = self.push(value, format);
            let end = self.sheet.text.len();
            if u32::try_from(end).is_err() {
                let why = "its texts take more than 4 GiB".to_owned();
                return Err(Error::BadWorkbook {
                    name: self.name.to_owned(),
                    why,
                    help: "part it into several, or save it as CSV",
                });
            }
            if end > start {
                self.cells.push((row, SheetCell { column, span: Span::new(start, end), kind }));
            }
            Ok(())
        }

        /// Writes a value as the workbook shows it.
        fn push(&mut self, value: &DataRef, format: Option<&NumberFormat>) -> CellKind {
            let text = &mut self.sheet.text;
            match value {
                DataRef::Empty => return CellKind::Nothing,
                DataRef::String(value) => text.push_str(value),
                DataRef::SharedString(value) => text.push_str(value),
                DataRef::DateTimeIso(value) | DataRef::DurationIso(value) => text.push_str(value),
                DataRef::Error(error) => text.push_str(&error.to_string()),
                DataRef::DateTime(date) => text.push_str(&iso(date)),
                DataRef::Bool(value) => {
                    text.push_str(if *value { "true" } else { "false" });
                    return CellKind::Truth;
                }
                DataRef::Int(number) => {
                    text.push_str(&format.map_or_else(|| number.to_string(), |format| format.show(*number as f64)));
                    return if format.is_some() { CellKind::Text } else { CellKind::Number };
                }
                DataRef::Float(number) => {
                    if number.abs() >= 10_f64.powi(DIGITS as i32) {
                        self.sheet.imprecise += 1;
                    }
                    text.push_str(&format.map_or_else(|| number_format::plain(*number), |format| format.show(*number)));
                    // What is shown is a number only as far as it says no more.
                    return if format.is_some() { CellKind::Text } else { CellKind::Number };
                }
            }
            CellKind::Text
        }

        fn finish(self) -> Sheet {
            let Making { mut sheet, mut cells, .. } = self;
            cells.sort_by_key(|(row, cell)| (*row, cell.column));
            cells.dedup_by(|(row, cell), (other, same)| (*row, cell.column) == (*other, same.column));
            for (index, (row, cell)) in cells.into_iter().enumerate() {
                match sheet.rows.last_mut() {
                    Some(last) if last.number == row + 1 => last.cells.end = index + 1,
                    _ => sheet.rows.push(SheetRow { number: row + 1, cells: index..index + 1 }),
                }
                sheet.cells.push(cell);
            }
            sheet
        }
    }

    /// A date and time as ISO 8601 has it: without the time where that is midnight, without the date where there is none.
    fn iso(date: &ExcelDateTime) -> String {
        let serial = date.as_f64();
        if date.is_duration() {
            let seconds = (serial * 86_400.0).round();
            let (sign, seconds) = (if seconds < 0.0 { "-" } else { "" }, seconds.abs() as u64);
            return format!("{sign}{}:{:02}:{:02}", seconds / 3600, seconds / 60 % 60, seconds % 60);
        }
        let (year, month, day, hour, minute, second, milli) = date.to_ymd_hms_milli();
        let mut time = format!("{hour:02}:{minute:02}:{second:02}");
        if milli > 0 {
            time += &format!(".{milli:03}");
        }
        match (serial < 1.0, (hour, minute, second, milli) == (0, 0, 0, 0)) {
            (true, _) => time,
            (false, true) => format!("{year:04}-{month:02}-{day:02}"),
            (false, false) => format!("{year:04}-{month:02}-{day:02}T{time}"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_have_letters() {
        for (column, shown) in [(0, "A"), (25, "Z"), (26, "AA"), (701, "ZZ"), (702, "AAA"), (16_383, "XFD")] {
            assert_eq!(letters(column), shown);
        }
    }
}
