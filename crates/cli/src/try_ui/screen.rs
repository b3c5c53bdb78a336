//! The screen of `try`, for at least 80 columns and 24 lines.

use keen_notch_core::gauge::Gauge;
use keen_notch_core::phrase::quoted;
use keen_notch_core::tally::Tally;

use super::help;
use super::model::{Field, Model, View};
use super::panel::{self, active_rule, foot, rule};
use super::piece::Line as Typed;
use super::row_results::RowResult;
use super::terminal::Lines;
use super::whole::Counts;
use crate::draw::ruler::{self, CharacterPlaces, Mark};
use crate::draw::style::{self, paint};
use crate::draw::{bar, long, steps, visible};

/// The width of a mark, the label of a line, and the gap after it.
const LABEL: usize = 13;
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

/// The words around the model on a screen.
pub struct Names<'a> {
    /// The table.
    pub table: &'a str,
    pub list: Option<&'a str>,
    /// The effect of Escape, in words.
    pub escape: &'a str,
    /// The last message.
    pub says: &'a str,
}

/// Draws the model for a screen of a width and height. `whole` has the counts of all rows.
pub fn draw((width, height): (usize, usize), model: &Model, names: &Names, whole: &Counts) -> (Lines, ScreenMap) {
    let blank = (height >= TALL).then(String::new);
    let mut drawn = ScreenMap::default();
    let mut lines = vec![head(model, names, width)];
    let (mut cursor, space) = ((0, 0), width.saturating_sub(LABEL + 1));
    for FieldLine { field, label, text, such_as } in fields(model) {
        let is_current = field == model.field;
        let (text, column) = panel::scrolled(text, if is_current { model.cursor } else { 0 }, space);
        if is_current {
            cursor = (lines.len(), LABEL + column);
        }
        lines.push(field_line(label, &text, &such_as, is_current, space));
    }
    lines.push(offered(model, width));
    lines.push(status_line(model, if names.says.is_empty() { &model.says } else { names.says }, width));
    let below = counted(model, whole, width);
    let (shown, others) = (view(model), "^L others");
    let filter = (model.is_filtered || model.field == Field::Filter).then(|| filter_line(model, space));
    let below_lines = below.len() + 1 + usize::from(filter.is_some());
    lines.push(rule("value", &row_of_table(model), width));
    let most = height.saturating_sub(lines.len() + below_lines + 1 + LEAST_ROWS + usize::from(blank.is_some()));
    drawn.first_of_ruler = lines.len();
    let (ruler, characters) = looked_at(model, width, most.max(4));
    drawn.characters = characters;
    lines.extend(ruler);
    lines.extend(blank);
    let is_current = model.field == Field::Rows;
    lines.push(if is_current { active_rule(&shown, others, width) } else { rule(&shown, others, width) });
    lines.extend(below);
    if let Some((line, column)) = filter {
        if model.field == Field::Filter {
            cursor = (lines.len(), column);
        }
        lines.push(line);
    }
    let space = height.saturating_sub(lines.len() + 1);
    // The current row is always visible.
    let first = model.selected.saturating_sub(space.saturating_sub(1) / 2).min(model.order.len().saturating_sub(space));
    (drawn.first_line, drawn.first_row, drawn.rows) = (lines.len(), first, space.min(model.order.len() - first));
    if is_current {
        cursor = (lines.len() + model.selected - first, 0);
    }
    lines.extend(rows(model, first, space, width));
    lines.resize(height.saturating_sub(1).max(lines.len()), String::new());
    lines.push(foot(help::of_foot(model.field), names.escape, width));
    let place = |place: usize, size: usize| u16::try_from(place.min(size.saturating_sub(1))).unwrap_or(u16::MAX);
    (Lines { lines, column: place(cursor.1, width), line: place(cursor.0, height) }, drawn)
}

fn head(model: &Model, names: &Names, width: usize) -> String {
    let pieces = match model.pieces.len() {
        1 => String::new(),
        count => format!("piece {} of {count}", model.at + 1),
    };
    let list = names.list.map_or(String::new(), |list| format!("for {list}"));
    let right: Vec<String> = [pieces, list].into_iter().filter(|words| !words.is_empty()).collect();
    let title = format!("{} of {}", visible::value(&model.sample.title()), names.table);
    rule(&title, &right.join(", "), width)
}

