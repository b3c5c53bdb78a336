//! Ranks phrases by how well they hold on the rows of a table, then by simplicity.

use std::collections::BTreeSet;

use indexmap::IndexMap;

use super::edges::Edges;
use super::example::{Example, folded};
use super::plans::compile;
use super::search::FoundPhrase;
use crate::phrase::Phrase;
use crate::phrase::ast::{Body, StepKind};
use crate::program::{Program, Scratch};
use crate::survey::Row;
use crate::survey::{Kinds, What, runs_of};

const MOST: usize = 3;
/// The cost added if a phrase holds on no row. The costs of found phrases differ by at most 1.1: whatever holds on a ninth more of the rows
/// comes first, and a few rows count as much as a word.
const WEIGHT: f64 = 10.0;
/// The number of rows, spread over the sample, that show whether a phrase holds.
const MOST_TRACED: usize = 400;

/// A phrase whose results differ from those of the others.
#[derive(Debug, Clone)]
pub struct RankedPhrase {
    /// The simplest phrase with these results.
    pub phrase: String,
    /// Other phrases with the same results, the simplest first.
    pub same: Vec<String>,
    /// The number of sample rows with a result.
    pub gives: usize,
    results: Vec<Option<String>>,
}

impl RankedPhrase {
    /// The result for a sample row by its index; `None` if it is missing.
    pub fn result(&self, index: usize) -> Option<&str> {
        self.results.get(index).and_then(|result| result.as_deref())
    }
}

/// The best phrases that differ on some row, the best first. A phrase holds on a row if its result consists of the kinds of characters
/// in the wanted results, and its cuts have neighbours as in the examples. A phrase that adds a constant, which the values contain, comes after all that
/// do not.
///
/// ```
/// use keen_notch_core::draft::{Example, rank, search};
/// use keen_notch_core::survey::Row;
///
/// let examples = [Example::parse("GRP-1 => GRP")?];
/// let rows = ["GRP-1", "HN-22"].map(|value| Row { row: 1, value: value.to_owned() });
/// let ranked = rank(&search(&examples).found, &examples, &rows);
/// assert_eq!(ranked[0].result(0), Some("GRP"));
/// # Ok::<(), keen_notch_core::text_error::TextError>(())
/// ```
pub fn rank(found: &[FoundPhrase], examples: &[Example], rows: &[Row]) -> Vec<RankedPhrase> {
    let alphabet = examples.iter().fold(Alphabet::default(), |all, example| all.with(&example.result));
    let mut alike: IndexMap<Vec<Option<String>>, Vec<&FoundPhrase>> = IndexMap::new();
    let mut scratch = Scratch::default();
    for found in found {
        let Some(plan) = compile(&found.phrase) else { continue };
        let results = rows.iter().map(|row| result(&plan, &row.value, &mut scratch)).collect();
        alike.entry(results).or_default().push(found);
    }
    let mut ranked: Vec<(bool, f64, RankedPhrase)> = alike
        .into_iter()
        .filter_map(|(results, all)| {
            let gives = results.iter().flatten().count();
            let edges = Edges::of(compile(&all[0].phrase)?, examples);
            let holds = |(row, result): &(&Row, &Option<String>)| {
                result.as_ref().is_some_and(|result| alphabet.has(result)) && edges.are_kept(&row.value)
            };
            let looked_at = || rows.iter().zip(&results).step_by(rows.len() / MOST_TRACED + 1);
            let holding = looked_at().filter(holds).count();
            let misses = 1.0 - holding as f64 / looked_at().len().max(1) as f64;
            let cost = all[0].cost + WEIGHT * misses;
            let same = all[1..].iter().map(|found| found.phrase.clone()).collect();
            let is_constant = adds_constant(&all[0].phrase, examples);
            Some((is_constant, cost, RankedPhrase { phrase: all[0].phrase.clone(), same, gives, results }))
        })
        .collect();
    ranked.sort_by(|(a, less, left), (b, more, right)| {
        a.cmp(b).then_with(|| less.total_cmp(more)).then_with(|| left.phrase.cmp(&right.phrase))
    });
    ranked.into_iter().take(MOST).map(|(.., ranked)| ranked).collect()
}

/// Whether a phrase adds a text that may be a part of the value: all letters and digits of the text are in the values.
fn adds_constant(phrase: &str, examples: &[Example]) -> bool {
    let Ok(phrase) = Phrase::parse(phrase) else { return false };
    let steps = phrase.branches.iter().filter_map(|branch| match &branch.body {
        Body::Steps(steps) => Some(steps),
        Body::Literal(_) => None,
    });
    let values: Vec<String> = examples.iter().map(|example| folded(&example.value)).collect();
    steps.flatten().any(|step| match &step.kind {
        StepKind::Prefix(text) | StepKind::Suffix(text) => {
            let mut letters = text.chars().filter(|c| c.is_alphanumeric()).peekable();
            letters.peek().is_some() && letters.all(|c| values.iter().all(|value| value.contains(&folded(&c.to_string()))))
        }
        _ => false,
    })
}

/// The index of the first sample row on which two phrases differ, preferably a row for which both have a result.
///
/// ```
/// use keen_notch_core::draft::{Example, differ, rank, search};
/// use keen_notch_core::survey::Row;
///
/// let examples = [Example::parse("GRP-1 => GRP")?];
/// let rows = ["GRP-1", "HN-22"].map(|value| Row { row: 1, value: value.to_owned() });
/// let ranked = rank(&search(&examples).found, &examples, &rows);
/// assert_eq!(differ(&ranked[0], &ranked[1]), Some(1), "the second row decides");
/// # Ok::<(), keen_notch_core::text_error::TextError>(())
/// ```
pub fn differ(first: &RankedPhrase, second: &RankedPhrase) -> Option<usize> {
    let differ = |index: &usize| first.results[*index] != second.results[*index];
    let both = |index: &usize| first.results[*index].is_some() && second.results[*index].is_some();
    let all = || (0..first.results.len().min(second.results.len())).filter(differ);
    all().find(both).or_else(|| all().next())
}

fn result(plan: &Program, value: &str, scratch: &mut Scratch) -> Option<String> {
    let cut = plan.cut(value, scratch);
    cut.state.is_there().then(|| cut.text.to_owned())
}

#[derive(Default)]
struct Alphabet {
    kinds: Kinds,
    others: BTreeSet<String>,
}

impl Alphabet {
    fn with(mut self, text: &str) -> Alphabet {
        for run in runs_of(text) {
            match run.what {
                What::Kind(kinds) => self.kinds = self.kinds.with(kinds),
                What::Character(character) => {
                    self.others.insert(character);
                }
                What::Rest => {}
            }
        }
        self
    }

    fn has(&self, text: &str) -> bool {
        runs_of(text).iter().all(|run| match &run.what {
            What::Kind(kinds) => kinds.is_within(self.kinds),
            What::Character(character) => self.others.contains(character),
            What::Rest => false,
        })
    }
}
