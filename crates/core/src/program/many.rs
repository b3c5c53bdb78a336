//! Running a plan on many plain values at once.
//!
//! What a phrase does is looked up once, and its first cut runs from value to value with nothing in between.
//! [`super::cut`] says what is right for one value, and a property of [`super::quick`] holds the two together.

use super::cut::Scratch;
use super::hits::Hits;
use super::op::{BodyPlan, BranchPlan, Program};
use super::quick::{Quick, QuickFinish};
use super::state::State;
use crate::text::buffer::Buffer;
use crate::text::simd::Span;

/// Many values.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Many<'a> {
    /// The text that they stand in.
    pub(crate) text: &'a str,
    /// Where they stand in it.
    pub(crate) spans: &'a [Span],
    /// Where the byte stands that the plan looks for, if that is known.
    pub(crate) hits: Option<&'a Hits>,
}

/// The first results of a plan on many values.
#[derive(Debug, Default)]
pub struct CutColumn {
    spans: Vec<Span>,
    /// What became of each; none where all are filled.
    states: Vec<State>,
    /// How wide all of them are, where that is known from the cut.
    width: Option<usize>,
    /// Whether all that are not missing are of digits only (`true`) or none has any (`false`), where that is known from
    /// the cut or from a check.
    are_digits: Option<bool>,
    buffer: Buffer,
    made: Made,
}

/// What results are made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Made {
    /// They are parts of their values as they stand.
    #[default]
    Parts,
    /// Parts in another case, or filled up with a byte, on a buffer of their own.
    Changed(Option<u8>),
    /// Anything, on a buffer of their own.
    Anew,
}

impl CutColumn {
    /// Where each result stands in [`CutColumn::source`]; empty where it is missing.
    pub fn spans(&self) -> &[Span] {
        &self.spans
    }

    /// What became of one of them.
    pub fn state(&self, index: usize) -> State {
        self.states.get(index).copied().unwrap_or_default()
    }

    /// Whether all of them are filled.
    pub(crate) fn are_filled(&self) -> bool {
        self.states.is_empty()
    }

    /// How wide all of them are, where that is known from the cut.
    pub(crate) fn width(&self) -> Option<usize> {
        self.width
    }

    /// Whether all that are not missing are of digits only (`true`), or none has any (`false`), where that is known.
    pub(crate) fn are_digits(&self) -> Option<bool> {
        self.are_digits
    }

    /// Takes down what a check has found of the digits of all results that are not missing.
    pub(crate) fn note_digits(&mut self, are_digits: bool) {
        self.are_digits = Some(are_digits);
    }

    /// The bytes that the results stand in, of those that the values stand in.
    pub fn source<'a>(&'a self, text: &'a [u8]) -> &'a [u8] {
        if self.made == Made::Parts { text } else { self.buffer.bytes() }
    }

    /// What the results are made of.
    pub fn made(&self) -> Made {
        self.made
    }

    /// Whether all results are known to be plain texts, as the values are.
    pub(crate) fn are_plain(&self) -> bool {
        self.made != Made::Anew
    }

    /// A result as a text of its own.
    pub fn text(&self, text: &str, index: usize) -> String {
        let bytes = self.spans.get(index).map_or(&b""[..], |span| span.bytes(self.source(text.as_bytes())));
        String::from_utf8_lossy(bytes).into_owned()
    }
}

impl Program {
    /// The byte that the plan looks for first, where it may be told where that stands.
    pub(crate) fn looks_for(&self) -> Option<u8> {
        match &*self.branches {
            [BranchPlan { quick: Some(quick), body: BodyPlan::Ops(ops), quick_finish, .. }]
                if ops.len() == 1 || quick_finish.is_some() =>
            {
                quick.looks_for()
            }
            _ => None,
        }
    }

    /// Cuts the pieces out of values that are plain (see [`crate::text::characters::is_plain`]).
    pub(crate) fn cut_many(&self, values: Many, scratch: &mut Scratch, out: &mut CutColumn) {
        out.spans.resize(values.spans.len(), Span::default());
        out.states.clear();
        (out.width, out.are_digits) = (None, None);
        out.buffer.clear();
        match &*self.branches {
            [BranchPlan { quick: Some(quick), body: BodyPlan::Ops(ops), .. }] if ops.len() == 1 => {
                out.made = Made::Parts;
                cut_quickly(quick, values, out);
                out.width = quick.width().filter(|_| out.are_filled());
                out.are_digits = quick.gives_digits().then_some(true);
            }
            [BranchPlan { quick: Some(quick), quick_finish: Some(finish), .. }] => {
                out.made = Made::Changed(finish.adds());
                cut_quickly(quick, values, out);
                finish_quickly(finish, values.text.as_bytes(), out);
            }
            _ => {
                out.made = Made::Anew;
                self.cut_each(values.text, values.spans, scratch, out);
            }
        }
    }

    /// The way of all plans: one value after another.
    fn cut_each(&self, text: &str, values: &[Span], scratch: &mut Scratch, out: &mut CutColumn) {
        for (value, span) in values.iter().zip(&mut out.spans) {
            let value = value.text(text);
            scratch.clear();
            let outcome = self.run_plain(value, scratch);
            let start = out.buffer.width();
            if let Some(held) = outcome.held(0, scratch) {
                out.buffer.extend(self.text(held, value, scratch).as_bytes());
            }
            *span = Span::new(start, out.buffer.width());
            out.states.push(outcome.state);
        }
        if out.states.iter().all(|state| state.is_filled()) {
            out.states.clear();
        }
    }
}

fn cut_quickly(quick: &Quick, Many { text, spans, hits }: Many, out: &mut CutColumn) {
    let text = text.as_bytes();
    let by_hits = hits.and_then(|hits| quick.cut_all_by(hits, spans, &mut out.spans));
    if !by_hits.unwrap_or_else(|| quick.cut_all(text, spans, &mut out.spans)) {
        quick.states(text, spans, &mut out.states);
    }
}

fn finish_quickly(finish: &QuickFinish, text: &[u8], out: &mut CutColumn) {
    if out.spans.iter().any(|span| finish.is_long(*span)) {
        out.states.resize(out.spans.len(), State::default());
        out.states.iter_mut().zip(&out.spans).for_each(|(state, span)| state.long = finish.is_long(*span));
    }
    finish.write_all(text, &mut out.spans, &mut out.buffer);
}
