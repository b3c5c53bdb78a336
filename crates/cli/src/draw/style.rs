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

/// The sequences that styles are made of, and those that tables end them with.
const SEQUENCES: [&str; 10] = [
    "\u{1b}[m",
    "\u{1b}[0m",
    "\u{1b}[1m",
    "\u{1b}[2m",
    "\u{1b}[22m",
    "\u{1b}[39m",
    "\u{1b}[38;5;196m",
    "\u{1b}[38;5;28m",
    "\u{1b}[38;5;30m",
    "\u{1b}[38;5;164m",
];

/// The bytes of one of these, where a text begins with it.
pub fn sequence(text: &str) -> Option<usize> {
    SEQUENCES.iter().find(|sequence| text.starts_with(**sequence)).map(|sequence| sequence.len())
}

/// `text` in a style.
pub fn paint(style: Style, text: impl std::fmt::Display) -> String {
    format!("{style}{text}{style:#}")
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The relative luminance of a colour of the cube of 256 (WCAG 2.2).
    fn luminance(color: anstyle::Color) -> f64 {
        let anstyle::Color::Ansi256(Ansi256Color(index)) = color else { panic!("{color:?} is the terminal's own") };
        assert!((16..232).contains(&index), "{index} is not of the cube");
        let cube = index - 16;
        let part = |step: u8| match f64::from([0, 95, 135, 175, 215, 255][usize::from(step % 6)]) / 255.0 {
            low @ ..=0.04045 => low / 12.92,
            part => ((part + 0.055) / 1.055).powf(2.4),
        };
        0.2126 * part(cube / 36) + 0.7152 * part(cube / 6) + 0.0722 * part(cube)
    }

    /// What is left of a text in a style without the sequences.
    fn painted(style: Style) -> String {
        SEQUENCES.iter().fold(paint(style, "x"), |text, sequence| text.replace(sequence, ""))
    }

    #[test]
    fn every_colour_can_be_read_on_white_and_on_black() {
        for style in [ERROR, HELP, TAKEN, DELIMITER, UNSEEN, LOOK, FAULT] {
            assert_eq!(painted(style), "x", "{style:?} is made of other sequences");
            let shade = luminance(style.get_fg_color().unwrap());
            let (on_white, on_black) = (1.05 / (shade + 0.05), (shade + 0.05) / 0.05);
            // What WCAG asks of large or bold text.
            assert!(on_white >= 3.0 && on_black >= 3.0, "{style:?}: {on_white:.1} on white, {on_black:.1} on black");
        }
        for style in [QUIET, HEAD] {
            assert_eq!(painted(style), "x");
            assert_eq!(style.get_fg_color(), None, "the terminal's own, on its own");
        }
    }
}
