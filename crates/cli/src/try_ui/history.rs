//! Undo and redo. Undo reaches every earlier state, also the states that a change after some undos would cut off.

use super::model::Field;
use super::piece::Draft;

const MOST: usize = 5000;

#[derive(Clone)]
pub struct Snapshot {
    pub pieces: Vec<Draft>,
    pub at: usize,
    pub field: Field,
    pub cursor: usize,
}

#[derive(Default)]
pub struct History {
    before: Vec<Snapshot>,
    after: Vec<Snapshot>,
}

impl History {
    /// Notes a change away from a state.
    pub fn note(&mut self, before: Snapshot) {
        if !self.after.is_empty() {
            // The undone states, there and back again: undo passes each of them.
            let undone: Vec<Snapshot> = self.after.drain(..).rev().collect();
            let back: Vec<Snapshot> = undone.iter().rev().skip(1).cloned().collect();
            self.before.push(before.clone());
            self.before.extend(undone);
            self.before.extend(back);
        }
        self.before.push(before);
        if self.before.len() > MOST {
            self.before.drain(..self.before.len() - MOST);
        }
    }

    pub fn undo(&mut self, now: impl FnOnce() -> Snapshot) -> Option<Snapshot> {
        let before = self.before.pop()?;
        self.after.push(now());
        Some(before)
    }

    pub fn redo(&mut self, now: impl FnOnce() -> Snapshot) -> Option<Snapshot> {
        let after = self.after.pop()?;
        self.before.push(now());
        Some(after)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::super::piece::Line;
    use super::*;

    fn state(phrase: &str) -> Snapshot {
        let piece = Draft { phrase: phrase.to_owned(), ..Draft::default() };
        Snapshot { pieces: vec![piece], at: 0, field: Field::Piece(Line::Phrase), cursor: 0 }
    }

    proptest! {
        /// Whatever is typed, undone and redone, enough undos pass every state that was ever there.
        #[test]
        fn every_state_can_be_undone_to(keys in prop::collection::vec(0..4_u8, 1..40)) {
            let (mut history, mut now, mut seen) = (History::default(), state(""), vec![String::new()]);
            for (number, key) in keys.iter().enumerate() {
                let there = now.clone();
                match key {
                    0 => now = history.undo(|| there).unwrap_or(now),
                    1 => now = history.redo(|| there).unwrap_or(now),
                    _ => {
                        history.note(there);
                        now = state(&number.to_string());
                        seen.push(number.to_string());
                    }
                }
            }
            let mut passed = vec![now.pieces[0].phrase.clone()];
            // Forward to the newest state, then back through all.
            while let Some(next) = history.redo(|| now.clone()) {
                now = next;
                passed.push(now.pieces[0].phrase.clone());
            }
            while let Some(before) = history.undo(|| now.clone()) {
                now = before;
                passed.push(now.pieces[0].phrase.clone());
            }
            prop_assert!(seen.iter().all(|phrase| passed.contains(phrase)), "{seen:?} {passed:?}");
            prop_assert_eq!(&*passed[passed.len() - 1], "");
        }
    }
}
