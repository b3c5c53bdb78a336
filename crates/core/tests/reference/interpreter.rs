//! A plain interpreter of phrases and conditions, written for clarity: one value at a time, from the syntax tree. It shares only the
//! syntax tree with the program; the packages provide characters and regular expressions.

use std::cell::RefCell;
use std::collections::HashMap;
use std::ops::Range;
use std::rc::Rc;

use keen_notch_core::phrase::Phrase;
use keen_notch_core::phrase::ast::{
    Body, Class, ClassPart, Condition, ConditionKind, Day, Division, Marker, NumberStyle, Occurrence, Pattern, Position, Side,
    Sides, Step, StepKind,
};
use keen_notch_core::text::unit::Unit;
use unicode_segmentation::UnicodeSegmentation;

use crate::lists::FEW;

/// The outcome of a phrase: the results, empty if missing, and the state in words.
pub type Outcome = (Vec<String>, String);

#[derive(Default, Clone, Copy)]
struct Flags {
    /// The number of the row, from 1.
    row: usize,
    short: bool,
    long: bool,
}

/// The current texts: one, or several of which some may be empty.
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

pub fn phrase(phrase: &Phrase, value: &str, row: usize, unit: Unit) -> Outcome {
    phrase_in_row(phrase, (value, row), unit, &|_, _| panic!("the phrase names a column"))
}

/// The same where branches can have conditions on columns.
pub fn phrase_in_row(
    phrase: &Phrase,
    (value, row): (&str, usize),
    unit: Unit,
    holds: &dyn Fn(&str, &Condition) -> bool,
) -> Outcome {
    for (index, branch) in phrase.branches.iter().enumerate() {
        let (results, flags) = match &branch.body {
            Body::Literal(text) => (Some(vec![text.clone()]), Flags::default()),
            Body::Steps(steps) => {
                let (of_columns, steps): (Vec<Step>, Vec<Step>) =
                    steps.iter().cloned().partition(|step| matches!(step.kind, StepKind::If { column: Some(_), .. }));
                let is_open = |step: &Step| match &step.kind {
                    StepKind::If { column: Some(column), condition } => holds(column, condition),
                    _ => true,
                };
                match of_columns.iter().all(is_open) {
                    true => self::steps(&steps, value, row, unit),
                    false => (None, Flags::default()),
                }
            }
        };
        let is_fallback = index > 0 && !branch.is_else;
        if let Some(results) = results {
            let words = [(flags.short, "short"), (flags.long, "long"), (is_fallback, "fallback")];
            let words: Vec<&str> = words.iter().filter(|(holds, _)| *holds).map(|(_, word)| *word).collect();
            return (results, if words.is_empty() { "filled".to_owned() } else { words.join(", ") });
        }
    }
    (Vec::new(), if value.trim().is_empty() { "blank" } else { "missing" }.to_owned())
}

