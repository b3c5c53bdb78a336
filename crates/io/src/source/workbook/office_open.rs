//! Workbooks of the format that most programs write: .xlsx, by a package.

use calamine::{DataRef, Dimensions, ExcelDateTime, ExcelDateTimeType, Reader, Style, Xlsx, XlsxError};
use keen_notch_core::number_format::{self, DIGITS, NumberFormat};

use super::archive::{Bytes, broken};
use super::cells::Sheet;
use super::making::{Making, Put, sheet_of};
use crate::Error;
use crate::source::{CellKind, Reading};

/// Reads a sheet of such a workbook: that which was said, or the first. Gives what it is called too, and how many there are.
///
/// # Errors
/// Where it cannot be read, or has no such sheet.
pub fn read(name: &str, bytes: Bytes, reading: &Reading) -> Result<(Sheet, String, usize), Error> {
    let book = Xlsx::new(bytes).map_err(|_| broken(name))?;
    of_book(name, book, reading)
}

fn of_book(name: &str, mut book: Xlsx<Bytes>, reading: &Reading) -> Result<(Sheet, String, usize), Error> {
    let sheets = book.sheet_names();
    let title = sheet_of(name, &sheets, reading)?;
    let failed = |_: XlsxError| broken(name);
    let merged = book.merge_cells_by_sheet_name(&title).unwrap_or_default();
    let mut cells = book.worksheet_cells_reader(&title).map_err(failed)?;
    let formats: Vec<Option<NumberFormat>> = cells.styles().iter().map(format_of).collect();
    let codes = cells.styles().iter().map(code_of).collect();
    let mut making = Making::new(name, reading, codes);
    let region = |of: &Dimensions| (of.start.0 + 1..of.end.0 + 2, of.start.1..of.end.1 + 1);
    making.sheet.merged = merged.iter().map(region).collect();
    while let Some((cell, style)) = cells.next_cell_with_style_id().map_err(failed)? {
        let format = formats.get(style).and_then(Option::as_ref);
        making.add(cell.get_position(), |sheet| push(sheet, cell.get_value(), format, style))?;
    }
    Ok((making.finish(), title, sheets.len()))
}

fn format_of(style: &Style) -> Option<NumberFormat> {
    NumberFormat::parse(&style.number_format.as_ref()?.format_code)
}

fn code_of(style: &Style) -> String {
    style.number_format.as_ref().map_or(String::new(), |format| format.format_code.to_string())
}

/// Writes a value as the workbook shows it. Gives what it is.
fn push(sheet: &mut Sheet, value: &DataRef, format: Option<&NumberFormat>, style: usize) -> Put {
    let text = &mut sheet.text;
    let shown = |number| Some((number, style as u32));
    let mut put = |value: &str, kind| {
        text.push_str(value);
        (kind, None)
    };
    let number = match value {
        DataRef::Empty => return (CellKind::Nothing, None),
        DataRef::String(value) => return put(value, CellKind::Text),
        DataRef::SharedString(value) => return put(value, CellKind::Text),
        DataRef::DateTimeIso(value) => return put(value, CellKind::Date),
        DataRef::DurationIso(value) => return put(value, CellKind::Text),
        DataRef::Error(error) => return put(&error.to_string(), CellKind::Text),
        DataRef::Bool(value) => return put(if *value { "true" } else { "false" }, CellKind::Truth),
        DataRef::DateTime(date) => {
            let kind = if date.is_duration() || date.as_f64() < 1.0 { CellKind::Text } else { CellKind::Date };
            return (put(&iso(date), kind).0, shown(serial(date)));
        }
        DataRef::Int(number) => *number as f64,
        DataRef::Float(number) => *number,
    };
    if number.abs() >= 10_f64.powi(DIGITS as i32) {
        sheet.imprecise += 1;
    }
    // What is shown is a number only as far as it says no more.
    match format {
        Some(format) => {
            text.push_str(&format.show(number));
            (CellKind::Text, shown(number))
        }
        None => {
            text.push_str(&number_format::plain(number));
            (CellKind::Number, None)
        }
    }
}

/// A date as a number of days since the end of 1899, also where the workbook counts from 1904.
fn serial(date: &ExcelDateTime) -> f64 {
    let number = date.as_f64();
    let of_1904 = ExcelDateTime::new(number, ExcelDateTimeType::DateTime, true);
    if *date == of_1904 { number + 1462.0 } else { number }
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
