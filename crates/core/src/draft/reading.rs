//! A reading of a column: pieces with their checks, or a layout.

use super::checks::{TextProperties, known};
use super::structure::{Leaf, Node};
use crate::layout::SPECIAL;

#[derive(Debug, Clone, PartialEq)]
pub struct Reading {
    pub heading: String,
    pub proposal: Proposal,
}

#[derive(Debug, Clone, PartialEq)]
pub enum Proposal {
    /// Pieces, each with a phrase, and a proof that no character is lost.
    Pieces {
        pieces: Vec<DraftPiece>,
        proof: Option<String>,
    },
    Layout(String),
}

#[derive(Debug, Clone, PartialEq)]
pub struct DraftPiece {
    pub name: String,
    pub take: String,
    pub expected: bool,
    pub known: TextProperties,
}

impl DraftPiece {
    pub fn checks(&self) -> Vec<String> {
        let required = self.expected.then(|| "required".to_owned());
        required.into_iter().chain(self.known.checks()).collect()
    }
}

/// The pieces of a structure, in the order of the value. `taken` holds names that are in use.
pub fn pieces(node: &Node, taken: &[String]) -> Vec<DraftPiece> {
    let mut leaves = Vec::new();
    leaves_of(node, &mut leaves);
    let mut pieces: Vec<DraftPiece> = Vec::new();
    for (index, leaf) in leaves.iter().enumerate() {
        let wished = leaf.hint.clone().unwrap_or_else(|| format!("part_{}", index + 1));
        let is_free = |name: &String| !taken.contains(name) && pieces.iter().all(|piece| piece.name != *name);
        let others = (2..).map(|n| format!("{wished}_{n}"));
        let name = std::iter::once(wished.clone()).chain(others).find(is_free).unwrap_or(wished);
        pieces.push(DraftPiece { name, take: leaf.access.phrase(), expected: leaf.expected, known: known(&leaf.texts) });
    }
    pieces
}

fn leaves_of<'n>(node: &'n Node, leaves: &mut Vec<&'n Leaf>) {
    match node {
        Node::Leaf(leaf) => leaves.push(leaf),
        Node::Same(_) | Node::Nothing => {}
        Node::Sections { parts, .. } | Node::Joined(parts) | Node::AroundNumber(parts) => {
            parts.iter().for_each(|part| leaves_of(part, leaves));
        }
        Node::Brackets { parts, .. } => parts.iter().for_each(|part| leaves_of(part, leaves)),
        Node::Optional { main, rest, at_start, .. } => {
            let (first, second) = if *at_start { (rest, main) } else { (main, rest) };
            leaves_of(first, leaves);
            leaves_of(second, leaves);
        }
    }
}

/// How to write a structure, as a form or as a template.
pub struct Writing<'a> {
    pub pieces: std::slice::Iter<'a, DraftPiece>,
    pub piece: fn(&DraftPiece) -> String,
    /// Characters to escape, with the escape character of each.
    pub special: &'static [char],
    pub escape: fn(char) -> char,
    pub optional: bool,
}

impl Writing<'_> {
    /// Writes a structure; `None` if the notation cannot express it.
    pub fn write(&mut self, node: &Node) -> Option<String> {
        Some(match node {
            Node::Leaf(_) => (self.piece)(self.pieces.next()?),
            Node::Same(text) => self.text(text),
            Node::Nothing => String::new(),
            Node::Joined(parts) => parts.iter().map(|part| self.write(part)).collect::<Option<Vec<_>>>()?.concat(),
            Node::Sections { by, parts } => {
                let parts = parts.iter().map(|part| self.write(part)).collect::<Option<Vec<_>>>()?;
                parts.join(&self.text(by))
            }
            Node::Brackets { marks: (open, close), parts: [before, inside, after] } => {
                // Text outside the brackets that is not a piece would be lost.
                let whole = [before, after].iter().all(|side| ***side != Node::Nothing);
                let (before, inside, after) = (self.write(before)?, self.write(inside)?, self.write(after)?);
                whole.then(|| format!("{before}{}{inside}{}{after}", self.text(open), self.text(close)))?
            }
            Node::Optional { main, by, rest, at_start } => {
                let (first, second) = if *at_start { (rest, main) } else { (main, rest) };
                let (first, second) = (self.write(first)?, self.write(second)?);
                // A doubled bracket would stand for itself.
                if first.starts_with('[') && *at_start {
                    return None;
                }
                match (self.optional, at_start) {
                    (false, _) => return None,
                    (true, true) => format!("[{first}{}]{second}", self.text(by)),
                    (true, false) => format!("{first}[{}{second}]", self.text(by)),
                }
            }
            Node::AroundNumber(_) => return None,
        })
    }

    fn text(&self, text: &str) -> String {
        let mut written = String::new();
        for c in text.chars() {
            if self.special.contains(&c) {
                written.push((self.escape)(c));
            }
            written.push(c);
        }
        written
    }
}

pub fn form(node: &Node, pieces: &[DraftPiece]) -> Option<String> {
    let piece = |piece: &DraftPiece| piece.known.field(&piece.name);
    Writing { pieces: pieces.iter(), piece, special: &SPECIAL, escape: |_| '\\', optional: true }.write(node)
}

/// The template that rebuilds a value from its pieces.
pub fn proof(node: &Node, pieces: &[DraftPiece]) -> Option<String> {
    let piece = |piece: &DraftPiece| format!("{{{}}}", piece.name);
    Writing { pieces: pieces.iter(), piece, special: &['{', '}'], escape: |c| c, optional: false }.write(node)
}
