//! Compares surveys with plain counting, value by value.

use std::collections::{BTreeMap, BTreeSet};

use keen_notch_core::sightings::{ROWS, Sightings};
use keen_notch_core::survey::{Content, Count, Depth, Survey};
use proptest::prelude::*;
use proptest::sample::select;
use unicode_segmentation::UnicodeSegmentation;

type Rows = Vec<u64>;

fn seen(rows: &[u64]) -> Sightings {
    Sightings { count: rows.len() as u64, rows: rows.iter().take(ROWS).copied().collect() }
}

fn is_letter(character: &str) -> bool {
    character.starts_with(char::is_alphabetic)
}

fn is_digit(character: &str) -> bool {
    character.len() == 1 && character.starts_with(|c: char| c.is_ascii_digit())
}

/// The letter of a shape for a character; other characters stay.
fn symbol(character: &str) -> String {
    if is_digit(character) {
        "d".to_owned()
    } else if is_letter(character) {
        match character.chars().next() {
            Some(c) if c.is_uppercase() => "U",
            Some(c) if c.is_lowercase() => "L",
            _ => "A",
        }
        .to_owned()
    } else {
        match character {
            " " => " ".to_owned(),
            other => other.to_owned(),
        }
    }
}

fn shape(value: &str) -> String {
    let mut runs: Vec<(String, usize)> = Vec::new();
    for character in value.graphemes(true) {
        let symbol = symbol(character);
        match runs.last_mut() {
            Some((last, count)) if *last == symbol => *count += 1,
            _ => runs.push((symbol, 1)),
        }
    }
    let written = |(symbol, count): &(String, usize)| match symbol.as_str() {
        "U" | "L" | "A" | "d" => format!("{symbol}{count}"),
        other => other.repeat(*count),
    };
    runs.iter().map(written).collect()
}

fn by<K: Ord>(values: &[(u64, String)], key: impl Fn(&str) -> Vec<K>) -> BTreeMap<K, Rows> {
    let mut found: BTreeMap<K, Rows> = BTreeMap::new();
    for (row, value) in values {
        for key in key(value) {
            found.entry(key).or_default().push(*row);
        }
    }
    found
}

fn values() -> impl Strategy<Value = Vec<String>> {
    let code = "[A-C]{3}-[0-9]{4}";
    let value = prop_oneof![
        6 => code.prop_map(String::from),
        1 => "[A-C]{2}-[0-9]{4}".prop_map(String::from),
        1 => "[a-c]{3}/[0-9]{4}".prop_map(String::from),
        1 => select(vec!["", "  ", "n/a", "n/a", "東京-7", "é-1", "e\u{301}-1", "A–B", "A b", "GRP-0001 "]).prop_map(str::to_owned),
    ];
    proptest::collection::vec(value, 1..120)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(debug_assertions) { 150 } else { 5_000 }))]

    #[test]
    fn counts_are_those_of_counting_one_by_one(values in values()) {
        let mut survey = Survey::new(Depth::Full);
        let rows: Vec<(u64, String)> = (1..).zip(values).collect();
        rows.iter().for_each(|(row, value)| survey.observe(*row, value));
        let (blank, there): (Vec<_>, Vec<_>) = rows.into_iter().partition(|(_, value)| value.trim().is_empty());
        let blank_rows: Rows = blank.iter().map(|(row, _)| *row).collect();
        prop_assert_eq!((&survey.blank, survey.values()), (&seen(&blank_rows), there.len() as u64));
        prop_assert_eq!(survey.spaces_only, blank.iter().filter(|(_, value)| !value.is_empty()).count() as u64);

        let different: BTreeSet<&String> = there.iter().map(|(_, value)| value).collect();
        prop_assert_eq!(survey.distinct(), Count::Exact(different.len() as u64));
        let mut frequent: Vec<(String, Rows)> = by(&there, |value| vec![value.to_owned()]).into_iter().collect();
        frequent.sort_by_key(|(_, rows)| (std::cmp::Reverse(rows.len()), rows[0]));
        let expected: Vec<_> = frequent.iter().take(7).map(|(value, rows)| (value.clone(), Count::Exact(rows.len() as u64), rows[0])).collect();
        let found: Vec<_> = survey.frequent(7).into_iter().map(|value| (value.value, value.rows, value.first)).collect();
        prop_assert_eq!(found, expected);

        let length = |value: &str| value.graphemes(true).count();
        let lengths = by(&there, |value| vec![length(value)]);
        let bars: Vec<(usize, u64)> = survey.lengths.bars(1000).iter().filter(|bar| bar.count > 0).map(|bar| (bar.from, bar.count)).collect();
        let expected: Vec<(usize, u64)> = lengths.iter().map(|(length, rows)| (*length, rows.len() as u64)).collect();
        prop_assert_eq!(bars, expected);
        prop_assert_eq!(survey.lengths.range(), lengths.keys().next().copied().zip(lengths.keys().last().copied()));

        // Every fine shape, with the space at an end visible.
        let shown = |value: &str| {
            let end = value.trim_end_matches(' ').len();
            shape(&value[..end]) + &"␣".repeat(value.len() - end)
        };
        let shapes = by(&there, |value| vec![shown(value)]);
        let fine: BTreeMap<String, Sightings> = survey.fine_groups().into_iter().map(|group| (group.shape.to_string(), group.seen)).collect();
        let expected: BTreeMap<String, Sightings> = shapes.iter().map(|(shape, rows)| (shape.clone(), seen(rows))).collect();
        prop_assert_eq!(fine, expected);

        // Delimiters: the number of sections for each mark.
        let marks = by(&there, |value| {
            let here: BTreeSet<&str> = value.graphemes(true).filter(|character| !is_letter(character) && !is_digit(character)).collect();
            here.into_iter().map(str::to_owned).collect()
        });
        let delimiters = survey.delimiters();
        prop_assert_eq!(delimiters.len(), marks.len());
        for delimiter in delimiters {
            prop_assert_eq!(delimiter.values, marks[&delimiter.character].len() as u64, "{:?}", delimiter.character);
            let sections = by(&there, |value| vec![value.graphemes(true).filter(|character| *character == delimiter.character).count() + 1]);
            let found: BTreeMap<usize, u64> = delimiter.sections.iter().map(|(sections, seen)| (*sections, seen.count)).collect();
            let expected: BTreeMap<usize, u64> = sections.iter().map(|(sections, rows)| (*sections, rows.len() as u64)).collect();
            prop_assert_eq!(found, expected, "{:?}", delimiter.character);
        }

        // Positions, for the length of most values.
        if let Some((length_of_most, positions)) = survey.positions() {
            let most = lengths.values().map(Vec::len).max().unwrap();
            prop_assert_eq!(lengths[&length_of_most].len(), most);
            for (at, position) in positions.iter().enumerate() {
                prop_assert_eq!(position.count(), most as u64);
                let of_length: Vec<(u64, String)> = there.iter().filter(|(_, value)| length(value) == length_of_most).cloned().collect();
                let here = by(&of_length, |value| vec![value.graphemes(true).nth(at).unwrap().to_owned()]);
                for (content, seen_there) in &position.contents {
                    if let Content::Character(character) = content {
                        prop_assert_eq!(seen_there, &seen(&here[character]), "{:?} at {}", character, at + 1);
                    }
                }
            }
        }
    }
}
