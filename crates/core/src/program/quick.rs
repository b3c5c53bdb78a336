//! Short cuts for the first step of a branch, on plain texts.
//!
//! A plain text is bytes, and most phrases begin with one of a few cuts: an end, a window, a marker of one byte,
//! a number, a regular expression that is a text and then a run. What these give is given here with nothing in
//! the way; [`super::parts`] says what is right, and a property holds the two together.

use wide::u8x16;

use super::op::{CutOp, FinishOp};
use super::state::State;
use crate::phrase::ast::{Position, Range, Side};
use crate::text::buffer::{Buffer, Writer};
use crate::text::simd::{self, ByteRange, Span, Wanted};

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
    RunBehind { prefix: Box<[u8]>, class: RunClass },
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
                Quick::RunBehind { prefix: prefix.as_slice().into(), class: RunClass::new(class) }
            }
            _ => return None,
        })
    }

    /// Cuts a part out of each of some stretches of plain text.
    #[inline]
    pub(super) fn each(&self, text: &[u8], run: impl Run) {
        match *self {
            Quick::Whole => run.with(Found::of),
            Quick::First(n) => run.with(move |value| {
                let width = value.width();
                Found { span: part(value, 0, width.min(n)), short: width < n }
            }),
            Quick::Last(n) => run.with(move |value| {
                let width = value.width();
                Found { span: part(value, width.saturating_sub(n), width), short: width < n }
            }),
            Quick::Window { from, to } => run.with(move |value| {
                let end = value.width().min(to);
                Found { span: part(value, from.min(end), end), short: end < to }
            }),
            Quick::Before(byte) => {
                let byte = u8x16::splat(byte);
                run.with(move |value| match find(byte, text, value) {
                    Some(at) => Found::of(Span::new(value.start as usize, at)),
                    None => Found::NOTHING,
                });
            }
            Quick::After(byte) => {
                let byte = u8x16::splat(byte);
                run.with(move |value| match find(byte, text, value) {
                    Some(at) => Found::of(behind(value, at)),
                    None => Found::NOTHING,
                });
            }
            Quick::AfterLast(byte) => {
                let byte = u8x16::splat(byte);
                run.with(move |value| {
                    let found = simd::last(text, value.start as usize, value.end as usize, |lanes| simd::are(lanes, byte));
                    found.map_or(Found::NOTHING, |at| Found::of(behind(value, at)))
                });
            }
            Quick::Between(open, close) => {
                let (open, close) = (u8x16::splat(open), u8x16::splat(close));
                run.with(move |value| {
                    let Some(rest) = find(open, text, value).map(|at| behind(value, at)) else { return Found::NOTHING };
                    match find(close, text, rest) {
                        Some(at) => Found::of(Span::new(rest.start as usize, at)),
                        None => Found::NOTHING,
                    }
                });
            }
            Quick::Section { index, by } => {
                let by = u8x16::splat(by);
                run.with(move |value| simd::section(text, value, by, index).map_or(Found::NOTHING, Found::of));
            }
            Quick::FirstNumber => run.with(move |value| first_number(text, value).map_or(Found::NOTHING, Found::of)),
            Quick::LastNumber => run.with(move |value| last_number(text, value).map_or(Found::NOTHING, Found::of)),
            Quick::RunBehind { ref prefix, ref class } => {
                let prefix = Wanted::new(prefix);
                match class {
                    RunClass::Within(first, last) => {
                        let range = ByteRange::new(*first, *last);
                        let end_of_run =
                            move |start, end| simd::first(text, start, end, |lanes| !range.has(lanes) & 0xFFFF).unwrap_or(end);
                        run.with(move |value| run_behind(prefix, text, value, end_of_run).map_or(Found::NOTHING, Found::of));
                    }
                    RunClass::Table(class) => {
                        let end_of_run = move |start: usize, end: usize| {
                            let run = text.get(start..end).unwrap_or_default().iter();
                            start + run.take_while(|byte| class[usize::from(**byte)]).count()
                        };
                        run.with(move |value| run_behind(prefix, text, value, end_of_run).map_or(Found::NOTHING, Found::of));
                    }
                }
            }
        }
    }

    /// The part of one plain text; `None` where it is missing, which an empty part is too.
    #[inline]
    pub(super) fn cut(&self, text: &str, state: &mut State) -> Option<(usize, usize)> {
        struct Once<'a>(Span, &'a mut Found);
        impl Run for Once<'_> {
            fn with(self, cut: impl Fn(Span) -> Found) {
                *self.1 = cut(self.0);
            }
        }
        let mut found = Found::NOTHING;
        self.each(text.as_bytes(), Once(Span::new(0, text.len()), &mut found));
        state.short = found.short;
        let Span { start, end } = found.span;
        (start < end).then_some((start as usize, end as usize))
    }

    /// Cuts a part out of each of some stretches of plain text, empty where it is missing. Whether all are filled.
    pub(super) fn cut_all(&self, text: &[u8], values: &[Span], cuts: &mut [Span]) -> bool {
        struct All<'a>(&'a [Span], &'a mut [Span], &'a mut bool);
        impl Run for All<'_> {
            // Each cut is compiled by itself: what its loop needs then stays in registers.
            #[inline(never)]
            fn with(self, cut: impl Fn(Span) -> Found) {
                let mut unfilled = false;
                for (value, place) in self.0.iter().zip(self.1) {
                    let found = cut(*value);
                    *place = found.span;
                    unfilled |= found.span.is_empty() | found.short;
                }
                *self.2 = !unfilled;
            }
        }
        let mut are_filled = true;
        self.each(text, All(values, cuts, &mut are_filled));
        are_filled
    }

    /// How wide all parts are that are filled, where it is one width.
    pub(super) fn width(&self) -> Option<usize> {
        match *self {
            Quick::First(n) | Quick::Last(n) => Some(n),
            Quick::Window { from, to } => to.checked_sub(from),
            _ => None,
        }
    }

    /// Whether all parts are of digits only.
    pub(super) fn gives_digits(&self) -> bool {
        matches!(self, Quick::RunBehind { class: RunClass::Within(b'0'.., ..=b'9'), .. })
    }

    /// What becomes of each of some stretches of plain text. It is asked only where some are not filled, and cuts again.
    pub(super) fn states(&self, text: &[u8], values: &[Span], states: &mut Vec<State>) {
        struct States<'a>(&'a [Span], &'a mut Vec<State>);
        impl Run for States<'_> {
            fn with(self, cut: impl Fn(Span) -> Found) {
                self.1.extend(self.0.iter().map(|value| match cut(*value) {
                    Found { span, .. } if span.is_empty() => State::MISSING,
                    Found { short, .. } => State { short, ..State::default() },
                }));
            }
        }
        self.each(text, States(values, states));
    }
}

