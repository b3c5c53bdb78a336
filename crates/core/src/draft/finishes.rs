//! Candidate finishes: steps that turn a cut into the wanted result.

use std::collections::HashSet;

use super::cuts::Step;
use super::dates;
use super::plans::Plans;
use super::search::THEN;
use crate::phrase::quoted;
use crate::text::characters;

const MOST: usize = 3;
const MOST_STATES: usize = 40;

/// A sequence of finishes with its cost.
#[derive(Debug, Clone, PartialEq)]
pub struct Finish {
    pub steps: Vec<String>,
    pub cost: f64,
}

/// The wanted results, prepared for comparison.
#[derive(Debug)]
pub struct Target<'a> {
    pub results: Vec<&'a str>,
    letters: Vec<Vec<char>>,
}

impl<'a> Target<'a> {
    pub fn new(results: Vec<&'a str>) -> Target<'a> {
        let letters = |result: &&str| result.to_lowercase().chars().filter(|c| c.is_alphanumeric()).collect();
        Target { letters: results.iter().map(letters).collect(), results }
    }

    /// Whether finishes could still turn texts into the results: they contain the letters and digits of the results in order, except for
    /// a prefix, a suffix or padding.
    pub fn may_come_from(&self, texts: &[String]) -> bool {
        texts.iter().zip(&self.letters).all(|(text, wanted)| {
            let text: Vec<char> = text.chars().flat_map(char::to_lowercase).filter(|c| c.is_alphanumeric()).collect();
            let padded = |filling: &[char]| filling.iter().all(|c| Some(c) == filling.first());
            let enough = |start: usize| {
                let end = start + picked(&text, &wanted[start..]);
                let most = end - start;
                most * 2 >= wanted.len() || most >= 3 || (most > 0 && padded(&wanted[..start]) && padded(&wanted[end..]))
            };
            wanted.is_empty() || (0..wanted.len().min(MOST_BEFORE)).any(enough)
        })
    }

    fn is_met_by(&self, texts: &[String]) -> bool {
        texts.iter().zip(&self.results).all(|(text, result)| text == result)
    }
}

const MOST_BEFORE: usize = 64;

fn picked(text: &[char], wanted: &[char]) -> usize {
    let mut rest = text.iter();
    wanted.iter().take_while(|c| rest.any(|found| found == *c)).count()
}

/// The cheapest finishes that turn `texts` into the results, one for one, at a cost of at most `most`; empty if the texts are the
/// results.
pub fn finishes(texts: &[String], target: &Target, most: f64, plans: &mut Plans) -> Option<Finish> {
    let mut states = vec![(texts.to_vec(), Finish { steps: Vec::new(), cost: 0.0 })];
    let mut seen: HashSet<Vec<String>> = HashSet::from([texts.to_vec()]);
    let mut best: Option<Finish> = None;
    for depth in 0..=MOST {
        let mut next: Vec<(Vec<String>, Finish)> = Vec::new();
        for (texts, finish) in &states {
            if target.is_met_by(texts) {
                if best.as_ref().is_none_or(|best| finish.cost < best.cost) {
                    best = Some(finish.clone());
                }
                continue;
            }
            if depth == MOST || plans.are_exhausted() {
                continue;
            }
            plans.note_done(texts);
            for step in candidates(texts, &target.results) {
                let cost = finish.cost + step.cost + THEN;
                if cost > best.as_ref().map_or(most, |best| best.cost.min(most)) {
                    continue;
                }
                let Some(made) = plans.run(&step.text, texts) else { continue };
                if seen.contains(&made) || !target.may_come_from(&made) {
                    continue;
                }
                seen.insert(made.clone());
                let mut steps = finish.steps.clone();
                steps.push(step.text);
                next.push((made, Finish { steps, cost }));
            }
        }
        next.sort_by(|(_, a), (_, b)| a.cost.total_cmp(&b.cost));
        next.truncate(MOST_STATES);
        states = next;
    }
    best
}

pub(super) fn styles(texts: &[impl AsRef<str>]) -> Vec<&'static str> {
    let has = |mark: char| texts.iter().any(|text| text.as_ref().contains(mark));
    let (comma, point, space, apostrophe) = (has(','), has('.'), has(' '), has('\''));
    let styles = [(comma, "1,234.5"), (comma || point, "1.234,5"), (comma && space, "1 234,5"), (apostrophe, "1'234.5")];
    styles.into_iter().filter(|(has_marks, _)| *has_marks).map(|(_, style)| style).collect()
}

