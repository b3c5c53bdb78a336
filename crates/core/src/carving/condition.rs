//! Conditions bound to a table: on a text, on another column or piece, or on earlier rows.

use super::plans::BuildPlan;
use crate::batch::{Batch, Texts};
use crate::check::{Violation, ViolationKind};
use crate::program::ConditionPlan;
use crate::program::certain::Certain;
use crate::text::blank::is_blank;
use crate::text::case::fold;

#[derive(Debug)]
pub(super) struct BoundCondition {
    pub(super) test: Test,
    pub(super) negated: bool,
}

#[derive(Debug)]
pub(super) enum Test {
    Text(ConditionPlan),
    Unique(usize),
    SameAs {
        other: BuildPlan,
        title: String,
        any_case: bool,
    },
    /// Combinations that look at other columns or pieces. Their parts carry the negation.
    All(Vec<BoundCondition>),
    Any(Vec<BoundCondition>),
}

/// The rows that a condition looks at.
#[derive(Clone, Copy)]
pub(super) struct AskedRows<'a> {
    /// Maps the index of a text to its row in the batch.
    pub(super) row_of: &'a dyn Fn(usize) -> usize,
    /// The texts of a column or piece with one text for each row.
    pub(super) texts_of: &'a dyn Fn(&BuildPlan) -> Option<Texts<'a>>,
}

impl BoundCondition {
    /// The columns and pieces that it looks at.
    pub(super) fn others(&self) -> Vec<&BuildPlan> {
        match &self.test {
            Test::SameAs { other, .. } => vec![other],
            Test::Text(_) | Test::Unique(_) => Vec::new(),
            Test::All(parts) | Test::Any(parts) => parts.iter().flat_map(BoundCondition::others).collect(),
        }
    }

    pub(super) fn columns(&self) -> impl Iterator<Item = usize> {
        self.others().into_iter().filter_map(|other| if let BuildPlan::Column(column) = other { Some(*column) } else { None })
    }

    pub(super) fn needs_pieces(&self) -> bool {
        self.others().iter().any(|other| matches!(other, BuildPlan::Piece(_)))
    }

    pub(super) fn unique(&self) -> Option<usize> {
        if let Test::Unique(number) = self.test { Some(number) } else { None }
    }

    /// Adds the indices of failing texts. Blank texts pass unless `asks_blank` is set. Returns true if a text passed only because it is
    /// blank; conditions on other rows return false. [`super::memory`] checks the conditions on earlier rows.
    pub(super) fn note_failing(
        &self,
        texts: Texts,
        width: Option<usize>,
        asks_blank: bool,
        rows: AskedRows,
        failing: &mut Vec<u32>,
    ) -> bool {
        match &self.test {
            Test::Text(condition) => condition.note_failing(texts, width, asks_blank, failing),
            Test::Unique(_) => false,
            Test::SameAs { other, any_case, .. } => {
                let others = (rows.texts_of)(other);
                for (index, text) in texts.iter().enumerate() {
                    let is_asked = asks_blank || !is_blank(text);
                    let other = others.map_or("", |others| others.get((rows.row_of)(index)));
                    if is_asked && are_same(text, other, *any_case) == self.negated {
                        failing.push(index as u32);
                    }
                }
                false
            }
            Test::All(parts) => {
                let mut found = Vec::new();
                let mut skips_blank = false;
                for part in parts {
                    skips_blank |= part.note_failing(texts, width, asks_blank, rows, &mut found);
                }
                found.sort_unstable();
                found.dedup();
                failing.append(&mut found);
                skips_blank
            }
            Test::Any(parts) => {
                let mut found: Option<Vec<u32>> = None;
                let mut skips_blank = false;
                for part in parts {
                    let mut of_part = Vec::new();
                    skips_blank |= part.note_failing(texts, width, asks_blank, rows, &mut of_part);
                    found = Some(match found {
                        Some(mut found) => {
                            found.retain(|index| of_part.binary_search(index).is_ok());
                            found
                        }
                        None => of_part,
                    });
                }
                failing.append(&mut found.unwrap_or_default());
                skips_blank
            }
        }
    }

    /// Whether the condition holds for a text of a row. Conditions on other rows hold.
    fn holds(&self, text: &str, row: usize, rows: AskedRows) -> bool {
        match &self.test {
            Test::Text(condition) => condition.holds(text),
            Test::Unique(_) => true,
            Test::SameAs { other, any_case, .. } => are_same(text, other_text(other, row, rows), *any_case) != self.negated,
            Test::All(parts) => parts.iter().all(|part| part.holds(text, row, rows)),
            Test::Any(parts) => parts.iter().any(|part| part.holds(text, row, rows)),
        }
    }

    /// Whether the condition holds for a row without a text.
    pub(super) fn holds_without_text(&self) -> bool {
        match &self.test {
            Test::Text(condition) => condition.holds(""),
            Test::Unique(_) | Test::SameAs { .. } => false,
            Test::All(parts) => parts.iter().all(BoundCondition::holds_without_text),
            Test::Any(parts) => parts.iter().any(BoundCondition::holds_without_text),
        }
    }

    /// Why a text of a row fails. `first` is the earlier row with the same text, for `unique`.
    pub(super) fn violation(&self, text: &str, row: usize, rows: AskedRows, first: Option<&str>) -> Violation {
        match &self.test {
            Test::Text(condition) => condition.violation(text),
            Test::Unique(_) => match first {
                Some(first) => Violation::not_unique(first, false),
                None => Violation::new(ViolationKind::NotAllowed, "no earlier row has it"),
            },
            Test::SameAs { title, .. } if self.negated => {
                Violation::new(ViolationKind::NotAllowed, format!("it is the same as {title}"))
            }
            Test::SameAs { other, title, .. } => {
                Violation::new(ViolationKind::NotTheSame, format!("{title} has \"{}\"", other_text(other, row, rows)))
            }
            Test::All(parts) | Test::Any(parts) => {
                let failing = parts.iter().filter(|part| !part.holds(text, row, rows));
                let mut violations = failing.map(|part| part.violation(text, row, rows, first));
                let first = violations.next().unwrap_or_else(|| Violation::new(ViolationKind::DoesNotFit, ""));
                match self.test {
                    Test::All(_) => first,
                    _ => {
                        let details = violations.map(|violation| violation.detail);
                        let details: Vec<String> = std::iter::once(first.detail).chain(details).collect();
                        Violation::new(ViolationKind::DoesNotFit, details.join("; and "))
                    }
                }
            }
        }
    }

    /// The guarantees about a plain text that passes, unless it is blank.
    pub(super) fn certain(&self) -> Certain {
        if let Test::Text(condition) = &self.test { condition.certain() } else { Certain::default() }
    }
}

fn are_same(text: &str, other: &str, any_case: bool) -> bool {
    if any_case { fold(text) == fold(other) } else { text == other }
}

fn other_text<'a>(other: &BuildPlan, row: usize, rows: AskedRows<'a>) -> &'a str {
    (rows.texts_of)(other).map_or("", |texts| texts.get(row))
}

/// The texts of a column, before pieces are known.
pub(super) fn column_of<'t>(of: &BuildPlan, batch: &Batch<'t>) -> Option<Texts<'t>> {
    if let BuildPlan::Column(column) = of { Some(batch.column(*column)) } else { None }
}
