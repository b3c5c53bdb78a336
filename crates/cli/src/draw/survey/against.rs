//! Changes since a saved survey: sentences with bars, and JSON.

use keen_notch_core::sightings::Sightings;
use keen_notch_core::survey::{Against, Change, Count};
use keen_notch_io::inputs::Inputs;
use serde_json::{Value, json};

use super::numbers::number;
use crate::draw::rows::{self, in_words, located_all};
use crate::draw::style::{self, paint};
use crate::draw::{bar, visible};

/// The version of the JSON. It increases when a key changes its meaning or disappears.
const VERSION: u32 = 1;
const BAR: usize = 20;
const MOST_CHANGES: usize = 12;

#[derive(Debug)]
pub struct SurveyComparison<'a> {
    /// The current input and the saved file.
    pub names: (&'a str, &'a str),
    pub inputs: &'a Inputs,
    /// The rows of the current input.
    pub rows: u64,
    pub columns: &'a [(String, Against)],
    pub came: &'a [String],
    pub went: &'a [String],
    /// The conditions of `--fail-on` that hold.
    pub failed: &'a [String],
}

/// A change as a sentence without a full stop, and the earlier and current shares for bars.
struct ChangeText {
    words: String,
    shares: Option<(f64, f64)>,
}

/// Readable lines: the most important changes of each column first.
pub fn lines(compared: &SurveyComparison, width: usize) -> Vec<String> {
    let (now, base) = compared.names;
    let mut lines = Vec::new();
    for (columns, words) in [(compared.went, "is gone"), (compared.came, "is new")] {
        lines
            .extend(columns.iter().map(|column| paint(style::FAULT, format!("the column {} {words}", visible::value(column)))));
    }
    let (changed, same): (Vec<_>, Vec<_>) = compared.columns.iter().partition(|(_, against)| !against.changes.is_empty());
    for (column, against) in &changed {
        if !lines.is_empty() {
            lines.push(String::new());
        }
        let rows = format!("{} before, {} now", visible::counted(against.before.0, "row"), visible::grouped(against.now.0));
        lines.push(format!("{}  {}", paint(style::HEAD, visible::value(column)), paint(style::QUIET, rows)));
        for change in against.changes.iter().take(MOST_CHANGES) {
            let ChangeText { words, shares } = of_change(change, against, compared.inputs);
            let options = textwrap::Options::new(width).initial_indent("  ").subsequent_indent("    ");
            lines.extend(textwrap::wrap(&words, options).into_iter().map(|line| paint(colour(change), line)));
            // The earlier bars together, then the current ones.
            if let Some((before, now)) = shares {
                let [before, now] = [before, now].map(|share| {
                    let bar = bar::lying((share * 1e6).round() as u64, 1_000_000, BAR);
                    if bar.is_empty() { shown(share) } else { format!("{bar} {}", shown(share)) }
                });
                let gap = " ".repeat((BAR + 8).saturating_sub(visible::width(&before)));
                let [then, is] = ["before", "now"].map(|when| paint(style::QUIET, when));
                lines.push(format!("    {then} {before}{gap} {is} {now}"));
            }
        }
        if against.changes.len() > MOST_CHANGES {
            lines.push(format!("  and {}", visible::counted((against.changes.len() - MOST_CHANGES) as u64, "more change")));
        }
        if against.shapes_were_not_all_kept {
            let words = "  the saved survey does not hold all shapes, so a new shape may have existed before";
            lines.push(paint(style::QUIET, words));
        }
    }
    if !lines.is_empty() {
        lines.push(String::new());
    }
    let all = changed.is_empty() && compared.came.is_empty() && compared.went.is_empty();
    let rows = visible::counted(compared.rows, "row");
    let words = match (all, same.len()) {
        (true, _) => format!("{now}: {rows}, no changes since {base}"),
        (false, 0) => format!("{now}: {rows}, compared with {base}"),
        (false, _) => {
            let names: Vec<String> = same.iter().map(|(column, _)| visible::value(column)).collect();
            format!("{now}: {rows}, compared with {base}; no changes in {}", names.join(", "))
        }
    };
    let words = visible::without_controls(&words);
    lines.extend(
        textwrap::wrap(&words, width).into_iter().map(|line| if all { paint(style::TAKEN, line) } else { line.into_owned() }),
    );
    if !compared.failed.is_empty() {
        lines.push(paint(style::FAULT, format!("--fail-on: {}", compared.failed.join(", "))));
    }
    lines
}

fn colour(change: &Change) -> anstyle::Style {
    match change {
        Change::NewShape(_) | Change::NewOddity(..) => style::FAULT,
        Change::ShapeWent { .. } | Change::ShapeMoved { .. } | Change::Distinct { .. } => style::QUIET,
        _ => style::LOOK,
    }
}

