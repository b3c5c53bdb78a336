//! Compares programs on batches with a plain interpreter of one value at a time.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

mod interpreter;
mod layouts;
mod list;
mod lists;

use keen_notch_core::batch::Column;
use keen_notch_core::carving::{BatchResults, Carving, Memory, TableRows, Totals};
use keen_notch_core::column::{ColumnRef, Header};
use keen_notch_core::cutlist::CutList;
use keen_notch_core::phrase::ast::Condition;
use keen_notch_core::phrase::{Phrase, reference};
use keen_notch_core::program::{Program, Results, Setting, Work};
use keen_notch_core::text::unit::Unit;
use proptest::prelude::*;
use proptest::sample::select;

const COUNTING: &[&str] = &[
    "first 3",
    "last 2",
    "char 1",
    "char -2",
    "chars 2 to 4",
    "chars -3 to end",
    "chars 2 to end",
    "chars -4 to -2",
    "chars 2 for 2",
    "drop first 1",
    "drop last 2",
    r#"pad left to 4 with "é""#,
    r#"clip to 3 with "…""#,
    "length",
];

const ONE: &[&str] = &[
    "whole",
    r#"before "-""#,
    r#"before last any of "-7""#,
    r#"before last "-""#,
    "after digits",
    r#"after 2nd "-""#,
    r#"after last "-""#,
    r#"after "be""#,
    r#"through "be""#,
    r#"from "be""#,
    r#"before "A-""#,
    "from letters",
    r#"through "E" any case"#,
    r#"between "-" and "-""#,
    r#"between "(" and ")""#,
    "between 1st digits and last letters",
    r#"section 1 by "-""#,
    r#"section 2 by "-""#,
    "section -1 by spaces",
    r#"section 2 by "-" skipping empty"#,
    r#"sections 1 to 2 by "-" skipping empty"#,
    r#"sections 2 to end by "-""#,
    "number",
    "number last",
    "number 2",
    "number signed",
    r#"number like "1,234.5""#,
    r#"number 2 like "-1,234.5" or "(1,234.5)""#,
    r#"number signed like "1,234.5-""#,
    r#"number like "1 234,5""#,
    "run 2",
    "run -1 of letters and digits",
    "match /[0-9]+/",
    "match /(.)-/ group 1",
    "match /A-([0-9]+)/ group 1",
    r"match /-(\d+)/ group 1",
    "trim",
    "trim left",
    "length",
    r#"position of "-""#,
    "count of letters",
    r#"count of "-""#,
    r#"whether contains "-""#,
    "whether digits",
    "squeeze",
    "upper",
    "lower",
    "keep digits and letters",
    "keep digits",
    r#"drop any of "-7""#,
    r#"replace "-" with "+""#,
    r"replace /[0-9]+/ with '#'",
    r#"replace /(.)(.)/ with "$2$1""#,
    "replace /-/ with \"\"",
    r#"pad left to 5 with "0""#,
    r#"pad right to 6 with "é-""#,
    r#"pad right to 4 with "ab""#,
    r#"clip to 3 with "…""#,
    r#"prefix "<""#,
    r#"suffix ">""#,
    "plain number",
    r#"lookup "A" as "x1", "7" as "9", "be" as "Ü-""#,
    r#"lookup "a" as "1", "é" as "2", "A-77" as "A" any case"#,
    "plain digits",
    "row number",
    "drop punctuation",
    "run 1 of punctuation",
];

const SEVERAL: &[&str] = &[
    r#"sections by "-""#,
    r#"sections by "-" skipping empty"#,
    "numbers",
    r#"numbers signed like "1,234.5""#,
    "runs",
    "runs of letters",
    "matches /[a-z]/i",
    "matches /-?/",
    "groups of /([A-Z])?-?([0-9]+)/",
    r"groups of /(?<a>\w*)(-)(?<b>.)?/",
];

const CONDITIONS: &[&str] = &[
    "required",
    "blank",
    "not blank",
    "length 3",
    "length 2 to 4",
    "digits",
    "uppercase",
    "uppercase and digits",
    "not digits",
    "letters and any of \"-\"",
    "alphanumeric",
    "fits /[A-Z]-[0-9]+/",
    "starts with \"A\"",
    "starts with letters",
    "ends with digits",
    "contains \"-\"",
    "contains digits",
    "one of \"A\", \"7\"",
    "not one of \"A\"",
    "range 1 to 99",
    "range 7 to",
    "blank or digits",
    "range 2020-01-01 to",
    "range to 2025-11-03",
    "length 3 and not contains \"-\"",
    "uppercase and (digits)",
    "not (digits or length 3)",
    "not blank and length 1 to 4",
    "letters or (contains digits and not starts with \"7\")",
];

