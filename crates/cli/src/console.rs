//! Where the program's words go: how wide, and whether a person reads them as they come.

use std::io::{IsTerminal, Write};

use keen_notch_io::sink::Visible;

use crate::draw::style;

/// The width taken where none can be found out, in columns.
const USUAL_WIDTH: usize = 80;
/// No line is narrower, however narrow the terminal.
const LEAST_WIDTH: usize = 40;

/// Standard output for words: in colours where these are wanted, and with nothing else in it that a terminal would obey, wherever
/// it came from.
pub fn out() -> impl Write {
    Visible::new(anstream::stdout().lock(), style::sequence)
}

/// Standard error for words.
pub fn err() -> impl Write {
    Visible::new(anstream::stderr().lock(), style::sequence)
}

/// What is known of the reader of standard output.
#[derive(Debug, Clone)]
pub struct Console {
    /// Columns of the terminal.
    pub width: usize,
    /// Whether standard output is read by a person: then tables are shown, not data.
    pub shows_tables: bool,
    /// Whether notes go to standard output too, between the outputs they belong to.
    pub notes_in_line: bool,
}

impl Console {
    /// Looks at standard output.
    pub fn detect() -> Console {
        let told = std::env::var("COLUMNS").ok().and_then(|columns| columns.parse().ok());
        let measured = terminal_size::terminal_size().map(|(width, _)| usize::from(width.0));
        Console {
            width: measured.or(told).unwrap_or(USUAL_WIDTH).max(LEAST_WIDTH),
            shows_tables: std::io::stdout().is_terminal(),
            notes_in_line: false,
        }
    }

    /// Says something about a run: on standard error, where it mixes with no data. A reader who has gone
    /// away is no reason to fail.
    pub fn note(&self, line: &str) {
        let _ = if self.notes_in_line { writeln!(out(), "{line}") } else { writeln!(err(), "{line}") };
    }
}
