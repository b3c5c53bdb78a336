//! The analysis behind the ruler: characters, runs and delimiters of a value.

mod alignment;

use std::ops::Range;

use crate::program::Matcher;
use crate::text::characters;
use crate::text::kind::Kind;
use crate::text::names;

#[doc(hidden)]
pub use alignment::AlignedPair;
pub use alignment::align;

/// An analysed value.
///
/// ```
/// use keen_notch_core::gauge::Gauge;
///
/// let gauge = Gauge::new("GRP-1 ");
/// assert_eq!((gauge.characters.len(), gauge.runs.len()), (6, 4));
/// assert_eq!(gauge.delimiters[0].places, [4]);
/// assert_eq!(gauge.oddities[0].what, "space at the end");
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Gauge<'a> {
    pub value: &'a str,
    /// The byte range of each character.
    pub characters: Vec<Range<usize>>,
    pub runs: Vec<Run>,
    /// Its spaces and punctuation marks, in the order of their first positions.
    pub delimiters: Vec<Delimiter<'a>>,
    /// Invisible characters, look-alikes and unexpected spaces.
    pub oddities: Vec<Oddity>,
    pub code_points: usize,
}

/// Neighbouring characters of one kind.
///
/// ```
/// use keen_notch_core::gauge::Gauge;
///
/// let runs: Vec<_> = Gauge::new("GRP-42").runs.into_iter().map(|run| run.characters).collect();
/// assert_eq!(runs, [0..3, 3..4, 4..6]);
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Run {
    pub kind: Kind,
    /// The indices of its characters, from 0.
    pub characters: Range<usize>,
}

/// A character that can separate the sections of a value.
///
/// ```
/// use keen_notch_core::gauge::Gauge;
///
/// let gauge = Gauge::new("GRP-42-S7");
/// let sections: Vec<_> = gauge.delimiters[0].sections.iter().map(|section| &gauge.value[section.clone()]).collect();
/// assert_eq!((gauge.delimiters[0].character, sections), ("-", vec!["GRP", "42", "S7"]));
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Delimiter<'a> {
    pub character: &'a str,
    /// Its positions, from 1.
    pub places: Vec<usize>,
    /// The byte ranges of the sections between them.
    pub sections: Vec<Range<usize>>,
}

/// A character that is easily overlooked.
///
/// ```
/// use keen_notch_core::gauge::Gauge;
///
/// let oddities = Gauge::new("GRP\u{a0}42").oddities;
/// assert_eq!((oddities[0].first, oddities[0].what.as_str()), (4, "no-break space (U+00A0)"));
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Oddity {
    /// Its first position, from 1.
    pub first: usize,
    /// Its last position, which differs for a repeated character.
    pub last: usize,
    /// A description, such as `space at the end` or `no-break space (U+00A0)`.
    pub what: String,
}

impl<'a> Gauge<'a> {
    pub fn new(value: &'a str) -> Gauge<'a> {
        let characters: Vec<_> = characters::ranges(value).collect();
        Gauge {
            runs: runs(value, &characters),
            delimiters: delimiters(value, &characters),
            oddities: oddities(value, &characters),
            code_points: value.chars().count(),
            characters,
            value,
        }
    }

    /// The indices, from 0, of the characters in a byte range.
    pub fn covered(&self, bytes: &Range<usize>) -> Range<usize> {
        let start = self.characters.partition_point(|character| character.end <= bytes.start);
        let end = self.characters.partition_point(|character| character.start < bytes.end);
        start..end.max(start)
    }
}

fn runs(value: &str, characters: &[Range<usize>]) -> Vec<Run> {
    let mut runs: Vec<Run> = Vec::new();
    for (index, range) in characters.iter().enumerate() {
        let kind = Kind::of(&value[range.clone()]);
        match runs.last_mut() {
            Some(run) if run.kind == kind => run.characters.end = index + 1,
            _ => runs.push(Run { kind, characters: index..index + 1 }),
        }
    }
    runs
}

fn delimiters<'a>(value: &'a str, characters: &[Range<usize>]) -> Vec<Delimiter<'a>> {
    let mut delimiters: Vec<Delimiter<'a>> = Vec::new();
    for (index, range) in characters.iter().enumerate() {
        let character = &value[range.clone()];
        if !divides(character) {
            continue;
        }
        match delimiters.iter_mut().find(|delimiter| delimiter.character == character) {
            Some(delimiter) => delimiter.places.push(index + 1),
            None => delimiters.push(Delimiter { character, places: vec![index + 1], sections: Vec::new() }),
        }
    }
    for delimiter in &mut delimiters {
        let marker = Matcher::text(delimiter.character);
        let mut start = 0;
        for place in marker.occurrences(value, characters::Form::of(value)) {
            delimiter.sections.push(start..place.start);
            start = place.end;
        }
        delimiter.sections.push(start..value.len());
    }
    delimiters
}

