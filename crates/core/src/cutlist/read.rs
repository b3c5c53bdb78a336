//! Reading a cut list: TOML → keys → pieces with their phrases and conditions.

use std::ops::Range;

use toml::Spanned;

use super::build;
use super::file::{File, LayoutEntry, PieceEntry};
use super::place::text_place;
use crate::column::ColumnRef;
use crate::layout::{Form, Layout};
use crate::phrase::Phrase;
use crate::phrase::ast::Condition;
use crate::piece::{BuildPart, Check, Keep, Piece, Proof, Shape, Source, UniqueTogether, Wanted, When};
use crate::refusal::Refusal;
use crate::text::unit::Unit;
use crate::words;

/// The most columns that one piece may fill.
pub(super) const MOST_COLUMNS: usize = 1000;

/// A cut list that has been read: its phrases and conditions are right by themselves; whether its columns
/// are there is found out when it meets a table.
#[derive(Debug, Clone)]
pub struct CutList {
    /// What it is for.
    pub title: Option<String>,
    /// The column that pieces come from unless they say otherwise.
    pub column: Option<Main>,
    /// What positions and widths count.
    pub unit: Unit,
    /// What is wanted: the pieces of layouts first, then the others in the order of the file.
    pub wanted: Wanted,
}

/// The column that pieces come from unless they say otherwise, and where it is named.
#[derive(Debug, Clone)]
pub struct Main {
    /// The column.
    pub column: ColumnRef,
    /// Where it is named.
    pub span: Range<usize>,
}

impl CutList {
    /// Reads a cut list. `origin` is the number of the file among the reader's texts.
    ///
    /// # Errors
    /// Where the file is no TOML, holds a key that there is not, or a phrase or condition that cannot be
    /// right; the span is in `file`.
    pub fn parse(file: &str, origin: usize) -> Result<CutList, Refusal> {
        let keys: File = toml::from_str(file).map_err(|error| from_toml(file, &error))?;
        let reader = Reader { file, origin };
        let mut wanted = Wanted::default();
        for (column, entry) in &keys.layout {
            wanted.add_layout(reader.layout(column, entry)?, false);
        }
        for (name, entry) in &keys.piece {
            wanted.pieces.push(reader.piece(name, entry)?);
        }
        if wanted.pieces.is_empty() {
            let mend = "add one:  [piece.family]  take = 'first 3'";
            return Err(Refusal::new("the cut list has no piece", file.len()..file.len(), mend));
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
        Ok(CutList { title: keys.title, column, unit: keys.unit, wanted })
    }
}

struct Reader<'a> {
    file: &'a str,
    origin: usize,
}

