//! The dates of a column.

use anstyle::Style;
use keen_notch_core::dates::{DateCounts, RecognisedDates};
use keen_notch_io::inputs::Inputs;

use super::{SurveyedColumn, bars};
use crate::draw::style::{self, paint};
use crate::draw::{rows, table, visible};
use crate::rules::today;

/// `are_shown`: whether the page lists all values.
pub fn draw(column: &SurveyedColumn, are_shown: bool) -> Vec<String> {
    let dates = column.survey.dates();
    let found = dates.recognised();
    let Some(first) = found.first() else { return Vec::new() };
    let mut lines = formats(column, &found);
    lines.extend(after_today(&dates, column.inputs, first).map(|words| paint(style::LOOK, words)));
    if !are_shown {
        let of_format = if found.len() > 1 { format!(" as read by {}", visible::quoted(first.format)) } else { String::new() };
        let bars: Vec<(String, u64)> = dates.bars(first.format).into_iter().map(|bar| (bar.period, bar.count)).collect();
        if bars.len() > 1 && !of_format.is_empty() {
            lines.push(paint(style::QUIET, format!("values{of_format}:")));
        }
        lines.extend(bars::draw(&bars));
    }
    lines
}

/// The dates after today, as a sentence without a full stop.
pub fn after_today(dates: &DateCounts, inputs: &Inputs, found: &RecognisedDates) -> Option<String> {
    let today = today();
    let after = dates.after(&today, found.format);
    let words =
        || format!("{} after today, {today}: {}", visible::counted(after.count, "date"), rows::in_words(inputs, &after));
    (after.count > 0).then(words)
}

/// The formats that read the values.
fn formats(column: &SurveyedColumn, found: &[RecognisedDates]) -> Vec<String> {
    let is_ambiguous = found.iter().any(|found| found.only < found.texts);
    let heads = ["", "in values", "only by this", "earliest", "latest"];
    let mut drawn = table::table(heads.into_iter().filter(|head| is_ambiguous || *head != "only by this"), usize::MAX);
    table::align_right(&mut drawn, 1);
    for date in found {
        let mut cells = vec![
            table::cell(format!("date {}", visible::quoted(date.format)), style::HEAD),
            table::cell(visible::share(date.texts, column.survey.values()), Style::new()),
        ];
        if is_ambiguous {
            cells.push(table::cell(visible::grouped(date.only), Style::new()));
        }
        let dated = [&date.earliest, &date.latest];
        cells.extend(dated.map(|dated| {
            table::cell(format!("{} (row {})", dated.date, rows::number(column.inputs, dated.row)), Style::new())
        }));
        drawn.add_row(cells);
    }
    table::lines(&drawn)
}
