//! Where a phrase cuts: at the start or end of a value, at a mark, or inside a run of letters or digits.

use super::example::Example;
use crate::program::Program;
use crate::text::kind::Kind;

/// The neighbour of a cut.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Edge {
    /// The start or the end of the value.
    End,
    /// Another kind of character; a mark or a space is named.
    At(Kind, Option<char>),
    /// The same kind of character: the cut is inside a run. Leading zeros differ from other digits.
    Inside(bool),
}

/// The edges of a phrase in some examples, on the left and on the right.
pub(super) struct Edges {
    plan: Program,
    left: Vec<Edge>,
    right: Vec<Edge>,
}

impl Edges {
    pub(super) fn of(plan: Program, examples: &[Example]) -> Edges {
        let mut edges = Edges { plan, left: Vec::new(), right: Vec::new() };
        for example in examples {
            if let Some((left, right)) = edges.cut(&example.value) {
                edges.left.push(left);
                edges.right.push(right);
            }
        }
        edges
    }

    /// Whether the cuts in a value have neighbours as in the examples. A literal result has no cut.
    pub(super) fn are_kept(&self, value: &str) -> bool {
        self.cut(value).is_none_or(|(left, right)| self.left.contains(&left) && self.right.contains(&right))
    }

    fn cut(&self, value: &str) -> Option<(Edge, Edge)> {
        let taken = self.plan.trace(value).taken;
        let (start, end) = (taken.first()?.start, taken.last()?.end);
        let (first, last) = (value[start..].chars().next()?, value[..end].chars().next_back()?);
        let left = edge(first, value[..start].chars().rev());
        let right = edge(last, value[end..].chars());
        Some((left, right))
    }
}

/// The edge between a taken character and the characters beyond it, from the nearest on.
fn edge(taken: char, mut beyond: impl Iterator<Item = char> + Clone) -> Edge {
    let kind = |c: char| Kind::of(c.encode_utf8(&mut [0; 4]));
    let run = beyond.clone();
    match beyond.next() {
        None => Edge::End,
        Some(c) if kind(c) == kind(taken) => Edge::Inside(run.take_while(|c| kind(*c) == kind(taken)).all(|c| c == '0')),
        Some(c) => Edge::At(kind(c), matches!(kind(c), Kind::Punctuation | Kind::Space).then_some(c)),
    }
}

#[cfg(test)]
mod tests {
    use super::super::plans::compile;
    use super::*;

    #[test]
    fn a_cut_inside_a_number_is_not_one_after_its_zeros() {
        let examples = [Example::parse("GRP-00041273-S7K2 => 41273").unwrap()];
        for (phrase, value, are_kept) in [
            ("chars 8 to 12", "HNG-00076025-N9P4", true),
            ("chars 8 to 12", "CAB-90470384-DUX5", false),
            ("chars 8 to 12", "GRP-00041273", false),
            ("section 2 by \"-\" then plain number", "CAB-90470384-DUX5", true),
            ("section 2 by \"-\" then plain number", "CAB-90470384", false),
            ("chars 8 to -6", "SH-94506516-DMCW", false),
            // No result, and no cut.
            ("chars 8 to 12", "CAB", true),
        ] {
            let edges = Edges::of(compile(phrase).unwrap(), &examples);
            assert_eq!(edges.are_kept(value), are_kept, "{phrase}: {value}");
        }
    }
}
