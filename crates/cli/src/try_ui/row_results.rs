//! The results of a piece on the sample, and the order of the rows.

use std::collections::BTreeSet;
use std::sync::Arc;

use keen_notch_core::carving::{Failure, Memory};
use keen_notch_core::program::State;
use keen_notch_core::tally::Tally;

use super::model::{Model, View};
use super::piece::{Binding, BoundPiece, Draft, Line, Unfinished};
use super::sample::Sample;
use super::whole::judge;

#[derive(Debug, Clone, Default)]
pub struct RowResult {
    /// The results, joined if there are several.
    pub text: String,
    pub state: State,
    pub fails: bool,
}

impl RowResult {
    /// How much attention the row needs; lower is more. `None` for no attention.
    fn rank(&self) -> Option<u8> {
        let State { missing, short, fallback, long, .. } = self.state;
        [self.fails, missing, short, fallback, long].iter().position(|is| *is).map(|rank| rank as u8)
    }
}

impl Model {
    pub(super) fn bind(&self, draft: &Draft) -> Result<Option<BoundPiece>, Unfinished> {
        let beside = || self.pieces.iter().filter(|other| other.id != draft.id && other.has_phrase());
        let mut names = beside().map(|other| &other.name).chain(self.others.pieces.iter().map(|piece| &piece.name));
        if draft.has_phrase() && names.any(|name| *name == draft.name) {
            let message = format!("another piece has the name {}", draft.name);
            return Err(Unfinished { line: Line::Name, message, help: "give each piece a name of its own".to_owned() });
        }
        let others = || {
            let mut rules = self.others.clone();
            beside().for_each(|piece| piece.add_to(&mut rules));
            rules
        };
        draft.bind(&self.binding(), &others)
    }

    pub fn is_finished(&self, draft: &Draft) -> bool {
        self.bind(draft).is_ok()
    }

    pub fn binding(&self) -> Binding<'_> {
        let Sample { rows, column, .. } = &self.sample;
        Binding { header: &rows.header, column: *column, unit: self.unit, files: &*self.files }
    }

    /// Computes the result for each row. An unfinished piece keeps its last results.
    pub(super) fn work(&mut self) {
        self.carving = None;
        match self.bind(self.piece()) {
            Ok(Some(bound)) => match self.run(&bound) {
                Some((given, tally)) => {
                    (self.given, self.tally, self.unfinished) = (given, tally, None);
                    self.carving = Some(Arc::new(bound.carving));
                }
                None => {
                    let message = "the results are too large to be shown".to_owned();
                    let help = "take less of each value".to_owned();
                    self.unfinished = Some(Unfinished { line: Line::Phrase, message, help });
                }
            },
            Ok(None) => {
                self.unfinished = None;
                self.given = vec![RowResult::default(); self.sample.rows()];
                self.tally = Tally::default();
            }
            Err(unfinished) => self.unfinished = Some(unfinished),
        }
        self.sort();
    }

    pub(super) fn run(&self, BoundPiece { carving, own }: &BoundPiece) -> Option<(Vec<RowResult>, Tally)> {
        let checks = carving.checks();
        self.sample.rows.with_batch(|batch| {
            let (judged, tally) = judge(carving, batch, 0, &mut Memory::default())?;
            let batch_results = judged.results();
            let (texts, results) = (carving.texts(0, batch, batch_results), batch_results.piece(0));
            let is_own = |failure: &&Failure| {
                let check = &checks[failure.check as usize];
                !check.only_warns && check.piece.is_some_and(|piece| piece < *own)
            };
            let failing: BTreeSet<usize> =
                batch_results.failures().iter().filter(is_own).map(|failure| failure.row as usize).collect();
            let given = |row: usize| RowResult {
                text: results.items(row).map(|item| texts.get(item)).collect::<Vec<_>>().join(" · "),
                state: results.state(row),
                fails: failing.contains(&row),
            };
            Some(((0..batch.rows).map(given).collect(), tally))
        })
    }

    pub(super) fn sort(&mut self) {
        let is_shown = |row: &usize| match self.view {
            View::All => true,
            View::Odd => self.given[*row].rank().is_some(),
            View::Shape(shape) => self.sample.shape_of(*row) == Some(shape),
        };
        let wanted = self.filter.to_lowercase();
        let has = |text: &str| text.to_lowercase().contains(&wanted);
        let is_found = |row: &usize| !self.is_filtered || has(self.sample.row(*row).1) || has(&self.given[*row].text);
        let mut order: Vec<usize> = (0..self.sample.rows()).filter(is_shown).filter(is_found).collect();
        order.sort_by_key(|row| self.given[*row].rank().unwrap_or(u8::MAX));
        self.selected = self.chosen.and_then(|row| order.iter().position(|shown| *shown == row)).unwrap_or(0);
        self.order = order;
    }
}
