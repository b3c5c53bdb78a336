//! Faults: a table of the checks, and rows with marked errors.

use std::ops::Range;

use anstream::adapter::strip_str;
use anstyle::Style;
use keen_notch_core::check::ViolationKind;
use keen_notch_core::column::Header;
use keen_notch_core::gauge::Gauge;
use keen_notch_core::summary::{CheckCounts, Level, Summary};
use keen_notch_io::carve::{FaultyRow, Job, Report};
use keen_notch_io::source::Format;

use super::ruler::{self, Mark};
use super::style::{self, paint};
use super::{long, visible};

/// The table of checks. On a narrow terminal it clips long checks, lists fewer rows, and finally drops the source columns. An earlier
/// summary adds a column with its counts.
pub fn table(summary: &Summary, then: Option<&Summary>, width: usize) -> Vec<String> {
    let with_columns = super::table::fitted(width, 24, |space| draw_table(summary, then, true, space));
    match with_columns.iter().any(|line| visible::width(&strip_str(line).to_string()) > width) {
        true => super::table::fitted(width, 24, |space| draw_table(summary, then, false, space)),
        false => with_columns,
    }
}

fn draw_table(summary: &Summary, then: Option<&Summary>, with_columns: bool, space: usize) -> comfy_table::Table {
    let heads = [
        Some("of"),
        with_columns.then_some("column"),
        Some("check"),
        Some("checked"),
        then.map(|_| "then"),
        Some(if then.is_some() { "now" } else { "failed" }),
        Some("share"),
        Some("first rows"),
    ];
    let mut drawn = super::table::table(heads.into_iter().flatten(), usize::MAX);
    for check in &summary.checks {
        let was = then.map(|then| then.checks.iter().find(|was| check.is_same(was)));
        let is_met = check.rows == 0;
        if check.implied && is_met && was.flatten().is_none_or(|was| was.rows == 0) {
            continue;
        }
        let count = match (is_met, check.level) {
            (true, _) => style::QUIET,
            (false, Level::Warning) => style::LOOK,
            (false, Level::Fault) => style::FAULT,
        };
        let warns = if check.level == Level::Warning { " (warns)" } else { "" };
        let words = visible::clipped(&visible::value(&check.check), (space * 3 / 5).min(60) - warns.len()) + warns;
        let column = check.column.as_deref().map_or(String::new(), visible::value);
        let share = match check.checked {
            _ if check.elsewhere => "not compared yet".to_owned(),
            0 => "no value".to_owned(),
            _ if is_met => "all pass".to_owned(),
            checked => visible::share(check.rows, checked),
        };
        let was = was.map(|was| match was {
            Some(was) if was.rows > 0 => {
                format!("{} ({})", visible::grouped(was.rows), visible::share(was.rows, was.checked))
            }
            Some(_) => "0".to_owned(),
            None => "not asked".to_owned(),
        });
        let checked = if check.checked == 0 { style::LOOK } else { Style::new() };
        let cell = super::table::cell;
        let cells = [
            Some(cell(visible::value(&check.of), style::HEAD)),
            with_columns.then(|| cell(column, Style::new())),
            Some(cell(words, Style::new())),
            Some(cell(visible::grouped(check.checked), checked)),
            was.map(|was| cell(was, style::QUIET)),
            Some(cell(if check.elsewhere { String::new() } else { visible::grouped(check.rows) }, count)),
            Some(cell(share, count)),
            Some(cell(first_rows(check, summary.inputs.len() > 1, space * 2 / 5), Style::new())),
        ];
        drawn.add_row(cells.into_iter().flatten());
    }
    drawn
}

/// Checks that the run no longer has, in one line.
pub fn not_asked_any_more(summary: &Summary, then: &Summary) -> Option<String> {
    let gone = then.checks.iter().filter(|was| !was.implied && !summary.checks.iter().any(|check| check.is_same(was)));
    let gone: Vec<String> = gone.map(|was| format!("{}: {}", was.of, was.check)).collect();
    (!gone.is_empty()).then(|| visible::without_controls(&format!("no longer checked: {}", gone.join("; "))))
}

fn first_rows(check: &CheckCounts, are_several: bool, space: usize) -> String {
    let rows: Vec<(&str, u64)> = check.first_rows.iter().map(|row| (row.file.as_str(), row.row)).collect();
    let shown = |most: usize| {
        let more = if check.rows > most as u64 { " …" } else { "" };
        visible::value(&(super::rows::of_inputs(&rows[..most], are_several, ", ") + more))
    };
    let fits = (1..=rows.len()).rev().map(shown).find(|words| visible::width(words) <= space);
    fits.unwrap_or_else(|| shown(rows.len().min(1)))
}

