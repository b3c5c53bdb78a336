//! A piece as typed: its lines and their meaning.

use crate::rules::today;
use keen_notch_core::carving::Carving;
use keen_notch_core::column::{ColumnRef, Header};
use keen_notch_core::cutlist::CutList;
use keen_notch_core::phrase::ast::Condition;
use keen_notch_core::piece::{Piece, Rules};
use keen_notch_core::program::{Files, Setting};
use keen_notch_core::text::unit::Unit;
use keen_notch_core::text_error::TextError;
use keen_notch_core::toml_text::{toml_key, toml_text};
use toml_edit::{InlineTable, Value};

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Line {
    Name,
    Phrase,
    Check,
    When,
    More,
}

const NOT_MORE: [&str; 5] = ["take", "check", "when", "of", "build"];

/// The suggested keys, each with a usual value.
pub const MORE: [&str; 10] = [
    "columns = 3",
    "columns = \"auto\"",
    "rows = true",
    "optional = true",
    "warn = ['digits']",
    "as = \"number\"",
    "as = \"date\"",
    "as = \"true or false\"",
    "hidden = true",
    "replace = true",
];

/// A key of a piece in a cut list, and the line on the screen that sets it.
#[derive(Debug)]
pub struct PieceKey {
    pub key: String,
    pub value: String,
    pub line: Line,
}

#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Draft {
    /// Its identity, which is independent of its name.
    pub id: usize,
    pub name: String,
    pub phrase: String,
    pub check: String,
    pub when: String,
    /// Other keys of a cut list, separated by commas.
    pub more: String,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unfinished {
    pub line: Line,
    pub message: String,
    pub help: String,
}

impl Unfinished {
    fn new(line: Line, error: TextError) -> Unfinished {
        Unfinished { line, message: error.message, help: error.help }
    }
}

pub struct Binding<'a> {
    pub header: &'a Header,
    pub column: usize,
    pub unit: Unit,
    pub files: &'a dyn Files,
}

/// A piece bound to the table. It has index 0; pieces that its checks name come after it.
#[derive(Debug)]
pub struct BoundPiece {
    pub carving: Carving,
    /// The number of its own pieces: one, and one for each of its columns.
    pub own: usize,
}

impl Draft {
    pub fn line(&self, line: Line) -> &str {
        match line {
            Line::Name => &self.name,
            Line::Phrase => &self.phrase,
            Line::Check => &self.check,
            Line::When => &self.when,
            Line::More => &self.more,
        }
    }

    pub fn line_mut(&mut self, line: Line) -> &mut String {
        match line {
            Line::Name => &mut self.name,
            Line::Phrase => &mut self.phrase,
            Line::Check => &mut self.check,
            Line::When => &mut self.when,
            Line::More => &mut self.more,
        }
    }

    pub fn has_phrase(&self) -> bool {
        !self.phrase.trim().is_empty()
    }

    /// Whether a line besides the name has a text.
    pub fn has_text(&self) -> bool {
        [&self.phrase, &self.check, &self.when, &self.more].into_iter().any(|text| !text.trim().is_empty())
    }

    pub fn checks(&self) -> Vec<&str> {
        conditions(&self.check).into_iter().map(|(_, condition)| condition.trim()).filter(|text| !text.is_empty()).collect()
    }

    /// The keys of the line for other keys, with their values.
    ///
    /// # Errors
    /// The line is not valid TOML, or a key has its own line.
    pub fn other_keys(&self) -> Result<Vec<(String, Value)>, Unfinished> {
        let wrong = |message: String, help: &str| Unfinished { line: Line::More, message, help: help.to_owned() };
        let help = "write it like `columns = 3` or `optional = true`, with commas between";
        let table: InlineTable = match format!("{{ {} }}", self.more).parse() {
            Ok(Value::InlineTable(table)) => table,
            Ok(_) => return Err(wrong("these are no keys".to_owned(), help)),
            Err(error) => {
                let message = toml_edit::TomlError::message(&error).lines().next().unwrap_or_default().to_owned();
                return Err(wrong(message, help));
            }
        };
        let foreign = table.iter().map(|(key, _)| key.to_owned()).find(|key| NOT_MORE.contains(&key.as_str()));
        match foreign.as_deref() {
            Some(key @ ("take" | "check" | "when")) => {
                Err(wrong(format!("`{key}` has a line of its own"), "remove it; the lines above have it"))
            }
            Some(key) => Err(wrong(format!("`{key}` cannot be tried: every piece comes from the column"), "leave it out")),
            None => Ok(table.into_iter().map(|(key, value)| (key.to_string(), value.decorated("", ""))).collect()),
        }
    }

