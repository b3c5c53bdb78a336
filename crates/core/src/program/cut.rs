//! Running a plan on a value.

use std::fmt::Write as _;
use std::ops::Range;

use super::finish::{self, Padded};
use super::op::{BodyPlan, BranchPlan, FinishOp, Op, Program, TellOp};
use super::pattern::Slots;
use super::state::State;
use crate::decimal;
use crate::phrase::ast::Span;
use crate::text::unit::Unit;

/// The result of a plan on one value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Cut<'a> {
    /// The piece; empty where it is missing.
    pub text: &'a str,
    /// What became of it.
    pub state: State,
}

/// Several results of a plan on one value.
#[derive(Debug)]
pub struct Cuts<'a> {
    /// The results from left to right; one of them may be empty.
    pub texts: Vec<&'a str>,
    /// What became of them together.
    pub state: State,
}

/// Room for the texts that finishes make and for lists of results, reused from row to row so that no row
/// allocates. What it holds stays good until it is cleared.
#[derive(Debug, Default)]
pub struct Scratch {
    /// Made texts, one behind the other.
    pub(crate) made: String,
    /// Lists of results, one behind the other.
    list: Vec<Option<Held>>,
    /// A made text on its way into the next finish.
    spare: String,
    slots: Slots,
}

impl Scratch {
    /// Forgets all texts and lists, and keeps the room.
    pub fn clear(&mut self) {
        self.made.clear();
        self.list.clear();
    }
}

/// Where a text is held.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Held {
    /// A range of the value, which no finish has changed.
    Value(usize, usize),
    /// A range of the made texts.
    Made(usize, usize),
    /// The literal of a branch.
    Literal(usize),
}

/// What a plan came to, with its texts held in the value and the scratch.
#[derive(Debug, Clone, Default)]
pub struct Outcome {
    /// The results; none where the piece is missing.
    pub(crate) results: Results,
    /// What became of it.
    pub state: State,
}

/// Results on their way through a plan.
#[derive(Debug, Clone, Default)]
pub(crate) enum Results {
    #[default]
    None,
    One(Held),
    /// A range of the scratch's list.
    Several(Range<usize>),
}

impl Outcome {
    pub(crate) const MISSING: Outcome = Outcome { results: Results::None, state: State::MISSING };

    /// One result, a range of the value.
    pub(crate) fn cut(range: Range<usize>) -> Outcome {
        if range.is_empty() {
            return Outcome::MISSING;
        }
        Outcome { results: Results::One(Held::Value(range.start, range.end)), state: State::default() }
    }

    /// One result, held in the made texts.
    pub(crate) fn made(start: usize, end: usize, state: State) -> Outcome {
        Outcome { results: Results::One(Held::Made(start, end)), state }
    }

    /// The number of results.
    pub fn count(&self) -> usize {
        match &self.results {
            Results::None => 0,
            Results::One(_) => 1,
            Results::Several(range) => range.len(),
        }
    }

    /// Where the result `index` from 0 is held; `None` where it is empty or not there.
    pub fn held(&self, index: usize, scratch: &Scratch) -> Option<Held> {
        match &self.results {
            Results::One(held) if index == 0 => Some(*held),
            Results::Several(range) if index < range.len() => scratch.list.get(range.start + index).copied().flatten(),
            _ => None,
        }
    }
}

/// Sees each step of a run; the run itself pays nothing for one that does not look.
pub(super) trait Observer {
    /// A branch begins.
    fn branch(&mut self, _span: &Span) {}
    /// A step is reached by these texts.
    fn reached(&mut self, _span: &Span, _before: &[Option<(Held, &str)>]) {}
    /// The step that was reached last gave these.
    fn gave(&mut self, _after: &[Option<(Held, &str)>], _state: State) {}
    /// A literal branch gave its text.
    fn literal(&mut self, _text: &str) {}
    /// Whether it looks at all.
    const LOOKS: bool;
}

/// The observer that does not look.
struct Unobserved;
impl Observer for Unobserved {
    const LOOKS: bool = false;
}

