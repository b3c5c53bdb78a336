use super::markers::{any, class, regex, text};
use crate::phrase::ast::{CheckDigit, Condition, ConditionKind, DateFormat, Day, Marker};

/// A condition in plain words, as a verb phrase: `has 8 characters`, `does not start with “X”`.
///
/// ```
/// use keen_notch_core::phrase::{ast::Condition, words};
///
/// assert_eq!(words::condition(&Condition::parse("length 8")?), "has 8 characters");
/// # Ok::<(), keen_notch_core::phrase::PhraseError>(())
/// ```
pub fn condition(condition: &Condition) -> String {
    let (yes, no) = match &condition.kind {
        ConditionKind::Required => ("is present".to_owned(), "is missing".to_owned()),
        ConditionKind::Blank => is("blank"),
        ConditionKind::Length { from, to } => has(&match to {
            Some(to) if to == from => characters(*from),
            Some(to) => format!("{from} to {}", characters(*to)),
            None => format!("{} or more", characters(*from)),
        }),
        ConditionKind::Class(class) => does("consists of", "consist of", &format!("{} only", self::class(class))),
        ConditionKind::Fits(regex) => does("fits", "fit", &self::regex(regex)),
        ConditionKind::StartsWith(marker) => does("starts with", "start with", &end(marker)),
        ConditionKind::EndsWith(marker) => does("ends with", "end with", &end(marker)),
        ConditionKind::Contains(marker) => does("contains", "contain", &any(marker)),
        ConditionKind::ContainsWord(word) => does("contains", "contain", &format!("the word {}", text(word))),
        ConditionKind::OneOf { texts, any_case } => {
            let of = if texts.len() == 1 { "" } else { "one of " };
            let texts = texts.iter().map(|one| text(one)).collect::<Vec<_>>().join(", ");
            is(&format!("{of}{texts}{}", in_any_case(*any_case)))
        }
        ConditionKind::ListedIn { list, any_case } => {
            let of = list.column.as_ref().map_or(String::new(), |column| format!("the column {column} of "));
            let header = if list.has_header { "" } else { ", which has no header" };
            is(&format!("listed in {of}{}{header}{}", list.file, in_any_case(*any_case)))
        }
        ConditionKind::Range { from, to } => is(&match (from, to) {
            (Some(from), Some(to)) => format!("a number from {from} to {to}"),
            (Some(from), None) => format!("a number of {from} or more"),
            (None, Some(to)) => format!("a number of {to} or less"),
            (None, None) => "a number".to_owned(),
        }),
        ConditionKind::Days { from, to } => is(&match (from, to) {
            (Some(from), Some(to)) => format!("a date from {} to {}", day(from), day(to)),
            (Some(from), None) => format!("a date of {} or later", day(from)),
            (None, Some(to)) => format!("a date of {} or earlier", day(to)),
            (None, None) => "a date".to_owned(),
        }),
        ConditionKind::Date(format) => is(&format!("a date written as {}", date(format))),
        ConditionKind::Email => is("an email address"),
        ConditionKind::CheckDigit(algorithm) => has(&format!("a correct check digit ({})", name(*algorithm))),
        ConditionKind::Unique => is("unique among all rows"),
        ConditionKind::SameAs { name, any_case } => is(&format!("the same as {name}{}", in_any_case(*any_case))),
        ConditionKind::All(parts) => combined(parts, ["and", "or"]),
        ConditionKind::Any(parts) => combined(parts, ["or", "and"]),
    };
    if condition.negated { no } else { yes }
}

/// A combination and its negation, which negates each part. Combinations inside it are set off by commas.
fn combined(parts: &[Condition], [yes, no]: [&str; 2]) -> (String, String) {
    let comma = if parts.iter().any(|part| !part.parts().is_empty()) { "," } else { "" };
    let join = |negates: bool, word: &str| {
        let parts = parts.iter().map(|part| condition(&Condition { negated: part.negated != negates, ..part.clone() }));
        parts.collect::<Vec<_>>().join(&format!("{comma} {word} "))
    };
    (join(false, yes), join(true, no))
}

fn in_any_case(any_case: bool) -> &'static str {
    if any_case { ", in any case" } else { "" }
}

pub(super) fn date(DateFormat { text: format, from, .. }: &DateFormat) -> String {
    let years = from.map_or(String::new(), |from| format!(" with years from {from} to {}", from + 99));
    format!("{}{years}", text(format))
}

fn day(day: &Day) -> &str {
    if let Day::Date(date) = day { date } else { "today" }
}

fn end(marker: &Marker) -> String {
    match marker {
        Marker::Run(class) => format!("one of: {}", self::class(class)),
        other => any(other),
    }
}

fn is(what: &str) -> (String, String) {
    (format!("is {what}"), format!("is not {what}"))
}

fn has(what: &str) -> (String, String) {
    (format!("has {what}"), format!("does not have {what}"))
}

fn does(verb: &str, base: &str, what: &str) -> (String, String) {
    (format!("{verb} {what}"), format!("does not {base} {what}"))
}

pub(super) fn characters(n: usize) -> String {
    if n == 1 { "1 character".to_owned() } else { format!("{n} characters") }
}

pub(super) fn name(algorithm: CheckDigit) -> &'static str {
    match algorithm {
        CheckDigit::Luhn => "Luhn, ISO/IEC 7812",
        CheckDigit::Gs1 => "GS1",
        CheckDigit::Isbn10 => "ISBN-10",
        CheckDigit::Mod97 => "ISO 7064 MOD 97-10",
        CheckDigit::Mod112 => "ISO 7064 MOD 11-2",
        CheckDigit::Iban => "IBAN, ISO 13616",
        CheckDigit::Verhoeff => "Verhoeff",
        CheckDigit::Damm => "Damm",
    }
}
