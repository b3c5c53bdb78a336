//! A page over the screen: the keys of a line, or a row explained.

use super::model::Key;
use super::panel::{foot, rule};
use super::terminal::Lines;

pub struct Page {
    pub title: String,
    pub lines: Vec<String>,
    first: usize,
}

impl Page {
    pub fn new(title: String, lines: Vec<String>) -> Page {
        Page { title, lines, first: 0 }
    }

    /// Scrolls on a screen of a height.
    pub fn press(&mut self, key: Key, height: usize) {
        let space = height.saturating_sub(2).max(1);
        let last = self.lines.len().saturating_sub(space);
        self.first = match key {
            Key::Up => self.first.saturating_sub(1),
            Key::Down => self.first + 1,
            Key::PageUp => self.first.saturating_sub(space),
            Key::PageDown => self.first + space,
            Key::Home => 0,
            Key::End => last,
            _ => self.first,
        }
        .min(last);
    }

    pub fn draw(&self, (width, height): (usize, usize)) -> Lines {
        let space = height.saturating_sub(2);
        let shown = self.lines.iter().skip(self.first).take(space).cloned();
        let right = match self.lines.len() {
            count if count > space => format!("lines {} to {} of {count}", self.first + 1, (self.first + space).min(count)),
            _ => String::new(),
        };
        let mut lines: Vec<String> = std::iter::once(rule(&self.title, &right, width)).chain(shown).collect();
        lines.resize(height.saturating_sub(1).max(1), String::new());
        lines.push(foot(&[("↑↓ PgUp PgDn", "scroll")], "back to what you typed", width));
        let line = u16::try_from(height.saturating_sub(1)).unwrap_or(u16::MAX);
        Lines { lines, column: 0, line }
    }
}