impl Program {
    /// Cuts the piece out of `value`: the first result, where the phrase gives several. Allocates only while
    /// `scratch` has not yet grown to its size.
    pub fn cut<'a>(&'a self, value: &'a str, scratch: &'a mut Scratch) -> Cut<'a> {
        scratch.clear();
        let outcome = self.run(value, scratch);
        Cut { text: outcome.held(0, scratch).map_or("", |held| self.text(held, value, scratch)), state: outcome.state }
    }

    /// Cuts all results out of `value`.
    pub fn cut_all<'a>(&'a self, value: &'a str, scratch: &'a mut Scratch) -> Cuts<'a> {
        scratch.clear();
        let outcome = self.run(value, scratch);
        let texts =
            (0..outcome.count()).map(|index| outcome.held(index, scratch).map_or("", |held| self.text(held, value, scratch)));
        Cuts { texts: texts.collect(), state: outcome.state }
    }

    /// Runs the plan on `value`; the results are held in it and behind what `scratch` holds already.
    pub fn run(&self, value: &str, scratch: &mut Scratch) -> Outcome {
        self.run_seen(value, scratch, &mut Unobserved)
    }

    /// The same as [`Program::run`], for a value that is plain (see [`crate::text::characters::is_plain`]).
    #[inline]
    pub(crate) fn run_plain(&self, value: &str, scratch: &mut Scratch) -> Outcome {
        let Some((BranchPlan { quick: Some(quick), body: BodyPlan::Ops(ops), .. }, rest)) = self.branches.split_first() else {
            return self.run(value, scratch);
        };
        if u32::try_from(value.len()).is_err() {
            return self.run(value, scratch);
        }
        let mut state = State::default();
        if let Some((start, end)) = quick.cut(value, &mut state) {
            let mut results = Results::One(Held::Value(start, end));
            for at in &ops[1..] {
                results = at.op.apply(results, value, self.unit, scratch, &mut state);
                if matches!(results, Results::None) {
                    break;
                }
            }
            if !matches!(results, Results::None) {
                return Outcome { results, state };
            }
        }
        if rest.is_empty() { Outcome::MISSING } else { self.run_from(1, value, scratch, &mut Unobserved) }
    }

    /// The text that is held, of the value the plan was run on.
    #[inline]
    pub fn text<'a>(&'a self, held: Held, value: &'a str, scratch: &'a Scratch) -> &'a str {
        match held {
            Held::Value(start, end) => &value[start..end],
            Held::Made(start, end) => &scratch.made[start..end],
            Held::Literal(branch) => match &self.branches[branch].body {
                BodyPlan::Literal(text) => text,
                BodyPlan::Ops(_) => "",
            },
        }
    }

    /// Writes a literal that is held behind the made texts.
    pub(crate) fn push_literal(&self, held: Held, scratch: &mut Scratch) {
        if let Held::Literal(branch) = held
            && let BodyPlan::Literal(text) = &self.branches[branch].body
        {
            scratch.made.push_str(text);
        }
    }

    /// Runs the branches until one gives a result.
    pub(super) fn run_seen<O: Observer>(&self, value: &str, scratch: &mut Scratch, observer: &mut O) -> Outcome {
        self.run_from(0, value, scratch, observer)
    }

    /// The same, from one of the branches on.
    fn run_from<O: Observer>(&self, first: usize, value: &str, scratch: &mut Scratch, observer: &mut O) -> Outcome {
        for (index, branch) in self.branches.iter().enumerate().skip(first) {
            if O::LOOKS {
                observer.branch(&branch.span);
            }
            let mut state = State { fallback: index > 0, ..State::default() };
            match &branch.body {
                BodyPlan::Literal(text) => {
                    observer.literal(text);
                    return Outcome { results: Results::One(Held::Literal(index)), state };
                }
                BodyPlan::Ops(ops) => {
                    let mut results = Results::One(Held::Value(0, value.len()));
                    for at in ops {
                        if O::LOOKS {
                            observer.reached(&at.span, &self.seen(&results, value, scratch));
                        }
                        let after = at.op.apply(results, value, self.unit, scratch, &mut state);
                        if O::LOOKS {
                            observer.gave(&self.seen(&after, value, scratch), state);
                        }
                        results = after;
                        if matches!(results, Results::None) {
                            break;
                        }
                    }
                    if !matches!(results, Results::None) {
                        return Outcome { results, state };
                    }
                }
            }
        }
        Outcome::MISSING
    }

    fn seen<'a>(&'a self, results: &Results, value: &'a str, scratch: &'a Scratch) -> Vec<Option<(Held, &'a str)>> {
        let shown = |held: Held| (held, self.text(held, value, scratch));
        match results {
            Results::None => Vec::new(),
            Results::One(held) => vec![Some(shown(*held))],
            Results::Several(range) => scratch.list[range.clone()].iter().map(|held| held.map(shown)).collect(),
        }
    }
}

