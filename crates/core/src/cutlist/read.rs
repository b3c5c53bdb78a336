//! Reads a cut list: TOML, then keys, then pieces with their phrases and conditions.

use std::ops::Range;

use indexmap::IndexMap;
use serde::Deserialize as _;
use toml::Spanned;
use toml::de::{DeString, DeTable, DeValue};

use super::file::{File, LayoutEntry, PieceEntry, Reading, Writing};
use super::place::text_place;
use crate::column::ColumnRef;
use crate::layout::{Form, Layout};
use crate::phrase::Phrase;
use crate::phrase::ast::Condition;
use crate::piece::build;
use crate::piece::{BuildPart, Check, Keep, Names, OutputForm, Piece, Proof, Rules, Source, UniqueTogether, When};
use crate::text::unit::Unit;
use crate::text_error::TextError;
use crate::value_type::ValueType;
use crate::words;

pub(super) const MOST_COLUMNS: usize = 1000;

/// A parsed cut list. Its phrases and conditions are valid; its columns are resolved when it meets a table.
#[derive(Debug, Clone)]
pub struct CutList {
    pub title: Option<String>,
    pub column: Option<Main>,
    pub unit: Unit,
    pub reading: Reading,
    pub writing: Writing,
    /// The pieces and conditions: first the pieces of layouts, then the others in file order.
    pub wanted: Rules,
}

/// The default source column and its place in the file.
#[derive(Debug, Clone)]
pub struct Main {
    pub column: ColumnRef,
    pub span: Range<usize>,
}

impl CutList {
    /// Parses a cut list. `origin` is the number of the file among the reader's texts.
    ///
    /// ```
    /// use keen_notch_core::cutlist::CutList;
    ///
    /// let list = CutList::parse("[piece.family]\ntake = 'first 3'\ncheck = ['uppercase']", 0)?;
    /// assert_eq!(list.wanted.pieces[0].name, "family");
    /// assert!(CutList::parse("[piece.family]\ntakes = 'first 3'", 0).unwrap_err().help.contains("take"));
    /// # Ok::<(), keen_notch_core::text_error::TextError>(())
    /// ```
    ///
    /// # Errors
    /// Where the file is no TOML, holds a key that there is not, or a phrase or condition that cannot be
    /// right; the span is in `file`.
    pub fn parse(file: &str, origin: usize) -> Result<CutList, TextError> {
        if file.len() > MOST_BYTES {
            let message = format!("a cut list of more than {MOST_BYTES} bytes");
            return Err(TextError::new(message, 0..0, "split it: several lists can be used together"));
        }
        let (keys, mut parts) = keys(file).map_err(|error| from_toml(file, &error))?;
        let reader = Reader { file, origin };
        let mut wanted = Rules::default();
        for (column, entry) in &keys.layout {
            wanted.add_layout(reader.layout(column, entry)?, false);
        }
        for (name, entry) in &keys.piece {
            let mut piece = reader.piece(name, entry)?;
            if let Some(names) =
                reader.part_names(entry)?.or_else(|| piece.names_of_groups().filter(|_| piece.shape == OutputForm::One))
            {
                piece.divide(names)?;
            }
            for (part, entry) in parts.swap_remove(name.get_ref()).unwrap_or_default() {
                reader.part(&mut piece, &part, &entry)?;
            }
            wanted.add_piece(piece);
        }
        if wanted.pieces.len() > MOST_PIECES {
            let message = format!("a cut list of {} pieces; {MOST_PIECES} are the most", wanted.pieces.len());
            return Err(TextError::new(message, file.len()..file.len(), "split it, and run one list after the other"));
        }
        if wanted.pieces.is_empty() && keys.rows.is_none() {
            return Err(no_piece(file));
        }
        for (column, text) in &keys.proof {
            wanted.proofs.push(reader.proof(column, text)?);
        }
        if let Some(rows) = &keys.rows {
            wanted.keep = rows.keep.iter().map(|text| reader.keep(text)).collect::<Result<_, _>>()?;
            let of: Vec<_> = rows.unique.iter().map(|name| (ColumnRef::parse(name.get_ref()), name.span())).collect();
            wanted.unique = (!of.is_empty()).then_some(UniqueTogether { of, origin });
        }
        let column = keys.column.map(|column| Main { column: ColumnRef::parse(column.get_ref()), span: column.span() });
        Ok(CutList { title: keys.title, column, unit: keys.unit, reading: keys.reading, writing: keys.writing, wanted })
    }
}

pub fn no_piece(file: &str) -> TextError {
    let help = "add one:  [piece.family]  take = 'first 3'";
    TextError::new("the cut list has no piece", file.len()..file.len(), help)
}

/// Maximum size of a cut list, in bytes.
pub const MOST_BYTES: usize = 4 << 20;
pub const MOST_PIECES: usize = 5000;

