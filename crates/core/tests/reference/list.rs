//! A plain interpreter of cut lists, written for clarity: row by row, piece by piece.

use std::collections::{HashMap, HashSet};

use keen_notch_core::column::ColumnRef;
use keen_notch_core::cutlist::CutList;
use keen_notch_core::layout::{Field, Form, Item, Layout};
use keen_notch_core::phrase::ast::{Class, Condition, ConditionKind};
use keen_notch_core::piece::{BuildPart, Check, OutputForm, Piece, Source};
use keen_notch_core::text::unit::Unit;

use crate::interpreter::{self, Outcome, is_of, units};

/// The outcome of a kept row.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Row {
    /// Its index among all rows.
    pub row: usize,
    /// The results of each piece, and its state.
    pub pieces: Vec<Outcome>,
    /// The failing checks, as `of: words`, in order.
    pub failing: Vec<String>,
    /// Whether one of them is a fault.
    pub is_faulty: bool,
}

/// The interpreter, with the texts of earlier rows.
pub struct Interpreter<'l> {
    list: &'l CutList,
    header: &'l [&'l str],
    unit: Unit,
    /// The index of the row.
    row: usize,
    seen: HashMap<String, HashSet<Vec<String>>>,
}

impl<'l> Interpreter<'l> {
    pub fn new(list: &'l CutList, header: &'l [&'l str]) -> Interpreter<'l> {
        Interpreter { list, header, unit: list.unit, row: 0, seen: HashMap::new() }
    }

    /// The outcome of the next row; `None` if it is left out.
    pub fn row(&mut self, row: usize, cells: &[String]) -> Option<Row> {
        self.row = row;
        let wanted = &self.list.wanted;
        let pieces: Vec<Outcome> = wanted.pieces.iter().map(|piece| self.piece(piece, cells)).collect();
        for (number, keep) in wanted.keep.iter().enumerate() {
            let text = self.text_of(&keep.of, cells);
            let holds = match keep.condition.kind {
                // Absent texts are not compared, so the row stays.
                ConditionKind::Unique => {
                    self.is_new(&format!("keep {number}"), vec![text]).is_none_or(|new| new != keep.condition.negated)
                }
                _ => self.holds(&keep.condition, &text, cells),
            };
            if !holds {
                return None;
            }
        }
        let (mut failing, mut is_faulty) = (Vec::new(), false);
        let mut fail = |of: &str, words: &str, only_warns: bool| {
            failing.push(format!("{of}: {words}"));
            is_faulty |= !only_warns;
        };
        for (piece, (results, state)) in wanted.pieces.iter().zip(&pieces) {
            for (number, check) in piece.checks.iter().enumerate() {
                if !self.meets(check, (&format!("{} {number}", piece.name), results, state), cells) {
                    fail(&piece.name, &check.words, check.only_warns);
                }
            }
            let asks = |only_warns: bool| {
                let alike = || piece.checks.iter().filter(move |check| check.only_warns == only_warns);
                (alike().next().is_some(), alike().any(|check| interpreter::is_about_absence(&check.condition)))
            };
            let is_of_layout = matches!(piece.source, Source::Field { .. });
            if state == "missing" && !piece.optional && !is_of_layout {
                match (asks(false), asks(true)) {
                    ((true, false), _) => fail(&piece.name, "not missing", false),
                    ((false, _), (true, false)) => fail(&piece.name, "not missing", true),
                    _ => {}
                }
            }
            if let OutputForm::Columns(columns) | OutputForm::Parts(columns) = piece.shape
                && results.len() > columns
            {
                let is_named = matches!(piece.shape, OutputForm::Parts(_));
                let words = if is_named { format!("at most {columns} results") } else { format!("columns = {columns}") };
                fail(&piece.name, &words, false);
            }
        }
        for layout in &wanted.layouts {
            if fields(layout, self.cell(&layout.column, cells)).is_none() {
                fail("layout", "", false);
            }
        }
        for proof in &wanted.proofs {
            if self.build(&proof.parts, cells).0.concat() != self.cell(&proof.column, cells) {
                fail("proof", "", false);
            }
        }
        if let Some(unique) = &wanted.unique {
            let texts = unique.of.iter().map(|(of, _)| self.text_of(of, cells)).collect();
            if self.is_new("together", texts) == Some(false) {
                failing.push("rows: ".to_owned());
                is_faulty = true;
            }
        }
        Some(Row { row, pieces, failing, is_faulty })
    }

    fn piece(&self, piece: &Piece, cells: &[String]) -> Outcome {
        if let Some(when) = &piece.when {
            let of = when.column.as_ref().map_or_else(|| self.value(piece, cells), |column| self.cell(column, cells));
            if !self.holds(&when.condition, of, cells) {
                return (Vec::new(), "not asked".to_owned());
            }
        }
        let nothing = |value: &str| (Vec::new(), if value.trim().is_empty() { "blank" } else { "missing" }.to_owned());
        match &piece.source {
            Source::Take { phrase, .. } => {
                let holds = |column: &str, condition: &Condition| {
                    self.holds(condition, self.cell(&ColumnRef::parse(column), cells), cells)
                };
                interpreter::phrase_in_row(phrase, (self.value(piece, cells), self.row + 1), self.unit, &holds)
            }
            Source::Field { layout, field } => {
                let layout = &self.list.wanted.layouts[*layout];
                let value = self.cell(&layout.column, cells);
                let name = layout.names()[*field];
                let found = fields(layout, value).and_then(|fields| fields.into_iter().find(|(of, _)| of == name));
                found.map_or_else(|| nothing(value), |(_, text)| (vec![text], "filled".to_owned()))
            }
            Source::Build { parts, .. } => self.build(parts, cells),
            Source::Part { of, result } => {
                let divided = self.list.wanted.pieces.iter().find(|piece| piece.name == *of).expect("a part has a whole");
                let (results, state) = self.piece(divided, cells);
                match results.get(*result).filter(|text| !text.is_empty()) {
                    Some(text) => (vec![text.clone()], state),
                    None if results.is_empty() => (Vec::new(), state),
                    None => (Vec::new(), "missing".to_owned()),
                }
            }
        }
    }

    /// A built text; absent if all its pieces and columns are.
    fn build(&self, parts: &[BuildPart], cells: &[String]) -> Outcome {
        let parts: Vec<(String, String)> = parts.iter().map(|part| self.part(part, cells)).collect();
        let named = || parts.iter().filter(|(_, state)| state != "text");
        if named().all(|(text, _)| text.is_empty()) {
            let is_missing = named().any(|(_, state)| state == "missing");
            return (Vec::new(), if is_missing { "missing" } else { "blank" }.to_owned());
        }
        let state = if named().any(|(text, _)| text.is_empty()) { "short" } else { "filled" };
        (vec![parts.iter().map(|(text, _)| text.as_str()).collect()], state.to_owned())
    }

    /// A part of a built text with its state; `text` for literal text.
    fn part(&self, part: &BuildPart, cells: &[String]) -> (String, String) {
        match part {
            BuildPart::Text(text) => (text.clone(), "text".to_owned()),
            BuildPart::Name(name, _) => match self.piece_named(name) {
                Some(piece) => {
                    let (results, state) = self.piece(piece, cells);
                    (results.into_iter().next().unwrap_or_default(), state)
                }
                None => (self.cell(name, cells).to_owned(), "column".to_owned()),
            },
        }
    }

    fn piece_named(&self, name: &ColumnRef) -> Option<&'l Piece> {
        self.list.wanted.pieces.iter().find(|piece| matches!(name, ColumnRef::Name(name) if *name == piece.name))
    }

    fn text_of(&self, of: &ColumnRef, cells: &[String]) -> String {
        self.part(&BuildPart::Name(of.clone(), 0..0), cells).0
    }

    fn cell<'c>(&self, column: &ColumnRef, cells: &'c [String]) -> &'c str {
        let index = self.header.iter().position(|name| matches!(column, ColumnRef::Name(column) if column == name));
        &cells[index.expect("the list names columns that are there")]
    }

    fn value<'c>(&self, piece: &Piece, cells: &'c [String]) -> &'c str {
        match &piece.source {
            Source::Take { of: Some(column), .. } => self.cell(column, cells),
            _ => &cells[0],
        }
    }

    fn holds(&self, condition: &Condition, text: &str, cells: &[String]) -> bool {
        let holds = |part: &Condition| self.holds(part, text, cells);
        match &condition.kind {
            ConditionKind::SameAs { name, any_case } => {
                let column = ColumnRef::parse(name);
                let other = if self.header.contains(&&**name) {
                    self.cell(&column, cells).to_owned()
                } else {
                    self.text_of(&column, cells)
                };
                let is_same = if *any_case { text.to_lowercase() == other.to_lowercase() } else { text == other };
                is_same != condition.negated
            }
            ConditionKind::All(parts) => parts.iter().all(holds) != condition.negated,
            ConditionKind::Any(parts) => parts.iter().any(holds) != condition.negated,
            _ => interpreter::condition(condition, text, self.unit),
        }
    }

    fn meets(&mut self, check: &Check, (name, results, state): (&str, &[String], &str), cells: &[String]) -> bool {
        if state == "not asked" {
            return true;
        }
        let is_about_absence = interpreter::is_about_absence(&check.condition);
        if results.is_empty() {
            return !is_about_absence || self.holds(&check.condition, "", cells);
        }
        let mut all_meet = true;
        for text in results {
            all_meet &= match check.condition.kind {
                ConditionKind::Unique => self.is_new(name, vec![text.clone()]).is_none_or(|new| new != check.condition.negated),
                _ => (text.trim().is_empty() && !is_about_absence) || self.holds(&check.condition, text, cells),
            };
        }
        all_meet
    }

    /// Whether no earlier row has the texts; `None` if the row has no text.
    fn is_new(&mut self, asks: &str, texts: Vec<String>) -> Option<bool> {
        let is_there = texts.iter().any(|text| !text.trim().is_empty());
        is_there.then(|| self.seen.entry(asks.to_owned()).or_default().insert(texts))
    }
}