const MOST_TEXTS: usize = 6;
const MOST_TEXT: usize = 40;

/// The most frequent failing texts of each check, with counts.
pub fn failing(report: &Report, job: &Job, width: usize) -> Vec<String> {
    let mut lines = Vec::new();
    for ((check, seen), failing) in job.checks().iter().zip(&report.totals.failed).zip(&report.failing) {
        let top = failing.top(MOST_TEXTS);
        if seen.count == 0 || top.texts.is_empty() {
            continue;
        }
        let text = |(text, count): &(&str, u64)| {
            let shown = if text.is_empty() { "(blank)".to_owned() } else { visible::clipped(&visible::value(text), MOST_TEXT) };
            if *count == 1 { shown } else { format!("{shown} ({} times)", visible::grouped(*count)) }
        };
        let mut texts: Vec<String> = top.texts.iter().map(text).collect();
        texts.extend((top.other_rows > 0).then(|| format!("and {}", visible::counted(top.other_rows, "more row"))));
        let words = visible::without_controls(&format!("{}, {}:", check.of, check.words));
        lines.push(String::new());
        lines.push(paint(style::HEAD, visible::clipped(&words, width)));
        let options = textwrap::Options::new(width).initial_indent("  ").subsequent_indent("  ");
        lines.extend(textwrap::wrap(&texts.join("   "), options).into_iter().map(String::from));
    }
    lines
}

/// A row with its faults: the value on the ruler, with the piece and the wrong character marked.
pub fn sample(
    sample: &FaultyRow,
    report: &Report,
    job: &Job,
    (header, format): (&Header, &Format),
    width: usize,
) -> Vec<String> {
    let row = super::rows::on_line(&super::rows::number(&report.inputs, sample.row), sample.line, format);
    let mut lines = vec![paint(style::HEAD, visible::without_controls(&row))];
    for (fault, value) in &sample.faults {
        let check = &job.checks()[fault.check];
        let column = check.column.map_or(String::new(), |column| format!(" of {}", header.title(column)));
        let what = visible::without_controls(&format!("{}{column}", check.of));
        let level = if check.only_warns { style::LOOK } else { style::FAULT };
        let detail = visible::without_controls(&fault.violation.detail);
        let mut kind = fault.violation.kind.to_string();
        let width_with = |kind: &str| visible::width(&format!("  {what}: {detail}  {kind}"));
        // The check, if it fits beside the explanation.
        let with_words = format!("{kind} ({})", visible::without_controls(&check.words));
        if width_with(&with_words) <= width {
            kind = with_words;
        }
        if width_with(&kind) <= width {
            lines.push(format!("  {what}: {}  {}", paint(level, detail), paint(style::QUIET, kind)));
        } else {
            let options = textwrap::Options::new(width).initial_indent("    ").subsequent_indent("    ");
            lines.push(visible::clipped(&format!("  {what}  {kind}"), width));
            lines.extend(textwrap::wrap(&detail, options).iter().map(|line| paint(level, line)));
        }
        let Some((start, end)) = fault.place.filter(|_| !value.is_empty()) else {
            if !value.is_empty() {
                lines.push(format!("  {}", visible::clipped_value(value, width.saturating_sub(2))));
            }
            continue;
        };
        if value.len() > long::VERY_LONG {
            lines.extend(long::draw(&check.of, value, &(start..end), width));
            continue;
        }
        let gauge = Gauge::new(value);
        let piece = gauge.covered(&(start..end));
        let at = fault.violation.at.map(|at| piece.start + at - 1).filter(|at| *at < piece.end);
        let mut marks = Vec::new();
        match at {
            // A layout matches up to the wrong character.
            Some(at) if fault.violation.kind == ViolationKind::WrongLayout => {
                marks.push(Mark::taken("fits", one(piece.start..at)))
            }
            _ => marks.push(Mark::taken(&check.of, one(piece))),
        }
        marks.extend(at.map(|at| Mark { name: "here", ranges: one(at..at + 1), style: style::ERROR }));
        lines.extend(ruler::draw_around(&gauge, &marks, width));
    }
    lines
}

fn one(range: Range<usize>) -> Vec<Range<usize>> {
    std::iter::once(range).collect()
}
