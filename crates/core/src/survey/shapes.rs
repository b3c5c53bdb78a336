//! The shapes of a column, counted in bounded memory, with the same result in whatever order and parts values come.
//!
//! A fine shape is counted under its coarse one, which knows what is between the words and of which kinds these are. Where
//! a coarse shape has more fine ones than a limit, only the coarse one is counted. The limit starts at the bound of
//! the whole and is halved when that bound is passed. What decides, the number of different fine shapes of each coarse
//! one, never falls as more values come: so the limit, and what is counted under it, depends on the set of the
//! values alone. At last only the simplest coarse shapes are kept, which is a matter of the set as well.

use std::collections::{BTreeMap, HashMap, HashSet};

use foldhash::fast::FixedState;

use super::delimiters::Delimiters;
use super::fine::{FineRun, Glance, Token, What, decode, tokens};
use super::kinds::Kinds;
use crate::sightings::Sightings;
use crate::text::characters;

/// Bytes of a value that are kept as an example.
const EXAMPLE: usize = 240;
/// The first byte of the key of a coarse shape without slots.
const FIRST_COARSE: u8 = 0x90;

/// The shapes of a column.
#[derive(Debug, Clone)]
pub struct Shapes {
    most: usize,
    /// Fine shapes of one coarse shape that are counted one by one. If it has more, only the coarse one is counted.
    limit: usize,
    /// Fine shapes by their keys.
    fine: HashMap<Box<[u8]>, Fine, FixedState>,
    /// Coarse shapes by their keys, the simplest first.
    coarse: BTreeMap<Box<[u8]>, Coarse>,
    /// Over all coarse shapes: their fine ones, or one more than the limit where those are not counted.
    total: usize,
    /// The number of the next coarse shape.
    next: usize,
    /// Values whose shapes are not kept.
    pub others: Sightings,
    /// Delimiters of the values that no fine shape tells the delimiters of.
    delimiters: Delimiters,
    slots: Slots,
}

/// Values of one shape.
#[derive(Debug, Clone)]
pub struct Entry {
    /// How many values, and the first rows.
    pub seen: Sightings,
    /// The first value, cut off where it is long.
    pub example: String,
}

/// A fine shape of the column.
#[derive(Debug, Clone)]
struct Fine {
    values: Entry,
    /// The number of its coarse shape.
    coarse: usize,
}

/// A coarse shape: words are told apart by their kinds only.
#[derive(Debug, Clone)]
struct Coarse {
    number: usize,
    counted: Counted,
}

/// How the values of a coarse shape are counted.
#[derive(Debug, Clone)]
enum Counted {
    /// By their fine shapes, of which there are this many.
    OneByOne(usize),
    /// All together.
    Together(Box<Merged>),
}

/// Values of a coarse shape whose fine ones are not counted.
#[derive(Debug, Clone)]
pub struct Merged {
    /// The values.
    pub values: Entry,
    /// The key of one of the fine shapes.
    first: Box<[u8]>,
    /// The fewest characters of each slot (see [`slots`]), and the most.
    pub widths: Vec<(usize, usize)>,
}

impl Merged {
    /// The runs of a value: the kinds in its slots are those of all values, the number of characters is not.
    pub fn runs(&self) -> Vec<FineRun> {
        decode(&self.first)
    }

    /// The fine shape that is kept for all must not depend on the order in which they come.
    fn first_of(&mut self, key: &[u8]) {
        if *key < *self.first {
            self.first = key.into();
        }
    }

    fn widen(&mut self, widths: impl Iterator<Item = (usize, usize)>) {
        for ((least, most), (narrowest, widest)) in self.widths.iter_mut().zip(widths) {
            (*least, *most) = ((*least).min(narrowest), (*most).max(widest));
        }
    }
}

impl Entry {
    fn new(row: u64, value: &str) -> Entry {
        Entry { seen: Sightings { count: 1, rows: vec![row] }, example: example(value) }
    }

    fn add(&mut self, other: Entry) {
        if other.seen.rows.first() < self.seen.rows.first() {
            self.example = other.example;
        }
        self.seen.add(&other.seen);
    }
}

