//! Conditions as rows are asked them: of a text alone, of another column too, or of the rows before.

use crate::batch::{Batch, Texts};
use crate::check::{Violation, ViolationKind};
use crate::program::ConditionPlan;
use crate::text::blank::is_blank;

/// A condition bound to the columns of a table.
#[derive(Debug)]
pub(super) struct BoundCondition {
    pub(super) test: Test,
    pub(super) negated: bool,
}

/// What a condition depends on.
#[derive(Debug)]
pub(super) enum Test {
    /// The text alone; `not` is in the plan.
    Text(ConditionPlan),
    /// The texts of the rows before. What is asked of them in a run has numbers, from 0.
    Unique(usize),
    /// Another column of the row.
    SameAs { column: usize, title: String },
}

impl BoundCondition {
    /// The other column it depends on.
    pub(super) fn column(&self) -> Option<usize> {
        match self.test {
            Test::SameAs { column, .. } => Some(column),
            Test::Text(_) | Test::Unique(_) => None,
        }
    }

    /// The number of what is asked of the rows before, if anything is.
    pub(super) fn unique(&self) -> Option<usize> {
        if let Test::Unique(number) = self.test { Some(number) } else { None }
    }

    /// Adds the indices of failing texts. Blank texts pass unless `asks_blank` is set. Returns true if a text passed only because it is
    /// blank; conditions on other rows return false. `row_of` maps a text to its row. Conditions on earlier rows are checked in
    /// [`super::memory`].
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

    /// Why a text of a row does not meet it. `first` names the row with the same text before it, where it is asked that.
    pub(super) fn violation(&self, text: &str, row: usize, batch: &Batch, first: Option<&str>) -> Violation {
        match &self.test {
            Test::Text(condition) => condition.violation(text),
            Test::Unique(_) => match first {
                Some(first) => Violation::new(ViolationKind::NotUnique, format!("{first} has it too")),
                None => Violation::new(ViolationKind::NotAllowed, "no row before has it"),
            },
            Test::SameAs { title, .. } if self.negated => {
                Violation::new(ViolationKind::NotAllowed, format!("it is the same as {title}"))
            }
            Test::SameAs { column, title } => {
                Violation::new(ViolationKind::NotTheSame, format!("{title} has \"{}\"", batch.value(*column, row)))
            }
        }
    }

    /// Whether a plain text that meets it consists of digits (`true`) or has none (`false`), where that is sure.
    pub(super) fn gives_digits(&self) -> Option<bool> {
        if let Test::Text(condition) = &self.test { condition.gives_digits() } else { None }
    }
}
