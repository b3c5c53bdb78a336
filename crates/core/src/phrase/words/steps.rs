use super::conditions::{characters, condition};
use super::markers::{any, class, every, occurrence, ordinal, regex, text, the};
use crate::phrase::ast::{
    Class, Division, LookupSource, NumberExample, NumberStyle, Pattern, Position, Range, Side, Sides, StepKind,
};
use crate::text::unit::Unit;

/// A step as a clause that begins with a verb. `several`: it works on each of several results; `first`: it works on the value itself.
#[allow(clippy::too_many_lines, reason = "a table of the steps")]
pub(super) fn step(kind: &StepKind, several: bool, first: bool) -> String {
    let (it, each) = match (several, first) {
        (true, _) => ("each", "of each "),
        (false, true) => ("the value", ""),
        (false, false) => ("it", ""),
    };
    let take = |what: String| if several { format!("take of each {}", what) } else { format!("take {what}") };
    match kind {
        StepKind::Whole => "take the whole text".to_owned(),
        StepKind::First(n) => take(format!("the first {}", characters(*n))),
        StepKind::Last(n) => take(format!("the last {}", characters(*n))),
        StepKind::Char(position) => take(character(*position)),
        StepKind::CharsTo(range) => take(characters_of(range)),
        StepKind::CharsFor { from, width } => take(format!("{} from {} on", characters(*width), character(*from))),
        StepKind::DropFirst(n) => format!("drop {each}the first {}", characters(*n)),
        StepKind::DropLast(n) => format!("drop {each}the last {}", characters(*n)),
        StepKind::Before(marker) => take(format!("the text before {}", occurrence(marker))),
        StepKind::After(marker) => take(format!("the text after {}", occurrence(marker))),
        StepKind::From(marker) => take(format!("everything from {} on, including it", occurrence(marker))),
        StepKind::Through(marker) => take(format!("everything up to {}, including it", occurrence(marker))),
        StepKind::Between { first, second, nth } => {
            let second = nth.map_or_else(|| the("next", second), |nth| the(&ordinal(nth), second));
            take(format!("the text between {} and {second}", occurrence(first)))
        }
        StepKind::Sections { range, by } => format!("divide {} at {} and take {}", whole(several), division(by), parts(range)),
        StepKind::AllSections(by) => format!("divide the text at {} and take every part", division(by)),
        StepKind::Number { which, style } => take(format!("the {} number{}", ordinal(*which), number_style(style))),
        StepKind::AllNumbers(style) => format!("take every number{}", number_style(style)),
        StepKind::Run { which, of } => take(format!("the {} {}", ordinal(*which), run(of.as_ref()))),
        StepKind::AllRuns(of) => format!("take every {}", run(of.as_ref())),
        StepKind::Match(pattern) => take(matched(pattern, "the first match")),
        StepKind::AllGroups(of) => format!("take every group of the first match of {}", regex(of)),
        StepKind::AllMatches(pattern) => format!("take {}", matched(pattern, "every match")),
        StepKind::Length(unit) => format!(
            "count {each}the {}",
            match unit {
                None | Some(Unit::Characters) => "characters",
                Some(Unit::Codepoints) => "code points",
                Some(Unit::Bytes) => "bytes of UTF-8",
            }
        ),
        StepKind::PositionOf(marker) => format!("write {each}the position of {}", occurrence(marker)),
        StepKind::CountOf(marker) => format!("count how often {} occurs in {it}", any(marker)),
        StepKind::RowNumber => "write the number of the row".to_owned(),
        StepKind::Whether(asked) => format!("write “true” if {it} {}, “false” if not", condition(asked)),
        StepKind::If { column: None, condition: asked } => format!("if {it} {}", condition(asked)),
        StepKind::If { column: Some(column), condition: asked } => format!("if {column} {}", condition(asked)),
        StepKind::Text(instead) => format!("write {}", text(instead)),
        StepKind::Joined(with) if with.is_empty() => "join them".to_owned(),
        StepKind::Joined(with) => format!("join them, with {} between", text(with)),
        StepKind::Trim(Sides::Both) => format!("remove white space at both ends of {it}"),
        StepKind::Trim(Sides::Only(Side::Left)) => format!("remove white space at the start of {it}"),
        StepKind::Trim(Sides::Only(Side::Right)) => format!("remove white space at the end of {it}"),
        StepKind::Squeeze => "replace every run of white space with one space".to_owned(),
        StepKind::Upper => format!("put {it} in upper case"),
        StepKind::Lower => format!("put {it} in lower case"),
        StepKind::Title => format!("put the first letter of every word of {it} in upper case, and the others in lower case"),
        StepKind::Keep(class) => format!("keep only {}", self::class(class)),
        StepKind::DropClass(class) => format!("remove {}", self::class(class)),
        StepKind::Replace { marker, with, .. } if with.is_empty() => format!("remove {}", every(marker)),
        StepKind::Replace { marker, with, .. } => format!("replace {} with {}", every(marker), text(with)),
        StepKind::Pad { side, width, with } => {
            let side = if *side == Side::Left { "left" } else { "right" };
            format!("pad {it} on the {side} with {} to {}", text(with), characters(*width))
        }
        StepKind::Clip { width, mark } if mark.is_empty() => format!("shorten {it} to {}", characters(*width)),
        StepKind::Clip { width, mark } => {
            format!("shorten {it} to {}, with {} at the end if it was longer", characters(*width), text(mark))
        }
        StepKind::Prefix(prefix) => format!("put {} before {it}", text(prefix)),
        StepKind::Suffix(suffix) => format!("put {} after {it}", text(suffix)),
        StepKind::AddCheckDigit(algorithm) => format!("add the check digit to {it} ({})", super::conditions::name(*algorithm)),
        StepKind::LookupIn(LookupSource { keys, give, any_case }) => {
            let column = keys.column.as_ref().map_or("the first column".to_owned(), |column| format!("column {column}"));
            let give = give.as_ref().map_or("the second column".to_owned(), |give| format!("column {give}"));
            let case = if *any_case { ", in any case" } else { "" };
            let header = if keys.has_header { "" } else { ", which has no header" };
            format!("look {it} up in {column} of {}{header}{case}, and write {give} of that row", keys.file)
        }
        StepKind::LookupPairs { pairs, any_case } => {
            let case = if *any_case { ", in any case" } else { "" };
            let pairs: Vec<String> =
                pairs.iter().map(|pair| format!("{} for {}", text(&pair.result), text(&pair.key))).collect();
            format!("write {}{case}", pairs.join(", "))
        }
        StepKind::PlainDigits => format!("write the decimal digits of {it} as 0 to 9"),
        StepKind::PlainNumber(like) => {
            format!("write {it} as a plain number{}, without leading zeros or trailing decimal zeros", read_like(like))
        }
        StepKind::Date { format, output } => {
            let output = output.as_ref().map_or("year-month-day".to_owned(), |output| text(&output.text));
            format!("read {it} as a date written as {}, and write it as {output}", super::conditions::date(format))
        }
    }
}