/// What is done with a cut: so that which cut it is is asked once, and not once a value.
pub(super) trait Run {
    /// Runs the cut on what is to be cut.
    fn with(self, cut: impl Fn(Span) -> Found);
}

/// What was cut out of a value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Found {
    /// Where it stands; empty where it is missing.
    span: Span,
    /// Whether it is less than was asked for.
    short: bool,
}

impl Found {
    const NOTHING: Found = Found { span: Span { start: 0, end: 0 }, short: false };

    #[inline]
    fn of(span: Span) -> Found {
        Found { span, short: false }
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
                [with] if with.is_ascii() && *with != b'\r' => QuickFinish::PadLeft { width: *width, with: *with },
                _ => return None,
            },
            _ => return None,
        })
    }

    /// The byte that it may add, if it adds one.
    pub(super) fn adds(&self) -> Option<u8> {
        match self {
            QuickFinish::PadLeft { with, .. } => Some(*with),
            QuickFinish::Lower | QuickFinish::Upper => None,
        }
    }

    /// Whether it finds a part longer than it should be.
    #[inline]
    pub(super) fn is_long(&self, part: Span) -> bool {
        matches!(self, QuickFinish::PadLeft { width, .. } if part.width() > *width)
    }

    /// Writes stretches of plain text on a buffer as the finish makes them, and gives where they stand there; those that
    /// are empty stay so.
    pub(super) fn write_all(&self, text: &[u8], parts: &mut [Span], buffer: &mut Buffer) {
        match *self {
            QuickFinish::Lower => rewrite(parts, 0, buffer, |writer, part| {
                writer.take_as(text, part, |bytes| bytes.map(|byte| byte.to_ascii_lowercase()));
            }),
            QuickFinish::Upper => rewrite(parts, 0, buffer, |writer, part| {
                writer.take_as(text, part, |bytes| bytes.map(|byte| byte.to_ascii_uppercase()));
            }),
            QuickFinish::PadLeft { width, with } => rewrite(parts, width, buffer, |writer, part| {
                writer.fill(with, width.saturating_sub(part.width()));
                writer.take_as(text, part, |bytes| bytes);
            }),
        }
    }
}

