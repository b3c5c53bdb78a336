//! What is wrong with each row, as a column of the output has it.

use std::borrow::Cow;

use keen_notch_core::batch::{Buffer, Span};
use keen_notch_core::carving::{CheckName, Fault};

use super::json_lines::push_text;
use super::rows::OutRows;

/// What a fault is told by, in this order.
pub const FIELDS: [&str; 4] = ["piece", "check", "kind", "detail"];

/// What is wrong with the rows of a batch. Warnings are not.
#[derive(Debug, Default)]
pub struct RowFaults<'a> {
    checks: &'a [CheckName],
    /// The rows that have faults, by their indices in the batch, which rise, with those.
    rows: Vec<(u32, Vec<Fault>)>,
}

impl<'a> RowFaults<'a> {
    /// Nothing so far. A fault is of one of these checks.
    pub fn of(checks: &'a [CheckName]) -> RowFaults<'a> {
        RowFaults { checks, rows: Vec::new() }
    }

    /// Notes what is wrong with a row that comes after those before.
    pub fn note(&mut self, row: u32, faults: Vec<Fault>) {
        let faults: Vec<Fault> = faults.into_iter().filter(|fault| !self.checks[fault.check].only_warns).collect();
        if !faults.is_empty() {
            self.rows.push((row, faults));
        }
    }

    /// The faults of a row, each as its [`FIELDS`].
    pub fn each(&self, row: usize) -> impl Iterator<Item = [&str; FIELDS.len()]> {
        let found = self.rows.binary_search_by_key(&row, |(row, _)| *row as usize).ok();
        let faults = found.map_or(&[][..], |found| &self.rows[found].1);
        faults.iter().map(|fault| {
            let check = &self.checks[fault.check];
            [&*check.of, &*check.words, fault.violation.kind.word(), &*fault.violation.detail]
        })
    }

    /// The faults of a row in one line, for people.
    pub fn words(&self, row: usize) -> String {
        words(self.each(row).map(|[piece, .., detail]| (piece, detail)))
    }

    /// The faults of each row as a JSON array of objects, and where each is in that text.
    pub(super) fn arrays(&self, rows: &OutRows) -> (String, Vec<Span>) {
        let mut text = Buffer::default();
        let spans = (0..rows.count()).map(|index| {
            let start = text.width();
            text.push(b'[');
            for (number, fault) in self.each(rows.row(index)).enumerate() {
                text.extend(if number > 0 { b",{" } else { b"{" });
                for (number, (field, value)) in FIELDS.iter().zip(fault).enumerate() {
                    text.extend(if number > 0 { b",\"" } else { b"\"" });
                    text.extend(field.as_bytes());
                    text.extend(b"\":");
                    push_text(value, &mut text);
                }
                text.push(b'}');
            }
            text.push(b']');
            Span::new(start, text.width())
        });
        let spans = spans.collect();
        (text.text().to_owned(), spans)
    }

    /// The faults of each row in one line, and where each is in that text.
    pub(super) fn lines(&self, rows: &OutRows) -> (String, Vec<Span>) {
        let mut text = String::new();
        let spans = (0..rows.count()).map(|index| {
            let start = text.len();
            text += &self.words(rows.row(index));
            Span::new(start, text.len())
        });
        let spans = spans.collect();
        (text, spans)
    }
}

/// Faults in one line, of what each is of and its detail.
pub fn words<'f>(faults: impl Iterator<Item = (&'f str, &'f str)>) -> String {
    let words: Vec<Cow<str>> = faults.map(|(of, detail)| format!("{of}: {detail}").into()).collect();
    words.join("; ")
}