fn whole(several: bool) -> &'static str {
    if several { "each" } else { "the text" }
}

fn character(position: Position) -> String {
    match position {
        Position::FromStart(n) => format!("character {n}"),
        Position::FromEnd(_) => format!("the {} character", ordinal(position)),
    }
}

fn characters_of(range: &Range) -> String {
    match (range.from, range.to) {
        (from, _) if !range.bounded => format!("everything from {} on", character(from)),
        (Position::FromStart(from), Position::FromStart(to)) => format!("characters {from} to {to}"),
        (from, to) => format!("everything from {} to {}", character(from), character(to)),
    }
}

fn division(by: &Division) -> String {
    let skipping = if by.skipping_empty { ", drop empty parts," } else { "" };
    format!("{}{skipping}", every(&by.marker))
}

fn part(position: Position) -> String {
    match position {
        Position::FromStart(n) => format!("part {n}"),
        Position::FromEnd(_) => format!("the {} part", ordinal(position)),
    }
}

fn parts(range: &Range) -> String {
    let between = "with the delimiters between them";
    match (range.from, range.to) {
        (from, to) if from == to && range.bounded => part(from),
        (from, _) if !range.bounded => format!("everything from {} on", part(from)),
        (Position::FromStart(from), Position::FromStart(to)) => format!("parts {from} to {to}, {between}"),
        (from, to) => format!("everything from {} to {}, {between}", part(from), part(to)),
    }
}

fn number_style(style: &NumberStyle) -> String {
    let signed = if style.signed { " with its sign" } else { "" };
    let plain = if style.like.is_empty() { "" } else { ", as a plain number" };
    format!("{signed}{}{plain}", read_like(&style.like))
}

fn read_like(examples: &[NumberExample]) -> String {
    let examples: Vec<String> = examples.iter().map(|example| text(&example.text)).collect();
    if examples.is_empty() { String::new() } else { format!(", read like {}", examples.join(" or ")) }
}

fn run(of: Option<&Class>) -> String {
    match of {
        Some(of) => format!("unbroken run of {}", class(of)),
        None => "unbroken run of one kind (letters, digits, white space or punctuation)".to_owned(),
    }
}

fn matched(pattern: &Pattern, which: &str) -> String {
    let of = format!("{which} of {}", regex(&pattern.regex));
    pattern.group.as_ref().map_or(of.clone(), |group| format!("group {} of {of}", group.name))
}
