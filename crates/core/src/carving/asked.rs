//! Conditions as a row is asked them: of a text alone, of another column too, or of the rows before.

use crate::check::seen::Seen;
use crate::check::{Violation, ViolationKind};
use crate::program::ConditionPlan;

/// What has to be known of the rows before: one for a run, asked in the order of the rows.
#[derive(Debug, Default)]
pub struct Memory {
    seen: Vec<Seen>,
}

impl Memory {
    /// Notes some texts of a row in one of the memory's places; gives the row they were seen in first, if it
    /// is another.
    pub(super) fn note<'a>(&mut self, place: usize, texts: impl IntoIterator<Item = &'a str>, row: u64) -> Option<u64> {
        if self.seen.len() <= place {
            self.seen.resize_with(place + 1, Seen::default);
        }
        self.seen[place].note(texts, row)
    }
}

/// A condition as a row is asked it.
#[derive(Debug)]
pub(super) struct Asked {
    pub(super) test: Test,
    pub(super) negated: bool,
}

/// What a condition looks at.
#[derive(Debug)]
pub(super) enum Test {
    /// The text alone; `not` is in the plan.
    Text(ConditionPlan),
    /// The texts of the rows before, in a place of the memory.
    Unique(usize),
    /// Another column of the row.
    SameAs { column: usize, title: String },
}

impl Asked {
    /// The other column it looks at.
    pub(super) fn column(&self) -> Option<usize> {
        match self.test {
            Test::SameAs { column, .. } => Some(column),
            Test::Text(_) | Test::Unique(_) => None,
        }
    }

    /// Whether the text meets it in its row; what asks of the rows before is refused where there are none.
    pub(super) fn holds_in_row<'a>(&self, text: &str, value: &impl Fn(usize) -> &'a str) -> bool {
        match &self.test {
            Test::Text(condition) => condition.holds(text),
            Test::SameAs { column, .. } => (text == value(*column)) != self.negated,
            Test::Unique(_) => true,
        }
    }

    /// Why the text does not meet it; `None` where it does. A blank is like no other.
    pub(super) fn violation<'a>(
        &self,
        text: &str,
        value: &impl Fn(usize) -> &'a str,
        row: u64,
        memory: &mut Memory,
    ) -> Option<Violation> {
        match &self.test {
            Test::Text(condition) => (!condition.holds(text)).then(|| condition.violation(text)),
            Test::Unique(_) if text.is_empty() => None,
            Test::Unique(place) => match (memory.note(*place, [text], row), self.negated) {
                (Some(first), false) => Some(Violation::new(ViolationKind::NotUnique, format!("it stands in row {first} too"))),
                (None, true) => Some(Violation::new(ViolationKind::NotAllowed, "no row before has it")),
                _ => None,
            },
            Test::SameAs { column, title } => match (text == value(*column), self.negated) {
                (false, false) => {
                    Some(Violation::new(ViolationKind::NotTheSame, format!("{title} has \"{}\"", value(*column))))
                }
                (true, true) => Some(Violation::new(ViolationKind::NotAllowed, format!("it is the same as {title}"))),
                _ => None,
            },
        }
    }
}
