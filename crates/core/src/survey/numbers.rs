//! The numbers of a column: quartiles, a histogram, and numbers far from the others.
//!
//! Up to a limit of distinct numbers, each is counted. Beyond it, bins with a relative error of 1 % are counted (Masson, Rim, Lee: DDSketch,
//! PVLDB 12, 2019). Both depend only on the set of rows.

use std::sync::LazyLock;

use super::number_counts::{Extreme, NumberCounts};
use crate::phrase::ast::NumberExample;
use crate::program::NumberPlan;
use crate::program::number::{STYLES, is_mark};
#[cfg(feature = "cutlist")]
use crate::sightings::are_within;
use crate::sightings::at_rank;

/// A column has numbers if at least this share of its values are numbers.
const MOSTLY: f64 = 0.9;
/// Longer texts are no numbers, in bytes.
const LONGEST: usize = 40;
/// Tukey's outer fence: a number is far if it is this many times the interquartile range beyond a quartile (Exploratory Data Analysis, 1977).
const FAR: f64 = 3.0;

/// Bins have smaller numbers.
#[cfg(feature = "cutlist")]
const MOST_BINS: i32 = 10_000;

/// The name of numbers with a decimal point and no other mark in a saved survey.
#[cfg(feature = "cutlist")]
const POINTED: &str = "1.5";

/// The example of the style without thousands marks.
const USUAL: &str = "1234.5";

/// The style without thousands marks, and the usual styles with them.
const COUNT: usize = 1 + STYLES.len();

static PLANS: LazyLock<[Option<NumberPlan>; COUNT]> = LazyLock::new(|| {
    std::array::from_fn(|style| {
        let digits = example(style).unwrap_or(USUAL);
        let signed = [format!("-{digits}"), format!("{digits}-"), format!("({digits})")];
        NumberPlan::whole(&signed.map(|text| NumberExample { text, span: 0..0 })).ok()
    })
});

fn example(style: usize) -> Option<&'static str> {
    STYLES.get(style.checked_sub(1)?).map(|(example, _)| *example)
}

/// Numbers, as each style reads them.
#[derive(Debug, Clone)]
pub struct Numbers {
    values: u64,
    /// Numbers without a mark, which all styles read alike.
    unmarked: NumberCounts,
    /// Numbers with a decimal point and no other mark, which the styles with that decimal mark read alike.
    pointed: NumberCounts,
    marked: [NumberCounts; COUNT],
    plain: String,
}

/// The distribution of the numbers of a column.
///
/// ```
/// use keen_notch_core::survey::Survey;
///
/// let survey = Survey::of_values(["7", "1,200", "3.5", "12"]);
/// let numbers = survey.numbers().unwrap();
/// assert_eq!((numbers.style, numbers.count), (Some("1,234.5"), 4));
/// assert_eq!(numbers.quartiles, [3.5, 3.5, 7.0, 12.0, 1200.0]);
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct NumberDistribution {
    /// An example of the style, as `like` takes it; `None` without thousands marks and with a decimal point.
    pub style: Option<&'static str>,
    /// The number of values that are numbers.
    pub count: u64,
    /// Whether each number is counted. If not, all but the extremes are within 1 %.
    pub is_exact: bool,
    /// The least number, the quartiles (nearest rank), and the greatest.
    pub quartiles: [f64; 5],
    /// Numbers more than three times the interquartile range below the first quartile, the least first; at most five distinct ones.
    pub far_below: Vec<Extreme>,
    /// The same above the third quartile, the greatest first.
    pub far_above: Vec<Extreme>,
    /// Values that are far below, and far above.
    pub far: [u64; 2],
    are_whole: bool,
    counts: Vec<(f64, u64)>,
}

/// A bar of the histogram: numbers from `from` to before `to`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct NumberBar {
    pub from: f64,
    pub to: f64,
    pub count: u64,
    /// Whether all numbers are whole.
    pub are_whole: bool,
}

impl Numbers {
    pub fn new() -> Numbers {
        Numbers::with(NumberCounts::default())
    }

