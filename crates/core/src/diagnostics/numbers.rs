//! Numbers that a phrase read partly, without their sign, or not at all.

use std::collections::BTreeMap;
use std::ops::Range;

use crate::batch::Sixteen;

use crate::batch::simd;
use crate::batch::{Span, Texts};
use crate::phrase::ast::{Body, NumberExample, NumberStyle, Phrase, StepKind};
use crate::phrase::number_example::{Signs, is_sign};
use crate::program::number::{STYLES, exponent, is_in_parentheses, is_mark, sign_after, sign_before};
use crate::program::{NumberPlan, Results};
use crate::sightings::Sightings;

/// Observations about the number step of a phrase.
#[derive(Debug, Clone)]
pub struct NumberDiagnostics {
    step: NumberStep,
    /// The byte of the trimmed phrase after the step, where `like` or `signed` belongs.
    pub at: usize,
    plan: NumberPlan,
    pub has_example: bool,
    /// The doubts about values, with an example of each.
    pub doubts: BTreeMap<NumberDoubt, DoubtfulNumbers>,
    pub with_point: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum NumberStep {
    One,
    All,
    Plain,
}

/// A doubt about the number of a value. A style is an index of [`STYLES`]; `None` is an unknown one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum NumberDoubt {
    Part(Option<usize>),
    Missing(Option<usize>),
    Sign(SignPlace),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum SignPlace {
    Before,
    After,
    Around,
}

#[derive(Debug, Clone, Default)]
pub struct DoubtfulNumbers {
    pub seen: Sightings,
    pub value: String,
    /// The result for this value, or an empty string.
    pub part: String,
}

impl NumberDiagnostics {
    /// Observations for the last number step of the first branch, if it has one.
    pub fn new(phrase: &Phrase) -> Option<NumberDiagnostics> {
        let Body::Steps(steps) = &phrase.branches.first()?.body else { return None };
        let (step, kind, style) = steps.iter().rev().find_map(|step| match &step.kind {
            StepKind::Number { style, .. } => Some((step, NumberStep::One, style.clone())),
            StepKind::AllNumbers(style) => Some((step, NumberStep::All, style.clone())),
            StepKind::PlainNumber(like) => Some((step, NumberStep::Plain, NumberStyle { signed: true, like: like.clone() })),
            _ => None,
        })?;
        Some(NumberDiagnostics {
            step: kind,
            at: step.span.end - (phrase.source.len() - phrase.source.trim_start().len()),
            plan: NumberPlan::new(&style).ok()?,
            has_example: !style.like.is_empty(),
            doubts: BTreeMap::new(),
            with_point: false,
        })
    }

    /// The words that make the step read a style. `None` if this would change the reading of results with a point.
    pub fn with_style(&self, style: usize) -> Option<String> {
        let (example, decimal) = STYLES.get(style)?;
        (*decimal == '.' || !self.with_point).then(|| format!(" like \"{example}\""))
    }

    pub fn is_plain(&self) -> bool {
        self.step == NumberStep::Plain
    }

    pub fn append(&mut self, later: &NumberDiagnostics, offset: u64) {
        self.with_point |= later.with_point;
        for (doubt, numbers) in &later.doubts {
            let first = || DoubtfulNumbers { seen: Sightings::default(), ..numbers.clone() };
            self.doubts.entry(*doubt).or_insert_with(first).seen.append(&numbers.seen, offset);
        }
    }

    // Not inlined, so that the loops keep their variables in registers.
    #[inline(never)]
    pub fn observe(&mut self, values: Texts, results: &Results, number: &dyn Fn(usize) -> u64) {
        match self.step {
            NumberStep::One if !results.are_several() => self.observe_parts(values, results, number),
            NumberStep::One | NumberStep::All => self.observe_all(values, results, number),
            NumberStep::Plain => self.observe_plain(values, results, number),
        }
    }

    fn observe_parts(&mut self, values: Texts, results: &Results, number: &dyn Fn(usize) -> u64) {
        let text = values.text.as_bytes();
        self.with_point = self.with_point || results.sources().iter().any(|part| has_point(text, *part));
        for (row, part) in results.sources().iter().enumerate() {
            if part.is_empty() {
                if self.has_example && results.state(row).missing {
                    self.note_missing(values.get(row), number(row));
                }
            } else if may_be_doubtful(text, *part) {
                let Some(value) = values.spans.get(row) else { continue };
                let is_inside = part.start >= value.start && part.end <= value.end;
                if is_inside && is_doubtful(text, *value, *part) {
                    let part = (part.start - value.start) as usize..(part.end - value.start) as usize;
                    self.note_part(values.get(row), &part, number(row));
                }
            }
        }
    }

