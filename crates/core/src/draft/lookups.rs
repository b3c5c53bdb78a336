//! Phrases that look up a part of the value, for results that the values do not contain.

use std::collections::BTreeSet;

use super::example::{Example, count_foreign};
use super::plans::compile;
use super::search::{FoundPhrase, SearchResult, THEN, fits};
use crate::phrase::quoted;
use crate::program::Scratch;

const MOST_SECTIONS: usize = 4;
const MOST_CHARACTERS: usize = 6;
/// More pairs belong in a file.
const MOST_PAIRS: usize = 40;

/// Searches for a part of the values that decides the result, and proposes a lookup of that part.
///
/// ```
/// use keen_notch_core::draft::{Example, search_lookups};
///
/// let examples = ["GRP-00041273 => grip", "HNG-00760251 => hanger"].map(|text| Example::parse(text).unwrap());
/// let found = search_lookups(&examples).found;
/// assert_eq!(found[0].phrase, "section 1 by \"-\" then lookup \"GRP\" as \"grip\", \"HNG\" as \"hanger\"");
/// ```
pub fn search_lookups(examples: &[Example]) -> SearchResult {
    let results: BTreeSet<&str> = examples.iter().map(|example| example.result.as_str()).collect();
    // With one result, no pair shows which part decides. A single foreign result among several is a slip.
    if results.len() < 2 || count_foreign(examples) * 2 < examples.len() {
        return SearchResult::default();
    }
    let found = parts(examples).into_iter().filter_map(|(part, cost)| {
        let pairs = pairs(&part, examples)?;
        let table: Vec<String> = pairs.iter().map(|(key, result)| format!("{} as {}", quoted(key), quoted(result))).collect();
        let phrase = format!("{part} then lookup {}", table.join(", "));
        Some(FoundPhrase { phrase, cost: cost + THEN })
    });
    let mut found: Vec<FoundPhrase> = found.filter(|found| fits(&found.phrase, examples)).collect();
    found.sort_by(|a, b| a.cost.total_cmp(&b.cost).then_with(|| a.phrase.cmp(&b.phrase)));
    SearchResult { are_lookups: !found.is_empty(), found, ..SearchResult::default() }
}

/// The parts to try, with their costs.
fn parts(examples: &[Example]) -> Vec<(String, f64)> {
    let marks = |value: &str| value.chars().filter(|c| !c.is_alphanumeric() && !c.is_control()).collect::<BTreeSet<char>>();
    let common = examples.iter().map(|example| marks(&example.value)).reduce(|all, next| &all & &next).unwrap_or_default();
    let mut parts = Vec::new();
    for mark in common {
        let by = quoted(&mark.to_string());
        parts.extend((1..=MOST_SECTIONS).map(|n| (format!("section {n} by {by}"), 0.8 + n as f64 / 10.0)));
        parts.push((format!("section -1 by {by}"), 1.0));
    }
    parts.extend(["letters", "digits"].map(|class| (format!("run 1 of {class}"), 1.2)));
    parts.extend((1..=MOST_CHARACTERS).map(|n| (format!("first {n}"), 1.4 + n as f64 / 100.0)));
    parts.extend((1..=MOST_CHARACTERS).map(|n| (format!("last {n}"), 1.6 + n as f64 / 100.0)));
    parts.push(("whole".to_owned(), 2.0));
    parts
}

/// The pairs of a part and its result; `None` if an example lacks the part, or two with the same part have different results.
fn pairs(part: &str, examples: &[Example]) -> Option<Vec<(String, String)>> {
    let (plan, mut scratch) = (compile(part)?, Scratch::default());
    let mut pairs: Vec<(String, String)> = Vec::new();
    for example in examples {
        let cut = plan.cut(&example.value, &mut scratch);
        if !cut.state.is_there() {
            return None;
        }
        match pairs.iter().find(|(key, _)| *key == cut.text) {
            Some((_, result)) if *result != example.result => return None,
            Some(_) => {}
            None => pairs.push((cut.text.to_owned(), example.result.clone())),
        }
    }
    (pairs.len() <= MOST_PAIRS).then_some(pairs)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(texts: &[&str]) -> Vec<String> {
        let examples: Vec<Example> = texts.iter().map(|text| Example::parse(text).unwrap()).collect();
        search_lookups(&examples).found.into_iter().map(|found| found.phrase).collect()
    }

    #[test]
    fn the_part_that_decides() {
        let all = found(&["GRP-1-A => grip", "HNG-2-A => hanger", "GRP-3-B => grip"]);
        assert_eq!(all[0], r#"section 1 by "-" then lookup "GRP" as "grip", "HNG" as "hanger""#);
        assert!(all.iter().all(|phrase| !phrase.starts_with("section 3")), "the grade does not decide: {all:?}");
        assert_eq!(found(&["A => open", "B => shut"])[0], r#"run 1 of letters then lookup "A" as "open", "B" as "shut""#);
        assert_eq!(found(&["GRP-1 => grip", "GRP-2 => grip"]), [""; 0]);
        assert_eq!(found(&["GRP-1 => grip", "GRP-1 => jaw"]), [""; 0]);
        // A slip is shown as such.
        assert_eq!(found(&["GRP-00041273 => 41273", "HNG-00760251 => 76025l", "BRK-00031122 => 31122"]), [""; 0]);
    }
}
