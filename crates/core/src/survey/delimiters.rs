//! Possible delimiters, and how regular they are.

use std::collections::BTreeMap;

use super::fine::{FineRun, What};
use crate::sightings::Sightings;
use crate::text::characters;
use crate::text::kind::Kind;

/// Maximum number of delimiters; those with the lowest code points are kept.
const MOST: usize = 100;
/// Higher numbers of occurrences in a value are counted together.
pub const MANY: usize = 999;

/// The spaces and punctuation marks of a column, with their frequencies per value.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
#[cfg_attr(feature = "cutlist", derive(serde::Serialize, serde::Deserialize))]
pub struct Delimiters {
    pub(super) counts: BTreeMap<String, BTreeMap<usize, Sightings>>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Delimiter {
    pub character: String,
    /// The numbers of sections with their values, the most frequent first. Values without the delimiter have one section, and 1000 stands
    /// for 1000 or more.
    pub sections: Vec<(usize, Sightings)>,
    pub values: u64,
}

impl Delimiters {
    pub fn add(&mut self, runs: &[FineRun], seen: &Sightings) {
        let mut here: BTreeMap<&str, usize> = BTreeMap::new();
        for run in runs {
            if let What::Character(character) = &run.what {
                *here.entry(character).or_default() += run.count;
            }
        }
        here.into_iter().for_each(|(character, count)| self.note(character, count, seen));
    }

    /// Examines a value whose runs are not all known; `plain` if every character is one byte.
    pub fn look(&mut self, row: u64, value: &str, plain: bool) {
        if plain {
            let mut here = [0u16; 128];
            for byte in value.bytes().filter(|byte| !byte.is_ascii_alphanumeric()) {
                let count = &mut here[usize::from(byte & 0x7F)];
                *count = count.saturating_add(1);
            }
            for (byte, count) in here.into_iter().enumerate().filter(|(_, count)| *count > 0) {
                let mut buffer = [0; 4];
                self.one(char::from(byte as u8).encode_utf8(&mut buffer), usize::from(count), row);
            }
            return;
        }
        let mut here: BTreeMap<&str, usize> = BTreeMap::new();
        for range in characters::ranges(value) {
            let character = &value[range];
            if matches!(Kind::of(character), Kind::Space | Kind::Punctuation) {
                *here.entry(character).or_default() += 1;
            }
        }
        here.into_iter().for_each(|(character, count)| self.one(character, count, row));
    }

    fn one(&mut self, character: &str, count: usize, row: u64) {
        match self.counts.get_mut(character).and_then(|counts| counts.get_mut(&count.min(MANY))) {
            Some(seen) => seen.note(row),
            None => self.note(character, count, &Sightings { count: 1, rows: vec![row] }),
        }
    }

    fn note(&mut self, character: &str, count: usize, seen: &Sightings) {
        let is_beyond = || self.counts.last_key_value().is_some_and(|(last, _)| last.as_str() < character);
        if self.counts.len() >= MOST && is_beyond() {
            return;
        }
        self.counts.entry(character.to_owned()).or_default().entry(count.min(MANY)).or_default().add(seen);
        if self.counts.len() > MOST {
            self.counts.pop_last();
        }
    }

    pub fn merge(&mut self, other: Delimiters) {
        for (character, counts) in other.counts {
            counts.iter().for_each(|(count, seen)| self.note(&character, *count, seen));
        }
    }

    /// The delimiters of a column with `values` values with text, the most regular first.
    pub fn all(&self, values: u64) -> Vec<Delimiter> {
        let mut all: Vec<Delimiter> = self
            .counts
            .iter()
            .map(|(character, counts)| {
                let with: u64 = counts.values().map(|seen| seen.count).sum();
                let mut sections: Vec<_> = counts.iter().map(|(count, seen)| (count + 1, seen.clone())).collect();
                if with < values {
                    sections.push((1, Sightings { count: values - with, rows: Vec::new() }));
                }
                sections.sort_by_key(|(sections, seen)| (std::cmp::Reverse(seen.count), *sections));
                Delimiter { character: character.clone(), sections, values: with }
            })
            .collect();
        let steadiest = |delimiter: &Delimiter| {
            let with = delimiter.sections.iter().filter(|(sections, _)| *sections > 1);
            with.map(|(_, seen)| seen.count).max().unwrap_or(0)
        };
        all.sort_by(|a, b| steadiest(b).cmp(&steadiest(a)).then_with(|| a.character.cmp(&b.character)));
        all
    }
}
