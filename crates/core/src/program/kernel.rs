//! Kernels: common cuts and finishes for plain texts, as loops over a whole column.
//!
//! Most phrases begin with one of a few cuts: an end, a window, a marker of one byte, a number, or a regular expression that is a text
//! followed by a run. [`super::cut`] and [`super::finish`] define the results, and a property compares both.

use std::sync::Arc;

use crate::batch::Sixteen;
use pulp::{Simd, WithSimd};

use super::certain::Certain;
use super::day::DayPlan;
use super::lookup::LookupTable;
use super::op::{CutOp, FinishOp};
use crate::batch::simd::{self, ByteRange, Needle};
use crate::batch::{Buffer, Span};
use crate::phrase::ast::{Position, Range, Side};

#[derive(Debug, Clone)]
pub(super) enum CutKernel {
    Whole,
    First(usize),
    Last(usize),
    Window {
        from: usize,
        to: usize,
    },
    Before(u8),
    After(u8),
    AfterLast(u8),
    UpTo {
        marker: Box<[u8]>,
        with_it: bool,
    },
    Onward {
        marker: Box<[u8]>,
        with_it: bool,
    },
    Between(u8, u8),
    Section {
        index: usize,
        by: u8,
    },
    FirstNumber,
    LastNumber,
    /// The longest run of a class after the first occurrence of a text that is followed by one.
    RunAfter {
        prefix: Box<[u8]>,
        class: RunClass,
        is_ascii: bool,
    },
}

impl CutKernel {
    pub(super) fn of(op: &CutOp) -> Option<CutKernel> {
        const FIRST: Position = Position::FIRST;
        Some(match op {
            CutOp::Whole => CutKernel::Whole,
            CutOp::First(n) => CutKernel::First(*n),
            CutOp::Last(n) => CutKernel::Last(*n),
            CutOp::CharsTo(Range { from: Position::FromStart(from), to: Position::FromStart(to), bounded: true })
                if from <= to =>
            {
                CutKernel::Window { from: from.checked_sub(1)?, to: *to }
            }
            CutOp::CharsFor { from: Position::FromStart(from), width } => {
                let from = from.checked_sub(1)?;
                CutKernel::Window { from, to: from.checked_add(*width)? }
            }
            CutOp::UpTo { nth: FIRST, marker, with_it: false } if marker.byte().is_some() => CutKernel::Before(marker.byte()?),
            CutOp::Onward { nth: FIRST, marker, with_it: false } if marker.byte().is_some() => CutKernel::After(marker.byte()?),
            CutOp::UpTo { nth: FIRST, marker, with_it } => {
                CutKernel::UpTo { marker: marker.ascii_text()?.into(), with_it: *with_it }
            }
            CutOp::Onward { nth: FIRST, marker, with_it } => {
                CutKernel::Onward { marker: marker.ascii_text()?.into(), with_it: *with_it }
            }
            CutOp::Onward { nth: Position::LAST, marker, with_it: false } => CutKernel::AfterLast(marker.byte()?),
            CutOp::Between { first: FIRST, open, second: None, close } => CutKernel::Between(open.byte()?, close.byte()?),
            CutOp::Sections { range, by, skipping_empty: false } => match range {
                Range { from: Position::FromStart(n), to, bounded: true } if range.from == *to => {
                    CutKernel::Section { index: n.checked_sub(1)?, by: by.byte()? }
                }
                _ => return None,
            },
            CutOp::Number { which: FIRST, style } if style.is_usual() => CutKernel::FirstNumber,
            CutOp::Number { which: Position::LAST, style } if style.is_usual() => CutKernel::LastNumber,
            CutOp::Match(pattern) => {
                let (prefix, class, is_ascii) = pattern.run_after.as_ref()?;
                CutKernel::RunAfter { prefix: prefix.as_slice().into(), class: RunClass::new(class), is_ascii: *is_ascii }
            }
            _ => return None,
        })
    }

    pub(super) fn cut(&self, text: &[u8], spans: &mut [Span]) {
        simd::for_this_processor(CutAll { kernel: self, text, spans });
    }

    /// Whether it also holds for simple texts. It does if it searches for ASCII and does not count.
    pub(super) fn holds_for_simple(&self) -> bool {
        match self {
            CutKernel::Whole
            | CutKernel::Before(_)
            | CutKernel::After(_)
            | CutKernel::AfterLast(_)
            | CutKernel::UpTo { .. }
            | CutKernel::Onward { .. }
            | CutKernel::Between(..)
            | CutKernel::Section { .. }
            | CutKernel::FirstNumber
            | CutKernel::LastNumber => true,
            CutKernel::RunAfter { is_ascii, .. } => *is_ascii,
            CutKernel::First(_) | CutKernel::Last(_) | CutKernel::Window { .. } => false,
        }
    }

