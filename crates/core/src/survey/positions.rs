//! What stands at each position of values of one length.

use std::collections::BTreeMap;

use super::fine::{What, kind_of};
use super::kinds::Kinds;
use super::shapes::Shapes;
use crate::sightings::{ROWS, Sightings};
use crate::text::characters;

/// The longest values that have a map, in characters.
pub const MOST: usize = 120;
/// Different lengths of values whose shapes are not kept that are told apart.
const LENGTHS: usize = 8;
/// Different characters beyond ASCII at one place that are told apart.
const CHARACTERS: usize = 24;

/// What stands at one position.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Position {
    /// What, with how often; the commonest first.
    pub stands: Vec<(Stands, Sightings)>,
}

/// What may stand at a position.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Stands {
    /// This character.
    Character(String),
    /// A letter or digit of this kind.
    Kind(Kinds),
}

impl Position {
    /// The values.
    pub fn count(&self) -> u64 {
        self.stands.iter().map(|(_, seen)| seen.count).sum()
    }
}

/// Counts of places, for values whose fine shapes are not kept.
#[derive(Debug, Clone, Default)]
pub struct Places {
    by_length: BTreeMap<usize, Vec<Place>>,
}

/// What was seen at one place.
#[derive(Debug, Clone)]
struct Place {
    /// ASCII characters, by their bytes.
    plain: Box<[u64; 128]>,
    /// The first rows of those, by their bytes.
    rows: BTreeMap<u8, Vec<u64>>,
    /// What else was seen.
    others: BTreeMap<Stands, Sightings>,
}

impl Places {
    /// Looks at a value of so many characters; `plain` where each of them is one byte.
    pub fn look(&mut self, row: u64, value: &str, length: usize, plain: bool) {
        if length > MOST || (self.by_length.len() >= LENGTHS && !self.by_length.contains_key(&length)) {
            return;
        }
        let nothing = || Place { plain: Box::new([0; 128]), rows: BTreeMap::new(), others: BTreeMap::new() };
        let places = self.by_length.entry(length).or_insert_with(|| (0..length).map(|_| nothing()).collect());
        if plain {
            places.iter_mut().zip(value.bytes()).for_each(|(place, byte)| place.see(row, byte));
            return;
        }
        for (place, range) in places.iter_mut().zip(characters::ranges(value)) {
            match &value.as_bytes()[range.clone()] {
                [byte] => place.see(row, *byte),
                _ => place.see_other(row, &value[range]),
            }
        }
    }
}

impl Place {
    #[inline]
    fn see(&mut self, row: u64, byte: u8) {
        let count = &mut self.plain[usize::from(byte & 0x7F)];
        *count += 1;
        if *count <= ROWS as u64 {
            self.rows.entry(byte).or_default().push(row);
        }
    }

    fn see_other(&mut self, row: u64, character: &str) {
        let stands = Stands::Character(character.to_owned());
        let stands = match kind_of(character) {
            Some(kinds) if self.others.len() >= CHARACTERS && !self.others.contains_key(&stands) => Stands::Kind(kinds),
            _ => stands,
        };
        self.others.entry(stands).or_default().note(row);
    }

    fn all(&self) -> impl Iterator<Item = (Stands, Sightings)> + '_ {
        let seen = (0u8..).zip(self.plain.iter()).filter(|(_, count)| **count > 0);
        let plain = seen.map(|(byte, count)| {
            let rows = self.rows.get(&byte).cloned().unwrap_or_default();
            (Stands::Character(char::from(byte).to_string()), Sightings { count: *count, rows })
        });
        plain.chain(self.others.iter().map(|(stands, seen)| (stands.clone(), seen.clone())))
    }
}

/// What stands at each position of the values of a length.
pub fn positions(length: usize, shapes: &Shapes, places: &Places) -> Vec<Position> {
    if length == 0 || length > MOST {
        return Vec::new();
    }
    let mut counted: Vec<BTreeMap<Stands, Sightings>> = vec![BTreeMap::new(); length];
    for (runs, entry) in shapes.fine().filter(|(_, entry)| entry.length == length) {
        let mut place = 0;
        for run in &runs {
            for _ in 0..run.count {
                let stands = match (&run.what, entry.same_at(place)) {
                    (What::Kind(_), Some(same)) => Stands::Character(same.to_string()),
                    (What::Kind(kinds), None) => Stands::Kind(*kinds),
                    (What::Character(character), _) => Stands::Character(character.clone()),
                    (What::Rest, _) => continue,
                };
                if let Some(counts) = counted.get_mut(place) {
                    counts.entry(stands).or_default().add(&entry.seen);
                }
                place += 1;
            }
        }
    }
    for (counts, more) in counted.iter_mut().zip(places.by_length.get(&length).into_iter().flatten()) {
        for (stands, seen) in more.all() {
            counts.entry(stands).or_default().add(&seen);
        }
    }
    counted.into_iter().map(settled).collect()
}

/// Letters and digits that are not nearly always the same go to their kinds.
fn settled(counts: BTreeMap<Stands, Sightings>) -> Position {
    let total: u64 = counts.values().map(|seen| seen.count).sum();
    let mut settled: BTreeMap<Stands, Sightings> = BTreeMap::new();
    for (stands, seen) in counts {
        let stands = match &stands {
            Stands::Character(character) => match kind_of(character) {
                Some(kinds) if (seen.count as f64) < 0.9 * total as f64 => Stands::Kind(kinds),
                _ => stands,
            },
            Stands::Kind(_) => stands,
        };
        settled.entry(stands).or_default().add(&seen);
    }
    let mut stands: Vec<_> = settled.into_iter().collect();
    stands.sort_by_key(|(_, seen)| std::cmp::Reverse(seen.count));
    Position { stands }
}
