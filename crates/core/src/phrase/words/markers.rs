use crate::phrase::ast::{Class, ClassPart, Marker, Occurrence, Position, Regex};

/// A text in quotes, or its name if quotes would show an invisible character.
///
/// ```
/// assert_eq!(keen_notch_core::phrase::words::text("-"), "“-”");
/// ```
pub fn text(text: &str) -> String {
    match text {
        "" => "nothing".to_owned(),
        " " => "a space".to_owned(),
        "\t" => "a tab".to_owned(),
        "\n" => "a line break".to_owned(),
        _ => format!("“{}”", text.replace('\t', "⇥").replace('\n', "⏎")),
    }
}

pub(super) fn ordinal(nth: Position) -> String {
    let figure = |n: usize| crate::phrase::ordinal(i64::try_from(n).unwrap_or(i64::MAX));
    match nth {
        Position::FromStart(1) => "first".to_owned(),
        Position::FromStart(n) => figure(n),
        Position::FromEnd(1) => "last".to_owned(),
        Position::FromEnd(n) => format!("{} last", figure(n)),
    }
}

pub(super) fn occurrence(occurrence: &Occurrence) -> String {
    the(&ordinal(occurrence.nth), &occurrence.marker)
}

pub(super) fn the(which: &str, marker: &Marker) -> String {
    match marker {
        Marker::Text { text, any_case } => format!("the {which} {}{}", bare(text), in_any_case(*any_case)),
        Marker::Regex(regex) => format!("the {which} match of {}", self::regex(regex)),
        Marker::Run(class) => format!("the {which} run of {}", self::class(class)),
        Marker::OneOf(characters) => format!("the {which} of the characters {}", self::text(characters)),
    }
}

pub(super) fn any(marker: &Marker) -> String {
    match marker {
        Marker::Text { text, any_case } => format!("{}{}", self::text(text), in_any_case(*any_case)),
        Marker::Regex(regex) => format!("the match of {}", self::regex(regex)),
        Marker::Run(class) => format!("a run of {}", self::class(class)),
        Marker::OneOf(characters) => format!("a character of {}", self::text(characters)),
    }
}

pub(super) fn every(marker: &Marker) -> String {
    match marker {
        Marker::Text { text, any_case } => format!("every {}{}", bare(text), in_any_case(*any_case)),
        Marker::Regex(regex) => format!("every match of {}", self::regex(regex)),
        Marker::Run(class) => format!("every run of {}", self::class(class)),
        Marker::OneOf(characters) => format!("each of the characters {}", self::text(characters)),
    }
}

fn bare(text: &str) -> String {
    let quoted = self::text(text);
    quoted.strip_prefix("a ").map_or(quoted.clone(), str::to_owned)
}

fn in_any_case(any_case: bool) -> &'static str {
    if any_case { " in any case" } else { "" }
}

pub(super) fn regex(regex: &Regex) -> String {
    format!("the regular expression /{}/{}", regex.pattern, regex.flags)
}

pub(super) fn class(class: &Class) -> String {
    let part = |part: &ClassPart| match part {
        ClassPart::Digits => "digits".to_owned(),
        ClassPart::Letters => "letters".to_owned(),
        ClassPart::Uppercase => "upper-case letters".to_owned(),
        ClassPart::Lowercase => "lower-case letters".to_owned(),
        ClassPart::Alphanumeric => "letters and digits".to_owned(),
        ClassPart::Spaces => "white space".to_owned(),
        ClassPart::Punctuation => "punctuation".to_owned(),
        ClassPart::AnyOf(characters) => format!("the characters {}", text(characters)),
    };
    super::list(&class.parts.iter().map(part).collect::<Vec<_>>())
}
