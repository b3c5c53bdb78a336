//! Comparisons with earlier rows.
//!
//! Threads compute the hashes of batches in any order. Then the batches are looked up in row order, which is the only serial part of a
//! run.

use super::Carving;
use super::batch_results::BatchResults;
use super::condition::{AskedRows, Test};
use super::judge::CheckOf;
use super::plans::AsksMissing;
use super::plans::BuildPlan;
use crate::batch::{Batch, Mask};
use crate::check::unique_texts::{Store, StoreError, UniqueTexts};

pub(super) use crate::check::unique_texts::Hash;

#[derive(Debug, Default)]
pub struct Memory {
    seen: Vec<UniqueTexts>,
    /// The memory limit in bytes, and a factory for stores beyond it.
    bound: Option<(usize, MakeStore)>,
}

pub type MakeStore = fn() -> Box<dyn Store>;

#[derive(Debug, Clone, Copy)]
pub(super) struct Repeat {
    pub(super) row: u32,
    pub(super) nth: u32,
    pub(super) check: u32,
    pub(super) first: Option<u64>,
}

#[derive(Debug)]
pub(super) struct UniqueCheck {
    pub(super) check: usize,
    pub(super) number: usize,
    pub(super) piece: Option<usize>,
    pub(super) negated: bool,
}

/// A text to compare across rows. Equal checks and hashes mean equal texts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RowComparison {
    pub check: usize,
    pub hash: Hash,
    /// Whether the row passes all other checks of this piece and level. A duplicate is then one more row in which the piece fails.
    pub new_for_piece: bool,
    /// Whether the row has no fault. A duplicate is then one more row with faults.
    pub new_for_row: bool,
}

impl Carving {
    /// Whether another program must compare rows.
    pub fn leaves_comparing(&self) -> bool {
        self.has_comparisons() && self.is_compared_elsewhere
    }

    pub fn looks_back(&self) -> bool {
        self.has_comparisons() && !self.is_compared_elsewhere
    }

    /// Whether rows are compared, here or by another program.
    pub(super) fn has_comparisons(&self) -> bool {
        self.first_unique_keep() < self.keep.len() || !self.unique_checks.is_empty()
    }

