//! Delimiters that occur in nearly all texts, or in some.

use std::collections::BTreeMap;

use crate::survey::{Kinds, What, runs_of};
use crate::text::characters;
use crate::text::kind::Kind;

/// Share of values that must have the same structure.
pub const STEADY: f64 = 0.9;
pub const SAME: f64 = 0.95;
/// A part that fewer values have is an exception, not an optional part.
pub const EXCEPTION: f64 = 0.03;
/// Maximum number of parts of one division.
pub const MOST_PARTS: usize = 12;
/// Average length of an optional prefix, such as an epoch, a kind or a sign.
const SHORT: f64 = 3.0;

/// The marks that only some texts have, once each, in their order.
pub fn optional_marks(texts: &[String]) -> Vec<String> {
    let total = texts.len() as f64;
    let mut found: Vec<(usize, usize, String)> = Vec::new();
    for mark in marks(texts) {
        let with: Vec<&String> = texts.iter().filter(|text| text.contains(mark.as_str())).collect();
        let once = with.iter().filter(|text| text.matches(mark.as_str()).count() == 1).count();
        let is_some = (EXCEPTION * total..STEADY * total).contains(&(with.len() as f64));
        let is_once = once as f64 >= SAME * with.len() as f64;
        if is_some && is_once && mark != " " && !is_decimal_mark(&mark, texts) {
            let place = with.iter().filter_map(|text| text.find(mark.as_str())).sum::<usize>() / with.len().max(1);
            found.push((place, with.len(), mark));
        }
    }
    // A mark that nearly always follows another one belongs to that one.
    let is_within = |mark: &str, other: &str| {
        let with = || texts.iter().filter(|text| text.contains(mark));
        let after = with().filter(|text| text.find(other).is_some_and(|at| Some(at) < text.find(mark)));
        after.count() as f64 >= STEADY * with().count() as f64
    };
    let all = found.clone();
    found.retain(|(_, _, mark)| all.iter().all(|(_, _, other)| other == mark || !is_within(mark, other)));
    // The three most frequent; more would be guesswork.
    found.sort_by_key(|(_, count, _)| std::cmp::Reverse(*count));
    found.truncate(3);
    found.sort();
    found.into_iter().map(|(_, _, mark)| mark).collect()
}

/// Whether the text before a mark is the optional part, and the text after it resembles the texts without the mark. Compares the kinds of
/// characters, then the lengths.
pub fn is_prefix(before: &[String], after: &[String], without: &[String]) -> bool {
    let kinds = |text: &String| {
        let all = runs_of(text).into_iter().filter_map(|run| if let What::Kind(kinds) = run.what { Some(kinds) } else { None });
        all.fold(Kinds::default(), Kinds::with)
    };
    let usual = commonest(without.iter().map(kinds)).map(|(kinds, _)| kinds);
    let alike =
        |texts: &[String]| texts.iter().filter(|text| Some(kinds(text)) == usual).count() as f64 / texts.len().max(1) as f64;
    let (left, right) = (alike(before), alike(after));
    if (left - right).abs() > 0.2 {
        return right > left;
    }
    let mean =
        |texts: &[String]| texts.iter().map(|text| characters::count(text)).sum::<usize>() as f64 / texts.len().max(1) as f64;
    mean(before) <= SHORT && (mean(without) - mean(after)).abs() < (mean(without) - mean(before)).abs()
}

/// The mark with the space after it, if nearly all texts with the mark have that space.
pub fn spaced(mark: &str, texts: &[String]) -> String {
    let with = texts.iter().filter(|text| text.contains(mark)).count();
    let spaced = format!("{mark} ");
    let both = texts.iter().filter(|text| text.contains(&spaced)).count();
    if both as f64 >= SAME * with as f64 { spaced } else { mark.to_owned() }
}

/// The delimiter that divides nearly all texts into the same number of parts, and that number.
pub fn divider(texts: &[String]) -> Option<(String, usize)> {
    let mut dividers: Vec<(u8, usize, String)> = Vec::new();
    for mark in marks(texts) {
        let Some((count, most)) = commonest(texts.iter().map(|text| text.matches(mark.as_str()).count())) else { continue };
        let is_steady = most as f64 >= STEADY * texts.len() as f64;
        if count == 0 || count >= MOST_PARTS || !is_steady || is_decimal_mark(&mark, texts) {
            continue;
        }
        // Pure delimiters come first, then spaces; otherwise the one with the most parts.
        let rank = match mark.as_str() {
            "\t" | "|" | ";" => 0,
            " " => 1,
            _ => 2,
        };
        dividers.push((rank, MOST_PARTS - count, mark));
    }
    dividers.sort();
    // A mark at an end divides nothing.
    let divides = |mark: &str| {
        let bare = texts.iter().filter(|text| text.starts_with(mark) || text.ends_with(mark));
        (bare.count() as f64) < (1.0 - STEADY) * texts.len() as f64
    };
    dividers.into_iter().find(|(_, _, mark)| divides(mark)).map(|(_, rest, mark)| (mark, MOST_PARTS - rest + 1))
}

fn is_decimal_mark(mark: &str, texts: &[String]) -> bool {
    if !matches!(mark, "." | ",") {
        return false;
    }
    let with: Vec<&String> = texts.iter().filter(|text| text.contains(mark)).collect();
    let in_number = |text: &&&String| {
        let mut sides = text.split(mark);
        let (left, right) = (sides.next().unwrap_or(""), sides.next().unwrap_or(""));
        sides.next().is_none()
            && left.ends_with(|c: char| c.is_ascii_digit())
            && right.starts_with(|c: char| c.is_ascii_digit())
    };
    with.iter().filter(in_number).count() as f64 >= STEADY * with.len() as f64
}

fn marks(texts: &[String]) -> Vec<String> {
    let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
    for text in texts {
        let mut here: Vec<&str> = characters::ranges(text).map(|range| &text[range]).collect();
        // A mark of several code points is not a delimiter.
        let divides = |character: &str| {
            matches!(Kind::of(character), Kind::Punctuation | Kind::Space) && character.chars().nth(1).is_none()
        };
        here.retain(|character| divides(character));
        here.sort_unstable();
        here.dedup();
        here.into_iter().for_each(|character| *counts.entry(character).or_default() += 1);
    }
    let enough = |count: usize| count as f64 >= EXCEPTION * texts.len() as f64;
    counts.into_iter().filter(|(_, count)| enough(*count)).map(|(mark, _)| mark.to_owned()).collect()
}

/// The most frequent item and its count; the first one in a tie.
pub fn commonest<T: Ord>(all: impl Iterator<Item = T>) -> Option<(T, usize)> {
    let mut counts: BTreeMap<T, usize> = BTreeMap::new();
    all.for_each(|each| *counts.entry(each).or_default() += 1);
    counts.into_iter().reduce(|best, each| if each.1 > best.1 { each } else { best })
}
