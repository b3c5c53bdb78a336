//! Numbers, dates and times as a workbook shows them.

use calamine::{ExcelDateTime, ExcelDateTimeType};
use keen_notch_core::number_format::{self, DIGITS, NumberFormat};

use super::cells::Sheet;
use super::making::Put;
use crate::source::CellKind;

/// Writes a number as the workbook shows it. Gives what it is; `style` is the index of the format's code.
pub fn push_number(sheet: &mut Sheet, number: f64, format: Option<&NumberFormat>, style: usize) -> Put {
    if number.abs() >= 10_f64.powi(DIGITS as i32) {
        sheet.imprecise += 1;
    }
    // What is shown is a number only as far as it says no more.
    match format {
        Some(format) => {
            sheet.text.push_str(&format.show(number));
            (CellKind::Text, Some((number, style as u32)))
        }
        None => {
            sheet.text.push_str(&number_format::plain(number));
            (CellKind::Number, None)
        }
    }
}

/// Writes a date, a time or a duration. Gives what it is; `style` is the index of the format's code.
pub fn push_moment(sheet: &mut Sheet, moment: &ExcelDateTime, style: usize) -> Put {
    let kind = if moment.is_duration() || moment.as_f64() < 1.0 { CellKind::Text } else { CellKind::Date };
    sheet.text.push_str(&iso(moment));
    (kind, Some((serial(moment), style as u32)))
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
