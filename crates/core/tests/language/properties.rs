//! Properties of every value.

use keen_notch_core::phrase::Phrase;
use keen_notch_core::program::{Program, Scratch};
use keen_notch_core::text::characters;
use keen_notch_core::text::unit::Unit;
use proptest::prelude::*;

fn cut(value: &str, phrase: &str) -> String {
    let plan =
        Program::new(&Phrase::parse(phrase).unwrap_or_else(|error| panic!("{phrase}: {error}")), Unit::Characters).unwrap();
    plan.cut(value, &mut Scratch::default()).text.to_owned()
}

fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('\\', r"\\").replace('"', "\\\""))
}

/// Values with the delimiters that matter, combining marks, joiners and line breaks.
fn value() -> impl Strategy<Value = String> {
    proptest::collection::vec(
        prop_oneof![
            Just("-"),
            Just("--"),
            Just("A"),
            Just("7"),
            Just(" "),
            Just("\r\n"),
            Just("\r"),
            Just("e"),
            Just("\u{301}"),
            Just("\u{200d}"),
            Just("👩"),
            Just("🇸🇪"),
            Just("東"),
            Just("ß"),
            Just("\""),
        ],
        0..12,
    )
    .prop_map(|parts| parts.concat())
}

fn delimiter() -> impl Strategy<Value = String> {
    prop_oneof![value().prop_filter("a marker has something in it", |text| !text.is_empty()), Just("-".to_owned()), "\\PC"]
}

proptest! {
    #[test]
    fn sections_joined_again_give_the_value(value in value(), by in delimiter()) {
        let marker = quoted(&by);
        prop_assert_eq!(cut(&value, &format!("sections 1 to last by {marker}")), value.clone());
        let mut sections = Vec::new();
        for n in 1.. {
            let from_start = cut(&value, &format!("sections {n} to end by {marker}"));
            if from_start.is_empty() && cut(&value, &format!("sections {n} to {} by {marker}", n + 20)).is_empty() {
                break;
            }
            sections.push(cut(&value, &format!("section {n} by {marker}")));
        }
        // Empty trailing sections are missing.
        let joined = sections.join(&by);
        prop_assert!(value.starts_with(&joined));
        prop_assert!(value[joined.len()..].replace(&by, "").is_empty(), "{:?} of {:?}", joined, value);
    }

    #[test]
    fn sections_from_both_ends_are_the_same(value in value(), by in delimiter()) {
        let marker = quoted(&by);
        let whole = cut(&value, &format!("section 1 by {marker}"));
        for n in 1..14 {
            if cut(&value, &format!("sections -{n} to end by {marker}")) == value {
                prop_assert_eq!(cut(&value, &format!("section -{n} by {marker}")), whole);
                break;
            }
        }
    }

    #[test]
    fn first_and_the_rest_give_the_value(value in value(), n in 1usize..15) {
        prop_assert_eq!(cut(&value, &format!("first {n}")) + &cut(&value, &format!("drop first {n}")), value.clone());
        prop_assert_eq!(cut(&value, &format!("drop last {n}")) + &cut(&value, &format!("last {n}")), value.clone());
        let split = cut(&value, &format!("chars 1 to {n}")) + &cut(&value, &format!("chars {} to end", n + 1));
        prop_assert_eq!(split, value);
    }

    #[test]
    fn characters_tile_the_value(value in "\\PC*") {
        let joined: String = characters::ranges(&value).map(|range| &value[range]).collect();
        prop_assert_eq!(&joined, &value);
        for (index, range) in characters::ranges(&value).enumerate() {
            prop_assert_eq!(Unit::Characters.notch(&value, index), range.start);
        }
        prop_assert_eq!(characters::ranges(&value).count(), characters::count(&value));
    }

    #[test]
    fn padding_reaches_its_width_and_never_shortens(value in "[A-Za-z0-9 -]{1,12}", width in 1usize..20) {
        let padded = cut(&value, &format!("pad left to {width} with \"0\""));
        prop_assert_eq!(padded.len(), width.max(value.len()));
        prop_assert!(padded.ends_with(&value));
    }

    #[test]
    fn no_words_make_it_panic(phrase in "[a-z0-9\"'\\\\ -]{0,40}", value in value()) {
        if let Ok(plan) = Phrase::parse(&phrase).and_then(|phrase| Program::new(&phrase, Unit::Characters)) {
            plan.trace(&value);
        }
    }

    #[test]
    fn phrases_of_real_words_never_panic(
        words in proptest::collection::vec(prop_oneof![
            Just("whole"), Just("first"), Just("last"), Just("char"), Just("chars"), Just("drop"), Just("section"),
            Just("sections"), Just("by"), Just("to"), Just("for"), Just("end"), Just("then"), Just("or"), Just("trim"),
            Just("left"), Just("right"), Just("upper"), Just("pad"), Just("with"), Just("\"-\""), Just("1"), Just("-2"),
            Just("3"), Just("0"), Just("before"), Just("after"), Just("from"), Just("through"), Just("between"), Just("and"),
            Just("digits"), Just("any"), Just("of"), Just("number"), Just("numbers"), Just("run"), Just("runs"), Just("match"),
            Just("matches"), Just("/[-7]+|e?/"), Just("2nd"), Just("length"), Just("position"), Just("count"), Just("whether"),
            Just("not"), Just("contains"), Just("joined"), Just("squeeze"), Just("title"), Just("keep"), Just("replace"),
            Just("clip"), Just("plain"), Just("skipping"), Just("empty"), Just("signed"), Just("like"), Just("\"1,234.5\""),
        ], 0..10),
        value in value(),
    ) {
        let phrase = words.join(" ");
        match Phrase::parse(&phrase) {
            Ok(parsed) => match Program::new(&parsed, Unit::Characters) {
                Ok(plan) => {
                    let trace = plan.trace(&value);
                    let mut scratch = Scratch::default();
                    let cuts = plan.cut_all(&value, &mut scratch);
                    prop_assert_eq!(cuts.state, trace.state);
                    let seen: Vec<_> = trace.results.iter().map(|seen| seen.text.as_str()).collect();
                    prop_assert_eq!(cuts.texts, seen);
                }
                Err(error) => prop_assert!(phrase.get(error.span.clone()).is_some(), "{:?}", error.span),
            },
            Err(error) => prop_assert!(phrase.get(error.span.clone()).is_some(), "{:?}", error.span),
        }
    }
}

#[test]
fn written_texts_are_read_again() {
    for text in ["-", "\"", "\\", "a b", "\u{a0}", "\r\n\t", "–é'/"] {
        let phrase = format!("suffix {}", keen_notch_core::phrase::quoted(text));
        assert_eq!(crate::support::cut("x", &phrase, Unit::Characters).0, format!("x{text}"), "{text:?}");
    }
}