    /// For kernels that count code points: the result for a simple text, and whether it is short; empty if missing. `None` for other
    /// kernels.
    pub(super) fn cut_simple(&self, text: &[u8], value: Span) -> Option<(Span, bool)> {
        let bytes = value.bytes(text);
        let (start, end, is_short) = match *self {
            CutKernel::First(n) => {
                let (end, left) = after_code_points(bytes, 0, n);
                (0, end, left > 0)
            }
            CutKernel::Last(n) => {
                let (start, left) = before_code_points(bytes, n);
                (start, bytes.len(), left > 0)
            }
            CutKernel::Window { from, to } => {
                let (start, _) = after_code_points(bytes, 0, from);
                let (end, left) = after_code_points(bytes, start, to - from);
                (start, end, left > 0)
            }
            _ => return None,
        };
        if start == end { Some((Span::default(), false)) } else { Some((part(value, start, end), is_short)) }
    }

    pub(super) fn width(&self) -> Option<usize> {
        match *self {
            CutKernel::First(n) | CutKernel::Last(n) => Some(n),
            CutKernel::Window { from, to } => to.checked_sub(from),
            _ => None,
        }
    }

    /// The guarantees about its results.
    pub(super) fn certain(&self) -> Certain {
        match self {
            CutKernel::RunAfter { class: RunClass::Within(b'0'.., ..=b'9'), .. } => Certain::DIGITS,
            CutKernel::FirstNumber | CutKernel::LastNumber => Certain { is_no_formula: true, ..Certain::default() },
            _ => Certain::default(),
        }
    }
}

/// The byte after `count` code points from byte `at`, and the number of missing code points.
#[inline]
fn after_code_points(text: &[u8], mut at: usize, mut count: usize) -> (usize, usize) {
    while count > 0
        && let Some(first) = text.get(at)
    {
        // The leading ones of the first byte give the number of bytes of a code point.
        at += (first.leading_ones() as usize).max(1);
        count -= 1;
    }
    (at.min(text.len()), count)
}

/// The byte where the last `count` code points begin, and the number of missing code points.
#[inline]
fn before_code_points(text: &[u8], mut count: usize) -> (usize, usize) {
    let mut at = text.len();
    while count > 0 && at > 0 {
        at -= 1;
        count -= usize::from(text[at] & 0xC0 != 0x80);
    }
    (at, count)
}

struct CutAll<'a> {
    kernel: &'a CutKernel,
    text: &'a [u8],
    spans: &'a mut [Span],
}

macro_rules! each {
    ($spans:expr, $value:ident => $part:expr) => {
        for span in $spans.iter_mut() {
            let $value = *span;
            let part: Option<Span> = $part;
            *span = part.unwrap_or_default();
        }
    };
}

impl WithSimd for CutAll<'_> {
    type Output = ();

    #[inline(always)]
    fn with_simd<S: Simd>(self, _: S) {
        let CutAll { kernel, text, spans } = self;
        match *kernel {
            CutKernel::Whole => {}
            CutKernel::First(n) => each!(spans, value => Some(part(value, 0, value.width().min(n)))),
            CutKernel::Last(n) => {
                each!(spans, value => Some(part(value, value.width().saturating_sub(n), value.width())));
            }
            CutKernel::Window { from, to } => {
                each!(spans, value => Some(part(value, from.min(value.width().min(to)), value.width().min(to))));
            }
            CutKernel::Before(byte) => {
                let byte = Sixteen::splat(byte);
                each!(spans, value => find(byte, text, value).map(|at| Span::new(value.start as usize, at)));
            }
            CutKernel::After(byte) => {
                let byte = Sixteen::splat(byte);
                each!(spans, value => find(byte, text, value).map(|at| after(value, at)));
            }
            CutKernel::AfterLast(byte) => {
                let byte = Sixteen::splat(byte);
                each!(spans, value => find_last(byte, text, value).map(|at| after(value, at)));
            }
            CutKernel::UpTo { ref marker, with_it } => {
                let wanted = Needle::new(marker);
                let more = if with_it { wanted.width() } else { 0 };
                each!(spans, value => {
                    let at = wanted.first(text, value.start as usize, value.end as usize);
                    at.map(|at| Span::new(value.start as usize, at + more))
                });
            }
            CutKernel::Onward { ref marker, with_it } => {
                let wanted = Needle::new(marker);
                let more = if with_it { 0 } else { wanted.width() };
                each!(spans, value => {
                    let at = wanted.first(text, value.start as usize, value.end as usize);
                    at.map(|at| Span::new(at + more, value.end as usize))
                });
            }
            CutKernel::Between(open, close) => {
                let (open, close) = (Sixteen::splat(open), Sixteen::splat(close));
                each!(spans, value => between(open, close, text, value));
            }
            CutKernel::Section { index, by } => {
                let by = Sixteen::splat(by);
                each!(spans, value => simd::section(text, value, by, index));
            }
            CutKernel::FirstNumber => each!(spans, value => first_number(text, value)),
            CutKernel::LastNumber => each!(spans, value => last_number(text, value)),
            CutKernel::RunAfter { ref prefix, class: RunClass::Within(first, last), .. } => {
                let (prefix, range) = (Needle::new(prefix), ByteRange::new(first, last));
                each!(spans, value => run_after(prefix, text, value, |start, end| end_of_range(range, text, start, end)));
            }
            CutKernel::RunAfter { ref prefix, class: RunClass::Table(ref class), .. } => {
                let prefix = Needle::new(prefix);
                each!(spans, value => run_after(prefix, text, value, |start, end| end_of_class(class, text, start, end)));
            }
        }
    }
}

