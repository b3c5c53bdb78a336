//! Helpers for the tables.

use keen_notch_core::phrase::Phrase;
use keen_notch_core::program::{Program, Scratch};
use keen_notch_core::text::unit::Unit;

/// The result of a phrase on a value, and its state.
pub fn cut(value: &str, phrase: &str, unit: Unit) -> (String, String) {
    let plan = Phrase::parse(phrase).and_then(|phrase| Program::new(&phrase, unit));
    let plan = plan.unwrap_or_else(|error| panic!("{phrase}: {error}"));
    let mut scratch = Scratch::default();
    // Used memory must not change the result.
    plan.cut("  xY-9-ü 1,2  ", &mut scratch);
    let cut = plan.cut(value, &mut scratch);
    (cut.text.to_owned(), cut.state.to_string())
}

/// Each case is a value, a phrase, its result and the state.
pub fn holds(cases: &[(&str, &str, &str, &str)]) {
    for (value, phrase, result, state) in cases {
        assert_eq!(cut(value, phrase, Unit::Characters), (result.to_string(), state.to_string()), "{value:?} → {phrase}");
    }
}

/// Each case is a value, a phrase and its result. An empty result is blank like its value, or missing.
pub fn gives(cases: &[(&str, &str, &str)]) {
    for (value, phrase, result) in cases {
        let state = match (result.is_empty(), value.trim().is_empty()) {
            (false, _) => "filled",
            (true, true) => "blank",
            (true, false) => "missing",
        };
        holds(&[(value, phrase, result, state)]);
    }
}
