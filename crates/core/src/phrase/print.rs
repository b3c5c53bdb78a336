//! Phrases and conditions in their own notation, from the syntax tree.
//!
//! Every match is complete, so a new step without a notation does not compile.

use std::fmt;
use std::str::FromStr;

use super::ast::{
    Body, Branch, CheckDigit, Class, ClassPart, Condition, ConditionKind, DateFormat, Day, Division, ListSource, Marker,
    NumberExample, NumberStyle, Occurrence, Pattern, Phrase, Position, Range, Regex, Side, Sides, Step, StepKind,
};
use super::error::PhraseError;
use super::write::quoted;
use crate::text::unit::Unit;

/// The phrase in its own notation, with single spaces and figures for ordinals. Parsing the text gives an equal program.
///
/// ```
/// use keen_notch_core::phrase::Phrase;
///
/// let phrase: Phrase = "after  last '-' then upper or \"none\"".parse()?;
/// assert_eq!(phrase.to_string(), r#"after -1 "-" then upper or "none""#);
/// # Ok::<(), keen_notch_core::phrase::PhraseError>(())
/// ```
impl fmt::Display for Phrase {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&phrase(self))
    }
}

impl FromStr for Phrase {
    type Err = PhraseError;

    fn from_str(source: &str) -> Result<Phrase, PhraseError> {
        Phrase::parse(source)
    }
}

impl fmt::Display for Condition {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&condition(self))
    }
}

impl FromStr for Condition {
    type Err = PhraseError;

    fn from_str(source: &str) -> Result<Condition, PhraseError> {
        Condition::parse(source)
    }
}

fn phrase(phrase: &Phrase) -> String {
    phrase.branches.iter().fold(String::new(), |written, of| {
        let between = match of.is_else {
            _ if written.is_empty() => "",
            true => " else ",
            false => " or ",
        };
        written + between + &branch(of)
    })
}

fn branch(branch: &Branch) -> String {
    match &branch.body {
        Body::Literal(text) => quoted(text),
        Body::Steps(steps) => steps.iter().fold(String::new(), |written, Step { kind, .. }| {
            let between = match kind {
                _ if written.is_empty() => "",
                StepKind::Joined(_) => " ",
                _ => " then ",
            };
            written + between + &step(kind)
        }),
    }
}

fn step(step: &StepKind) -> String {
    match step {
        StepKind::Whole => "whole".to_owned(),
        StepKind::First(n) => format!("first {n}"),
        StepKind::Last(n) => format!("last {n}"),
        StepKind::Char(at) => format!("char {}", position(*at)),
        StepKind::CharsTo(range) => format!("chars {}", from_to(range)),
        StepKind::CharsFor { from, width } => format!("chars {} for {width}", position(*from)),
        StepKind::DropFirst(n) => format!("drop first {n}"),
        StepKind::DropLast(n) => format!("drop last {n}"),
        StepKind::Before(place) => format!("before {}", occurrence(place)),
        StepKind::After(place) => format!("after {}", occurrence(place)),
        StepKind::From(place) => format!("from {}", occurrence(place)),
        StepKind::Through(place) => format!("through {}", occurrence(place)),
        StepKind::Between { first, second, nth } => {
            let nth = nth.map(|nth| position(nth) + " ").unwrap_or_default();
            format!("between {} and {nth}{}", occurrence(first), marker(second))
        }
        StepKind::Sections { range, by } if range.bounded && range.from == range.to => {
            format!("section {} {}", position(range.from), division(by))
        }
        StepKind::Sections { range, by } => format!("sections {} {}", from_to(range), division(by)),
        StepKind::AllSections(by) => format!("sections {}", division(by)),
        StepKind::Number { which, style } => format!("number {}{}", position(*which), number_style(style)),
        StepKind::AllNumbers(style) => format!("numbers{}", number_style(style)),
        StepKind::Run { which, of } => format!("run {}{}", position(*which), of_class(of.as_ref())),
        StepKind::AllRuns(of) => format!("runs{}", of_class(of.as_ref())),
        StepKind::Match(of) => format!("match {}", pattern(of)),
        StepKind::AllGroups(of) => format!("groups of {}", regex(of)),
        StepKind::AllMatches(of) => format!("matches {}", pattern(of)),
        StepKind::Length(unit) => match unit {
            None => "length".to_owned(),
            Some(Unit::Characters) => "length in characters".to_owned(),
            Some(Unit::Codepoints) => "length in codepoints".to_owned(),
            Some(Unit::Bytes) => "length in bytes".to_owned(),
        },
        StepKind::PositionOf(place) => format!("position of {}", occurrence(place)),
        StepKind::CountOf(of) => format!("count of {}", marker(of)),
        StepKind::RowNumber => "row number".to_owned(),
        StepKind::Whether(asked) => format!("whether {}", enclosed(asked)),
        StepKind::If { column, condition } => {
            let column = column.iter().map(|column| format!("{column}: ")).collect::<String>();
            format!("if {column}{}", enclosed(condition))
        }
        StepKind::Text(text) => quoted(text),
        StepKind::Joined(with) => format!("joined with {}", quoted(with)),
        StepKind::Trim(Sides::Both) => "trim".to_owned(),
        StepKind::Trim(Sides::Only(at)) => format!("trim {}", side(*at)),
        StepKind::Squeeze => "squeeze".to_owned(),
        StepKind::Upper => "upper".to_owned(),
        StepKind::Lower => "lower".to_owned(),
        StepKind::Title => "title".to_owned(),
        StepKind::Keep(of) => format!("keep {}", class(of)),
        StepKind::DropClass(of) => format!("drop {}", class(of)),
        StepKind::Replace { marker: of, with, .. } => format!("replace {} with {}", marker(of), quoted(with)),
        StepKind::Pad { side: at, width, with } => format!("pad {} to {width} with {}", side(*at), quoted(with)),
        StepKind::Clip { width, mark } if mark.is_empty() => format!("clip to {width}"),
        StepKind::Clip { width, mark } => format!("clip to {width} with {}", quoted(mark)),
        StepKind::Prefix(text) => format!("prefix {}", quoted(text)),
        StepKind::Suffix(text) => format!("suffix {}", quoted(text)),
        StepKind::PlainDigits => "plain digits".to_owned(),
        StepKind::AddCheckDigit(digit) => format!("add check digit {}", check_digit(*digit)),
        StepKind::LookupIn(source) => {
            let give = source.give.iter().map(|column| format!(" give {}", quoted(column))).collect::<String>();
            format!("lookup in {}", file_columns(&source.keys, &give, source.any_case))
        }
        StepKind::LookupPairs { pairs, any_case: any } => {
            let pairs = pairs.iter().map(|pair| format!("{} as {}", quoted(&pair.key), quoted(&pair.result)));
            format!("lookup {}{}", pairs.collect::<Vec<_>>().join(", "), any_case(*any))
        }
        StepKind::PlainNumber(example) => format!("plain number{}", like(example)),
        StepKind::Date { format, output } => {
            let output = output.iter().map(|output| format!(" as {}", quoted(&output.text))).collect::<String>();
            format!("{}{output}", date(format))
        }
    }
}

