//! Numbers, dates and times as a workbook displays them.

use jiff::ToSpan;
use jiff::civil::{Date, date};
use keen_notch_core::number_format::{self, DIGITS, Moment, NumberFormat, moment};

use crate::formats::workbook::cells::Sheet;
use crate::formats::workbook::sheet_builder::Put;
use crate::source::CellKind;

/// Built-in number formats (ECMA-376, part 1, section 18.8.30).
const KNOWN_FORMATS: [(u16, &str); 27] = [
    (1, "0"),
    (2, "0.00"),
    (3, "#,##0"),
    (4, "#,##0.00"),
    (9, "0%"),
    (10, "0.00%"),
    (11, "0.00E+00"),
    (12, "# ?/?"),
    (13, "# ??/??"),
    (14, "mm-dd-yy"),
    (15, "d-mmm-yy"),
    (16, "d-mmm"),
    (17, "mmm-yy"),
    (18, "h:mm AM/PM"),
    (19, "h:mm:ss AM/PM"),
    (20, "h:mm"),
    (21, "h:mm:ss"),
    (22, "m/d/yy h:mm"),
    (37, "#,##0 ;(#,##0)"),
    (38, "#,##0 ;[Red](#,##0)"),
    (39, "#,##0.00;(#,##0.00)"),
    (40, "#,##0.00;[Red](#,##0.00)"),
    (45, "mm:ss"),
    (46, "[h]:mm:ss"),
    (47, "mmss.0"),
    (48, "##0.0E+0"),
    (49, "@"),
];

const DAYS_TO_1904: f64 = 1462.0;
/// The day after 9999-12-31, the last date of a workbook.
const AFTER_LAST: i64 = 2_958_466;
const MILLISECONDS: i64 = 86_400_000;

/// The cell styles of a workbook, and the epoch of its dates.
#[derive(Default)]
pub struct Styles {
    all: Vec<Style>,
    pub is_1904: bool,
}

struct Style {
    code: String,
    format: Option<NumberFormat>,
    moment: Option<Moment>,
}

impl Styles {
    /// The cell styles, from their number format ids. `formats` has the custom formats by id; the last entry of an id wins.
    pub fn new(of_cells: &[u16], formats: &[(u16, String)]) -> Styles {
        let code = |id: &u16| {
            let written = formats.iter().rev().find(|(of, _)| of == id).map(|(_, code)| code.as_str());
            written.or_else(|| KNOWN_FORMATS.iter().find(|(of, _)| of == id).map(|(_, code)| *code)).unwrap_or_default()
        };
        let style = |code: &str| Style { code: code.to_owned(), format: NumberFormat::parse(code), moment: moment(code) };
        Styles { all: of_cells.iter().map(|id| style(code(id))).collect(), is_1904: false }
    }

    pub fn codes(&self) -> Vec<String> {
        self.all.iter().map(|style| style.code.clone()).collect()
    }

    pub fn is_date(&self, style: usize) -> bool {
        self.all.get(style).is_some_and(|style| style.moment == Some(Moment::Date))
    }

