//! The changes since the last run of a watched command.

use std::collections::{HashMap, HashSet};

use keen_notch_core::summary::{CheckCounts, PieceCounts, Summary};
use keen_notch_core::survey::Survey;

use super::style::{self, paint};
use super::{summary, visible};

const MOST_CELLS: usize = 5;
const MOST_SHAPES: usize = 6;
const MOST_TEXT: usize = 30;

/// The outcome of a run, for comparison with the next one.
pub struct RunOutcome {
    pub summary: Summary,
    /// The first rows, if the run keeps them.
    pub rows: Option<FirstRows>,
}

pub struct FirstRows {
    pub titles: Vec<String>,
    pub cells: Vec<Vec<String>>,
}

/// The changed counts, and the changed cells of the first rows.
pub fn lines(then: &RunOutcome, now: &RunOutcome, width: usize) -> Vec<String> {
    let mut lines = counts(&then.summary, &now.summary);
    let rows = then.rows.as_ref().zip(now.rows.as_ref());
    lines.extend(rows.iter().flat_map(|(then, now)| cells(then, now)));
    let compared = match rows {
        Some((_, FirstRows { cells, .. })) if cells.len() > 1 => format!("the counts and in the first {} rows", cells.len()),
        _ => "the counts".to_owned(),
    };
    under_head(&lines, &compared, width)
}

/// The lines under a head; without lines, a sentence that names the compared figures.
fn under_head(lines: &[String], compared: &str, width: usize) -> Vec<String> {
    if lines.is_empty() {
        let words = format!("since the last run: no change in {compared}");
        return textwrap::wrap(&words, width).into_iter().map(|line| paint(style::QUIET, line)).collect();
    }
    let options = textwrap::Options::new(width).initial_indent("  ").subsequent_indent("    ");
    let lines = lines.iter().flat_map(|line| textwrap::wrap(line, &options)).map(|line| line.into_owned());
    std::iter::once(paint(style::HEAD, "since the last run")).chain(lines).collect()
}

/// The outcome of a survey, for comparison with the next one.
pub struct SurveyOutcome {
    pub columns: Vec<ColumnOutcome>,
}

pub struct ColumnOutcome {
    label: String,
    rows: u64,
    blanks: u64,
    distinct: String,
    /// The fine shapes and the numbers of their values.
    shapes: Vec<(String, u64)>,
}

impl ColumnOutcome {
    pub fn new(label: String, survey: &Survey) -> ColumnOutcome {
        let shapes = survey.fine_groups().iter().map(|group| (group.shape.to_string(), group.seen.count)).collect();
        let (rows, blanks, distinct) = (survey.rows, survey.blank.count, super::survey::distinct(survey));
        ColumnOutcome { label, rows, blanks, distinct, shapes }
    }
}

/// The changed counts of each column.
pub fn of_surveys(then: &SurveyOutcome, now: &SurveyOutcome, width: usize) -> Vec<String> {
    let mut lines = Vec::new();
    for column in &now.columns {
        match then.columns.iter().find(|was| was.label == column.label) {
            None => lines.push(format!("the column {} is new", visible::value(&column.label))),
            Some(was) => lines.extend(of_column(was, column)),
        }
    }
    let [was, is] = [then, now].map(|outcome| outcome.columns.iter().map(|column| column.label.as_str()));
    lines.extend(gone("column", was, is));
    under_head(&lines, "rows, blanks, distinct values and shapes", width)
}

fn of_column(was: &ColumnOutcome, now: &ColumnOutcome) -> Option<String> {
    let mut words: Vec<String> = [("rows", was.rows, now.rows), ("blank", was.blanks, now.blanks)]
        .into_iter()
        .filter_map(|(words, then, now)| changed(words, then, now))
        .collect();
    if was.distinct != now.distinct {
        words.push(format!("distinct: {} before, {} now", was.distinct, now.distinct));
    }
    // A column can have thousands of shapes.
    let [before, after]: [HashMap<&String, u64>; 2] =
        [was, now].map(|outcome| outcome.shapes.iter().map(|(shape, count)| (shape, *count)).collect());
    let count = |counts: &HashMap<&String, u64>, shape: &String| counts.get(shape).copied().unwrap_or_default();
    let gone = was.shapes.iter().filter(|(shape, _)| !after.contains_key(shape));
    let all = now.shapes.iter().chain(gone).map(|(shape, _)| shape);
    let of_shapes = all.filter_map(|shape| changed(&format!("shape {shape}"), count(&before, shape), count(&after, shape)));
    let of_shapes: Vec<String> = of_shapes.collect();
    words.extend(of_shapes.iter().take(MOST_SHAPES).cloned());
    if of_shapes.len() > MOST_SHAPES {
        words.push(visible::counted((of_shapes.len() - MOST_SHAPES) as u64, "more changed shape"));
    }
    (!words.is_empty()).then(|| visible::without_controls(&format!("{}: {}", now.label, words.join("; "))))
}