    /// Numbers for saving: in wide bins, without extremes.
    #[cfg(feature = "cutlist")]
    pub fn wide() -> Numbers {
        Numbers::with(NumberCounts::wide())
    }

    fn with(counts: NumberCounts) -> Numbers {
        let marked = std::array::from_fn(|_| counts.clone());
        Numbers { values: 0, unmarked: counts.clone(), pointed: counts, marked, plain: String::new() }
    }

    /// Observes a value that `count` rows have, first `row`.
    #[inline]
    pub fn observe(&mut self, row: u64, value: &str, count: u64) {
        self.values += count;
        let text = value.trim();
        let is_start = |byte: u8| byte.is_ascii_digit() || matches!(byte, b'-' | b'+' | b'(' | 0xE2);
        // U+2212 is E2 88 92.
        let is_end = |byte: u8| byte.is_ascii_digit() || matches!(byte, b'-' | b'+' | b')' | 0x92);
        if value.len() <= LONGEST && text.bytes().next().is_some_and(is_start) && text.bytes().next_back().is_some_and(is_end) {
            self.read(row, text, count);
        }
    }

    fn read(&mut self, row: u64, text: &str, count: u64) {
        let (before, digits) = text.split_at(text.find(|c: char| c.is_ascii_digit()).unwrap_or(text.len()));
        let digits = &digits[..digits.rfind(|c: char| c.is_ascii_digit()).map_or(0, |last| last + 1)];
        let after = &text[before.len() + digits.len()..];
        let are_whole = are_digits(digits);
        let is_number = |text: &str| text.chars().all(|c| c.is_ascii_digit() || c.is_whitespace() || is_mark(c));
        if digits.is_empty() || is_code(digits) || !(are_whole || is_number(digits)) {
            return;
        }
        let is_usual_sign = after.is_empty() && matches!(before, "" | "-" | "+");
        if are_whole && is_usual_sign {
            if let Ok(number) = text.parse() {
                self.unmarked.observe(row, number, text, count);
            }
            return;
        }
        let has_point = digits.split_once('.').is_some_and(|(whole, decimals)| are_digits(whole) && are_digits(decimals));
        if has_point
            && is_usual_sign
            && let Ok(number) = text.parse()
        {
            self.pointed.observe(row, number, text, count);
        }
        for (style, plan) in PLANS.iter().enumerate() {
            // A text without marks is the same number in all styles.
            let is_read = if are_whole { style > 0 } else { has_point && is_usual_sign && decimal(style) == '.' };
            if is_read || !has_marks_of(style, digits) {
                continue;
            }
            let Some(plan) = plan.as_ref().filter(|plan| plan.is_whole(text)) else { continue };
            self.plain.clear();
            let plain = if plan.write(text, &mut self.plain) { &self.plain } else { text };
            let counts = if are_whole { &mut self.unmarked } else { &mut self.marked[style] };
            if let Ok(number) = plain.parse() {
                counts.observe(row, number, text, count);
            }
        }
    }

    pub fn merge(&mut self, other: &Numbers) {
        self.values += other.values;
        self.each_mut().zip(other.each()).for_each(|(counts, other)| counts.merge(other));
    }

    fn each(&self) -> impl Iterator<Item = &NumberCounts> {
        [&self.unmarked, &self.pointed].into_iter().chain(&self.marked)
    }

    fn each_mut(&mut self) -> impl Iterator<Item = &mut NumberCounts> {
        [&mut self.unmarked, &mut self.pointed].into_iter().chain(&mut self.marked)
    }

    pub fn bytes(&self) -> usize {
        self.each().map(NumberCounts::bytes).sum()
    }