fn value_type(entry: &PieceEntry) -> Result<Option<ValueType>, TextError> {
    let Some(words) = &entry.value_type else { return Ok(None) };
    let Some(found) = ValueType::parse(words.get_ref()) else {
        let message = format!("a piece cannot be written as {:?}", words.get_ref());
        return Err(TextError::new(
            message,
            words.span(),
            "write as = \"number\", \"date\" or \"true or false\"; other pieces are texts",
        ));
    };
    Ok(Some(found))
}

type PartEntries = IndexMap<String, Vec<(Spanned<String>, PieceEntry)>>;

/// The keys of a file, and the tables below those of its pieces, such as `[piece.code.serial]`.
fn keys(file: &str) -> Result<(File, PartEntries), toml::de::Error> {
    let mut table = DeTable::parse(file)?;
    let mut parts = PartEntries::new();
    if let Some(DeValue::Table(pieces)) = table.get_mut().get_mut("piece").map(Spanned::get_mut) {
        for (name, piece) in pieces.iter_mut() {
            let DeValue::Table(entry) = piece.get_mut() else { continue };
            let is_part = |key: &str, value: &DeValue| value.is_table() && !PIECE_KEYS.contains(&key);
            let of_piece: Vec<Spanned<DeString>> = entry
                .iter()
                .filter(|(key, value)| is_part(key.get_ref(), value.get_ref()))
                .map(|(key, _)| key.clone())
                .collect();
            for key in of_piece {
                let Some(value) = entry.remove(&key) else { continue };
                let part = PieceEntry::deserialize(toml::de::ValueDeserializer::from(value))?;
                let part_name = Spanned::new(key.span(), key.get_ref().as_ref().to_owned());
                parts.entry(name.get_ref().as_ref().to_owned()).or_default().push((part_name, part));
            }
        }
    }
    Ok((File::deserialize(toml::de::Deserializer::from(table))?, parts))
}

/// The keys of a piece that are no parts of it.
const PIECE_KEYS: [&str; 12] =
    ["of", "take", "build", "check", "warn", "when", "columns", "rows", "as", "replace", "optional", "hidden"];

struct Reader<'a> {
    file: &'a str,
    origin: usize,
}

