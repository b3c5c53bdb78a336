//! Short cuts for the first step of a branch, on plain texts.
//!
//! A plain text is bytes, and most phrases begin with one of a few cuts: an end, a window, a marker of one byte,
//! a number, a regular expression that is a text and then a run. What these give is given here with nothing in
//! the way; [`super::parts`] says what is right, and a property holds the two together.

use memchr::memmem::Finder;

use super::cut::{Held, Scratch};
use super::op::{CutOp, FinishOp};
use super::state::State;
use crate::phrase::ast::{Position, Range, Side};
use crate::text::bytes;

/// A first cut with a short cut.
#[derive(Debug, Clone)]
pub(super) enum Quick {
    /// All of it.
    Whole,
    /// The first `n`.
    First(usize),
    /// The last `n`.
    Last(usize),
    /// Bytes from one, counted from 0, up to another.
    Window { from: usize, to: usize },
    /// Up to the first of a byte.
    Before(u8),
    /// From behind the first of a byte.
    After(u8),
    /// From behind the last of a byte.
    AfterLast(u8),
    /// Between the first of a byte and the next of another.
    Between(u8, u8),
    /// One section, counted from 0, by a byte.
    Section { index: usize, by: u8 },
    /// The first number: digits, or digits with decimals.
    FirstNumber,
    /// The last number.
    LastNumber,
    /// The run of a class that is as long as can be, behind the first place of a text that has one.
    RunBehind { prefix: Box<Finder<'static>>, class: Box<[bool; 256]> },
}

impl Quick {
    /// The short cut for a step, if there is one.
    pub(super) fn of(op: &CutOp) -> Option<Quick> {
        const FIRST: Position = Position::FIRST;
        Some(match op {
            CutOp::Whole => Quick::Whole,
            CutOp::First(n) => Quick::First(*n),
            CutOp::Last(n) => Quick::Last(*n),
            CutOp::CharsTo(Range { from: Position::FromStart(from), to: Position::FromStart(to), bounded: true })
                if from <= to =>
            {
                Quick::Window { from: from.checked_sub(1)?, to: *to }
            }
            CutOp::CharsFor { from: Position::FromStart(from), width } => {
                let from = from.checked_sub(1)?;
                Quick::Window { from, to: from.checked_add(*width)? }
            }
            CutOp::UpTo { nth: FIRST, marker, with_it: false } => Quick::Before(marker.byte()?),
            CutOp::Onward { nth: FIRST, marker, with_it: false } => Quick::After(marker.byte()?),
            CutOp::Onward { nth: Position::LAST, marker, with_it: false } => Quick::AfterLast(marker.byte()?),
            CutOp::Between { first: FIRST, open, second: None, close } => Quick::Between(open.byte()?, close.byte()?),
            CutOp::Sections { range, by, skipping_empty: false } => match range {
                Range { from: Position::FromStart(n), to, bounded: true } if range.from == *to => {
                    Quick::Section { index: n.checked_sub(1)?, by: by.byte()? }
                }
                _ => return None,
            },
            CutOp::Number { which: FIRST, style } if style.is_usual() => Quick::FirstNumber,
            CutOp::Number { which: Position::LAST, style } if style.is_usual() => Quick::LastNumber,
            CutOp::Match(pattern) => {
                let (prefix, class) = pattern.run_behind.as_ref()?;
                Quick::RunBehind { prefix: Box::new(Finder::new(prefix).into_owned()), class: class.clone() }
            }
            _ => return None,
        })
    }

    /// The part of a plain text; `None` where it is missing. It may be empty, which is missing too.
    #[inline]
    pub(super) fn cut(&self, text: &[u8], state: &mut State) -> Option<(usize, usize)> {
        let length = text.len();
        Some(match self {
            Quick::Whole => (0, length),
            Quick::First(n) => {
                state.short = length < *n;
                (0, length.min(*n))
            }
            Quick::Last(n) => {
                state.short = length < *n;
                (length.saturating_sub(*n), length)
            }
            Quick::Window { from, to } => {
                let end = length.min(*to);
                if *from >= end {
                    return None;
                }
                state.short = end < *to;
                (*from, end)
            }
            Quick::Before(byte) => (0, find(*byte, text)?),
            Quick::After(byte) => (find(*byte, text)? + 1, length),
            Quick::AfterLast(byte) => (memchr::memrchr(*byte, text)? + 1, length),
            Quick::Between(open, close) => {
                let start = find(*open, text)? + 1;
                (start, start + find(*close, &text[start..])?)
            }
            Quick::Section { index, by } => {
                let mut start = 0;
                for _ in 0..*index {
                    start += find(*by, &text[start..])? + 1;
                }
                (start, find(*by, &text[start..]).map_or(length, |at| start + at))
            }
            Quick::FirstNumber => {
                let start = text.iter().position(u8::is_ascii_digit)?;
                (start, number_end(text, start))
            }
            Quick::LastNumber => last_number(text)?,
            Quick::RunBehind { prefix, class } => {
                let mut at = 0;
                loop {
                    let found = at + prefix.find(&text[at..])?;
                    let start = found + prefix.needle().len();
                    let run = text[start..].iter().take_while(|byte| class[usize::from(**byte)]).count();
                    if run > 0 {
                        return Some((start, start + run));
                    }
                    at = found + 1;
                }
            }
        })
    }
}

/// A finish with a short cut, for plain texts.
#[derive(Debug, Clone)]
pub(super) enum QuickFinish {
    /// In upper case.
    Upper,
    /// In lower case.
    Lower,
    /// Filled up at the start with a byte.
    PadLeft { width: usize, with: u8 },
}

impl QuickFinish {
    /// The short cut for a finish, if there is one.
    pub(super) fn of(op: &FinishOp) -> Option<QuickFinish> {
        Some(match op {
            FinishOp::Upper => QuickFinish::Upper,
            FinishOp::Lower => QuickFinish::Lower,
            FinishOp::Pad { side: Side::Left, width, with } => match with.as_bytes() {
                [with] if with.is_ascii() => QuickFinish::PadLeft { width: *width, with: *with },
                _ => return None,
            },
            _ => return None,
        })
    }

