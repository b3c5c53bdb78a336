//! The definitions of cuts: the part of a text that a step returns.

use std::ops::Range;

use super::matcher::{Matcher, pick};
use super::op::{CutOp, SpreadOp};
use super::pattern::{Slots, group};
use super::state::State;
use super::straight::Places;
use super::{finish, op};
use crate::phrase::ast::{self, Position};
use crate::text::characters::{self, Form};
use crate::text::kind::Kind;
use crate::text::unit::Unit;

impl CutOp {
    /// The part that the step returns; `None` or an empty range if it is missing.
    pub(super) fn part(
        &self,
        text: &str,
        unit: Unit,
        form: Form,
        slots: &mut Slots,
        state: &mut State,
    ) -> Option<Range<usize>> {
        let unit = unit.in_form(form);
        Some(match self {
            CutOp::Whole => 0..text.len(),
            CutOp::First(n) => {
                let end = unit.notch(text, *n);
                state.short |= falls_short(text, unit, *n, end == text.len(), end);
                0..end
            }
            CutOp::Last(n) => {
                let start = unit.notch_from_end(text, *n);
                state.short |= falls_short(text, unit, *n, start == 0, text.len() - start);
                start..text.len()
            }
            CutOp::Char(position) => {
                window(text, unit, &Window { from: *position, to: *position, width: None, bounded: true }, state)?
            }
            CutOp::CharsTo(range) => {
                window(text, unit, &Window { from: range.from, to: range.to, width: None, bounded: range.bounded }, state)?
            }
            CutOp::CharsFor { from, width } => {
                window(text, unit, &Window { from: *from, to: *from, width: Some(*width), bounded: true }, state)?
            }
            CutOp::DropFirst(n) => {
                let start = if unit == Unit::Bytes { text.ceil_char_boundary(*n) } else { unit.notch(text, *n) };
                // A split code point is left out.
                state.short |= unit == Unit::Bytes && start > *n;
                start..text.len()
            }
            CutOp::DropLast(n) => {
                let wanted = text.len().saturating_sub(*n);
                let end = if unit == Unit::Bytes { text.floor_char_boundary(wanted) } else { unit.notch_from_end(text, *n) };
                state.short |= unit == Unit::Bytes && end < wanted;
                0..end
            }
            CutOp::UpTo { nth, marker, with_it } => {
                let found = marker.nth(text, *nth, form)?;
                0..if *with_it { found.end } else { found.start }
            }
            CutOp::Onward { nth, marker, with_it } => {
                let found = marker.nth(text, *nth, form)?;
                (if *with_it { found.start } else { found.end })..text.len()
            }
            CutOp::Between { first, open, second, close } => {
                let start = open.nth(text, *first, form)?.end;
                let end = match second {
                    None => close.next(text, start, form)?.start,
                    Some(nth) => close.nth(text, *nth, form)?.start,
                };
                (start <= end).then_some(start..end)?
            }
            CutOp::Sections { range, by, skipping_empty } => {
                let (part, all_there) = sections_from_to(text, range, by, *skipping_empty, form)?;
                state.short |= !all_there;
                part
            }
            CutOp::Number { which, style } => style.pick(text, *which, form)?,
            CutOp::Run(which) => pick(|| runs(text, form), *which)?,
            CutOp::RunOf { which, class } => class.nth(text, *which, form)?,
            CutOp::Match(pattern) => pattern.next(&mut pattern.compiled.matches(text), 0, slots)?.1?,
            CutOp::Trim(sides) => finish::trim(text, *sides),
        })
    }
}

impl op::SpreadOp {
    pub(super) fn parts(&self, text: &str, form: Form, slots: &mut Slots, mut give: impl FnMut(Range<usize>)) {
        match self {
            SpreadOp::Sections { by, skipping_empty } => sections(text, by, *skipping_empty, form).for_each(give),
            SpreadOp::Numbers(style) => style.each(text, form, give),
            SpreadOp::Runs => runs(text, form).for_each(give),
            SpreadOp::RunsOf(class) => class.each(text, form, give),
            SpreadOp::Groups { compiled, straight, count } => {
                let mut places = Places::default();
                if straight.as_ref().is_some_and(|straight| form.is_plain() && straight.read(text.as_bytes(), &mut places)) {
                    places[..*count].iter().for_each(|(start, end)| give(*start..*end));
                } else if compiled.find_groups(text, 0, *count, slots) {
                    (1..=*count).for_each(|number| give(group(slots, number).unwrap_or_default()));
                }
            }
            SpreadOp::Matches(pattern) => {
                let (mut matches, mut at) = (pattern.compiled.matches(text), 0);
                while let Some((found, part)) = pattern.next(&mut matches, at, slots) {
                    // An empty match is not a result; the search continues after the next character.
                    if found.is_empty() {
                        at = found.end + text[found.end..].chars().next().map_or(1, char::len_utf8);
                    } else {
                        give(part.unwrap_or(found.end..found.end));
                        at = found.end;
                    }
                }
            }
        }
    }
}