impl Reader<'_> {
    fn piece(&self, name: &Spanned<String>, entry: &PieceEntry) -> Result<Piece, Refusal> {
        let at_name = |message: &str, mend: &str| Err(Refusal::new(message, name.span(), mend));
        if name.get_ref().trim().is_empty() {
            return at_name("the piece has no name", "write it like [piece.family]");
        }
        let source = match (&entry.take, &entry.build) {
            (Some(_), Some(build)) => {
                return Err(Refusal::new(
                    "a piece is taken or built, not both",
                    build.span(),
                    "keep one of `take` and `build`",
                ));
            }
            (None, None) => return at_name("the piece says neither `take` nor `build`", "add a phrase: take = 'first 3'"),
            (Some(take), None) => {
                let phrase_at = text_place(self.file, &take.span());
                let phrase = Phrase::parse(take.get_ref()).map_err(|error| phrase_at.refusal(error))?;
                let of_span = entry.of.as_ref().map_or(name.span(), Spanned::span);
                Source::Take { of: entry.of.as_ref().map(|of| ColumnRef::parse(of.get_ref())), of_span, phrase, phrase_at }
            }
            (None, Some(build)) => self.build(build, entry)?,
        };
        Ok(Piece {
            name: name.get_ref().clone(),
            when: entry.when.as_ref().map(|when| self.when(when)).transpose()?,
            shape: shape(entry, &source)?,
            replace: entry.replace,
            checks: self.checks(entry)?,
            source,
            origin: self.origin,
            on_command_line: false,
            span: name.span(),
        })
    }

    fn layout(&self, column: &Spanned<String>, entry: &LayoutEntry) -> Result<Layout, Refusal> {
        let forms = entry.form.iter().map(|form| {
            let place = text_place(self.file, &form.span());
            Form::parse(form.get_ref()).map_err(|refusal| place.refusal(refusal))
        });
        let forms = forms.collect::<Result<Vec<_>, _>>()?;
        if forms.is_empty() {
            let mend = "add one: form = ['<family 3 uppercase>-<serial 8 digits>']";
            return Err(Refusal::new("the layout has no form", column.span(), mend));
        }
        Ok(Layout { column: ColumnRef::parse(column.get_ref()), column_span: column.span(), forms, origin: self.origin })
    }

    fn proof(&self, column: &Spanned<String>, text: &Spanned<String>) -> Result<Proof, Refusal> {
        Ok(Proof {
            column: ColumnRef::parse(column.get_ref()),
            column_span: column.span(),
            parts: self.parts(text)?,
            words: text.get_ref().clone(),
            origin: self.origin,
        })
    }

    /// `COLUMN: CONDITION`.
    fn keep(&self, text: &Spanned<String>) -> Result<Keep, Refusal> {
        let When { column, column_span, condition, span } = self.when(text)?;
        let Some(of) = column else {
            let mend = format!("write it as COLUMN: CONDITION, such as `part_code: {}`", text.get_ref().trim());
            return Err(Refusal::new("the condition does not say what it asks about", span, mend));
        };
        Ok(Keep { of, of_span: column_span, condition, span, origin: self.origin })
    }

    fn build(&self, build: &Spanned<String>, entry: &PieceEntry) -> Result<Source, Refusal> {
        if let Some(of) = &entry.of {
            let mend = "name columns in `build`, in braces";
            return Err(Refusal::new("a piece that is built comes from no column", of.span(), mend));
        }
        Ok(Source::Build { parts: self.parts(build)?, span: build.span() })
    }

    /// The parts of a built text.
    fn parts(&self, build: &Spanned<String>) -> Result<Vec<BuildPart>, Refusal> {
        let place = text_place(self.file, &build.span());
        let mut parts = build::parts(build.get_ref()).map_err(|refusal| place.refusal(refusal))?;
        for part in &mut parts {
            if let BuildPart::Name(_, span) = part {
                *span = place.span(span);
            }
        }
        Ok(parts)
    }

    /// `CONDITION`, or `COLUMN: CONDITION`.
    fn when(&self, when: &Spanned<String>) -> Result<When, Refusal> {
        let text = when.get_ref();
        let place = text_place(self.file, &when.span());
        // Outside of quotes and slashes, no condition has a colon.
        let colon = match Condition::parse(text) {
            Ok(_) => None,
            Err(_) => colon_behind_column(text),
        };
        let (column, start) = match colon {
            Some(colon) => (Some(ColumnRef::parse(&text[..colon])), colon + 1),
            None => (None, 0),
        };
        let start = text.len() - text[start..].trim_start().len();
        let condition = Condition::parse(&text[start..]).map_err(|error| place.refusal(Refusal::from(error).moved(start)))?;
        let column_span = place.span(&(0..text[..colon.unwrap_or(0)].trim_end().len()));
        Ok(When { column, column_span, condition, span: place.span(&(start..text.len())) })
    }

    fn checks(&self, entry: &PieceEntry) -> Result<Vec<Check>, Refusal> {
        let check = |text: &Spanned<String>, only_warns| {
            let place = text_place(self.file, &text.span());
            let condition = Condition::parse(text.get_ref()).map_err(|error| place.refusal(error))?;
            Ok(Check { condition, words: text.get_ref().clone(), only_warns, span: text.span() })
        };
        let checks = entry.check.iter().map(|text| check(text, false));
        checks.chain(entry.warn.iter().map(|text| check(text, true))).collect()
    }
}