    /// The numbers in the style that reads most values; `None` if too few are numbers.
    pub fn distribution(&self) -> Option<NumberDistribution> {
        let (style, all) = self.all()?;
        let counts = all.counts();
        let at = |share: f64| nearest_rank(&counts, all.count(), share);
        let [first, median, third] = [0.25, 0.5, 0.75].map(at);
        let ends = all.range().or_else(|| Some((counts.first()?.0, counts.last()?.0)))?;
        let reach = FAR * (third - first);
        let is_below = |number: f64| reach > 0.0 && number < first - reach;
        let is_above = |number: f64| reach > 0.0 && number > third + reach;
        let far =
            |is_far: &dyn Fn(f64) -> bool| counts.iter().filter(|(number, _)| is_far(*number)).map(|(_, count)| count).sum();
        Some(NumberDistribution {
            style: example(style),
            count: all.count(),
            is_exact: all.is_exact(),
            quartiles: [ends.0, first, median, third, ends.1],
            far_below: all.least().filter(|extreme| is_below(extreme.number)).cloned().collect(),
            far_above: all.greatest().filter(|extreme| is_above(extreme.number)).cloned().collect(),
            far: [far(&is_below), far(&is_above)],
            are_whole: all.are_whole(),
            counts,
        })
    }

    /// The style that reads most values, and its numbers.
    pub(super) fn all(&self) -> Option<(usize, NumberCounts)> {
        let with_point = |style: usize| if decimal(style) == '.' { self.pointed.count() } else { 0 };
        let count = |(style, counts): (usize, &NumberCounts)| counts.count() + with_point(style);
        // Of several styles that read as many, the first.
        let (style, marked) = self.marked.iter().enumerate().rev().max_by_key(|(style, counts)| count((*style, counts)))?;
        let mut counts = self.unmarked.clone();
        counts.merge(marked);
        if decimal(style) == '.' {
            counts.merge(&self.pointed);
        }
        (counts.count() > 0 && counts.count() as f64 >= MOSTLY * self.values as f64).then_some((style, counts))
    }
}

/// Saved counts of numbers: wide bins by style, without single numbers.
#[cfg(feature = "cutlist")]
#[derive(Debug, Clone, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct SavedNumbers {
    pub values: u64,
    pub styles: Vec<SavedStyle>,
}

#[cfg(feature = "cutlist")]
#[derive(Debug, Clone, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct SavedStyle {
    /// An example of a style; empty for numbers without a mark.
    pub like: String,
    pub has_decimals: bool,
    pub bins: Vec<(i32, u64)>,
}

#[cfg(feature = "cutlist")]
impl SavedNumbers {
    /// Whether the counts fit a number of rows. An edited file may have others.
    pub(super) fn is_sound(&self, rows: u64) -> bool {
        let is_bin = |(bin, _): &(i32, u64)| (-MOST_BINS..=MOST_BINS).contains(bin);
        let is_sound = |style: &SavedStyle| {
            style.bins.iter().all(is_bin) && are_within(style.bins.iter().map(|(_, count)| *count), self.values)
        };
        self.values <= rows && self.styles.len() <= COUNT + 2 && self.styles.iter().all(is_sound)
    }
}

#[cfg(feature = "cutlist")]
impl Numbers {
    fn names() -> impl Iterator<Item = &'static str> {
        ["", POINTED].into_iter().chain((0..COUNT).map(|style| example(style).unwrap_or(USUAL)))
    }

    pub(super) fn saved(&self) -> SavedNumbers {
        let style = |(name, counts): (&str, &NumberCounts)| SavedStyle {
            like: name.to_owned(),
            has_decimals: !counts.are_whole(),
            bins: counts.wide_bins().into_iter().collect(),
        };
        let styles = Numbers::names().zip(self.each()).map(style).filter(|style| !style.bins.is_empty());
        SavedNumbers { values: self.values, styles: styles.collect() }
    }

    /// Restores saved counts. Unknown styles are left out.
    pub(super) fn of_saved(saved: &SavedNumbers) -> Numbers {
        let mut numbers = Numbers { values: saved.values, ..Numbers::wide() };
        for style in &saved.styles {
            if let Some(place) = Numbers::names().position(|name| name == style.like)
                && let Some(counts) = numbers.each_mut().nth(place)
            {
                *counts = NumberCounts::of_wide(style.bins.iter().copied(), style.has_decimals);
            }
        }
        numbers
    }
}

