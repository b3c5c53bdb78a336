//! Columns of lists: the faults of each row, and the hashes to compare rows.

use std::borrow::Cow;

use keen_notch_core::batch::Span;
use keen_notch_core::carving::{CheckName, Fault, OutColumn, RowComparison};

use crate::encode::Encodable;
use crate::encode::rows::OutRows;

pub const FAULT_FIELDS: [&str; 4] = ["piece", "check", "kind", "detail"];

/// The fields of a hash: the index of the check, a hash of 128 bits, and whether a duplicate is one more row in which the piece fails at
/// this level, and one more row with faults.
pub const COMPARED_FIELDS: [&str; 4] = ["check", "hash", "new_for_piece", "new_for_row"];

#[derive(Debug, Default)]
pub struct RowFaults<'a> {
    checks: &'a [CheckName],
    rows: Vec<(u32, Vec<Fault>)>,
}

impl<'a> RowFaults<'a> {
    pub fn of(checks: &'a [CheckName]) -> RowFaults<'a> {
        RowFaults { checks, rows: Vec::new() }
    }

    pub fn note(&mut self, row: u32, faults: Vec<Fault>) {
        let faults: Vec<Fault> = faults.into_iter().filter(|fault| !self.checks[fault.check].only_warns).collect();
        if !faults.is_empty() {
            self.rows.push((row, faults));
        }
    }

    /// The faults of a row, each as [`FAULT_FIELDS`].
    pub fn each(&self, row: usize) -> impl Iterator<Item = [&str; FAULT_FIELDS.len()]> {
        let found = self.rows.binary_search_by_key(&row, |(row, _)| *row as usize).ok();
        let faults = found.map_or(&[][..], |found| &self.rows[found].1);
        faults.iter().map(|fault| {
            let check = &self.checks[fault.check];
            [&*check.of, &*check.words, fault.violation.kind.word(), &*fault.violation.detail]
        })
    }
}

/// Faults in one line, with targets and details.
pub fn words<'f>(faults: impl Iterator<Item = (&'f str, &'f str)>) -> String {
    let words: Vec<Cow<str>> = faults.map(|(of, detail)| format!("{of}: {detail}").into()).collect();
    words.join("; ")
}

/// The list of a row in one line, for formats without lists, or the reason why it is set aside; empty for an empty list.
pub fn line(column: OutColumn, input: &Encodable, row: usize) -> String {
    match column {
        OutColumn::Reason => input.reasons.get(row).cloned().unwrap_or_default(),
        OutColumn::Compared => {
            let compared = input.carving.compared(row, input.batch_results);
            let words = compared.map(|RowComparison { check, hash, new_for_piece, new_for_row }| {
                let new = [(new_for_piece, "piece"), (new_for_row, "row")].into_iter().filter(|(is, _)| *is);
                let new: Vec<&str> = new.map(|(_, of)| of).collect();
                format!("{check}:{:032x}:{}", hash.bits(), new.join("+"))
            });
            words.collect::<Vec<_>>().join(" ")
        }
        _ => words(input.faults.each(row).map(|[piece, .., detail]| (piece, detail))),
    }
}

/// The list of each output row in one line, with its span in the text.
pub fn lines(column: OutColumn, input: &Encodable, rows: &OutRows) -> (String, Vec<Span>) {
    let mut text = String::new();
    let line = |index: usize| {
        let start = text.len();
        text += &line(column, input, rows.row(index));
        Span::new(start, text.len())
    };
    let spans = (0..rows.count()).map(line).collect();
    (text, spans)
}