/// The fields of the first form that matches a value, by name.
pub fn fields(layout: &Layout, value: &str) -> Option<Vec<(String, String)>> {
    let characters = units(value, Unit::Characters);
    layout.forms.iter().find_map(|Form { items, .. }| fit(&items.iter().collect::<Vec<_>>(), &characters))
}

/// Matches items against all characters by backtracking. Optional parts, ranges and classes are greedy; a piece with neither width nor
/// class is lazy.
fn fit(items: &[&Item], characters: &[&str]) -> Option<Vec<(String, String)>> {
    let Some((first, rest)) = items.split_first() else { return characters.is_empty().then(Vec::new) };
    match first {
        Item::Text(text) => {
            let count = units(text, Unit::Characters).len();
            let is_there = characters.len() >= count && characters[..count].concat() == *text;
            is_there.then(|| fit(rest, &characters[count..])).flatten()
        }
        Item::Optional(inner) => {
            let with: Vec<&Item> = inner.iter().chain(rest.iter().copied()).collect();
            fit(&with, characters).or_else(|| fit(rest, characters))
        }
        Item::Field(Field { name, from, to, class }) => {
            let is_of_class = |character: &&str| class.as_ref().is_none_or(|class: &Class| is_of(class, character));
            let most = characters.iter().take_while(|character| is_of_class(character)).count();
            let widths: Vec<usize> = match to {
                Some(to) => (*from..=most.min(*to)).rev().collect(),
                None if class.is_some() => (*from..=most).rev().collect(),
                None => (*from..=most).collect(),
            };
            widths.into_iter().find_map(|width| {
                let mut found = fit(rest, &characters[width..])?;
                found.insert(0, (name.clone(), characters[..width].concat()));
                Some(found)
            })
        }
    }
}