/// An input line. An empty one shows what belongs there.
struct FieldLine<'m> {
    field: Field,
    label: &'static str,
    text: &'m str,
    such_as: String,
}

fn fields(model: &Model) -> Vec<FieldLine<'_>> {
    let piece = model.piece();
    let of_piece =
        |typed, label, text, such_as: &str| FieldLine { field: Field::Piece(typed), label, text, such_as: such_as.to_owned() };
    let phrase = match model.sample.delimiters.first() {
        Some(delimiter) => format!("the part to take, such as section 1 by {}, or first 3", quoted(delimiter)),
        None => "the part to take, such as first 3".to_owned(),
    };
    let mut fields = vec![
        of_piece(Typed::Name, "name", piece.name.as_str(), "the name of the new column"),
        of_piece(Typed::Phrase, "phrase", &piece.phrase, &phrase),
        of_piece(Typed::Check, "check", &piece.check, "conditions for it, such as digits; length 8"),
        of_piece(Typed::When, "condition", &piece.when, "which rows have it, such as starts with \"G\""),
        of_piece(Typed::More, "more", &piece.more, "other keys of a cut list, such as optional = true"),
    ];
    match model.field {
        Field::Want | Field::File => {
            let (label, such_as) = match model.field {
                Field::Want => ("wanted", "the result that you want for the value below"),
                _ => ("file", "the name of the cut list"),
            };
            fields.push(FieldLine { field: model.field, label, text: model.text(), such_as: such_as.to_owned() });
        }
        Field::Piece(_) | Field::Rows | Field::Filter => {}
    }
    fields
}

fn field_line(label: &str, text: &str, such_as: &str, is_current: bool, space: usize) -> String {
    let label = format!("{label:<width$}", width = LABEL - 2);
    let text =
        if text.is_empty() { paint(style::QUIET, visible::clipped(&format!("({such_as})"), space)) } else { text.to_owned() };
    match is_current {
        true => format!("{} {}{text}", paint(style::TAKEN, "›"), paint(style::TAKEN, label)),
        false => format!("  {}{text}", paint(style::QUIET, label)),
    }
}

fn filter_line(model: &Model, space: usize) -> (String, usize) {
    let is_current = model.field == Field::Filter;
    let (text, column) = panel::scrolled(&model.filter, if is_current { model.cursor } else { 0 }, space);
    (field_line("filter", &text, "a text of the value or of the result, in any case", is_current, space), LABEL + column)
}

fn row_of_table(model: &Model) -> String {
    let row = model.order.get(model.selected).map(|row| model.sample.row(*row).0);
    row.map_or(String::new(), |row| format!("row {}", visible::grouped(row)))
}

/// The counts of the sample, and of all rows once they are counted.
fn counted(model: &Model, whole: &Counts, width: usize) -> Vec<String> {
    let (all, rows) = (model.sample.rows.is_all, model.sample.rows() as u64);
    let of_sample = format!("{} {}", if all { "all" } else { "first" }, visible::counted(rows, "row"));
    let mut lines = counts(&of_sample, (rows, &model.tally), width);
    if !all && whole.rows == 0 && whole.stopped.is_none() {
        lines.push(paint(style::QUIET, "  all rows: counted when no key is pressed"));
    } else if !all {
        let so_far = if whole.is_done { "all" } else { "so far" };
        lines.extend(counts(&format!("{so_far} {}", visible::counted(whole.rows, "row")), (whole.rows, &whole.tally), width));
    }
    if let Some(why) = &whole.stopped {
        let words = format!("  counting stopped: {why}");
        lines.push(paint(style::LOOK, visible::clipped(&visible::without_controls(&words), width)));
    }
    lines
}