    /// Disables comparisons, for a run that has only some of the rows. [`Carving::compared`] then returns the hashes for another program.
    ///
    /// # Errors
    /// A comparison that another program cannot do.
    pub fn leave_comparing(&mut self) -> Result<(), &'static str> {
        if self.first_unique_keep() < self.keep.len() {
            return Err("`unique` under `keep` depends on other rows");
        }
        if self.unique_checks.iter().any(|asked| asked.negated) {
            return Err("`not unique` depends on earlier rows");
        }
        self.is_compared_elsewhere = true;
        Ok(())
    }

    /// The texts of a row to compare with other rows. Call it after [`BatchResults::failures_by_row`]. Blank texts are never duplicates.
    pub fn compared(&self, row: usize, batch_results: &BatchResults) -> impl Iterator<Item = RowComparison> {
        self.unique_checks.iter().flat_map(move |asked| {
            let items = asked.piece.map_or(row..row + 1, |piece| batch_results.pieces[piece].items(row));
            let hashes = batch_results.hashes.get(asked.number).and_then(|hashes| hashes.get(items)).unwrap_or_default();
            let new_for_piece = asked.piece.is_some() && !self.fails_otherwise(row, asked.check, batch_results);
            let new_for_row = !batch_results.faulty.has(row);
            let compared = move |hash: &Hash| RowComparison { check: asked.check, hash: *hash, new_for_piece, new_for_row };
            hashes.iter().filter(|hash| **hash != Hash::NOTHING).map(compared)
        })
    }

    fn fails_otherwise(&self, row: usize, check: usize, batch_results: &BatchResults) -> bool {
        let level = |check: u32| match self.check_list.get(check as usize) {
            Some(CheckOf::Piece { piece, number }) => Some((*piece, self.pieces[*piece].checks[*number].only_warns)),
            Some(CheckOf::Type(piece) | CheckOf::Columns { piece, .. }) => Some((*piece, false)),
            Some(CheckOf::Found(piece)) => Some((*piece, self.pieces[*piece].asks_missing == AsksMissing::Warns)),
            _ => None,
        };
        let of_check = level(check as u32);
        let first = batch_results.failures.partition_point(|failure| (failure.row as usize) < row);
        let mut of_row = batch_results.failures[first..].iter().take_while(|failure| failure.row as usize == row);
        of_row.any(|failure| failure.check as usize != check && level(failure.check) == of_check)
    }

    /// The index of the first condition of `keep` on earlier rows; the number of conditions if none is.
    pub(super) fn first_unique_keep(&self) -> usize {
        self.keep.iter().position(|keep| keep.condition.unique().is_some()).unwrap_or(self.keep.len())
    }

    pub(super) fn hash(&self, batch: &Batch, batch_results: &mut BatchResults) {
        let BatchResults { hashes, not_kept, pieces, failing, .. } = batch_results;
        hashes.resize_with(self.uniques, Vec::new);
        let first = self.first_unique_keep();
        not_kept.resize_with(self.keep.len() - first, Mask::default);
        for (keep, not_kept) in self.keep[first..].iter().zip(not_kept) {
            let texts = self.part_texts(&keep.of, batch, pieces);
            match (&keep.condition.test, texts) {
                (Test::Unique(number), Some(texts)) => {
                    hashes[*number].clear();
                    hashes[*number].extend(texts.iter().map(|text| UniqueTexts::hash([text])));
                }
                (_, Some(texts)) => {
                    failing.clear();
                    let texts_of = |of: &BuildPlan| self.part_texts(of, batch, pieces);
                    let rows = AskedRows { row_of: &|row| row, texts_of: &texts_of };
                    keep.condition.note_failing(texts, None, true, rows, failing);
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
                    hashes.extend(texts.iter().map(|text| UniqueTexts::hash([text])));
                }
                None => {
                    let parts = self.unique.iter().flat_map(|(parts, _)| parts);
                    let columns: Vec<_> = parts.filter_map(|part| self.part_texts(part, batch, pieces)).collect();
                    let of_row = |row| UniqueTexts::hash(columns.iter().map(|column| column.get(row)));
                    hashes.extend((0..batch.rows).map(of_row));
                }
            }
        }
    }

    /// Prefetches the stored texts of the next batches. Optional: [`Carving::remember`] otherwise reads the store once for each text.
    ///
    /// # Errors
    /// The store cannot be read.
    pub(super) fn recall<'w>(
        &self,
        batches: impl Iterator<Item = &'w BatchResults> + Clone,
        memory: &mut Memory,
    ) -> Result<(), StoreError> {
        memory.begin(self.uniques);
        for (number, seen) in memory.seen.iter_mut().enumerate() {
            let hashes = batches.clone().filter_map(|batch_results| batch_results.hashes.get(number)).flatten();
            seen.recall(hashes.copied().filter(|hash| *hash != Hash::NOTHING))?;
        }
        Ok(())
    }

    /// Compares a batch with the earlier rows and stores its texts. Call it for each batch in row order if [`Carving::looks_back`].
    /// `number` maps a row of the batch to its number, from 1.
    ///
    /// # Errors
    /// A store fails.
    pub(super) fn remember(
        &self,
        batch_results: &mut BatchResults,
        rows: usize,
        number: impl Fn(usize) -> u64,
        memory: &mut Memory,
    ) -> Result<(), StoreError> {
        memory.begin(self.uniques);
        let BatchResults { hashes, not_kept, repeats, kept, pieces, .. } = batch_results;
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
                    Test::Text(_) | Test::SameAs { .. } | Test::All(_) | Test::Any(_) => !not_kept.has(row),
                };
                // Rows that are left out are not compared.
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
    /// A memory with a limit of about `most` bytes. Further texts go to stores.
    pub fn bounded(most: usize, make: MakeStore) -> Memory {
        Memory { seen: Vec::new(), bound: Some((most, make)) }
    }

    fn begin(&mut self, uniques: usize) {
        let bound = self.bound;
        self.seen.resize_with(uniques, || match bound {
            None => UniqueTexts::default(),
            Some((most, make)) => UniqueTexts::with_store(most / uniques.max(1), make()),
        });
    }

    /// Prefetches the stored texts of some checks, out of `checks`. Optional: [`Memory::first_row`] otherwise reads the store for each.
    ///
    /// # Errors
    /// The store cannot be read.
    pub fn recall(&mut self, checks: usize, hashes: impl Iterator<Item = (usize, Hash)> + Clone) -> Result<(), StoreError> {
        self.begin(checks);
        for (check, seen) in self.seen.iter_mut().enumerate() {
            seen.recall(hashes.clone().filter(|(of, hash)| *of == check && *hash != Hash::NOTHING).map(|(_, hash)| hash))?;
        }
        Ok(())
    }

    /// The first row with the hash of a check, if that is an earlier row. Call [`Memory::recall`] first.
    ///
    /// # Errors
    /// A store fails.
    pub fn first_row(&mut self, check: usize, hash: Hash, row: u64) -> Result<Option<u64>, StoreError> {
        self.note(check, hash, row).map(Option::flatten)
    }

    fn prepare(&mut self, hashes: &[Vec<Hash>]) {
        self.seen.iter_mut().zip(hashes).for_each(|(seen, hashes)| seen.prepare(hashes));
    }

    fn note(&mut self, number: usize, hash: Hash, row: u64) -> Result<Option<Option<u64>>, StoreError> {
        if hash == Hash::NOTHING { Ok(None) } else { self.seen[number].note(hash, row).map(Some) }
    }
}

pub(super) type Together = (Vec<BuildPlan>, String);
