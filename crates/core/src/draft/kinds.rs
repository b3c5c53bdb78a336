//! Phrases for values of several kinds, with `if` and `else`.

use std::collections::BTreeSet;

use super::example::Example;
use super::search::{FoundPhrase, SearchResult, THEN, fits, search, search_simple};
use crate::phrase::ast::Condition;
use crate::phrase::quoted;
use crate::program::{ConditionPlan, Setting};
use crate::text::unit::Unit;

const MOST_KINDS: usize = 4;
/// Limit for the ways to distinguish a kind.
const MOST_WAYS: usize = 8;
/// The search ends after this many successful ways.
const ENOUGH: usize = 3;
/// Limits for the conditions of a kind, and for its phrases.
const MOST_CONDITIONS: usize = 2;
const MOST_PHRASES: usize = 3;

/// Searches for phrases, and if no single one fits, for phrases that distinguish two to four kinds of values.
///
/// ```
/// use keen_notch_core::draft::{Example, search_with_kinds};
///
/// let examples = ["GRP-1-S7K2 => S7K2", "HNG-2 => HNG", "GRP-3-N9 => N9"].map(|text| Example::parse(text).unwrap());
/// let found = search_with_kinds(&examples).found;
/// assert!(found.iter().any(|found| found.phrase == "if starts with \"GRP\" then section -1 by \"-\" else before \"-\""));
/// ```
pub fn search_with_kinds(examples: &[Example]) -> SearchResult {
    let single = search(examples);
    if single.was_cut_short || !single.found.is_empty() {
        return single;
    }
    let mut all = kinds(examples, MOST_KINDS);
    all.are_of_kinds = true;
    all.found.retain(|found| fits(&found.phrase, examples));
    all.found.sort_by(|a, b| a.cost.total_cmp(&b.cost).then_with(|| a.phrase.cmp(&b.phrase)));
    all
}

fn kinds(examples: &[Example], most: usize) -> SearchResult {
    let mut all = SearchResult::default();
    if most < 2 {
        return all;
    }
    let mut successes = 0;
    for Way { kind, conditions } in ways(examples).into_iter().take(MOST_WAYS) {
        if successes == ENOUGH {
            break;
        }
        let part = |wanted: bool| -> Vec<Example> {
            let those = examples.iter().zip(&kind).filter(|(_, is)| **is == wanted);
            those.map(|(example, _)| example.clone()).collect()
        };
        let (first, others) = (search_simple(&part(true)), part(false));
        all.was_cut_short |= first.was_cut_short;
        if first.found.is_empty() {
            continue;
        }
        let mut rest = search_simple(&others);
        if rest.found.is_empty() {
            rest = kinds(&others, most - 1);
        }
        all.was_cut_short |= rest.was_cut_short;
        successes += usize::from(!rest.found.is_empty());
        for (condition, cost) in &conditions {
            for then in first.found.iter().take(MOST_PHRASES) {
                for other in rest.found.iter().take(MOST_PHRASES) {
                    let phrase = format!("if {condition} then {} else {}", then.phrase, other.phrase);
                    all.found.push(FoundPhrase { phrase, cost: cost + then.cost + other.cost + 2.0 * THEN });
                }
            }
        }
    }
    all
}

/// A kind of values, with the conditions that distinguish it.
struct Way {
    /// Whether each example is of the kind.
    kind: Vec<bool>,
    /// Equivalent conditions with their costs, the simplest first.
    conditions: Vec<(String, f64)>,
}

fn ways(examples: &[Example]) -> Vec<Way> {
    let setting = Setting::new(Unit::Characters);
    let mut ways: Vec<Way> = Vec::new();
    for (words, cost) in conditions(examples) {
        let Some(plan) = Condition::parse(&words).ok().and_then(|read| ConditionPlan::new(&read, &setting).ok()) else {
            continue;
        };
        let kind: Vec<bool> = examples.iter().map(|example| plan.holds(&example.value)).collect();
        if !kind.contains(&true) || !kind.contains(&false) {
            continue;
        }
        match ways.iter_mut().find(|way| way.kind == kind) {
            Some(Way { conditions, .. }) if conditions.len() < MOST_CONDITIONS => conditions.push((words, cost)),
            Some(_) => {}
            None => ways.push(Way { kind, conditions: vec![(words, cost)] }),
        }
    }
    ways
}

/// Candidates: first letters, marks, classes and lengths.
fn conditions(examples: &[Example]) -> Vec<(String, f64)> {
    let each = |property: &dyn Fn(&str) -> Vec<String>| -> BTreeSet<String> {
        examples.iter().flat_map(|example| property(&example.value)).collect()
    };
    let starts = each(&|value| {
        let start: String = value.chars().take_while(|c| c.is_alphabetic()).collect();
        if start.is_empty() { Vec::new() } else { vec![format!("starts with {}", quoted(&start))] }
    });
    let marks = each(&|value| {
        let marks = value.chars().filter(|c| !c.is_alphanumeric() && !c.is_control());
        marks.map(|c| format!("contains {}", quoted(&c.to_string()))).collect()
    });
    let lengths = each(&|value| vec![format!("length {}", crate::text::characters::count(value))]);
    let classes = ["digits", "starts with digits", "contains digits", "contains uppercase"].map(str::to_owned);
    let mut all = Vec::new();
    for (words, cost) in [(starts, 0.5), (marks, 0.6), (BTreeSet::from(classes), 0.7), (lengths, 0.9)] {
        all.extend(words.into_iter().map(|words| (words, cost)));
    }
    all
}
