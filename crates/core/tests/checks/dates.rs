//! Compares dates with another library, in both directions.

use chrono::{Datelike, NaiveDate, NaiveDateTime};
use keen_notch_core::phrase::Phrase;
use keen_notch_core::program::{Program, Scratch};
use keen_notch_core::text::unit::Unit;
use proptest::prelude::*;
use proptest::sample::select;

/// Formats that the other library writes with two or four digits per field.
const FORMATS: &[&str] = &[
    "%Y-%m-%d",
    "%d.%m.%Y",
    "%m/%d/%Y",
    "%Y%m%d",
    "%d %b %Y",
    "%d-%B-%Y",
    "%Y-%j",
    "%Y/%m/%d %H:%M:%S",
    "%F",
    "%A, %d %B %Y",
    "day %d of month %m in %Y",
    "%d%m%Y",
];

const SHORT_YEARS: &[&str] = &["%d.%m.%y", "%y%m%d", "%m/%d/%y", "%d-%b-%y"];

/// The result of the step `date`; `None` if the text does not match.
fn read(step: &str, text: &str) -> Option<String> {
    let program = Program::new(&Phrase::parse(step).unwrap(), Unit::Characters).unwrap();
    let mut scratch = Scratch::default();
    let cut = program.cut(text, &mut scratch);
    cut.state.is_there().then(|| cut.text.to_owned())
}

fn date() -> impl Strategy<Value = NaiveDate> {
    (1i32..=9999, 1u32..=366).prop_filter_map("a day of the year", |(year, day)| NaiveDate::from_yo_opt(year, day))
}

fn iso(format: &str) -> &'static str {
    if format.contains("%H") { "%Y-%m-%dT%H:%M:%S" } else { "%Y-%m-%d" }
}

/// The reading of the other library, which is more lenient.
fn other_reading(text: &str, format: &str) -> Option<String> {
    let at = NaiveDateTime::parse_from_str(text, format).ok();
    let at = at.or_else(|| NaiveDate::parse_from_str(text, format).ok()?.and_hms_opt(0, 0, 0));
    at.map(|at| at.format(iso(format)).to_string())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(debug_assertions) { 200 } else { 20_000 }))]

    #[test]
    fn a_date_in_another_format_is_as_the_other_library_writes_it(
        date in date(), format in select(FORMATS), output in select([FORMATS, SHORT_YEARS].concat()),
    ) {
        let text = date.format("%Y-%m-%d").to_string();
        prop_assume!(!output.contains("%H") && !format.contains("%H"));
        let written = date.format(format).to_string();
        let step = format!("date \"{format}\" as \"{output}\"");
        prop_assert_eq!(read(&step, &written), Some(date.format(output).to_string()), "{} of {}", step, text);
    }

    #[test]
    fn files_of_another_library_are_read(date in date(), format in select(FORMATS), seconds in 0u32..86_400) {
        let at = date.and_time(chrono::NaiveTime::from_num_seconds_from_midnight_opt(seconds, 0).unwrap());
        let text = at.format(format).to_string();
        let expected = at.format(iso(format)).to_string();
        prop_assert_eq!(read(&format!("date \"{format}\""), &text), Some(expected), "{}", text);
    }

    #[test]
    fn two_digit_years_fall_in_the_stated_century(date in date(), format in select(SHORT_YEARS), from in 1900i32..2030) {
        let text = date.format(format).to_string();
        let year = (from..from + 100).find(|year| year % 100 == date.year() % 100).unwrap();
        // The 29th of February does not exist in every year.
        let expected = date.with_year(year).map(|date| date.format("%Y-%m-%d").to_string());
        prop_assert_eq!(read(&format!("date \"{format}\" from {from}"), &text), expected, "{}", text);
    }

    #[test]
    fn what_is_read_means_the_same_elsewhere(date in date(), format in select(FORMATS), at in 0usize..30, put in select(vec!["", " ", "0", "1", "9", "-", "x", "٣"])) {
        // One character is removed and another replaced.
        let written = date.and_hms_opt(7, 8, 9).unwrap().format(format).to_string();
        let changed: String = written.chars().enumerate().map(|(index, c)| if index == at { put.to_owned() } else { c.to_string() }).collect();
        if let Some(iso) = read(&format!("date \"{format}\""), &changed) {
            let there = other_reading(&changed, format);
            prop_assert_eq!(there, Some(iso), "{}", changed);
        }
        // Surrounding text and signs are not accepted.
        for odd in [format!(" {written}"), format!("{written} "), format!("-{written}"), format!("+{written}"), format!("{written}0")] {
            prop_assert_eq!(read(&format!("date \"{format}\""), &odd), None, "{}", odd);
        }
    }
}

#[test]
fn nonexistent_days() {
    for (format, text) in [
        ("%Y-%m-%d", "2025-02-29"),
        ("%Y-%m-%d", "1900-02-29"),
        ("%Y-%m-%d", "2025-04-31"),
        ("%Y-%m-%d", "2025-00-10"),
        ("%Y-%m-%d", "2025-13-01"),
        ("%Y-%m-%d", "2025-01-00"),
        ("%Y-%j", "2025-366"),
        ("%Y-%j", "2025-000"),
        ("%d %b %Y", "31 Feb 2024"),
        ("%A, %d %B %Y", "Monday, 01 January 2025"),
    ] {
        assert_eq!(read(&format!("date \"{format}\""), text), None, "{text} by {format}");
        assert_eq!(other_reading(text, format), None, "{text} by {format}, elsewhere");
    }
    assert_eq!(read("date \"%Y-%m-%d\"", "2024-02-29"), Some("2024-02-29".to_owned()));
    assert_eq!(read("date \"%Y-%m-%d\"", "2000-02-29"), Some("2000-02-29".to_owned()));
}
