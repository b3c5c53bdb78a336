//! The shapes of a column, counted in bounded memory.

use foldhash::fast::FixedState;
use indexmap::IndexMap;

use super::fine::{Encoder, FineRun, Glance, Token, What, decode, tokens};
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
    /// Fine shapes by their keys, in the order in which they were first seen.
    fine: IndexMap<Box<[u8]>, Entry, FixedState>,
    coarse: IndexMap<Box<[u8]>, CoarseEntry, FixedState>,
    /// Values of which no shape was kept.
    pub others: Sightings,
    room: Room,
}

/// Room for the coarse key of the value at hand and the widths of its slots.
#[derive(Debug, Clone, Default)]
struct Room {
    key: Vec<u8>,
    widths: Vec<usize>,
}

/// A fine shape of the column.
#[derive(Debug, Clone)]
pub struct Entry {
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
    /// The fine shape of the first of them.
    first: Box<[u8]>,
    /// The fewest characters of each slot (see [`slots`]), and the most.
    pub widths: Vec<(usize, usize)>,
    /// How many values, and the first rows.
    pub seen: Sightings,
    /// The first value, cut off where it is long.
    pub example: String,
}

impl CoarseEntry {
    /// The runs of the first value.
    pub fn runs(&self) -> Vec<FineRun> {
        decode(&self.first)
    }
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
            fine: IndexMap::default(),
            coarse: IndexMap::default(),
            others: Sightings::default(),
            room: Room::default(),
        }
    }

    /// Sees a value that was just encoded.
    #[inline]
    pub fn see(&mut self, row: u64, value: &str, glance: Glance, encoder: &Encoder) -> Kept {
        if let Some((index, _, entry)) = self.fine.get_full_mut(encoder.key()) {
            entry.seen.note(row);
            if entry.same != 0 {
                entry.compare(value, glance.plain);
            }
            return Kept::Fine(index);
        }
        self.meet(row, value, glance, encoder.key())
    }

    /// The fine shapes with their runs, in the order in which they were first seen.
    pub fn fine(&self) -> impl Iterator<Item = (Vec<FineRun>, &Entry)> {
        self.fine.iter().map(|(key, entry)| (decode(key), entry))
    }

    /// A fine shape by its index.
    pub fn entry(&self, index: usize) -> &Entry {
        &self.fine[index]
    }

    /// The coarse shapes.
    pub fn coarse(&self) -> impl Iterator<Item = &CoarseEntry> {
        self.coarse.values()
    }

    /// A coarse shape by its index.
    pub fn coarse_entry(&self, index: usize) -> &CoarseEntry {
        &self.coarse[index]
    }

    /// Where the values of an encoded shape go, if its fine shape is kept.
    pub fn find(&self, key: &[u8]) -> Option<usize> {
        self.fine.get_index_of(key)
    }

    /// Where the values of a shape go that has no fine one.
    pub fn find_coarse(&mut self, key: &[u8]) -> Option<usize> {
        self.room.read(key);
        self.coarse.get_index_of(self.room.key.as_slice())
    }

    fn meet(&mut self, row: u64, value: &str, glance: Glance, key: &[u8]) -> Kept {
        let first = || Sightings { count: 1, rows: vec![row] };
        if self.fine.len() < self.most {
            let places = glance.length.min(SAME);
            let same = if !glance.plain || places == 0 { 0 } else { u128::MAX >> (SAME - places) };
            let entry = Entry { seen: first(), length: glance.length, example: example(value), same };
            let (index, _) = self.fine.insert_full(key.into(), entry);
            return Kept::Fine(index);
        }
        self.room.read(key);
        if let Some(entry) = self.coarse.get_mut(self.room.key.as_slice()) {
            entry.seen.note(row);
            for ((least, most), width) in entry.widths.iter_mut().zip(&self.room.widths) {
                (*least, *most) = ((*least).min(*width), (*most).max(*width));
            }
        } else if self.coarse.len() < self.most {
            let widths = self.room.widths.iter().map(|width| (*width, *width)).collect();
            let entry = CoarseEntry { first: key.into(), widths, seen: first(), example: example(value) };
            self.coarse.insert(self.room.key.as_slice().into(), entry);
        } else {
            self.others.note(row);
        }
        Kept::Not
    }
}

impl Room {
    /// What stands between the words of a fine shape, and of which kinds these are; and how wide each slot is.
    fn read(&mut self, key: &[u8]) {
        self.key.clear();
        self.widths.clear();
        let mut word: Option<(Kinds, usize)> = None;
        for token in tokens(key) {
            if let Token::Kind(kinds, count) = token {
                let (all, width) = word.unwrap_or_default();
                word = Some((all.with(kinds), width + count));
                continue;
            }
            self.end(word.take());
            match token {
                Token::Character(character, count) => {
                    self.key.extend_from_slice(character);
                    self.widths.push(count);
                }
                _ => {
                    self.key.push(0xFF);
                    self.widths.push(1);
                }
            }
        }
        self.end(word);
    }

    fn end(&mut self, word: Option<(Kinds, usize)>) {
        if let Some((kinds, width)) = word {
            self.key.extend_from_slice(&[0xFE, kinds.bits()]);
            self.widths.push(width);
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
