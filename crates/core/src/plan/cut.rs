//! Running a plan on a value.

use std::ops::Range;

use super::finish::{self, Padded};
use super::op::{BodyPlan, Op, Plan};
use super::sections::sections;
use super::state::State;
use crate::phrase::ast::{Position, Span};
use crate::text::characters;

/// The result of a plan on one value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Cut<'a> {
    /// The piece; empty where it is missing.
    pub text: &'a str,
    /// What became of it.
    pub state: State,
}

/// Room for texts that finishes make, reused from value to value so that no row allocates.
#[derive(Debug, Default)]
pub struct Scratch {
    /// Made texts, one behind the other, for one value.
    made: String,
    /// A made text on its way into the next finish.
    spare: String,
}

/// Where a text on its way through a plan is held.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Held {
    /// A range of the value, which no finish has changed.
    Value(Range<usize>),
    /// A range of the made texts.
    Made(Range<usize>),
    /// The literal of a branch.
    Literal(usize),
}

/// Sees each step of a run; the run itself pays nothing for one that does not look.
pub(super) trait Observer {
    /// A branch begins.
    fn branch(&mut self, _span: &Span) {}
    /// A step got `before` and gave `after`, or nothing.
    fn step(&mut self, _span: &Span, _before: (&Held, &str), _after: Option<(&Held, &str)>, _state: State) {}
    /// A literal branch gave its text.
    fn literal(&mut self, _text: &str) {}
}

/// The observer that does not look.
struct Unobserved;
impl Observer for Unobserved {}

impl Plan {
    /// Cuts the piece out of `value`. Allocates only while `scratch` has not yet grown to its size.
    pub fn cut<'a>(&'a self, value: &'a str, scratch: &'a mut Scratch) -> Cut<'a> {
        let (held, state) = self.run(value, scratch, &mut Unobserved);
        Cut { text: held.map_or("", |held| self.text(&held, value, scratch)), state }
    }

    /// The text that is held.
    fn text<'a>(&'a self, held: &Held, value: &'a str, scratch: &'a Scratch) -> &'a str {
        match held {
            Held::Value(range) => &value[range.clone()],
            Held::Made(range) => &scratch.made[range.clone()],
            Held::Literal(branch) => match &self.branches[*branch].body {
                BodyPlan::Literal(text) => text,
                BodyPlan::Ops(_) => "",
            },
        }
    }

    /// Runs the branches until one gives a result.
    pub(super) fn run(&self, value: &str, scratch: &mut Scratch, observer: &mut impl Observer) -> (Option<Held>, State) {
        scratch.made.clear();
        for (index, branch) in self.branches.iter().enumerate() {
            observer.branch(&branch.span);
            let fallback = index > 0;
            match &branch.body {
                BodyPlan::Literal(text) => {
                    observer.literal(text);
                    return (Some(Held::Literal(index)), State { fallback, ..State::default() });
                }
                BodyPlan::Ops(ops) => {
                    let mut held = Held::Value(0..value.len());
                    let mut state = State { fallback, ..State::default() };
                    let mut ops = ops.iter();
                    loop {
                        let Some(at) = ops.next() else { return (Some(held), state) };
                        let after = at.op.apply(&held, value, scratch, &mut state);
                        observer.step(
                            &at.span,
                            (&held, self.text(&held, value, scratch)),
                            after.as_ref().map(|after| (after, self.text(after, value, scratch))),
                            state,
                        );
                        match after {
                            Some(after) => held = after,
                            None => break,
                        }
                    }
                }
            }
        }
        (None, State::MISSING)
    }
}

impl Op {
    /// What the step gives of the text held, or `None` where nothing is left of it.
    fn apply(&self, held: &Held, value: &str, scratch: &mut Scratch, state: &mut State) -> Option<Held> {
        let text = match held {
            Held::Value(range) => &value[range.clone()],
            Held::Made(range) => &scratch.made[range.clone()],
            Held::Literal(_) => return None,
        };
        let range = match self {
            Op::Whole => 0..text.len(),
            Op::First(n) => {
                let end = characters::notch(text, *n);
                state.short |= end == text.len() && characters::count(text) < *n;
                0..end
            }
            Op::Last(n) => {
                let start = characters::notch_from_end(text, *n);
                state.short |= start == 0 && characters::count(text) < *n;
                start..text.len()
            }
            Op::Char(position) => match position {
                Position::FromStart(n) => {
                    let start = characters::notch(text, n - 1);
                    start..start + characters::notch(&text[start..], 1)
                }
                Position::FromEnd(n) => {
                    let start = characters::notch_from_end(text, *n);
                    let end = characters::notch_from_end(text, n - 1);
                    start..end
                }
            },
            Op::CharsTo { from, to, bounded } => {
                let count = characters::count(text);
                window(text, count, from.among(count), to.among(count), *bounded, state)?
            }
            Op::CharsFor { from, width } => {
                let count = characters::count(text);
                let first = from.among(count);
                let last = first.saturating_add_unsigned(*width as u64 - 1);
                window(text, count, first, last, true, state)?
            }
            Op::DropFirst(n) => characters::notch(text, *n)..text.len(),
            Op::DropLast(n) => 0..characters::notch_from_end(text, *n),
            Op::Sections { from, to, bounded, by } => {
                let (range, whole) = sections(text, *from, *to, *bounded, by)?;
                state.short |= !whole;
                range
            }
            Op::Trim(sides) => finish::trim(text, *sides),
            Op::Upper => return finished(held, value, scratch, finish::upper),
            Op::Lower => return finished(held, value, scratch, finish::lower),
            Op::Pad { side, width, with } => {
                return finished(held, value, scratch, |text, out| match finish::pad(text, *side, *width, with, out) {
                    Padded::Filled => true,
                    Padded::Exact => false,
                    Padded::Long => {
                        state.long = true;
                        false
                    }
                });
            }
        };
        (!range.is_empty()).then(|| match held {
            Held::Made(held) => Held::Made(held.start + range.start..held.start + range.end),
            _ => {
                let start = if let Held::Value(held) = held { held.start } else { 0 };
                Held::Value(start + range.start..start + range.end)
            }
        })
    }
}

/// The bytes of the characters `first` to `last`, counted from 1, of which there are `count`; what lies
/// outside is not there, and where that leaves fewer than were asked for, the result is short.
fn window(text: &str, count: usize, first: i64, last: i64, bounded: bool, state: &mut State) -> Option<Range<usize>> {
    let found_first = usize::try_from(first.max(1)).ok()?;
    let found_last = usize::try_from(last).ok()?.min(count);
    if found_first > found_last {
        return None;
    }
    let wanted = if bounded { last - first + 1 } else { found_last as i64 - first + 1 };
    state.short |= ((found_last - found_first + 1) as i64) < wanted;
    let start = characters::notch(text, found_first - 1);
    Some(start..start + characters::notch(&text[start..], found_last + 1 - found_first))
}

/// Runs a finish that writes the changed text behind `out`, or says that nothing changed.
fn finished(held: &Held, value: &str, scratch: &mut Scratch, write: impl FnOnce(&str, &mut String) -> bool) -> Option<Held> {
    let start;
    let changed = match held {
        Held::Value(range) => {
            start = scratch.made.len();
            write(&value[range.clone()], &mut scratch.made)
        }
        Held::Made(range) => {
            scratch.spare.clear();
            scratch.spare.push_str(&scratch.made[range.clone()]);
            start = scratch.made.len();
            write(&scratch.spare, &mut scratch.made)
        }
        Held::Literal(_) => return None,
    };
    Some(if changed { Held::Made(start..scratch.made.len()) } else { held.clone() })
}