#[inline(always)]
fn end_of_range(range: ByteRange, text: &[u8], start: usize, end: usize) -> usize {
    simd::first(text, start, end, |sixteen| !range.has(sixteen) & 0xFFFF).unwrap_or(end)
}

#[inline(always)]
fn end_of_class(class: &[bool; 256], text: &[u8], start: usize, end: usize) -> usize {
    let run = text.get(start..end).unwrap_or_default().iter();
    start + run.take_while(|byte| class[usize::from(**byte)]).count()
}

#[inline(always)]
fn between(open: Sixteen, close: Sixteen, text: &[u8], value: Span) -> Option<Span> {
    let rest = after(value, find(open, text, value)?);
    find(close, text, rest).map(|at| Span::new(rest.start as usize, at))
}

#[derive(Debug, Clone)]
pub(super) enum FinishKernel {
    Upper,
    Lower,
    PadLeft { width: usize, with: u8 },
    Lookup(Arc<LookupTable>),
    Date(Arc<DayPlan>),
}

impl FinishKernel {
    pub(super) fn of(op: &FinishOp) -> Option<FinishKernel> {
        Some(match op {
            FinishOp::Upper => FinishKernel::Upper,
            FinishOp::Lower => FinishKernel::Lower,
            FinishOp::Lookup(table) => FinishKernel::Lookup(Arc::clone(table)),
            FinishOp::Date(date) => FinishKernel::Date(Arc::clone(date.day()?)),
            FinishOp::Pad { side: Side::Left, width, with } => match with.as_bytes() {
                [with] if with.is_ascii() && *with != b'\r' => FinishKernel::PadLeft { width: *width, with: *with },
                _ => return None,
            },
            _ => return None,
        })
    }

    #[inline(always)]
    pub(super) fn is_long(&self, part: Span) -> bool {
        matches!(self, FinishKernel::PadLeft { width, .. } if part.width() > *width)
    }

    pub(super) fn write(&self, text: &[u8], spans: &mut [Span], buffer: &mut Buffer) {
        match self {
            FinishKernel::Lookup(table) => table.write_plain(text, spans, buffer),
            FinishKernel::Date(day) => day.write_plain(text, spans, buffer),
            _ => simd::for_this_processor(WriteAll { kernel: self, text, spans, buffer }),
        }
    }
}

struct WriteAll<'a> {
    kernel: &'a FinishKernel,
    text: &'a [u8],
    spans: &'a mut [Span],
    buffer: &'a mut Buffer,
}

/// Writes each non-empty text with its own width, or `least` bytes.
macro_rules! rewrite {
    ($self:expr, $least:expr, $writer:ident, $span:ident => $write:expr) => {{
        let least: usize = $least;
        let width = |span: Span| if span.is_empty() { 0 } else { span.width().max(least) };
        let all: usize = $self.spans.iter().map(|span| width(*span)).sum();
        if !$self.buffer.has_room_for(all) {
            $self.spans.fill(Span::default());
            return;
        }
        let mut start = $self.buffer.width();
        let mut $writer = $self.buffer.writer(all);
        for place in $self.spans.iter_mut() {
            let $span = *place;
            let end = start + width($span);
            if !$span.is_empty() {
                $write
            }
            *place = Span::new(start, end);
            start = end;
        }
        $writer.finish();
    }};
}

