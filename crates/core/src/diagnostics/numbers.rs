//! Numbers that go on after what was taken of them, for marks that nobody told of.

use crate::phrase::ast::{Body, Example, NumberStyle, Phrase, StepKind};
use crate::program::NumberPlan;

/// Examples of the ways in which numbers are written, as `like` shows them, and the decimal mark of each.
pub const WAYS: [(&str, char); 4] = [("1,234.5", '.'), ("1.234,5", ','), ("1 234,5", ','), ("1'234.5", '.')];

/// What a phrase does with numbers, as far as hints go.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NumberStep {
    /// It takes a number out of the value, of which nobody said how it is written. `like` would come at this byte.
    Taken(usize),
    /// It reads the value as a plain number, of which nobody said how it is written. `like` would come at this byte.
    Plain(usize),
}

/// What the first branch of a phrase does with numbers.
pub fn number_step(phrase: &Phrase) -> Option<NumberStep> {
    let Body::Steps(steps) = &phrase.branches.first()?.body else { return None };
    let last = steps.iter().rposition(|step| matches!(step.kind, StepKind::Number { .. } | StepKind::PlainNumber(_)))?;
    let step = &steps[last];
    // Places are those of the trimmed phrase.
    let at = step.span.end - (phrase.source.len() - phrase.source.trim_start().len());
    match &step.kind {
        StepKind::Number { style: NumberStyle { like: None, .. }, .. } => Some(NumberStep::Taken(at)),
        StepKind::PlainNumber(None) => Some(NumberStep::Plain(at)),
        _ => None,
    }
}

/// The way in which a text is written, if it is a number as a whole with marks in it; by its index among [`WAYS`].
pub fn way_of(text: &str) -> Option<usize> {
    if !text.contains(|c: char| !c.is_ascii_digit()) {
        return None;
    }
    let fits = |way: &(&str, char)| {
        let example = Example { text: way.0.to_owned(), span: 0..0 };
        NumberPlan::whole(&example).is_ok_and(|plan| plan.is_whole(text))
    };
    WAYS.iter().position(fits)
}

/// The whole number that a part of a value belongs to, where a mark and more digits are beside it: its text.
pub fn whole_number(value: &str, start: usize, end: usize) -> Option<&str> {
    // Plain spaces are in a number only where there is nothing else in the value.
    let is_all = value.trim().starts_with(|c: char| c.is_ascii_digit());
    let is_mark = |c: char| matches!(c, ',' | '.' | '\'' | '’') || (c.is_whitespace() && c != '\t' && (c != ' ' || is_all));
    // One mark at a time, with digits on both sides of it.
    let goes_on = |chars: &mut dyn Iterator<Item = char>| {
        let mut width = 0;
        let mut after_mark = 0;
        for c in chars {
            match c {
                '0'..='9' => (width, after_mark) = (width + after_mark + 1, 0),
                _ if after_mark == 0 && is_mark(c) => after_mark = c.len_utf8(),
                _ => break,
            }
        }
        width
    };
    let (from, to) = (start - goes_on(&mut value[..start].chars().rev()), end + goes_on(&mut value[end..].chars()));
    let whole = &value[from..to];
    let is_rest = value.trim() != whole && whole.contains(' ');
    (whole.len() > end - start && !is_rest).then_some(whole)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_that_go_on() {
        for (value, part, whole, way) in [
            ("1,234.56", "1", Some("1,234.56"), Some("1,234.5")),
            ("1.234,56 EUR", "1.234", Some("1.234,56"), Some("1.234,5")),
            ("12 345", "12", Some("12 345"), Some("1 234,5")),
            ("12\u{a0}345 kg", "12", Some("12\u{a0}345"), Some("1 234,5")),
            ("pad 3 200", "3", None, None),
            ("12,34,567", "12", Some("12,34,567"), None),
            ("3.25 mm", "3.25", None, None),
            ("size 3, new", "3", None, None),
            ("2025/11", "2025", None, None),
            ("12, 34", "12", None, None),
        ] {
            let start = value.find(part).unwrap();
            let found = whole_number(value, start, start + part.len());
            assert_eq!(found, whole, "{value}");
            assert_eq!(found.and_then(way_of).map(|way| WAYS[way].0), way, "{value}");
        }
    }
}
