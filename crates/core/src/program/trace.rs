//! A run of a plan, step by step, for people to look at.

use std::ops::Range;

use super::cut::{Held, Observer, Scratch};
use super::op::Program;
use super::state::State;
use crate::phrase::ast::Span;

/// What a plan did with one value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Trace {
    /// The branches that were tried; the last of them gave the results, if there are any.
    pub branches: Vec<BranchTrace>,
    /// The results; none where the piece is missing.
    pub results: Vec<Seen>,
    /// What became of it.
    pub state: State,
    /// The parts of the value that the results were cut from, in bytes: the last ones that no finish had
    /// changed yet. None where the piece is missing or a literal.
    pub taken: Vec<Range<usize>>,
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
    pub before: Vec<Seen>,
    /// What it gave; nothing where nothing was left.
    pub after: Vec<Seen>,
    /// The state after it, as far as the branch had come.
    pub state: State,
}

/// A text, and the range of the value it is, in bytes, as long as no finish changed it.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Seen {
    /// The text; empty for an empty result among several.
    pub text: String,
    /// Where in the value it stands.
    pub in_value: Option<Range<usize>>,
}

impl Seen {
    fn new(shown: &Option<(Held, &str)>) -> Seen {
        match shown {
            None => Seen::default(),
            Some((Held::Value(start, end), text)) => Seen { text: (*text).to_owned(), in_value: Some(*start..*end) },
            Some((_, text)) => Seen { text: (*text).to_owned(), in_value: None },
        }
    }
}

impl StepTrace {
    /// The parts of the value that the step gave.
    pub fn marked(&self) -> Vec<Range<usize>> {
        self.after.iter().filter_map(|seen| seen.in_value.clone()).collect()
    }
}

#[derive(Default)]
struct Recorder {
    branches: Vec<BranchTrace>,
}

impl Observer for Recorder {
    const LOOKS: bool = true;

    fn branch(&mut self, span: &Span) {
        self.branches.push(BranchTrace { span: span.clone(), steps: Vec::new(), literal: None });
    }

    fn reached(&mut self, span: &Span, before: &[Option<(Held, &str)>]) {
        let Some(branch) = self.branches.last_mut() else { return };
        // One step that is two operations is one step to its reader.
        if branch.steps.last().is_none_or(|last| last.span != *span) {
            let before = before.iter().map(Seen::new).collect();
            branch.steps.push(StepTrace { span: span.clone(), before, after: Vec::new(), state: State::default() });
        }
    }

    fn gave(&mut self, after: &[Option<(Held, &str)>], state: State) {
        if let Some(step) = self.branches.last_mut().and_then(|branch| branch.steps.last_mut()) {
            (step.after, step.state) = (after.iter().map(Seen::new).collect(), state);
        }
    }

    fn literal(&mut self, text: &str) {
        if let Some(branch) = self.branches.last_mut() {
            branch.literal = Some(text.to_owned());
        }
    }
}

impl Program {
    /// Runs the plan on `value` as [`Program::cut`] does, and keeps what each step did.
    pub fn trace(&self, value: &str) -> Trace {
        let mut recorder = Recorder::default();
        let outcome = self.run_seen(value, &mut Scratch::default(), &mut recorder);
        let branches = recorder.branches;
        let winner = if outcome.count() > 0 { branches.last() } else { None };
        let results = winner.map(|branch| match &branch.literal {
            Some(text) => vec![Seen { text: text.clone(), in_value: None }],
            None => branch.steps.last().map(|step| step.after.clone()).unwrap_or_default(),
        });
        let marked =
            winner.and_then(|branch| branch.steps.iter().rev().map(StepTrace::marked).find(|marked| !marked.is_empty()));
        Trace { results: results.unwrap_or_default(), taken: marked.unwrap_or_default(), state: outcome.state, branches }
    }
}
