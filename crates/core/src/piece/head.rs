//! The words of a piece before its phrase on the command line: `NAME of COLUMN when CONDITION as TYPE in rows`.

use super::{Names, TextPlace, When, colon_after_column};
use crate::column::ColumnRef;
use crate::phrase::ast::Condition;
use crate::phrase::{Span, quoted, text_at};
use crate::text_error::TextError;
use crate::value_type::ValueType;

/// The name of a piece as a head has it: in quotes where it could be read as something else.
pub fn name_in_head(name: &str) -> String {
    let is_plain = !name.contains([':', ',', '"', '\'']) && clause_end(name, 0, &CLAUSES) == name.len() && name.trim() == name;
    if is_plain && !name.is_empty() { name.to_owned() } else { quoted(name) }
}

/// The name of a column as a head has it.
pub fn column_in_head(name: &str) -> String {
    let is_plain = !name.contains([':', '"', '\'']) && clause_end(name, 0, &AFTER_OF) == name.len() && !name.starts_with('#');
    if is_plain && !name.is_empty() { name.to_owned() } else { quoted(name) }
}

/// The words of a piece before its phrase.
pub(super) struct Head {
    pub(super) names: Names,
    pub(super) of: Option<(ColumnRef, Span)>,
    pub(super) when: Option<When>,
    pub(super) value_type: Option<ValueType>,
    pub(super) in_rows: Option<Span>,
    pub(super) end: usize,
}

/// The words that end a name, a type or a condition of a head.
const CLAUSES: [&str; 4] = [" of ", " when ", " as ", " in rows"];
/// The words that end a column.
const AFTER_OF: [&str; 3] = [" when ", " as ", " in rows"];

impl Head {
    pub(super) fn parse(text: &str) -> Result<Head, TextError> {
        let mut at = text.len() - text.trim_start().len();
        let mut names = Vec::new();
        loop {
            let (name, end) = name_at(text, at)?;
            if name.trim().is_empty() {
                return Err(TextError::new("the piece has no name", at..end, "write it like `family: first 3`"));
            }
            names.push((name, at..end));
            let rest = text[end..].trim_start();
            at = text.len() - rest.len();
            match rest.strip_prefix(',') {
                Some(next) => at = text.len() - next.trim_start().len(),
                None => break,
            }
        }
        let mut head = Head { names, of: None, when: None, value_type: None, in_rows: None, end: at };
        loop {
            let rest = text[head.end..].trim_start();
            let start = text.len() - rest.len();
            let word = rest.split(|c: char| c.is_whitespace() || c == ':').next().unwrap_or_default();
            let after = start + word.len();
            let doubled = match word {
                "of" => head.of.is_some(),
                "when" => head.when.is_some(),
                "as" => head.value_type.is_some(),
                "in" => head.in_rows.is_some(),
                _ => return Ok(head),
            };
            if doubled {
                let message = format!("`{word}` comes twice");
                return Err(TextError::new(message, start..after, "remove one"));
            }
            match word {
                "of" => {
                    let from = text.len() - text[after..].trim_start().len();
                    let (column, end) = column_at(text, from)?;
                    let of_span = from..from + text[from..end].trim_end().len();
                    (head.of, head.end) = (Some((column, of_span)), end);
                }
                "when" => (head.when, head.end) = when_at(text, after)?,
                "as" => (head.value_type, head.end) = value_type_at(text, after)?,
                _ => {
                    let rows = text[after..].trim_start();
                    if !rows.starts_with("rows") {
                        let help = "write `in rows` for an output row for each result";
                        return Err(TextError::new("`rows` is missing after `in`", start..after, help));
                    }
                    head.end = text.len() - rows.len() + 4;
                    head.in_rows = Some(start..head.end);
                }
            }
        }
    }
}

fn value_type_at(text: &str, start: usize) -> Result<(Option<ValueType>, usize), TextError> {
    let from = text.len() - text[start..].trim_start().len();
    let stop = clause_end(text, from, &CLAUSES);
    let words = text[from..stop].trim();
    match ValueType::parse(words) {
        Some(found) => Ok((Some(found), stop)),
        None => {
            let help = "write `as number`, `as date` or `as true or false`; other pieces are texts";
            Err(TextError::new(format!("a piece cannot be written as {words:?}"), from..stop, help))
        }
    }
}