pub fn shown(share: f64) -> String {
    match share {
        0.0 => "none".to_owned(),
        share if share < 0.0005 => "less than 0.1 %".to_owned(),
        share if share >= 0.9995 => "100 %".to_owned(),
        share => format!("{:.1} %", share * 100.0),
    }
}

fn share(count: u64, of: u64) -> f64 {
    if of == 0 { 0.0 } else { count as f64 / of as f64 }
}

/// The changes of a column as sentences, with the earlier and current shares.
pub fn describe(against: &Against, inputs: &Inputs) -> Vec<(String, Option<(f64, f64)>)> {
    let texts = against.changes.iter().map(|change| of_change(change, against, inputs));
    texts.map(|ChangeText { words, shares }| (words, shares)).collect()
}

#[allow(clippy::too_many_lines, reason = "a table of the changes")]
fn of_change(change: &Change, against: &Against, inputs: &Inputs) -> ChangeText {
    let (was, is) = (against.before, against.now);
    let rows = |seen: &Sightings| visible::without_controls(&in_words(inputs, seen));
    let of_values = |before: u64, now: u64| Some((share(before, was.1), share(now, is.1)));
    let values = |count: u64| visible::counted(count, "value");
    let (words, shares) = match change {
        Change::NewShape(group) => {
            let such = match group.example.as_str() {
                "" => String::new(),
                example => format!(", such as {}", visible::clipped(&visible::value(example), 40)),
            };
            let words = format!("new shape {}: {} ({}){such}", group.shape, values(group.seen.count), rows(&group.seen));
            (words, of_values(0, group.seen.count))
        }
        Change::NewOddity(oddity, seen) => {
            (format!("new: {oddity}, in {} ({})", values(seen.count), rows(seen)), of_values(0, seen.count))
        }
        Change::Blanks { before, now } => {
            let more = if share(now.count, is.0) > share(*before, was.0) { "more" } else { "fewer" };
            let found = if now.count > 0 { format!(" ({})", rows(now)) } else { String::new() };
            (
                format!("{more} blank: {} now{found}", visible::counted(now.count, "row")),
                Some((share(*before, was.0), share(now.count, is.0))),
            )
        }
        Change::NewValues { before, now, new, rows } => {
            let found = if rows.is_empty() {
                String::new()
            } else {
                format!(" ({})", in_words(inputs, &Sightings { count: *new, rows: rows.clone() }))
            };
            let words = format!(
                "{} that {} not there before: {} different now, {} before{found}",
                values(*new),
                if *new == 1 { "was" } else { "were" },
                visible::grouped(*now),
                visible::grouped(*before)
            );
            (words, None)
        }
        Change::Distinct { before, now } => {
            let count = |count: &Count| match count {
                Count::Exact(count) => visible::grouped(*count),
                Count::About(count) => format!("about {}", visible::grouped(*count)),
            };
            let words = format!(
                "different values: {} of {} now, {} of {} before",
                count(now),
                visible::grouped(is.1),
                count(before),
                visible::grouped(was.1)
            );
            (words, None)
        }
        Change::NewDelimiter(delimiter) => {
            let mut seen = Sightings::default();
            delimiter.sections.iter().filter(|(sections, _)| *sections > 1).for_each(|(_, of)| seen.add(of));
            let words =
                format!("new between parts: {}, in {} ({})", quoted(&delimiter.character), values(seen.count), rows(&seen));
            (words, of_values(0, seen.count))
        }
        Change::Sections { character, before: (sections, before), now: (now, others) } => {
            let found = if others.rows.is_empty() { String::new() } else { format!("; otherwise in {}", rows(others)) };
            let words = format!(
                "{} makes {} in {} now{found}",
                quoted(character),
                visible::counted(*sections as u64, "section"),
                values(*now)
            );
            (words, of_values(*before, *now))
        }
        Change::Lengths { before, now, beyond } => {
            let range =
                |(least, most): (usize, usize)| if least == most { least.to_string() } else { format!("{least} to {most}") };
            let words = format!("lengths are {} now, {} before: {} beyond", range(*now), range(*before), values(*beyond));
            (words, None)
        }
        Change::NewDateFormat(found) => {
            let words =
                format!("new format of dates: only date {} reads {}", visible::quoted(found.format), values(found.only));
            (words, of_values(0, found.only))
        }
        Change::FarNumbers(now) => {
            let found = now.far_below.iter().chain(&now.far_above);
            let found: Vec<String> =
                found.map(|far| format!("{} (row {})", visible::value(&far.text), rows::number(inputs, far.first))).collect();
            let words = format!("new: {} far from the others: {}", values(now.far[0] + now.far[1]), found.join(", "));
            (words, None)
        }
        Change::NumbersMoved { before, now } => {
            let middle = |first: f64, third: f64| format!("{} and {}", number(first), number(third));
            let [first, median, third] = before.map(rounded);
            let words = format!(
                "other numbers: the median is {}, half of them between {}; before, about {}, between {}",
                number(now.quartiles[2]),
                middle(now.quartiles[1], now.quartiles[3]),
                number(median),
                middle(first, third)
            );
            (words, None)
        }
        Change::OddityMoved { oddity, before, now } => {
            (format!("{oddity}: in {} now ({})", values(now.count), rows(now)), of_values(*before, now.count))
        }
        Change::ShapeMoved { shape, before, now } => {
            (format!("the shape {shape} has another share: {} now", values(now.count)), of_values(*before, now.count))
        }
        Change::ShapeWent { shape, before } => {
            (format!("no value has the shape {shape} any more; {} had", values(*before)), None)
        }
        _ => (change.word().to_owned(), None),
    };
    ChangeText { words, shares }
}

