//! The few styles in use, each for one meaning.

use anstyle::{AnsiColor, Style};

/// The word that says something failed.
pub const ERROR: Style = AnsiColor::Red.on_default().bold();
/// The word that says what to do.
pub const HELP: Style = AnsiColor::Green.on_default().bold();
/// What is there to help the eye, not to be read first.
pub const QUIET: Style = Style::new().dimmed();
/// A heading.
pub const HEAD: Style = Style::new().bold();
/// What a phrase takes.
pub const TAKEN: Style = AnsiColor::Green.on_default().bold();
/// A character that values are divided at.
pub const DELIMITER: Style = AnsiColor::Cyan.on_default().bold();
/// What cannot be seen by itself, made visible.
pub const UNSEEN: Style = AnsiColor::Red.on_default().bold();
/// What may need a look: short, long, missing, fallback.
pub const LOOK: Style = AnsiColor::Magenta.on_default();

/// What is wrong.
pub const FAULT: Style = AnsiColor::Red.on_default();

/// `text` in a style.
pub fn paint(style: Style, text: impl std::fmt::Display) -> String {
    format!("{style}{text}{style:#}")
}
