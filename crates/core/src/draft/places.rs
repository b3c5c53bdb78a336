//! Values of one length, cut where the kind of character changes.

use std::collections::BTreeMap;

use super::access::Access;
use super::marks::{EXCEPTION, MOST_PARTS, STEADY, commonest};
use super::structure::{Leaf, Node};
use crate::survey::{Kinds, What, runs_of};
use crate::text::characters;

/// A reading for values of which nearly all have one length: cuts where the kind of character changes.
pub fn by_position(texts: &[String]) -> Option<Node> {
    let (length, most) = commonest(texts.iter().map(|text| characters::count(text)))?;
    if length < 2 || (most as f64) < STEADY * texts.len() as f64 {
        return None;
    }
    let of_length: Vec<&String> = texts.iter().filter(|text| characters::count(text) == length).collect();
    let mut places: Vec<PositionContent> = vec![PositionContent::default(); length];
    for text in &of_length {
        for (place, range) in places.iter_mut().zip(characters::ranges(text)) {
            *place.counts.entry(text[range].to_owned()).or_default() += 1;
        }
    }
    let makes: Vec<Make> = places.iter().map(|place| place.make(of_length.len())).collect();
    let mut parts = Vec::new();
    let mut from = 0;
    for stretch in makes.chunk_by(|a, b| a.goes_with(b)) {
        let to = from + stretch.len();
        let step = match (from, to) {
            (0, to) if to == length => "whole".to_owned(),
            (0, to) => format!("first {to}"),
            (from, to) if to == length => format!("last {}", to - from),
            (from, to) if to - from == 1 => format!("char {to}"),
            (from, to) => format!("chars {} to {to}", from + 1),
        };
        let text = |text: &&String| text.chars().skip(from).take(to - from).collect::<String>();
        match &stretch[0] {
            Make::Mark(mark) => parts.push(Node::Same(mark.repeat(stretch.len()))),
            Make::Kinds(_) => parts.push(Node::Leaf(Leaf {
                access: Access::default().then(&step),
                hint: None,
                texts: of_length.iter().map(text).collect(),
                expected: true,
            })),
        }
        from = to;
    }
    let leaves = parts.iter().filter(|part| matches!(part, Node::Leaf(_))).count();
    (leaves > 1 && leaves <= MOST_PARTS).then_some(Node::Joined(parts))
}

#[derive(Debug, Clone, Default)]
struct PositionContent {
    counts: BTreeMap<String, usize>,
}

#[derive(Debug, Clone, PartialEq)]
enum Make {
    Mark(String),
    Kinds(Kinds),
}

impl Make {
    fn goes_with(&self, other: &Make) -> bool {
        match (self, other) {
            (Make::Mark(a), Make::Mark(b)) => a == b,
            (Make::Kinds(a), Make::Kinds(b)) => a == b || (a.is_mixed() && b.is_mixed()),
            _ => false,
        }
    }
}

impl PositionContent {
    fn make(&self, total: usize) -> Make {
        let mut kinds = Kinds::default();
        for (character, count) in &self.counts {
            let is_rare = (*count as f64) < EXCEPTION / 3.0 * total as f64 && self.counts.len() > 1;
            match (kind(character), is_rare) {
                (None, _) if *count as f64 >= STEADY * total as f64 => return Make::Mark(character.clone()),
                (Some(kind), false) => kinds = kinds.with(kind),
                _ => {}
            }
        }
        Make::Kinds(kinds)
    }
}

fn kind(character: &str) -> Option<Kinds> {
    match runs_of(character).first().map(|run| run.what.clone()) {
        Some(What::Kind(kinds)) => Some(kinds),
        _ => None,
    }
}
