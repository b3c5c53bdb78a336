//! The most frequent values of a column, with bars.

use anstyle::Style;
use keen_notch_core::survey::{Count, FrequentValue};

use super::{SurveyedColumn, rounded};
use crate::draw::rows;
use crate::draw::style::{self, paint};
use crate::draw::{bar, table, visible};

const FEW: u64 = 20;
const MOST_VALUES: usize = 6;
const BAR: usize = 16;

pub struct FrequentTable {
    /// Whether all values are shown, because there are few.
    pub are_all: bool,
    pub lines: Vec<String>,
}

pub fn draw(column: &SurveyedColumn, width: usize) -> FrequentTable {
    let survey = column.survey;
    let distinct = survey.distinct();
    let are_all = matches!(distinct, Count::Exact(count) if count <= FEW && count < survey.values());
    let shown = survey.frequent(if are_all { FEW as usize } else { MOST_VALUES });
    let is_frequent = |value: &FrequentValue| are_all || value.rows != Count::Exact(1);
    let shown: Vec<FrequentValue> = shown.into_iter().filter(is_frequent).collect();
    let quiet = |words: &str| textwrap::wrap(words, width).into_iter().map(|line| paint(style::QUIET, line)).collect();
    if shown.is_empty() {
        let words = "too many distinct values to count each, and no value is in 1 of 200 rows of a sample";
        return FrequentTable { are_all, lines: if survey.counts_each() { Vec::new() } else { quiet(words) } };
    }
    let mut lines = table::fitted(width, 12, |space| {
        let mut drawn = table::table(["value", "rows", "share", "", ""], usize::MAX);
        for index in 1..3 {
            table::align_right(&mut drawn, index);
        }
        for value in &shown {
            let (Count::Exact(count) | Count::About(count)) = value.rows;
            let (about, number, place) = match value.rows {
                Count::Exact(count) => ("", count, "first in"),
                Count::About(count) => ("~ ", rounded(count), "such as"),
            };
            drawn.add_row(vec![
                table::cell(visible::clipped(&visible::value(&value.value), space), style::HEAD),
                table::cell(format!("{about}{}", visible::grouped(number)), Style::new()),
                table::cell(format!("{about}{}", visible::share(count, survey.values())), Style::new()),
                table::cell(format!("{:<BAR$}", bar::lying(count, survey.values(), BAR)), Style::new()),
                table::cell(format!("{place} row {}", rows::number(column.inputs, value.first)), style::QUIET),
            ]);
        }
        drawn
    });
    if !survey.counts_each() {
        let words: Vec<String> =
            quiet("too many different values to count each: these are estimates from a sample of the rows");
        lines.extend(words);
    }
    if are_all {
        lines.push(String::new());
    }
    FrequentTable { are_all, lines }
}
