//! Drawing what is tried on a screen, from 80 columns and 24 lines on.

use keen_notch_core::gauge::Gauge;
use keen_notch_core::tally::Tally;
use ratatui::Frame;
use ratatui::layout::Position;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;

use super::model::{Field, Given, Model, View};
use super::styled;
use super::whole::Counts;
use crate::draw::ruler::{self, Mark};
use crate::draw::style::{self, paint};
use crate::draw::{bar, long, steps, visible};

/// The lines that a ruler and its steps may take.
const RULER: usize = 9;
/// The columns before what is typed.
const LABEL: u16 = 8;
/// The width of a bar.
const BAR: usize = 8;

/// Where the rows are on the screen, so that a click can tell which it is on.
#[derive(Debug, Clone, Copy, Default)]
pub struct Drawn {
    /// The first line of the rows.
    pub first_line: u16,
    /// The place of the row that is there, among those that are shown.
    pub first_row: usize,
    /// How many rows are there.
    pub rows: usize,
}

/// Draws all of it. `whole` is what was counted of all rows, and `says` the last thing to say.
pub fn draw(frame: &mut Frame, model: &Model, (name, list): (&str, Option<&str>), whole: Counts, says: &str) -> Drawn {
    let area = frame.area();
    let width = usize::from(area.width);
    let mut lines = vec![head(model, name, width)];
    let first_field = lines.len() as u16;
    lines.extend(fields(model));
    if model.field == Field::Want {
        let value = visible::clipped_value(model.value(), width / 2);
        lines.push(format!("{}{}", paint(style::TAKEN, format!("{:<8}", "wanted")), visible::without_controls(model.text())));
        lines.push(paint(style::QUIET, format!("what it is to give of {value}; Enter looks for phrases that give that")));
    } else {
        lines.push(quiet(model, if says.is_empty() { &model.says } else { says }, width));
    }
    lines.push(String::new());
    lines.extend(looked_at(model, width));
    lines.push(String::new());
    lines.push(counts(
        &format!("{} shown", visible::counted(model.rows() as u64, "row")),
        (model.rows() as u64, &model.tally, model.failing),
        width,
    ));
    if whole.rows > 0 {
        let all = if whole.is_done { "all" } else { "so far" };
        let of = format!("{all} {}", visible::counted(whole.rows, "row"));
        lines.push(counts(&of, (whole.rows, &whole.tally, whole.failing), width));
    }
    lines.push(paint(style::QUIET, visible::clipped(&view(model), width)));
    let foot = keys(list.is_some(), width);
    let space = usize::from(area.height).saturating_sub(lines.len() + foot.len());
    // The row that is looked at is always on the screen.
    let first = model.selected.saturating_sub(space.saturating_sub(1) / 2).min(model.order.len().saturating_sub(space));
    let drawn = Drawn { first_line: lines.len() as u16, first_row: first, rows: space.min(model.order.len() - first) };
    lines.extend(rows(model, first, space, width));
    lines.resize(usize::from(area.height).saturating_sub(foot.len()).max(lines.len()), String::new());
    lines.extend(foot);
    let lines: Vec<Line> = lines.iter().map(|line| styled::line(line)).collect();
    frame.render_widget(Paragraph::new(lines), area);
    let field = match model.field {
        Field::Name => 0,
        Field::Phrase => 1,
        Field::Check => 2,
        Field::Want => 3,
    };
    let before: String = model.text().chars().take(model.cursor).collect();
    let column = (LABEL + visible::width(&before) as u16).min(area.width.saturating_sub(1));
    frame.set_cursor_position(Position::new(column, first_field + field));
    drawn
}

fn head(model: &Model, name: &str, width: usize) -> String {
    let pieces = match model.pieces.len() {
        1 => String::new(),
        count => format!("  piece {} of {count}", model.at + 1),
    };
    let words = format!("{} of {name}{pieces}", visible::value(&model.title));
    paint(style::HEAD, visible::clipped(&visible::without_controls(&words), width))
}