impl Op {
    /// What the step gives of the results that reach it.
    #[inline]
    fn apply(&self, results: Results, value: &str, unit: Unit, scratch: &mut Scratch, state: &mut State) -> Results {
        match (self, results) {
            (_, Results::None) => Results::None,
            (Op::Spread(spread), Results::One(held)) => {
                let start = scratch.list.len();
                let Scratch { made, list, slots, .. } = scratch;
                let (text, base, held_in): (&str, usize, fn(usize, usize) -> Held) = match held {
                    Held::Value(from, to) => (&value[from..to], from, Held::Value),
                    Held::Made(from, to) => (&made[from..to], from, Held::Made),
                    Held::Literal(_) => return Results::None,
                };
                spread.parts(text, slots, |part| {
                    list.push((!part.is_empty()).then(|| held_in(base + part.start, base + part.end)));
                });
                several(start, scratch)
            }
            (Op::Join(with), Results::Several(range)) => {
                let start = scratch.made.len();
                for index in range.clone() {
                    if index > range.start {
                        scratch.made.push_str(with);
                    }
                    match scratch.list[index] {
                        Some(Held::Value(from, to)) => scratch.made.push_str(&value[from..to]),
                        Some(Held::Made(from, to)) => scratch.made.extend_from_within(from..to),
                        _ => {}
                    }
                }
                made(start, scratch).map_or(Results::None, Results::One)
            }
            // Neither can be: the plan was checked when it was made.
            (Op::Spread(_), Results::Several(_)) | (Op::Join(_), Results::One(_)) => Results::None,
            (op, Results::One(held)) => op.apply_to_one(held, value, unit, scratch, state).map_or(Results::None, Results::One),
            (op, Results::Several(range)) => {
                let start = scratch.list.len();
                for index in range {
                    let held = scratch.list[index];
                    let after = held.and_then(|held| op.apply_to_one(held, value, unit, scratch, state));
                    scratch.list.push(after);
                }
                several(start, scratch)
            }
        }
    }

    #[inline]
    fn apply_to_one(&self, held: Held, value: &str, unit: Unit, scratch: &mut Scratch, state: &mut State) -> Option<Held> {
        match self {
            Op::Cut(cut) => {
                let Scratch { made, slots, .. } = scratch;
                match held {
                    Held::Value(start, end) => {
                        let part = cut.part(&value[start..end], unit, slots, state).filter(|part| !part.is_empty())?;
                        Some(Held::Value(start + part.start, start + part.end))
                    }
                    Held::Made(start, end) => {
                        let part = cut.part(&made[start..end], unit, slots, state).filter(|part| !part.is_empty())?;
                        Some(Held::Made(start + part.start, start + part.end))
                    }
                    Held::Literal(_) => None,
                }
            }
            Op::Tell(tell) => write(held, value, scratch, |text, _, out| tell.write(text, unit, out))?,
            Op::Finish(finish) => {
                let changed = write(held, value, scratch, |text, slots, out| {
                    // Nothing is made of nothing: a blank value stays missing, padded or not.
                    if text.is_empty() { Change::Missing } else { finish.write(text, unit, slots, state, out) }
                })?;
                changed.filter(|held| !matches!(held, Held::Made(start, end) if start == end))
            }
            Op::Spread(_) | Op::Join(_) => None,
        }
    }
}

/// What a step that may change a text did.
enum Change {
    /// It wrote a text.
    Made,
    /// The text stays as it is.
    Same,
    /// Nothing is left.
    Missing,
}

impl From<bool> for Change {
    fn from(changed: bool) -> Change {
        if changed { Change::Made } else { Change::Same }
    }
}

