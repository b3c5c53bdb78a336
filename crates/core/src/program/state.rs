//! What became of a value.

use std::fmt;

/// The state of a result. None of the flags: the result is *filled*.
///
/// There is no result where it is blank, missing or not asked, of which only one holds. A result that there is may be
/// short, long and a fallback at once, and is counted under each, so that no count hides another.
///
/// ```
/// use keen_notch_core::program::State;
///
/// assert_eq!(State { short: true, fallback: true, ..State::default() }.to_string(), "short, fallback");
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct State {
    /// Nothing came of the value, and there was nothing in it: it is empty, or white space only.
    pub blank: bool,
    /// The value has text, and no branch gave a result.
    pub missing: bool,
    /// The condition under which the piece is taken does not hold.
    pub not_asked: bool,
    /// A positional cut found some but not all of what it asked for.
    pub short: bool,
    /// Padding found the text longer than its width.
    pub long: bool,
    /// The result comes from another branch than the first.
    pub fallback: bool,
}

impl State {
    /// Only filled.
    const FILLED: State = State { blank: false, missing: false, not_asked: false, short: false, long: false, fallback: false };
    /// Nothing came of a value without text.
    pub const BLANK: State = State { blank: true, ..State::FILLED };
    /// Nothing came of a value with text.
    pub const MISSING: State = State { missing: true, ..State::FILLED };
    /// The condition does not hold.
    pub const NOT_ASKED: State = State { not_asked: true, ..State::FILLED };

    /// Whether there is a result.
    #[inline]
    pub fn is_there(self) -> bool {
        !(self.blank | self.missing | self.not_asked)
    }

    /// Whether the first branch gave exactly what it asked for.
    pub fn is_filled(self) -> bool {
        self == State::default()
    }
}

impl fmt::Display for State {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let words = [
            (self.blank, "blank"),
            (self.missing, "missing"),
            (self.not_asked, "not asked"),
            (self.short, "short"),
            (self.long, "long"),
            (self.fallback, "fallback"),
        ];
        let mut words = words.iter().filter(|(holds, _)| *holds).map(|(_, word)| *word).peekable();
        if words.peek().is_none() {
            return f.write_str("filled");
        }
        f.write_str(&words.collect::<Vec<_>>().join(", "))
    }
}