fn decimal(style: usize) -> char {
    style.checked_sub(1).and_then(|style| STYLES.get(style)).map_or('.', |(_, decimal)| *decimal)
}

/// Whether a style has all marks of a number.
fn has_marks_of(style: usize, digits: &str) -> bool {
    let example = example(style).unwrap_or(USUAL);
    let is_blank = |c: char| c.is_whitespace() && example.contains(' ');
    digits.chars().all(|c| c.is_ascii_digit() || example.contains(c) || is_blank(c))
}

fn are_digits(text: &str) -> bool {
    !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit())
}

/// Whether a number begins with a zero that a number would not have: `007`.
fn is_code(digits: &str) -> bool {
    matches!(digits.as_bytes(), [b'0', b'0'..=b'9', ..])
}

/// The number at a share of all, by rank: the least number that is not below that share.
fn nearest_rank(counts: &[(f64, u64)], count: u64, share: f64) -> f64 {
    let rank = ((count as f64 * share).ceil() as u64).max(1);
    at_rank(counts.iter().copied(), rank).or(counts.last().map(|(number, _)| *number)).unwrap_or_default()
}

impl NumberDistribution {
    /// Up to about `most` bars of one width, a round number, for the numbers that are not far from the others.
    ///
    /// ```
    /// use keen_notch_core::survey::Survey;
    ///
    /// let survey = Survey::of_values(["3", "7", "12", "14", "25", "9000"]);
    /// let bars = survey.numbers().unwrap().bars(5);
    /// let bars: Vec<(f64, f64, u64)> = bars.iter().map(|bar| (bar.from, bar.to, bar.count)).collect();
    /// assert_eq!(bars, [(0.0, 5.0, 1), (5.0, 10.0, 1), (10.0, 15.0, 2), (15.0, 20.0, 0), (20.0, 25.0, 0), (25.0, 30.0, 1)]);
    /// ```
    pub fn bars(&self, most: usize) -> Vec<NumberBar> {
        let [least, first, _, third, greatest] = self.quartiles;
        let reach = if third > first { FAR * (third - first) } else { f64::INFINITY };
        let near: Vec<(f64, u64)> =
            self.counts.iter().copied().filter(|(number, _)| (first - reach..=third + reach).contains(number)).collect();
        let from = near.first().map_or(least, |(number, _)| number.max(least));
        let to = near.last().map_or(greatest, |(number, _)| number.min(greatest));
        if to <= from {
            return Vec::new();
        }
        let step = round_up((to - from) / most.max(1) as f64).max(if self.are_whole { 1.0 } else { 0.0 });
        let (start, end) = ((from / step).floor(), (to / step).floor());
        let bar = |index: usize| NumberBar {
            from: (start + index as f64) * step,
            to: (start + index as f64 + 1.0) * step,
            count: 0,
            are_whole: self.are_whole,
        };
        let mut bars: Vec<NumberBar> = (0..=(end - start) as usize).map(bar).collect();
        for (number, count) in near {
            let index = ((number.clamp(from, to) / step).floor() - start) as usize;
            if let Some(bar) = bars.get_mut(index) {
                bar.count += count;
            }
        }
        bars
    }
}