fn value() -> impl Strategy<Value = String> {
    let plain = [
        "-",
        "--",
        "A",
        "be",
        "7",
        "12.5",
        " ",
        "1,204",
        "(",
        ")",
        "+3",
        "E",
        "A-77",
        "e3",
        ".",
        ",",
        "-5",
        "204",
        "2025-11-03",
        "2019-12-31T8",
    ];
    let simple = [&plain[..], &["é", "ß", "東", "Ω", "Я", "–"]].concat();
    let composite = [
        &simple[..],
        &[
            "\u{a0}",
            "\r\n",
            "\u{301}",
            "👩\u{200d}🚀",
            "\u{200d}",
            "🇩🇪",
            "각",
            "e\u{301}",
            "\u{600}",
            "K",
            "\u{2212}",
            "٣",
            "½",
            "\u{3000}",
            "\u{e33}",
        ],
    ]
    .concat();
    prop_oneof![
        4 => proptest::collection::vec(select(plain.to_vec()), 0..8),
        2 => proptest::collection::vec(select(simple), 0..8),
        2 => proptest::collection::vec(select(composite), 0..8),
    ]
    .prop_map(|parts| parts.concat())
}

fn steps(most: usize) -> impl Strategy<Value = String> {
    proptest::collection::vec(select([ONE, COUNTING].concat()), 1..most).prop_map(|steps| steps.join(" then "))
}

fn phrase() -> impl Strategy<Value = String> {
    let several = (select(SEVERAL.to_vec()), proptest::option::of(steps(3)), select(vec!["|", "", " é"]));
    let joined = several.prop_map(|(several, then, with)| {
        let then = then.map_or(String::new(), |then| format!(" then {then}"));
        format!("{several}{then} joined with \"{with}\"")
    });
    let branch =
        prop_oneof![6 => steps(4), 2 => joined, 1 => select(vec!["\"none\"", "\"\"", "\"é\""]).prop_map(str::to_owned)];
    let by_condition = (select(CONDITIONS.to_vec()), steps(3), proptest::option::of(steps(2)), proptest::bool::ANY).prop_map(
        |(condition, then, other, is_else)| {
            let word = if is_else { "else" } else { "or" };
            let other = other.map_or(String::new(), |other| format!(" {word} {other}"));
            format!("if ({condition}) then {then}{other}")
        },
    );
    proptest::collection::vec(prop_oneof![9 => branch, 2 => by_condition], 1..4).prop_map(|branches| branches.join(" or "))
}

/// Runs a program on a column and compares each result with the interpreter.
/// Other tests compare these with tables or with other packages.
const ELSEWHERE: [&str; 6] = ["title", "plain number like", "date ", "email", "check digit", "add check digit"];

/// A new step or condition is missing in the interpreter until this test passes.
#[test]
fn the_examples_of_the_reference_agree() {
    let entries = reference::entries().chain(reference::CONDITIONS.entries);
    for (value, phrase) in entries.flat_map(|entry| entry.examples) {
        let values = [(*value).to_owned(), String::new(), "é-1".to_owned()];
        if !ELSEWHERE.iter().any(|words| phrase.trim_start_matches("whether ").trim_start_matches('(').starts_with(words)) {
            hold_to_the_interpreter(phrase, &values, Unit::Characters).unwrap();
        }
    }
}

