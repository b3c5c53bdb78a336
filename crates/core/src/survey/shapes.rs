//! The shapes of a column, counted in bounded memory.

use std::collections::HashMap;

use foldhash::fast::FixedState;

use super::fine::{Encoder, FineRun, Glance, What, decode};
use super::kinds::Kinds;
use crate::sightings::Sightings;
use crate::text::characters;

/// Bytes of a value that are kept as an example.
const EXAMPLE: usize = 240;
/// Places of a shape at which it is known whether all its values have the same character.
const SAME: usize = 128;

/// The shapes of a column: fine ones up to a bound; behind that, by what stands between their words.
#[derive(Debug, Clone)]
pub struct Shapes {
    most: usize,
    fine: HashMap<Box<[u8]>, usize, FixedState>,
    coarse: HashMap<Box<[u8]>, usize, FixedState>,
    /// Fine shapes in the order in which they were first seen.
    pub entries: Vec<Entry>,
    /// Coarse shapes of the values that no fine shape was kept for.
    pub coarse_entries: Vec<CoarseEntry>,
    /// Values of which no shape was kept.
    pub others: Sightings,
    scratch: Vec<u8>,
}

/// A fine shape of the column.
#[derive(Debug, Clone)]
pub struct Entry {
    /// Its runs.
    pub runs: Vec<FineRun>,
    /// How many values, and the first rows.
    pub seen: Sightings,
    /// Their length in characters.
    pub length: usize,
    /// The first value, cut off where it is long.
    pub example: String,
    /// Bit n: all values have the same ASCII character at place n, from 0. Nothing is known beyond ASCII.
    pub same: u128,
}

/// Values whose fine shapes were not kept: words are told apart by their kinds only.
#[derive(Debug, Clone)]
pub struct CoarseEntry {
    /// The runs of the first of them.
    pub runs: Vec<FineRun>,
    /// The fewest characters of each slot (see [`slots`]), and the most.
    pub widths: Vec<(usize, usize)>,
    /// How many values, and the first rows.
    pub seen: Sightings,
    /// The first value, cut off where it is long.
    pub example: String,
}

/// Where a value went.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kept {
    /// To a fine shape, by its index.
    Fine(usize),
    /// To a coarse one, or to none.
    Not,
}

impl Shapes {
    /// Keeps at most so many fine shapes, and as many coarse ones.
    pub fn new(most: usize) -> Shapes {
        Shapes {
            most,
            fine: HashMap::default(),
            coarse: HashMap::default(),
            entries: Vec::new(),
            coarse_entries: Vec::new(),
            others: Sightings::default(),
            scratch: Vec::new(),
        }
    }

    /// Sees a value that was just encoded.
    #[inline]
    pub fn see(&mut self, row: u64, value: &str, glance: Glance, encoder: &Encoder) -> Kept {
        if let Some(index) = self.fine.get(encoder.key()) {
            let entry = &mut self.entries[*index];
            entry.seen.note(row);
            if entry.same != 0 {
                entry.compare(value, glance.plain);
            }
            return Kept::Fine(*index);
        }
        self.meet(row, value, glance, encoder.key())
    }

    /// Where the values of an encoded shape go, if its fine shape is kept.
    pub fn find(&self, key: &[u8]) -> Option<usize> {
        self.fine.get(key).copied()
    }

    /// Where the values of a shape go that has no fine one.
    pub fn find_coarse(&mut self, key: &[u8]) -> Option<usize> {
        self.coarse_key(&decode(key));
        self.coarse.get(self.scratch.as_slice()).copied()
    }

    fn meet(&mut self, row: u64, value: &str, glance: Glance, key: &[u8]) -> Kept {
        if self.entries.len() < self.most {
            let index = self.entries.len();
            self.fine.insert(key.into(), index);
            let mut seen = Sightings::default();
            seen.note(row);
            let places = glance.length.min(SAME);
            let same = if !glance.plain || places == 0 { 0 } else { u128::MAX >> (SAME - places) };
            self.entries.push(Entry { runs: decode(key), seen, length: glance.length, example: example(value), same });
            return Kept::Fine(index);
        }
        let runs = decode(key);
        let slots: Vec<usize> = slots(&runs).map(|slot| slot.iter().map(|run| run.count).sum()).collect();
        self.coarse_key(&runs);
        if let Some(index) = self.coarse.get(self.scratch.as_slice()) {
            let entry = &mut self.coarse_entries[*index];
            entry.seen.note(row);
            for ((least, most), width) in entry.widths.iter_mut().zip(slots) {
                (*least, *most) = ((*least).min(width), (*most).max(width));
            }
        } else if self.coarse_entries.len() < self.most {
            self.coarse.insert(self.scratch.as_slice().into(), self.coarse_entries.len());
            let mut seen = Sightings::default();
            seen.note(row);
            let widths = slots.into_iter().map(|width| (width, width)).collect();
            self.coarse_entries.push(CoarseEntry { runs, widths, seen, example: example(value) });
        } else {
            self.others.note(row);
        }
        Kept::Not
    }

    /// What stands between the words, and of which kinds these are: into the scratch room.
    fn coarse_key(&mut self, runs: &[FineRun]) {
        self.scratch.clear();
        for slot in slots(runs) {
            let kinds = slot.iter().fold(Kinds::default(), |all, run| match &run.what {
                What::Kind(kinds) => all.with(*kinds),
                _ => all,
            });
            match slot {
                [FineRun { what: What::Character(character), .. }] => self.scratch.extend_from_slice(character.as_bytes()),
                [FineRun { what: What::Rest, .. }] => self.scratch.push(0xFF),
                _ => self.scratch.extend_from_slice(&[0xFE, kinds.bits()]),
            }
        }
    }
}

impl Entry {
    /// Forgets the places at which the value differs from the first.
    #[inline]
    fn compare(&mut self, value: &str, plain: bool) {
        if !plain {
            self.same = 0;
            return;
        }
        let mut left = self.same;
        while left != 0 {
            let place = left.trailing_zeros() as usize;
            left &= left - 1;
            if value.as_bytes().get(place) != self.example.as_bytes().get(place) {
                self.same &= !(1 << place);
            }
        }
    }

    /// The character that all values have at a place, from 0, where that is known.
    pub fn same_at(&self, place: usize) -> Option<char> {
        let is_same = place < SAME && self.same >> place & 1 == 1;
        self.example.as_bytes().get(place).filter(|_| is_same).map(|byte| char::from(*byte))
    }
}

/// The slots of a shape: a word, which is all letters and digits up to the next other character, or a run of
/// one other character.
pub fn slots(runs: &[FineRun]) -> impl Iterator<Item = &[FineRun]> {
    let is_word = |run: &FineRun| matches!(run.what, What::Kind(_));
    runs.chunk_by(move |left, right| is_word(left) && is_word(right))
}

fn example(value: &str) -> String {
    let end = if value.len() <= EXAMPLE { value.len() } else { value.floor_char_boundary(EXAMPLE) };
    let cut = &value[..end];
    // Whole characters only.
    match characters::ranges(cut).last() {
        Some(last) if end < value.len() => format!("{}…", &cut[..last.start]),
        _ => cut.to_owned(),
    }
}
