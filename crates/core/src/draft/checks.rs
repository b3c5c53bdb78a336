//! Properties of nearly all texts of a piece.

use std::collections::BTreeMap;

use crate::phrase::quoted;
use crate::survey::{Kinds, What, runs_of};
use crate::text::characters;

/// A check is proposed if at least this share of the texts pass it.
pub const NEARLY_ALL: f64 = 0.95;
const FEW: usize = 8;
const EXCEPTION: f64 = 0.01;

/// Properties of the texts of a piece.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct TextProperties {
    pub class: Option<&'static str>,
    /// The range of their widths, if nearly all are within it.
    pub width: Option<(usize, usize)>,
    /// The frequent texts, the most frequent first, if they are few and cover nearly all.
    pub few: Vec<String>,
    pub such_as: Vec<String>,
}

/// Longer lists of values are not offered, in bytes.
const LONGEST_LIST: usize = 240;

impl TextProperties {
    /// A check for the few texts that occur, if it is short enough to read.
    pub fn stricter(&self) -> Option<String> {
        let few: Vec<String> = self.few.iter().map(|text| quoted(text)).collect();
        let check = format!("one of {}", few.join(", "));
        (!few.is_empty() && check.len() <= LONGEST_LIST).then_some(check)
    }
}

pub fn known(texts: &[String]) -> TextProperties {
    if texts.is_empty() {
        return TextProperties::default();
    }
    let mut counts: BTreeMap<&str, usize> = BTreeMap::new();
    texts.iter().for_each(|text| *counts.entry(text).or_default() += 1);
    let mut common: Vec<(&str, usize)> =
        counts.into_iter().filter(|(_, count)| *count as f64 > EXCEPTION * texts.len() as f64).collect();
    common.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
    let covered: usize = common.iter().map(|(_, count)| count).sum();
    let is_few = common.len() <= FEW && covered as f64 >= NEARLY_ALL * texts.len() as f64 && covered >= common.len() * 12;
    let mut such_as: Vec<String> = Vec::new();
    for text in texts {
        if such_as.len() < 3 && !such_as.contains(text) {
            such_as.push(text.clone());
        }
    }
    TextProperties {
        class: class(texts),
        width: width(texts),
        few: if is_few { common.iter().map(|(text, _)| (*text).to_owned()).collect() } else { Vec::new() },
        such_as,
    }
}

fn class(texts: &[String]) -> Option<&'static str> {
    let kinds: Vec<Option<Kinds>> = texts.iter().map(|text| kinds(text)).collect();
    let upper_digits = Kinds::UPPER.with(Kinds::DIGIT);
    let lower_digits = Kinds::LOWER.with(Kinds::DIGIT);
    let letters = Kinds::UPPER.with(Kinds::LOWER).with(Kinds::CASELESS);
    let tried = [Kinds::DIGIT, Kinds::UPPER, Kinds::LOWER, letters, upper_digits, lower_digits, letters.with(Kinds::DIGIT)];
    let holds = |class: &Kinds| {
        let of = kinds.iter().filter(|kinds| kinds.is_some_and(|kinds| kinds.is_within(*class))).count();
        of as f64 >= NEARLY_ALL * texts.len() as f64
    };
    tried.into_iter().find(|class| holds(class)).map(Kinds::class)
}

fn kinds(text: &str) -> Option<Kinds> {
    runs_of(text).into_iter().try_fold(Kinds::default(), |all, run| match run.what {
        What::Kind(kinds) => Some(all.with(kinds)),
        _ => None,
    })
}

fn width(texts: &[String]) -> Option<(usize, usize)> {
    let mut counts: BTreeMap<usize, usize> = BTreeMap::new();
    texts.iter().for_each(|text| *counts.entry(characters::count(text)).or_default() += 1);
    let (steady, most) = counts.iter().max_by_key(|(_, count)| **count).map(|(width, count)| (*width, *count))?;
    if most as f64 >= NEARLY_ALL * texts.len() as f64 {
        return Some((steady, steady));
    }
    // Add widths, the most frequent first, until nearly all texts are covered.
    let mut by_count: Vec<(usize, usize)> = counts.into_iter().map(|(width, count)| (count, width)).collect();
    by_count.sort_by(|a, b| b.cmp(a));
    let (mut least, mut widest, mut taken) = (steady, steady, 0);
    for (count, width) in by_count {
        if taken as f64 >= NEARLY_ALL * texts.len() as f64 {
            break;
        }
        taken += count;
        (least, widest) = (least.min(width), widest.max(width));
    }
    (widest <= least * 4 && widest - least <= 8).then_some((least, widest))
}

impl TextProperties {
    pub fn checks(&self) -> Vec<String> {
        let mut checks: Vec<String> = self.class.iter().map(|class| (*class).to_owned()).collect();
        // The widths of words are not informative.
        let says_something = !matches!(self.class, None | Some("letters" | "lowercase"));
        match self.width {
            Some((least, most)) if least == most => checks.push(format!("length {least}")),
            Some((least, most)) if says_something => checks.push(format!("length {least} to {most}")),
            _ => {}
        }
        checks
    }

    /// The piece in layout notation.
    pub fn field(&self, name: &str) -> String {
        let width = match self.width {
            Some((least, most)) if least == most => format!(" {least}"),
            Some((least, most)) => format!(" {least} to {most}"),
            None => String::new(),
        };
        format!("<{name}{width}{}>", self.class.map_or(String::new(), |class| format!(" {class}")))
    }
}
