//! The kinds of character that runs are made of.

use std::fmt;

/// What kind of character one is. Every character is of exactly one kind.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Kind {
    /// A letter of any script (Unicode's property Alphabetic, asked of the base character).
    Letter,
    /// One of 0 to 9, and nothing else.
    Digit,
    /// Unicode white space.
    Space,
    /// Whatever is none of letter, digit or space.
    Punctuation,
}

impl Kind {
    /// The kind of one character (an extended grapheme cluster).
    ///
    /// The first code point decides, so that é is a letter however it is written; but a digit that
    /// wears a combining mark, as in a keycap emoji, is no number and counts as punctuation.
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
            ("7\u{fe0f}\u{20e3}", Kind::Punctuation),
            ("٣", Kind::Punctuation),
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