impl Reader<'_> {
    fn piece(&self, name: &Spanned<String>, entry: &PieceEntry) -> Result<Piece, TextError> {
        let at_name = |message: &str, help: &str| Err(TextError::new(message, name.span(), help));
        if name.get_ref().trim().is_empty() {
            return at_name("the piece has no name", "write it like [piece.family]");
        }
        let source = match (&entry.take, &entry.build) {
            (Some(_), Some(build)) => {
                return Err(TextError::new(
                    "a piece has `take` or `build`, not both",
                    build.span(),
                    "remove `take` or `build`",
                ));
            }
            (None, None) => return at_name("the piece has neither `take` nor `build`", "add a phrase: take = 'first 3'"),
            (Some(take), None) => {
                let phrase_at = text_place(self.file, &take.span());
                let phrase = Phrase::parse(take.get_ref()).map_err(|error| phrase_at.error(error))?;
                let of_span = entry.of.as_ref().map_or(name.span(), Spanned::span);
                Source::Take { of: entry.of.as_ref().map(|of| ColumnRef::parse(of.get_ref())), of_span, phrase, phrase_at }
            }
            (None, Some(build)) => self.build(build, entry)?,
        };
        Ok(Piece {
            name: name.get_ref().clone(),
            when: entry.when.as_ref().map(|when| self.when(when)).transpose()?,
            shape: shape(entry, &source)?,
            value_type: value_type(entry)?,
            replace: entry.replace,
            optional: entry.optional.as_ref().is_some_and(|optional| *optional.get_ref()),
            hidden: entry.hidden,
            checks: self.checks(entry)?,
            parts: Vec::new(),
            source,
            origin: self.origin,
            on_command_line: false,
            span: name.span(),
        })
    }

    /// The names of the columns, if there is a list of them.
    fn part_names(&self, entry: &PieceEntry) -> Result<Option<Names>, TextError> {
        let Some(columns) = &entry.columns else { return Ok(None) };
        let Some(names) = columns.get_ref().as_array() else { return Ok(None) };
        let name = |name: &toml::Value| match name.as_str() {
            Some(name) => Ok((name.to_owned(), columns.span())),
            None => Err(TextError::new(
                "a name of a column is a string",
                columns.span(),
                "write it like columns = [\"kind\", \"serial\"]",
            )),
        };
        names.iter().map(name).collect::<Result<Vec<_>, _>>().map(Some)
    }

    /// Adds the keys of `[piece.NAME.PART]` to that part.
    fn part(&self, piece: &mut Piece, name: &Spanned<String>, entry: &PieceEntry) -> Result<(), TextError> {
        let names: Vec<String> = piece.parts.iter().map(|part| part.name.clone()).collect();
        let divided = piece.name.clone();
        let Some(part) = piece.parts.iter_mut().find(|part| part.name == *name.get_ref()) else {
            let message = format!("{divided} has no column {}", name.get_ref());
            let help = match words::nearest(name.get_ref(), names.iter().map(String::as_str)) {
                Some(nearest) => format!("did you mean {nearest}?"),
                None if names.is_empty() => format!("name the columns of {divided}: columns = [\"{}\"]", name.get_ref()),
                None => format!("its columns are {}", names.join(", ")),
            };
            return Err(TextError::new(message, name.span(), help));
        };
        let texts = [&entry.of, &entry.take, &entry.build, &entry.when].into_iter().flatten().map(Spanned::span);
        let others = [entry.columns.as_ref().map(Spanned::span), entry.rows.as_ref().map(Spanned::span)].into_iter().flatten();
        if let Some(span) = texts.chain(others).next() {
            let help = format!("write it under [piece.{divided}]; a column has check, warn, as, optional, replace and hidden");
            return Err(TextError::new("this key is for the whole piece", span, help));
        }
        part.checks = self.checks(entry)?;
        part.value_type = value_type(entry)?.or(part.value_type);
        part.optional = entry.optional.as_ref().is_some_and(|optional| *optional.get_ref());
        part.replace = entry.replace;
        part.hidden |= entry.hidden;
        part.span = name.span();
        Ok(())
    }

    fn layout(&self, column: &Spanned<String>, entry: &LayoutEntry) -> Result<Layout, TextError> {
        let forms = entry.form.iter().map(|form| {
            let place = text_place(self.file, &form.span());
            Form::parse(form.get_ref()).map_err(|error| place.error(error))
        });
        let forms = forms.collect::<Result<Vec<_>, _>>()?;
        if forms.is_empty() {
            let help = "add one: form = ['<family 3 uppercase>-<serial 8 digits>']";
            return Err(TextError::new("the layout has no form", column.span(), help));
        }
        Ok(Layout { column: ColumnRef::parse(column.get_ref()), column_span: column.span(), forms, origin: self.origin })
    }

    fn proof(&self, column: &Spanned<String>, text: &Spanned<String>) -> Result<Proof, TextError> {
        Ok(Proof {
            column: ColumnRef::parse(column.get_ref()),
            column_span: column.span(),
            parts: self.parts(text)?,
            words: text.get_ref().clone(),
            origin: self.origin,
        })
    }

    fn keep(&self, text: &Spanned<String>) -> Result<Keep, TextError> {
        Keep::parse_at(text.get_ref(), &text_place(self.file, &text.span()), self.origin)
    }

    fn build(&self, build: &Spanned<String>, entry: &PieceEntry) -> Result<Source, TextError> {
        if let Some(of) = &entry.of {
            let help = "name columns in `build`, in braces";
            return Err(TextError::new("a piece with `build` has no source column", of.span(), help));
        }
        Ok(Source::Build { parts: self.parts(build)?, span: build.span() })
    }

    fn parts(&self, build: &Spanned<String>) -> Result<Vec<BuildPart>, TextError> {
        let place = text_place(self.file, &build.span());
        let mut parts = build::parts(build.get_ref()).map_err(|error| place.error(error))?;
        for part in &mut parts {
            if let BuildPart::Name(_, span) = part {
                *span = place.span(span);
            }
        }
        Ok(parts)
    }

    fn when(&self, when: &Spanned<String>) -> Result<When, TextError> {
        When::parse(when.get_ref(), &text_place(self.file, &when.span()))
    }

    fn checks(&self, entry: &PieceEntry) -> Result<Vec<Check>, TextError> {
        let check = |text: &Spanned<String>, only_warns| {
            let place = text_place(self.file, &text.span());
            let condition = Condition::parse(text.get_ref()).map_err(|error| place.error(error))?;
            Ok(Check { condition, words: text.get_ref().clone(), only_warns, origin: self.origin, span: text.span() })
        };
        let checks = entry.check.iter().map(|text| check(text, false));
        let checks =
            checks.chain(entry.warn.iter().map(|text| check(text, true))).collect::<Result<Vec<Check>, TextError>>()?;
        if let (Some(optional), Some(required)) = (
            entry.optional.as_ref().filter(|optional| *optional.get_ref()),
            checks.iter().find(|check| check.condition.wants_text() && !check.only_warns),
        ) {
            let message = format!("a piece is `{}` or optional, not both", required.words);
            return Err(TextError::new(message, optional.span(), "remove one"));
        }
        Ok(checks)
    }
}