/// The next of 1, 2 and 5 times a power of ten.
fn round_up(step: f64) -> f64 {
    let unit = 10f64.powf(step.log10().floor());
    [1.0, 2.0, 5.0].map(|times| times * unit).into_iter().find(|round| *round >= step * (1.0 - 1e-9)).unwrap_or(10.0 * unit)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::survey::{Depth, Survey};

    fn observed(first: u64, values: &[String]) -> Numbers {
        let mut numbers = Numbers::new();
        (first..).zip(values).for_each(|(row, value)| numbers.observe(row, value, 1));
        numbers
    }

    #[test]
    fn styles_and_what_is_no_number() {
        for (values, style, count) in [
            (&["1", "-2.5", "+3"][..], Some(None), 3),
            (&["1,234.5", "7", "(3.25)"], Some(Some("1,234.5")), 3),
            (&["1.234,5", "0,5", "12-"], Some(Some("1.234,5")), 3),
            (&["1 234,5", "1\u{202f}000", "\u{2212}3"], Some(Some("1 234,5")), 3),
            (&["1'234.5", "2"], Some(Some("1'234.5")), 2),
            // Codes, dates and texts.
            (&["007", "0385"], None, 0),
            (&["2025-11-02", "GRP-1", "3", "7"], None, 0),
            (&["1e3", "1.2.3", "--4", "-", ""], None, 0),
        ] {
            let numbers = observed(1, &values.iter().map(ToString::to_string).collect::<Vec<_>>());
            let found = numbers.distribution();
            assert_eq!(found.as_ref().map(|found| found.style), style, "{values:?}");
            assert_eq!(found.map_or(0, |found| found.count), count, "{values:?}");
        }
    }

    #[test]
    fn numbers_far_from_the_others_have_rows() {
        let values: Vec<String> =
            (0..100).map(|n| if n % 40 == 7 { "9000".to_owned() } else { format!("{}", n % 10 + 5) }).collect();
        let found = observed(1, &values).distribution().unwrap();
        assert_eq!((found.far, found.far_below.len()), ([0, 3], 0));
        let far = &found.far_above[0];
        assert_eq!((far.number, far.rows, far.first, &*far.text), (9000.0, 3, 8, "9000"));
        assert_eq!(found.bars(10).iter().map(|bar| bar.count).sum::<u64>(), 97);
    }

    #[test]
    fn bins_are_within_their_error() {
        let values: Vec<String> = (0..60_000u64).map(|n| format!("{}.5", n * 7919 % 60_000 * 13)).collect();
        let found = observed(1, &values).distribution().unwrap();
        assert!(!found.is_exact);
        for (share, found) in [0.25, 0.5, 0.75].into_iter().zip(&found.quartiles[1..4]) {
            let exact = (60_000.0 * share - 1.0) * 13.0 + 0.5;
            assert!((found - exact).abs() <= 0.0101 * exact, "{found} is not {exact}");
        }
        assert_eq!((found.quartiles[0], found.quartiles[4]), (0.5, 59_999.0 * 13.0 + 0.5));
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]
        #[test]
        fn parts_merge_to_the_whole_as_sorting_gives_it(
            values in proptest::collection::vec(-9_999_999i64..9_999_999, 1..300),
            at in 0.0..1.0,
        ) {
            let written: Vec<String> = values.iter().map(|value| format!("{:.2}", *value as f64 / 100.0)).collect();
            let cut = (written.len() as f64 * at) as usize;
            let mut merged = observed(cut as u64 + 1, &written[cut..]);
            merged.merge(&observed(1, &written[..cut]));
            let found = merged.distribution().unwrap();
            prop_assert_eq!(&found, &observed(1, &written).distribution().unwrap());
            let mut sorted: Vec<f64> = written.iter().map(|value| value.parse().unwrap()).collect();
            sorted.sort_by(f64::total_cmp);
            let at_rank = |share: f64| sorted[((sorted.len() as f64 * share).ceil() as usize).max(1) - 1];
            prop_assert_eq!(found.quartiles, [sorted[0], at_rank(0.25), at_rank(0.5), at_rank(0.75), sorted[sorted.len() - 1]]);
            let bars = found.bars(10);
            let all = bars.iter().map(|bar| bar.count).sum::<u64>() + found.far[0] + found.far[1];
            prop_assert!(bars.is_empty() || all == found.count);
        }
    }

    #[test]
    fn a_column_of_dates_has_no_numbers() {
        let mut survey = Survey::new(Depth::Brief);
        (1..=28).for_each(|day| survey.observe(day, &format!("202511{day:02}")));
        assert!(survey.numbers().is_none() && !survey.dates().recognised().is_empty());
    }
}