/// Runs a step that writes the changed text behind the made ones. The outer `None` is never given for a
/// text that can reach a step; the inner one means that nothing is left.
fn write(
    held: Held,
    value: &str,
    scratch: &mut Scratch,
    write: impl FnOnce(&str, &mut Slots, &mut String) -> Change,
) -> Option<Option<Held>> {
    let start = scratch.made.len();
    let Scratch { made, spare, slots, .. } = scratch;
    let change = match held {
        Held::Value(from, to) => write(&value[from..to], slots, made),
        Held::Made(from, to) => {
            spare.clear();
            spare.push_str(&made[from..to]);
            write(spare, slots, made)
        }
        Held::Literal(_) => return None,
    };
    Some(match change {
        Change::Made => Some(Held::Made(start, made.len())),
        Change::Same => Some(held),
        Change::Missing => None,
    })
}

/// What was written behind byte `start` of the made texts; `None` where that is nothing.
fn made(start: usize, scratch: &Scratch) -> Option<Held> {
    (scratch.made.len() > start).then_some(Held::Made(start, scratch.made.len()))
}

/// The results listed from `start` on; none where all of them are empty.
fn several(start: usize, scratch: &Scratch) -> Results {
    let range = start..scratch.list.len();
    if scratch.list[range.clone()].iter().all(Option::is_none) { Results::None } else { Results::Several(range) }
}

impl TellOp {
    fn write(&self, text: &str, unit: Unit, out: &mut String) -> Change {
        let number = match self {
            TellOp::Length => unit.count(text),
            TellOp::CountOf(marker) => marker.occurrences(text).count(),
            TellOp::PositionOf { nth, marker } => match marker.nth(text, *nth) {
                Some(found) => unit.count(&text[..found.start]) + 1,
                None => return Change::Missing,
            },
            TellOp::Whether(condition) => {
                out.push_str(if condition.holds(text) { "true" } else { "false" });
                return Change::Made;
            }
        };
        // Writing to a String cannot fail.
        let _ = write!(out, "{number}");
        Change::Made
    }
}

impl FinishOp {
    fn write(&self, text: &str, unit: Unit, slots: &mut Slots, state: &mut State, out: &mut String) -> Change {
        match self {
            FinishOp::Squeeze => finish::squeeze(text, out).into(),
            FinishOp::Upper => finish::upper(text, out).into(),
            FinishOp::Lower => finish::lower(text, out).into(),
            FinishOp::Title => finish::title(text, out).into(),
            FinishOp::Filter { class, keep } => finish::filter(text, class, *keep, out).into(),
            FinishOp::Replace { marker, with } => finish::replace(text, marker, with, slots, out).into(),
            FinishOp::Pad { side, width, with } => match finish::pad(text, *side, *width, with, unit, out) {
                Padded::Filled => Change::Made,
                Padded::Exact => Change::Same,
                Padded::Long => {
                    state.long = true;
                    Change::Same
                }
            },
            FinishOp::Clip { width, mark, mark_width } => match finish::clip(text, *width, *mark_width, unit) {
                None => Change::Same,
                Some(end) => {
                    out.push_str(&text[..end]);
                    out.push_str(mark);
                    Change::Made
                }
            },
            FinishOp::Prefix(prefix) => {
                out.push_str(prefix);
                out.push_str(text);
                Change::Made
            }
            FinishOp::Suffix(suffix) => {
                out.push_str(text);
                out.push_str(suffix);
                Change::Made
            }
            FinishOp::PlainNumber(style) => plain_number(style.as_ref(), text, out),
            FinishOp::Undress(style) => style.write(text, out).into(),
            FinishOp::Date(date) => match date.read(text) {
                None => Change::Missing,
                Some(date) if date == text => Change::Same,
                Some(date) => {
                    out.push_str(&date);
                    Change::Made
                }
            },
        }
    }
}

fn plain_number(style: Option<&super::number::NumberPlan>, text: &str, out: &mut String) -> Change {
    let start = out.len();
    let is_number = match style {
        None => decimal::write_plain(text, out),
        Some(style) if style.is_whole(text) => {
            let mut undressed = String::new();
            let number = if style.write(text, &mut undressed) { &undressed } else { text };
            decimal::write_plain(number, out)
        }
        Some(_) => false,
    };
    if !is_number {
        return Change::Missing;
    }
    if out[start..] == *text {
        out.truncate(start);
        return Change::Same;
    }
    Change::Made
}