    pub fn push(&self, sheet: &mut Sheet, number: f64, style: usize) -> Put {
        let of_cell = self.all.get(style);
        if let Some(moment) = of_cell.and_then(|style| style.moment) {
            return match moment_text(number, moment, self.is_1904) {
                Some((text, kind)) => {
                    sheet.text.push_str(&text);
                    let has_day = moment != Moment::Duration && (moment != Moment::Time || number >= 1.0);
                    let since_1900 = if self.is_1904 && has_day { number + DAYS_TO_1904 } else { number };
                    (kind, Some((since_1900, style as u32)))
                }
                None => {
                    sheet.undated.count += 1;
                    sheet.text.push_str(&number_format::plain(number));
                    (CellKind::Number, None)
                }
            };
        }
        if number.abs() >= 10_f64.powi(DIGITS as i32) {
            sheet.imprecise += 1;
        }
        // The cell is a number only if its text is the plain number.
        match of_cell.and_then(|style| style.format.as_ref()) {
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
}

/// The ISO 8601 text of a date, time or duration: the displayed parts, and all parts that are not zero. `None` for invalid dates:
/// negative numbers, years after 9999, and the days before 1900-03-01 that do not exist.
fn moment_text(number: f64, moment: Moment, is_1904: bool) -> Option<(String, CellKind)> {
    if !number.is_finite() || number.abs() >= AFTER_LAST as f64 {
        return None;
    }
    let milliseconds = (number * MILLISECONDS as f64).round() as i64;
    if moment == Moment::Duration {
        let seconds = milliseconds.unsigned_abs().div_ceil(1000);
        let seconds = if milliseconds.unsigned_abs() % 1000 < 500 { milliseconds.unsigned_abs() / 1000 } else { seconds };
        let sign = if milliseconds < 0 { "-" } else { "" };
        let text = format!("{sign}{}:{:02}:{:02}", seconds / 3600, seconds / 60 % 60, seconds % 60);
        return Some((text, CellKind::Text));
    }
    let (days, time) = (milliseconds.div_euclid(MILLISECONDS), milliseconds.rem_euclid(MILLISECONDS));
    if days < 0 {
        return None;
    }
    let clock = clock(time);
    // On day 0, only the time counts.
    let is_time_alone = days == 0 && (moment == Moment::Time || (moment == Moment::DateAndTime && !is_1904));
    if is_time_alone {
        return Some((clock, CellKind::Text));
    }
    let day = day(days, is_1904)?;
    let text = if moment == Moment::Date && time == 0 { day.to_string() } else { format!("{day}T{clock}") };
    Some((text, CellKind::Date))
}

/// The date of a day number. The 1900 system has a 29 February 1900, which did not exist, so earlier days have another origin.
fn day(days: i64, is_1904: bool) -> Option<Date> {
    let epoch = match (is_1904, days) {
        (true, _) => date(1904, 1, 1),
        (false, 1..=59) => date(1899, 12, 31),
        (false, 61..) => date(1899, 12, 30),
        _ => return None,
    };
    epoch.checked_add(days.days()).ok()
}

fn clock(milliseconds: i64) -> String {
    let (seconds, rest) = (milliseconds / 1000, milliseconds % 1000);
    let point = if rest > 0 { format!(".{rest:03}") } else { String::new() };
    format!("{:02}:{:02}:{:02}{point}", seconds / 3600, seconds / 60 % 60, seconds % 60)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_are_shown_as_dates_and_times_or_not_at_all() {
        for (number, moment, is_1904, shown) in [
            (45_717.0, Moment::Date, false, "2025-03-01"),
            (45_717.5, Moment::Date, false, "2025-03-01T12:00:00"),
            (45_717.0, Moment::DateAndTime, false, "2025-03-01T00:00:00"),
            (45_717.337_847_222, Moment::DateAndTime, false, "2025-03-01T08:06:30"),
            (45_717.000_000_058, Moment::DateAndTime, false, "2025-03-01T00:00:00.005"),
            (0.729_166_666_7, Moment::Time, false, "17:30:00"),
            (0.0, Moment::Time, false, "00:00:00"),
            (0.5, Moment::DateAndTime, false, "12:00:00"),
            (0.999_999_999, Moment::Time, false, "1900-01-01"),
            (1.0, Moment::Date, false, "1900-01-01"),
            (59.0, Moment::Date, false, "1900-02-28"),
            (60.0, Moment::Date, false, ""),
            (61.0, Moment::Date, false, "1900-03-01"),
            (0.0, Moment::Date, false, ""),
            (0.0, Moment::Date, true, "1904-01-01"),
            (0.25, Moment::DateAndTime, true, "1904-01-01T06:00:00"),
            (0.25, Moment::Time, true, "06:00:00"),
            (366.0, Moment::Date, true, "1905-01-01"),
            (2_958_465.0, Moment::Date, false, "9999-12-31"),
            (2_958_466.0, Moment::Date, false, ""),
            (20_250_301.0, Moment::Date, false, ""),
            (-5.0, Moment::Date, false, ""),
            (-0.5, Moment::Time, false, ""),
            (f64::NAN, Moment::Date, false, ""),
            (1.5, Moment::Duration, false, "36:00:00"),
            (-0.25, Moment::Duration, false, "-6:00:00"),
        ] {
            let text = moment_text(number, moment, is_1904).map_or(String::new(), |(text, _)| text);
            let expected = if shown == "1900-01-01" && number < 1.0 { "1900-01-01T00:00:00" } else { shown };
            assert_eq!(text, expected, "{number} {moment:?} {is_1904}");
        }
    }
}
