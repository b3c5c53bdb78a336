//! Conditions bound to a table: on a text, on another column, or on earlier rows.

use crate::batch::{Batch, Texts};
use crate::check::{Violation, ViolationKind};
use crate::program::ConditionPlan;
use crate::text::blank::is_blank;

#[derive(Debug)]
pub(super) struct BoundCondition {
    pub(super) test: Test,
    pub(super) negated: bool,
}

#[derive(Debug)]
pub(super) enum Test {
    Text(ConditionPlan),
    Unique(usize),
    SameAs { column: usize, title: String },
}

impl BoundCondition {
    pub(super) fn column(&self) -> Option<usize> {
        match self.test {
            Test::SameAs { column, .. } => Some(column),
            Test::Text(_) | Test::Unique(_) => None,
        }
    }

    pub(super) fn unique(&self) -> Option<usize> {
        if let Test::Unique(number) = self.test { Some(number) } else { None }
    }

    /// Adds the indices of failing texts. Blank texts pass unless `asks_blank` is set. Returns true if a text passed only because it is
    /// blank; conditions on other rows return false. `row_of` maps a text to its row. [`super::memory`] checks the conditions on earlier
    /// rows.
    pub(super) fn note_failing(
        &self,
        texts: Texts,
        width: Option<usize>,
        asks_blank: bool,
        (batch, row_of): (&Batch, &dyn Fn(usize) -> usize),
        failing: &mut Vec<u32>,
    ) -> bool {
        match &self.test {
            Test::Text(condition) => condition.note_failing(texts, width, asks_blank, failing),
            Test::Unique(_) => false,
            Test::SameAs { column, .. } => {
                let others = batch.column(*column);
                for (index, text) in texts.iter().enumerate() {
                    let is_asked = asks_blank || !is_blank(text);
                    if is_asked && (text == others.get(row_of(index))) == self.negated {
                        failing.push(index as u32);
                    }
                }
                false
            }
        }
    }

    /// Why a text of a row fails. `first` is the earlier row with the same text, for `unique`.
    pub(super) fn violation(&self, text: &str, row: usize, batch: &Batch, first: Option<&str>) -> Violation {
        match &self.test {
            Test::Text(condition) => condition.violation(text),
            Test::Unique(_) => match first {
                Some(first) => Violation::new(ViolationKind::NotUnique, format!("{first} has it too")),
                None => Violation::new(ViolationKind::NotAllowed, "no earlier row has it"),
            },
            Test::SameAs { title, .. } if self.negated => {
                Violation::new(ViolationKind::NotAllowed, format!("it is the same as {title}"))
            }
            Test::SameAs { column, title } => {
                Violation::new(ViolationKind::NotTheSame, format!("{title} has \"{}\"", batch.value(*column, row)))
            }
        }
    }

    /// Whether a plain text that passes consists of digits (`true`) or has none (`false`), if that is certain.
    pub(super) fn gives_digits(&self) -> Option<bool> {
        if let Test::Text(condition) = &self.test { condition.gives_digits() } else { None }
    }
}
