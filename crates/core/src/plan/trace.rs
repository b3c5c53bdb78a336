//! A run of a plan, step by step, for people to look at.

use std::ops::Range;

use super::cut::{Held, Observer, Scratch};
use super::op::Plan;
use super::state::State;
use crate::phrase::ast::Span;

/// What a plan did with one value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Trace {
    /// The branches that were tried; the last of them gave the result, if there is one.
    pub branches: Vec<BranchTrace>,
    /// The piece, if it is not missing.
    pub result: Option<Seen>,
    /// What became of it.
    pub state: State,
    /// The part of the value that the result was cut from, in bytes: the last one that no finish had
    /// changed yet. `None` where the piece is missing or a literal.
    pub taken: Option<Range<usize>>,
}

/// One branch that was tried.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BranchTrace {
    /// Where the branch stands in the phrase.
    pub span: Span,
    /// Its steps up to the one that gave nothing; empty for a literal.
    pub steps: Vec<StepTrace>,
    /// The text of a literal branch.
    pub literal: Option<String>,
}

/// One step that was run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StepTrace {
    /// Where the step stands in the phrase.
    pub span: Span,
    /// What reached it.
    pub before: Seen,
    /// What it gave; `None` where nothing was left.
    pub after: Option<Seen>,
    /// The state after it, as far as the branch had come.
    pub state: State,
}

/// A text, and the range of the value it is, in bytes, as long as no finish changed it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Seen {
    /// The text.
    pub text: String,
    /// Where in the value it stands.
    pub in_value: Option<Range<usize>>,
}

impl Seen {
    fn new((held, text): (&Held, &str)) -> Seen {
        let in_value = if let Held::Value(range) = held { Some(range.clone()) } else { None };
        Seen { text: text.to_owned(), in_value }
    }
}

#[derive(Default)]
struct Recorder {
    branches: Vec<BranchTrace>,
}

impl Observer for Recorder {
    fn branch(&mut self, span: &Span) {
        self.branches.push(BranchTrace { span: span.clone(), steps: Vec::new(), literal: None });
    }

    fn step(&mut self, span: &Span, before: (&Held, &str), after: Option<(&Held, &str)>, state: State) {
        if let Some(branch) = self.branches.last_mut() {
            let (before, after) = (Seen::new(before), after.map(Seen::new));
            branch.steps.push(StepTrace { span: span.clone(), before, after, state });
        }
    }

    fn literal(&mut self, text: &str) {
        if let Some(branch) = self.branches.last_mut() {
            branch.literal = Some(text.to_owned());
        }
    }
}

impl Plan {
    /// Runs the plan on `value` as [`Plan::cut`] does, and keeps what each step did.
    pub fn trace(&self, value: &str) -> Trace {
        let mut recorder = Recorder::default();
        let (held, state) = self.run(value, &mut Scratch::default(), &mut recorder);
        let branches = recorder.branches;
        let winner = if held.is_some() { branches.last() } else { None };
        let result = winner.and_then(|branch| match &branch.literal {
            Some(text) => Some(Seen { text: text.clone(), in_value: None }),
            None => branch.steps.last()?.after.clone(),
        });
        let taken = winner.and_then(|branch| branch.steps.iter().rev().find_map(|step| step.after.as_ref()?.in_value.clone()));
        Trace { result, state, taken, branches }
    }
}
