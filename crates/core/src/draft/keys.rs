//! Lists of keys and values, such as `depot=Valley;qty=12`: a reading of a column by key, whatever the order.

use std::collections::{BTreeMap, BTreeSet};

use super::checks::known;
use super::list::of;
use super::plans::Plans;
use super::reading::{DraftPiece, Proposal, Reading};

/// The list reads nearly all texts.
const COVERED: f64 = 0.95;
/// A key in a smaller share of the texts is a mistake rather than a key.
const LEAST: f64 = 0.02;
const MOST_KEYS: usize = 24;
/// What stands between pairs, and between a key and its value. Parameters of an address follow a `?`.
const MARKS: [(char, char); 8] =
    [('&', '='), (';', '='), (',', '='), ('|', '='), (' ', '='), (';', ':'), (',', ':'), ('|', ':')];

/// The reading of a column of such lists; `None` for other columns.
pub(super) fn reading(texts: &[String], taken: &[String], plans: &mut Plans) -> Option<Reading> {
    let (between, equals, keys) =
        MARKS.into_iter().find_map(|(between, equals)| Some((between, equals, keys_of(texts, between, equals)?)))?;
    let read = texts.iter().filter(|text| pairs(text, between, equals).is_some()).count();
    let has_address = between == '&' && texts.iter().any(|text| text.contains('?'));
    let mut pieces: Vec<DraftPiece> = Vec::new();
    let mut add = |wished: String, take: String, expected: bool| {
        let is_free = |name: &String| !taken.contains(name) && pieces.iter().all(|piece| piece.name != *name);
        let name = std::iter::once(wished.clone()).chain((2..).map(|n| format!("{wished}_{n}"))).find(is_free);
        let found = plans.each(&take, texts);
        if let Some(name) = name.filter(|_| !found.is_empty()) {
            pieces.push(DraftPiece { name, take, expected, known: known(&found) });
        }
    };
    let addresses: BTreeSet<&str> = texts.iter().filter_map(|text| Some(text.split_once('?')?.0)).collect();
    if has_address && addresses.len() > 1 {
        add("address".to_owned(), "before \"?\"".to_owned(), texts.iter().all(|text| text.contains('?')));
    }
    for (key, count) in keys {
        let written = regex::escape(&key).replace('/', r"\/");
        let start = if has_address { r"[?&]".to_owned() } else { format!(r"(?:^|{}\s*)", regex::escape(&between.to_string())) };
        let gap = if equals == ':' { r"\s*" } else { "" };
        let take = format!("match /{start}{written}{equals}{gap}([^{between}]*)/ group 1");
        add(name(&key), take, count == texts.len());
    }
    let heading = format!("By key: {} are lists of keys and values.", of(read as u64, texts.len() as u64, "sampled values"));
    (!pieces.is_empty()).then_some(Reading { heading, proposal: Proposal::Pieces { pieces, proof: None } })
}

/// The keys in the order in which they first appear, with the number of texts that have each; `None` if the texts are no such lists.
fn keys_of(texts: &[String], between: char, equals: char) -> Option<Vec<(String, usize)>> {
    let mut counts: BTreeMap<&str, (usize, usize)> = BTreeMap::new();
    let (mut read, mut several) = (0, 0);
    for text in texts {
        let Some(pairs) = pairs(text, between, equals) else { continue };
        read += 1;
        several += usize::from(pairs.len() > 1);
        for key in pairs {
            let next = counts.len();
            counts.entry(key).or_insert((next, 0)).1 += 1;
        }
    }
    counts.retain(|_, (_, count)| *count as f64 >= LEAST * texts.len() as f64);
    let is_list = read as f64 >= COVERED * texts.len() as f64 && several * 2 > texts.len();
    if !is_list || counts.len() < 2 || counts.len() > MOST_KEYS {
        return None;
    }
    let mut keys: Vec<(&str, (usize, usize))> = counts.into_iter().collect();
    keys.sort_by_key(|(_, (first, _))| *first);
    Some(keys.into_iter().map(|(key, (_, count))| (key.to_owned(), count)).collect())
}

/// The keys of a text; `None` if a part is no pair, or a key comes twice.
fn pairs(text: &str, between: char, equals: char) -> Option<Vec<&str>> {
    let list = if between == '&' { text.split_once('?').map_or(text, |(_, list)| list) } else { text };
    let mut keys: Vec<&str> = Vec::new();
    for part in list.split(between).filter(|part| !part.trim().is_empty()) {
        let (key, _) = part.split_once(equals)?;
        let key = key.trim_start();
        let is_key = key.starts_with(|c: char| c.is_alphabetic() || c == '_')
            && key.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '-' | '.'));
        if !is_key || keys.contains(&key) {
            return None;
        }
        keys.push(key);
    }
    (!keys.is_empty()).then_some(keys)
}

/// A name for the piece of a key.
fn name(key: &str) -> String {
    let name: String = key.chars().map(|c| if c.is_alphanumeric() { c.to_ascii_lowercase() } else { '_' }).collect();
    name.trim_matches('_').to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn takes(texts: &[&str]) -> Vec<(String, String, bool)> {
        let texts: Vec<String> = texts.iter().map(ToString::to_string).collect();
        let Some(reading) = reading(&texts, &[], &mut Plans::default()) else { return Vec::new() };
        let Proposal::Pieces { pieces, .. } = reading.proposal else { return Vec::new() };
        pieces.into_iter().map(|piece| (piece.name, piece.take, piece.expected)).collect()
    }

    #[test]
    fn lists_of_keys_are_read_by_key() {
        let piece = |name: &str, take: &str, expected| (name.to_owned(), take.to_owned(), expected);
        assert_eq!(
            takes(&["depot=Valley;qty=12", "qty=7;depot=Midway", "depot=Summit; no-2=x"]),
            [
                piece("depot", r"match /(?:^|;\s*)depot=([^;]*)/ group 1", true),
                piece("qty", r"match /(?:^|;\s*)qty=([^;]*)/ group 1", false),
                piece("no_2", r"match /(?:^|;\s*)no\-2=([^;]*)/ group 1", false),
            ]
        );
        assert_eq!(
            takes(&["https://lift.skarn.example/parts?id=7&fam=GRP", "https://lift.skarn.example/parts?fam=HNG&id=8"]),
            [piece("id", r"match /[?&]id=([^&]*)/ group 1", true), piece("fam", r"match /[?&]fam=([^&]*)/ group 1", true)]
        );
        assert_eq!(takes(&["crew: RIG, no: 12", "crew: OPS, no: 7"])[0].1, r"match /(?:^|,\s*)crew:\s*([^,]*)/ group 1");
        assert_eq!(takes(&["x_no=1|no=12", "no=7|x_no=2"])[1].1, r"match /(?:^|\|\s*)no=([^|]*)/ group 1");
        for others in [&["a=1", "b=2"][..], &["GRP-1;x", "HNG-2;y"], &["a=1;a=2", "a=3;a=4"], &["12:30;13:40", "07:05;08:10"]] {
            assert!(takes(others).is_empty(), "{others:?}");
        }
    }
}
