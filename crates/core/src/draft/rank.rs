//! Which of several phrases is meant: by how simple they are, and by what they give of the rows of a table.

use std::collections::BTreeSet;

use indexmap::IndexMap;

use super::example::Example;
use super::plans::compile;
use super::search::Found;
use crate::program::{Program, Scratch};
use crate::survey::Row;
use crate::survey::{Kinds, What, runs_of};

/// Phrases that are shown.
const MOST: usize = 3;
/// Rows without a result, and rows whose result looks unlike the examples', weigh as much as a step that is so
/// much dearer, if all rows are such.
const WEIGHT: f64 = 1.5;

/// A phrase that gives other results than the others.
#[derive(Debug, Clone)]
pub struct Ranked {
    /// The simplest of those that give the same of every row.
    pub phrase: String,
    /// Others that do, the simplest first.
    pub same: Vec<String>,
    /// Rows of the sample it gives a result for.
    pub gives: usize,
    /// What it gives of each row of the sample.
    results: Vec<Option<String>>,
}

impl Ranked {
    /// What it gives of the row at an index of the sample; `None` where it is missing.
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
pub fn rank(found: &[Found], examples: &[Example], rows: &[Row]) -> Vec<Ranked> {
    let alphabet = examples.iter().fold(Alphabet::default(), |all, example| all.with(&example.result));
    let mut alike: IndexMap<Vec<Option<String>>, Vec<&Found>> = IndexMap::new();
    let mut scratch = Scratch::default();
    for found in found {
        let Some(plan) = compile(&found.phrase) else { continue };
        let results = rows.iter().map(|row| result(&plan, &row.value, &mut scratch)).collect();
        alike.entry(results).or_default().push(found);
    }
    let total = rows.len().max(1) as f64;
    let mut ranked: Vec<(f64, Ranked)> = alike
        .into_iter()
        .map(|(results, all)| {
            let gives = results.iter().flatten().count();
            let unlike = results.iter().flatten().filter(|result| !alphabet.has(result)).count();
            let cost = all[0].cost + WEIGHT * (rows.len() - gives + unlike) as f64 / total;
            let same = all[1..].iter().map(|found| found.phrase.clone()).collect();
            (cost, Ranked { phrase: all[0].phrase.clone(), same, gives, results })
        })
        .collect();
    ranked.sort_by(|(a, left), (b, right)| a.total_cmp(b).then_with(|| left.phrase.cmp(&right.phrase)));
    ranked.into_iter().take(MOST).map(|(_, ranked)| ranked).collect()
}

/// The first row of the sample on which two phrases differ, by its index: best one for which both have a
/// result.
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
pub fn differ(first: &Ranked, second: &Ranked) -> Option<usize> {
    let differ = |index: &usize| first.results[*index] != second.results[*index];
    let both = |index: &usize| first.results[*index].is_some() && second.results[*index].is_some();
    let all = || (0..first.results.len().min(second.results.len())).filter(differ);
    all().find(both).or_else(|| all().next())
}

fn result(plan: &Program, value: &str, scratch: &mut Scratch) -> Option<String> {
    let cut = plan.cut(value, scratch);
    cut.state.is_there().then(|| cut.text.to_owned())
}

/// What results are made of.
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
