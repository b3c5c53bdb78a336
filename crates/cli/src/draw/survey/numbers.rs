//! The distribution of the numbers of a column.

use keen_notch_core::survey::{Extreme, NumberBar, NumberDistribution};
use keen_notch_io::inputs::Inputs;

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
    let bars = if are_shown { Vec::new() } else { named_bars(&numbers) };
    lines.extend(bars::draw(&bars));
    let options = textwrap::Options::new(width).subsequent_indent("  ");
    for words in far(&numbers, column.inputs) {
        lines.extend(textwrap::wrap(&words, options.clone()).into_iter().map(|line| paint(style::LOOK, line)));
    }
    lines
}

pub fn named_bars(numbers: &NumberDistribution) -> Vec<(String, u64)> {
    numbers.bars(MOST_BARS).iter().map(|bar| (name(bar), bar.count)).collect()
}

/// `least 0.5   first quartile 3.25 …`, with the names in a style of their own.
fn quartiles(numbers: &NumberDistribution) -> String {
    named_quartiles(numbers).map(|(name, value)| format!("{} {value}", paint(style::QUIET, name))).join("   ")
}

pub fn named_quartiles(numbers: &NumberDistribution) -> [(&'static str, String); 5] {
    let names = ["least", "first quartile", "median", "third quartile", "greatest"];
    std::array::from_fn(|index| {
        let about = if numbers.is_exact || index == 0 || index == 4 { "" } else { "~ " };
        (names[index], format!("{about}{}", number(numbers.quartiles[index])))
    })
}

/// The numbers far from the others, below and above, as sentences without a full stop.
pub fn far(numbers: &NumberDistribution, inputs: &Inputs) -> Vec<String> {
    let sides = [(&numbers.far_below, numbers.far[0], "below"), (&numbers.far_above, numbers.far[1], "above")];
    let words = |(extremes, count, side): (&Vec<Extreme>, u64, &str)| {
        let one = |extreme: &Extreme| {
            let place = format!("row {}", rows::number(inputs, extreme.first));
            let more =
                if extreme.rows > 1 { format!(" and {} more", visible::grouped(extreme.rows - 1)) } else { String::new() };
            format!("{} ({place}{more})", visible::value(&extreme.text))
        };
        let shown: u64 = extremes.iter().map(|extreme| extreme.rows).sum();
        let more = if count > shown { " …" } else { "" };
        let list = extremes.iter().map(one).collect::<Vec<_>>().join(", ");
        format!("{} far {side} the others: {list}{more}", visible::counted(count, "value"))
    };
    sides.into_iter().filter(|(extremes, ..)| !extremes.is_empty()).map(words).collect()
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
