//! The definitions of finishes: steps that change the text. Each returns whether it changed the text, and writes only then.

use unicode_segmentation::UnicodeSegmentation as _;

use super::class::ClassPlan;
use super::matcher::Matcher;
use super::number::NumberPlan;
use super::op::FinishOp;
use super::pattern::{Slots, Template};
use super::state::State;
use crate::check::check_digit;
use crate::decimal;
use crate::phrase::ast::{Side, Sides};
use crate::text::characters::{self, Form};
use crate::text::digits;
use crate::text::kind::Kind;
use crate::text::unit::Unit;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Change {
    New,
    Same,
    Missing,
}

impl From<bool> for Change {
    fn from(changed: bool) -> Change {
        if changed { Change::New } else { Change::Same }
    }
}

impl FinishOp {
    /// Appends the changed text to `out`. The text is not empty. If the result would far exceed `most` bytes, only its size beyond `most`
    /// is certain.
    pub(super) fn write(
        &self,
        text: &str,
        (unit, form): (Unit, Form),
        slots: &mut Slots,
        state: &mut State,
        (out, most): (&mut String, usize),
    ) -> Change {
        let cheapest = unit.in_form(form);
        match self {
            FinishOp::Squeeze => squeeze(text, form, out).into(),
            FinishOp::Upper => upper(text, out).into(),
            FinishOp::Lower => lower(text, out).into(),
            FinishOp::Title => title(text, out).into(),
            FinishOp::Filter { class, keep } => filter(text, form, class, *keep, out).into(),
            FinishOp::Replace { marker, with } => replace(text, (marker, form), with, slots, (out, most)).into(),
            FinishOp::Pad { side, width, with } => match pad((text, cheapest), *side, *width, (with, unit), (out, most)) {
                PadStep::Filled => Change::New,
                PadStep::Exact => Change::Same,
                PadStep::Long => {
                    state.long = true;
                    Change::Same
                }
            },
            FinishOp::Clip { width, mark, mark_width } => match clip(text, *width, *mark_width, cheapest) {
                None => Change::Same,
                Some(end) => {
                    out.push_str(&text[..end]);
                    out.push_str(mark);
                    Change::New
                }
            },
            FinishOp::Prefix(prefix) => {
                out.push_str(prefix);
                out.push_str(text);
                Change::New
            }
            FinishOp::Instead(instead) => {
                out.push_str(instead);
                Change::New
            }
            FinishOp::Suffix(suffix) => {
                out.push_str(text);
                out.push_str(suffix);
                Change::New
            }
            FinishOp::PlainNumber(style) => plain_number(style.as_ref(), text, out),
            FinishOp::PlainDigits if form.is_plain() => Change::Same,
            FinishOp::PlainDigits => plain_digits(text, out).into(),
            FinishOp::AddCheckDigit(algorithm) => {
                if check_digit::add(*algorithm, text, out) {
                    Change::New
                } else {
                    Change::Missing
                }
            }
            FinishOp::Lookup(table) => match table.get(text).unwrap_or_default() {
                "" => Change::Missing,
                result => {
                    out.push_str(result);
                    Change::New
                }
            },
            FinishOp::Undress(style) => style.write(text, out).into(),
            FinishOp::Date(date) => match date.read(text) {
                None => Change::Missing,
                Some(date) if date == text => Change::Same,
                Some(date) => {
                    out.push_str(&date);
                    Change::New
                }
            },
        }
    }
}

fn plain_number(style: Option<&NumberPlan>, text: &str, out: &mut String) -> Change {
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
    Change::New
}

/// The range of `text` without white space (Unicode White_Space) at its ends. A space that carries a combining mark stays.
pub(super) fn trim(text: &str, sides: Sides) -> std::ops::Range<usize> {
    let mut start = match sides {
        Sides::Only(Side::Right) => 0,
        _ => text.len() - text.trim_start().len(),
    };
    let mut end = match sides {
        Sides::Only(Side::Left) => text.len(),
        _ => text.trim_end().len(),
    };
    while !characters::is_notch(text, start) {
        start = text.floor_char_boundary(start - 1);
    }
    while !characters::is_notch(text, end) {
        end = text.ceil_char_boundary(end + 1);
    }
    // Text of only white space is trimmed to an empty range from either side.
    start..end.max(start)
}

pub(super) fn upper(text: &str, out: &mut String) -> bool {
    if text.is_ascii() {
        return ascii(text, out, u8::is_ascii_lowercase, str::make_ascii_uppercase);
    }
    changed(text, out, |out| out.extend(text.chars().flat_map(char::to_uppercase)))
}

pub(super) fn lower(text: &str, out: &mut String) -> bool {
    if text.is_ascii() {
        return ascii(text, out, u8::is_ascii_uppercase, str::make_ascii_lowercase);
    }
    changed(text, out, |out| {
        if text.contains('Σ') {
            // The lower case of some letters depends on their position in the word.
            out.push_str(&text.to_lowercase());
        } else {
            out.extend(text.chars().flat_map(char::to_lowercase));
        }
    })
}

fn ascii(text: &str, out: &mut String, is_other: fn(&u8) -> bool, make: fn(&mut str)) -> bool {
    if !text.bytes().any(|b| is_other(&b)) {
        return false;
    }
    let start = out.len();
    out.push_str(text);
    make(&mut out[start..]);
    true
}