fn offered(model: &Model, width: usize) -> String {
    let offers = &model.offers;
    let Some(chosen) = offers.chosen() else { return String::new() };
    let lead = format!("{:<LABEL$}", if offers.are_phrases { "  ^R" } else { "  →" });
    let mut line = paint(style::QUIET, &lead);
    let mut taken = LABEL;
    // The selected offer stays visible.
    let mut first = 0;
    // A format of dates comes with a date of the column.
    let shown = |word: &String| {
        let example =
            offers.example(word).map_or(String::new(), |date| format!(" such as {}", visible::clipped_value(date, 20)));
        visible::without_controls(word.trim_start()) + &example
    };
    let length = |words: &[String]| words.iter().map(|word| visible::width(&shown(word)) + 2).sum::<usize>();
    while first < offers.chosen && taken + length(&offers.all[first..=offers.chosen]) > width {
        first += 1;
    }
    for (index, word) in offers.all.iter().enumerate().skip(first) {
        let words = shown(word);
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
    let (words, style) = match (&model.field, &model.unfinished) {
        (Field::Want, _) if says.is_empty() => {
            let value = visible::clipped_value(model.value(), width / 2);
            (format!("the result for {value}; Enter finds matching phrases"), style::QUIET)
        }
        (Field::File, _) if says.is_empty() => {
            ("the cut list that the pieces are written to: Enter writes it".to_owned(), style::QUIET)
        }
        (Field::Piece(_) | Field::Rows, Some(unfinished)) => {
            // An unfinished line is no mistake.
            let style = if model.offers.all.is_empty() { style::LOOK } else { style::QUIET };
            (format!("{} ({}){}", unfinished.message, unfinished.help, after(says)), style)
        }
        _ if !says.is_empty() => (says.to_owned(), style::HEAD),
        _ if model.piece().phrase.is_empty() => {
            let words = "type a phrase, or drag the mouse over the characters, or ^W: type the result";
            (words.to_owned(), style::QUIET)
        }
        _ => (String::new(), style::QUIET),
    };
    let words = visible::clipped(&visible::without_controls(&words), width.saturating_sub(2));
    format!("  {}", paint(style, words))
}

fn after(says: &str) -> String {
    if says.is_empty() { String::new() } else { format!("; {says}") }
}

fn looked_at(model: &Model, width: usize, most: usize) -> (Vec<String>, Vec<CharacterPlaces>) {
    if model.order.is_empty() {
        let words = if model.is_filtered { "  no row has this text" } else { "  no rows to show: ^L shows others" };
        return (vec![paint(style::QUIET, words)], Vec::new());
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

/// The counts of the states, with bars if one line has space for them, and otherwise on several lines.
fn counts(of: &str, (rows, tally): (u64, &Tally), width: usize) -> Vec<String> {
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
    let in_lines = |bars: bool| {
        let lead = format!("  {of}:");
        let mut taken = visible::width(&lead);
        let mut lines = vec![paint(style::QUIET, lead)];
        for (state, count, style) in states.into_iter().filter(|(_, count, _)| *count > 0) {
            let bar = if bars { format!("{} ", bar::lying(count, rows, BAR)) } else { String::new() };
            let words = format!("  {state} {bar}{}", visible::grouped(count));
            if taken + visible::width(&words) > width {
                taken = 2;
                lines.push("  ".to_owned());
            }
            taken += visible::width(&words);
            lines.last_mut().into_iter().for_each(|line| *line += &paint(style, &words));
        }
        lines
    };
    let lines = in_lines(true);
    if lines.len() == 1 { lines } else { in_lines(false) }
}

/// The shown rows in words.
fn view(model: &Model) -> String {
    let rows = visible::counted(model.order.len() as u64, "row");
    let found = match model.is_filtered {
        true => format!("{rows} with \"{}\"", visible::clipped_value(&model.filter, 20)),
        false => rows,
    };
    match model.view {
        View::All if model.is_filtered => found,
        View::All => "rows that need attention come first".to_owned(),
        View::Odd => format!("{found} that need attention"),
        View::Shape(shape) => format!("{found} of the shape {}", model.sample.shapes.get(shape).map_or("", String::as_str)),
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
            (false, false) => (state.to_string(), if state.not_asked { style::QUIET } else { style::LOOK }),
        };
        let mark = if is_selected { paint(style::TAKEN, "›") } else { " ".to_owned() };
        let number = paint(style::QUIET, format!("{:>7}", visible::grouped(number)));
        let text = if is_selected { paint(style::HEAD, text) } else { text };
        format!("{mark}{number} {value}{gap} {text}{after} {}", paint(style, words))
    };
    shown.map(row).collect()
}