/// Writes parts on a buffer, each of which takes its own width there, or `least` bytes.
// Compiled by itself: what its loops need then stays in registers.
#[inline(never)]
fn rewrite(parts: &mut [Span], least: usize, buffer: &mut Buffer, write: impl Fn(&mut Writer, Span)) {
    let width = |part: Span| if part.is_empty() { 0 } else { part.width().max(least) };
    let mut start = buffer.width();
    let mut writer = buffer.writer(parts.iter().map(|part| width(*part)).sum());
    for part in parts {
        let end = start + width(*part);
        if !part.is_empty() {
            write(&mut writer, *part);
        }
        *part = Span::new(start, end);
        start = end;
    }
    writer.finish();
}

/// The bytes of a value from one on, up to another, counted from 0.
#[inline]
fn part(value: Span, from: usize, to: usize) -> Span {
    Span { start: value.start + from as u32, end: value.start + to as u32 }
}

/// What stands in a value behind the byte `at` of the text.
#[inline]
fn behind(value: Span, at: usize) -> Span {
    Span { start: at as u32 + 1, end: value.end }
}

#[inline]
fn find(byte: u8x16, text: &[u8], value: Span) -> Option<usize> {
    simd::first(text, value.start as usize, value.end as usize, |lanes| simd::are(lanes, byte))
}

#[inline]
fn first_number(text: &[u8], value: Span) -> Option<Span> {
    let end = value.end as usize;
    let start = simd::first(text, value.start as usize, end, |lanes| ByteRange::DIGITS.has(lanes))?;
    Some(Span::new(start, number_end(text, start, end)))
}

/// Where the number that begins at a digit ends, in a stretch with this end. Numbers are short: one byte at a time is
/// as fast as any.
#[inline]
fn number_end(text: &[u8], start: usize, end: usize) -> usize {
    let text = text.get(..end).unwrap_or_default();
    let digits = |from: usize| text.get(from..).unwrap_or_default().iter().take_while(|byte| byte.is_ascii_digit()).count();
    let point = start + digits(start);
    match (text.get(point), text.get(point + 1)) {
        (Some(b'.'), Some(digit)) if digit.is_ascii_digit() => point + 1 + digits(point + 1),
        _ => point,
    }
}

/// The last number. It mostly stands in the last sixteen bytes, where a few bits tell all.
// Always put where it is called: a call takes longer than it does.
#[inline(always)]
fn last_number(text: &[u8], value: Span) -> Option<Span> {
    let (first, end) = (value.start as usize, value.end as usize);
    let found = |number: Span| (!number.is_empty()).then_some(number);
    let at = first.max(end.saturating_sub(16));
    let lanes = simd::lanes(text, at);
    let (digits, points) = (ByteRange::DIGITS.has(lanes), simd::are(lanes, u8x16::splat(b'.')));
    let inside = simd::first_lanes(end - at);
    let Some(last) = (digits & inside).checked_ilog2() else { return found(last_number_of_all(text, value)) };
    let before_last = (1 << last) - 1;
    // The stretch of digits and points that ends there begins behind the last byte that is neither.
    let Some(stretch) = (!(digits | points) & before_last).checked_ilog2().map(|byte| byte + 1).or((at == first).then_some(0))
    else {
        return found(last_number_of_all(text, value));
    };
    let points = points & before_last & !((1 << stretch) - 1);
    if points & points.wrapping_sub(1) != 0 {
        return found(last_number_of_all(text, value));
    }
    // One point is the number's own, unless no digit stands before it.
    let start = if points == 1 << stretch { stretch + 1 } else { stretch };
    Some(Span::new(at + start as usize, at + last as usize + 1))
}