fn candidates(texts: &[String], results: &[&str]) -> Vec<Step> {
    let (Some(text), Some(result)) = (texts.first(), results.first()) else { return Vec::new() };
    let mut steps = Vec::new();
    let mut add = |text: String, cost: f64| steps.push(Step { text, cost });
    let any = |of: &dyn Fn(&str) -> bool| texts.iter().any(|text| of(text));
    if any(&|text| text.trim() != text) {
        add("trim".to_owned(), 0.3);
    }
    if any(&|text| text.contains("  ")) {
        add("squeeze".to_owned(), 0.5);
    }
    if any(&|text| text.contains(char::is_alphabetic)) {
        add("upper".to_owned(), 0.4);
        add("lower".to_owned(), 0.4);
        add("title".to_owned(), 0.4);
    }
    if any(&|text| text.contains(|c: char| c.is_ascii_digit())) {
        add("plain number".to_owned(), 0.4);
        for style in styles(texts) {
            add(format!("plain number like {}", quoted(style)), 0.5);
        }
    }
    for (class, cost) in
        [("digits", 1.2), ("letters", 1.2), ("letters and digits", 1.2), ("uppercase", 1.3), ("lowercase", 1.3)]
    {
        add(format!("keep {class}"), cost);
    }
    for (class, cost) in [("spaces", 0.8), ("punctuation", 0.9), ("digits", 1.0), ("letters", 1.1)] {
        add(format!("drop {class}"), cost);
    }
    // A date is read as a whole, so it is likelier than parts of it.
    for (number, step) in dates::steps(texts, results).into_iter().enumerate() {
        add(step, 0.1 + 0.01 * number as f64);
    }
    let mut marks: Vec<&str> = characters::ranges(text).map(|range| &text[range]).collect();
    marks.retain(|mark| !mark.contains(char::is_alphanumeric) && *mark != " " && !result.contains(mark));
    marks.sort_unstable();
    marks.dedup();
    for mark in marks {
        add(format!("drop any of {}", quoted(mark)), 0.85);
    }
    let width = characters::count(result);
    if results.iter().all(|result| characters::count(result) == width) {
        let first = results.iter().zip(texts).find(|(result, text)| result.ends_with(text.as_str()) && **result != *text);
        if let Some(filling) = first.and_then(|(result, _)| characters::ranges(result).next().map(|range| &result[range])) {
            add(format!("pad left to {width} with {}", quoted(filling)), 0.6);
        }
        let last = results.iter().zip(texts).find(|(result, text)| result.starts_with(text.as_str()) && **result != *text);
        if let Some(filling) = last.and_then(|(result, _)| characters::ranges(result).last().map(|range| &result[range])) {
            add(format!("pad right to {width} with {}", quoted(filling)), 0.65);
        }
    }
    // The common prefix or suffix of all results. If a text is not complete yet, a later finish may complete it; then the text beyond its
    // first or last character counts.
    let folded: Vec<(String, String)> = texts.iter().zip(results).map(|(a, b)| (a.to_lowercase(), b.to_lowercase())).collect();
    let before = |(text, result): &(String, String)| result.find(text.as_str());
    if let Some(at) = folded.first().and_then(before).filter(|at| *at > 0 && result.is_char_boundary(*at)) {
        let prefix = &result[..at];
        if results.iter().all(|result| result.starts_with(prefix)) {
            add(format!("prefix {}", quoted(prefix)), 0.8 + 0.02 * prefix.len() as f64);
        }
    }
    let after = |(text, result): &(String, String)| result.rfind(text.as_str()).map(|at| at + text.len());
    if let Some(at) = folded.first().and_then(after).filter(|at| *at < result.len() && result.is_char_boundary(*at)) {
        let suffix = &result[at..];
        if results.iter().all(|result| result.ends_with(suffix)) {
            add(format!("suffix {}", quoted(suffix)), 0.8 + 0.02 * suffix.len() as f64);
        }
    }
    steps
}
