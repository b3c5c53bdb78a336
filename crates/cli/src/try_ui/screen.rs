//! The screen of `try`, for at least 80 columns and 24 lines.

use keen_notch_core::gauge::Gauge;
use keen_notch_core::tally::Tally;

use super::model::{Field, Model, View};
use super::piece::Line as Typed;
use super::row_results::RowResult;
use super::terminal::Lines;
use super::whole::Counts;
use crate::draw::ruler::{self, CharacterPlaces, Mark};
use crate::draw::style::{self, paint};
use crate::draw::{bar, long, steps, visible};

const LABEL: u16 = 8;
const BAR: usize = 8;
const LEAST_ROWS: usize = 5;
/// Screens with at least this many lines have some blank lines.
const TALL: usize = 30;

#[derive(Debug, Clone, Default)]
pub struct ScreenMap {
    first_line: usize,
    /// The index of that row in the displayed rows.
    first_row: usize,
    rows: usize,
    first_of_ruler: usize,
    characters: Vec<CharacterPlaces>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum At {
    Row(usize),
    Character(usize),
}

impl ScreenMap {
    pub fn at(&self, line: u16, column: u16) -> Option<At> {
        let (line, column) = (usize::from(line), usize::from(column));
        if (self.first_line..self.first_line + self.rows).contains(&line) {
            return Some(At::Row(self.first_row + line - self.first_line));
        }
        let line = line.checked_sub(self.first_of_ruler)?;
        let place = self.characters.iter().find(|place| place.lines.contains(&line))?;
        Some(At::Character(place.character(column)))
    }
}

/// Draws the model for a screen of a width and height. `whole` has the counts of all rows, and `says` is the last message.
pub fn draw(
    (width, height): (usize, usize),
    model: &Model,
    (name, list): (&str, Option<&str>),
    whole: &Counts,
    says: &str,
) -> (Lines, ScreenMap) {
    let blank = (height >= TALL).then(String::new);
    let mut drawn = ScreenMap::default();
    let mut lines = vec![head(model, (name, list), width)];
    let mut cursor_line = 0;
    for FieldLine { field, label, text } in fields(model) {
        if field == model.field {
            cursor_line = lines.len() as u16;
        }
        let label = format!("{label:<width$}", width = usize::from(LABEL));
        let style = if field == model.field { style::TAKEN } else { style::QUIET };
        lines.push(paint(style, label) + &visible::without_controls(text));
    }
    lines.push(offered(model, width));
    lines.push(status_line(model, if says.is_empty() { &model.says } else { says }, width));
    lines.extend(blank.clone());
    let all = if model.sample.is_all { "all" } else { "first" };
    let of_sample = format!("{all} {}", visible::counted(model.sample.rows() as u64, "row"));
    let mut below = vec![counts(&of_sample, (model.sample.rows() as u64, &model.tally), width)];
    if !model.sample.is_all && whole.rows == 0 && whole.stopped.is_none() {
        below.push(paint(style::QUIET, "all rows: counted when no key is pressed"));
    } else if !model.sample.is_all {
        let all = if whole.is_done { "all" } else { "so far" };
        below.push(counts(&format!("{all} {}", visible::counted(whole.rows, "row")), (whole.rows, &whole.tally), width));
    }
    if let Some(why) = &whole.stopped {
        let words = format!("counting stopped: {why}");
        below.push(paint(style::LOOK, visible::clipped(&visible::without_controls(&words), width)));
    }
    below.push(paint(style::QUIET, visible::clipped(&view(model), width)));
    let foot = keys(width);
    let most = height.saturating_sub(lines.len() + below.len() + foot.len() + LEAST_ROWS);
    drawn.first_of_ruler = lines.len();
    let (ruler, characters) = looked_at(model, width, most.max(4));
    drawn.characters = characters;
    lines.extend(ruler);
    lines.extend(blank);
    lines.extend(below);
    let space = height.saturating_sub(lines.len() + foot.len());
    // The current row is always visible.
    let first = model.selected.saturating_sub(space.saturating_sub(1) / 2).min(model.order.len().saturating_sub(space));
    (drawn.first_line, drawn.first_row, drawn.rows) = (lines.len(), first, space.min(model.order.len() - first));
    lines.extend(rows(model, first, space, width));
    lines.resize(height.saturating_sub(foot.len()).max(lines.len()), String::new());
    lines.extend(foot);
    let before: String = model.text().chars().take(model.cursor).collect();
    let column = (LABEL + visible::width(&before) as u16).min((width as u16).saturating_sub(1));
    (Lines { lines, column, line: cursor_line }, drawn)
}

fn head(model: &Model, (name, list): (&str, Option<&str>), width: usize) -> String {
    let pieces = match model.pieces.len() {
        1 => String::new(),
        count => format!("  piece {} of {count}", model.at + 1),
    };
    let list = list.map_or(String::new(), |list| format!("  for {list}"));
    let title = model.sample.header.title(model.sample.column);
    let words = format!("{} of {name}{list}{pieces}", visible::value(&title));
    paint(style::HEAD, visible::clipped(&visible::without_controls(&words), width))
}

/// The input lines. Rarely used ones appear only when used.
struct FieldLine<'m> {
    field: Field,
    label: &'static str,
    text: &'m str,
}