impl Shapes {
    /// Keeps at most `most` fine shapes and `most` coarse ones.
    pub fn new(most: usize) -> Shapes {
        Shapes {
            most,
            limit: most,
            fine: HashMap::default(),
            coarse: BTreeMap::new(),
            total: 0,
            next: 0,
            others: Sightings::default(),
            delimiters: Delimiters::default(),
            slots: Slots::default(),
        }
    }

    /// Estimated memory in bytes.
    pub fn bytes(&self) -> usize {
        // Each has a key, an example and the numbers of rows.
        const KEPT: usize = 256;
        let fine = self.fine.capacity() * size_of::<(Box<[u8]>, Fine)>() + self.fine.len() * KEPT;
        fine + self.coarse.len() * (size_of::<(Box<[u8]>, Coarse)>() + KEPT)
    }

    /// Observes the value of a row, whose fine shape has the key.
    #[inline]
    pub fn observe(&mut self, row: u64, value: &str, glance: Glance, key: &[u8]) {
        if let Some(fine) = self.fine.get_mut(key) {
            fine.values.seen.note(row);
            if glance.cut_off {
                self.delimiters.look(row, value, glance.plain);
            }
            return;
        }
        self.slots.read(key);
        let coarse = self.coarse.get_mut(self.slots.key.as_slice());
        let tells_delimiters = if let Some(Coarse { counted: Counted::Together(merged), .. }) = coarse {
            merged.values.seen.note(row);
            merged.first_of(key);
            merged.widen(self.slots.widths.iter().map(|width| (*width, *width)));
            false
        } else if self.is_beyond() {
            self.others.note(row);
            false
        } else {
            self.insert(key, Entry::new(row, value));
            !glance.cut_off
        };
        if !tells_delimiters {
            self.delimiters.look(row, value, glance.plain);
        }
    }

    /// Adds what was observed of other rows, up to the same bound.
    pub fn merge(&mut self, other: Shapes) {
        self.lower(other.limit);
        self.others.add(&other.others);
        self.delimiters.merge(other.delimiters);
        for (key, coarse) in other.coarse {
            if let Counted::Together(merged) = coarse.counted {
                self.insert_merged(key, merged);
            }
        }
        for (key, fine) in other.fine {
            if let Some(known) = self.fine.get_mut(&key) {
                known.values.add(fine.values);
                continue;
            }
            self.slots.read(&key);
            if self.is_beyond() {
                self.note_delimiters(&key, &fine.values.seen);
                self.others.add(&fine.values.seen);
            } else {
                self.insert(&key, fine.values);
            }
        }
    }

    /// Whether the coarse shape in `slots` is not kept and will never be.
    fn is_beyond(&self) -> bool {
        self.limit == 0
            && self.coarse.len() >= self.most
            && self.coarse.last_key_value().is_some_and(|(last, _)| **last < *self.slots.key)
    }

    /// Takes in values of a fine shape that is not known; the slots of its coarse one have been read.
    fn insert(&mut self, key: &[u8], values: Entry) {
        if !self.coarse.contains_key(self.slots.key.as_slice()) {
            let new = Coarse { number: self.next, counted: Counted::OneByOne(0) };
            self.next += 1;
            self.coarse.insert(self.slots.key.as_slice().into(), new);
        }
        let Some(coarse) = self.coarse.get_mut(self.slots.key.as_slice()) else { return };
        let number = coarse.number;
        match &mut coarse.counted {
            Counted::Together(_) => self.add_to_coarse(key.into(), values),
            Counted::OneByOne(fine) => {
                *fine += 1;
                self.total += 1;
                let is_over = *fine > self.limit;
                self.fine.insert(key.into(), Fine { values, coarse: number });
                if is_over {
                    self.unite(|coarse| coarse == number);
                }
            }
        }
        self.keep_bounds();
    }

    /// Takes in values of a coarse shape whose fine ones are more than the limit.
    fn insert_merged(&mut self, key: Box<[u8]>, merged: Box<Merged>) {
        match self.coarse.get_mut(&key) {
            None => {
                self.coarse.insert(key, Coarse { number: self.next, counted: Counted::Together(merged) });
                self.next += 1;
                self.total += self.limit + 1;
            }
            Some(Coarse { counted: Counted::Together(known), .. }) => {
                known.first_of(&merged.first);
                known.widen(merged.widths.into_iter());
                known.values.add(merged.values);
            }
            Some(Coarse { counted, number }) => {
                if let Counted::OneByOne(fine) = std::mem::replace(counted, Counted::Together(merged)) {
                    self.total += self.limit + 1 - fine;
                }
                let number = *number;
                self.unite(|coarse| coarse == number);
            }
        }
        self.keep_bounds();
    }

