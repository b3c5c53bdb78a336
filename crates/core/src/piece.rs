//! Pieces as they are declared on the command line: `NAME: PHRASE` or `NAME of COLUMN: PHRASE`.

use std::fmt;

use crate::column::ColumnRef;
use crate::phrase::{Phrase, PhraseError, Span, text_at};

/// A piece: a name for the new column, the column it comes from, and the phrase that takes it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Piece {
    /// The name of the new column.
    pub name: String,
    /// The column it is taken from; `None` for the one that all pieces come from.
    pub of: Option<ColumnRef>,
    /// How it is taken.
    pub take: Phrase,
}

impl Piece {
    /// Reads `NAME: PHRASE` or `NAME of COLUMN: PHRASE`. A name or a column with a colon, with ` of ` or
    /// with spaces at its ends stands in quotes.
    ///
    /// # Errors
    /// Where the name, the colon or the phrase is missing or wrong; the span is in `text`.
    pub fn parse(text: &str) -> Result<Piece, PieceError> {
        let start = text.len() - text.trim_start().len();
        let (name, behind_name) = name_at(text, start)?;
        if name.trim().is_empty() {
            return Err(PieceError::new("the piece has no name", start..behind_name, "write it like `family: first 3`"));
        }
        let rest = text[behind_name..].trim_start();
        let at = text.len() - rest.len();
        let (of, colon) = match rest.strip_prefix("of").filter(|rest| rest.starts_with(char::is_whitespace)) {
            Some(column) => {
                let start = text.len() - column.trim_start().len();
                let (column, end) = column_at(text, start)?;
                (Some(column), end)
            }
            None => (None, at),
        };
        let Some(phrase) = text[colon..].trim_start().strip_prefix(':') else {
            let mend = match Phrase::parse(text.trim()) {
                Ok(_) => format!("give the piece a name: `NAME: {}`", text.trim()),
                Err(_) => "write it like `family: first 3` or `family of part_code: first 3`".to_owned(),
            };
            return Err(PieceError::new("a colon is missing behind the piece's name", colon..text.len(), &mend));
        };
        let offset = text.len() - phrase.len();
        let take = Phrase::parse(phrase).map_err(|error| PieceError::from(error).moved(offset))?;
        Ok(Piece { name, of, take })
    }
}

/// The name of the piece from byte `start` on, and where it ends: before ` of ` or the colon.
fn name_at(text: &str, start: usize) -> Result<(String, usize), PieceError> {
    if text[start..].starts_with(['"', '\'']) {
        return text_at(text, start).map_err(PieceError::from);
    }
    let stop = text[start..].find(':').map_or(text.len(), |colon| start + colon);
    let end = text[start..stop].find(" of ").map_or(stop, |of| start + of);
    Ok((text[start..end].trim_end().to_owned(), end))
}

/// The column from byte `start` on, and where it ends.
fn column_at(text: &str, start: usize) -> Result<(ColumnRef, usize), PieceError> {
    if text[start..].starts_with(['"', '\'']) {
        let (name, end) = text_at(text, start).map_err(PieceError::from)?;
        return Ok((ColumnRef::Name(name), end));
    }
    let end = text[start..].find(':').map_or(text.len(), |colon| start + colon);
    let column = text[start..end].trim();
    if column.is_empty() {
        return Err(PieceError::new(
            "a column is missing behind `of`",
            start..end,
            "write it like `family of part_code: first 3`",
        ));
    }
    Ok((ColumnRef::parse(column), end))
}

/// A piece that cannot be read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PieceError {
    /// What is wrong.
    pub message: String,
    /// What to say at the words at fault; may be empty.
    pub label: String,
    /// The words at fault, in bytes of the declaration.
    pub span: Span,
    /// What to write instead, in one line.
    pub mend: String,
}

impl PieceError {
    fn new(message: &str, span: Span, mend: &str) -> PieceError {
        PieceError { message: message.to_owned(), label: String::new(), span, mend: mend.to_owned() }
    }

    /// The same error, of a phrase that stands at byte `offset` of the declaration.
    fn moved(mut self, offset: usize) -> PieceError {
        self.span = offset + self.span.start..offset + self.span.end;
        self
    }
}

impl From<PhraseError> for PieceError {
    fn from(error: PhraseError) -> PieceError {
        PieceError { message: error.kind.to_string(), label: error.kind.label(), span: error.span, mend: error.mend }
    }
}

impl fmt::Display for PieceError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}; {}", self.message, self.mend)
    }
}

impl std::error::Error for PieceError {}

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
        ] {
            let piece = Piece::parse(text).unwrap();
            assert_eq!((piece.name.as_str(), piece.of), (name, of), "{text}");
            assert_eq!(piece.take.source.trim(), "first 3", "{text}");
        }
    }

    #[test]
    fn pieces_that_cannot_be_read() {
        for (text, at_fault, message) in [
            ("first 3", "", "a colon is missing behind the piece's name"),
            (": first 3", "", "the piece has no name"),
            ("family of : first 3", "", "a column is missing behind `of`"),
            ("family: chars 0 to 3", "0", "positions start at 1"),
            ("\"family: first 3", "\"family: first 3", "a text opened with \" is not closed"),
            ("family: ", " ", "the phrase is empty"),
        ] {
            let error = Piece::parse(text).unwrap_err();
            assert_eq!((&text[error.span.clone()], error.message.as_str()), (at_fault, message), "{text}");
        }
    }
}