/// Whether a cut of `n` from one end is shorter: it reached the other end, or left out a split code point.
fn falls_short(text: &str, unit: Unit, n: usize, reached_end: bool, bytes: usize) -> bool {
    match unit {
        Unit::Bytes => bytes < n,
        _ => reached_end && unit.count(text) < n,
    }
}

struct Window {
    from: Position,
    to: Position,
    width: Option<usize>,
    /// Whether a missing position makes the result short.
    bounded: bool,
}

/// The bytes of a window. Positions outside the text are left out, and the
/// result is then short.
fn window(text: &str, unit: Unit, window: &Window, state: &mut State) -> Option<Range<usize>> {
    let Window { from, to, width, bounded } = *window;
    // Positions from the start need no count of the whole text. Only cuts by bytes can split a code point.
    if let (Position::FromStart(first), true) = (from, unit != Unit::Bytes) {
        let wanted = match (width, to) {
            (Some(width), _) => Some(width),
            (None, Position::FromStart(last)) => Some((last + 1).checked_sub(first).filter(|wanted| *wanted > 0)?),
            (None, Position::FromEnd(1)) if !bounded => Some(usize::MAX),
            (None, Position::FromEnd(_)) => None,
        };
        if let Some(wanted) = wanted {
            let start = unit.notch(text, first - 1);
            let rest = &text[start..];
            let end = unit.notch(rest, wanted);
            state.short |= bounded && end > 0 && falls_short(rest, unit, wanted, end == rest.len(), end);
            return Some(start..start + end);
        }
    }
    let count = unit.count(text);
    let first = from.among(count);
    let last = width.map_or_else(|| to.among(count), |width| first.saturating_add_unsigned(width as u64 - 1));
    let found_first = usize::try_from(first.max(1)).ok()?;
    let found_last = usize::try_from(last).ok()?.min(count);
    if found_first > found_last {
        return None;
    }
    let (start, end) = match unit {
        // A code point that crosses the edge of the window is left out.
        Unit::Bytes => (text.ceil_char_boundary(found_first - 1), text.floor_char_boundary(found_last)),
        _ => {
            let start = unit.notch(text, found_first - 1);
            (start, start + unit.notch(&text[start..], found_last + 1 - found_first))
        }
    };
    if start >= end {
        return None;
    }
    let got = if unit == Unit::Bytes { end - start } else { found_last - found_first + 1 };
    state.short |= bounded && (got as i64) < last - first + 1;
    Some(start..end)
}

fn sections<'a>(text: &'a str, by: &'a Matcher, skipping_empty: bool, form: Form) -> impl Iterator<Item = Range<usize>> + 'a {
    let mut markers = by.occurrences(text, form);
    let mut start = Some(0);
    std::iter::from_fn(move || {
        let from = start?;
        let marker = markers.next();
        start = marker.as_ref().map(|marker| marker.end);
        Some(from..marker.map_or(text.len(), |marker| marker.start))
    })
    .filter(move |section| !(skipping_empty && section.is_empty()))
}

fn sections_from_to(
    text: &str,
    range: &ast::Range,
    by: &Matcher,
    skipping_empty: bool,
    form: Form,
) -> Option<(Range<usize>, bool)> {
    let iterate = || sections(text, by, skipping_empty, form);
    if range.from == range.to && range.bounded {
        return Some((pick(iterate, range.from)?, true));
    }
    let (from, to, all_there) = match (range.from, range.to) {
        (Position::FromStart(from), Position::FromStart(to)) => (from, to, None),
        (Position::FromStart(from), Position::FromEnd(1)) if !range.bounded => (from, usize::MAX, Some(true)),
        (from, to) => {
            let count = iterate().count();
            let (first, last) = (from.among(count), to.among(count));
            let (found_first, found_last) = (usize::try_from(first.max(1)).ok()?, usize::try_from(last).ok()?.min(count));
            if found_first > found_last {
                return None;
            }
            let all = !range.bounded || (first >= 1 && last <= i64::try_from(count).unwrap_or(i64::MAX));
            (found_first, found_last, Some(all))
        }
    };
    let mut there = iterate().skip(from - 1);
    let first = there.next()?;
    let mut part = first;
    let mut last = from;
    while last < to
        && let Some(section) = there.next()
    {
        part.end = section.end;
        last += 1;
    }
    Some((part, all_there.unwrap_or(last == to)))
}

fn runs(text: &str, form: Form) -> impl Iterator<Item = Range<usize>> + '_ {
    let mut at = 0;
    std::iter::from_fn(move || {
        let start = at;
        let width = |at: usize| if form.is_plain() { usize::from(at < text.len()) } else { characters::width_at(text, at) };
        let mut next = at + width(at);
        if next == at {
            return None;
        }
        let kind = Kind::of(&text[at..next]);
        at = next;
        loop {
            next = at + width(at);
            if next == at || Kind::of(&text[at..next]) != kind {
                return Some(start..at);
            }
            at = next;
        }
    })
}