    /// The keys of the piece in a cut list, as written there.
    ///
    /// # Errors
    /// The errors of [`Draft::other_keys`].
    pub fn keys(&self) -> Result<Vec<PieceKey>, Unfinished> {
        let of = |key: &str, value: String, line: Line| PieceKey { key: key.to_owned(), value, line };
        let mut keys = vec![of("take", toml_text(self.phrase.trim()), Line::Phrase)];
        let checks: Vec<String> = self.checks().into_iter().map(toml_text).collect();
        if !checks.is_empty() {
            keys.push(of("check", format!("[{}]", checks.join(", ")), Line::Check));
        }
        if !self.when.trim().is_empty() {
            keys.push(of("when", toml_text(self.when.trim()), Line::When));
        }
        let others = self.other_keys()?.into_iter();
        keys.extend(others.map(|(key, value)| of(&toml_key(&key), value.to_string(), Line::More)));
        Ok(keys)
    }

    /// The piece alone, as rules, and the line of each part of its text; `None` without a phrase.
    fn rules(&self) -> Result<Option<(Rules, LineStarts)>, Unfinished> {
        if !self.has_phrase() {
            return Ok(None);
        }
        let (mut list, mut lines) = (format!("[piece.{}]\n", toml_key(&self.name)), vec![(0, Line::Name)]);
        for PieceKey { key, value, line } in self.keys()? {
            lines.push((list.len(), line));
            list += &format!("{key} = {value}\n");
        }
        let list = CutList::parse(&list, 0).map_err(|error| Unfinished::new(line_of(&lines, &error), error))?;
        Ok(Some((list.wanted, lines)))
    }

    /// Binds the piece like a cut list with only this piece; `None` without a phrase. If it needs other pieces, because a check names one,
    /// they come from `others`.
    ///
    /// # Errors
    /// A line is unfinished.
    pub fn bind(&self, binding: &Binding, others: &dyn Fn() -> Rules) -> Result<Option<BoundPiece>, Unfinished> {
        let Some((mut wanted, lines)) = self.rules()? else { return Ok(None) };
        let own = wanted.pieces.len();
        let main = ColumnRef::Number(binding.column + 1);
        let setting = Setting { unit: binding.unit, files: binding.files, today: &|| Some(today()) };
        let carving = Carving::new(&wanted, Some(&main), &setting, binding.header).or_else(|alone| {
            let Rules { pieces, layouts, .. } = others();
            add_new(&mut wanted.pieces, pieces);
            wanted.layouts.extend(layouts);
            Carving::new(&wanted, Some(&main), &setting, binding.header).map_err(|_| alone)
        });
        let carving = carving.map_err(|unbound| Unfinished::new(line_of(&lines, &unbound.error), unbound.error))?;
        Ok(Some(BoundPiece { carving, own }))
    }

    /// Adds the piece, if it is finished, to rules that another piece can name.
    pub fn add_to(&self, rules: &mut Rules) {
        if let Ok(Some((own, _))) = self.rules() {
            add_new(&mut rules.pieces, own.pieces.into_iter().map(unchecked).collect());
        }
    }
}

/// Adds pieces with new names. The list can contain the columns of a piece already.
fn add_new(pieces: &mut Vec<Piece>, others: Vec<Piece>) {
    let names: Vec<String> = pieces.iter().map(|piece| piece.name.clone()).collect();
    pieces.extend(others.into_iter().filter(|other| !names.contains(&other.name)));
}

/// Where the text of each line starts in the cut list of a piece, in bytes.
type LineStarts = Vec<(usize, Line)>;

/// A piece without its checks, for rules that only other pieces use.
pub fn unchecked(piece: Piece) -> Piece {
    Piece { checks: Vec::new(), replace: false, ..piece }
}

fn line_of(lines: &[(usize, Line)], error: &TextError) -> Line {
    let before = lines.iter().take_while(|(start, _)| *start <= error.span.start);
    before.last().map_or(Line::Phrase, |(_, line)| *line)
}