    /// Lowers the limit, as far as the bound asks for that, and then keeps the simplest coarse shapes.
    fn keep_bounds(&mut self) {
        while self.total > self.most && self.limit > 0 {
            self.lower(self.limit / 2);
        }
        while self.limit == 0 && self.coarse.len() > self.most {
            let Some((_, coarse)) = self.coarse.pop_last() else { return };
            self.total -= 1;
            if let Counted::Together(merged) = coarse.counted {
                self.others.add(&merged.values.seen);
            }
        }
    }

    /// Lowers the limit.
    fn lower(&mut self, limit: usize) {
        if limit >= self.limit {
            return;
        }
        self.limit = limit;
        let fine = |coarse: &Coarse| if let Counted::OneByOne(fine) = coarse.counted { fine } else { limit + 1 };
        self.total = self.coarse.values().map(|coarse| fine(coarse).min(limit + 1)).sum();
        let over: HashSet<usize> =
            self.coarse.values().filter(|coarse| fine(coarse) > limit).map(|coarse| coarse.number).collect();
        self.unite(|coarse| over.contains(&coarse));
    }

    /// Moves the values of fine shapes to their coarse ones, which the number tells.
    fn unite(&mut self, is_of: impl Fn(usize) -> bool) {
        let moved: Vec<(Box<[u8]>, Fine)> = self.fine.extract_if(|_, fine| is_of(fine.coarse)).collect();
        for (key, fine) in moved {
            self.slots.read(&key);
            self.add_to_coarse(key, fine.values);
        }
    }

    /// Adds the values of a fine shape to its coarse one, whose slots have been read.
    fn add_to_coarse(&mut self, key: Box<[u8]>, values: Entry) {
        self.note_delimiters(&key, &values.seen);
        let Some(coarse) = self.coarse.get_mut(self.slots.key.as_slice()) else { return };
        let widths = self.slots.widths.iter().map(|width| (*width, *width));
        match &mut coarse.counted {
            Counted::Together(merged) => {
                merged.first_of(&key);
                merged.widen(widths);
                merged.values.add(values);
            }
            counted => *counted = Counted::Together(Box::new(Merged { values, first: key, widths: widths.collect() })),
        }
    }

    /// Notes the delimiters that a fine shape tells, which is not counted by itself from here on.
    fn note_delimiters(&mut self, key: &[u8], seen: &Sightings) {
        if !tokens(key).any(|token| token == Token::Rest) {
            self.delimiters.add(&decode(key), seen);
        }
    }

    /// The fine shapes that are counted one by one, with their keys, in the order of their first rows.
    pub fn fine(&self) -> Vec<(&[u8], &Entry)> {
        let mut all: Vec<_> = self.fine.iter().map(|(key, fine)| (&**key, &fine.values)).collect();
        all.sort_by_key(|(_, values)| values.seen.rows.first());
        all
    }

    /// The coarse shapes whose fine ones are not counted, with their keys, in the order of their first rows.
    pub fn merged(&self) -> Vec<(&[u8], &Merged)> {
        let merged = self.coarse.iter().filter_map(|(key, coarse)| match &coarse.counted {
            Counted::Together(merged) => Some((&**key, &**merged)),
            Counted::OneByOne(_) => None,
        });
        let mut all: Vec<_> = merged.collect();
        all.sort_by_key(|(_, merged)| merged.values.seen.rows.first());
        all
    }

    /// The delimiters of all values.
    pub fn delimiters(&self) -> Delimiters {
        let mut delimiters = self.delimiters.clone();
        for (key, fine) in &self.fine {
            if !tokens(key).any(|token| token == Token::Rest) {
                delimiters.add(&decode(key), &fine.values.seen);
            }
        }
        delimiters
    }
}