/// Appends to `out`, and reverts if the result equals `text`.
pub(super) fn changed(text: &str, out: &mut String, write: impl FnOnce(&mut String)) -> bool {
    let start = out.len();
    write(out);
    let changed = out[start..] != *text;
    if !changed {
        out.truncate(start);
    }
    changed
}

fn plain_digits(text: &str, out: &mut String) -> bool {
    changed(text, out, |out| out.extend(text.chars().map(|c| digits::value(c).map_or(c, |digit| char::from(b'0' + digit)))))
}

/// Appends `text` with single spaces for runs of white space to `out`, if that changes it. A space that carries a combining mark is
/// another character.
pub(super) fn squeeze(text: &str, form: Form, out: &mut String) -> bool {
    if !form.is_simple() {
        return changed(text, out, |out| {
            let mut in_space = false;
            for character in characters::ranges(text).map(|range| &text[range]) {
                let is_space = Kind::of(character) == Kind::Space;
                if !(is_space && in_space) {
                    out.push_str(if is_space { " " } else { character });
                }
                in_space = is_space;
            }
        });
    }
    let mut in_space = false;
    let is_squeezed = text.chars().all(|c| {
        let holds = !c.is_whitespace() || (c == ' ' && !in_space);
        in_space = c.is_whitespace();
        holds
    });
    if is_squeezed {
        return false;
    }
    let mut in_space = false;
    for c in text.chars() {
        if !c.is_whitespace() {
            out.push(c);
        } else if !in_space {
            out.push(' ');
        }
        in_space = c.is_whitespace();
    }
    true
}

/// Appends `text` in title case to `out`, if that changes it. Words follow Unicode Standard Annex #29. After a single letter and an
/// apostrophe a new name begins (`O'Brien`), unless at most two letters follow (`I'll`).
pub(super) fn title(text: &str, out: &mut String) -> bool {
    const APOSTROPHES: [char; 2] = ['\'', '’'];
    changed(text, out, |out| {
        for word in text.split_word_bounds() {
            let mut before = None;
            for part in word.split_inclusive(APOSTROPHES) {
                let begins = match before {
                    None => true,
                    Some(width) => width == 1 && part.chars().filter(|c| !APOSTROPHES.contains(c)).count() > 2,
                };
                let mut chars = part.chars();
                let first = chars.next().filter(|_| begins);
                out.extend(first.into_iter().flat_map(char::to_uppercase));
                out.push_str(&if first.is_some() { chars.as_str() } else { part }.to_lowercase());
                before = Some(part.trim_end_matches(APOSTROPHES).chars().count());
            }
        }
    })
}

/// Appends the characters of `text` that are in the class (`keep`), or not in it, to `out`, if that removes any.
pub(super) fn filter(text: &str, form: Form, class: &ClassPlan, keep: bool, out: &mut String) -> bool {
    if form.is_plain() {
        let start = out.len();
        class.each_run_in_plain(text.as_bytes(), keep, |run| out.push_str(&text[run]));
        let changed = out.len() - start < text.len();
        if !changed {
            out.truncate(start);
        }
        return changed;
    }
    changed(text, out, |out| {
        out.extend(characters::ranges(text).map(|range| &text[range]).filter(|character| class.has(character) == keep));
    })
}

pub(super) fn replace(
    text: &str,
    (marker, form): (&Matcher, Form),
    with: &Template,
    slots: &mut Slots,
    (out, most): (&mut String, usize),
) -> bool {
    let start = out.len();
    let mut kept = 0;
    if let (Some(regex), Some(greatest)) = (marker.regex(), with.greatest_group()) {
        let mut matches = regex.matches(text);
        while out.len() <= most
            && let Some(found) = matches.next(kept, Some((greatest, slots)))
        {
            out.push_str(&text[kept..found.start]);
            with.write(text, slots, out);
            kept = found.end;
        }
    } else {
        marker.each(text, form, |found| {
            if out.len() <= most {
                out.push_str(&text[kept..found.start]);
                with.write(text, slots, out);
            }
            kept = found.end;
        });
    }
    if kept == 0 {
        // No match: markers are never empty.
        out.truncate(start);
        return false;
    }
    out.push_str(&text[kept..]);
    true
}

/// The end of a text clipped to `width`, with room for a mark; `None` if it fits.
pub(super) fn clip(text: &str, width: usize, mark_width: usize, unit: Unit) -> Option<usize> {
    (unit.count(text) > width).then(|| unit.notch(text, width - mark_width))
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum PadStep {
    Exact,
    Filled,
    Long,
}

/// Appends `text` padded to `width` to `out`, if it is narrower. `text` may be counted in another unit than the padding if the result is
/// the same.
fn pad(
    (text, of_text): (&str, Unit),
    side: Side,
    width: usize,
    (with, unit): (&str, Unit),
    (out, most): (&mut String, usize),
) -> PadStep {
    let there = of_text.count(text);
    let Some(wanted) = width.checked_sub(there) else { return PadStep::Long };
    if wanted == 0 {
        return PadStep::Exact;
    }
    if side == Side::Right {
        out.push_str(text);
    }
    // A character has at least one byte.
    fill(wanted.min(most.saturating_add(1)), with, unit, out);
    if side == Side::Left {
        out.push_str(text);
    }
    PadStep::Filled
}

fn fill(wanted: usize, with: &str, unit: Unit, out: &mut String) {
    let width = unit.count(with);
    for _ in 0..wanted / width {
        out.push_str(with);
    }
    out.push_str(&with[..unit.notch(with, wanted % width)]);
}
