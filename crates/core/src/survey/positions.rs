//! The characters at each position, for values of one length.

use std::collections::BTreeMap;

use super::fine::kind_of;
use super::kinds::Kinds;
use crate::sightings::{ROWS, Sightings};
use crate::text::characters;

/// Maximum length with position counts, in characters.
pub const MOST: usize = 120;
/// Maximum number of characters beyond ASCII per position; those with the lowest code points are kept.
const CHARACTERS: usize = 24;
/// A letter or digit with a smaller share at a position is counted as its kind.
const NEARLY_ALWAYS: f64 = 0.9;

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Position {
    /// The contents and their counts, the most frequent first.
    pub contents: Vec<(Content, Sightings)>,
}

#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Content {
    Character(String),
    Kind(Kinds),
    Other,
}

impl Position {
    pub fn count(&self) -> u64 {
        self.contents.iter().map(|(_, seen)| seen.count).sum()
    }
}

#[derive(Debug, Clone, Default)]
pub struct Places {
    by_length: BTreeMap<usize, Vec<PositionCounts>>,
}

#[derive(Debug, Clone)]
struct PositionCounts {
    plain: [u64; 128],
    rows: BTreeMap<u8, Vec<u64>>,
    others: BTreeMap<Content, Sightings>,
}

impl Places {
    /// Observes a value of `length` characters; `plain` if every character is one byte.
    #[inline]
    pub fn observe(&mut self, row: u64, value: &str, length: usize, plain: bool) {
        if length > MOST {
            return;
        }
        let places = self.by_length.entry(length).or_insert_with(|| vec![PositionCounts::default(); length]);
        if plain {
            places.iter_mut().zip(value.bytes()).for_each(|(place, byte)| place.observe(row, byte));
            return;
        }
        for (place, range) in places.iter_mut().zip(characters::ranges(value)) {
            match &value.as_bytes()[range.clone()] {
                [byte] => place.observe(row, *byte),
                _ => place.observe_other(row, &value[range]),
            }
        }
    }

    pub fn merge(&mut self, other: Places) {
        for (length, others) in other.by_length {
            match self.by_length.get_mut(&length) {
                None => drop(self.by_length.insert(length, others)),
                Some(places) => places.iter_mut().zip(others).for_each(|(place, other)| place.merge(other)),
            }
        }
    }

    pub fn bytes(&self) -> usize {
        // Allows for a few characters per position.
        const PLACE: usize = size_of::<PositionCounts>() + 512;
        self.by_length.values().map(|places| places.len() * PLACE).sum()
    }

    /// The content of each position, for values of a length.
    pub fn positions(&self, length: usize) -> Vec<Position> {
        self.by_length.get(&length).into_iter().flatten().map(PositionCounts::position).collect()
    }
}

impl Default for PositionCounts {
    fn default() -> PositionCounts {
        PositionCounts { plain: [0; 128], rows: BTreeMap::new(), others: BTreeMap::new() }
    }
}

impl PositionCounts {
    #[inline]
    fn observe(&mut self, row: u64, byte: u8) {
        let count = &mut self.plain[usize::from(byte & 0x7F)];
        *count += 1;
        if *count <= ROWS as u64 {
            self.rows.entry(byte).or_default().push(row);
        }
    }

    fn observe_other(&mut self, row: u64, character: &str) {
        let content = Content::Character(character.to_owned());
        match self.others.get_mut(&content) {
            Some(seen) => seen.note(row),
            None => self.add(content, &Sightings { count: 1, rows: vec![row] }),
        }
    }

    /// Beyond the maximum, the character with the highest code point is counted as its kind.
    fn add(&mut self, content: Content, seen: &Sightings) {
        self.others.entry(content).or_default().add(seen);
        let is_character = |content: &&Content| matches!(content, Content::Character(_));
        if self.others.keys().filter(is_character).count() <= CHARACTERS {
            return;
        }
        let last = self.others.keys().rfind(is_character).cloned();
        if let Some(Content::Character(character)) = &last
            && let Some(seen) = last.as_ref().and_then(|last| self.others.remove(last))
        {
            let kind = kind_of(character).map_or(Content::Other, Content::Kind);
            self.others.entry(kind).or_default().add(&seen);
        }
    }

    fn merge(&mut self, other: PositionCounts) {
        self.plain.iter_mut().zip(other.plain).for_each(|(count, other)| *count += other);
        for (byte, rows) in other.rows {
            let known = self.rows.entry(byte).or_default();
            known.extend(rows);
            known.sort_unstable();
            known.truncate(ROWS);
        }
        other.others.into_iter().for_each(|(content, seen)| self.add(content, &seen));
    }

    /// Letters and digits without a clear majority are counted as their kinds.
    fn position(&self) -> Position {
        let seen = (0u8..).zip(self.plain).filter(|(_, count)| *count > 0);
        let plain = seen.map(|(byte, count)| {
            let rows = self.rows.get(&byte).cloned().unwrap_or_default();
            (Content::Character(char::from(byte).to_string()), Sightings { count, rows })
        });
        let all = plain.chain(self.others.iter().map(|(content, seen)| (content.clone(), seen.clone())));
        let all: Vec<_> = all.collect();
        let total: u64 = all.iter().map(|(_, seen)| seen.count).sum();
        let mut settled: BTreeMap<Content, Sightings> = BTreeMap::new();
        for (content, seen) in all {
            let content = match &content {
                Content::Character(character) => match kind_of(character) {
                    Some(kinds) if (seen.count as f64) < NEARLY_ALWAYS * total as f64 => Content::Kind(kinds),
                    _ => content,
                },
                _ => content,
            };
            settled.entry(content).or_default().add(&seen);
        }
        let mut contents: Vec<_> = settled.into_iter().collect();
        contents.sort_by_key(|(_, seen)| std::cmp::Reverse(seen.count));
        Position { contents }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn characters_at_a_place_are_bounded_and_parts_can_be_merged() {
        let (mut whole, mut parts) = (Places::default(), [Places::default(), Places::default()]);
        for (row, c) in ('α'..'ω').chain('а'..'я').chain('①'..'⑳').rev().enumerate() {
            let value = format!("{c}{}-é", row % 7);
            whole.observe(row as u64 + 1, &value, 4, false);
            parts[row % 2].observe(row as u64 + 1, &value, 4, false);
        }
        let positions = whole.positions(4);
        let counts = |position: usize| positions[position].contents.iter().map(|(_, seen)| seen.count).collect::<Vec<_>>();
        assert_eq!(positions[0].contents.len(), 2, "small letters, and circled numbers that are no letters");
        assert_eq!((counts(0).iter().sum::<u64>(), counts(1), counts(2), counts(3)), (74, vec![74], vec![74], vec![74]));
        let [mut merged, second] = parts;
        merged.merge(second);
        assert_eq!(merged.positions(4), positions);
    }
}
