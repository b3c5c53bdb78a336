//! Properties of random phrases from every kind of step.

use keen_notch_core::explain;
use keen_notch_core::phrase::Phrase;
use keen_notch_core::phrase::reference;
use keen_notch_core::program::{Program, Scratch};
use keen_notch_core::text::unit::Unit;
use proptest::prelude::*;
use proptest::sample::select;

const CUTS: &[&str] = &[
    "whole",
    "first 3",
    "last 2",
    "char -2",
    "chars 2 to 4",
    "chars -3 to end",
    "chars 2 for 2",
    "drop first 1",
    "drop last 1",
    "before \"-\"",
    "before last any of \"-7\"",
    "after digits",
    "after 2nd \"-\"",
    "from letters",
    "through \"e\" any case",
    "between \"-\" and \"-\"",
    "between 1st digits and last letters",
    "section 2 by \"-\"",
    "section -1 by spaces",
    "sections 1 to 2 by \"-\" skipping empty",
    "number",
    "number last",
    "run 2",
    "run -1 of letters and digits",
    "match /[0-9]+/",
    "match /(.)-/ group 1",
    "trim",
];

const MAKES: &[&str] = &[
    "number 1 signed like \"1,234.5\"",
    "length",
    "row number",
    "position of \"-\"",
    "count of letters",
    "whether contains \"-\"",
    "squeeze",
    "upper",
    "lower",
    "title",
    "keep digits and letters",
    "drop any of \"-7\"",
    "replace \"-\" with \"+\"",
    "replace /(.)(.)/ with \"$2$1\"",
    "pad left to 5 with \"0\"",
    "pad right to 4 with \"ab\"",
    "clip to 3 with \"…\"",
    "prefix \"<\"",
    "suffix \">\"",
    "if (digits or contains \"-\")",
    "add check digit luhn",
    "lookup \"A\" as \"x\", \"be\" as \"7\" any case",
    "whether (contains \"-\" or digits and not length 3)",
    "date \"%Y%m%d\" as \"%y\"",
    "plain number",
];

const SEVERAL: &[&str] = &[
    "sections by \"-\" joined with \"|\"",
    "sections by \"-\" skipping empty then upper joined with \"\"",
    "numbers joined with \"; \"",
    "runs joined with \" \"",
    "runs of letters then char 1 joined with \".\"",
    "groups of /([a-z])(-)?/i joined with \"+\"",
    "matches /[a-z]/i joined with \"\"",
];

fn value() -> impl Strategy<Value = String> {
    let parts = ["-", "--", "A", "be", "7", "12.5", " ", "\u{a0}", "\r\n", "e", "\u{301}", "👩\u{200d}🚀", "東", "ß", "(", ")"];
    proptest::collection::vec(select(parts.to_vec()), 0..10).prop_map(|parts| parts.concat())
}

fn steps(of: Vec<&'static str>) -> impl Strategy<Value = String> {
    proptest::collection::vec(select(of), 1..5).prop_map(|steps| steps.join(" then "))
}

fn phrase() -> impl Strategy<Value = String> {
    let all: Vec<_> = [CUTS, MAKES, SEVERAL].concat();
    proptest::collection::vec(prop_oneof![6 => steps(all), 1 => Just("\"none\"".to_owned())], 1..4)
        .prop_map(|branches| branches.join(" or "))
}

fn plan(phrase: &str, unit: Unit) -> Program {
    let parsed = Phrase::parse(phrase).unwrap_or_else(|error| panic!("{phrase}: {error}"));
    Program::new(&parsed, unit).unwrap_or_else(|error| panic!("{phrase}: {error}"))
}

proptest! {
    #[test]
    fn looking_at_a_run_changes_nothing(phrase in phrase(), value in value(), unit in select(vec![Unit::Characters, Unit::Codepoints, Unit::Bytes])) {
        let plan = plan(&phrase, unit);
        let trace = plan.trace(&value);
        let mut scratch = Scratch::default();
        let cut = plan.cut(&value, &mut scratch);
        prop_assert_eq!(cut.state, trace.state);
        prop_assert_eq!(cut.text, trace.results.first().map_or("", |seen| seen.text.as_str()));
        // A result exists exactly if its text is not empty; otherwise the value decides the state.
        prop_assert_eq!(!cut.state.is_there(), cut.text.is_empty(), "{}", phrase);
        prop_assert_eq!(cut.state.blank, cut.text.is_empty() && value.trim().is_empty(), "{}", phrase);
        // A second run in used memory gives the same.
        let (text, state) = (cut.text.to_owned(), cut.state);
        let again = plan.cut(&value, &mut scratch);
        prop_assert_eq!((again.text, again.state), (text.as_str(), state));
    }

    #[test]
    fn a_cut_is_a_part_of_its_value(phrase in steps(CUTS.to_vec()), value in value()) {
        let trace = plan(&phrase, Unit::Characters).trace(&value);
        for seen in &trace.results {
            let range = seen.in_value.clone().expect("no step made a text");
            prop_assert_eq!(&value[range.clone()], &seen.text);
            prop_assert_eq!(trace.taken.clone(), vec![range]);
        }
        // Each result lies within the input of its step.
        for step in trace.branches.iter().flat_map(|branch| &branch.steps) {
            if let ([before], [after]) = (step.before.as_slice(), step.after.as_slice()) {
                let (before, after) = (before.in_value.clone().unwrap(), after.in_value.clone().unwrap());
                prop_assert!(before.start <= after.start && after.end <= before.end, "{} of {:?}", phrase, value);
            }
        }
    }

    #[test]
    fn every_phrase_has_words(phrase in phrase()) {
        let parsed = Phrase::parse(&phrase).unwrap();
        let sentences = explain::phrase(&parsed);
        prop_assert_eq!(sentences.len(), parsed.branches.len());
        prop_assert!(sentences.iter().all(|sentence| sentence.ends_with('.') && !sentence.contains("  ")), "{:?}", sentences);
    }

    #[test]
    fn a_phrase_cut_short_is_refused_or_read_but_never_panics(phrase in phrase(), at in 0usize..200) {
        let end = (0..=at.min(phrase.len())).rev().find(|end| phrase.is_char_boundary(*end)).unwrap_or(0);
        match Phrase::parse(&phrase[..end]) {
            Ok(parsed) => drop(Program::new(&parsed, Unit::Characters)),
            Err(error) => {
                prop_assert!(phrase[..end].get(error.span.clone()).is_some());
                prop_assert!(!error.help.is_empty());
            }
        }
    }
}

#[test]
fn every_step_of_the_reference_is_among_them() {
    let all: Vec<_> = [CUTS, MAKES, SEVERAL].concat();
    for entry in reference::entries().filter(|entry| !matches!(entry.word, "joined" | "date")) {
        assert!(all.iter().any(|step| step.starts_with(entry.word)), "{}", entry.word);
    }
}