fn file_columns(keys: &ListSource, give: &str, any: bool) -> String {
    let column = keys.column.iter().map(|column| format!(" column {}", quoted(column))).collect::<String>();
    let header = if keys.has_header { "" } else { " no header" };
    format!("{}{column}{give}{}{header}", quoted(&keys.file), any_case(any))
}

fn condition(condition: &Condition) -> String {
    match (condition.negated, &condition.kind) {
        (true, ConditionKind::All(_) | ConditionKind::Any(_)) => format!("not ({})", asked(&condition.kind)),
        (true, kind) => format!("not {}", asked(kind)),
        (false, kind) => asked(kind),
    }
}

/// A condition inside a phrase, where `or` begins a branch.
fn enclosed(of: &Condition) -> String {
    let is_enclosed = of.negated || of.parts().is_empty();
    if is_enclosed { condition(of) } else { format!("({})", condition(of)) }
}

/// A part of a combination with `and`. After a class, `and` and another class would be their union.
fn part(index: usize, of: &Condition) -> String {
    match (&of.kind, of.negated) {
        (ConditionKind::All(_) | ConditionKind::Any(_), false) => format!("({})", condition(of)),
        (ConditionKind::Class(_), false) if index > 0 => format!("({})", condition(of)),
        _ => condition(of),
    }
}

fn asked(kind: &ConditionKind) -> String {
    match kind {
        ConditionKind::Required => "required".to_owned(),
        ConditionKind::Blank => "blank".to_owned(),
        ConditionKind::Length { from, to: Some(to) } if from == to => format!("length {from}"),
        ConditionKind::Length { from, to: Some(to) } => format!("length {from} to {to}"),
        ConditionKind::Length { from, to: None } => format!("length {from} to"),
        ConditionKind::Class(of) => class(of),
        ConditionKind::Fits(of) => format!("fits {}", regex(of)),
        ConditionKind::StartsWith(with) => format!("starts with {}", marker(with)),
        ConditionKind::EndsWith(with) => format!("ends with {}", marker(with)),
        ConditionKind::Contains(what) => format!("contains {}", marker(what)),
        ConditionKind::ContainsWord(word) => format!("contains word {}", quoted(word)),
        ConditionKind::OneOf { texts, any_case: any } => {
            let texts: Vec<String> = texts.iter().map(|text| quoted(text)).collect();
            format!("one of {}{}", texts.join(", "), any_case(*any))
        }
        ConditionKind::ListedIn { list, any_case: any } => {
            format!("listed in {}", file_columns(list, "", *any))
        }
        ConditionKind::Range { from, to } => {
            let [from, to] = [from, to].map(|end| end.as_deref().unwrap_or_default());
            format!("range {from} to {to}")
        }
        ConditionKind::Days { from, to } => {
            let [from, to] = [from, to].map(|day| match day {
                None => "",
                Some(Day::Date(date)) => date,
                Some(Day::Today) => "today",
            });
            format!("range {from} to {to}")
        }
        ConditionKind::Date(format) => date(format),
        ConditionKind::Email => "email".to_owned(),
        ConditionKind::CheckDigit(digit) => format!("check digit {}", check_digit(*digit)),
        ConditionKind::Unique => "unique".to_owned(),
        ConditionKind::SameAs { name, any_case: any } => format!("same as {name}{}", any_case(*any)),
        ConditionKind::All(parts) => {
            parts.iter().enumerate().map(|(index, of)| part(index, of)).collect::<Vec<_>>().join(" and ")
        }
        ConditionKind::Any(parts) => parts
            .iter()
            .map(|of| if matches!(of.kind, ConditionKind::Any(_)) { enclosed(of) } else { condition(of) })
            .collect::<Vec<_>>()
            .join(" or "),
    }
}