fn fields(model: &Model) -> Vec<FieldLine<'_>> {
    let piece = model.piece();
    let of_piece = |typed, label, text| FieldLine { field: Field::Piece(typed), label, text };
    let mut fields = vec![
        of_piece(Typed::Name, "name", piece.name.as_str()),
        of_piece(Typed::Phrase, "phrase", &piece.phrase),
        of_piece(Typed::Check, "check", &piece.check),
        of_piece(Typed::When, "when", &piece.when),
        of_piece(Typed::More, "more", &piece.more),
    ];
    fields.retain(|line| {
        let is_rare = matches!(line.field, Field::Piece(Typed::When | Typed::More));
        !is_rare || line.field == model.field || !line.text.is_empty()
    });
    match model.field {
        Field::Want => fields.push(FieldLine { field: Field::Want, label: "wanted", text: model.text() }),
        Field::File => fields.push(FieldLine { field: Field::File, label: "file", text: model.text() }),
        Field::Piece(_) => {}
    }
    fields
}

fn offered(model: &Model, width: usize) -> String {
    let offers = &model.offers;
    let Some(chosen) = offers.chosen() else { return String::new() };
    let lead = if offers.are_phrases { "^R " } else { "→ " };
    let mut line = paint(style::QUIET, lead);
    let mut taken = visible::width(lead);
    // The selected offer stays visible.
    let mut first = 0;
    let length = |words: &[String]| words.iter().map(|word| visible::width(word) + 2).sum::<usize>();
    while first < offers.chosen && taken + length(&offers.all[first..=offers.chosen]) > width {
        first += 1;
    }
    for (index, word) in offers.all.iter().enumerate().skip(first) {
        let words = visible::without_controls(word.trim_start());
        taken += visible::width(&words) + 2;
        if taken > width && index > first {
            break;
        }
        let words = visible::clipped(&words, width.saturating_sub(2));
        line += &if word == chosen { paint(style::TAKEN, words) } else { paint(style::QUIET, words) };
        line += "  ";
    }
    line
}

fn status_line(model: &Model, says: &str, width: usize) -> String {
    let words = match (&model.field, &model.unfinished) {
        (Field::Want, _) => {
            let value = visible::clipped_value(model.value(), width / 2);
            format!("the result for {value}; Enter finds matching phrases")
        }
        (Field::File, _) if says.is_empty() => "the cut list that the pieces are written to: Enter writes it".to_owned(),
        (Field::File, _) => says.to_owned(),
        (_, Some(unfinished)) => format!("{} ({}){}", unfinished.message, unfinished.help, after(says)),
        _ if !says.is_empty() => says.to_owned(),
        _ if model.piece().phrase.is_empty() => {
            "type a phrase, such as first 3; or drag the mouse over the piece; or type the wanted result (^W)".to_owned()
        }
        _ => String::new(),
    };
    paint(style::QUIET, visible::clipped(&visible::without_controls(&words), width))
}

fn after(says: &str) -> String {
    if says.is_empty() { String::new() } else { format!("; {says}") }
}

