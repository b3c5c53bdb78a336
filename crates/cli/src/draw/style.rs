//! The few styles in use, each for one meaning.
//!
//! Colours are of the 256 that every terminal of today has, and of a brightness in the middle: each has a contrast of about
//! 4 to 5 with white and with black. The first 16 are the terminal's own, and its green or cyan often cannot be read on white.

use anstyle::{Ansi256Color, Style};

const RED: Style = Ansi256Color(196).on_default();
const GREEN: Style = Ansi256Color(28).on_default();
const CYAN: Style = Ansi256Color(30).on_default();
const MAGENTA: Style = Ansi256Color(164).on_default();

/// The word that says something failed.
pub const ERROR: Style = RED.bold();
/// The word that says what to do.
pub const HELP: Style = GREEN.bold();
/// What is there to help the eye, not to be read first.
pub const QUIET: Style = Style::new().dimmed();
/// A heading.
pub const HEAD: Style = Style::new().bold();
/// What a phrase takes.
pub const TAKEN: Style = GREEN.bold();
/// A character that values are divided at.
pub const DELIMITER: Style = CYAN.bold();
/// What cannot be seen by itself, made visible.
pub const UNSEEN: Style = RED.bold();
/// What may need a look: short, long, missing, fallback.
pub const LOOK: Style = MAGENTA;
/// What is wrong.
pub const FAULT: Style = RED;

/// `text` in a style.
pub fn paint(style: Style, text: impl std::fmt::Display) -> String {
    format!("{style}{text}{style:#}")
}
