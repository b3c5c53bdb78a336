//! The short way: many rows at once, piece by piece. It is open where each piece is one cut of one column, nothing
//! looks at several pieces together, and the values are plain; [`super::row`] and [`super::judge`] say what is right.

use super::asked::{Asked, Test};
use super::bind::Carving;
use super::judge::{Fault, place};
use super::row::{PieceBody, PiecePlan};
use crate::piece::Shape;
use crate::program::{CutColumn, Hits, Many, Scratch};
use crate::tally::Tally;
use crate::text::simd::Span;

/// The values of some rows, all of them plain.
#[derive(Debug, Clone, Copy)]
pub struct Values<'t> {
    /// The text that they stand in.
    pub text: &'t str,
    /// Where they stand in it, by column and row; only the columns that are used are looked at.
    pub columns: &'t [Vec<Span>],
}

/// What came of some rows; its room is kept from batch to batch.
#[derive(Debug, Default)]
pub struct Batch {
    /// What each search found that several pieces begin with.
    hits: Vec<Hits>,
    pieces: Vec<CutColumn>,
    /// What is wrong, row by row: the row, counted from 0, and the fault.
    faults: Vec<(u32, Fault)>,
    /// The rows that do not meet the check at hand, and those that do not meet some check of the piece.
    failing: Vec<u32>,
    warned: Vec<u32>,
    faulted: Vec<u32>,
    scratch: Scratch,
}

impl Batch {
    /// The results of each piece.
    pub fn pieces(&self) -> &[CutColumn] {
        &self.pieces
    }

    /// What is wrong, row by row and check by check: the row, counted from 0, and the fault.
    pub fn faults(&self) -> &[(u32, Fault)] {
        &self.faults
    }
}

impl Carving {
    /// Whether rows can go the short way.
    pub fn has_short_way(&self) -> bool {
        let looks_around = |asked: &Asked| !matches!(asked.test, Test::Text(_));
        let is_one_cut = |piece: &PiecePlan| {
            matches!(piece.body, PieceBody::Take { .. })
                && piece.when.is_none()
                && piece.shape == Shape::One
                && !piece.checks.iter().any(|check| looks_around(&check.asked))
        };
        self.pieces.iter().all(is_one_cut)
            && self.layouts.is_empty()
            && self.proofs.is_empty()
            && self.keep.is_empty()
            && self.unique.is_none()
    }

    /// Works out and judges all pieces of some rows, and counts what became of them. Only where
    /// [`Carving::has_short_way`]; it comes to what [`Carving::run`] and [`Carving::judge`] come to.
    pub fn run_batch(&self, values: Values, batch: &mut Batch, tallies: &mut [Tally]) {
        batch.faults.clear();
        batch.pieces.resize_with(self.pieces.len(), CutColumn::default);
        batch.hits.resize_with(self.searches.len(), Hits::default);
        for (search, hits) in self.searches.iter().zip(&mut batch.hits) {
            let values_of = values.columns.get(search.column).map_or(&[][..], Vec::as_slice);
            hits.find(values.text.as_bytes(), values_of, search.byte);
        }
        let mut number = 0;
        for (index, (piece, tally)) in self.pieces.iter().zip(tallies).enumerate() {
            let PieceBody::Take { column, plan } = &piece.body else { continue };
            let Some(column) = values.columns.get(*column) else { continue };
            let hits = piece.search.and_then(|search| batch.hits.get(search));
            let many = Many { text: values.text, spans: column, hits };
            plan.cut_many(many, &mut batch.scratch, &mut batch.pieces[index]);
            match batch.pieces[index].are_filled() {
                true => tally.filled += column.len() as u64,
                false => (0..column.len()).for_each(|row| tally.count(batch.pieces[index].state(row))),
            }
            batch.judge(piece, values.text, column, index, number, tally);
            number += piece.checks.len();
        }
        // Each piece was judged in the order of the rows; a person reads row by row.
        batch.faults.sort_by_key(|(row, fault)| (*row, fault.check));
    }
}

impl Batch {
    /// Judges a piece of all rows, whose first check has this number.
    fn judge(&mut self, piece: &PiecePlan, text: &str, values: &[Span], index: usize, number: usize, tally: &mut Tally) {
        let PieceBody::Take { plan, .. } = &piece.body else { return };
        let Batch { pieces, faults, failing, warned, faulted, scratch, .. } = self;
        warned.clear();
        faulted.clear();
        for (number, check) in (number..).zip(&piece.checks) {
            let Test::Text(condition) = &check.asked.test else { continue };
            failing.clear();
            condition.note_failing(&pieces[index], text, check.asks_missing, failing);
            if let Some(are_digits) = condition.gives_digits().filter(|_| failing.is_empty() && pieces[index].are_plain()) {
                pieces[index].note_digits(are_digits);
            }
            for row in &*failing {
                let value = values[*row as usize].text(text);
                scratch.clear();
                let outcome = plan.run_plain(value, scratch);
                let held = outcome.held(0, scratch);
                let result = held.map_or("", |held| plan.text(held, value, scratch));
                let violation = condition.violation(result);
                faults.push((*row, Fault { check: number, result: result.to_owned(), place: place(held), violation }));
            }
            if check.only_warns { &mut *warned } else { &mut *faulted }.extend_from_slice(failing);
        }
        tally.warned += distinct(warned);
        tally.faulted += distinct(faulted);
    }
}

/// How many rows there are, each counted once.
fn distinct(rows: &mut Vec<u32>) -> u64 {
    rows.sort_unstable();
    rows.dedup();
    rows.len() as u64
}