/// The colon behind a column's name, bare or quoted.
fn colon_behind_column(text: &str) -> Option<usize> {
    let start = text.len() - text.trim_start().len();
    let behind_name = match crate::phrase::text_at(text, start) {
        Ok((_, end)) if text[start..].starts_with(['"', '\'']) => end,
        _ => start,
    };
    text[behind_name..].find(':').map(|colon| behind_name + colon)
}

/// What `columns` and `rows` say.
fn shape(entry: &PieceEntry, source: &Source) -> Result<Shape, Refusal> {
    let shape = match (&entry.columns, &entry.rows) {
        (Some(columns), Some(rows)) if *rows.get_ref() => {
            return Err(Refusal::new(
                "results fill columns or rows, not both",
                columns.span(),
                "keep one of `columns` and `rows`",
            ));
        }
        (Some(columns), _) => match columns.get_ref() {
            toml::Value::String(word) if word == "auto" => Shape::AutoColumns,
            toml::Value::Integer(n) if usize::try_from(*n).is_ok_and(|n| (1..=MOST_COLUMNS).contains(&n)) => {
                Shape::Columns(usize::try_from(*n).unwrap_or(1))
            }
            _ => {
                let mend = format!("write a number from 1 to {MOST_COLUMNS}, or \"auto\" for as many as the data needs");
                return Err(Refusal::new("this is no number of columns", columns.span(), mend));
            }
        },
        (None, Some(rows)) if *rows.get_ref() => Shape::Rows,
        _ => Shape::One,
    };
    let span = entry.columns.as_ref().map(Spanned::span).or(entry.rows.as_ref().map(Spanned::span)).unwrap_or_default();
    match (source, shape) {
        (_, Shape::One) => {}
        (Source::Build { .. } | Source::Field { .. }, _) => {
            return Err(Refusal::new("a piece that is built has one result", span, "leave this out"));
        }
        (Source::Take { phrase, .. }, _) if crate::plan::refuse_several(phrase, "").is_ok() => {
            let mend = "leave it out, or take several: `sections by`, `numbers`, `runs` or `matches`";
            return Err(Refusal::new("the phrase gives a single result", span, mend));
        }
        _ if entry.replace && shape != Shape::Rows => {
            return Err(Refusal::new("several columns cannot take the place of one", span, "leave `replace` out"));
        }
        _ => {}
    }
    Ok(shape)
}

/// An error of the TOML reader, in our words where it is about keys.
fn from_toml(file: &str, error: &toml::de::Error) -> Refusal {
    let span = error.span().unwrap_or(file.len()..file.len());
    let message = error.message();
    let mut names = message.split('`').skip(1).step_by(2);
    if message.starts_with("unknown field")
        && let Some(unknown) = names.next()
    {
        let known: Vec<&str> = names.collect();
        let list = format!("the keys here are {}", known.join(", "));
        let mend = match words::nearest(unknown, known.iter().copied()) {
            Some(nearest) => format!("did you mean `{nearest}`? {}{}", list[..1].to_uppercase(), &list[1..]),
            None => list,
        };
        return Refusal::new(format!("there is no key `{unknown}`"), span, mend);
    }
    if message.contains("expected a sequence") {
        return Refusal::new("a list is expected here", span, "put it in brackets: [\"…\"]");
    }
    let mend = if message.starts_with("invalid type") {
        "write a value of the kind that is expected"
    } else {
        "a cut list is TOML: key = \"value\" lines under [piece.NAME]; texts with quotes in them stand in single quotes"
    };
    Refusal::new(message.lines().next().unwrap_or_default(), span, mend)
}
