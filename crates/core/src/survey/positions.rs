//! What stands at each position of values of one length.

use std::collections::BTreeMap;

use super::fine::{What, kind_of};
use super::kinds::Kinds;
use super::shapes::Entry;
use crate::sightings::Sightings;
use crate::text::characters;

/// The longest values that have a map, in characters.
pub const MOST: usize = 120;
/// Different lengths of values whose shapes are not kept that are told apart.
const LENGTHS: usize = 8;
/// Different characters at one place that are told apart.
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
    by_length: BTreeMap<usize, Vec<BTreeMap<Stands, Sightings>>>,
}

impl Places {
    /// Looks at a value of so many characters.
    pub fn look(&mut self, row: u64, value: &str, length: usize) {
        if length > MOST || (self.by_length.len() >= LENGTHS && !self.by_length.contains_key(&length)) {
            return;
        }
        let places = self.by_length.entry(length).or_insert_with(|| vec![BTreeMap::new(); length]);
        for (place, range) in places.iter_mut().zip(characters::ranges(value)) {
            let character = &value[range];
            let stands = Stands::Character(character.to_owned());
            let is_known = place.contains_key(&stands);
            let stands = match kind_of(character) {
                Some(kinds) if !is_known && place.len() >= CHARACTERS => Stands::Kind(kinds),
                _ => stands,
            };
            place.entry(stands).or_default().note(row);
        }
    }
}

/// What stands at each position of the values of a length.
pub fn positions(length: usize, entries: &[Entry], places: &Places) -> Vec<Position> {
    if length == 0 || length > MOST {
        return Vec::new();
    }
    let mut counted: Vec<BTreeMap<Stands, Sightings>> = vec![BTreeMap::new(); length];
    for entry in entries.iter().filter(|entry| entry.length == length) {
        let mut place = 0;
        for run in &entry.runs {
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
        for (stands, seen) in more {
            counts.entry(stands.clone()).or_default().add(seen);
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