    fn observe_all(&mut self, values: Texts, results: &Results, number: &dyn Fn(usize) -> u64) {
        let mut parts: Vec<Range<usize>> = Vec::new();
        for (row, value) in values.iter().enumerate() {
            parts.clear();
            self.plan.each(value, values.forms.of(row), |part| parts.push(part));
            if parts.is_empty() && self.has_example && results.state(row).missing {
                self.note_missing(value, number(row));
            }
            let whole = Span::new(0, value.len());
            let span = |part: &Range<usize>| Span::new(part.start, part.end);
            self.with_point = self.with_point || parts.iter().any(|part| has_point(value.as_bytes(), span(part)));
            // The first doubtful number of a row stands for the others.
            let is_noted = |part: &Range<usize>| {
                is_doubtful(value.as_bytes(), whole, span(part)) && self.note_part(value, part, number(row))
            };
            parts.iter().any(is_noted);
        }
    }

    fn observe_plain(&mut self, values: Texts, results: &Results, number: &dyn Fn(usize) -> u64) {
        for (row, value) in values.spans.iter().enumerate() {
            let state = results.state(row);
            // `plain number` strips trailing decimals, so look for the point in the value.
            self.with_point = self.with_point || (state.is_there() && has_point(values.text.as_bytes(), *value));
            if state.missing {
                let value = values.get(row);
                if let Some(style) = style_of(value.trim()) {
                    self.note(NumberDoubt::Missing(Some(style)), value, "", number(row));
                }
            }
        }
    }

    /// Notes a partly read number or an unread sign. Returns whether the value has one.
    #[cold]
    fn note_part(&mut self, value: &str, part: &Range<usize>, row: u64) -> bool {
        let doubt = match stretch(value, part) {
            Some(whole) => {
                // An ordinary space divides a number for sure only where the value is that number.
                let is_sure = !value[whole.clone()].contains(' ') || value.trim() == &value[whole.clone()];
                NumberDoubt::Part(style_of(&value[whole]).filter(|_| is_sure))
            }
            None => match self.unread_sign(value, part) {
                Some(place) => NumberDoubt::Sign(place),
                None => return false,
            },
        };
        self.note(doubt, value, &value[part.clone()], row);
        true
    }

    #[cold]
    fn note_missing(&mut self, value: &str, row: u64) {
        let Some(start) = value.find(|c: char| c.is_ascii_digit()) else { return };
        let digits = start..value[start..].find(|c: char| !c.is_ascii_digit()).map_or(value.len(), |width| start + width);
        let whole = stretch(value, &digits).unwrap_or(digits);
        self.note(NumberDoubt::Missing(style_of(&value[whole])), value, "", row);
    }

    fn note(&mut self, doubt: NumberDoubt, value: &str, part: &str, row: u64) {
        let first = || DoubtfulNumbers { seen: Sightings::default(), value: value.to_owned(), part: part.to_owned() };
        self.doubts.entry(doubt).or_insert_with(first).seen.note(row);
    }