/// A number with two significant digits.
fn rounded(number: f64) -> f64 {
    format!("{number:.1e}").parse().unwrap_or(number)
}

fn quoted(character: &str) -> String {
    format!("\"{}\"", visible::character(character))
}

pub fn json(compared: &SurveyComparison) -> String {
    let column = |(column, against): &(String, Against)| {
        let changes: Vec<Value> = against.changes.iter().map(|change| change_json(change, compared.inputs)).collect();
        json!({
            "column": column,
            "before": { "rows": against.before.0, "values": against.before.1 },
            "now": { "rows": against.now.0, "values": against.now.1 },
            "changes": changes,
        })
    };
    visible::json(&json!({
        "version": VERSION,
        "against": compared.names.1,
        "columns_that_came": compared.came,
        "columns_that_went": compared.went,
        "columns": compared.columns.iter().map(column).collect::<Vec<_>>(),
        "failed_on": compared.failed,
    }))
}

fn change_json(change: &Change, inputs: &Inputs) -> Value {
    let rows = |seen: &Sightings| located_all(inputs, &seen.rows);
    let what = change.word();
    let count = |count: &Count| match count {
        Count::Exact(count) | Count::About(count) => *count,
    };
    match change {
        Change::NewShape(group) => {
            json!({ "what": what, "shape": group.shape.to_string(), "before": 0, "now": group.seen.count, "first_rows": rows(&group.seen), "example": group.example })
        }
        Change::NewOddity(oddity, seen) => {
            json!({ "what": what, "character": oddity.to_string(), "before": 0, "now": seen.count, "first_rows": rows(seen) })
        }
        Change::OddityMoved { oddity, before, now } => {
            json!({ "what": what, "character": oddity.to_string(), "before": before, "now": now.count, "first_rows": rows(now) })
        }
        Change::Blanks { before, now } => json!({ "what": what, "before": before, "now": now.count, "first_rows": rows(now) }),
        Change::NewValues { before, now, new, rows } => {
            json!({ "what": what, "before": before, "now": now, "new": new, "first_rows": located_all(inputs, rows) })
        }
        Change::Distinct { before, now } => json!({ "what": what, "before": count(before), "now": count(now) }),
        Change::NewDelimiter(delimiter) => {
            json!({ "what": what, "character": delimiter.character, "before": 0, "now": delimiter.values })
        }
        Change::Sections { character, before: (sections, before), now: (now, others) } => {
            json!({ "what": what, "character": character, "sections": sections, "before": before, "now": now, "first_other_rows": rows(others) })
        }
        Change::NewDateFormat(found) => json!({ "what": what, "format": found.format, "before": 0, "now": found.only }),
        Change::FarNumbers(now) => {
            let found: Vec<u64> = now.far_below.iter().chain(&now.far_above).map(|far| far.first).collect();
            json!({ "what": what, "before": 0, "now": now.far[0] + now.far[1], "first_rows": located_all(inputs, &found) })
        }
        Change::NumbersMoved { before, now } => {
            json!({ "what": what, "quartiles_before": before.map(rounded), "quartiles_now": &now.quartiles[1..4] })
        }
        Change::Lengths { before, now, beyond } => {
            json!({ "what": what, "before": [before.0, before.1], "now": [now.0, now.1], "values_beyond": beyond })
        }
        Change::ShapeMoved { shape, before, now } => {
            json!({ "what": what, "shape": shape.to_string(), "before": before, "now": now.count })
        }
        Change::ShapeWent { shape, before } => json!({ "what": what, "shape": shape.to_string(), "before": before, "now": 0 }),
        _ => json!({ "what": what }),
    }
}