/// The lines that are typed in.
fn fields(model: &Model) -> [String; 3] {
    let piece = model.piece();
    [("name", &piece.name, Field::Name), ("phrase", &piece.phrase, Field::Phrase), ("check", &piece.check, Field::Check)].map(
        |(label, text, field)| {
            let label = format!("{label:<width$}", width = usize::from(LABEL));
            let label = if field == model.field { paint(style::TAKEN, label) } else { paint(style::QUIET, label) };
            format!("{label}{}", visible::without_controls(text))
        },
    )
}

/// What is not finished, and what may come; or the last thing to say.
fn quiet(model: &Model, says: &str, width: usize) -> String {
    let words = match &model.unfinished {
        Some(unfinished) if model.offered().is_some() => format!("{} ({}: →)", unfinished.message, unfinished.help),
        Some(unfinished) => format!("{} ({})", unfinished.message, unfinished.help),
        None if !says.is_empty() => says.to_owned(),
        None if model.piece().phrase.is_empty() => "type a phrase, such as first 3, or section 2 by \"-\"".to_owned(),
        None => String::new(),
    };
    paint(style::QUIET, visible::clipped(&visible::without_controls(&words), width))
}

/// The value that is looked at, with what the phrase takes.
fn looked_at(model: &Model, width: usize) -> Vec<String> {
    let value = model.value();
    let trace = model.trace(value);
    let gauge = Gauge::new(value);
    let taken: Vec<_> = trace.iter().flat_map(|trace| &trace.taken).map(|bytes| gauge.covered(bytes)).collect();
    let mut lines = if value.is_empty() {
        vec![paint(style::QUIET, "(blank)")]
    } else if value.len() > long::VERY_LONG {
        long::draw("taken", value, &trace.as_ref().and_then(|trace| trace.taken.first().cloned()).unwrap_or_default(), width)
    } else {
        let marks = if trace.is_some() { vec![Mark::taken("taken", taken)] } else { Vec::new() };
        ruler::draw_around(&gauge, &marks, width)
    };
    if let Some(trace) = &trace {
        lines.extend(steps::draw(&model.piece().phrase, trace));
        lines.push(steps::result(trace));
    }
    lines.truncate(RULER);
    lines
}

/// The states with their bars, in one line.
fn counts(of: &str, (rows, tally, failing): (u64, &Tally, u64), width: usize) -> String {
    let states = [
        ("filled", tally.filled, style::TAKEN),
        ("short", tally.short, style::LOOK),
        ("long", tally.long, style::LOOK),
        ("blank", tally.blank, style::QUIET),
        ("missing", tally.missing, style::LOOK),
        ("fallback", tally.fallback, style::LOOK),
        ("failing", failing, style::FAULT),
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

/// Which rows are shown.
fn view(model: &Model) -> String {
    let count = visible::counted(model.order.len() as u64, "row");
    match model.view {
        View::All => format!("{count}, those worth a look first"),
        View::Odd => format!("{count} worth a look"),
        View::Shape(shape) => format!("{count} of the shape {}", model.shapes.get(shape).map_or("", String::as_str)),
    }
}

/// Rows with what the piece gives of them.
fn rows(model: &Model, first: usize, most: usize, width: usize) -> Vec<String> {
    let shown = model.order.iter().enumerate().skip(first).take(most);
    let half = width.saturating_sub(26) / 2;
    let row = |(place, row): (usize, &usize)| {
        let (number, value) = model.row(*row);
        let Given { text, state, fails } = &model.given[*row];
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

/// What the keys do, in as many lines as they take.
fn keys(has_list: bool, width: usize) -> Vec<String> {
    let mut keys = vec![
        "Tab other rows",
        "↑↓ row",
        "Enter next line",
        "^W wanted",
        "^N new piece",
        "^O other piece",
        "^T earlier",
        "^D remove",
        "^Z undo",
    ];
    keys.extend(has_list.then_some("^S write list"));
    keys.push("Esc end");
    let words = keys.join("  ");
    textwrap::wrap(&words, width).into_iter().map(|line| paint(style::QUIET, line)).collect()
}