fn oddities(value: &str, characters: &[Range<usize>]) -> Vec<Oddity> {
    let inner_start = value.len() - value.trim_start_matches(' ').len();
    let inner_end = value.trim_end_matches(' ').len();
    let mut oddities: Vec<Oddity> = Vec::new();
    for (index, range) in characters.iter().enumerate() {
        let character = &value[range.clone()];
        let what = if character == " " {
            if range.start < inner_start {
                "space at the start".to_owned()
            } else if range.start >= inner_end {
                "space at the end".to_owned()
            } else {
                continue;
            }
        } else if is_odd(character) {
            names::describe(character)
        } else {
            continue;
        };
        match oddities.last_mut() {
            Some(last) if last.last == index && last.what == what => last.last = index + 1,
            _ => oddities.push(Oddity { first: index + 1, last: index + 1, what }),
        }
    }
    oddities
}

/// Whether a character is a possible delimiter: a space or a single punctuation mark, but not an emoji of several code points.
fn divides(character: &str) -> bool {
    match Kind::of(character) {
        Kind::Letter | Kind::Digit | Kind::Other => false,
        Kind::Space => true,
        Kind::Punctuation => character.chars().nth(1).is_none(),
    }
}

/// Whether a character cannot be recognised by its look: invisible, of several code points, or unusual punctuation such as a dash that
/// looks like a hyphen.
fn is_odd(character: &str) -> bool {
    names::is_unseen(character)
        || character.chars().nth(1).is_some()
        || (!character.is_ascii() && matches!(Kind::of(character), Kind::Punctuation | Kind::Other))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sections(value: &str, character: &str) -> Vec<String> {
        let gauge = Gauge::new(value);
        let delimiter = gauge.delimiters.iter().find(|delimiter| delimiter.character == character).unwrap();
        delimiter.sections.iter().map(|range| value[range.clone()].to_owned()).collect()
    }

    #[test]
    fn a_code_is_measured() {
        let gauge = Gauge::new("GRP-00041273-S7K2");
        assert_eq!(gauge.characters.len(), 17);
        let runs: Vec<_> = gauge.runs.iter().map(|run| (run.kind, run.characters.clone())).take(4).collect();
        assert_eq!(runs, [(Kind::Letter, 0..3), (Kind::Punctuation, 3..4), (Kind::Digit, 4..12), (Kind::Punctuation, 12..13)]);
        assert_eq!(gauge.delimiters[0].places, [4, 13]);
        assert_eq!(sections("GRP-00041273-S7K2", "-"), ["GRP", "00041273", "S7K2"]);
        assert_eq!(sections("-a--", "-"), ["", "a", "", ""]);
        assert!(gauge.oddities.is_empty());
        assert_eq!(gauge.covered(&(4..12)), 4..12);
    }

    #[test]
    fn invisible_characters_are_named() {
        let gauge = Gauge::new(" Fu\u{308}h\u{a0}\u{a0}–  ");
        let found: Vec<_> = gauge.oddities.iter().map(|o| (o.first, o.last, o.what.as_str())).collect();
        assert_eq!(
            found,
            [
                (1, 1, "space at the start"),
                (3, 3, "latin small letter u (U+0075) + combining diaeresis (U+0308)"),
                (5, 6, "no-break space (U+00A0)"),
                (7, 7, "en dash (U+2013)"),
                (8, 9, "space at the end"),
            ]
        );
        assert_eq!(gauge.covered(&(2..4)), 2..3, "a range of code points covers the character it is part of");
    }
}