fn hold_to_the_interpreter(phrase: &str, values: &[String], unit: Unit) -> Result<(), TestCaseError> {
    let parsed = Phrase::parse(phrase).unwrap();
    let program = Program::new(&parsed, unit).unwrap();
    let column = Column::of(values.iter().map(String::as_str));
    let (mut work, mut results) = (Work::default(), Results::default());
    // Used memory must not change the result.
    program.run(Column::of(["x-1-é", "", "7"]).texts(), &mut work, &mut results);
    program.run(column.texts(), &mut work, &mut results);
    for (row, value) in values.iter().enumerate() {
        let (expected, state) = interpreter::phrase(&parsed, value, row + 1, unit);
        let texts: Vec<&str> = results.items(row).map(|item| results.texts(column.texts()).get(item)).collect();
        prop_assert_eq!(&texts, &expected, "{} of {:?}", phrase, value);
        prop_assert_eq!(results.state(row).to_string(), state, "{} of {:?}", phrase, value);
    }
    Ok(())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(debug_assertions) { 400 } else { 20_000 }))]

    #[test]
    fn phrases_on_columns_equal_phrases_on_values(phrase in phrase(), values in proptest::collection::vec(value(), 1..90)) {
        hold_to_the_interpreter(&phrase, &values, Unit::Characters)?;
    }

    #[test]
    fn code_points_are_counted_one_by_one(
        steps in proptest::collection::vec(select(COUNTING.to_vec()), 1..4), values in proptest::collection::vec(value(), 1..90),
    ) {
        hold_to_the_interpreter(&steps.join(" then "), &values, Unit::Codepoints)?;
    }

    #[test]
    fn several_results_are_those_of_each_value(
        several in select(SEVERAL.to_vec()), then in proptest::option::of(steps(3)), or in proptest::option::of(steps(2)),
        values in proptest::collection::vec(value(), 1..90),
    ) {
        let then = then.map_or(String::new(), |then| format!(" then {then}"));
        let or = or.map_or(String::new(), |or| format!(" or {or}"));
        let phrase = format!("{several}{then}{or}");
        hold_to_the_interpreter(&phrase, &values, Unit::Characters)?;
    }

    #[test]
    fn conditions_hold_for_the_rows_they_hold_for_by_themselves(
        check in select(CONDITIONS.to_vec()), when in select(CONDITIONS.to_vec()), keep in select(CONDITIONS.to_vec()), take in steps(3),
        values in proptest::collection::vec(value(), 1..90),
    ) {
        let quoted = |condition: &str| condition.replace('\\', "\\\\").replace('"', "\\\"");
        let list = format!(
            "[piece.p]\ntake = '''{take}'''\nwhen = \"{}\"\ncheck = [\"{}\"]\n[rows]\nkeep = [\"p: {}\"]",
            quoted(when), quoted(check), quoted(keep)
        );
        let wanted = CutList::parse(&list, 0).unwrap().wanted;
        let carving = Carving::new(&wanted, Some(&ColumnRef::Number(1)), &Setting::new(Unit::Characters), &Header::Unnamed(1)).unwrap();
        let column = Column::of(values.iter().map(String::as_str));
        let rows = TableRows::new(values.len() as u32, vec![column]);
        let carved = carving.carve(rows, BatchResults::default()).map_err(|refused| refused.error).unwrap();
        let mut totals = Totals::new(&carving, carving.checks().len());
        let mut judged = carving.judge(carving.compare_one(carved, 0, &mut Memory::default()).unwrap(), &mut totals);
        let asked = |text: &str| Condition::parse(text).unwrap();
        let (phrase, when, check, keep) = (Phrase::parse(&take).unwrap(), asked(when), asked(check), asked(keep));
        let is_asked = |value: &String| interpreter::condition(&when, value, Unit::Characters);
        let numbered: Vec<(usize, &String)> = (1..).zip(&values).collect();
        let outcome = |(row, value): (usize, &String)| interpreter::phrase(&phrase, value, row, Unit::Characters);
        let result = |value: (usize, &String)| if is_asked(value.1) { outcome(value).0.first().cloned().unwrap_or_default() } else { String::new() };
        let is_kept = |value: (usize, &String)| interpreter::condition(&keep, &result(value), Unit::Characters);
        let kept: Vec<(usize, &String)> = numbered.into_iter().filter(|value| is_kept(*value)).collect();
        let numbers: Vec<u32> = kept.iter().map(|(number, _)| *number as u32).collect();
        prop_assert_eq!(judged.rows().numbers(), &numbers, "{}", list);
        prop_assert_eq!(totals.rows.left_out as usize, values.len() - kept.len(), "{}", list);
        let about_absence = interpreter::is_about_absence(&check);
        let fails = |value: (usize, &String)| {
            let (text, state) = (result(value), outcome(value).1);
            // A row that `when` excludes is not checked. A blank passes all checks except `required`; a missing piece fails unless a
            // check tests absence.
            is_asked(value.1) && match (about_absence, state.as_str()) {
                (true, _) => !interpreter::condition(&check, &text, Unit::Characters),
                (_, "blank") => false,
                (_, "missing") => true,
                _ => !text.trim().is_empty() && !interpreter::condition(&check, &text, Unit::Characters),
            }
        };
        let expected: Vec<u32> = (0..).zip(&kept).filter(|(_, value)| fails(**value)).map(|(row, _)| row).collect();
        let failing: Vec<u32> = judged.parts().1.failures_by_row().iter().map(|failure| failure.row).collect();
        prop_assert_eq!((failing.len() as u64, &failing), (totals.pieces[0].faulted, &expected), "{}", list);
        // A check counts the rows with a value.
        let is_looked_at = |value: &&(usize, &String)| is_asked(value.1) && (about_absence || !result(**value).trim().is_empty());
        let looked_at = kept.iter().filter(is_looked_at).count() as u64;
        prop_assert_eq!(totals.checked[0], looked_at, "{}", list);
    }
}
