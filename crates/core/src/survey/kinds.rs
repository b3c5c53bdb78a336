//! The kinds of characters in shapes.

use std::fmt;

/// A set of kinds of letters and digits.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Kinds(u8);

impl Kinds {
    /// Uppercase letters of any script.
    pub const UPPER: Kinds = Kinds(1);
    /// Lowercase letters of any script.
    pub const LOWER: Kinds = Kinds(2);
    pub const DIGIT: Kinds = Kinds(4);
    /// Letters without case.
    pub const CASELESS: Kinds = Kinds(8);

    /// The single kinds, in the order of their codes.
    pub const EACH: [Kinds; 4] = [Kinds::UPPER, Kinds::LOWER, Kinds::DIGIT, Kinds::CASELESS];

    pub fn of_letter(letter: char) -> Kinds {
        if letter.is_uppercase() {
            Kinds::UPPER
        } else if letter.is_lowercase() {
            Kinds::LOWER
        } else {
            Kinds::CASELESS
        }
    }

    pub fn bits(self) -> u8 {
        self.0
    }

    pub fn with(self, other: Kinds) -> Kinds {
        Kinds(self.0 | other.0)
    }

    /// Whether every kind of this set is in `other`.
    pub fn is_within(self, other: Kinds) -> bool {
        self.0 & !other.0 == 0
    }

    pub fn is_mixed(self) -> bool {
        self.0.count_ones() > 1
    }

    pub fn has_digits(self) -> bool {
        Kinds::DIGIT.is_within(self)
    }

    /// The letter for the set in a shape.
    pub fn symbol(self) -> char {
        match (self, self.has_digits()) {
            (Kinds::UPPER, _) => 'U',
            (Kinds::LOWER, _) => 'L',
            (Kinds::DIGIT, _) => 'd',
            (_, false) => 'A',
            (kinds, true) if kinds.is_within(Kinds(5)) => 'X',
            (kinds, true) if kinds.is_within(Kinds(6)) => 'x',
            (_, true) => 'W',
        }
    }

    /// The set for a letter of a shape.
    pub fn of_symbol(symbol: char) -> Option<Kinds> {
        Some(match symbol {
            'U' => Kinds::UPPER,
            'L' => Kinds::LOWER,
            'd' => Kinds::DIGIT,
            'A' => Kinds(11),
            'X' => Kinds(5),
            'x' => Kinds(6),
            'W' => Kinds(15),
            _ => return None,
        })
    }

    /// The meaning of a letter, for the legend.
    pub fn meaning(symbol: char) -> &'static str {
        match symbol {
            'U' => "uppercase letters",
            'L' => "lowercase letters",
            'd' => "digits",
            'A' => "letters of either case",
            'X' => "uppercase letters and digits mixed",
            'x' => "lowercase letters and digits mixed",
            _ => "letters of either case and digits mixed",
        }
    }

    /// The smallest class of the phrase language that contains these kinds.
    pub fn class(self) -> &'static str {
        match (self, self.has_digits()) {
            (Kinds::UPPER, _) => "uppercase",
            (Kinds::LOWER, _) => "lowercase",
            (Kinds::DIGIT, _) => "digits",
            (_, false) => "letters",
            (kinds, true) if kinds.is_within(Kinds(5)) => "uppercase and digits",
            (kinds, true) if kinds.is_within(Kinds(6)) => "lowercase and digits",
            (_, true) => "alphanumeric",
        }
    }
}

impl fmt::Display for Kinds {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self.symbol() {
            'U' => "an uppercase letter",
            'L' => "a lowercase letter",
            'd' => "a digit",
            'A' => "a letter",
            'X' => "uppercase or digit",
            'x' => "lowercase or digit",
            _ => "a letter or digit",
        })
    }
}
