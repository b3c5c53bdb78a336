//! What is asked of the rows before: which texts there were, and in which row first.
//!
//! Batches are worked out in any order, and hash their texts while they are. Then they are remembered in the order of the
//! rows, which is the only part of a run that is done in turn.

use super::bind::Carving;
use super::condition::Test;
use super::judge::CheckOf;
use super::plans::AsksMissing;
use super::plans::BuildPlan;
use super::worked::Worked;
use crate::batch::{Batch, Mask};
use crate::check::seen::{Seen, Store, StoreError};

pub(super) use crate::check::seen::Hash;

/// The texts of the rows before: one for a run.
#[derive(Debug, Default)]
pub struct Memory {
    seen: Vec<Seen>,
    /// The most bytes that they may take in memory, and what makes stores for the rest, where that is bounded.
    bound: Option<(usize, MakeStore)>,
}

/// Makes a store.
pub type MakeStore = fn() -> Box<dyn Store>;

/// A text that the rows before had, or had not and should have.
#[derive(Debug, Clone, Copy)]
pub(super) struct Repeat {
    /// The row of the batch.
    pub(super) row: u32,
    /// Which result of the row.
    pub(super) nth: u32,
    /// The check that asks.
    pub(super) check: u32,
    /// The first row with the text, if there is one.
    pub(super) first: Option<u64>,
}

/// A check that is asked of the rows before.
#[derive(Debug)]
pub(super) struct UniqueCheck {
    /// Its number among all checks.
    pub(super) check: usize,
    /// The number of what is asked.
    pub(super) number: usize,
    /// The piece whose results are asked about; several pieces and columns together where there is none.
    pub(super) piece: Option<usize>,
    pub(super) negated: bool,
}

/// A text by which a row is to be compared with others: rows with the same check and hash have the same text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Compared {
    /// The number of the check among all.
    pub check: usize,
    /// The hash of the text.
    pub hash: Hash,
    /// Whether the row meets all other checks of the piece that are of the same level: a repeat is then one more row in which the piece
    /// does not meet one.
    pub new_for_piece: bool,
    /// Whether the row has no fault: a repeat that is a fault is then one more row with faults.
    pub new_for_row: bool,
}

impl Carving {
    /// Whether anything is asked of the rows before.
    pub fn looks_back(&self) -> bool {
        let compares = self.first_unique_keep() < self.keep.len() || !self.unique_checks.is_empty();
        compares && !self.is_compared_elsewhere
    }

