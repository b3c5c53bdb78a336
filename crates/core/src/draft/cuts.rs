//! Candidate steps that may cut the wanted results out of some texts.
//!
//! Candidates come from what the texts share: delimiters and words that occur in all of them, and the positions of the first result in
//! its text. Running a candidate shows whether it is right.

use std::collections::BTreeSet;

use super::example::folded;
use super::finishes::styles;
use crate::phrase::quoted;
use crate::text::characters;
use crate::text::kind::Kind;

/// A step with its cost. Simple and general steps are cheap.
#[derive(Debug, Clone, PartialEq)]
pub struct Step {
    pub text: String,
    pub cost: f64,
}

impl Step {
    fn new(text: impl Into<String>, cost: f64) -> Step {
        Step { text: text.into(), cost }
    }
}

const MOST_NTH: usize = 4;
const MOST_PARTS: usize = 9;
const MOST_MARKERS: usize = 14;

struct Marker {
    written: String,
    cost: f64,
    text: Option<String>,
    /// How often it is in the text where it is least.
    count: usize,
}

pub fn steps(texts: &[&str], results: &[&str]) -> Vec<Step> {
    let markers = markers(texts);
    let mut steps = Vec::new();
    for marker in &markers {
        at_marker(marker, &mut steps);
    }
    for (index, first) in markers.iter().enumerate() {
        for (other, second) in markers.iter().enumerate() {
            between(first, second, index == other, &mut steps);
        }
    }
    counted(texts, &mut steps);
    positions(texts, results, &mut steps);
    steps
}

fn markers(texts: &[&str]) -> Vec<Marker> {
    let Some(first) = texts.first() else { return Vec::new() };
    let mut found: BTreeSet<(u8, String)> = BTreeSet::new();
    let runs: Vec<(Kind, &str)> = runs(first);
    for (index, (kind, run)) in runs.iter().enumerate() {
        match kind {
            Kind::Punctuation | Kind::Space => {
                found.extend(characters::ranges(run).map(|range| (0, run[range].to_owned())));
                if characters::count(run) > 1 {
                    found.insert((2, (*run).to_owned()));
                }
                // A mark with the space beside it: ", " or " (".
                if let Some((next, after)) = runs.get(index + 1)
                    && matches!(next, Kind::Punctuation | Kind::Space)
                {
                    found.insert((2, format!("{run}{after}")));
                }
            }
            Kind::Letter => {
                if characters::count(run) > 1 {
                    found.insert((4, (*run).to_owned()));
                }
                if let Some((Kind::Punctuation, mark)) = runs.get(index + 1) {
                    found.insert((3, format!("{run}{mark}")));
                }
            }
            Kind::Digit | Kind::Other => {}
        }
    }
    let mut markers: Vec<Marker> = Vec::new();
    for (rank, text) in found {
        let count = texts.iter().map(|other| other.matches(text.as_str()).count()).min().unwrap_or(0);
        if count > 0 && markers.len() < MOST_MARKERS {
            // A word in a single value may be arbitrary; a word in all values is a label.
            let word = if texts.len() == 1 { 0.5 } else { 0.15 };
            let cost = match (rank, text.as_str()) {
                (0, " ") => 0.05,
                (0, _) => 0.0,
                (2, _) => 0.2,
                (3, _) => word,
                _ => word + 0.15,
            };
            markers.push(Marker { written: quoted(&text), cost, text: Some(text), count });
        }
    }
    let marks: Vec<String> = markers
        .iter()
        .filter_map(|marker| marker.text.clone())
        .filter(|text| characters::count(text) == 1 && Kind::of(text) == Kind::Punctuation)
        .take(4)
        .collect();
    for (index, left) in marks.iter().enumerate() {
        for right in &marks[index + 1..] {
            let both = |text: &str| text.matches(left.as_str()).count() + text.matches(right.as_str()).count();
            let count = texts.iter().map(|text| both(text)).min().unwrap_or(0);
            let written = format!("any of {}", quoted(&format!("{left}{right}")));
            markers.push(Marker { written, cost: 0.6, text: None, count });
        }
    }
    for (kind, class) in [(Kind::Digit, "digits"), (Kind::Letter, "letters"), (Kind::Space, "spaces")] {
        let count = |text: &&str| self::runs(text).iter().filter(|(of, _)| *of == kind).count();
        let count = texts.iter().map(count).min().unwrap_or(0);
        if count > 0 {
            markers.push(Marker { written: class.to_owned(), cost: 0.4, text: None, count });
        }
    }
    markers
}

