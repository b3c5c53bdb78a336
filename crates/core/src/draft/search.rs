//! Search for phrases that turn each value into its result.
//!
//! Every candidate is run. Cuts come from what the values share and are grouped by their results, so equivalent phrases are followed up
//! once. After each cut, and each cut of a cut, the search looks for finishes that give the results. The order is fixed, so the same
//! examples always give the same phrases.

use std::collections::HashMap;

use indexmap::IndexMap;

use super::cuts::{Step, steps};
use super::example::Example;
use super::finishes::{Target, finishes};
use super::plans::{Plans, compile};

/// The cost of a `then`.
pub const THEN: f64 = 0.15;
const MOST_COST: f64 = 4.5;
/// Phrases may cost this much more than the simplest one.
const MARGIN: f64 = 1.1;
const MOST_FIRST: usize = 80;
const MOST_ALIKE: usize = 12;
const MOST_FOUND: usize = 120;

#[derive(Debug, Clone, PartialEq)]
pub struct FoundPhrase {
    pub phrase: String,
    pub cost: f64,
}

#[derive(Debug, Clone, Default, PartialEq)]
pub struct SearchResult {
    pub found: Vec<FoundPhrase>,
    pub was_cut_short: bool,
    /// Whether the phrases distinguish several kinds of values.
    pub are_of_kinds: bool,
    /// Whether the phrases look up a part of the value.
    pub are_lookups: bool,
}

/// Searches for phrases that turn each value into its result.
///
/// ```
/// use keen_notch_core::draft::{Example, search};
///
/// let searched = search(&[Example::parse("GRP-00041273-S7K2 => S7K2")?, Example::parse("HNG-00760251-N9 => N9")?]);
/// assert!(searched.found.iter().any(|found| found.phrase == "section -1 by \"-\""));
/// # Ok::<(), keen_notch_core::text_error::TextError>(())
/// ```
pub fn search(examples: &[Example]) -> SearchResult {
    Search::of(examples, false)
}

/// Like [`search`], but tries two cuts only if one cut is not enough.
pub(super) fn search_simple(examples: &[Example]) -> SearchResult {
    Search::of(examples, true)
}

struct Search<'a> {
    target: Target<'a>,
    plans: Plans,
    cuts: IndexMap<Vec<String>, Vec<Step>>,
    found: HashMap<String, f64>,
    best: f64,
}

impl Search<'_> {
    fn of(examples: &[Example], any_will_do: bool) -> SearchResult {
        let mut search = Search {
            target: Target::new(examples.iter().map(|example| example.result.as_str()).collect()),
            plans: Plans::default(),
            cuts: IndexMap::new(),
            found: HashMap::new(),
            best: MOST_COST - MARGIN,
        };
        let values: Vec<String> = examples.iter().map(|example| example.value.clone()).collect();
        search.cuts.insert(values.clone(), vec![Step { text: "whole".to_owned(), cost: 0.1 }]);
        search.cut(&values, None);
        let mut first: Vec<(Vec<String>, Step)> =
            search.cuts.iter().skip(1).filter_map(|(texts, steps)| Some((texts.clone(), cheapest(steps)?.clone()))).collect();
        search.finish();
        first.sort_by(|(_, a), (_, b)| by_cost(a, b));
        first.truncate(MOST_FIRST);
        if !(any_will_do && search.found.keys().any(|phrase| fits(phrase, examples))) {
            for (texts, before) in first {
                search.cut(&texts, Some(&before));
            }
            search.finish();
        }
        let found = search.found.into_iter().map(|(phrase, cost)| FoundPhrase { phrase, cost });
        let mut found: Vec<FoundPhrase> = found.filter(|found| found.cost <= search.best + MARGIN).collect();
        found.sort_by(|a, b| a.cost.total_cmp(&b.cost).then_with(|| a.phrase.cmp(&b.phrase)));
        found.retain(|found| fits(&found.phrase, examples));
        found.truncate(MOST_FOUND);
        SearchResult { found, was_cut_short: search.plans.are_exhausted(), are_of_kinds: false, are_lookups: false }
    }

    fn cut(&mut self, texts: &[String], before: Option<&Step>) {
        let borrowed: Vec<&str> = texts.iter().map(String::as_str).collect();
        if self.plans.are_exhausted() {
            return;
        }
        for step in steps(&borrowed, &self.target.results) {
            let step = match before {
                None => step,
                Some(before) => {
                    Step { text: format!("{} then {}", before.text, step.text), cost: before.cost + step.cost + THEN }
                }
            };
            if step.cost > self.best + MARGIN {
                continue;
            }
            let words = before.map_or(0, |before| before.text.len() + " then ".len());
            let Some(made) = self.plans.run(&step.text[words..], texts) else { continue };
            if self.target.may_come_from(&made) {
                add(self.cuts.entry(made).or_default(), step);
            }
        }
    }

    fn finish(&mut self) {
        let mut cuts: Vec<(Vec<String>, Vec<Step>)> = self.cuts.drain(..).collect();
        let least = |steps: &[Step]| cheapest(steps).map_or(f64::MAX, |step| step.cost);
        cuts.sort_by(|(a, left), (b, right)| least(left).total_cmp(&least(right)).then_with(|| a.cmp(b)));
        for (texts, steps) in cuts {
            let most = self.best + MARGIN - least(&steps);
            let Some(finish) = finishes(&texts, &self.target, most, &mut self.plans) else { continue };
            for step in steps {
                let mut words = vec![step.text.as_str()];
                if step.text == "whole" && !finish.steps.is_empty() {
                    words.clear();
                }
                words.extend(finish.steps.iter().map(String::as_str));
                let cost = step.cost + finish.cost;
                let known = self.found.entry(words.join(" then ")).or_insert(cost);
                *known = known.min(cost);
                self.best = self.best.min(cost);
            }
        }
    }
}