fn shape(entry: &PieceEntry, source: &Source) -> Result<OutputForm, TextError> {
    let shape = match (&entry.columns, &entry.rows) {
        (Some(columns), Some(rows)) if *rows.get_ref() => {
            return Err(TextError::new("results fill columns or rows, not both", columns.span(), "remove `columns` or `rows`"));
        }
        (Some(columns), _) => match columns.get_ref() {
            toml::Value::String(word) if word == "auto" => OutputForm::AutoColumns,
            toml::Value::Array(names) if (1..=MOST_COLUMNS).contains(&names.len()) => OutputForm::Parts(names.len()),
            toml::Value::Integer(n) if usize::try_from(*n).is_ok_and(|n| (1..=MOST_COLUMNS).contains(&n)) => {
                OutputForm::Columns(usize::try_from(*n).unwrap_or(1))
            }
            _ => {
                let help = format!(
                    "write a number from 1 to {MOST_COLUMNS}, names such as [\"kind\", \"serial\"], or \"auto\" for the number that the data needs"
                );
                return Err(TextError::new("this is not a number of columns", columns.span(), help));
            }
        },
        (None, Some(rows)) if *rows.get_ref() => OutputForm::Rows,
        _ => OutputForm::One,
    };
    let span = entry.columns.as_ref().map(Spanned::span).or(entry.rows.as_ref().map(Spanned::span)).unwrap_or_default();
    match (source, shape) {
        (_, OutputForm::One) => {}
        (Source::Build { .. } | Source::Field { .. } | Source::Part { .. }, _) => {
            return Err(TextError::new("a piece with `build` has one result", span, "leave this out"));
        }
        (Source::Take { phrase, .. }, _) if crate::program::refuse_several(phrase, "").is_ok() => {
            let help = "remove it, or use a step with several results: `sections by`, `numbers`, `runs` or `matches`";
            return Err(TextError::new("the phrase gives a single result", span, help));
        }
        _ if entry.replace && shape != OutputForm::Rows => {
            return Err(TextError::new("several columns cannot replace one", span, "leave `replace` out"));
        }
        _ => {}
    }
    Ok(shape)
}

fn from_toml(file: &str, error: &toml::de::Error) -> TextError {
    let span = error.span().unwrap_or(file.len()..file.len());
    let message = error.message();
    let mut names = message.split('`').skip(1).step_by(2);
    if message.starts_with("unknown field")
        && let Some(unknown) = names.next()
    {
        let known: Vec<&str> = names.collect();
        let list = format!("the keys here are {}", known.join(", "));
        if known.contains(&"take")
            && let Some(meant) = meant(unknown)
        {
            return TextError::new(format!("unknown key `{unknown}`"), span, format!("write `{meant}`"));
        }
        let help = match words::nearest(unknown, known.iter().copied()) {
            Some(nearest) => format!("did you mean `{nearest}`? {}{}", list[..1].to_uppercase(), &list[1..]),
            None => list,
        };
        return TextError::new(format!("unknown key `{unknown}`"), span, help);
    }
    let first_line = message.lines().next().unwrap_or_default();
    if let Some((found, expected)) = first_line.strip_prefix("invalid type: ").and_then(|rest| rest.split_once(", expected ")) {
        return wrong_type(found, expected, span);
    }
    let help = "a cut list is TOML: key = \"value\" lines under [piece.NAME]; texts with quotes in them go in single quotes";
    TextError::new(first_line, span, help)
}

fn wrong_type(found: &str, expected: &str, span: Range<usize>) -> TextError {
    let found = match found.split_whitespace().next() {
        Some("string") => "a string",
        Some("integer") => "an integer",
        Some("floating") => "a number",
        Some("boolean") => "`true` or `false`",
        Some("sequence") => "a list",
        Some("map") => "a table",
        _ => "a value of another type",
    };
    let (expected, help) = match expected {
        "struct PieceEntry" => ("a table", "write `[piece.NAME]` on a line of its own, and `take = 'first 3'` on the next"),
        _ if expected.starts_with("struct ") || expected == "a map" => {
            ("a table", "write its name in brackets on a line of its own, such as `[rows]`, and its keys on the next lines")
        }
        "a string" => ("a string", "write the value in quotes"),
        "a boolean" => ("`true` or `false`", "write `true` or `false` without quotes"),
        _ => (expected, "write a value of this type"),
    };
    TextError::new(format!("this is {found}, not {expected}"), span, help)
}

/// The likely meaning of an unknown key of a piece: a condition, a check digit or a phrase.
fn meant(key: &str) -> Option<String> {
    let key = key.replace(['_', '-'], " ");
    for condition in [key.clone(), format!("check digit {key}")] {
        if Condition::is_valid(&condition) {
            return Some(format!("check = \"{condition}\""));
        }
    }
    let take = ["phrase", "extract", "cut", "rule", "expression", "pattern", "regex", "select"];
    take.contains(&key.as_str()).then(|| "take = 'first 3'".to_owned())
}
