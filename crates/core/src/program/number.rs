//! Numbers inside a text.

use std::ops::Range;

use super::finish;
use super::matcher::pick;
use crate::batch::simd::{self, ByteRange};
use crate::phrase::ast::{Example, NumberStyle, Position};
use crate::phrase::{ErrorKind, PhraseError};
use crate::text::characters::{self, Form};

/// How numbers are written, made ready.
#[derive(Debug, Clone)]
pub(crate) struct NumberPlan {
    signed: bool,
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

/// Whether a character is a blank, such as is used for a thousands mark: a space separator (Unicode Zs).
fn is_blank(c: char) -> bool {
    c.is_whitespace() && !c.is_control() && !matches!(c, '\u{2028}' | '\u{2029}')
}

impl NumberPlan {
    pub(crate) fn new(style: &NumberStyle) -> Result<NumberPlan, PhraseError> {
        let marks = match &style.like {
            None => Marks { thousands: None, decimal: Some('.') },
            Some(example) => marks_of(example)?,
        };
        Ok(NumberPlan { signed: style.signed, marks, like: style.like.is_some() })
    }

    /// For a text that is one number as a whole, sign included, as the example shows it.
    pub(crate) fn whole(like: &Example) -> Result<NumberPlan, PhraseError> {
        NumberPlan::new(&NumberStyle { signed: true, like: Some(like.clone()) })
    }

    /// Whether a number is what it is unless anything is said: digits, or digits with decimals after a point.
    pub(super) fn is_usual(&self) -> bool {
        !self.signed && !self.like && self.marks == Marks { thousands: None, decimal: Some('.') }
    }

    /// All numbers, from left to right, as byte ranges.
    pub(crate) fn find_all<'a>(&'a self, text: &'a str, form: Form) -> impl Iterator<Item = Range<usize>> + 'a {
        let mut at = 0;
        std::iter::from_fn(move || {
            loop {
                let found = self.next(text, at)?;
                let start = found.start;
                let mut number = Some(found);
                // A digit that wears a combining mark, as in a keycap emoji, is no digit: the number ends before it.
                while let Some(part) = number.as_ref().filter(|part| !form.is_simple() && !characters::is_notch(text, part.end))
                {
                    number = self.next(&text[..part.end - 1], at).filter(|part| part.start == start);
                }
                match number {
                    Some(number) if form.is_simple() || characters::is_notch(text, start) => {
                        at = number.end;
                        return Some(number);
                    }
                    _ => at = start + 1,
                }
            }
        })
    }

    /// Calls `give` with each of them.
    pub(crate) fn each(&self, text: &str, form: Form, mut give: impl FnMut(Range<usize>)) {
        if !self.is_usual() || !form.is_simple() {
            return self.find_all(text, form).for_each(give);
        }
        // A run of digits that may have its decimals in the next one.
        let mut number: Option<Range<usize>> = None;
        simd::each_run(
            text.as_bytes(),
            |lanes| ByteRange::DIGITS.has(lanes),
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

    /// One of the numbers, counted from either end.
    pub(crate) fn pick(&self, text: &str, which: Position, form: Form) -> Option<Range<usize>> {
        pick(|| self.find_all(text, form), which)
    }

    #[inline]
    fn next(&self, text: &str, at: usize) -> Option<Range<usize>> {
        let bytes = text.as_bytes();
        let start = simd::first(bytes, at, bytes.len(), |lanes| ByteRange::DIGITS.has(lanes))?;
        let mut end = digits_end(bytes, start);
        if let Some(mark) = self.marks.thousands
            && end - start <= 3
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
            let decimals_end = digits_end(bytes, after);
            if decimals_end > after {
                end = decimals_end;
            }
        }
        let signed = self.signed && start > at && matches!(bytes[start - 1], b'+' | b'-') && {
            let before = characters::last_base(&text[..start - 1]);
            !before.is_some_and(|c| c.is_alphabetic() || c.is_ascii_digit())
        };
        Some(start - usize::from(signed)..end)
    }

    /// Writes a number that was found after `out`, as a plain number, if that changes it.
    pub(crate) fn write(&self, number: &str, out: &mut String) -> bool {
        self.like
            && finish::changed(number, out, |out| {
                out.extend(number.chars().filter_map(|c| match c {
                    '0'..='9' | '-' => Some(c),
                    c if Some(c) == self.marks.decimal => Some('.'),
                    _ => None,
                }));
            })
    }

    /// Whether the whole text is one number.
    pub(crate) fn is_whole(&self, text: &str) -> bool {
        self.next(text, 0) == Some(0..text.len())
    }
}

#[inline]
fn digits_end(bytes: &[u8], start: usize) -> usize {
    bytes[start..].iter().position(|byte| !byte.is_ascii_digit()).map_or(bytes.len(), |n| start + n)
}

/// After the mark that is at byte `at`, if it does.
#[inline]
fn after_mark(text: &str, at: usize, mark: char) -> Option<usize> {
    if mark.is_ascii() && mark != ' ' {
        return (text.as_bytes().get(at) == Some(&(mark as u8))).then_some(at + 1);
    }
    let c = text[at..].chars().next()?;
    let same = c == mark || (is_blank(mark) && is_blank(c));
    same.then(|| at + c.len_utf8())
}

/// The marks that an example shows: `1,234.5`, `1.234,5`, `1 234,5`, `1234`, `1234.5`.
///
/// A single mark with three digits after it and at most three before it is taken for a thousands mark.
fn marks_of(example: &Example) -> Result<Marks, PhraseError> {
    let refused = || PhraseError {
        kind: ErrorKind::BadExample,
        span: example.span.clone(),
        help:
            r#"write one number with its marks, such as `like "1,234.5"`, `like "1.234,5"`, `like "1 234,5"` or `like "1234"`"#
                .to_owned(),
    };
    let text = example.text.trim_start_matches(['-', '+']);
    let marks: Vec<(usize, char)> = text.char_indices().filter(|(_, c)| !c.is_ascii_digit()).collect();
    let allowed = |c: char| matches!(c, '.' | ',' | '\'' | '’' | '_' | '٬' | '٫') || is_blank(c);
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
            let usual = NumberPlan::new(&NumberStyle { signed: false, like: None }).unwrap();
            usual.each(&text, Form::of(&text), |range| found.push(range));
            let number = Regex::new(r"[0-9]+(\.[0-9]+)?").unwrap();
            let expected: Vec<_> = number.find_iter(&text).map(|found| found.range()).collect();
            prop_assert_eq!(found, expected, "{:?}", text);
        }
    }
}