impl WithSimd for WriteAll<'_> {
    type Output = ();

    #[inline(always)]
    fn with_simd<S: Simd>(self, _: S) {
        match *self.kernel {
            FinishKernel::Lower => rewrite!(self, 0, writer, span => {
                writer.take_as(self.text, span, |bytes| bytes.map(|byte| byte.to_ascii_lowercase()));
            }),
            FinishKernel::Upper => rewrite!(self, 0, writer, span => {
                writer.take_as(self.text, span, |bytes| bytes.map(|byte| byte.to_ascii_uppercase()));
            }),
            FinishKernel::PadLeft { width, with } => rewrite!(self, width, writer, span => {
                writer.fill(with, width.saturating_sub(span.width()));
                writer.take_as(self.text, span, |bytes| bytes);
            }),
            FinishKernel::Lookup(_) | FinishKernel::Date(_) => {}
        }
    }
}

#[inline(always)]
fn part(value: Span, from: usize, to: usize) -> Span {
    Span { start: value.start + from as u32, end: value.start + to as u32 }
}

#[inline(always)]
fn after(value: Span, at: usize) -> Span {
    Span { start: at as u32 + 1, end: value.end }
}

#[inline(always)]
fn find_last(byte: Sixteen, text: &[u8], value: Span) -> Option<usize> {
    simd::last(text, value.start as usize, value.end as usize, |sixteen| simd::are(sixteen, byte))
}

#[inline(always)]
fn find(byte: Sixteen, text: &[u8], value: Span) -> Option<usize> {
    simd::first(text, value.start as usize, value.end as usize, |sixteen| simd::are(sixteen, byte))
}

#[inline(always)]
fn first_number(text: &[u8], value: Span) -> Option<Span> {
    let end = value.end as usize;
    let start = simd::first(text, value.start as usize, end, |sixteen| ByteRange::DIGITS.has(sixteen))?;
    Some(Span::new(start, number_end(text, start, end)))
}

#[inline(always)]
fn number_end(text: &[u8], start: usize, end: usize) -> usize {
    let text = text.get(..end).unwrap_or_default();
    let digits = |from: usize| text.get(from..).unwrap_or_default().iter().take_while(|byte| byte.is_ascii_digit()).count();
    let point = start + digits(start);
    match (text.get(point), text.get(point + 1)) {
        (Some(b'.'), Some(digit)) if digit.is_ascii_digit() => point + 1 + digits(point + 1),
        _ => point,
    }
}

/// The last number.
// Inlined, because a call takes longer than the work.
#[inline(always)]
fn last_number(text: &[u8], value: Span) -> Option<Span> {
    let first = value.start as usize;
    let found = |number: Span| (!number.is_empty()).then_some(number);
    let before = |end: usize| {
        let at = first.max(end.saturating_sub(16));
        let sixteen = simd::load(text, at);
        (at, sixteen, ByteRange::DIGITS.has(sixteen) & simd::first_bits(end - at))
    };
    let (mut at, mut sixteen, mut digits) = before(value.end as usize);
    if digits == 0 {
        let last = simd::last(text, first, at, |sixteen| ByteRange::DIGITS.has(sixteen))?;
        (at, sixteen, digits) = before(last + 1);
    }
    let (last, points) = (digits.ilog2(), simd::are(sixteen, Sixteen::splat(b'.')));
    let before_last = (1 << last) - 1;
    // The stretch of digits and points begins after the last other byte.
    let Some(stretch) = (!(digits | points) & before_last).checked_ilog2().map(|byte| byte + 1).or((at == first).then_some(0))
    else {
        return found(last_number_of_all(text, value));
    };
    let points = points & before_last & !((1 << stretch) - 1);
    if points & points.wrapping_sub(1) != 0 {
        return found(last_number_of_all(text, value));
    }
    // A single point belongs to the number, unless no digit precedes it.
    let start = if points == 1 << stretch { stretch + 1 } else { stretch };
    Some(Span::new(at + start as usize, at + last as usize + 1))
}

/// The last number anywhere; empty if there is none. Searches from the end, in stretches of digits and points, because a number never
/// extends beyond one.
#[inline(never)]
fn last_number_of_all(text: &[u8], value: Span) -> Span {
    let (first, end) = (value.start as usize, value.end as usize);
    let Some(last) = simd::last(text, first, end, |sixteen| ByteRange::DIGITS.has(sixteen)) else { return Span::default() };
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

/// The first run after a text. `end_of_run` returns its end for the byte where it would begin and the end of the value.
// Inlined, because a call takes longer than the work.
#[inline(always)]
fn run_after(prefix: Needle, text: &[u8], value: Span, end_of_run: impl Fn(usize, usize) -> usize) -> Option<Span> {
    let mut at = value.start as usize;
    let end = value.end as usize;
    loop {
        let found = prefix.first(text, at, end)?;
        let start = found + prefix.width();
        let after = end_of_run(start, end);
        if after > start {
            return Some(Span::new(start, after));
        }
        at = found + 1;
    }
}

#[derive(Debug, Clone)]
pub(super) enum RunClass {
    Within(u8, u8),
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
