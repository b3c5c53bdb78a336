//! The kinds of character that runs are made of.

use std::fmt;

use unicode_normalization::char::is_combining_mark;

/// The kind of a character. Every character has exactly one kind.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Kind {
    /// A letter of any script (Unicode property Alphabetic of the base character).
    Letter,
    Digit,
    Space,
    /// A character that is not a letter, a number of any script, a mark or white space.
    Punctuation,
    /// A number other than 0 to 9, a mark by itself, or a digit or space that carries a mark.
    Other,
}

impl Kind {
    /// The kind of one character (an extended grapheme cluster).
    ///
    /// The first code point decides: é is a letter in composed and decomposed form. A digit or space with a combining mark, such as a
    /// keycap emoji, is [`Kind::Other`].
    ///
    /// ```
    /// use keen_notch_core::text::kind::Kind;
    ///
    /// assert_eq!(["é", "7", "-"].map(Kind::of), [Kind::Letter, Kind::Digit, Kind::Punctuation]);
    /// ```
    pub fn of(character: &str) -> Kind {
        match character.chars().next() {
            Some(c) if c.is_alphabetic() => Kind::Letter,
            Some(c) if c.is_ascii_digit() && character.len() == 1 => Kind::Digit,
            Some(_) if character.chars().all(char::is_whitespace) => Kind::Space,
            Some(c) if c.is_numeric() || c.is_whitespace() || is_combining_mark(c) => Kind::Other,
            _ => Kind::Punctuation,
        }
    }
}

impl fmt::Display for Kind {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Kind::Letter => "letters",
            Kind::Digit => "digits",
            Kind::Space => "spaces",
            Kind::Punctuation => "punctuation",
            Kind::Other => "other numbers and marks",
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn kinds_of_characters() {
        for (character, expected) in [
            ("G", Kind::Letter),
            ("e\u{301}", Kind::Letter),
            ("東", Kind::Letter),
            ("7", Kind::Digit),
            ("7\u{fe0f}\u{20e3}", Kind::Other),
            ("٣", Kind::Other),
            ("½", Kind::Other),
            ("²", Kind::Other),
            ("\u{301}", Kind::Other),
            ("\u{3000}\u{e33}", Kind::Other),
            ("Ⅷ", Kind::Letter),
            ("€", Kind::Punctuation),
            ("\u{200d}", Kind::Punctuation),
            (" ", Kind::Space),
            ("\u{a0}", Kind::Space),
            ("\r\n", Kind::Space),
            ("-", Kind::Punctuation),
            ("👩\u{200d}🚀", Kind::Punctuation),
        ] {
            assert_eq!(Kind::of(character), expected, "{character:?}");
        }
    }
}