fn check_digit(digit: CheckDigit) -> &'static str {
    match digit {
        CheckDigit::Luhn => "luhn",
        CheckDigit::Gs1 => "gs1",
        CheckDigit::Isbn10 => "isbn10",
        CheckDigit::Mod97 => "mod97",
        CheckDigit::Mod112 => "mod11-2",
        CheckDigit::Iban => "iban",
        CheckDigit::Verhoeff => "verhoeff",
        CheckDigit::Damm => "damm",
    }
}

fn position(position: Position) -> String {
    match position {
        Position::FromStart(n) => n.to_string(),
        Position::FromEnd(n) => format!("-{n}"),
    }
}

fn from_to(range: &Range) -> String {
    let to = if range.bounded { position(range.to) } else { "end".to_owned() };
    format!("{} to {to}", position(range.from))
}

fn occurrence(place: &Occurrence) -> String {
    format!("{} {}", position(place.nth), marker(&place.marker))
}

fn division(by: &Division) -> String {
    format!("by {}{}", marker(&by.marker), if by.skipping_empty { " skipping empty" } else { "" })
}

fn number_style(style: &NumberStyle) -> String {
    format!("{}{}", if style.signed { " signed" } else { "" }, like(&style.like))
}

fn like(examples: &[NumberExample]) -> String {
    let examples: Vec<String> = examples.iter().map(|example| quoted(&example.text)).collect();
    if examples.is_empty() { String::new() } else { format!(" like {}", examples.join(" or ")) }
}

fn of_class(of: Option<&Class>) -> String {
    of.map(|of| format!(" of {}", class(of))).unwrap_or_default()
}

fn pattern(pattern: &Pattern) -> String {
    let group = pattern.group.as_ref().map(|group| format!(" group {}", group.name)).unwrap_or_default();
    format!("{}{group}", regex(&pattern.regex))
}

fn regex(regex: &Regex) -> String {
    format!("/{}/{}", regex.pattern, regex.flags)
}

fn marker(marker: &Marker) -> String {
    match marker {
        Marker::Text { text, any_case: any } => format!("{}{}", quoted(text), any_case(*any)),
        Marker::Regex(of) => regex(of),
        Marker::Run(of) => class(of),
        Marker::OneOf(characters) => format!("any of {}", quoted(characters)),
    }
}

pub(crate) fn class(class: &Class) -> String {
    let part = |part: &ClassPart| match part {
        ClassPart::Digits => "digits".to_owned(),
        ClassPart::Letters => "letters".to_owned(),
        ClassPart::Uppercase => "uppercase".to_owned(),
        ClassPart::Lowercase => "lowercase".to_owned(),
        ClassPart::Alphanumeric => "alphanumeric".to_owned(),
        ClassPart::Spaces => "spaces".to_owned(),
        ClassPart::Punctuation => "punctuation".to_owned(),
        ClassPart::AnyOf(characters) => format!("any of {}", quoted(characters)),
    };
    class.parts.iter().map(part).collect::<Vec<_>>().join(" and ")
}

fn date(format: &DateFormat) -> String {
    let from = format.from.map(|year| format!(" from {year}")).unwrap_or_default();
    format!("date {}{from}", quoted(&format.text))
}

fn side(side: Side) -> &'static str {
    match side {
        Side::Left => "left",
        Side::Right => "right",
    }
}

fn any_case(any_case: bool) -> &'static str {
    if any_case { " any case" } else { "" }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::phrase::reference::{self, CONDITIONS};
    use crate::program::{Program, Scratch};

    #[test]
    fn every_example_of_the_reference_survives_parsing_and_printing() {
        let entries = reference::entries().chain(CONDITIONS.entries);
        for (value, source) in entries.flat_map(|entry| entry.examples) {
            let phrase = source.parse::<Phrase>().unwrap();
            let again = phrase.to_string().parse::<Phrase>().unwrap();
            assert_eq!(again.to_string(), phrase.to_string(), "{source}");
            let [first, second] = [phrase, again].map(|phrase| {
                let program = Program::new(&phrase, Unit::Characters).unwrap();
                program.cut_all(value, &mut Scratch::default()).texts.iter().map(|text| (*text).to_owned()).collect::<Vec<_>>()
            });
            assert_eq!(first, second, "{source}");
        }
    }
}