    /// Finishes a part of a plain value that is not empty.
    #[inline]
    pub(super) fn finish(&self, value: &str, (start, end): (usize, usize), scratch: &mut Scratch, state: &mut State) -> Held {
        let text = &value[start..end];
        let from = scratch.made.len();
        match self {
            QuickFinish::Lower if text.bytes().any(|byte| byte.is_ascii_uppercase()) => {
                scratch.made.push_str(text);
                scratch.made[from..].make_ascii_lowercase();
            }
            QuickFinish::Upper if text.bytes().any(|byte| byte.is_ascii_lowercase()) => {
                scratch.made.push_str(text);
                scratch.made[from..].make_ascii_uppercase();
            }
            QuickFinish::PadLeft { width, with } if text.len() < *width => {
                for _ in text.len()..*width {
                    scratch.made.push(char::from(*with));
                }
                scratch.made.push_str(text);
            }
            QuickFinish::PadLeft { width, .. } => {
                state.long = text.len() > *width;
                return Held::Value(start, end);
            }
            QuickFinish::Lower | QuickFinish::Upper => return Held::Value(start, end),
        }
        Held::Made(from, scratch.made.len())
    }
}

#[inline]
fn find(byte: u8, text: &[u8]) -> Option<usize> {
    bytes::position(byte, text)
}

/// Where the number that begins at a digit ends.
#[inline]
fn number_end(text: &[u8], start: usize) -> usize {
    let digits = |from: usize| from + text[from..].iter().take_while(|byte| byte.is_ascii_digit()).count();
    let end = digits(start);
    match (text.get(end), text.get(end + 1)) {
        (Some(b'.'), Some(digit)) if digit.is_ascii_digit() => digits(end + 1),
        _ => end,
    }
}

/// The last number: looked for from the end, in the stretch of digits and points that holds it, for no number
/// reaches beyond such a stretch.
#[inline]
fn last_number(text: &[u8]) -> Option<(usize, usize)> {
    let last = text.iter().rposition(u8::is_ascii_digit)?;
    let is_part = |byte: &u8| byte.is_ascii_digit() || *byte == b'.';
    let stretch = text[..=last].iter().rposition(|byte| !is_part(byte)).map_or(0, |at| at + 1);
    let mut start = stretch;
    loop {
        start += text[start..=last].iter().position(u8::is_ascii_digit)?;
        let end = number_end(text, start);
        if end > last {
            return Some((start, end));
        }
        start = end;
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::phrase::Phrase;
    use crate::plan::op::{BodyPlan, Op};
    use crate::plan::{Plan, Scratch};
    use crate::text::unit::Unit;

    const PHRASES: [&str; 20] = [
        "whole",
        "first 3",
        "last 4",
        "char 2",
        "chars 3 to 6",
        "chars 2 for 4",
        r#"before "-""#,
        r#"after "-""#,
        r#"after last "-""#,
        r#"between "-" and ".""#,
        r#"section 1 by "-""#,
        r#"section 3 by "-""#,
        "number",
        "number last",
        r"match /a-(\d+)/ group 1",
        "match /1([a-b1]+)/ group 1",
        "first 4 then upper",
        r#"before "-" then lower"#,
        r#"section 1 by "-" then pad left to 3 with "0""#,
        r#"number then pad left to 4 with "-" or "none""#,
    ];

    #[test]
    fn the_usual_cuts_have_short_cuts() {
        for phrase in PHRASES.iter().filter(|phrase| **phrase != "char 2") {
            let plan = Plan::new(&Phrase::parse(phrase).unwrap(), Unit::Characters).unwrap();
            assert!(plan.branches[0].quick.is_some(), "{phrase}");
        }
    }

    proptest! {
        #[test]
        fn short_cuts_give_what_the_steps_give(text in "[ab1.-]{0,12}|[ -~]{0,20}") {
            for phrase in PHRASES {
                let plan = Plan::new(&Phrase::parse(phrase).unwrap(), Unit::Characters).unwrap();
                let BodyPlan::Ops(ops) = &plan.branches[0].body else { panic!("{phrase} has steps") };
                let Op::Cut(op) = &ops[0].op else { panic!("{phrase} is a cut") };
                let Some(quick) = Quick::of(op) else { continue };
                let (mut state, mut quick_state) = (State::default(), State::default());
                let part = op.part(&text, Unit::Characters, &mut Vec::new(), &mut state).filter(|part| !part.is_empty());
                let cut = quick.cut(text.as_bytes(), &mut quick_state).filter(|(start, end)| start < end);
                prop_assert_eq!(cut, part.as_ref().map(|part| (part.start, part.end)), "{} on {:?}", phrase, text);
                if part.is_some() {
                    prop_assert_eq!(quick_state, state, "{} on {:?}", phrase, text);
                }
                let (mut one, mut other) = (Scratch::default(), Scratch::default());
                let general = plan.run(&text, &mut one);
                prop_assert_eq!(plan.run_plain(&text, &mut other).state, general.state);
                other.clear();
                let (held, state) = plan.cut_plain(&text, &mut other);
                let expected = general.held(0, &one).map(|held| plan.text(held, &text, &one));
                prop_assert_eq!(held.map(|held| plan.text(held, &text, &other)), expected, "{} on {:?}", phrase, text);
                prop_assert_eq!(state, general.state, "{} on {:?}", phrase, text);
            }
        }
    }
}
