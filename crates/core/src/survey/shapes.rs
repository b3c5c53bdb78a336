//! The shapes of a column in bounded memory. The result does not depend on the order of the values or on how they are divided.
//!
//! A fine shape belongs to a coarse shape, which has the same characters between its words and the same kinds in them. If a coarse shape
//! has more fine shapes than a limit, only the coarse shape is counted. The limit is halved whenever the total exceeds its bound. The
//! number of distinct fine shapes never decreases as values arrive, so the final limit depends only on the set of values. Finally, only
//! the simplest coarse shapes are kept, which also depends only on the set.

use std::collections::{BTreeMap, HashMap, HashSet};

use foldhash::fast::FixedState;

use super::delimiters::Delimiters;
use super::fine::{FineRun, Glance, Token, What, decode, tokens};
use super::kinds::Kinds;
use crate::sightings::Sightings;
use crate::text::characters;

const EXAMPLE: usize = 240;
/// The first byte of the key of a coarse shape without slots.
const FIRST_COARSE: u8 = 0x90;

#[derive(Debug, Clone)]
pub struct Shapes {
    most: usize,
    limit: usize,
    fine: HashMap<Box<[u8]>, Fine, FixedState>,
    coarse: BTreeMap<Box<[u8]>, Coarse>,
    /// The sum over all coarse shapes of their fine shapes, or of the limit plus one if those are not counted.
    total: usize,
    next: usize,
    pub others: Sightings,
    /// Delimiters of values whose fine shapes are not counted.
    delimiters: Delimiters,
    slots: Slots,
}

#[derive(Debug, Clone)]
pub struct Entry {
    pub seen: Sightings,
    /// The first value, shortened if long.
    pub example: String,
}

#[derive(Debug, Clone)]
struct Fine {
    values: Entry,
    coarse: usize,
}

#[derive(Debug, Clone)]
struct Coarse {
    number: usize,
    counted: ShapeCount,
}

#[derive(Debug, Clone)]
enum ShapeCount {
    OneByOne(usize),
    Together(Box<MergedShape>),
}

/// The values of a coarse shape without separate fine shapes.
#[derive(Debug, Clone)]
pub struct MergedShape {
    pub values: Entry,
    first: Box<[u8]>,
    /// The minimum and maximum number of characters of each slot (see [`slots`]).
    pub widths: Vec<(usize, usize)>,
}

impl MergedShape {
    /// The runs of a value: the kinds in its slots apply to all values, the numbers of characters do not.
    pub fn runs(&self) -> Vec<FineRun> {
        decode(&self.first)
    }

    /// The kept fine shape must not depend on the order of the values.
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
    /// A set of at most `most` fine shapes and `most` coarse ones.
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

    pub fn bytes(&self) -> usize {
        // A key, an example and row numbers.
        const KEPT: usize = 256;
        let fine = self.fine.capacity() * size_of::<(Box<[u8]>, Fine)>() + self.fine.len() * KEPT;
        fine + self.coarse.len() * (size_of::<(Box<[u8]>, Coarse)>() + KEPT)
    }