/// The end of a clause: the next colon, or the next of these words.
fn clause_end(text: &str, start: usize, words: &[&str]) -> usize {
    let stop = text[start..].find(':').map_or(text.len(), |colon| start + colon);
    words.iter().filter_map(|word| text[start..stop].find(word)).min().map_or(stop, |at| start + at)
}

fn is_when(text: &str) -> bool {
    Condition::is_valid(text) || colon_after_column(text).is_some_and(|colon| Condition::is_valid(&text[colon + 1..]))
}

/// The condition from byte `start` on, and its end: the first colon or part of the head before which it is valid.
fn when_at(text: &str, start: usize) -> Result<(Option<When>, usize), TextError> {
    let ends = |word: &'static str| text[start..].match_indices(word).map(|(at, _)| at);
    let mut all: Vec<usize> = ends(":").chain(CLAUSES.into_iter().flat_map(ends)).collect();
    all.sort_unstable();
    let valid = all.into_iter().find(|end| is_when(text[start..start + end].trim()));
    let Some(end) = valid.or_else(|| ends(":").next()) else {
        let help = "write it like `grade when part_code: starts with \"GRP\": last 4`";
        return Err(TextError::new("a colon is missing after the condition", start..text.len(), help));
    };
    let condition = &text[start..start + end];
    let leading = condition.len() - condition.trim_start().len();
    Ok((Some(When::parse(condition.trim(), &TextPlace::At(start + leading))?), start + end))
}

/// The name from byte `start` on, and its end: before a comma, the colon, or a word that begins another part of the head.
fn name_at(text: &str, start: usize) -> Result<(String, usize), TextError> {
    if text[start..].starts_with(['"', '\'']) {
        return text_at(text, start).map_err(TextError::from);
    }
    let stop = clause_end(text, start, &CLAUSES);
    let end = text[start..stop].find(',').map_or(stop, |comma| start + comma);
    Ok((text[start..end].trim_end().to_owned(), start + text[start..end].trim_end().len()))
}

fn column_at(text: &str, start: usize) -> Result<(ColumnRef, usize), TextError> {
    if text[start..].starts_with(['"', '\'']) {
        let (name, end) = text_at(text, start).map_err(TextError::from)?;
        return Ok((ColumnRef::Name(name), end));
    }
    let end = clause_end(text, start, &AFTER_OF);
    let column = text[start..end].trim();
    if column.is_empty() {
        return Err(TextError::new(
            "a column is missing after `of`",
            start..end,
            "write it like `family of part_code: first 3`",
        ));
    }
    Ok((ColumnRef::parse(column), end))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::piece::{OutputForm, Piece, Source};

    #[test]
    fn heads_have_their_parts_in_any_order() {
        for head in [
            "price of amount as number in rows when depot: one of \"as\", \" of \"",
            "price in rows when depot: one of \"as\", \" of \" as number of amount",
            "price as number when depot: one of \"as\", \" of \" of \"amount\" in rows",
        ] {
            let piece = Piece::parse(&format!("{head}: numbers"), 0).unwrap();
            let Source::Take { of, .. } = &piece.source else { panic!("{head}") };
            let when = piece.when.as_ref().unwrap();
            assert_eq!((piece.name.as_str(), of.as_ref().unwrap().to_string().as_str()), ("price", "amount"), "{head}");
            assert_eq!((piece.value_type, piece.shape), (Some(ValueType::Number), OutputForm::Rows), "{head}");
            assert_eq!(when.condition.to_string(), "one of \"as\", \" of \"", "{head}");
        }
        let names = |text: &str| Piece::parse(text, 0).unwrap().parts.into_iter().map(|part| part.name).collect::<Vec<_>>();
        assert_eq!(names("kind , \"a, b\",grade of code as date: sections by \"-\""), ["kind", "a, b", "grade"]);
        assert_eq!(names("code: groups of /(?<fam>(?:[A-Z])+)-(?<yr>\\d+)/"), ["fam", "yr"]);
        assert_eq!(names("code: groups of /(?<fam>.)(.)/ joined with \"\""), [""; 0]);
    }
}