    /// Leaves it to somebody else to compare the rows with each other, as where a run has only some of them: nothing is asked of the rows
    /// before, and [`Carving::compared`] tells what they are to be compared by.
    ///
    /// # Errors
    /// Where that cannot be: what it is that somebody would have to know of all rows before.
    pub fn leave_comparing(&mut self) -> Result<(), &'static str> {
        if self.first_unique_keep() < self.keep.len() {
            return Err("`unique` under `keep` depends on other rows");
        }
        if self.unique_checks.iter().any(|asked| asked.negated) {
            return Err("`not unique` asks for the rows before each");
        }
        self.is_compared_elsewhere = true;
        Ok(())
    }

    /// What a row of a batch that has been judged is to be compared with others by, once its failures are in the order of the rows
    /// ([`Worked::failures_by_row`]). A text with nothing in it is like no other.
    pub fn compared(&self, row: usize, worked: &Worked) -> impl Iterator<Item = Compared> {
        self.unique_checks.iter().flat_map(move |asked| {
            let items = asked.piece.map_or(row..row + 1, |piece| worked.pieces[piece].items(row));
            let hashes = worked.hashes.get(asked.number).and_then(|hashes| hashes.get(items)).unwrap_or_default();
            let new_for_piece = asked.piece.is_some() && !self.fails_otherwise(row, asked.check, worked);
            let new_for_row = !worked.faulty.has(row);
            let compared = move |hash: &Hash| Compared { check: asked.check, hash: *hash, new_for_piece, new_for_row };
            hashes.iter().filter(|hash| **hash != Hash::NOTHING).map(compared)
        })
    }

    /// Whether a row does not meet another check of the same piece and level as this.
    fn fails_otherwise(&self, row: usize, check: usize, worked: &Worked) -> bool {
        let level = |check: u32| match self.check_list.get(check as usize) {
            Some(CheckOf::Piece { piece, number }) => Some((*piece, self.pieces[*piece].checks[*number].only_warns)),
            Some(CheckOf::Type(piece) | CheckOf::Columns { piece, .. }) => Some((*piece, false)),
            Some(CheckOf::Found(piece)) => Some((*piece, self.pieces[*piece].asks_missing == AsksMissing::Warns)),
            _ => None,
        };
        let of_check = level(check as u32);
        let first = worked.failures.partition_point(|failure| (failure.row as usize) < row);
        let mut of_row = worked.failures[first..].iter().take_while(|failure| failure.row as usize == row);
        of_row.any(|failure| failure.check as usize != check && level(failure.check) == of_check)
    }

    /// The first condition of `keep` that is asked of the rows before; the number of them where none is.
    pub(super) fn first_unique_keep(&self) -> usize {
        self.keep.iter().position(|keep| keep.condition.unique().is_some()).unwrap_or(self.keep.len())
    }

    /// Hashes what will be asked of the rows before, once the rows are left out that the pieces leave out.
    pub fn hash(&self, batch: &Batch, worked: &mut Worked) {
        let Worked { hashes, not_kept, pieces, failing, .. } = worked;
        hashes.resize_with(self.uniques, Vec::new);
        let first = self.first_unique_keep();
        not_kept.resize_with(self.keep.len() - first, Mask::default);
        for (keep, not_kept) in self.keep[first..].iter().zip(not_kept) {
            let texts = self.part_texts(&keep.of, batch, pieces);
            match (&keep.condition.test, texts) {
                (Test::Unique(number), Some(texts)) => {
                    hashes[*number].clear();
                    hashes[*number].extend(texts.iter().map(|text| Seen::hash([text])));
                }
                (_, Some(texts)) => {
                    failing.clear();
                    keep.condition.note_failing(texts, None, true, (batch, &|row| row), failing);
                    not_kept.clear(batch.rows);
                    failing.iter().for_each(|row| not_kept.set(*row as usize));
                }
                (_, None) => not_kept.clear(batch.rows),
            }
        }
        for asked in &self.unique_checks {
            let hashes = &mut hashes[asked.number];
            hashes.clear();
            match asked.piece {
                Some(piece) => {
                    let texts = pieces[piece].texts(self.values(piece, batch));
                    hashes.extend(texts.iter().map(|text| Seen::hash([text])));
                }
                None => {
                    let parts = self.unique.iter().flat_map(|(parts, _)| parts);
                    let columns: Vec<_> = parts.filter_map(|part| self.part_texts(part, batch, pieces)).collect();
                    let of_row = |row| Seen::hash(columns.iter().map(|column| column.get(row)));
                    hashes.extend((0..batch.rows).map(of_row));
                }
            }
        }
    }

    /// Prefetches the stored texts of the next batches. Optional: [`Carving::remember`] otherwise reads the store once for each text.
    ///
    /// # Errors The store cannot be read.
    pub fn recall<'w>(&self, batches: impl Iterator<Item = &'w Worked> + Clone, memory: &mut Memory) -> Result<(), StoreError> {
        memory.begin(self.uniques);
        for (number, seen) in memory.seen.iter_mut().enumerate() {
            let hashes = batches.clone().filter_map(|worked| worked.hashes.get(number)).flatten();
            seen.recall(hashes.copied().filter(|hash| *hash != Hash::NOTHING))?;
        }
        Ok(())
    }

    /// Asks the rows before about those of a batch, and remembers these. To be called with each batch in the order of its
    /// rows, if [`Carving::looks_back`]. `number` gives the number of a row of the batch, from 1.
    ///
    /// # Errors
    /// Where a store has one.
    pub fn remember(
        &self,
        worked: &mut Worked,
        rows: usize,
        number: impl Fn(usize) -> u64,
        memory: &mut Memory,
    ) -> Result<(), StoreError> {
        memory.begin(self.uniques);
        let Worked { hashes, not_kept, repeats, kept, pieces, .. } = worked;
        let (first, mut kept_rows) = (self.first_unique_keep(), Vec::new());
        memory.prepare(hashes);
        for row in 0..rows {
            let mut is_kept = true;
            for (keep, not_kept) in self.keep[first..].iter().zip(&*not_kept) {
                is_kept = match keep.condition.test {
                    Test::Unique(asked) => {
                        let found = memory.note(asked, hashes[asked][row], number(row))?;
                        found.is_none_or(|first| first.is_some() == keep.condition.negated)
                    }
                    Test::Text(_) | Test::SameAs { .. } => !not_kept.has(row),
                };
                // What a row that is left out has is not asked about.
                if !is_kept {
                    break;
                }
            }
            if !is_kept {
                continue;
            }
            kept_rows.push(row as u32);
            for asked in &self.unique_checks {
                let items = asked.piece.map_or(row..row + 1, |piece| pieces[piece].items(row));
                for (nth, item) in items.enumerate() {
                    let Some(first) = memory.note(asked.number, hashes[asked.number][item], number(row))? else { continue };
                    if first.is_some() != asked.negated {
                        repeats.push(Repeat { row: row as u32, nth: nth as u32, check: asked.check as u32, first });
                    }
                }
            }
        }
        if kept_rows.len() < rows {
            *kept = Some(kept_rows);
        }
        Ok(())
    }
}

impl Memory {
    /// Takes no more than `most` bytes, about, and leaves the rest to stores.
    pub fn bounded(most: usize, make: MakeStore) -> Memory {
        Memory { seen: Vec::new(), bound: Some((most, make)) }
    }

    /// Makes what is asked of the rows before, this many times.
    fn begin(&mut self, uniques: usize) {
        let bound = self.bound;
        self.seen.resize_with(uniques, || match bound {
            None => Seen::default(),
            Some((most, make)) => Seen::with_store(most / uniques.max(1), make()),
        });
    }

    /// Touches what the hashes will be looked up by, all at once: so the memory that holds it is fetched for many of them at
    /// the same time.
    fn prepare(&mut self, hashes: &[Vec<Hash>]) {
        self.seen.iter_mut().zip(hashes).for_each(|(seen, hashes)| seen.prepare(hashes));
    }

    /// Notes a text; gives the row that has it first, if one does. A text with nothing in it is like no other.
    fn note(&mut self, number: usize, hash: Hash, row: u64) -> Result<Option<Option<u64>>, StoreError> {
        if hash == Hash::NOTHING { Ok(None) } else { self.seen[number].note(hash, row).map(Some) }
    }
}

/// The parts that must be unique together.
pub(super) type Together = (Vec<BuildPlan>, String);
