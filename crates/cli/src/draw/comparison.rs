//! Two values, one below the other, with their differences.

use std::ops::Range;

use keen_notch_core::gauge::{AlignedPair, align};

use super::style::{self, paint};
use super::{table, visible};

const NAME_WIDTH: usize = 12;
const MOST_LISTED: usize = 20;

/// Longer values are too wide to compare on a screen, in characters.
const MOST_DRAWN: usize = 600;

/// Draws the comparison of two values.
pub fn draw(first: &str, second: &str, width: usize, all: bool) -> Vec<String> {
    let pairs = align(first, second);
    let groups = groups(&pairs);
    let differences = groups.len();
    if differences == 0 {
        return vec![paint(style::HEAD, "both values are the same")];
    }
    let mut lines =
        vec![paint(style::HEAD, format!("the two values differ in {}", visible::counted(differences as u64, "place")))];
    if pairs.len() <= MOST_DRAWN || all {
        lines.extend(aligned(&pairs, (first, second), width));
    }
    let mut drawn = table::table(["first", "", "second", ""], usize::MAX);
    let most = if all { usize::MAX } else { MOST_LISTED };
    for group in groups.iter().take(most) {
        let pairs = &pairs[group.clone()];
        let [one, other] =
            [(first, side(pairs, |pair| pair.first.as_ref())), (second, side(pairs, |pair| pair.second.as_ref()))];
        drawn.add_row([
            place(one.0, one.1.as_ref()),
            text(one.0, one.1),
            place(other.0, other.1.as_ref()),
            text(other.0, other.1),
        ]);
    }
    lines.push(String::new());
    lines.extend(table::lines(&drawn));
    if differences > most {
        lines.push(paint(
            style::QUIET,
            format!("and {} more; --all shows all of them", visible::grouped((differences - most) as u64)),
        ));
    }
    lines
}

/// The runs of adjacent pairs that differ.
fn groups(pairs: &[AlignedPair]) -> Vec<Range<usize>> {
    let mut groups: Vec<Range<usize>> = Vec::new();
    for (index, _) in pairs.iter().enumerate().filter(|(_, pair)| !pair.is_same) {
        match groups.last_mut() {
            Some(group) if group.end == index => group.end = index + 1,
            _ => groups.push(index..index + 1),
        }
    }
    groups
}

fn aligned(pairs: &[AlignedPair], (first, second): (&str, &str), width: usize) -> Vec<String> {
    let shown = |text: &str, bytes: &Option<Range<usize>>| {
        bytes.as_ref().map_or_else(String::new, |bytes| visible::character(&text[bytes.clone()]).into_owned())
    };
    let cells: Vec<(String, String, bool)> =
        pairs.iter().map(|pair| (shown(first, &pair.first), shown(second, &pair.second), pair.is_same)).collect();
    let widest = cells.iter().map(|(one, other, _)| visible::width(one).max(visible::width(other))).max().unwrap_or(1);
    let cell = widest + 1;
    let per_line = (width.saturating_sub(NAME_WIDTH) / cell).max(1);
    let filled = |text: &str| format!("{}{text}", " ".repeat(cell - visible::width(text)));
    let mut lines = Vec::new();
    for line in cells.chunks(per_line) {
        if !lines.is_empty() {
            lines.push(String::new());
        }
        let row = |name: &str, text: &dyn Fn(&(String, String, bool)) -> String| {
            format!("{name:<NAME_WIDTH$}{}", line.iter().map(text).collect::<String>()).trim_end().to_owned()
        };
        let marked = |text: &str, is_same: bool| {
            if is_same || text.is_empty() { filled(text) } else { paint(style::LOOK, filled(text)) }
        };
        lines.push(row("first", &|(one, _, is_same)| marked(one, *is_same)));
        lines.push(row("second", &|(_, other, is_same)| marked(other, *is_same)));
        if line.iter().any(|(_, _, is_same)| !is_same) {
            lines.push(row("", &|(_, _, is_same)| filled(if *is_same { "" } else { "▲" })));
        }
    }
    lines
}

/// The bytes of adjacent pairs in one of the values; `None` if it has no character there.
fn side<'p>(pairs: &'p [AlignedPair], of: impl Fn(&'p AlignedPair) -> Option<&'p Range<usize>>) -> Option<Range<usize>> {
    let mut bytes = pairs.iter().filter_map(of);
    let first = bytes.next()?;
    Some(first.start..bytes.next_back().unwrap_or(first).end)
}

/// The positions of a part, from 1.
fn place(value: &str, bytes: Option<&Range<usize>>) -> String {
    let Some(bytes) = bytes else { return String::new() };
    let count = |text: &str| keen_notch_core::text::characters::count(text);
    let before = count(&value[..bytes.start]);
    match count(&value[bytes.clone()]) {
        0 | 1 => (before + 1).to_string(),
        count => format!("{} to {}", before + 1, before + count),
    }
}

/// A part of a value; characters beyond ASCII have their code points.
fn text(value: &str, bytes: Option<Range<usize>>) -> String {
    let Some(bytes) = bytes else { return "(nothing)".to_owned() };
    let part = &value[bytes];
    let mut others: Vec<String> = part.chars().filter(|c| !c.is_ascii()).map(|c| format!("U+{:04X}", u32::from(c))).collect();
    others.dedup();
    let codes = if others.is_empty() || others.len() > 4 { String::new() } else { format!(" ({})", others.join(" ")) };
    format!("{}{codes}", visible::clipped(&visible::value(part), 40))
}
