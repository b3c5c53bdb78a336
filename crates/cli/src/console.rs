use std::io::{IsTerminal, Write};

use keen_notch_io::sink::Visible;

use crate::draw::style;

const USUAL_WIDTH: usize = 80;
const LEAST_WIDTH: usize = 40;

/// Standard output for text, with colours if enabled. Other escape sequences become visible marks.
pub fn out() -> impl Write {
    Visible::new(anstream::stdout().lock(), style::sequence)
}

pub fn err() -> impl Write {
    Visible::new(anstream::stderr().lock(), style::sequence)
}

#[derive(Debug, Clone)]
pub struct Console {
    pub width: usize,
    /// Whether standard output is a terminal, so that tables are shown instead of data.
    pub shows_tables: bool,
    /// Whether notes also go to standard output, between the results.
    pub notes_in_line: bool,
}

impl Console {
    pub fn detect() -> Console {
        let from_environment = std::env::var("COLUMNS").ok().and_then(|columns| columns.parse().ok());
        let measured = terminal_size::terminal_size().map(|(width, _)| usize::from(width.0));
        Console {
            width: measured.or(from_environment).unwrap_or(USUAL_WIDTH).max(LEAST_WIDTH),
            shows_tables: std::io::stdout().is_terminal(),
            notes_in_line: false,
        }
    }

    pub fn note(&self, line: &str) {
        let _ = if self.notes_in_line { writeln!(out(), "{line}") } else { writeln!(err(), "{line}") };
    }
}
