use std::fmt;

use crate::text::characters;
use crate::text::kind::Kind;
use crate::text::names;

/// A failed condition.
///
/// ```
/// use keen_notch_core::{Column, ViolationKind, cutlist::CutList};
///
/// let mut runner = CutList::parse("[piece.no]\ntake = 'first 3'\ncheck = 'digits'\n", 0)?.bind(&["code"])?;
/// let output = runner.push(vec![Column::of(["38x5"])])?;
/// let violation = output.faults().next().expect("an x is no digit").violation;
/// assert_eq!((violation.kind, violation.at), (ViolationKind::WrongCharacter, Some(3)));
/// assert_eq!(violation.detail, "character 3 is the letter x; a digit was expected");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Violation {
    pub kind: ViolationKind,
    /// The explanation, as a sentence without a full stop.
    pub detail: String,
    /// The position of the first wrong character, from 1, if known.
    pub at: Option<usize>,
}

/// The kinds of faults. Programs read their words in output files, so the words never change.
///
/// ```
/// use keen_notch_core::ViolationKind;
///
/// assert_eq!(ViolationKind::TooShort.to_string(), "too-short");
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
#[non_exhaustive]
pub enum ViolationKind {
    Missing,
    Blank,
    NotBlank,
    TooShort,
    TooLong,
    WrongCharacter,
    DoesNotFit,
    WrongEnd,
    Lacks,
    NotListed,
    NotANumber,
    OutOfRange,
    NotADate,
    NotTrueOrFalse,
    NotAnEmail,
    WrongCheckDigit,
    NotUnique,
    NotTheSame,
    /// A condition with `not` that holds.
    NotAllowed,
    TooMany,
    NotRebuilt,
    WrongLayout,
    Ragged,
}

impl ViolationKind {
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
    /// A failure of the value as a whole.
    pub fn new(kind: ViolationKind, detail: impl Into<String>) -> Violation {
        Violation { kind, detail: detail.into(), at: None }
    }

    /// A duplicate. `first` names the first row with the text, or with the same texts of several columns together.
    pub(crate) fn not_unique(first: &str, of_several: bool) -> Violation {
        let words = if of_several { "has the same values together" } else { "has it too" };
        Violation::new(ViolationKind::NotUnique, format!("{first} {words}"))
    }

    /// An unexpected character: `at` is its index from 0. At the end of the text, the value is too short.
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