/// The shapes of a column, as they are saved.
#[cfg(feature = "cutlist")]
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct SavedShapes {
    /// Fine shapes of one coarse shape that are counted one by one.
    pub limit: usize,
    /// Shapes that are counted one by one, in the order of their keys.
    pub one_by_one: Vec<SavedShape>,
    /// Shapes that are counted together, in the order of their keys.
    pub together: Vec<SavedShape>,
    /// Values whose shapes are not kept.
    pub others: Sightings,
    /// Delimiters of the values that no shape tells them of.
    pub delimiters: Delimiters,
}

/// A shape, as it is saved.
#[cfg(feature = "cutlist")]
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct SavedShape {
    /// What tells it from others, in hexadecimal digits; of shapes that are counted together, the first of them.
    pub key: String,
    /// Where it is several, the fewest characters of each slot, and the most.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub widths: Vec<(usize, usize)>,
    /// The values that have it.
    pub seen: Sightings,
    /// The first value, where values may be saved.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub example: Option<String>,
}

#[cfg(feature = "cutlist")]
impl SavedShapes {
    /// Whether there are values in it.
    pub fn has_examples(&self) -> bool {
        self.one_by_one.iter().chain(&self.together).any(|shape| shape.example.is_some())
    }

    /// Calls `see` with all that was seen.
    pub fn each_seen(&mut self, see: impl Fn(&mut Sightings)) {
        self.one_by_one.iter_mut().chain(&mut self.together).for_each(|shape| see(&mut shape.seen));
        see(&mut self.others);
        self.delimiters.each_seen(see);
    }
}

#[cfg(feature = "cutlist")]
impl SavedShape {
    fn new(key: &[u8], widths: &[(usize, usize)], values: &Entry, with_examples: bool) -> SavedShape {
        SavedShape {
            key: key.iter().map(|byte| format!("{byte:02x}")).collect(),
            widths: widths.to_vec(),
            seen: values.seen.clone(),
            example: (with_examples && !values.example.is_empty()).then(|| values.example.clone()),
        }
    }

    /// The key, as far as it is one.
    fn key(&self) -> Box<[u8]> {
        let digits = self.key.as_bytes().chunks_exact(2);
        digits.map_while(|digits| u8::from_str_radix(std::str::from_utf8(digits).ok()?, 16).ok()).collect()
    }

    fn entry(&self) -> Entry {
        Entry { seen: self.seen.clone(), example: self.example.clone().unwrap_or_default() }
    }
}

#[cfg(feature = "cutlist")]
impl Shapes {
    /// The shapes as they are saved, with the first value of each or not.
    pub fn saved(&self, with_examples: bool) -> SavedShapes {
        let mut one_by_one: Vec<_> = self.fine.iter().collect();
        one_by_one.sort_unstable_by_key(|(key, _)| *key);
        let one_by_one = one_by_one.into_iter().map(|(key, fine)| SavedShape::new(key, &[], &fine.values, with_examples));
        let together = self.coarse.values().filter_map(|coarse| match &coarse.counted {
            Counted::Together(merged) => Some(SavedShape::new(&merged.first, &merged.widths, &merged.values, with_examples)),
            Counted::OneByOne(_) => None,
        });
        SavedShapes {
            limit: self.limit,
            one_by_one: one_by_one.collect(),
            together: together.collect(),
            others: self.others.clone(),
            delimiters: self.delimiters.clone(),
        }
    }

    /// Those alone that have one of these keys, of fine shapes or of coarse ones that are counted together.
    pub fn only(&self, keys: &HashSet<Box<[u8]>>) -> Shapes {
        let mut only = Shapes { fine: self.fine.clone(), coarse: self.coarse.clone(), ..Shapes::new(self.most) };
        only.fine.retain(|key, _| keys.contains(key));
        only.coarse.retain(|key, _| keys.contains(key));
        only
    }

    /// The shapes that were saved, with at most `most` of each kind.
    pub fn of_saved(saved: &SavedShapes, most: usize) -> Shapes {
        let mut shapes = Shapes { others: saved.others.clone(), delimiters: saved.delimiters.clone(), ..Shapes::new(most) };
        shapes.lower(saved.limit);
        for shape in &saved.together {
            let first = shape.key();
            shapes.slots.read(&first);
            let key = shapes.slots.key.as_slice().into();
            let mut widths = shape.widths.clone();
            widths.resize(shapes.slots.widths.len(), (1, 1));
            shapes.insert_merged(key, Box::new(Merged { values: shape.entry(), first, widths }));
        }
        for shape in &saved.one_by_one {
            let key = shape.key();
            shapes.slots.read(&key);
            shapes.insert(&key, shape.entry());
        }
        shapes
    }
}

