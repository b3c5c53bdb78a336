//! The distribution of the numbers of a column.

use keen_notch_core::survey::{Extreme, NumberBar, NumberDistribution};

use super::{SurveyedColumn, bars};
use crate::draw::style::{self, paint};
use crate::draw::{rows, visible};

const MOST_BARS: usize = 10;

/// `are_shown`: whether the page lists all values.
pub fn draw(column: &SurveyedColumn, are_shown: bool, width: usize) -> Vec<String> {
    // Equal numbers have no distribution.
    let Some(numbers) = column.survey.numbers().filter(|numbers| numbers.quartiles[0] < numbers.quartiles[4]) else {
        return Vec::new();
    };
    let mut lines = Vec::new();
    let style = numbers.style.map_or_else(String::new, |style| format!(", like {}", visible::quoted(style)));
    if numbers.count < column.survey.values() || numbers.style.is_some() {
        let share = visible::share(numbers.count, column.survey.values());
        lines.push(format!("{share} of the values are numbers{style}"));
    }
    if !numbers.is_exact {
        lines.push(paint(style::QUIET, "too many distinct numbers to count each: quartiles and bars are within 1 %"));
    }
    lines.push(quartiles(&numbers));
    let bars = if are_shown { Vec::new() } else { numbers.bars(MOST_BARS) };
    lines.extend(bars::draw(&bars.iter().map(|bar| (name(bar), bar.count)).collect::<Vec<_>>()));
    for (extremes, count, side) in
        [(&numbers.far_below, numbers.far[0], "below"), (&numbers.far_above, numbers.far[1], "above")]
    {
        lines.extend(far(column, extremes, count, side, width));
    }
    lines
}

/// `0.5 ─ 3.25 ─ 12 ─ 48 ─ 99 999` with names.
fn quartiles(numbers: &NumberDistribution) -> String {
    let names = ["least", "first quartile", "median", "third quartile", "greatest"];
    let part = |(name, (index, value)): (&str, (usize, &f64))| {
        let about = if numbers.is_exact || index == 0 || index == 4 { "" } else { "~ " };
        format!("{} {about}{}", paint(style::QUIET, name), number(*value))
    };
    names.into_iter().zip(numbers.quartiles.iter().enumerate()).map(part).collect::<Vec<_>>().join("   ")
}

fn far(column: &SurveyedColumn, extremes: &[Extreme], count: u64, side: &str, width: usize) -> Vec<String> {
    if extremes.is_empty() {
        return Vec::new();
    }
    let one = |extreme: &Extreme| {
        let place = format!("row {}", rows::number(column.inputs, extreme.first));
        let more = if extreme.rows > 1 { format!(" and {} more", visible::grouped(extreme.rows - 1)) } else { String::new() };
        format!("{} ({place}{more})", visible::value(&extreme.text))
    };
    let shown: u64 = extremes.iter().map(|extreme| extreme.rows).sum();
    let more = if count > shown { " …" } else { "" };
    let list = extremes.iter().map(one).collect::<Vec<_>>().join(", ");
    let words = format!("{} far {side} the others: {list}{more}", visible::counted(count, "value"));
    let options = textwrap::Options::new(width).subsequent_indent("  ");
    textwrap::wrap(&words, options).into_iter().map(|line| paint(style::LOOK, line)).collect()
}

fn name(bar: &NumberBar) -> String {
    match bar.are_whole {
        true if bar.to - bar.from <= 1.0 => number(bar.from),
        true => format!("{} to {}", number(bar.from), number(bar.to - 1.0)),
        false => format!("{} to < {}", number(bar.from), number(bar.to)),
    }
}

/// A number with at most ten significant digits, and spaces between thousands.
pub fn number(number: f64) -> String {
    let digits = if number == 0.0 { 0 } else { 9 - number.abs().log10().floor() as i32 };
    let plain = format!("{number:.*}", digits.clamp(0, 20) as usize);
    let plain = if plain.contains('.') { plain.trim_end_matches('0').trim_end_matches('.') } else { &plain };
    let (sign, size) = plain.strip_prefix('-').map_or(("", plain), |size| ("−", size));
    let (whole, decimals) = size.split_once('.').map_or((size, None), |(whole, decimals)| (whole, Some(decimals)));
    let whole = whole.parse().map_or_else(|_| whole.to_owned(), visible::grouped);
    format!("{sign}{whole}{}", decimals.map_or_else(String::new, |decimals| format!(".{decimals}")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_as_people_write_them() {
        for (given, expected) in [
            (0.0, "0"),
            (-0.5, "−0.5"),
            (3.25, "3.25"),
            (1234567.0, "1 234 567"),
            (0.1 + 0.2, "0.3"),
            (12_345.678_9, "12 345.6789"),
            (1e-7, "0.0000001"),
            (1e15, "1 000 000 000 000 000"),
        ] {
            assert_eq!(number(given).replace(['\u{a0}', '\u{202f}'], " "), expected);
        }
    }
}
