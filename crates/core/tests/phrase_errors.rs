//! Phrases that cannot be right: what is said, which words are at fault, and the mend.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use keen_notch_core::phrase::Phrase;

#[test]
fn phrases_that_cannot_be_right() {
    for (phrase, at_fault, message, mend) in [
        ("chars 0 to 3", "0", "positions start at 1", "write `chars 1 to 3`: the first is 1"),
        ("char 0", "0", "positions start at 1", "write `char 1`: the first is 1"),
        (r#"section 0 by "-""#, "0", "positions start at 1", r#"write `section 1 by "-"`: the first is 1"#),
        (r#"section 2 by "-"#, "\"-", "a text opened with \" is not closed", r#"close it: `"-"`"#),
        (r#"section 2 by "\x""#, r"\x", r"`\x` means nothing in a text", r"a backslash itself is `\\`"),
        (r#"section 2 by "\u{110000}""#, r"\u{110000}", r"`\u{110000}` means nothing in a text", r"`\u{2013}`"),
        ("section 2 by “-”", "“", "the typographic quote “ does not open a text", "write straight quotes: `\"-\"`"),
        ("secton 2 by \"-\"", "secton", "`secton` is no step", "did you mean `section`? It is written `section 2 by \"-\"`"),
        ("left 3", "left", "`left` is no step", "did you mean `first`? It is written `first 3`"),
        ("banana", "banana", "`banana` is no step", "a step is a word such as `first 3`"),
        ("first 0", "0", "a width of 0", "write `first 1` or more"),
        ("chars 5 for 0", "0", "a width of 0", "write `chars 5 for 1` or more"),
        (r#"pad left to 0 with "0""#, "0", "a width of 0", r#"write `pad left to 1 with "0"` or more"#),
        ("first -3", "-3", "a width is a number of characters, counted from 1", "write `first 3`"),
        ("first", "", "a number of characters is missing at the end", "write it like `first 3`"),
        ("first three", "three", "a number of characters was expected, not `three`", "write it like `first 3`"),
        ("chars 9 to 3", "9 to 3", "the range runs backwards", "write `chars 3 to 9`"),
        ("chars -1 to -4", "-1 to -4", "the range runs backwards", "write `chars -4 to -1`"),
        (r#"sections 3 to 2 by "-""#, "3 to 2", "the range runs backwards", r#"write `sections 2 to 3 by "-"`"#),
        ("chars 5 12", "12", "`to` or `for` was expected, not `12`", "write `chars 5 to 12`"),
        ("first 99999999999999999999", "99999999999999999999", "the number is too large", "write 1000000000 or less"),
        (r#"pad left to 1000000 with "0""#, "1000000", "the number is too large", "write 100000 or less"),
        (r#"section 2 "-""#, r#""-""#, r#"`by` was expected, not `"-"`"#, r#"write `section 2 by "-"`"#),
        ("section 2", "", "`by` is missing at the end", r#"write `section 2 by "-"`"#),
        ("section 2 by -", "-", "a marker in quotes was expected, not `-`", r#"write `section 2 by "-"`"#),
        (r#"section 2 by """#, r#""""#, "the marker is empty", r#"write `section 2 by "-"`"#),
        (r#"pad left to 6 with """#, r#""""#, "the filling is empty", r#"write `pad left to 6 with "0"`"#),
        ("pad left to 6", "", "`with` and the filling is missing at the end", r#"write `pad left to 6 with "0"`"#),
        ("pad to 6", "to", "`left` or `right` was expected, not `to`", r#"write it like `pad left to 6 with "0"`"#),
        ("drop 4", "4", "`first` or `last` was expected, not `4`", "write `drop first 4`"),
        ("first 3 upper", "upper", "`then` or `or` was expected, not `upper`", "write `first 3 then upper`"),
        ("first 3, upper", "3,", "a number of characters was expected, not `3,`", "write it like `first 3`"),
        (r#"first 3 "x""#, r#""x""#, r#"`then` or `or` was expected, not `"x"`"#, r#"write `first 3 or "x"`"#),
        (r#""x" then upper"#, "then upper", "a step behind a literal text", "write the text as it should stand"),
        ("first 3 then", "", "a step is missing at the end", "write a step, such as"),
        ("first 3 or or whole", "or", "`or` is no step", "write a step before and behind it"),
        ("", "", "the phrase is empty", "write a step, such as"),
    ] {
        let error = Phrase::parse(phrase).expect_err(phrase);
        let found = (&phrase[error.span.clone()], error.kind.to_string());
        assert_eq!(found, (at_fault, message.to_owned()), "{phrase}");
        assert!(error.mend.contains(mend), "{phrase}: {} does not hold {mend}", error.mend);
    }
}

#[test]
fn a_phrase_that_is_offered_as_a_mend_can_be_read() {
    for phrase in ["chars 0 to 3", "chars 9 to 3", "section 2", r#"section 2 "-""#, "first 3 upper", "drop 4", "pad left to 6"]
    {
        let error = Phrase::parse(phrase).expect_err(phrase);
        let offered = error.mend.split('`').nth(1).unwrap_or_default();
        assert!(Phrase::parse(offered).is_ok(), "{phrase}: {}", error.mend);
    }
}

#[test]
fn every_form_of_the_reference_is_a_phrase() {
    for step in keen_notch_core::phrase::reference::STEPS {
        assert!(Phrase::parse(step.form).is_ok(), "{}", step.form);
        assert!(step.form.starts_with(step.word));
    }
}
