//! Judging the pieces of a row: which checks they do not meet, and why.

use super::asked::Memory;
use super::bind::Carving;
use super::row::Workspace;
use crate::check::{Violation, ViolationKind};
use crate::piece::Shape;
use crate::program::Held;
use crate::tally::Tally;

/// Something wrong with a row.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    /// Which check found it, by its index among [`Carving::checks`].
    pub check: usize,
    /// The result that does not fit; empty where it is missing.
    pub result: String,
    /// Where it stands in the value of its column, in bytes; none where it was made or is missing.
    pub place: Option<(usize, usize)>,
    /// Why.
    pub violation: Violation,
}

/// A check of a carving, as a report names it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CheckName {
    /// What is checked: a piece, or a column by a layout or a proof.
    pub of: String,
    /// The piece it belongs to, by its index.
    pub piece: Option<usize>,
    /// The column it is about, by its index; none for a piece that is built.
    pub column: Option<usize>,
    /// The words it was written in.
    pub words: String,
    /// Whether it is only counted and shown.
    pub only_warns: bool,
}

impl Carving {
    /// Every check there is, in the order of the pieces.
    pub fn checks(&self) -> Vec<CheckName> {
        let mut names = Vec::new();
        for (index, piece) in self.pieces.iter().enumerate() {
            let name = |words: &str, only_warns| CheckName {
                of: piece.name.clone(),
                piece: Some(index),
                column: self.column(index),
                words: words.to_owned(),
                only_warns,
            };
            names.extend(piece.checks.iter().map(|check| name(&check.words, check.only_warns)));
            if let Shape::Columns(columns) = piece.shape {
                names.push(name(&format!("columns = {columns}"), false));
            }
        }
        let about =
            |of: String, column, words: &str| CheckName { of, piece: None, column, words: words.to_owned(), only_warns: false };
        for layout in &self.layouts {
            names.push(about("layout".to_owned(), Some(layout.column), &layout.words));
        }
        for proof in &self.proofs {
            names.push(about("proof".to_owned(), Some(proof.column), &proof.words));
        }
        if let Some((_, _, words)) = &self.unique {
            names.push(about("rows".to_owned(), None, &format!("unique: {words}")));
        }
        names
    }

    /// Judges a row that has been worked out: counts what became of its pieces, and adds what is wrong with
    /// them to `faults`. `row` is its number, from 1.
    pub fn judge<'v>(
        &self,
        value: &impl Fn(usize) -> &'v str,
        work: &mut Workspace,
        row: u64,
        memory: &mut Memory,
        tallies: &mut [Tally],
        faults: &mut Vec<Fault>,
    ) {
        let rebuilt: Vec<_> = self.proofs.iter().map(|proof| self.build(&proof.parts, value, work)).collect();
        let work = &*work;
        let mut number = 0;
        for (index, (piece, tally)) in self.pieces.iter().zip(tallies).enumerate() {
            let outcome = &work.outcomes[index];
            tally.count(outcome.state);
            let results = outcome.count().max(1);
            let (mut warned, mut faulted) = (false, false);
            for check in &piece.checks {
                for result in 0..results {
                    let text = self.text(index, result, value, work);
                    if text.is_empty() && !check.asks_missing {
                        continue;
                    }
                    if let Some(violation) = check.asked.violation(text, value, row, memory) {
                        let place = place(outcome.held(result, &work.scratch));
                        faults.push(Fault { check: number, result: text.to_owned(), place, violation });
                        if check.only_warns { warned = true } else { faulted = true }
                    }
                }
                number += 1;
            }
            if let Shape::Columns(columns) = piece.shape {
                if outcome.count() > columns {
                    let detail = format!("there are {} results for {columns} columns", outcome.count());
                    let result = self.text(index, columns, value, work).to_owned();
                    faults.push(Fault {
                        check: number,
                        result,
                        place: None,
                        violation: Violation::new(ViolationKind::TooMany, detail),
                    });
                    faulted = true;
                }
                number += 1;
            }
            tally.warned += u64::from(warned);
            tally.faulted += u64::from(faulted);
        }
        for (fit, layout) in work.fits.iter().zip(&self.layouts) {
            if let Err(violation) = fit {
                let result = value(layout.column).to_owned();
                faults.push(Fault { check: number, place: Some((0, result.len())), result, violation: violation.clone() });
            }
            number += 1;
        }
        for (proof, rebuilt) in self.proofs.iter().zip(&rebuilt) {
            let made = match rebuilt.held(0, &work.scratch) {
                Some(Held::Made(start, end)) => &work.scratch.made[start..end],
                _ => "",
            };
            if made != value(proof.column) {
                let detail = match made {
                    "" => "its pieces are missing, so it cannot be made again".to_owned(),
                    made => format!("the pieces make \"{made}\" instead"),
                };
                let violation = Violation::new(ViolationKind::NotRebuilt, detail);
                let result = value(proof.column).to_owned();
                faults.push(Fault { check: number, place: Some((0, result.len())), result, violation });
            }
            number += 1;
        }
        if let Some((parts, place, _)) = &self.unique {
            let texts: Vec<&str> = parts.iter().map(|part| self.part_text(part, value, work)).collect();
            if texts.iter().any(|text| !text.is_empty())
                && let Some(first) = memory.note(*place, texts.iter().copied(), row)
            {
                let violation = Violation::new(ViolationKind::NotUnique, format!("together they stand in row {first} too"));
                faults.push(Fault { check: number, result: texts.join(" + "), place: None, violation });
            }
        }
    }
}

/// Where a result stands in its value, in bytes, if it does.
pub(super) fn place(held: Option<Held>) -> Option<(usize, usize)> {
    match held {
        Some(Held::Value(start, end)) => Some((start, end)),
        _ => None,
    }
}