/// The slots of a shape: a word, which is all letters and digits up to the next other character, or a run of
/// one other character.
pub fn slots(runs: &[FineRun]) -> impl Iterator<Item = &[FineRun]> {
    let is_word = |run: &FineRun| matches!(run.what, What::Kind(_));
    runs.chunk_by(move |left, right| is_word(left) && is_word(right))
}

/// What the slots of a value have: the key of its coarse shape, and widths.
#[derive(Debug, Clone, Default)]
pub struct Slots {
    /// The number of slots, so that keys are ordered from simple to complex; then what is in each. No key of a fine shape
    /// is the same, since its first byte is less.
    pub key: Vec<u8>,
    /// The characters in each slot.
    widths: Vec<usize>,
}

impl Slots {
    /// Reads the slots of the fine shape that has the key.
    pub fn read(&mut self, key: &[u8]) {
        self.key.clear();
        self.key.push(0);
        self.widths.clear();
        let mut word: Option<(Kinds, usize)> = None;
        for token in tokens(key) {
            if let Token::Kind(kinds, count) = token {
                let (all, width) = word.unwrap_or_default();
                word = Some((all.with(kinds), width.saturating_add(count)));
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
        self.key[0] = FIRST_COARSE.saturating_add(u8::try_from(self.widths.len()).unwrap_or(u8::MAX));
    }

    fn end(&mut self, word: Option<(Kinds, usize)>) {
        if let Some((kinds, width)) = word {
            self.key.extend_from_slice(&[0xFE, kinds.bits()]);
            self.widths.push(width);
        }
    }
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

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::super::fine::Encoder;
    use super::*;

    /// Everything that is kept of the rows, in an order of its own.
    fn dump(shapes: &Shapes) -> String {
        let fine: Vec<_> = shapes.fine().into_iter().map(|(key, values)| (decode(key), values.clone())).collect();
        let merged = shapes.merged();
        let merged: Vec<_> = merged.into_iter().map(|(key, merged)| (key.to_vec(), &merged.values, &merged.widths)).collect();
        let kept = (shapes.limit, shapes.total, shapes.coarse.len(), &shapes.others);
        format!("{kept:?}\n{fine:?}\n{merged:?}\n{:?}", shapes.delimiters())
    }

    fn observed<'a>(most: usize, values: impl Iterator<Item = (u64, &'a String)>) -> Shapes {
        let (mut shapes, mut encoder) = (Shapes::new(most), Encoder::default());
        for (row, value) in values {
            let glance = encoder.encode(value);
            shapes.observe(row, value, glance, encoder.key());
        }
        shapes
    }

    proptest! {
        #[test]
        fn parts_in_any_order_give_what_the_whole_does(
            values in proptest::collection::vec(("[a1B-]{1,7}|[a1]{1,3}(-[a1]{1,2}){1,4}|(-[aé]){32}[é-]{1,2}|(-a){70}", 0..3usize), 1..80),
            most in 1..20usize,
        ) {
            let rows = || values.iter().zip(1..).map(|((value, part), row)| (*part, (row, value)));
            let whole = observed(most, rows().map(|(_, row)| row));
            prop_assert!(whole.fine.len() <= most && whole.coarse.len() <= most);
            let counted = whole.fine().iter().map(|(_, values)| values.seen.count).sum::<u64>()
                + whole.merged().iter().map(|(_, merged)| merged.values.seen.count).sum::<u64>()
                + whole.others.count;
            prop_assert_eq!(counted, values.len() as u64);
            let part = |wanted| observed(most, rows().filter(|(part, _)| *part == wanted).map(|(_, row)| row));
            for order in [[0, 1, 2], [2, 0, 1]] {
                let mut merged = part(order[0]);
                merged.merge(part(order[1]));
                merged.merge(part(order[2]));
                prop_assert_eq!(dump(&merged), dump(&whole));
            }
        }
    }
}
