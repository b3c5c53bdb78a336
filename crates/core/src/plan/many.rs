//! Running a plan on many plain values at once.
//!
//! What a phrase does is looked up once, and its first cut runs from value to value with nothing in between.
//! [`super::cut`] says what is right for one value, and a property of [`super::quick`] holds the two together.

use super::cut::Scratch;
use super::op::{BodyPlan, BranchPlan, Plan};
use super::quick::{Quick, QuickFinish};
use super::state::State;
use crate::text::lanes::Extent;
use crate::text::sheet::Sheet;

/// The first results of a plan on many values.
#[derive(Debug, Default)]
pub struct CutColumn {
    extents: Vec<Extent>,
    states: Vec<State>,
    made: Sheet,
    /// Whether the results stand on the sheet, and not in the text that the values stand in.
    is_made: bool,
    /// Whether all results are known to be plain, as the values are.
    are_plain: bool,
}

impl CutColumn {
    /// Where each result stands in [`CutColumn::source`]; empty where it is missing.
    pub fn extents(&self) -> &[Extent] {
        &self.extents
    }

    /// What became of each.
    pub fn states(&self) -> &[State] {
        &self.states
    }

    /// The bytes that the results stand in, of those that the values stand in.
    pub fn source<'a>(&'a self, text: &'a [u8]) -> &'a [u8] {
        if self.is_made { self.made.bytes() } else { text }
    }

    /// Whether all results are parts of their values as they stand.
    pub fn are_parts(&self) -> bool {
        !self.is_made
    }

    /// Whether all results are known to be plain texts.
    pub(crate) fn are_plain(&self) -> bool {
        self.are_plain
    }

    /// A result as a text of its own.
    pub fn text(&self, text: &str, index: usize) -> String {
        let bytes = self.extents.get(index).map_or(&b""[..], |extent| extent.bytes(self.source(text.as_bytes())));
        String::from_utf8_lossy(bytes).into_owned()
    }
}

impl Plan {
    /// Cuts the pieces out of values that stand in `text` at these places and are plain (see
    /// [`crate::text::characters::is_plain`]).
    pub(crate) fn cut_many(&self, text: &str, values: &[Extent], scratch: &mut Scratch, out: &mut CutColumn) {
        out.extents.resize(values.len(), Extent::default());
        out.states.resize(values.len(), State::default());
        out.made.clear();
        out.is_made = true;
        out.are_plain = true;
        match &*self.branches {
            [BranchPlan { quick: Some(quick), body: BodyPlan::Ops(ops), .. }] if ops.len() == 1 => {
                out.is_made = false;
                quick.cut_all(text.as_bytes(), values, &mut out.extents, &mut out.states);
            }
            [BranchPlan { quick: Some(quick), quick_finish: Some(finish), .. }] => {
                quick_and_finish(quick, finish, text.as_bytes(), values, out);
            }
            _ => self.cut_each(text, values, scratch, out),
        }
    }

    /// The way of all plans: one value after another.
    fn cut_each(&self, text: &str, values: &[Extent], scratch: &mut Scratch, out: &mut CutColumn) {
        // Literals and what texts are filled up with may be anything.
        out.are_plain = false;
        for (value, (extent, state)) in values.iter().zip(out.extents.iter_mut().zip(&mut out.states)) {
            let value = value.text(text);
            scratch.clear();
            let outcome = self.run_plain(value, scratch);
            let start = out.made.width();
            if let Some(held) = outcome.held(0, scratch) {
                out.made.extend(self.text(held, value, scratch).as_bytes());
            }
            *extent = Extent::new(start, out.made.width());
            *state = outcome.state;
        }
    }
}

fn quick_and_finish(quick: &Quick, finish: &QuickFinish, text: &[u8], values: &[Extent], out: &mut CutColumn) {
    quick.cut_all(text, values, &mut out.extents, &mut out.states);
    for (extent, state) in out.extents.iter_mut().zip(&mut out.states) {
        let start = out.made.width();
        if !extent.is_empty() {
            finish.write(text, *extent, state, &mut out.made);
        }
        *extent = Extent::new(start, out.made.width());
    }
}
