//! Runs of a program with a record of each step.

use std::ops::Range;

use super::one::Scratch;
use super::op::{FinishOp, Op, OpAt, Program};
use super::results::Results;
use super::run::Observer;
use super::state::State;
use crate::batch::{Mask, Texts};
use crate::phrase::ast::Span;

/// The record of a run on one value.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Trace {
    /// The branches that were tried; the last one gave the results.
    pub branches: Vec<BranchTrace>,
    pub results: Vec<TracedText>,
    pub state: State,
    /// The byte ranges of the value from which the results were cut, before any finish changed them. Empty for a missing or literal
    /// result.
    pub taken: Vec<Range<usize>>,
}

/// One branch that was tried.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BranchTrace {
    pub span: Span,
    /// Whether it follows `else`.
    pub is_else: bool,
    /// Its steps up to the one without a result; empty for a literal.
    pub steps: Vec<StepTrace>,
    pub literal: Option<String>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StepTrace {
    pub span: Span,
    pub before: Vec<TracedText>,
    /// Its output; empty if it found no result.
    pub after: Vec<TracedText>,
    /// The state of the branch after it.
    pub state: State,
    /// Whether it is a condition. It holds if the output is not empty.
    pub is_condition: bool,
    /// Why a lookup gave nothing, as a sentence without a full stop.
    pub why: Option<String>,
}

/// A text, and its byte range in the value until a finish changes it.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct TracedText {
    pub text: String,
    pub in_value: Option<Range<usize>>,
}

impl StepTrace {
    /// The byte ranges of the value that the step returned; empty for a condition.
    pub fn marked(&self) -> Vec<Range<usize>> {
        let after = if self.is_condition { &[][..] } else { &self.after };
        after.iter().filter_map(|seen| seen.in_value.clone()).collect()
    }
}

struct Recorder<'v> {
    value: &'v str,
    branches: Vec<BranchTrace>,
}

impl Observer for Recorder<'_> {
    const LOOKS: bool = true;

    fn branch(&mut self, span: &Span, is_else: bool) {
        self.branches.push(BranchTrace { span: span.clone(), is_else, steps: Vec::new(), literal: None });
    }

    fn gate(&mut self, span: &Span, is_open: bool) {
        let Some(branch) = self.branches.last_mut() else { return };
        let whole = TracedText { text: self.value.to_owned(), in_value: Some(0..self.value.len()) };
        let after = if is_open { vec![whole.clone()] } else { Vec::new() };
        if branch.steps.last().is_none_or(|last| !last.after.is_empty()) {
            branch.steps.push(StepTrace {
                span: span.clone(),
                before: vec![whole],
                after,
                state: State::default(),
                is_condition: true,
                why: None,
            });
        }
    }

    fn gave(&mut self, OpAt { span, op, .. }: &OpAt, results: &Results, values: Texts, state: State) {
        let Some(branch) = self.branches.last_mut() else { return };
        let texts = results.texts(values);
        let all_empty = texts.iter().all(str::is_empty);
        let seen = |item: usize| {
            let text = texts.get(item);
            TracedText { text: text.to_owned(), in_value: results.place(0, item, values, text) }
        };
        let after: Vec<TracedText> = if all_empty { Vec::new() } else { (0..texts.len()).map(seen).collect() };
        match branch.steps.last_mut() {
            // A step after a missing result does nothing.
            Some(last) if last.after.is_empty() => {}
            // A step of two operations is shown as one.
            Some(last) if last.span == *span => (last.after, last.state) = (after, state),
            last => {
                let whole = || TracedText { text: self.value.to_owned(), in_value: Some(0..self.value.len()) };
                let before = last.map_or_else(|| vec![whole()], |last| last.after.clone());
                let is_condition = matches!(op, Op::If(_));
                let why = match (op, before.as_slice()) {
                    (Op::Finish(FinishOp::Lookup(table)), [only]) if after.is_empty() => Some(table.why_missing(&only.text)),
                    _ => None,
                };
                branch.steps.push(StepTrace { span: span.clone(), before, after, state, is_condition, why });
            }
        }
    }

    fn literal(&mut self, text: &str) {
        if let Some(branch) = self.branches.last_mut() {
            branch.literal = Some(text.to_owned());
        }
    }
}

impl Program {
    /// Runs the program on `value` like [`Program::cut`], with a record of each step.
    ///
    /// ```
    /// use keen_notch_core::{phrase::Phrase, program::Program, text::unit::Unit};
    ///
    /// let program = Program::new(&Phrase::parse("after \"-\" then upper")?, Unit::Characters)?;
    /// let trace = program.trace("grp-s7");
    /// assert_eq!(trace.branches[0].steps.len(), 2);
    /// assert_eq!((trace.results[0].text.as_str(), trace.taken[0].clone()), ("S7", 4..6));
    /// # Ok::<(), keen_notch_core::phrase::PhraseError>(())
    /// ```
    pub fn trace(&self, value: &str) -> Trace {
        self.trace_row(value, 1)
    }

    /// The same for the value of the row with this number.
    pub fn trace_row(&self, value: &str, number: u64) -> Trace {
        self.trace_where(value, number, &[])
    }

    /// The same in a table. `closed` says of each gate whether it does not hold.
    pub(crate) fn trace_where(&self, value: &str, number: u64, closed: &[bool]) -> Trace {
        let mut recorder = Recorder { value, branches: Vec::new() };
        let mut scratch = Scratch::of_row(number);
        let mask = |is_closed: &bool| {
            let mut mask = Mask::default();
            if *is_closed {
                mask.fill(1);
            }
            mask
        };
        let closed: Vec<Mask> = closed.iter().map(mask).collect();
        self.observe_one(value, &closed, &mut scratch, &mut recorder);
        let (branches, state) = (recorder.branches, scratch.results.state(0));
        let winner = if state.is_there() { branches.last() } else { None };
        let results = winner.map(|branch| match &branch.literal {
            Some(text) => vec![TracedText { text: text.clone(), in_value: None }],
            None => branch.steps.last().map(|step| step.after.clone()).unwrap_or_default(),
        });
        let marked =
            winner.and_then(|branch| branch.steps.iter().rev().map(StepTrace::marked).find(|marked| !marked.is_empty()));
        // A branch of conditions alone takes the whole value.
        let is_whole =
            winner.is_some_and(|branch| branch.literal.is_none() && branch.steps.iter().all(|step| step.is_condition));
        let taken = if is_whole { std::iter::once(0..value.len()).collect() } else { marked.unwrap_or_default() };
        Trace { results: results.unwrap_or_default(), taken, state, branches }
    }
}
