//! Unusual characters: invisible ones, look-alikes and unexpected spaces.

use std::collections::BTreeMap;

use crate::sightings::Sightings;
use crate::text::look_alikes::{latin_of, looks_like};
use crate::text::{characters, names};

/// Maximum number of characters for each kind; those with the lowest code points are kept.
const MOST: usize = 50;

/// A property of a value that readers overlook.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
#[cfg_attr(feature = "cutlist", derive(serde::Serialize, serde::Deserialize))]
pub enum Oddity {
    SpaceAtStart,
    SpaceAtEnd,
    DoubleSpace,
    /// Another invisible character: a no-break space, tab, line break or joiner.
    Unseen(char),
    LooksLike(char, char),
    Combining(char),
    Others,
}

impl std::fmt::Display for Oddity {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Oddity::SpaceAtStart => f.write_str("space at the start"),
            Oddity::SpaceAtEnd => f.write_str("space at the end"),
            Oddity::DoubleSpace => f.write_str("two or more spaces in a row"),
            Oddity::Unseen(c) => f.write_str(&names::name(*c)),
            Oddity::LooksLike(c, plain) => write!(f, "{}, which looks like \"{plain}\"", names::name(*c)),
            Oddity::Combining(c) => write!(f, "{} after its letter", names::name(*c)),
            Oddity::Others => f.write_str("other such characters"),
        }
    }
}

#[derive(Debug, Clone, Default)]
pub struct Oddities {
    seen: BTreeMap<Oddity, Sightings>,
    here: Vec<Oddity>,
}

impl Oddities {
    /// Examines a value. Each kind counts once per value.
    pub fn look(&mut self, row: u64, value: &str) {
        let mut here = std::mem::take(&mut self.here);
        here.clear();
        find(value, &mut here);
        here.sort_unstable();
        here.dedup();
        for oddity in &here {
            match self.seen.get_mut(oddity) {
                Some(seen) => seen.note(row),
                None => self.add(*oddity, &Sightings { count: 1, rows: vec![row] }),
            }
        }
        self.here = here;
    }

    pub fn merge(&mut self, other: &Oddities) {
        other.seen.iter().for_each(|(oddity, seen)| self.add(*oddity, seen));
    }

    /// Beyond the maximum, the character with the highest code point joins the others.
    pub(super) fn add(&mut self, oddity: Oddity, seen: &Sightings) {
        self.seen.entry(oddity).or_default().add(seen);
        let alike = |other: &&Oddity| std::mem::discriminant(*other) == std::mem::discriminant(&oddity);
        if self.seen.keys().filter(alike).count() <= MOST {
            return;
        }
        let last = self.seen.keys().rfind(alike).copied();
        if let Some(seen) = last.and_then(|last| self.seen.remove(&last)) {
            self.seen.entry(Oddity::Others).or_default().add(&seen);
        }
    }

    pub fn all(&self) -> impl Iterator<Item = (Oddity, &Sightings)> {
        self.seen.iter().map(|(oddity, seen)| (*oddity, seen))
    }
}

fn find(value: &str, here: &mut Vec<Oddity>) {
    let inner = value.trim();
    if value.starts_with(char::is_whitespace) {
        here.push(Oddity::SpaceAtStart);
    }
    if value.ends_with(char::is_whitespace) {
        here.push(Oddity::SpaceAtEnd);
    }
    if inner.contains("  ") {
        here.push(Oddity::DoubleSpace);
    }
    if value.bytes().all(|byte| (b' '..0x7F).contains(&byte)) {
        return;
    }
    let letters = || value.chars().filter(|c| c.is_alphabetic());
    let is_latin = letters().any(|c| c.is_ascii()) || letters().all(|c| latin_of(c).is_some());
    for range in characters::ranges(value) {
        let character = &value[range];
        if names::is_unseen(character) {
            here.extend(character.chars().filter(|c| *c != ' ').map(Oddity::Unseen));
            continue;
        }
        for (index, c) in character.chars().enumerate() {
            if index > 0 && character.starts_with(char::is_alphabetic) {
                here.push(if names::is_invisible(c) { Oddity::Unseen(c) } else { Oddity::Combining(c) });
            } else if let Some(plain) = looks_like(c).or_else(|| latin_of(c).filter(|_| is_latin)) {
                here.push(Oddity::LooksLike(c, plain));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn odd_characters_are_named() {
        for (value, expected) in [
            ("GRP-1", vec![]),
            ("Führung 東京", vec![]),
            (" a  b ", vec!["space at the start", "space at the end", "two or more spaces in a row"]),
            ("a\u{a0}", vec!["space at the end", "no-break space (U+00A0)"]),
            ("a\tb\r\nc", vec!["tab (U+0009)", "line feed (U+000A)", "carriage return (U+000D)"]),
            ("HNG–1−2", vec!["en dash (U+2013), which looks like \"-\"", "minus sign (U+2212), which looks like \"-\""]),
            ("GRР-1", vec!["cyrillic capital letter er (U+0420), which looks like \"P\""]),
            ("А-1", vec!["cyrillic capital letter a (U+0410), which looks like \"A\""]),
            ("ГРП-1", vec![]),
            ("e\u{301}", vec!["combining acute accent (U+0301) after its letter"]),
        ] {
            let mut found = Vec::new();
            find(value, &mut found);
            found.sort_unstable();
            found.dedup();
            let found: Vec<_> = found.iter().map(ToString::to_string).collect();
            assert_eq!(found, expected, "{value:?}");
        }
    }

    #[test]
    fn oddities_are_bounded_and_parts_can_be_merged() {
        let (mut whole, mut parts) = (Oddities::default(), [Oddities::default(), Oddities::default()]);
        for (row, code) in ('\u{e0000}'..'\u{e0fff}').rev().enumerate() {
            let value = format!("{code}{code}x–");
            whole.look(row as u64 + 1, &value);
            parts[row % 2].look(row as u64 + 1, &value);
        }
        assert_eq!(whole.all().count(), MOST + 2, "the others and the dash besides");
        assert_eq!(whole.all().map(|(_, seen)| seen.count).sum::<u64>(), 2 * 0xfff);
        let [mut merged, second] = parts;
        merged.merge(&second);
        assert!(merged.all().eq(whole.all()));
    }
}
