//! The styles, each with one meaning.
//!
//! The colours come from the middle of the 256 colours and have a contrast of about 4 to 5 with white and with black. The first 16
//! colours depend on the terminal, and its green or cyan is often illegible on white. Some terminals show no difference for dim text on
//! white, so quiet text is grey.

use anstyle::{Ansi256Color, Style};

const RED: Style = Ansi256Color(196).on_default();
const GREEN: Style = Ansi256Color(28).on_default();
const CYAN: Style = Ansi256Color(30).on_default();
const GREY: Style = Ansi256Color(243).on_default();
const MAGENTA: Style = Ansi256Color(164).on_default();

pub const ERROR: Style = RED.bold();
pub const HELP: Style = GREEN.bold();
pub const QUIET: Style = GREY;
pub const HEAD: Style = Style::new().bold();
/// The characters of a piece.
pub const TAKEN: Style = GREEN.bold();
pub const DELIMITER: Style = CYAN.bold();
/// Marks for invisible characters.
pub const UNSEEN: Style = RED.bold();
/// States that need attention: short, long, missing, fallback.
pub const LOOK: Style = MAGENTA;
pub const FAULT: Style = RED;

const SEQUENCES: [&str; 9] = [
    "\u{1b}[m",
    "\u{1b}[0m",
    "\u{1b}[1m",
    "\u{1b}[39m",
    "\u{1b}[38;5;196m",
    "\u{1b}[38;5;28m",
    "\u{1b}[38;5;30m",
    "\u{1b}[38;5;164m",
    "\u{1b}[38;5;243m",
];

/// The size of such a sequence at the start of a text, if any.
pub fn sequence(text: &str) -> Option<usize> {
    SEQUENCES.iter().find(|sequence| text.starts_with(**sequence)).map(|sequence| sequence.len())
}

pub fn paint(style: Style, text: impl std::fmt::Display) -> String {
    format!("{style}{text}{style:#}")
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The relative luminance of a colour of the 256-colour cube, or of its greys (WCAG 2.2).
    fn luminance(color: anstyle::Color) -> f64 {
        let anstyle::Color::Ansi256(Ansi256Color(index)) = color else { panic!("{color:?} is the terminal's own") };
        assert!(index >= 16, "{index} is the terminal's own");
        let linear = |shade: u8| match f64::from(shade) / 255.0 {
            low @ ..=0.04045 => low / 12.92,
            part => ((part + 0.055) / 1.055).powf(2.4),
        };
        if let Some(grey) = index.checked_sub(232) {
            return linear(8 + 10 * grey);
        }
        let cube = index - 16;
        let part = |step: u8| linear([0, 95, 135, 175, 215, 255][usize::from(step % 6)]);
        0.2126 * part(cube / 36) + 0.7152 * part(cube / 6) + 0.0722 * part(cube)
    }

    fn painted(style: Style) -> String {
        SEQUENCES.iter().fold(paint(style, "x"), |text, sequence| text.replace(sequence, ""))
    }

    #[test]
    fn every_colour_can_be_read_on_white_and_on_black() {
        for style in [ERROR, HELP, QUIET, TAKEN, DELIMITER, UNSEEN, LOOK, FAULT] {
            assert_eq!(painted(style), "x", "{style:?} is made of other sequences");
            let shade = luminance(style.get_fg_color().unwrap());
            let (on_white, on_black) = (1.05 / (shade + 0.05), (shade + 0.05) / 0.05);
            // The requirement of WCAG for large or bold text.
            assert!(on_white >= 3.0 && on_black >= 3.0, "{style:?}: {on_white:.1} on white, {on_black:.1} on black");
        }
        assert_eq!(painted(HEAD), "x");
        assert_eq!(HEAD.get_fg_color(), None, "the terminal's own");
    }
}
