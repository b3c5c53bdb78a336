//! Pieces: named results, each with a source column and a phrase.

pub(crate) mod build;
mod head;

use head::Head;
pub use head::{column_in_head, name_in_head};

use crate::column::ColumnRef;
use crate::phrase::ast::{Body, Branch, Condition, Step, StepKind};
use crate::phrase::{Phrase, PhraseError, Span, group_names, text_at};
use crate::text_error::TextError;
use crate::value_type::ValueType;

/// Names with their places in the declaration.
pub(crate) type Names = Vec<(String, Span)>;

/// A declared piece, from the command line or a cut list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Piece {
    pub name: String,
    pub source: Source,
    pub when: Option<When>,
    /// The output columns and rows for its results.
    pub shape: OutputForm,
    pub value_type: Option<ValueType>,
    /// Whether it replaces the column with its name.
    pub replace: bool,
    pub optional: bool,
    pub hidden: bool,
    pub checks: Vec<Check>,
    /// The pieces that its results become, in order: see [`Rules::add_piece`].
    pub parts: Vec<Piece>,
    /// The index of the text that declares it, as given by the reader.
    pub origin: usize,
    /// Whether that text is a command-line argument, which supports fewer keys than a cut list.
    pub on_command_line: bool,
    pub span: Span,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Source {
    Take {
        of: Option<ColumnRef>,
        /// The span of the column in the declaration; of the piece's name if it is not given.
        of_span: Span,
        phrase: Phrase,
        phrase_at: TextPlace,
    },
    Field {
        layout: usize,
        field: usize,
    },
    Build {
        parts: Vec<BuildPart>,
        span: Span,
    },
    /// A result of another piece, from 0.
    Part {
        of: String,
        result: usize,
    },
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum BuildPart {
    Text(String),
    Name(ColumnRef, Span),
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct When {
    /// The column; `None` for the source column of the piece.
    pub column: Option<ColumnRef>,
    pub column_span: Span,
    pub condition: Condition,
    pub span: Span,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Check {
    pub condition: Condition,
    pub words: String,
    pub only_warns: bool,
    pub origin: usize,
    pub span: Span,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Proof {
    pub column: ColumnRef,
    pub column_span: Span,
    pub parts: Vec<BuildPart>,
    pub words: String,
    pub origin: usize,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Keep {
    pub of: ColumnRef,
    pub of_span: Span,
    pub condition: Condition,
    pub span: Span,
    pub origin: usize,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UniqueTogether {
    pub of: Vec<(ColumnRef, Span)>,
    pub origin: usize,
}

#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Rules {
    /// The pieces in output order, including those of layouts.
    pub pieces: Vec<Piece>,
    pub layouts: Vec<crate::layout::Layout>,
    pub proofs: Vec<Proof>,
    pub keep: Vec<Keep>,
    pub unique: Option<UniqueTogether>,
}

impl OutputForm {
    /// The number of results that have a place, if it is limited.
    pub fn most(self) -> Option<usize> {
        match self {
            OutputForm::Columns(most) | OutputForm::Parts(most) => Some(most),
            OutputForm::One | OutputForm::AutoColumns | OutputForm::Rows => None,
        }
    }
}

impl Rules {
    /// Adds a piece, and after it the pieces that its results become.
    pub fn add_piece(&mut self, mut piece: Piece) {
        let parts = std::mem::take(&mut piece.parts);
        self.pieces.push(piece);
        self.pieces.extend(parts);
    }

    /// The words of a piece before its phrase on the command line, with this column; `None` if it has numbered columns, which need a
    /// cut list.
    pub fn head_of(&self, piece: usize, column: &str) -> Option<String> {
        let of = self.pieces.get(piece)?;
        let is_part = |part: &&Piece| matches!(&part.source, Source::Part { of: whole, .. } if *whole == of.name);
        let names = match of.shape {
            OutputForm::One | OutputForm::Rows => name_in_head(&of.name),
            OutputForm::Parts(_) => {
                self.pieces.iter().filter(is_part).map(|part| name_in_head(&part.name)).collect::<Vec<_>>().join(", ")
            }
            OutputForm::Columns(_) | OutputForm::AutoColumns => return None,
        };
        let rows = if of.shape == OutputForm::Rows { " in rows" } else { "" };
        Some(format!("{names} of {column}{rows}"))
    }

    pub fn add_layout(&mut self, layout: crate::layout::Layout, on_command_line: bool) {
        let number = self.layouts.len();
        let piece = |(field, name): (usize, &str)| Piece {
            name: name.to_owned(),
            source: Source::Field { layout: number, field },
            when: None,
            shape: OutputForm::One,
            replace: false,
            optional: false,
            hidden: false,
            value_type: None,
            checks: Vec::new(),
            parts: Vec::new(),
            origin: layout.origin,
            on_command_line,
            span: layout.column_span.clone(),
        };
        let pieces: Vec<Piece> = layout.names().into_iter().enumerate().map(piece).collect();
        self.pieces.extend(pieces);
        self.layouts.push(layout);
    }
}

/// The output columns and rows for the results of a piece.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum OutputForm {
    #[default]
    One,
    Columns(usize),
    /// Each result is a piece of its own.
    Parts(usize),
    /// As many columns as the row with the most results needs.
    AutoColumns,
    Rows,
}

/// Maps the bytes of a text to the bytes of the longer text that contains it, possibly with escapes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum TextPlace {
    At(usize),
    Mapped(Vec<usize>),
}

impl TextPlace {
    /// The span in the longer text.
    pub fn span(&self, span: &Span) -> Span {
        match self {
            TextPlace::At(start) => start + span.start..start + span.end,
            TextPlace::Mapped(places) => {
                let place = |at: usize| places.get(at).or(places.last()).copied().unwrap_or(0);
                place(span.start)..place(span.end)
            }
        }
    }

    /// The error with its span in the longer text.
    pub fn error(&self, error: impl Into<TextError>) -> TextError {
        let error = error.into();
        TextError { span: self.span(&error.span), ..error }
    }
}

impl When {
    /// Parses `CONDITION` or `COLUMN: CONDITION`; `place` maps its bytes.
    ///
    /// # Errors
    /// The condition is invalid.
    pub(crate) fn parse(text: &str, place: &TextPlace) -> Result<When, TextError> {
        // A condition has no colon outside quotes and slashes.
        let colon = if Condition::is_valid(text) { None } else { colon_after_column(text) };
        let (column, start) = match colon {
            Some(colon) => (Some(ColumnRef::parse(&text[..colon])), colon + 1),
            None => (None, 0),
        };
        let start = text.len() - text[start..].trim_start().len();
        let condition = Condition::parse(&text[start..]).map_err(|error| place.error(TextError::from(error).moved(start)))?;
        let column_span = place.span(&(0..text[..colon.unwrap_or(0)].trim_end().len()));
        Ok(When { column, column_span, condition, span: place.span(&(start..text.len())) })
    }
}

fn colon_after_column(text: &str) -> Option<usize> {
    let start = text.len() - text.trim_start().len();
    let after_name = match text_at(text, start) {
        Ok((_, end)) if text[start..].starts_with(['"', '\'']) => end,
        _ => start,
    };
    text[after_name..].find(':').map(|colon| after_name + colon)
}

impl Keep {
    /// Parses `COLUMN: CONDITION`, where a piece can stand for the column. `origin` is the index of the text.
    ///
    /// ```
    /// use keen_notch_core::piece::Keep;
    ///
    /// assert_eq!(Keep::parse("depot: one of \"East\", \"West\"", 0)?.of.to_string(), "depot");
    /// assert!(Keep::parse("digits", 0).is_err());
    /// # Ok::<(), keen_notch_core::text_error::TextError>(())
    /// ```
    ///
    /// # Errors
    /// The condition is invalid or names no column; the span is in `text`.
    pub fn parse(text: &str, origin: usize) -> Result<Keep, TextError> {
        Keep::parse_at(text, &TextPlace::At(0), origin)
    }

    pub(crate) fn parse_at(text: &str, place: &TextPlace, origin: usize) -> Result<Keep, TextError> {
        let When { column, column_span, condition, span } = When::parse(text, place)?;
        let Some(of) = column else {
            let help = format!("write it as COLUMN: CONDITION, such as `part_code: {}`", text.trim());
            return Err(TextError::new("the condition names no column or piece", span, help));
        };
        Ok(Keep { of, of_span: column_span, condition, span, origin })
    }
}

impl Check {
    /// Parses `CONDITION` or `PIECE: CONDITION`. Returns the name of the piece or column, if given, with its span. `origin` is the index
    /// of the text.
    ///
    /// # Errors
    /// The condition is invalid; the span is in `text`.
    pub fn parse(text: &str, origin: usize) -> Result<(Option<(ColumnRef, Span)>, Check), TextError> {
        let When { column, column_span, condition, span } = When::parse(text, &TextPlace::At(0))?;
        let words = text[span.clone()].trim().to_owned();
        Ok((column.map(|column| (column, column_span)), Check { condition, words, only_warns: false, origin, span }))
    }
}

impl Rules {
    /// The maximum number of characters of a piece, from its phrase or its layout, if they limit it.
    pub fn width(&self, piece: usize) -> Option<usize> {
        match &self.pieces.get(piece)?.source {
            Source::Take { phrase, .. } => {
                phrase.branches.iter().map(Branch::width).try_fold(0, |most, width| Some(most.max(width?)))
            }
            Source::Field { layout, field } => self.layouts.get(*layout)?.width(*field),
            Source::Build { .. } | Source::Part { .. } => None,
        }
    }
}

impl Piece {
    /// Makes each result a piece of its own, with these names in order. The piece itself is then hidden.
    ///
    /// # Errors
    /// The phrase gives a single result, or a name is empty.
    pub(crate) fn divide(&mut self, names: Names) -> Result<(), TextError> {
        let Source::Take { phrase, .. } = &self.source else {
            return Err(TextError::new("a piece with `build` has one result", self.span.clone(), "give it one name"));
        };
        if phrase.several_step().is_none() {
            let help = "use a step with several results, such as `sections by \"-\"`, or give one name; a name with a comma is in quotes";
            return Err(TextError::new(
                "the phrase gives a single result, and there are several names",
                self.span.clone(),
                help,
            ));
        }
        if let Some((_, span)) = names.iter().find(|(name, _)| name.trim().is_empty()) {
            return Err(TextError::new(
                "a name is empty",
                span.clone(),
                "write it like `kind, serial, grade: sections by \"-\"`",
            ));
        }
        let value_type = self.value_type.take();
        let part = |(result, (name, span)): (usize, (String, Span))| Piece {
            name,
            source: Source::Part { of: self.name.clone(), result },
            when: None,
            shape: OutputForm::One,
            value_type,
            replace: false,
            optional: false,
            hidden: self.hidden,
            checks: Vec::new(),
            parts: Vec::new(),
            origin: self.origin,
            on_command_line: self.on_command_line,
            span,
        };
        self.shape = OutputForm::Parts(names.len());
        self.parts = names.into_iter().enumerate().map(part).collect();
        self.hidden = true;
        Ok(())
    }

    /// The names of the groups, if the phrase ends with `groups of` and all of them have one.
    pub(crate) fn names_of_groups(&self) -> Option<Names> {
        let Source::Take { phrase, phrase_at, .. } = &self.source else { return None };
        let StepKind::AllGroups(regex) = &phrase.several_step()?.kind else { return None };
        let names: Option<Vec<String>> = group_names(regex).into_iter().collect();
        let span = phrase_at.span(&regex.span);
        names.map(|names| names.into_iter().map(|name| (name, span.clone())).collect())
    }

    /// A hidden piece that is an unchanged column, for checks on the column.
    pub fn of_column(name: String, of: Option<ColumnRef>, of_span: Span, origin: usize) -> Piece {
        let whole = Branch { span: 0..5, is_else: false, body: Body::Steps(vec![Step { span: 0..5, kind: StepKind::Whole }]) };
        Piece {
            name,
            source: Source::Take {
                of,
                of_span: of_span.clone(),
                phrase: Phrase { source: "whole".to_owned(), branches: vec![whole] },
                phrase_at: TextPlace::At(0),
            },
            when: None,
            shape: OutputForm::One,
            replace: false,
            optional: false,
            hidden: true,
            value_type: None,
            checks: Vec::new(),
            parts: Vec::new(),
            origin,
            on_command_line: true,
            span: of_span,
        }
    }

    /// Parses `HEAD: PHRASE`. The head is one name, or several with commas between for several results, and then in any order
    /// `of COLUMN`, `when CONDITION` (or `when COLUMN: CONDITION`), `as TYPE` and `in rows`. The phrase may be
    /// `build "{family} / {crew_no}"`. Quote a name that contains a colon, a comma or one of these words, or has spaces at its ends.
    /// `origin` is the index of the text.
    ///
    /// ```
    /// use keen_notch_core::piece::Piece;
    ///
    /// let piece = Piece::parse("family of part_code: first 3", 0)?;
    /// assert_eq!(piece.name, "family");
    /// let piece = Piece::parse("kind, serial: sections by \"-\"", 0)?;
    /// assert_eq!(piece.parts[1].name, "serial");
    /// # Ok::<(), keen_notch_core::text_error::TextError>(())
    /// ```
    ///
    /// # Errors
    /// Where the name, the colon or the phrase is missing or wrong; the span is in `text`.
    pub fn parse(text: &str, origin: usize) -> Result<Piece, TextError> {
        let head = Head::parse(text)?;
        let Head { names, of, when, value_type, in_rows, end } = head;
        let span = names.first().map_or(0..0, |(_, first)| first.start..names.last().map_or(first.end, |(_, last)| last.end));
        let Some(phrase) = text[end..].trim_start().strip_prefix(':') else {
            let help = match Phrase::parse(text.trim()) {
                Ok(_) => format!("give the piece a name: `NAME: {}`", text.trim()),
                Err(_) => "write it like `family: first 3` or `family of part_code: first 3`".to_owned(),
            };
            return Err(TextError::new("a colon is missing after the piece's name", end..text.len(), help));
        };
        let offset = text.len() - phrase.len();
        let source = match (built_at(text, offset)?, of) {
            (Some(built), None) => built,
            (Some(_), Some((_, of_span))) => {
                let help = "name columns in `build`, in braces";
                return Err(TextError::new("a piece with `build` has no source column", of_span, help));
            }
            (None, of) => {
                let phrase_at = TextPlace::At(offset);
                let phrase = Phrase::parse(phrase).map_err(|error: PhraseError| phrase_at.error(error))?;
                let (of, of_span) = of.map_or((None, span.clone()), |(of, span)| (Some(of), span));
                Source::Take { of, of_span, phrase, phrase_at }
            }
        };
        let mut piece = Piece {
            name: names.iter().map(|(name, _)| name.as_str()).collect::<Vec<_>>().join(", "),
            source,
            when,
            shape: OutputForm::One,
            replace: false,
            optional: false,
            hidden: false,
            value_type,
            checks: Vec::new(),
            parts: Vec::new(),
            origin,
            on_command_line: true,
            span,
        };
        match (in_rows, piece.names_of_groups()) {
            (Some(rows), _) if names.len() > 1 => {
                let help = "remove `in rows`, or give one name";
                return Err(TextError::new("results fill columns or rows, not both", rows, help));
            }
            (Some(rows), _) => {
                let several = if let Source::Take { phrase, .. } = &piece.source { phrase.several_step() } else { None };
                if several.is_none() {
                    let help = "remove `in rows`, or use a step with several results, such as `numbers`";
                    return Err(TextError::new("the phrase gives a single result", rows, help));
                }
                piece.shape = OutputForm::Rows;
            }
            (None, _) if names.len() > 1 => piece.divide(names)?,
            (None, Some(names)) => piece.divide(names)?,
            (None, None) => {}
        }
        Ok(piece)
    }
}

fn built_at(text: &str, start: usize) -> Result<Option<Source>, TextError> {
    let at = text.len() - text[start..].trim_start().len();
    let Some(rest) = text[at..].strip_prefix("build").filter(|rest| rest.trim_start().starts_with(['"', '\''])) else {
        return Ok(None);
    };
    let quote = text.len() - rest.trim_start().len();
    let (built, end) = text_at(text, quote).map_err(TextError::from)?;
    if !text[end..].trim().is_empty() {
        let help = "use `build` as the whole phrase: steps cannot change its result";
        return Err(TextError::new("a built text takes no steps", end..text.len(), help));
    }
    // An escape makes positions inexact, so errors show the whole text.
    let has_escapes = text[quote..end].contains('\\');
    let place = |span: &Span| if has_escapes { quote..end } else { quote + 1 + span.start..quote + 1 + span.end };
    let mut parts = build::parts(&built).map_err(|error| TextError { span: place(&error.span), ..error })?;
    for part in &mut parts {
        if let BuildPart::Name(_, span) = part {
            *span = place(span);
        }
    }
    Ok(Some(Source::Build { parts, span: quote..end }))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pieces_are_read() {
        let number = |n| Some(ColumnRef::Number(n));
        let named = |name: &str| Some(ColumnRef::Name(name.to_owned()));
        for (text, name, of) in [
            ("family: first 3", "family", None),
            ("family:first 3", "family", None),
            ("family of part_code: first 3", "family", named("part_code")),
            ("family of #4: first 3", "family", number(4)),
            ("family of \"part: code\" : first 3", "family", named("part: code")),
            ("\"a of b\" of 'c': first 3", "a of b", named("c")),
            ("part of part code: first 3", "part", named("part code")),
            ("first part: first 3", "first part", None),
            ("a when starts with \":\": first 3", "a", None),
            ("a of b c when site: one of \"x: y\": first 3", "a", named("b c")),
        ] {
            let piece = Piece::parse(text, 0).unwrap();
            let Source::Take { of: found, phrase, .. } = piece.source else { panic!("{text}") };
            assert_eq!((piece.name.as_str(), found), (name, of), "{text}");
            assert_eq!(phrase.source.trim(), "first 3", "{text}");
        }
    }

    #[test]
    fn invalid_pieces() {
        for (text, at_fault, message) in [
            ("first 3", "", "a colon is missing after the piece's name"),
            (": first 3", "", "the piece has no name"),
            ("family of : first 3", "", "a column is missing after `of`"),
            ("a when digit: first 3", "digit", "`digit` is not a condition"),
            ("a when digits", " digits", "a colon is missing after the condition"),
            ("a of b: build \"{c}\"", "b", "a piece with `build` has no source column"),
            ("a: build \"{c\"", "{c", "a brace is not closed"),
            ("a: build \"{c}\" then upper", " then upper", "a built text takes no steps"),
            ("a, b: first 3", "a, b", "the phrase gives a single result, and there are several names"),
            ("a, : numbers", "", "the piece has no name"),
            ("a, b in rows: numbers", "in rows", "results fill columns or rows, not both"),
            ("a in rows: first 3", "in rows", "the phrase gives a single result"),
            ("\"a\" in row: numbers", "in", "`rows` is missing after `in`"),
            ("a as text: first 3", "text", "a piece cannot be written as \"text\""),
            ("a when digits when digits: first 3", "when", "`when` comes twice"),
            ("a, b: build \"{c}\"", "a, b", "a piece with `build` has one result"),
            ("family: chars 0 to 3", "0", "positions start at 1"),
            ("\"family: first 3", "\"family: first 3", "a text opened with \" is not closed"),
            ("family: ", " ", "the phrase is empty"),
        ] {
            let error = Piece::parse(text, 0).unwrap_err();
            assert_eq!((&text[error.span.clone()], error.message.as_str()), (at_fault, message), "{text}");
        }
    }
}