fn at_marker(marker: &Marker, steps: &mut Vec<Step>) {
    let Marker { written, cost, count, .. } = marker;
    for (nth, extra_cost) in nths(*count) {
        steps.push(Step::new(format!("before {nth}{written}"), 1.0 + cost + extra_cost));
        steps.push(Step::new(format!("after {nth}{written}"), 1.0 + cost + extra_cost));
        steps.push(Step::new(format!("through {nth}{written}"), 1.3 + cost + extra_cost));
        steps.push(Step::new(format!("from {nth}{written}"), 1.3 + cost + extra_cost));
    }
    let most = (count + 1).min(MOST_PARTS);
    for n in 1..=most {
        let extra_cost = 0.12 * (n - 1) as f64;
        steps.push(Step::new(format!("section {n} by {written}"), 1.05 + cost + extra_cost));
        steps.push(Step::new(format!("section -{n} by {written}"), 1.15 + cost + extra_cost));
        for to in n + 1..=most {
            steps.push(Step::new(format!("sections {n} to {to} by {written}"), 1.3 + cost + extra_cost));
        }
        if n > 1 {
            steps.push(Step::new(format!("sections {n} to end by {written}"), 1.3 + cost + extra_cost));
        }
    }
}

fn between(first: &Marker, second: &Marker, same: bool, steps: &mut Vec<Step>) {
    if first.text.is_none() && second.text.is_none() {
        return;
    }
    // Matching brackets suggest it.
    let pairs = [("(", ")"), ("[", "]"), ("{", "}"), ("<", ">"), ("\"", "\"")];
    let pair = first.text.as_deref().zip(second.text.as_deref());
    let base = if pair.is_some_and(|pair| pairs.contains(&pair)) { 0.95 } else { 1.2 };
    let most = if same { first.count.saturating_sub(1) } else { first.count };
    for (nth, extra_cost) in nths(most) {
        let cost = base + first.cost + second.cost + extra_cost;
        steps.push(Step::new(format!("between {nth}{} and {}", first.written, second.written), cost));
    }
}

fn nths(count: usize) -> Vec<(&'static str, f64)> {
    let from_left = [("", 0.0), ("2nd ", 0.3), ("3rd ", 0.65), ("4th ", 1.0)];
    let mut nths: Vec<_> = from_left.into_iter().take(count.min(MOST_NTH)).collect();
    if count > 0 {
        nths.push(("last ", 0.1));
    }
    if count > 1 {
        nths.push(("2nd last ", 0.4));
    }
    nths
}

