//! The content of each position of a column with a usual length.

use anstyle::Style;
use keen_notch_core::sightings::Sightings;
use keen_notch_core::survey::{Content, Kinds, Position};
use keen_notch_io::inputs::Inputs;

use super::SurveyedColumn;
use crate::draw::rows::in_words;
use crate::draw::style::{self, paint};
use crate::draw::{bar, table, visible};

const MOST_RANGES: usize = 40;
const MOST_EXCEPTIONS: usize = 3;

struct Stretch<'a> {
    from: usize,
    to: usize,
    main: Main,
    positions: &'a [Position],
}

#[derive(PartialEq, Eq)]
enum Main {
    Character(String),
    Kinds(Kinds),
}

/// Kinds with at least this share of the values at a position are usual.
const BELONGS: f64 = 0.02;

impl Main {
    fn of(position: &Position) -> Option<Main> {
        let (first, seen) = position.contents.first()?;
        let total = position.count() as f64;
        match first {
            Content::Character(character) if seen.count as f64 >= 0.9 * total || position.contents.len() == 1 => {
                Some(Main::Character(character.clone()))
            }
            _ => {
                let kinds = position.contents.iter().filter(|(_, seen)| seen.count as f64 >= BELONGS * total);
                let kinds = kinds.filter_map(|(content, _)| kinds_of(content)).fold(Kinds::default(), Kinds::with);
                (kinds != Kinds::default()).then_some(Main::Kinds(kinds))
            }
        }
    }

    fn takes(&self, content: &Content) -> bool {
        match (self, content) {
            (Main::Character(character), Content::Character(found)) => character == found,
            (Main::Character(_), _) => false,
            (Main::Kinds(kinds), content) => kinds_of(content).is_some_and(|found| found.is_within(*kinds)),
        }
    }
}

fn kinds_of(content: &Content) -> Option<Kinds> {
    match content {
        Content::Kind(kinds) => Some(*kinds),
        Content::Other => None,
        Content::Character(character) => match character.chars().next() {
            Some(c) if c.is_ascii_digit() => Some(Kinds::DIGIT),
            Some(c) if c.is_alphabetic() => Some(Kinds::of_letter(c)),
            _ => None,
        },
    }
}

pub fn draw(SurveyedColumn { survey, inputs, .. }: &SurveyedColumn, width: usize) -> Vec<String> {
    let Some((length, positions)) = survey.positions() else { return Vec::new() };
    let values = positions.first().map_or(0, Position::count);
    let mut lines = Vec::new();
    if values < survey.values() {
        let of = format!(
            "{} of {length} characters ({} of all)",
            visible::counted(values, "value"),
            visible::share(values, survey.values())
        );
        lines.push(paint(style::QUIET, of));
    }
    lines.extend(strip(&positions, width));
    lines.push(String::new());
    let stretches = stretches(&positions);
    lines.extend(table::fitted(width, 12, |space| {
        let mut drawn = table::table(["from left", "from right", "content", "and otherwise"], usize::MAX);
        for stretch in stretches.iter().take(MOST_RANGES) {
            let (from, to) = (stretch.from as i64, stretch.to as i64);
            drawn.add_row(vec![
                table::cell(span(from, to), style::HEAD),
                table::cell(span(from - length as i64 - 1, to - length as i64 - 1), style::QUIET),
                table::cell(steadiness(stretch), Style::new()),
                table::cell(visible::clipped(&oddities(stretch, inputs), space), style::LOOK),
            ]);
        }
        drawn
    }));
    if stretches.len() > MOST_RANGES {
        lines.push(format!("and {} more stretches", stretches.len() - MOST_RANGES));
    }
    lines
}

fn strip(positions: &[Position], width: usize) -> Vec<String> {
    let fits = width.saturating_sub(11);
    let mut lines = Vec::new();
    for (index, part) in positions.chunks(fits).enumerate() {
        let mains = part.iter().map(|position| match Main::of(position) {
            Some(Main::Character(character)) => visible::value(&character),
            Some(Main::Kinds(kinds)) => kinds.symbol().to_string(),
            None => "·".to_owned(),
        });
        let heights = part.iter().map(|position| {
            let main = Main::of(position);
            let taken = position.contents.iter().filter(|(content, _)| main.as_ref().is_some_and(|main| main.takes(content)));
            bar::standing(taken.map(|(_, seen)| seen.count).sum(), position.count())
        });
        let head = if index == 0 { "mostly" } else { "" };
        lines.push(format!("{}{}", paint(style::QUIET, format!("{head:<11}")), mains.collect::<String>()));
        let head = if index == 0 { "how many" } else { "" };
        lines.push(format!("{}{}", paint(style::QUIET, format!("{head:<11}")), heights.collect::<String>()));
    }
    lines
}

fn stretches(positions: &[Position]) -> Vec<Stretch<'_>> {
    let mut stretches: Vec<Stretch> = Vec::new();
    for (index, position) in positions.iter().enumerate() {
        let main = Main::of(position).unwrap_or(Main::Kinds(Kinds::default()));
        match stretches.last_mut() {
            Some(last) if last.main == main && matches!(main, Main::Kinds(_)) => {
                last.to = index + 1;
                last.positions = &positions[last.from - 1..=index];
            }
            _ => stretches.push(Stretch { from: index + 1, to: index + 1, main, positions: &positions[index..=index] }),
        }
    }
    stretches
}

/// `always "-"`, `a digit in 99.8 %`
fn steadiness(stretch: &Stretch) -> String {
    let words = match &stretch.main {
        Main::Character(character) => visible::quoted(character),
        Main::Kinds(kinds) if *kinds == Kinds::default() => return "various characters".to_owned(),
        Main::Kinds(kinds) => kinds.to_string(),
    };
    let total = stretch.positions.first().map_or(0, Position::count);
    // The number of values with an exception anywhere is unknown, so the worst position counts.
    let least = stretch.positions.iter().map(|position| {
        position.contents.iter().filter(|(content, _)| stretch.main.takes(content)).map(|(_, seen)| seen.count).sum::<u64>()
    });
    match least.min() {
        Some(least) if least < total => format!("{words} in {}", visible::share(least, total)),
        _ => format!("always {words}"),
    }
}

fn oddities(stretch: &Stretch, inputs: &Inputs) -> String {
    let mut odd: Vec<(String, Sightings)> = Vec::new();
    for position in stretch.positions {
        for (content, seen) in position.contents.iter().filter(|(content, _)| !stretch.main.takes(content)) {
            let what = match content {
                Content::Kind(kinds) => kinds.class().to_owned(),
                Content::Other => "other characters".to_owned(),
                Content::Character(character) => visible::quoted(character),
            };
            match odd.iter_mut().find(|(known, _)| *known == what) {
                Some((_, sum)) => sum.add(seen),
                None => odd.push((what, seen.clone())),
            }
        }
    }
    odd.sort_by_key(|(_, seen)| std::cmp::Reverse(seen.count));
    let shown = odd.iter().take(MOST_EXCEPTIONS);
    let shown = shown.map(|(what, seen)| format!("{} {what} ({})", visible::grouped(seen.count), in_words(inputs, seen)));
    let mut words = shown.collect::<Vec<_>>().join("; ");
    if odd.len() > MOST_EXCEPTIONS {
        words += &format!("; {} more", odd.len() - MOST_EXCEPTIONS);
    }
    words
}

fn span(from: i64, to: i64) -> String {
    if from == to { from.to_string() } else { format!("{from} to {to}") }
}
