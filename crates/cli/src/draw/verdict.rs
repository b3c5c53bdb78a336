//! The verdict of a run in words.

use keen_notch_core::summary::Summary;
use keen_notch_core::verdict::{Doubt, Verdict};

use super::visible;

/// The verdict for pieces without checks.
pub const NO_CHECKS: &str = "no checks ran: the pieces have none";

pub fn empty_inputs(summary: &Summary) -> Vec<String> {
    let empty = summary.inputs.iter().filter(|input| input.rows == 0);
    let why = if summary.part.is_some() { "has no rows in this part" } else { "has no rows" };
    empty.map(|input| visible::without_controls(&format!("{} {why}", input.name))).collect()
}

/// The verdict as a sentence without a full stop.
pub fn sentence(verdict: &Verdict, summary: &Summary) -> String {
    let words = words(verdict, summary);
    let mut chars = words.chars();
    chars.next().map_or(String::new(), |first| first.to_uppercase().chain(chars).collect())
}

pub fn words(verdict: &Verdict, summary: &Summary) -> String {
    match verdict {
        Verdict::Faults => {
            let (faulty, left_out) = (summary.rows.with_faults, summary.rows.left_out);
            let rows = summary.rows.read.saturating_sub(left_out);
            let of = format!("{} of {}", visible::grouped(faulty), visible::counted(rows, "row"));
            let others = if left_out > 0 { format!("; {} left out", visible::counted(left_out, "row")) } else { String::new() };
            let rest = uncompared(summary).map_or(String::new(), |words| format!("; {words}"));
            format!("{of} with faults ({}){others}{rest}", visible::share(faulty, rows))
        }
        Verdict::Passed { checks: 1 } => "1 check passed".to_owned(),
        Verdict::Passed { checks } => format!("all {checks} checks passed"),
        Verdict::Doubtful(doubts) => {
            let doubts: Vec<String> = doubts.iter().map(|doubt| clause(doubt, summary)).collect();
            format!("no check failed, but {}", doubts.join("; "))
        }
        Verdict::Unchecked => NO_CHECKS.to_owned(),
    }
}

/// The checks that need the rows of all parts, if the run has some.
pub fn uncompared(summary: &Summary) -> Option<String> {
    let checks = summary.checks.iter().enumerate().filter(|(_, check)| check.elsewhere);
    let checks: Vec<usize> = checks.map(|(index, _)| index).collect();
    (!checks.is_empty()).then(|| clause(&Doubt::Elsewhere(checks), summary))
}

fn clause(doubt: &Doubt, summary: &Summary) -> String {
    let check = |index: &usize| {
        let check = &summary.checks[*index];
        format!("`{}` of {}", check.check, check.of)
    };
    let words = match doubt {
        Doubt::NoRows => "the input has no rows".to_owned(),
        Doubt::Elsewhere(checks) => format!("{} must still be compared in all rows", some(checks, check)),
        Doubt::NoValues(checks) => format!("{} had no value to look at", some(checks, check)),
        Doubt::Warnings(checks) => format!("{} gave warnings", some(checks, check)),
        Doubt::Missing(pieces) => {
            let piece = |index: &usize| {
                let piece = &summary.pieces[*index];
                format!("{} ({})", piece.name, visible::counted(piece.tally.missing, "row"))
            };
            let rest = if pieces.len() == 1 { "is missing and has no check" } else { "are missing and have no check" };
            format!("{} {rest}", some(pieces, piece))
        }
        Doubt::Hints(_) => "the hints say that results may be wrong".to_owned(),
    };
    visible::without_controls(&words)
}

fn some(indices: &[usize], name: impl Fn(&usize) -> String) -> String {
    const MOST: usize = 3;
    let mut names: Vec<String> = indices.iter().take(MOST).map(name).collect();
    names.extend((indices.len() > MOST).then(|| format!("{} more", indices.len() - MOST)));
    match names.split_last() {
        Some((last, rest)) if !rest.is_empty() => format!("{} and {last}", rest.join(", ")),
        _ => names.concat(),
    }
}