    /// The place of a sign that the style ignores. Without an example, the sign counts only if the value is a single number.
    fn unread_sign(&self, value: &str, part: &Range<usize>) -> Option<SignPlace> {
        let is_value = |range: Range<usize>| self.has_example || value.trim() == &value[range];
        let Signs { before, after, around } = self.plan.signs();
        if let Some(start) = sign_before(value, part.start) {
            return (!before && is_value(start..part.end)).then_some(SignPlace::Before);
        }
        if is_in_parentheses(value, part) {
            return (!around && is_value(part.start - 1..part.end + 1)).then_some(SignPlace::Around);
        }
        let end = sign_after(value, part.end)?;
        (!after && is_value(part.start..end)).then_some(SignPlace::After)
    }
}

const POINT: Sixteen = Sixteen::new([b'.'; 16]);

fn has_point(text: &[u8], part: Span) -> bool {
    simd::first(text, part.start as usize, part.end as usize, |sixteen| simd::are(sixteen, POINT)).is_some()
}

/// Whether [`is_doubtful`] may hold: it also counts bytes beyond the value.
#[inline(always)]
fn may_be_doubtful(text: &[u8], part: Span) -> bool {
    let two = |at: Option<usize>| at.and_then(|at| text.get(at..at + 2)?.first_chunk::<2>());
    let is_near = |mark: u8, beyond: u8| match BESIDE[usize::from(mark)] {
        Beside::Nothing => false,
        Beside::Mark => beyond.is_ascii_digit(),
        Beside::Doubt => true,
    };
    match (two((part.start as usize).checked_sub(2)), two(Some(part.end as usize))) {
        (Some([beyond, before]), Some([after, next])) => is_near(*before, *beyond) | is_near(*after, *next),
        _ => true,
    }
}

#[derive(Clone, Copy)]
enum Beside {
    Nothing,
    Mark,
    Doubt,
}

const BESIDE: [Beside; 256] = {
    let mut table = [Beside::Nothing; 256];
    let mut byte = 0;
    while byte < 256 {
        table[byte] = match byte as u8 {
            b',' | b'.' | b'\'' | b'_' | b' ' => Beside::Mark,
            b'+' | b'-' | b'(' | b'e' | b'E' | 0x80.. => Beside::Doubt,
            _ => Beside::Nothing,
        };
        byte += 1;
    }
    table
};

/// Whether the bytes beside a number leave a doubt: a digit behind a mark or space, a sign, an exponent, or a character beyond ASCII.
#[cold]
fn is_doubtful(text: &[u8], value: Span, part: Span) -> bool {
    let byte = |at: u32| if at < value.end { text[at as usize] } else { 0 };
    let byte_before = |width: u32| if part.start - value.start >= width { text[(part.start - width) as usize] } else { 0 };
    let goes_on = |mark: u8, beyond: u8| matches!(BESIDE[usize::from(mark)], Beside::Mark) && beyond.is_ascii_digit();
    let (before, after) = (byte_before(1), byte(part.end));
    goes_on(before, byte_before(2))
        || goes_on(after, byte(part.end + 1))
        || matches!((before, after), (b'+' | b'-' | 0x80.., _) | (_, b'+' | b'-' | b'e' | b'E' | 0x80..) | (b'(', b')'))
}

/// The style of a text that is one number with marks as a whole; an index of [`STYLES`].
pub fn style_of(text: &str) -> Option<usize> {
    if !text.contains(|c: char| !c.is_ascii_digit() && !is_sign(c)) {
        return None;
    }
    let fits = |style: &(&str, char)| {
        let example = NumberExample { text: style.0.to_owned(), span: 0..0 };
        NumberPlan::whole(&[example]).is_ok_and(|plan| plan.is_whole(text))
    };
    STYLES.iter().position(fits)
}

/// The range of the whole number around a part of it. A number continues with a mark and digits, with a space and three digits, or, after
/// decimals, with an exponent.
pub fn stretch(value: &str, part: &Range<usize>) -> Option<Range<usize>> {
    let mut whole = part.clone();
    // One mark at a time, with digits on both sides.
    let goes_on = |chars: &mut dyn Iterator<Item = char>| {
        let (mut width, mut mark) = (0, 0);
        for c in chars {
            match c {
                '0'..='9' => (width, mark) = (width + mark + 1, 0),
                _ if mark == 0 && is_mark(c) => mark = c.len_utf8(),
                _ => break,
            }
        }
        width
    };
    let digits = |text: &str| text.bytes().take_while(u8::is_ascii_digit).count();
    let last_digits = |text: &str| text.bytes().rev().take_while(u8::is_ascii_digit).count();
    loop {
        let before = whole.clone();
        whole.start -= goes_on(&mut value[..whole.start].chars().rev());
        whole.end += goes_on(&mut value[whole.end..].chars());
        let number = &value[whole.clone()];
        let (first, last) = (digits(number), last_digits(number));
        if first == 3
            && let Some(left) = value[..whole.start].strip_suffix(' ')
            && (1..=3).contains(&last_digits(left))
        {
            whole.start -= 1 + last_digits(left);
        }
        // Decimals are not a first group.
        if (1..=3).contains(&last)
            && (number.len() == last || last == 3)
            && let Some(right) = value[whole.end..].strip_prefix(' ')
            && digits(right) == 3
        {
            whole.end += 4;
        }
        if value[whole.clone()].contains('.')
            && let Some(digit) = exponent(value.as_bytes(), whole.end)
        {
            whole.end = digit + digits(&value[digit..]);
        }
        if whole == before {
            return (whole != *part).then_some(whole);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_that_go_on() {
        for (value, part, whole, style) in [
            ("1,234.56", "1", Some("1,234.56"), Some("1,234.5")),
            ("1.234,56 EUR", "1.234", Some("1.234,56"), Some("1.234,5")),
            ("12 345", "12", Some("12 345"), Some("1 234,5")),
            ("12 345 678,5", "12", Some("12 345 678,5"), Some("1 234,5")),
            ("12\u{a0}345 kg", "12", Some("12\u{a0}345"), Some("1 234,5")),
            ("pad 3 200", "3", Some("3 200"), Some("1 234,5")),
            ("pad 3 200", "200", Some("3 200"), Some("1 234,5")),
            ("12,34,567", "12", Some("12,34,567"), None),
            ("v1.10.2", "1.10", Some("1.10.2"), None),
            ("1.2e3", "1.2", Some("1.2e3"), None),
            ("3.25 mm", "3.25", None, None),
            ("3.25 200", "3.25", None, None),
            ("2019 385", "2019", None, None),
            ("1 2345", "1", None, None),
            ("lot 12e3", "12", None, None),
            ("size 3, new", "3", None, None),
            ("2025/11", "2025", None, None),
            ("12, 34", "12", None, None),
        ] {
            let start = value.find(part).unwrap();
            let found = stretch(value, &(start..start + part.len())).map(|range| &value[range]);
            assert_eq!(found, whole, "{value}");
            assert_eq!(found.and_then(style_of).map(|style| STYLES[style].0), style, "{value}");
        }
    }
}
