//! Numbers in a text.
//!
//! Without an example, a number is digits, or digits `.` digits. With an example (`like "1,234.5"`), a *candidate* is the longest stretch
//! of digits and marks of any style, and it must match the example from end to end.

use std::ops::Range;

use super::finish;
use super::matcher::pick;
use crate::batch::simd::{self, ByteRange};
use crate::phrase::ast::{NumberExample, NumberStyle, Position};
use crate::phrase::number_example::{Signs, is_sign};
use crate::phrase::{ErrorKind, PhraseError};
use crate::text::characters::{self, Form};

/// Examples of the usual number styles, as `like` takes them, and the decimal mark of each.
pub(crate) const STYLES: [(&str, char); 4] = [("1,234.5", '.'), ("1.234,5", ','), ("1 234,5", ','), ("1'234.5", '.')];

#[derive(Debug, Clone)]
pub(crate) struct NumberPlan {
    signs: Signs,
    marks: Marks,
    /// Whether an example was given, so that the result is a plain number.
    like: bool,
}

/// The marks inside a number. A blank thousands mark stands for every kind of blank used for it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Marks {
    thousands: Option<char>,
    decimal: Option<char>,
}

struct Candidate {
    range: Range<usize>,
    fits: bool,
}

/// Whether a character is a blank that can separate thousands: a space separator (Unicode Zs).
fn is_blank(c: char) -> bool {
    c.is_whitespace() && !c.is_control() && !matches!(c, '\u{2028}' | '\u{2029}')
}

/// Whether a character can be a mark between digits in any style. An ordinary space is a mark only in styles with spaces.
pub(crate) fn is_mark(c: char) -> bool {
    let is_narrow = matches!(c, '\u{a0}' | '\u{2006}'..='\u{200a}' | '\u{202f}' | '\u{205f}');
    matches!(c, '.' | ',' | '\'' | '’' | '_' | '٬' | '٫') || is_narrow
}

impl NumberPlan {
    pub(crate) fn new(style: &NumberStyle) -> Result<NumberPlan, PhraseError> {
        let usual = Marks { thousands: None, decimal: Some('.') };
        let mut plan = NumberPlan {
            signs: Signs { before: style.signed, ..Signs::default() },
            marks: usual,
            like: !style.like.is_empty(),
        };
        for example in &style.like {
            let (signs, digits) = example.split_sign();
            plan.marks = marks_of(digits, example)?;
            plan.signs.before |= signs.before;
            plan.signs.after |= signs.after;
            plan.signs.around |= signs.around;
        }
        Ok(plan)
    }

    /// The style for a text that is a single number with its sign, as the examples show it.
    pub(crate) fn whole(like: &[NumberExample]) -> Result<NumberPlan, PhraseError> {
        NumberPlan::new(&NumberStyle { signed: true, like: like.to_vec() })
    }

    /// Whether numbers are digits with optional decimals after a point, without a sign.
    pub(super) fn is_usual(&self) -> bool {
        self.signs == Signs::default() && !self.like
    }

    pub(crate) fn find_all<'a>(&'a self, text: &'a str, form: Form) -> impl Iterator<Item = Range<usize>> + 'a {
        let mut at = 0;
        std::iter::from_fn(move || {
            loop {
                let candidate = self.next(text, at, form)?;
                let from = std::mem::replace(&mut at, candidate.range.end);
                if candidate.fits
                    && let Some(number) = self.with_sign(text, from, candidate.range, form)
                {
                    at = number.end;
                    return Some(number);
                }
            }
        })
    }

    pub(crate) fn each(&self, text: &str, form: Form, mut give: impl FnMut(Range<usize>)) {
        if !self.is_usual() || !form.is_simple() {
            return self.find_all(text, form).for_each(give);
        }
        // A run of digits whose decimals may be the next run.
        let mut number: Option<Range<usize>> = None;
        simd::each_run(
            text.as_bytes(),
            |sixteen| ByteRange::DIGITS.has(sixteen),
            |run| {
                match number.take() {
                    Some(before) if before.end + 1 == run.start && text.as_bytes()[before.end] == b'.' => {
                        give(before.start..run.end);
                        return;
                    }
                    Some(before) => give(before),
                    None => {}
                }
                number = Some(run);
            },
        );
        number.into_iter().for_each(give);
    }

    pub(crate) fn pick(&self, text: &str, which: Position, form: Form) -> Option<Range<usize>> {
        pick(|| self.find_all(text, form), which)
    }