/// The conditions between semicolons, each with its first byte. A semicolon inside a text or regular expression does not separate, so a
/// part is extended until it is valid.
pub fn conditions(text: &str) -> Vec<(usize, &str)> {
    let (mut all, mut start) = (Vec::new(), 0);
    loop {
        let rest = &text[start..];
        let ends = || rest.match_indices(';').map(|(at, _)| at);
        let end = ends().find(|end| Condition::is_valid(&rest[..*end]));
        let is_whole = Condition::is_valid(rest);
        match end.or_else(|| ends().next()).filter(|_| !is_whole) {
            Some(end) => {
                all.push((start, &rest[..end]));
                start += end + 1;
            }
            None => {
                all.push((start, rest));
                return all;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn bind(draft: &Draft) -> Result<Option<BoundPiece>, Unfinished> {
        let header = Header::Names(vec!["part_code".to_owned(), "depot".to_owned()]);
        draft.bind(&Binding { header: &header, column: 0, unit: Unit::Characters, files: &() }, &Rules::default)
    }

    #[test]
    fn errors_name_their_line() {
        let right = Draft { name: "family".to_owned(), phrase: "numbers".to_owned(), ..Draft::default() };
        let columns = Draft {
            more: "columns = 3, optional = true".to_owned(),
            when: "depot: starts with \"S\"".to_owned(),
            check: "digits; same as depot".to_owned(),
            ..right.clone()
        };
        assert!(bind(&columns).unwrap().is_some());
        assert!(bind(&Draft { phrase: " ".to_owned(), ..right.clone() }).unwrap().is_none());
        for (draft, line, message) in [
            (right.clone(), Line::Phrase, "several results"),
            (Draft { name: String::new(), ..columns.clone() }, Line::Name, "no name"),
            (Draft { name: "depot".to_owned(), ..columns.clone() }, Line::Name, "name of a column"),
            (Draft { phrase: "numbres".to_owned(), ..columns.clone() }, Line::Phrase, "numbres"),
            (Draft { check: "digits; lenght 3".to_owned(), ..columns.clone() }, Line::Check, "lenght"),
            (Draft { check: "same as depto".to_owned(), ..columns.clone() }, Line::Check, "depto"),
            (Draft { when: "depto: digits".to_owned(), ..columns.clone() }, Line::When, "depto"),
            (Draft { more: "columns = 0".to_owned(), ..columns.clone() }, Line::More, "number of columns"),
            (Draft { more: "columns".to_owned(), ..columns.clone() }, Line::More, ""),
            (Draft { more: "colums = 3".to_owned(), ..columns.clone() }, Line::More, "colums"),
            (Draft { more: "take = 'x'".to_owned(), ..columns.clone() }, Line::More, "a line of its own"),
            (Draft { more: "of = 'x'".to_owned(), ..columns.clone() }, Line::More, "cannot be tried"),
            (Draft { check: "required".to_owned(), ..columns.clone() }, Line::More, "optional"),
        ] {
            let unfinished = bind(&draft).unwrap_err();
            assert!(unfinished.line == line && unfinished.message.contains(message), "{unfinished:?}");
        }
        for more in MORE {
            let phrase = if more.starts_with("columns") || more.starts_with("rows") { "numbers" } else { "first 3" };
            let name = if more.starts_with("replace") { "depot" } else { "family" };
            let draft = Draft { name: name.to_owned(), more: more.to_owned(), phrase: phrase.to_owned(), ..right.clone() };
            assert!(bind(&draft).is_ok(), "{more}: {:?}", bind(&draft).err());
        }
    }

    #[test]
    fn semicolons_part_conditions_but_not_texts() {
        let parted = |text| conditions(text).into_iter().map(|(at, text)| format!("{at}:{text}")).collect::<Vec<_>>().join("|");
        assert_eq!(parted("digits; length 3;"), "0:digits|7: length 3|17:");
        assert_eq!(parted("one of \"a;b\", \"c\"; digits"), "0:one of \"a;b\", \"c\"|18: digits");
        assert_eq!(parted("fits /a;b/"), "0:fits /a;b/");
        assert_eq!(parted("lenght 3; digits"), "0:lenght 3|9: digits");
        assert_eq!(parted(""), "0:");
    }
}
