//! Hints: what was seen, in which rows, and what to do about it.

use keen_notch_core::diagnostics::Fix;
use keen_notch_io::carve::Report;

use super::style::{self, paint};
use super::visible;

/// Draws the hints of a run.
pub fn draw(report: &Report, width: usize) -> Vec<String> {
    let mut lines = Vec::new();
    for hint in &report.hints {
        let rows = super::rows::in_brackets(report, &hint.rows);
        let words = visible::without_controls(&format!("{}{rows}", hint.seen));
        let options = textwrap::Options::new(width).initial_indent("hint: ").subsequent_indent("      ");
        let seen = textwrap::fill(&words, options);
        lines.push(seen.replacen("hint:", &paint(style::LOOK, "hint:"), 1));
        lines.push(format!("      {}", paint(style::HELP, visible::without_controls(&fix(&hint.fix)))));
    }
    lines
}

/// What to do about it, in one line.
fn fix(fix: &Fix) -> String {
    match fix {
        Fix::Piece(text) | Fix::Words(text) => text.clone(),
        Fix::LookAtRow(row) => format!("look at the row: explain CUTLIST FILE --row {row}"),
        Fix::DoubtTheCheck(_) => "is the check right? Look at one of the rows with explain".to_owned(),
        _ => String::new(),
    }
}