    #[inline]
    fn next(&self, text: &str, at: usize, form: Form) -> Option<Candidate> {
        let bytes = text.as_bytes();
        let start = simd::first(bytes, at, bytes.len(), |sixteen| ByteRange::DIGITS.has(sixteen))?;
        let mut end = digits_end(bytes, start);
        // A digit with a combining mark or a joiner invalidates the whole number.
        let mut fits = form.is_simple() || characters::is_notch(text, start);
        let mut has_point = false;
        loop {
            if !form.is_simple() && !characters::is_notch(text, end) {
                fits = false;
                end = characters::notch_from(text, end - 1, end);
            } else if let Some(digit) = match self.like {
                true => self.after_marks(text, end),
                false => after_mark(text, end, '.').filter(|_| !std::mem::replace(&mut has_point, true)),
            } && bytes.get(digit).is_some_and(u8::is_ascii_digit)
            {
                end = digit;
            } else if let Some(digit) = self.like.then(|| exponent(bytes, end)).flatten() {
                fits = false;
                end = digit;
            } else if !bytes.get(end).is_some_and(u8::is_ascii_digit) {
                break;
            }
            end = digits_end(bytes, end);
        }
        let fits = fits && (!self.like || self.fits(&text[start..end]));
        Some(Candidate { range: start..end, fits })
    }

    /// The byte after the marks at byte `at`. Marks of every style count.
    #[inline]
    fn after_marks(&self, text: &str, at: usize) -> Option<usize> {
        match text.as_bytes().get(at)? {
            // The usual case: a letter ends the number.
            byte if byte.is_ascii_alphabetic() => None,
            b' ' if !self.marks.thousands.is_some_and(is_blank) => None,
            _ => {
                let has_spaces = self.marks.thousands.is_some_and(is_blank);
                let marks = text[at..].chars().take_while(|c| is_mark(*c) || (has_spaces && is_blank(*c)));
                let width: usize = marks.map(char::len_utf8).sum();
                (width > 0).then_some(at + width)
            }
        }
    }

    /// Whether digits with marks between them fit the style from end to end.
    #[inline]
    fn fits(&self, text: &str) -> bool {
        let bytes = text.as_bytes();
        let mut end = digits_end(bytes, 0);
        if let Some(mark) = self.marks.thousands
            && end <= 3
        {
            while let Some(after) = after_mark(text, end, mark) {
                let group_end = digits_end(bytes, after);
                if group_end - after != 3 {
                    break;
                }
                end = group_end;
            }
        }
        if let Some(mark) = self.marks.decimal
            && let Some(after) = after_mark(text, end, mark)
        {
            end = digits_end(bytes, after);
        }
        end == bytes.len()
    }

    /// The range of a number with its sign, if the style has signs. `None` for a number with two signs. A sign before byte `from` belongs
    /// to the previous number.
    #[inline]
    fn with_sign(&self, text: &str, from: usize, number: Range<usize>, form: Form) -> Option<Range<usize>> {
        let Signs { before, after, around } = self.signs;
        if !(before || after || around) {
            return Some(number);
        }
        let left = before.then(|| sign_before(text, number.start)).flatten().filter(|start| *start >= from);
        let left = left.filter(|start| form.is_simple() || characters::is_notch(text, *start));
        let right = after.then(|| sign_after(text, number.end)).flatten();
        let right = right.filter(|end| form.is_simple() || characters::is_notch(text, *end));
        let are_around = around && number.start > from && is_in_parentheses(text, &number);
        match (left, right, are_around) {
            (None, None, false) => Some(number),
            (Some(start), None, false) => Some(start..number.end),
            (None, Some(end), false) => Some(number.start..end),
            (None, None, true) => Some(number.start - 1..number.end + 1),
            _ => None,
        }
    }

    pub(crate) fn write(&self, number: &str, out: &mut String) -> bool {
        self.like
            && finish::changed(number, out, |out| {
                if number.contains(['-', '\u{2212}', '(']) {
                    out.push('-');
                }
                out.extend(number.chars().filter_map(|c| match c {
                    '0'..='9' => Some(c),
                    c if Some(c) == self.marks.decimal => Some('.'),
                    _ => None,
                }));
            })
    }

    pub(crate) fn is_whole(&self, text: &str) -> bool {
        self.find_all(text, Form::of(text)).next() == Some(0..text.len())
    }

    pub(crate) fn signs(&self) -> Signs {
        self.signs
    }
}

/// The start of the sign that ends at byte `at`, unless a letter or digit precedes it.
pub(crate) fn sign_before(text: &str, at: usize) -> Option<usize> {
    let sign = text[..at].chars().next_back().filter(|c| is_sign(*c))?;
    let start = at - sign.len_utf8();
    let before = &text[..start];
    (!is_letter_or_digit(&before[characters::notch_from_end(before, 1)..])).then_some(start)
}