fn counted(texts: &[&str], steps: &mut Vec<Step>) {
    let least = |of: &dyn Fn(Kind) -> bool| {
        let count = |text: &&str| runs(text).iter().filter(|(kind, _)| of(*kind)).count();
        texts.iter().map(count).min().unwrap_or(0).min(MOST_PARTS)
    };
    let digits = least(&|kind| kind == Kind::Digit);
    for n in 1..=digits {
        let extra_cost = 0.35 * (n - 1) as f64;
        let written = if n == 1 { "number".to_owned() } else { format!("number {n}") };
        steps.push(Step::new(written, 1.4 + extra_cost));
        steps.push(Step::new(if n == 1 { "number last".to_owned() } else { format!("number -{n}") }, 1.45 + extra_cost));
        steps.push(Step::new(format!("run {n} of digits"), 1.45 + extra_cost));
        steps.push(Step::new(format!("run -{n} of digits"), 1.5 + extra_cost));
    }
    for style in styles(texts) {
        steps.push(Step::new(format!("number like \"{style}\""), 1.5));
        steps.push(Step::new(format!("number last like \"{style}\""), 1.55));
    }
    if texts.iter().any(|text| text.contains(['-', '+'])) {
        steps.push(Step::new("number signed", 1.6));
        steps.push(Step::new("number last signed", 1.65));
    }
    for n in 1..=least(&|kind| kind == Kind::Letter) {
        let extra_cost = 0.35 * (n - 1) as f64;
        steps.push(Step::new(format!("run {n} of letters"), 1.45 + extra_cost));
        steps.push(Step::new(format!("run -{n} of letters"), 1.5 + extra_cost));
    }
    for n in 1..=least(&|kind| matches!(kind, Kind::Digit | Kind::Letter)) {
        let extra_cost = 0.35 * (n - 1) as f64;
        steps.push(Step::new(format!("run {n} of letters and digits"), 1.6 + extra_cost));
        steps.push(Step::new(format!("run -{n} of letters and digits"), 1.65 + extra_cost));
    }
}

fn positions(texts: &[&str], results: &[&str], steps: &mut Vec<Step>) {
    let (Some(text), Some(result)) = (texts.first(), results.first()) else { return };
    let ranges: Vec<_> = characters::ranges(text).collect();
    let shortest = texts.iter().map(|text| characters::count(text)).min().unwrap_or(0);
    let mut places: BTreeSet<(usize, usize)> = BTreeSet::new();
    let wanted: Vec<String> = characters::ranges(result).map(|range| folded(&result[range])).collect();
    let found: Vec<String> = ranges.iter().map(|range| folded(&text[range.clone()])).collect();
    // The position of the result, or of the part that is not padding, prefix or suffix.
    for from in 0..found.len() {
        for start in 0..wanted.len() {
            let same = found[from..].iter().zip(&wanted[start..]).take_while(|(a, b)| a == b).count();
            if same == 0 || (start > 0 && from > 0 && found[from - 1] == wanted[start - 1]) {
                continue;
            }
            if same * 2 < wanted.len() && same < 3 {
                continue;
            }
            places.insert((from, from + same));
            // Include the leading zeros that `plain number` removes.
            let zeros = found[..from].iter().rev().take_while(|found| *found == "0").count();
            places.insert((from - zeros, from + same));
        }
    }
    let length = ranges.len();
    for (from, to) in places {
        let width = to - from;
        if width > shortest {
            continue;
        }
        match (from, length - to) {
            (0, _) => steps.push(Step::new(format!("first {width}"), 1.1)),
            (_, 0) => steps.push(Step::new(format!("last {width}"), 1.1)),
            _ => {}
        }
        if width == 1 {
            steps.push(Step::new(format!("char {}", from + 1), 1.4));
            steps.push(Step::new(format!("char -{}", length - from), 1.5));
        } else {
            steps.push(Step::new(format!("chars {} to {to}", from + 1), 1.5));
            steps.push(Step::new(format!("chars -{} to -{}", length - from, length - to + 1), 1.6));
        }
        if from > 0 && to < length {
            steps.push(Step::new(format!("chars {} to -{}", from + 1, length - to + 1), 1.7));
        }
        if to == length && from > 0 {
            steps.push(Step::new(format!("drop first {from}"), 1.25));
        }
        if from == 0 && to < length {
            steps.push(Step::new(format!("drop last {}", length - to), 1.25));
        }
    }
}

fn runs(text: &str) -> Vec<(Kind, &str)> {
    let mut runs: Vec<(Kind, std::ops::Range<usize>)> = Vec::new();
    for range in characters::ranges(text) {
        let kind = Kind::of(&text[range.clone()]);
        match runs.last_mut() {
            Some((last, run)) if *last == kind => run.end = range.end,
            _ => runs.push((kind, range)),
        }
    }
    runs.into_iter().map(|(kind, range)| (kind, &text[range])).collect()
}
