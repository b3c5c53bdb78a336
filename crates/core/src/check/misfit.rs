//! Why a value does not meet a condition.

use std::fmt;

use crate::text::characters;
use crate::text::kind::Kind;
use crate::text::names;

/// Why a value does not meet a condition.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Misfit {
    /// What is wrong, in one of a few words.
    pub kind: MisfitKind,
    /// What is wrong, in a sentence without its full stop.
    pub detail: String,
    /// The character at which it went wrong, from 1, where there is one.
    pub at: Option<usize>,
}

/// What is wrong with a value, in one of a few words. They are written in files that programs read, so they do
/// not change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum MisfitKind {
    /// The piece is not there and had to be.
    Missing,
    /// There is something where nothing should be.
    NotBlank,
    /// Fewer characters than allowed.
    TooShort,
    /// More characters than allowed.
    TooLong,
    /// A character of another class than asked for.
    WrongCharacter,
    /// The regular expression does not match.
    DoesNotFit,
    /// It begins or ends otherwise.
    WrongEnd,
    /// Something is not in it.
    Lacks,
    /// None of the texts allowed.
    NotListed,
    /// No number at all.
    NotANumber,
    /// A number beyond the ends.
    OutOfRange,
    /// No date of the format.
    NotADate,
    /// No email address.
    NotAnEmail,
    /// The check digit is another.
    WrongCheckDigit,
    /// The same as in another row.
    NotUnique,
    /// Another than the other column's.
    NotTheSame,
    /// What had not to be.
    NotAllowed,
    /// More results than columns.
    TooMany,
    /// The pieces do not make the value again.
    NotRebuilt,
    /// The value has none of the layout's forms.
    WrongLayout,
    /// The row has another number of cells.
    Ragged,
}

impl MisfitKind {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            MisfitKind::Missing => "missing",
            MisfitKind::NotBlank => "not-blank",
            MisfitKind::TooShort => "too-short",
            MisfitKind::TooLong => "too-long",
            MisfitKind::WrongCharacter => "wrong-character",
            MisfitKind::DoesNotFit => "does-not-fit",
            MisfitKind::WrongEnd => "wrong-end",
            MisfitKind::Lacks => "lacks",
            MisfitKind::NotListed => "not-listed",
            MisfitKind::NotANumber => "not-a-number",
            MisfitKind::OutOfRange => "out-of-range",
            MisfitKind::NotADate => "not-a-date",
            MisfitKind::NotAnEmail => "not-an-email",
            MisfitKind::WrongCheckDigit => "wrong-check-digit",
            MisfitKind::NotUnique => "not-unique",
            MisfitKind::NotTheSame => "not-the-same",
            MisfitKind::NotAllowed => "not-allowed",
            MisfitKind::TooMany => "too-many-results",
            MisfitKind::NotRebuilt => "not-rebuilt",
            MisfitKind::WrongLayout => "wrong-layout",
            MisfitKind::Ragged => "ragged-row",
        }
    }
}

impl fmt::Display for MisfitKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.word())
    }
}

impl Misfit {
    /// A misfit of the value as a whole.
    pub fn new(kind: MisfitKind, detail: impl Into<String>) -> Misfit {
        Misfit { kind, detail: detail.into(), at: None }
    }

    /// A character where another was expected: `at` is its index from 0. Behind the end, the value is too
    /// short.
    pub fn at_character(text: &str, at: usize, expected: &str) -> Misfit {
        match characters::ranges(text).nth(at) {
            Some(range) => Misfit {
                kind: MisfitKind::WrongCharacter,
                detail: format!("character {} is {}; {expected} was expected", at + 1, described(&text[range])),
                at: Some(at + 1),
            },
            None => Misfit {
                kind: MisfitKind::TooShort,
                detail: format!("it ends behind character {at}; {expected} was expected there"),
                at: Some(at + 1),
            },
        }
    }
}

/// A character as a person would call it: `the letter O`, `a space`, `en dash (U+2013)`.
pub(crate) fn described(character: &str) -> String {
    match (character, Kind::of(character)) {
        (" ", _) => "a space".to_owned(),
        (character, Kind::Digit) => format!("the digit {character}"),
        (character, Kind::Letter) if character.is_ascii() => format!("the letter {character}"),
        (character, Kind::Punctuation) if character.is_ascii() && !names::is_unseen(character) => format!("\"{character}\""),
        (character, Kind::Letter) => format!("{character}, {}", names::describe(character)),
        (character, _) => names::describe(character),
    }
}
