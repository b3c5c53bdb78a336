//! Ranks phrases by simplicity and by their results on the rows of a table.

use std::collections::BTreeSet;

use indexmap::IndexMap;

use super::example::Example;
use super::plans::compile;
use super::search::FoundPhrase;
use crate::program::{Program, Scratch};
use crate::survey::Row;
use crate::survey::{Kinds, What, runs_of};

const MOST: usize = 3;
/// The cost added if all rows have no result, or a result unlike those of the examples.
const WEIGHT: f64 = 1.5;

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

/// The best phrases that differ on some row, the best first.
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
    let total = rows.len().max(1) as f64;
    let mut ranked: Vec<(f64, RankedPhrase)> = alike
        .into_iter()
        .map(|(results, all)| {
            let gives = results.iter().flatten().count();
            let unlike = results.iter().flatten().filter(|result| !alphabet.has(result)).count();
            let cost = all[0].cost + WEIGHT * (rows.len() - gives + unlike) as f64 / total;
            let same = all[1..].iter().map(|found| found.phrase.clone()).collect();
            (cost, RankedPhrase { phrase: all[0].phrase.clone(), same, gives, results })
        })
        .collect();
    ranked.sort_by(|(a, left), (b, right)| a.total_cmp(b).then_with(|| left.phrase.cmp(&right.phrase)));
    ranked.into_iter().take(MOST).map(|(_, ranked)| ranked).collect()
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
