//! Workbooks of the format that most programs write: .xlsx, by a package.

use calamine::{DataRef, Dimensions, Reader, Style, Xlsx, XlsxError};
use keen_notch_core::number_format::NumberFormat;

use super::archive::{Bytes, broken};
use super::cells::Sheet;
use super::making::{Making, Put, sheet_of};
use super::numbers::{push_moment, push_number};
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
    let mut put = |value: &str, kind| {
        sheet.text.push_str(value);
        (kind, None)
    };
    match value {
        DataRef::Empty => (CellKind::Nothing, None),
        DataRef::String(value) => put(value, CellKind::Text),
        DataRef::SharedString(value) => put(value, CellKind::Text),
        DataRef::DateTimeIso(value) => put(value, CellKind::Date),
        DataRef::DurationIso(value) => put(value, CellKind::Text),
        DataRef::Error(error) => put(&error.to_string(), CellKind::Text),
        DataRef::Bool(value) => put(if *value { "true" } else { "false" }, CellKind::Truth),
        DataRef::DateTime(date) => push_moment(sheet, date, style),
        DataRef::Int(number) => push_number(sheet, *number as f64, format, style),
        DataRef::Float(number) => push_number(sheet, *number, format, style),
    }
}