/// The last number, wherever it stands; empty where there is none. It is looked for from the end, in the stretch of digits
/// and points that holds it, for no number reaches beyond such a stretch.
#[inline(never)]
fn last_number_of_all(text: &[u8], value: Span) -> Span {
    let (first, end) = (value.start as usize, value.end as usize);
    let Some(last) = simd::last(text, first, end, |lanes| ByteRange::DIGITS.has(lanes)) else { return Span::default() };
    let is_part = |byte: &u8| byte.is_ascii_digit() || *byte == b'.';
    let digit =
        |from: usize| from + text.get(from..).unwrap_or_default().iter().take_while(|byte| !byte.is_ascii_digit()).count();
    let before = text.get(first..last).unwrap_or_default();
    let mut start = last - before.iter().rev().take_while(|byte| is_part(byte)).count();
    loop {
        start = digit(start);
        let end = number_end(text, start, end);
        if end > last {
            return Span::new(start, end);
        }
        start = end;
    }
}

/// The first run behind a text, which ends where `end_of_run` says, of the byte it would begin at and the value's end.
// Always put where it is called: a call takes longer than it does.
#[inline(always)]
fn run_behind(prefix: Wanted, text: &[u8], value: Span, end_of_run: impl Fn(usize, usize) -> usize) -> Option<Span> {
    let mut at = value.start as usize;
    let end = value.end as usize;
    loop {
        let found = prefix.first(text, at, end)?;
        let start = found + prefix.width();
        let behind = end_of_run(start, end);
        if behind > start {
            return Some(Span::new(start, behind));
        }
        at = found + 1;
    }
}

/// The characters of a run.
#[derive(Debug, Clone)]
pub(super) enum RunClass {
    /// Those from one to another.
    Within(u8, u8),
    /// Any.
    Table(Box<[bool; 256]>),
}

impl RunClass {
    fn new(table: &[bool; 256]) -> RunClass {
        let has = |byte: &u8| table[usize::from(*byte)];
        let (first, last) = ((0..=255).find(has), (0..=255).rev().find(has));
        match first.zip(last) {
            Some((first, last)) if (first..=last).all(|byte| has(&byte)) => RunClass::Within(first, last),
            _ => RunClass::Table(Box::new(*table)),
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::phrase::Phrase;
    use crate::program::{CutColumn, Hits, Many, Program, Scratch};
    use crate::text::unit::Unit;

    const PHRASES: [&str; 21] = [
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
        r#"after "-" or "none""#,
    ];

    #[test]
    fn the_usual_cuts_have_short_cuts() {
        for phrase in PHRASES.iter().filter(|phrase| **phrase != "char 2") {
            let plan = Program::new(&Phrase::parse(phrase).unwrap(), Unit::Characters).unwrap();
            assert!(plan.branches[0].quick.is_some(), "{phrase}");
        }
    }

    proptest! {
        #[test]
        fn short_cuts_give_what_the_steps_give(texts in proptest::collection::vec("[ab1.-]{0,12}|[ -~]{0,70}|[1.]{0,20}-{0,17}", 1..6)) {
            // The values stand in one text, with nothing between them that would keep a cut in its bounds.
            let whole = texts.concat();
            let mut at = 0;
            let values = texts.iter().map(|text| {
                at += text.len();
                Span::new(at - text.len(), at)
            });
            let values: Vec<Span> = values.collect();
            for phrase in PHRASES {
                let plan = Program::new(&Phrase::parse(phrase).unwrap(), Unit::Characters).unwrap();
                let (mut many, mut scratch, mut other) = (CutColumn::default(), Scratch::default(), Scratch::default());
                let mut hits = Hits::default();
                plan.looks_for().into_iter().for_each(|byte| hits.find(whole.as_bytes(), &values, byte));
                for hits in [None, plan.looks_for().map(|_| &hits)] {
                    plan.cut_many(Many { text: &whole, spans: &values, hits }, &mut scratch, &mut many);
                    for (index, text) in texts.iter().enumerate() {
                        let one = plan.cut(text, &mut other);
                        prop_assert_eq!(many.text(&whole, index), one.text, "{} on {:?}", phrase, text);
                        prop_assert_eq!(many.state(index), one.state, "{} on {:?}", phrase, text);
                    }
                }
                for text in &texts {
                    let general = plan.cut(text, &mut scratch);
                    other.clear();
                    let quick = plan.run_plain(text, &mut other);
                    let quick_text = quick.held(0, &other).map_or("", |held| plan.text(held, text, &other));
                    prop_assert_eq!((quick_text, quick.state), (general.text, general.state), "{} on {:?}", phrase, text);
                }
            }
        }
    }
}
