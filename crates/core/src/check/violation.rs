//! Why a value does not meet a condition.

use std::fmt;

use crate::text::characters;
use crate::text::kind::Kind;
use crate::text::names;

/// Why a value does not meet a condition.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Violation {
    /// What is wrong, in one of a few words.
    pub kind: ViolationKind,
    /// What is wrong, in a sentence without its full stop.
    pub detail: String,
    /// The character at which it went wrong, from 1, where there is one.
    pub at: Option<usize>,
}

/// What is wrong with a value, in one of a few words. They are written in files that programs read, so they do
/// not change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[non_exhaustive]
pub enum ViolationKind {
    /// The value has text, but nothing came of it.
    Missing,
    /// Nothing came of a value without text, and something had to.
    Blank,
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
    /// Neither `true` nor `false`.
    NotTrueOrFalse,
    /// No email address.
    NotAnEmail,
    /// The check digit is another.
    WrongCheckDigit,
    /// The same as in another row.
    NotUnique,
    /// Not the other column's.
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

impl ViolationKind {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            ViolationKind::Missing => "missing",
            ViolationKind::Blank => "blank",
            ViolationKind::NotBlank => "not-blank",
            ViolationKind::TooShort => "too-short",
            ViolationKind::TooLong => "too-long",
            ViolationKind::WrongCharacter => "wrong-character",
            ViolationKind::DoesNotFit => "does-not-fit",
            ViolationKind::WrongEnd => "wrong-end",
            ViolationKind::Lacks => "lacks",
            ViolationKind::NotListed => "not-listed",
            ViolationKind::NotANumber => "not-a-number",
            ViolationKind::OutOfRange => "out-of-range",
            ViolationKind::NotTrueOrFalse => "not-true-or-false",
            ViolationKind::NotADate => "not-a-date",
            ViolationKind::NotAnEmail => "not-an-email",
            ViolationKind::WrongCheckDigit => "wrong-check-digit",
            ViolationKind::NotUnique => "not-unique",
            ViolationKind::NotTheSame => "not-the-same",
            ViolationKind::NotAllowed => "not-allowed",
            ViolationKind::TooMany => "too-many-results",
            ViolationKind::NotRebuilt => "not-rebuilt",
            ViolationKind::WrongLayout => "wrong-layout",
            ViolationKind::Ragged => "ragged-row",
        }
    }
}

impl fmt::Display for ViolationKind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.word())
    }
}

impl Violation {
    /// A violation of the value as a whole.
    pub fn new(kind: ViolationKind, detail: impl Into<String>) -> Violation {
        Violation { kind, detail: detail.into(), at: None }
    }

    /// A character where another was expected: `at` is its index from 0. After the end, the value is too
    /// short.
    pub fn at_character(text: &str, at: usize, expected: &str) -> Violation {
        match characters::ranges(text).nth(at) {
            Some(range) => Violation {
                kind: ViolationKind::WrongCharacter,
                detail: format!("character {} is {}; {expected} was expected", at + 1, described(&text[range])),
                at: Some(at + 1),
            },
            None => Violation {
                kind: ViolationKind::TooShort,
                detail: format!("it ends after character {at}; {expected} was expected there"),
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