/// The end of the sign that starts at byte `at`, unless a letter or digit follows it.
pub(crate) fn sign_after(text: &str, at: usize) -> Option<usize> {
    let sign = text[at..].chars().next().filter(|c| is_sign(*c))?;
    let end = at + sign.len_utf8();
    (!is_letter_or_digit(&text[end..][..characters::notch(&text[end..], 1)])).then_some(end)
}

fn is_letter_or_digit(character: &str) -> bool {
    character.starts_with(char::is_alphabetic) || character.contains(|c: char| c.is_ascii_digit())
}

pub(crate) fn is_in_parentheses(text: &str, part: &Range<usize>) -> bool {
    text[..part.start].ends_with('(') && text[part.end..].starts_with(')')
}

#[inline]
fn digits_end(bytes: &[u8], start: usize) -> usize {
    bytes[start..].iter().position(|byte| !byte.is_ascii_digit()).map_or(bytes.len(), |n| start + n)
}

/// The first digit of the exponent at byte `at`, if any: `e3`, `E-3`.
#[inline]
pub(crate) fn exponent(bytes: &[u8], at: usize) -> Option<usize> {
    if !matches!(bytes.get(at), Some(b'e' | b'E')) {
        return None;
    }
    let digit = match &bytes[at + 1..] {
        [b'+' | b'-', ..] => at + 2,
        [0xE2, 0x88, 0x92, ..] => at + 4,
        _ => at + 1,
    };
    bytes.get(digit).is_some_and(u8::is_ascii_digit).then_some(digit)
}

#[inline]
fn after_mark(text: &str, at: usize, mark: char) -> Option<usize> {
    if mark.is_ascii() && mark != ' ' {
        return (text.as_bytes().get(at) == Some(&(mark as u8))).then_some(at + 1);
    }
    let c = text[at..].chars().next()?;
    let same = c == mark || (is_blank(mark) && is_blank(c));
    same.then(|| at + c.len_utf8())
}

/// The marks of an example without its sign: `1,234.5`, `1.234,5`, `1 234,5`, `1234`, `1234.5`.
///
/// A single mark is a thousands mark if three digits follow and at most three precede it.
fn marks_of(text: &str, example: &NumberExample) -> Result<Marks, PhraseError> {
    let refused = || {
        PhraseError {
        kind: ErrorKind::BadExample,
        span: example.span.clone(),
        help: r#"write one number with its marks, such as `like "1,234.5"`, `like "1.234,5"`, `like "1 234,5"`, `like "1234"` or `like "(1,234.5)"`"#
            .to_owned(),
    }
    };
    let marks: Vec<(usize, char)> = text.char_indices().filter(|(_, c)| !c.is_ascii_digit()).collect();
    let allowed = |c: char| is_mark(c) || is_blank(c);
    if !text.starts_with(|c: char| c.is_ascii_digit())
        || !text.ends_with(|c: char| c.is_ascii_digit())
        || !marks.iter().all(|(_, c)| allowed(*c))
    {
        return Err(refused());
    }
    let groups: Vec<usize> = text.split(|c: char| !c.is_ascii_digit()).map(str::len).collect();
    let grouped = |groups: &[usize]| (1..=3).contains(&groups[0]) && groups[1..].iter().all(|width| *width == 3);
    let same = |marks: &[(usize, char)]| marks.iter().all(|(_, c)| *c == marks[0].1);
    Ok(match marks.as_slice() {
        [] => Marks { thousands: None, decimal: None },
        [(_, mark)] if grouped(&groups) => Marks { thousands: Some(*mark), decimal: None },
        [(_, mark)] if !is_blank(*mark) => Marks { thousands: None, decimal: Some(*mark) },
        all if same(all) && grouped(&groups) => Marks { thousands: Some(all[0].1), decimal: None },
        [thousands @ .., (_, decimal)]
            if !thousands.is_empty()
                && same(thousands)
                && thousands[0].1 != *decimal
                && !is_blank(*decimal)
                && grouped(&groups[..groups.len() - 1]) =>
        {
            Marks { thousands: Some(thousands[0].1), decimal: Some(*decimal) }
        }
        _ => return Err(refused()),
    })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use regex::Regex;

    use super::*;

    proptest! {
        #[test]
        fn usual_numbers_are_digits_with_decimals(text in "([0-9]{0,70}[.]?|[a-é .]{0,70}){0,4}") {
            let mut found = Vec::new();
            let usual = NumberPlan::new(&NumberStyle { signed: false, like: Vec::new() }).unwrap();
            usual.each(&text, Form::of(&text), |range| found.push(range));
            let number = Regex::new(r"[0-9]+(\.[0-9]+)?").unwrap();
            let expected: Vec<_> = number.find_iter(&text).map(|found| found.range()).collect();
            prop_assert_eq!(found, expected, "{:?}", text);
        }
    }
}
