//! Properties of phrases that hints depend on.

use crate::phrase::ast::{Body, DateFormat, Marker, Phrase, Position, Sides, StepKind};

/// The ends of the value from which the first step counts characters.
pub fn counted_ends(phrase: &Phrase) -> (bool, bool) {
    let Some(Body::Steps(steps)) = phrase.branches.first().map(|branch| &branch.body) else { return (false, false) };
    let from = |position: Position| matches!(position, Position::FromStart(_));
    match steps.first().map(|step| &step.kind) {
        Some(StepKind::First(_) | StepKind::DropFirst(_)) => (true, false),
        Some(StepKind::Last(_) | StepKind::DropLast(_)) => (false, true),
        Some(StepKind::Char(position)) => (from(*position), !from(*position)),
        Some(StepKind::CharsFor { from: first, .. }) => (from(*first), !from(*first)),
        Some(StepKind::CharsTo(range)) => {
            (from(range.from) || from(range.to), !from(range.from) || !from(range.to) || !range.bounded)
        }
        Some(StepKind::Trim(Sides::Both) | _) | None => (false, false),
    }
}

pub fn markers(phrase: &Phrase) -> Vec<String> {
    let mut texts = Vec::new();
    let mut add = |marker: &Marker| {
        if let Marker::Text { text, any_case: false } = marker
            && !texts.contains(text)
        {
            texts.push(text.clone());
        }
    };
    for branch in &phrase.branches {
        let Body::Steps(steps) = &branch.body else { continue };
        for step in steps {
            match &step.kind {
                StepKind::Before(of)
                | StepKind::After(of)
                | StepKind::From(of)
                | StepKind::Through(of)
                | StepKind::PositionOf(of) => {
                    add(&of.marker);
                }
                StepKind::Between { first, second, .. } => {
                    add(&first.marker);
                    add(second);
                }
                StepKind::Sections { by, .. } | StepKind::AllSections(by) => add(&by.marker),
                StepKind::Whole
                | StepKind::First(_)
                | StepKind::Last(_)
                | StepKind::Char(_)
                | StepKind::CharsTo(_)
                | StepKind::CharsFor { .. }
                | StepKind::DropFirst(_)
                | StepKind::DropLast(_)
                | StepKind::Number { .. }
                | StepKind::AllNumbers(_)
                | StepKind::Run { .. }
                | StepKind::AllRuns(_)
                | StepKind::Match(_)
                | StepKind::AllMatches(_)
                | StepKind::AllGroups(_)
                | StepKind::Length(_)
                | StepKind::CountOf(_)
                | StepKind::Whether(_)
                | StepKind::If { .. }
                | StepKind::Text(_)
                | StepKind::Joined(_)
                | StepKind::Trim(_)
                | StepKind::Squeeze
                | StepKind::Upper
                | StepKind::Lower
                | StepKind::Title
                | StepKind::Keep(_)
                | StepKind::DropClass(_)
                | StepKind::Replace { .. }
                | StepKind::Pad { .. }
                | StepKind::Clip { .. }
                | StepKind::Prefix(_)
                | StepKind::Suffix(_)
                | StepKind::PlainNumber(_)
                | StepKind::PlainDigits
                | StepKind::AddCheckDigit(_)
                | StepKind::RowNumber
                | StepKind::LookupIn(_)
                | StepKind::LookupPairs { .. }
                | StepKind::Date { .. } => {}
            }
        }
    }
    texts
}

/// The first branch of a phrase and the rest, as in the trimmed phrase.
pub fn branches(phrase: &Phrase) -> (String, String) {
    let text = phrase.source.trim();
    let leading = phrase.source.len() - phrase.source.trim_start().len();
    let end = phrase.branches.first().map_or(text.len(), |branch| branch.span.end.saturating_sub(leading));
    let (first, rest) = text.split_at_checked(end).unwrap_or((text, ""));
    (first.to_owned(), rest.to_owned())
}

/// The date format of the first branch, if its results are ISO dates.
fn date_format(phrase: &Phrase) -> Option<&DateFormat> {
    let Body::Steps(steps) = &phrase.branches.first()?.body else { return None };
    match &steps.last()?.kind {
        StepKind::Date { format, output: None } => Some(format),
        _ => None,
    }
}

pub fn gives_dates(phrase: &Phrase) -> bool {
    date_format(phrase).is_some()
}

/// The byte of the trimmed phrase where `from YEAR` belongs, if the phrase reads two-digit years without it.
pub fn century_at(phrase: &Phrase) -> Option<usize> {
    let format = date_format(phrase)
        .filter(|format| format.from.is_none() && (format.text.contains("%y") || format.text.contains("%D")))?;
    Some(format.span.end - (phrase.source.len() - phrase.source.trim_start().len()))
}

/// Whether each branch ends in a step that gives numbers.
pub fn gives_numbers(phrase: &Phrase) -> bool {
    phrase.branches.iter().all(|branch| {
        let Body::Steps(steps) = &branch.body else { return false };
        let last = steps.last().map(|step| &step.kind);
        matches!(
            last,
            Some(
                StepKind::Number { .. }
                    | StepKind::AllNumbers(_)
                    | StepKind::PlainNumber(_)
                    | StepKind::Length(_)
                    | StepKind::PositionOf(_)
                    | StepKind::CountOf(_)
                    | StepKind::RowNumber
            )
        )
    })
}

/// Whether the first step needs a marker with other characters than digits. It has no result for a value of digits alone.
pub fn needs_a_marker(phrase: &Phrase) -> bool {
    let [branch] = phrase.branches.as_slice() else { return false };
    let Body::Steps(steps) = &branch.body else { return false };
    let is_beyond_first = |position: Position| !matches!(position, Position::FIRST | Position::LAST);
    let marker = match steps.first().map(|step| &step.kind) {
        Some(StepKind::Before(of) | StepKind::After(of) | StepKind::From(of) | StepKind::Through(of)) => &of.marker,
        Some(StepKind::Between { first, .. }) => &first.marker,
        Some(StepKind::Sections { range, by }) if is_beyond_first(range.from) && is_beyond_first(range.to) => &by.marker,
        _ => return false,
    };
    matches!(marker, Marker::Text { text, .. } if text.bytes().any(|byte| !byte.is_ascii_digit()))
}
