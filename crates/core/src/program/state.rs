//! What became of a value.

use std::fmt;

/// The state of a result. None of the flags: the result is *filled*.
///
/// A result is missing or it is not; one that is not may be short, long and a fallback at once, and is
/// counted under each, so that no count hides another.
///
/// ```
/// use keen_notch_core::program::State;
///
/// assert_eq!(State { short: true, fallback: true, ..State::default() }.to_string(), "short, fallback");
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct State {
    /// No branch gave a result.
    pub missing: bool,
    /// A positional cut found some but not all of what it asked for.
    pub short: bool,
    /// Padding found the text longer than its width.
    pub long: bool,
    /// The result comes from another branch than the first.
    pub fallback: bool,
}

impl State {
    /// No branch gave a result.
    pub const MISSING: State = State { missing: true, short: false, long: false, fallback: false };

    /// Whether the first branch gave exactly what it asked for.
    pub fn is_filled(self) -> bool {
        self == State::default()
    }
}

impl fmt::Display for State {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let words = [(self.missing, "missing"), (self.short, "short"), (self.long, "long"), (self.fallback, "fallback")];
        let mut words = words.iter().filter(|(holds, _)| *holds).map(|(_, word)| *word).peekable();
        if words.peek().is_none() {
            return f.write_str("filled");
        }
        f.write_str(&words.collect::<Vec<_>>().join(", "))
    }
}
