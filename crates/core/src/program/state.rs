use std::fmt;

/// The state of a result. Without any flag, the result is *filled*.
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
    /// No result, because the value is empty or white space.
    pub blank: bool,
    /// No result, although the value has text.
    pub missing: bool,
    /// The `when` condition excludes the row.
    pub not_asked: bool,
    /// A positional cut found only a part of its range.
    pub short: bool,
    /// A text is wider than its padding.
    pub long: bool,
    /// The result comes from a later branch.
    pub fallback: bool,
}

impl State {
    const FILLED: State = State { blank: false, missing: false, not_asked: false, short: false, long: false, fallback: false };
    /// No result for a value without text.
    pub const BLANK: State = State { blank: true, ..State::FILLED };
    /// No result for a value with text.
    pub const MISSING: State = State { missing: true, ..State::FILLED };
    /// The `when` condition does not hold.
    pub const NOT_ASKED: State = State { not_asked: true, ..State::FILLED };

    #[inline]
    pub fn is_there(self) -> bool {
        !(self.blank | self.missing | self.not_asked)
    }

    /// Whether the first branch gave a complete result.
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