/// Whether a phrase turns each value into its result.
///
/// ```
/// use keen_notch_core::draft::{Example, fits};
///
/// let examples = [Example::parse("GRP-00041273 => GRP")?];
/// assert!(fits("first 3", &examples) && !fits("last 3", &examples));
/// # Ok::<(), keen_notch_core::text_error::TextError>(())
/// ```
pub fn fits(phrase: &str, examples: &[Example]) -> bool {
    let Some(plan) = compile(phrase) else { return false };
    let mut scratch = crate::program::Scratch::default();
    examples.iter().all(|example| {
        let cut = plan.cut(&example.value, &mut scratch);
        cut.state.is_there() && cut.text == example.result
    })
}

/// Why no phrase fits all examples, which are given by index.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Contradiction {
    Alone(Vec<usize>),
    Pairs(Vec<(usize, usize)>),
    /// All other examples have a phrase in common.
    OddOneOut(usize, String),
    Together,
}

const MOST_PAIRED: usize = 6;

/// Finds the examples that contradict each other, if no phrase fits all.
///
/// ```
/// use keen_notch_core::draft::{Contradiction, Example, contradiction};
///
/// let examples = [Example::parse("GRP-1 => GRP")?, Example::parse("GRP-1 => 1")?];
/// assert_eq!(contradiction(&examples), Contradiction::Pairs(vec![(0, 1)]));
/// # Ok::<(), keen_notch_core::text_error::TextError>(())
/// ```
pub fn contradiction(examples: &[Example]) -> Contradiction {
    let has_one = |indices: &[usize]| {
        let chosen: Vec<Example> = indices.iter().map(|index| examples[*index].clone()).collect();
        search_simple(&chosen).found.into_iter().next()
    };
    let alone: Vec<usize> = (0..examples.len()).filter(|index| has_one(&[*index]).is_none()).collect();
    if !alone.is_empty() {
        return Contradiction::Alone(alone);
    }
    let tried = examples.len().min(MOST_PAIRED);
    let pairs = (0..tried).flat_map(|first| (first + 1..tried).map(move |second| (first, second)));
    let pairs: Vec<(usize, usize)> = pairs.filter(|(first, second)| has_one(&[*first, *second]).is_none()).collect();
    // The example in every such pair is the odd one, if the others have a phrase.
    for odd in (0..examples.len()).filter(|_| examples.len() > 2) {
        let others: Vec<usize> = (0..examples.len()).filter(|index| *index != odd).collect();
        if pairs.iter().all(|(first, second)| *first == odd || *second == odd)
            && let Some(found) = has_one(&others)
        {
            return Contradiction::OddOneOut(odd, found.phrase);
        }
    }
    if pairs.is_empty() { Contradiction::Together } else { Contradiction::Pairs(pairs) }
}

fn add(steps: &mut Vec<Step>, step: Step) {
    steps.push(step);
    if steps.len() > MOST_ALIKE {
        steps.sort_by(by_cost);
        steps.truncate(MOST_ALIKE);
    }
}

fn cheapest(steps: &[Step]) -> Option<&Step> {
    steps.iter().min_by(|a, b| by_cost(a, b))
}

fn by_cost(a: &Step, b: &Step) -> std::cmp::Ordering {
    a.cost.total_cmp(&b.cost).then_with(|| a.text.cmp(&b.text))
}