    /// Observes the value of a row, given the key of its fine shape.
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
        let tells_delimiters = if let Some(Coarse { counted: ShapeCount::Together(merged), .. }) = coarse {
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

    pub fn merge(&mut self, other: Shapes) {
        self.lower(other.limit);
        self.others.add(&other.others);
        self.delimiters.merge(other.delimiters);
        for (key, coarse) in other.coarse {
            if let ShapeCount::Together(merged) = coarse.counted {
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

    /// Whether the coarse shape in `slots` was dropped for good.
    fn is_beyond(&self) -> bool {
        self.limit == 0
            && self.coarse.len() >= self.most
            && self.coarse.last_key_value().is_some_and(|(last, _)| **last < *self.slots.key)
    }

    /// Adds values of a new fine shape. The slots of its coarse shape must have been read.
    fn insert(&mut self, key: &[u8], values: Entry) {
        if !self.coarse.contains_key(self.slots.key.as_slice()) {
            let new = Coarse { number: self.next, counted: ShapeCount::OneByOne(0) };
            self.next += 1;
            self.coarse.insert(self.slots.key.as_slice().into(), new);
        }
        let Some(coarse) = self.coarse.get_mut(self.slots.key.as_slice()) else { return };
        let number = coarse.number;
        match &mut coarse.counted {
            ShapeCount::Together(_) => self.add_to_coarse(key.into(), values),
            ShapeCount::OneByOne(fine) => {
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

    fn insert_merged(&mut self, key: Box<[u8]>, merged: Box<MergedShape>) {
        match self.coarse.get_mut(&key) {
            None => {
                self.coarse.insert(key, Coarse { number: self.next, counted: ShapeCount::Together(merged) });
                self.next += 1;
                self.total += self.limit + 1;
            }
            Some(Coarse { counted: ShapeCount::Together(known), .. }) => {
                known.first_of(&merged.first);
                known.widen(merged.widths.into_iter());
                known.values.add(merged.values);
            }
            Some(Coarse { counted, number }) => {
                if let ShapeCount::OneByOne(fine) = std::mem::replace(counted, ShapeCount::Together(merged)) {
                    self.total += self.limit + 1 - fine;
                }
                let number = *number;
                self.unite(|coarse| coarse == number);
            }
        }
        self.keep_bounds();
    }

    /// Lowers the limit as needed, then keeps the simplest coarse shapes.
    fn keep_bounds(&mut self) {
        while self.total > self.most && self.limit > 0 {
            self.lower(self.limit / 2);
        }
        while self.limit == 0 && self.coarse.len() > self.most {
            let Some((_, coarse)) = self.coarse.pop_last() else { return };
            self.total -= 1;
            if let ShapeCount::Together(merged) = coarse.counted {
                self.others.add(&merged.values.seen);
            }
        }
    }

    fn lower(&mut self, limit: usize) {
        if limit >= self.limit {
            return;
        }
        self.limit = limit;
        let fine = |coarse: &Coarse| if let ShapeCount::OneByOne(fine) = coarse.counted { fine } else { limit + 1 };
        self.total = self.coarse.values().map(|coarse| fine(coarse).min(limit + 1)).sum();
        let over: HashSet<usize> =
            self.coarse.values().filter(|coarse| fine(coarse) > limit).map(|coarse| coarse.number).collect();
        self.unite(|coarse| over.contains(&coarse));
    }

    /// Moves the values of fine shapes to their coarse shapes, selected by number.
    fn unite(&mut self, is_of: impl Fn(usize) -> bool) {
        let moved: Vec<(Box<[u8]>, Fine)> = self.fine.extract_if(|_, fine| is_of(fine.coarse)).collect();
        for (key, fine) in moved {
            self.slots.read(&key);
            self.add_to_coarse(key, fine.values);
        }
    }

    /// Adds the values of a fine shape to its coarse shape, whose slots must have been read.
    fn add_to_coarse(&mut self, key: Box<[u8]>, values: Entry) {
        self.note_delimiters(&key, &values.seen);
        let Some(coarse) = self.coarse.get_mut(self.slots.key.as_slice()) else { return };
        let widths = self.slots.widths.iter().map(|width| (*width, *width));
        match &mut coarse.counted {
            ShapeCount::Together(merged) => {
                merged.first_of(&key);
                merged.widen(widths);
                merged.values.add(values);
            }
            counted => *counted = ShapeCount::Together(Box::new(MergedShape { values, first: key, widths: widths.collect() })),
        }
    }

    /// Records the delimiters of a fine shape that is no longer counted.
    fn note_delimiters(&mut self, key: &[u8], seen: &Sightings) {
        if !tokens(key).any(|token| token == Token::Rest) {
            self.delimiters.add(&decode(key), seen);
        }
    }

    /// The separate fine shapes with their keys, by first row.
    pub fn fine(&self) -> Vec<(&[u8], &Entry)> {
        let mut all: Vec<_> = self.fine.iter().map(|(key, fine)| (&**key, &fine.values)).collect();
        all.sort_by_key(|(_, values)| values.seen.rows.first());
        all
    }

    /// The coarse shapes without separate fine shapes, with their keys, by first row.
    pub fn merged(&self) -> Vec<(&[u8], &MergedShape)> {
        let merged = self.coarse.iter().filter_map(|(key, coarse)| match &coarse.counted {
            ShapeCount::Together(merged) => Some((&**key, &**merged)),
            ShapeCount::OneByOne(_) => None,
        });
        let mut all: Vec<_> = merged.collect();
        all.sort_by_key(|(_, merged)| merged.values.seen.rows.first());
        all
    }

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

#[cfg(feature = "cutlist")]
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct SavedShapes {
    pub limit: usize,
    pub one_by_one: Vec<SavedShape>,
    /// The coarse shapes counted as a whole, by key.
    pub together: Vec<SavedShape>,
    pub others: Sightings,
    /// Delimiters of values whose fine shapes are not counted.
    pub delimiters: Delimiters,
}

#[cfg(feature = "cutlist")]
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct SavedShape {
    /// Its key in hexadecimal digits; for a coarse shape, the key of its first fine shape.
    pub key: String,
    /// For a coarse shape, the minimum and maximum number of characters of each slot.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub widths: Vec<(usize, usize)>,
    pub seen: Sightings,
    /// The first value, if values are saved.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub example: Option<String>,
}

#[cfg(feature = "cutlist")]
impl SavedShapes {
    /// Whether it contains values.
    pub fn has_examples(&self) -> bool {
        self.one_by_one.iter().chain(&self.together).any(|shape| shape.example.is_some())
    }

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
    /// Saves the shapes, with or without example values.
    pub fn saved(&self, with_examples: bool) -> SavedShapes {
        let mut one_by_one: Vec<_> = self.fine.iter().collect();
        one_by_one.sort_unstable_by_key(|(key, _)| *key);
        let one_by_one = one_by_one.into_iter().map(|(key, fine)| SavedShape::new(key, &[], &fine.values, with_examples));
        let together = self.coarse.values().filter_map(|coarse| match &coarse.counted {
            ShapeCount::Together(merged) => Some(SavedShape::new(&merged.first, &merged.widths, &merged.values, with_examples)),
            ShapeCount::OneByOne(_) => None,
        });
        SavedShapes {
            limit: self.limit,
            one_by_one: one_by_one.collect(),
            together: together.collect(),
            others: self.others.clone(),
            delimiters: self.delimiters.clone(),
        }
    }

    /// Only the shapes with these keys: fine ones, or coarse ones counted as a whole.
    pub fn only(&self, keys: &HashSet<Box<[u8]>>) -> Shapes {
        let mut only = Shapes { fine: self.fine.clone(), coarse: self.coarse.clone(), ..Shapes::new(self.most) };
        only.fine.retain(|key, _| keys.contains(key));
        only.coarse.retain(|key, _| keys.contains(key));
        only
    }

    /// Restores saved shapes, with at most `most` of each kind.
    pub fn of_saved(saved: &SavedShapes, most: usize) -> Shapes {
        let mut shapes = Shapes { others: saved.others.clone(), delimiters: saved.delimiters.clone(), ..Shapes::new(most) };
        shapes.lower(saved.limit);
        for shape in &saved.together {
            let first = shape.key();
            shapes.slots.read(&first);
            let key = shapes.slots.key.as_slice().into();
            let mut widths = shape.widths.clone();
            widths.resize(shapes.slots.widths.len(), (1, 1));
            shapes.insert_merged(key, Box::new(MergedShape { values: shape.entry(), first, widths }));
        }
        for shape in &saved.one_by_one {
            let key = shape.key();
            shapes.slots.read(&key);
            shapes.insert(&key, shape.entry());
        }
        shapes
    }
}

/// The slots of a shape: a word (letters and digits up to the next other character), or a run of another character.
pub fn slots(runs: &[FineRun]) -> impl Iterator<Item = &[FineRun]> {
    let is_word = |run: &FineRun| matches!(run.what, What::Kind(_));
    runs.chunk_by(move |left, right| is_word(left) && is_word(right))
}

/// The slots of a value: the key of its coarse shape, and the widths.
#[derive(Debug, Clone, Default)]
pub struct Slots {
    /// The number of slots, so that keys sort from simple to complex, then the content of each.
    pub key: Vec<u8>,
    widths: Vec<usize>,
}

impl Slots {
    /// Reads the slots of the fine shape with this key.
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
        fn parts_in_any_order_equal_the_whole(
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
