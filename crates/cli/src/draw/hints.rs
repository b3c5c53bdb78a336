//! Hints: the observation, the rows, and the suggestion.

use keen_notch_core::column::Header;
use keen_notch_core::diagnostics::{Fix, Hint};
use keen_notch_core::toml_text::{toml_key, toml_text};
use keen_notch_io::carve::{Job, Report};

use super::rerun::{self, Rerun};
use super::style::{self, paint};
use super::visible;
use crate::rules::Pieces;

/// The hints of a run, with commands to paste.
pub fn draw(report: &Report, job: &Job, header: &Header, pieces: &Pieces, again: &Rerun, width: usize) -> Vec<String> {
    let mut lines = Vec::new();
    for hint in &report.hints {
        lines.push(seen(&hint.seen, &hint.rows, report, width));
        let fix = fix(hint, report, job, header, pieces, again);
        lines.extend(fix.iter().map(|line| format!("      {}", paint(style::HELP, visible::without_controls(line)))));
    }
    lines
}

/// The hints in words, with suggestions.
pub fn describe(report: &Report, job: &Job, header: &Header, pieces: &Pieces, again: &Rerun) -> Vec<(String, Vec<String>)> {
    let words = |hint: &Hint| format!("{}{}", hint.seen, super::rows::in_brackets(&report.inputs, &hint.rows));
    report.hints.iter().map(|hint| (words(hint), fix(hint, report, job, header, pieces, again))).collect()
}

/// A hint for each piece with results that look like formulas.
pub fn formulas(report: &Report, job: &Job, width: usize) -> Vec<String> {
    let mut lines = Vec::new();
    for (piece, found) in job.written().iter().zip(&report.formulas).filter(|(_, found)| found.count > 0) {
        let values = visible::counted(found.count, "value");
        let begin = if found.count == 1 {
            "begins like a formula and is not a number"
        } else {
            "begin like a formula and are not numbers"
        };
        let words = format!("{values} of {} {begin}", job.carving().name(*piece));
        lines.push(seen(&words, &found.rows, report, width));
    }
    if !lines.is_empty() {
        let fix = "if the file is opened in a spreadsheet, --guard-formulas keeps them as texts";
        lines.push(format!("      {}", paint(style::HELP, fix)));
    }
    lines
}

fn seen(words: &str, rows: &[u64], report: &Report, width: usize) -> String {
    let rows = super::rows::in_brackets(&report.inputs, rows);
    let words = visible::without_controls(&format!("{words}{rows}"));
    let options = textwrap::Options::new(width).initial_indent("hint: ").subsequent_indent("      ");
    textwrap::fill(&words, options).replacen("hint:", &paint(style::LOOK, "hint:"), 1)
}

fn fix(hint: &Hint, report: &Report, job: &Job, header: &Header, pieces: &Pieces, again: &Rerun) -> Vec<String> {
    let row = hint.rows.first().copied().unwrap_or(1);
    match &hint.fix {
        Fix::Piece { piece, phrase } => {
            let name = job.carving().name(*piece);
            let of_list = pieces
                .list_of(*piece)
                .map(|list| format!("in {list}, under [piece.{}]: take = {}", toml_key(name), toml_text(phrase)));
            let column = job.carving().column(*piece);
            let tried = column.and_then(|column| {
                let head = pieces.wanted.head_of(*piece, &rerun::column_of_piece(header, column))?;
                again.explain_phrase(report, format!("{head}: {phrase}"), row)
            });
            let alone = || format!("take {name} by: {phrase}");
            let lines: Vec<String> = of_list.into_iter().chain(tried).collect();
            if lines.is_empty() { vec![alone()] } else { lines }
        }
        Fix::Words(text) => vec![text.clone()],
        Fix::LookAtRow(row) => vec![again.explain_row(report, *row).unwrap_or_else(|| format!("look at row {row}"))],
        Fix::DoubtTheCheck(row) => {
            let shown = again.explain_row(report, *row).unwrap_or_else(|| format!("look at row {row}"));
            vec!["is the check right? This shows one of the rows:".to_owned(), shown]
        }
        _ => Vec::new(),
    }
}