fn looked_at(model: &Model, width: usize, most: usize) -> (Vec<String>, Vec<CharacterPlaces>) {
    if model.order.is_empty() {
        return (vec![paint(style::QUIET, "no rows to show")], Vec::new());
    }
    let value = model.value();
    let trace = model.trace();
    let gauge = Gauge::new(value);
    let taken: Vec<_> = trace.iter().flat_map(|trace| &trace.taken).map(|bytes| gauge.covered(bytes)).collect();
    let (mut lines, mut places) = (Vec::new(), Vec::new());
    if value.is_empty() {
        lines.push(paint(style::QUIET, "(blank)"));
    } else if value.len() > long::VERY_LONG {
        let first = trace.as_ref().and_then(|trace| trace.taken.first().cloned()).unwrap_or_default();
        lines = long::draw("taken", value, &first, width);
    } else {
        let mut marks = if trace.is_some() { vec![Mark::taken("taken", taken)] } else { Vec::new() };
        if let Some(marked) = &model.marked {
            marks = vec![Mark { name: "marked", ranges: vec![marked.clone()], style: style::LOOK }];
        }
        // As many lines of characters as fit together with the steps.
        for most_lines in (1..=most.div_ceil(4)).rev() {
            (lines, places) = ruler::draw_placed(&gauge, &marks, width, most_lines);
            if lines.len() < most {
                break;
            }
        }
    }
    match &trace {
        Some(trace) => {
            let steps = steps::draw(&model.piece().phrase, trace);
            let space = most.saturating_sub(lines.len() + 1);
            if steps.len() <= space {
                lines.extend(steps);
            }
            lines.push(steps::result(trace));
        }
        None if model.carving().is_some() => lines.push(paint(style::QUIET, "not asked: its condition does not hold here")),
        None => {}
    }
    (lines, places)
}

fn counts(of: &str, (rows, tally): (u64, &Tally), width: usize) -> String {
    let states = [
        ("filled", tally.filled, style::TAKEN),
        ("short", tally.short, style::LOOK),
        ("long", tally.long, style::LOOK),
        ("blank", tally.blank, style::QUIET),
        ("missing", tally.missing, style::LOOK),
        ("fallback", tally.fallback, style::LOOK),
        ("not asked", tally.not_asked, style::QUIET),
        ("failing", tally.faulted, style::FAULT),
        ("warned", tally.warned, style::LOOK),
    ];
    let (mut line, mut taken) = (paint(style::QUIET, format!("{of}:")), visible::width(of) + 1);
    for (state, count, style) in states.into_iter().filter(|(_, count, _)| *count > 0) {
        let words = format!("  {state} {} {}", bar::lying(count, rows, BAR), visible::grouped(count));
        taken += visible::width(&words);
        if taken > width {
            break;
        }
        line += &paint(style, words);
    }
    line
}

fn view(model: &Model) -> String {
    let count = visible::counted(model.order.len() as u64, "row");
    match model.view {
        View::All => format!("{count}, those that need attention first"),
        View::Odd => format!("{count} worth a look"),
        View::Shape(shape) => format!("{count} of the shape {}", model.sample.shapes.get(shape).map_or("", String::as_str)),
    }
}

fn rows(model: &Model, first: usize, most: usize, width: usize) -> Vec<String> {
    let shown = model.order.iter().enumerate().skip(first).take(most);
    let half = width.saturating_sub(26) / 2;
    let row = |(place, row): (usize, &usize)| {
        let (number, value) = model.sample.row(*row);
        let RowResult { text, state, fails } = &model.given[*row];
        let is_selected = place == model.selected;
        let value = visible::clipped_value(value, half);
        let gap = " ".repeat(half.saturating_sub(visible::width(&value)));
        let text = visible::clipped_value(text, half);
        let after = " ".repeat(half.saturating_sub(visible::width(&text)));
        let (words, style) = match (fails, state.is_filled()) {
            (true, _) => ("fails its check".to_owned(), style::FAULT),
            (false, true) => (String::new(), style::QUIET),
            (false, false) => (state.to_string(), style::LOOK),
        };
        let mark = if is_selected { paint(style::TAKEN, "›") } else { " ".to_owned() };
        let number = paint(style::QUIET, format!("{:>7}", visible::grouped(number)));
        let text = if is_selected { paint(style::HEAD, text) } else { text };
        format!("{mark}{number} {value}{gap} {text}{after} {}", paint(style, words))
    };
    shown.map(row).collect()
}

fn keys(width: usize) -> Vec<String> {
    const KEYS: [&str; 13] = [
        "Enter next line",
        "Tab other rows",
        "↑↓ row",
        "→ take",
        "^R next offer",
        "^W wanted",
        "^N new piece",
        "^O other piece",
        "^T earlier",
        "^D remove",
        "^Z undo",
        "^S write",
        "Esc end",
    ];
    // A key and its effect stay on one line.
    let words = KEYS.map(|key| key.replace(' ', "\u{a0}")).join("  ");
    let lines = textwrap::wrap(&words, width);
    lines.into_iter().map(|line| paint(style::QUIET, line.replace('\u{a0}', " "))).collect()
}