fn counts(then: &Summary, now: &Summary) -> Vec<String> {
    let mut lines = Vec::new();
    let of_rows = [
        ("rows", then.rows.read, now.rows.read),
        ("rows left out", then.rows.left_out, now.rows.left_out),
        ("rows with faults", then.rows.with_faults, now.rows.with_faults),
    ];
    lines.extend(of_rows.into_iter().filter_map(|(words, then, now)| changed(words, then, now)));
    for piece in &now.pieces {
        match then.pieces.iter().find(|was| was.name == piece.name) {
            None => lines.push(format!("the piece {} is new", visible::value(&piece.name))),
            Some(was) => lines.extend(of_piece(was, piece)),
        }
    }
    let [was, is] = [then, now].map(|summary| summary.pieces.iter().map(|piece| piece.name.as_str()));
    lines.extend(gone("piece", was, is));
    let name = |check: &CheckCounts| visible::value(&format!("`{}` of {}", check.check, check.of));
    for check in now.checks.iter().filter(|check| !check.implied || check.rows > 0) {
        let failing = |rows: u64| visible::counted(rows, "failing row");
        match then.checks.iter().find(|was| check.is_same(was)) {
            None => lines.push(format!("the check {} is new: {}", name(check), failing(check.rows))),
            Some(was) if was.rows != check.rows => {
                lines.push(format!("{}: {} before, {} now", name(check), failing(was.rows), visible::grouped(check.rows)));
            }
            Some(_) => {}
        }
    }
    let gone = then.checks.iter().filter(|was| !was.implied || was.rows > 0);
    let gone = gone.filter(|was| now.checks.iter().all(|check| !check.is_same(was)));
    lines.extend(gone.map(|was| format!("the check {} is gone", name(was))));
    lines
}

/// The names that are no longer there.
fn gone<'a>(what: &str, then: impl Iterator<Item = &'a str>, now: impl Iterator<Item = &'a str>) -> Vec<String> {
    let now: HashSet<&str> = now.collect();
    then.filter(|name| !now.contains(name)).map(|name| format!("the {what} {} is gone", visible::value(name))).collect()
}

fn changed(words: &str, then: u64, now: u64) -> Option<String> {
    (then != now).then(|| format!("{words}: {} before, {} now", visible::grouped(then), visible::grouped(now)))
}

fn of_piece(was: &PieceCounts, piece: &PieceCounts) -> Option<String> {
    let states = summary::counts(&was.tally).zip(summary::counts(&piece.tally));
    // The checks tell more about the rows that fail them.
    let states = states.filter(|((state, _), _)| *state != "faulted");
    let states = states.filter_map(|((state, was), (_, is))| changed(state, was, is));
    let states: Vec<String> = states.collect();
    (!states.is_empty()).then(|| format!("{}: {}", visible::value(&piece.name), states.join("; ")))
}

fn cells(then: &FirstRows, now: &FirstRows) -> Vec<String> {
    let of_title = |title: &String| then.titles.iter().position(|was| was == title);
    let columns: Vec<(usize, usize)> =
        now.titles.iter().enumerate().filter_map(|(column, title)| Some((of_title(title)?, column))).collect();
    let mut lines = Vec::new();
    let mut more = 0;
    for (row, (was, is)) in then.cells.iter().zip(&now.cells).enumerate() {
        for (before, column) in &columns {
            let (before, after) = (was.get(*before).map_or("", String::as_str), is.get(*column).map_or("", String::as_str));
            if before == after {
                continue;
            }
            if lines.len() == MOST_CELLS {
                more += 1;
                continue;
            }
            let [before, after] = [before, after].map(|text| visible::quoted(&visible::clipped_value(text, MOST_TEXT)));
            lines.push(format!("row {}, {}: {before} before, {after} now", row + 1, visible::value(&now.titles[*column])));
        }
    }
    if more == 0
        && let Some(row) = now.cells.get(then.cells.len())
    {
        let texts: Vec<String> = row.iter().map(|text| visible::quoted(&visible::clipped_value(text, MOST_TEXT))).collect();
        lines.push(format!("row {} is new: {}", then.cells.len() + 1, texts.join(", ")));
    }
    if more > 0 {
        lines.push(format!("and {} of the first {} rows", visible::counted(more, "more cell"), now.cells.len()));
    }
    lines
}