fn steps(steps: &[Step], value: &str, row: usize, unit: Unit) -> (Option<Vec<String>>, Flags) {
    let (mut texts, mut flags) = (Texts::One(value.to_owned()), Flags { row, ..Flags::default() });
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
        // A missing text stays missing.
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

/// The result of a step on one text; `None` if missing.
fn one(kind: &StepKind, text: &str, unit: Unit, first: bool, flags: &mut Flags) -> String {
    if text.is_empty() && !first {
        return String::new();
    }
    let characters = units(text, unit);
    let count = characters.len();
    // The characters from one position to another, from 1; positions outside the text are left out.
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
        StepKind::RowNumber => flags.row.to_string(),
        StepKind::If { condition: asked, .. } if condition(asked, text, unit) => text.to_owned(),
        StepKind::If { .. } => String::new(),
        StepKind::Text(instead) if !text.is_empty() => instead.clone(),
        StepKind::Text(_) => String::new(),
        StepKind::First(n) => cut(1, *n as i64),
        StepKind::Last(n) => cut(count as i64 - *n as i64 + 1, count as i64),
        StepKind::Char(position) => cut(place(*position), place(*position)),
        StepKind::CharsTo(range) if range.bounded => cut(place(range.from), place(range.to)),
        StepKind::CharsTo(range) => {
            let found = window(place(range.from), whole.1);
            // `to end` accepts any number.
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
                // The search for the next one starts there, regardless of overlaps.
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
        StepKind::Length(Some(Unit::Bytes)) => text.len().to_string(),
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
            let mut squeezed: Vec<&str> = Vec::new();
            for character in text.graphemes(true) {
                let character = if is_space(character) { " " } else { character };
                if character != " " || squeezed.last() != Some(&" ") {
                    squeezed.push(character);
                }
            }
            squeezed.concat()
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
        StepKind::PlainNumber(like) if like.is_empty() => plain_number(text),
        StepKind::LookupPairs { pairs, any_case } => {
            let is_key = |key: &str| if *any_case { key.to_lowercase() == text.to_lowercase() } else { key == text };
            pairs.iter().find(|pair| is_key(&pair.key)).map(|pair| pair.result.clone()).unwrap_or_default()
        }
        // The table in these tests.
        StepKind::LookupIn(_) => FEW.iter().find(|(key, _)| *key == text).map_or("", |(_, result)| result).to_owned(),
        StepKind::PlainDigits => {
            let digit = compiled(r"\A\p{Nd}\z", "");
            let values = ['٠', '۰', '０'];
            let plain = |c: char| match values
                .iter()
                .find(|zero| (u32::from(**zero)..u32::from(**zero) + 10).contains(&u32::from(c)))
            {
                Some(zero) => char::from_digit(u32::from(c) - u32::from(*zero), 10).unwrap_or(c),
                None if !c.is_ascii() && digit.is_match(c.encode_utf8(&mut [0; 4])) => {
                    panic!("the reference does not know {c}")
                }
                None => c,
            };
            text.chars().map(plain).collect()
        }
        other => panic!("the reference does not know {other:?}"),
    }
}

fn several(kind: &StepKind, text: &str) -> Vec<String> {
    let texts = |ranges: Vec<Range<usize>>| ranges.into_iter().map(|range| text[range].to_owned()).collect();
    match kind {
        StepKind::AllSections(by) => texts(sections(by, text)),
        StepKind::AllNumbers(style) => numbers(style, text).into_iter().map(|range| number_text(style, &text[range])).collect(),
        StepKind::AllRuns(None) => texts(runs(text)),
        StepKind::AllRuns(Some(class)) => texts(class_runs(class, text)),
        StepKind::AllGroups(regex) => {
            let found = compiled(&regex.pattern, &regex.flags).captures(text);
            let groups = found.map_or(Vec::new(), |groups| {
                groups.iter().skip(1).map(|group| group.map_or("", |group| group.as_str()).to_owned()).collect()
            });
            if groups.iter().all(String::is_empty) { Vec::new() } else { groups }
        }
        StepKind::AllMatches(pattern) => {
            // An empty match is not a result.
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

/// The matches of a marker, without overlaps.
fn occurrences(marker: &Marker, text: &str) -> Vec<Range<usize>> {
    let (mut all, mut at) = (Vec::new(), 0);
    while let Some(found) = next_from(marker, text, at) {
        at = found.end;
        all.push(found);
    }
    all
}

/// The first match of a marker from a byte.
fn next_from(marker: &Marker, text: &str, at: usize) -> Option<Range<usize>> {
    // Boundaries between characters.
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

/// Runs of characters with the same `kind`; characters without a kind belong to no run.
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
    let kinds = [is_letter, is_digit, is_space, is_punctuation];
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

/// The first code point decides: not a letter, number, mark or white space.
fn is_punctuation(character: &str) -> bool {
    !is_letter(character) && !compiled(r"\A[\p{N}\p{M}\s]", "").is_match(character)
}

pub fn is_of(class: &Class, character: &str) -> bool {
    class.parts.iter().any(|part| match part {
        ClassPart::Digits => is_digit(character),
        ClassPart::Letters => is_letter(character),
        ClassPart::Uppercase => character.starts_with(char::is_uppercase),
        ClassPart::Lowercase => character.starts_with(char::is_lowercase),
        ClassPart::Alphanumeric => is_letter(character) || is_digit(character),
        ClassPart::Spaces => is_space(character),
        ClassPart::Punctuation => is_punctuation(character),
        ClassPart::AnyOf(of) => of.graphemes(true).any(|one| one == character),
    })
}

/// Finds numbers. Each character becomes one symbol, and regular expressions find the candidates and the matches among the symbols.
fn numbers(style: &NumberStyle, text: &str) -> Vec<Range<usize>> {
    let all: Vec<(usize, &str)> = text.grapheme_indices(true).collect();
    let symbols: String = all.iter().map(|(_, character)| symbol(character)).collect();
    let symbol_at = |index: Option<usize>| index.and_then(|index| symbols.chars().nth(index)).unwrap_or('*');
    let (thousands, decimal) = match style.like.first().map(|example| example.text.trim_matches(['-', '+', '(', ')'])) {
        None => (None, '.'),
        Some("1,234.5") => (Some(","), '.'),
        Some("1.234,5") => (Some(r"\."), ','),
        Some("1 234,5") => (Some(r"[\p{Zs}]"), ','),
        Some(other) => panic!("the reference does not know {other}"),
    };
    let space = if thousands.is_some_and(|mark| mark.starts_with('[')) { r"\p{Zs}" } else { "" };
    let (stretch, number) = match thousands {
        None => (r"[0-9XP][0-9X]*(?:\.[0-9X]+)?".to_owned(), r"^[0-9]+(?:\.[0-9]+)?$".to_owned()),
        Some(mark) => (
            format!(r"[0-9XP](?:[0-9X]|[.,'\u{{a0}}{space}]+[0-9X]|[eE][-+−]?[0-9X])*"),
            format!(r"^(?:[0-9]{{1,3}}(?:{mark}[0-9]{{3}})+|[0-9]+)(?:\{decimal}[0-9]+)?$"),
        ),
    };
    let is_shown = |sign: fn(&str) -> bool| style.like.iter().any(|example| sign(&example.text));
    let before = style.signed || is_shown(|example| example.starts_with(['-', '+']));
    let (after, around) = (is_shown(|example| example.ends_with(['-', '+'])), is_shown(|example| example.starts_with('(')));
    let (is_sign, ends) = (|c: char| "+-−".contains(c), |c: char| !c.is_alphabetic() && !c.is_ascii_digit());
    let (mut found, mut taken) = (Vec::new(), 0);
    for candidate in compiled(&stretch, "").find_iter(&symbols) {
        let start = symbols[..candidate.start()].chars().count();
        let end = start + candidate.as_str().chars().count();
        if compiled(&number, "").is_match(candidate.as_str()) {
            let left = start.checked_sub(1).filter(|left| *left >= taken);
            let is_before = before && left.is_some() && is_sign(symbol_at(left));
            let is_before = is_before && ends(symbol_at(start.checked_sub(2)));
            let is_after = after && is_sign(symbol_at(Some(end))) && ends(symbol_at(Some(end + 1)));
            let is_around = around && left.is_some() && symbol_at(left) == '(' && symbol_at(Some(end)) == ')';
            if [is_before, is_after, is_around].iter().filter(|holds| **holds).count() < 2 {
                let (from, to) = (start - usize::from(is_before || is_around), end + usize::from(is_after || is_around));
                let place = |index: usize| all.get(index).map_or(text.len(), |(at, _)| *at);
                found.push(place(from)..place(to));
                taken = to;
                continue;
            }
        }
        taken = end;
    }
    found
}

/// One symbol per character: itself if it is a single code point, X for a digit with an addition, P for a digit after a prepended mark, A
/// for other letters.
fn symbol(character: &str) -> char {
    let mut chars = character.chars();
    match (chars.next().expect("a character is not empty"), chars.next()) {
        // The letters used as symbols.
        ('X' | 'P', _) => 'A',
        (c, None) => c,
        (c, _) if c.is_ascii_digit() => 'X',
        (c, _) if c.is_alphabetic() => 'A',
        _ if character.contains(|c: char| c.is_ascii_digit()) => 'P',
        _ => '*',
    }
}

fn number_text(style: &NumberStyle, number: &str) -> String {
    if style.like.is_empty() {
        return number.to_owned();
    }
    let example = style.like[0].text.trim_matches(['-', '+', '(', ')']);
    let decimal = example.chars().rfind(|c| !c.is_ascii_digit()).expect("the example has a decimal mark");
    let digits = number.replace(decimal, "D").replace(|c: char| !c.is_ascii_digit() && c != 'D', "").replace('D', ".");
    if number.contains(['-', '−', '(']) { format!("-{digits}") } else { digits }
}

fn plain_number(text: &str) -> String {
    if !compiled(r"^[+−-]?[0-9]+(\.[0-9]+)?$", "").is_match(text) {
        return String::new();
    }
    let (sign, digits) = text.strip_prefix(['-', '−']).map_or(("", text.trim_start_matches('+')), |digits| ("-", digits));
    let (whole, decimals) = digits.split_once('.').unwrap_or((digits, ""));
    let (whole, decimals) = (whole.trim_start_matches('0'), decimals.trim_end_matches('0'));
    let whole = if whole.is_empty() { "0" } else { whole };
    match (whole, decimals) {
        ("0", "") => "0".to_owned(),
        (whole, "") => format!("{sign}{whole}"),
        (whole, decimals) => format!("{sign}{whole}.{decimals}"),
    }
}

fn compiled(pattern: &str, flags: &str) -> Rc<regex::Regex> {
    thread_local!(static COMPILED: RefCell<HashMap<String, Rc<regex::Regex>>> = RefCell::default());
    let pattern = if flags.is_empty() { pattern.to_owned() } else { format!("(?{flags}){pattern}") };
    COMPILED.with_borrow_mut(|all| {
        let regex = || Rc::new(regex::Regex::new(&pattern).expect("the phrase was read"));
        all.entry(pattern.clone()).or_insert_with(regex).clone()
    })
}

fn matches(pattern: &Pattern, text: &str) -> Vec<Option<String>> {
    let group = pattern.group.as_ref().map_or("0", |group| &group.name);
    let of = |found: regex::Captures| match group.parse::<usize>() {
        Ok(number) => found.get(number).map(|part| part.as_str().to_owned()),
        Err(_) => found.name(group).map(|part| part.as_str().to_owned()),
    };
    compiled(&pattern.regex.pattern, &pattern.regex.flags).captures_iter(text).map(of).collect()
}

/// Whether a condition says what becomes of an absent text: its outcome is the same whatever its conditions on texts would say.
pub fn is_about_absence(asked: &Condition) -> bool {
    fn outcomes(asked: &Condition) -> Vec<bool> {
        let combined = |parts: &[Condition], join: fn(bool, bool) -> bool, start: bool| {
            parts.iter().fold(vec![start], |so_far, part| {
                let next = outcomes(part);
                so_far.iter().flat_map(|one| next.iter().map(move |other| join(*one, *other))).collect()
            })
        };
        let all = match &asked.kind {
            ConditionKind::Required => vec![false],
            ConditionKind::Blank => vec![true],
            ConditionKind::All(parts) => combined(parts, |one, other| one && other, true),
            ConditionKind::Any(parts) => combined(parts, |one, other| one || other, false),
            _ => vec![true, false],
        };
        all.into_iter().map(|holds| holds != asked.negated).collect()
    }
    let all = outcomes(asked);
    all.iter().all(|outcome| *outcome == all[0])
}

/// Whether a condition holds for a text.
pub fn condition(asked: &Condition, text: &str, unit: Unit) -> bool {
    let characters: Vec<&str> = text.graphemes(true).collect();
    let holds = match &asked.kind {
        ConditionKind::Required => !text.trim().is_empty(),
        ConditionKind::Blank => text.trim().is_empty(),
        ConditionKind::Length { from, to } => (*from..=to.unwrap_or(usize::MAX)).contains(&units(text, unit).len()),
        ConditionKind::Class(class) => !text.is_empty() && characters.iter().all(|character| is_of(class, character)),
        ConditionKind::Fits(regex) => compiled(&format!("^(?:{})$", regex.pattern), &regex.flags).is_match(text),
        ConditionKind::StartsWith(marker @ Marker::Text { .. }) => {
            next_from(marker, text, 0).is_some_and(|found| found.start == 0)
        }
        ConditionKind::StartsWith(Marker::Run(class)) => characters.first().is_some_and(|first| is_of(class, first)),
        ConditionKind::EndsWith(Marker::Run(class)) => characters.last().is_some_and(|last| is_of(class, last)),
        ConditionKind::Contains(marker) => next_from(marker, text, 0).is_some(),
        ConditionKind::OneOf { texts, any_case: false } => texts.iter().any(|one| one == text),
        ConditionKind::OneOf { texts, any_case: true } => texts.iter().any(|one| one.to_lowercase() == text.to_lowercase()),
        // The list in these tests.
        ConditionKind::ListedIn { any_case, .. } => {
            let list = FEW.map(|(key, _)| key);
            if *any_case { list.iter().any(|one| one.to_lowercase() == text.to_lowercase()) } else { list.contains(&text) }
        }
        ConditionKind::EndsWith(Marker::Text { text: end, any_case: false }) => {
            let notches: Vec<usize> = text.grapheme_indices(true).map(|(at, _)| at).collect();
            text.ends_with(end.as_str()) && notches.contains(&(text.len() - end.len()))
        }
        ConditionKind::ContainsWord(word) => {
            // A mark or joiner on a digit does not end a word.
            let is_of_word = |character: &str| character.starts_with(|c: char| c.is_alphabetic() || c.is_numeric());
            let marker = Marker::Text { text: word.clone(), any_case: false };
            let starts = text.grapheme_indices(true).map(|(at, _)| at);
            starts.into_iter().filter_map(|at| next_from(&marker, text, at).filter(|found| found.start == at)).any(|found| {
                let before = text[..found.start].graphemes(true).next_back();
                let after = text[found.end..].graphemes(true).next();
                !before.is_some_and(is_of_word) && !after.is_some_and(is_of_word)
            })
        }
        ConditionKind::Range { from, to } => {
            // Exact for the short numbers of the tests.
            let number =
                |text: &str| (!plain_number(text).is_empty()).then(|| text.replace('−', "-").parse::<f64>().expect("a number"));
            let end = |end: &Option<String>| end.as_deref().map(|end| number(end).expect("the end of a range is a number"));
            number(text).is_some_and(|n| end(from).is_none_or(|from| n >= from) && end(to).is_none_or(|to| n <= to))
        }
        ConditionKind::Days { from, to } => {
            let limit = |day: &Option<Day>, open: &str| match day {
                Some(Day::Date(date)) => date.clone(),
                Some(Day::Today) => panic!("the tests have no today"),
                None => open.to_owned(),
            };
            let day = chrono::NaiveDate::parse_from_str(text.get(..10).unwrap_or_default(), "%Y-%m-%d").is_ok();
            let is_alone = text.len() == 10 || matches!(text.as_bytes().get(10), Some(b'T' | b' '));
            day && is_alone && (limit(from, "0")..=limit(to, "9999-99")).contains(&text[..10].to_owned())
        }
        ConditionKind::All(parts) => parts.iter().filter(|part| condition(part, text, unit)).count() == parts.len(),
        ConditionKind::Any(parts) => parts.iter().filter(|part| condition(part, text, unit)).count() > 0,
        other => panic!("the reference does not know {other:?}"),
    };
    holds != asked.negated
}
