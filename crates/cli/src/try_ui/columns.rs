//! The list of columns, where the user chooses one.

use std::rc::Rc;

use super::help;
use super::model::Key;
use super::page::Page;
use super::panel::{foot, rule};
use super::rows::Rows;
use super::terminal::Lines;
use crate::draw::style::{self, paint};
use crate::draw::visible;

const MOST_SHAPES: usize = 4;
const VALUES: usize = 4;
const FIND: &str = "  find       ";

pub struct Columns {
    rows: Rc<Rows>,
    /// The name of the table.
    table: String,
    /// The number of pieces that the cut list takes from each column.
    pieces: Vec<usize>,
    typed: String,
    /// The column, as an index of those found.
    selected: usize,
    /// The effect of Escape, in words.
    escape: &'static str,
}

impl Columns {
    pub fn new(rows: Rc<Rows>, table: String) -> Columns {
        let escape = "ends without a cut list";
        Columns { rows, table, pieces: Vec::new(), typed: String::new(), selected: 0, escape }
    }

    /// Takes over the number of pieces of each column, and whether a cut list was written.
    pub fn note(&mut self, pieces: Vec<usize>, is_written: bool) {
        self.pieces = pieces;
        if is_written {
            self.escape = "ends; all is written";
        }
    }

    /// The columns with the typed text in their names.
    fn found(&self) -> Vec<usize> {
        let typed = self.typed.to_lowercase();
        let is_found = |column: &usize| self.rows.header.title(*column).to_lowercase().contains(&typed);
        (0..self.rows.header.count_with_paths()).filter(is_found).collect()
    }

    /// The current column; `None` if no name contains the typed text.
    pub fn chosen(&self) -> Option<usize> {
        self.found().get(self.selected).copied()
    }

    pub fn press(&mut self, key: Key) {
        let last = self.found().len().saturating_sub(1);
        match key {
            Key::Up => self.selected = self.selected.saturating_sub(1),
            Key::Down => self.selected = (self.selected + 1).min(last),
            Key::PageUp => self.selected = self.selected.saturating_sub(10),
            Key::PageDown => self.selected = (self.selected + 10).min(last),
            Key::Home => self.selected = 0,
            Key::End => self.selected = last,
            Key::Char(c) => {
                self.typed.push(c);
                self.selected = 0;
            }
            Key::Backspace => {
                self.typed.pop();
                self.selected = 0;
            }
            _ => {}
        }
    }

    /// Chooses the column at a line of the screen, if there is one.
    pub fn click(&mut self, line: usize, height: usize) {
        let (first, space) = self.shown(height);
        if let Some(place) = line.checked_sub(3).filter(|place| *place < space)
            && first + place < self.found().len()
        {
            self.selected = first + place;
        }
    }

    /// The first shown column and the number of lines for columns, on a screen of a height.
    fn shown(&self, height: usize) -> (usize, usize) {
        let count = self.found().len();
        let space = height.saturating_sub(3 + 2 + VALUES + 1).max(1);
        (self.selected.saturating_sub(space.saturating_sub(1) / 2).min(count.saturating_sub(space)), space)
    }

    pub fn draw(&self, (width, height): (usize, usize)) -> Lines {
        let found = self.found();
        let all = self.rows.header.count_with_paths();
        let right = match found.len() {
            count if count == all => visible::counted(all as u64, "column"),
            count => format!("{count} of {}", visible::counted(all as u64, "column")),
        };
        let mut lines = vec![rule(&format!("columns of {}", self.table), &right, width)];
        let asked = if self.typed.is_empty() {
            paint(style::QUIET, "(a part of the name)")
        } else {
            visible::without_controls(&self.typed)
        };
        lines.push(format!("{}{asked}", paint(style::TAKEN, FIND)));
        let titles: Vec<String> = found.iter().map(|column| visible::value(&self.rows.header.title(*column))).collect();
        let widest = titles.iter().map(|title| visible::width(title)).max().unwrap_or(0).clamp(6, (width / 3).max(6));
        let heads = format!("  {:<widest$}  {:>6}  shapes: U uppercase, L lowercase, d digit, X U or d", "column", "blank");
        lines.push(paint(style::QUIET, visible::clipped(&heads, width)));
        let (first, space) = self.shown(height);
        for (place, column) in found.iter().enumerate().skip(first).take(space) {
            lines.push(self.line(*column, &titles[place], (widest, width), place == self.selected));
        }
        if found.is_empty() {
            lines.push(paint(style::LOOK, "  no column has this in its name: the backspace key removes a letter"));
        }
        lines.resize(3 + space, String::new());
        if let Some(column) = self.chosen() {
            let of = if self.rows.is_all {
                String::new()
            } else {
                format!("of the first {}", visible::counted(self.rows.count() as u64, "row"))
            };
            lines.push(rule(&format!("values of {}", self.rows.header.title(column)), &of, width));
            let values = (0..self.rows.count().min(VALUES)).map(|row| self.rows.value(column, row));
            lines.extend(values.map(|value| format!("  {}", visible::clipped_value(value, width.saturating_sub(2)))));
        }
        lines.resize(height.saturating_sub(1).max(1), String::new());
        lines.push(foot(&[("Enter", "take it apart"), ("↑↓", "column"), ("F1", "keys")], self.escape, width));
        let (find, typed) = (visible::width(FIND), visible::width(&visible::without_controls(&self.typed)));
        Lines { lines, column: u16::try_from(find + typed).unwrap_or(0).min((width as u16).saturating_sub(1)), line: 1 }
    }

    fn line(&self, column: usize, title: &str, (widest, width): (usize, usize), is_selected: bool) -> String {
        let looks = self.rows.looks(column);
        let title = visible::clipped(title, widest);
        let gap = " ".repeat(widest.saturating_sub(visible::width(&title)));
        let blanks = visible::grouped(looks.blanks);
        let values = self.rows.count() as u64 - looks.blanks;
        let shapes = looks.shapes.iter().take(MOST_SHAPES);
        let mut words =
            shapes.map(|(shape, count)| format!("{shape} {}", visible::share(*count, values))).collect::<Vec<_>>().join("   ");
        if let Some(count @ 1..) = self.pieces.get(column) {
            words = format!("[{}] {words}", visible::counted(*count as u64, "piece"));
        }
        let words = visible::clipped(&visible::without_controls(&words), width.saturating_sub(widest + 12));
        let (mark, title) =
            if is_selected { (paint(style::TAKEN, "›"), paint(style::TAKEN, title)) } else { (" ".to_owned(), title) };
        format!("{mark} {title}{gap}  {blanks:>6}  {}", if is_selected { words } else { paint(style::QUIET, words) })
    }

    pub fn help(&self, width: usize) -> Page {
        help::of_columns(self.escape, width)
    }
}
