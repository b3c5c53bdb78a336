//! Drafts: whatever the values and the name of their column, what is drafted can be read, runs, and finds no faults but those that
//! it says.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use keen_notch_core::carving::Carving;
use keen_notch_core::column::{ColumnRef, Header};
use keen_notch_core::cutlist::CutList;
use keen_notch_core::draft::{Origin, Proved, draft};
use keen_notch_core::program::Setting;
use keen_notch_core::survey::{Depth, Survey};
use keen_notch_core::text::unit::Unit;
use keen_notch_core::words::grouped;
use keen_notch_io::draft::prove;
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use keen_notch_io::table::Table;
use proptest::prelude::*;

fn cell(text: &str) -> String {
    format!("\"{}\"", text.replace('"', "\"\""))
}

/// A table of one column with these values, and another column that no draft has to do with.
fn table(column: &str, values: &[String]) -> Table {
    let rows: String = values.iter().map(|value| format!("{},x\n", cell(value))).collect();
    let text = format!("{},other column\n{rows}", cell(column));
    Table::open(&[Input::Memory("codes.csv".to_owned(), text.as_bytes().into())], &Reading::default()).unwrap()
}

/// Runs a list, and gives what came of it.
fn run(list: &str, column: &str, values: &[String]) -> Proved {
    let parsed = CutList::parse(list, 0).unwrap_or_else(|error| panic!("{}, {}:\n{list}", error.message, error.help));
    let mut table = table(column, values);
    let main = parsed.column.map(|main| main.column).unwrap_or(ColumnRef::Number(1));
    let bound = Carving::new(&parsed.wanted, Some(&main), &Setting::new(Unit::Characters), &table.header);
    let carving = bound.unwrap_or_else(|unbound| panic!("{}, {}:\n{list}", unbound.error.message, unbound.error.help));
    prove(&mut table, carving, 1).unwrap()
}

fn holds(column: &str, values: &[String]) {
    let mut survey = Survey::new(Depth::Full);
    (1..).zip(values).for_each(|(row, value)| survey.observe(row, value));
    let columns = vec![column.to_owned(), "other column".to_owned()];
    let origin = Origin { input: "codes.csv".to_owned(), column: column.to_owned(), columns, ..Origin::default() };
    let Some(draft) = draft(origin, &survey) else { return };
    let proved: Vec<Proved> = (0..draft.readings.len()).map(|index| run(&draft.list(index), column, values)).collect();
    let text = draft.text(&proved);
    for (of, words, seen) in run(&text, column, values).checks {
        let is_said = text.lines().any(|line| line.starts_with('#') && line.contains(&grouped(seen.count)));
        assert!(seen.count == 0 || is_said, "{} rows break {words} of {of}, which is not said:\n{text}", seen.count);
    }
}

fn values() -> impl Strategy<Value = Vec<String>> {
    let any = r#"[A-Z]{0,3}[\]\[<>{}()\\"'/;:._# -]{0,3}[0-9a-zé]{0,4}[\]\[<>\\|]{0,2}"#;
    let codes = r"[A-C]{2,3}[-\]\[<>/{\\][0-9]{3,5}([\]>}][a-c]{2})?";
    let bracketed = r"[A-C]{2}( ?[\[(<{][0-9]{1,2}[\])>}])?(-[x-z]\]?)?";
    prop_oneof![
        proptest::collection::vec(any, 1..30),
        proptest::collection::vec(codes, 1..60),
        proptest::collection::vec(bracketed, 1..60),
        proptest::collection::vec(proptest::string::string_regex("\\PC{0,8}").unwrap(), 1..12),
    ]
}

proptest! {
    #[test]
    fn what_is_drafted_runs_and_says_what_it_finds(
        values in values(),
        column in r#"code|part code|[a-z"'#\[\]{}<>=\\.:,é \t]{1,8}|#1|when x|a of b|piece"#,
    ) {
        // The program writes what leads to the column: where its name does not, as one between quotes, its number.
        let header = Header::Names(vec![column.clone(), "other column".to_owned()]);
        prop_assume!(ColumnRef::parse(&column).find(&header).is_ok_and(|found| found == 0));
        holds(&column, &values);
    }
}

#[test]
fn parts_in_brackets_are_drafted_as_what_they_are() {
    let values: Vec<String> =
        (100..160).map(|n| if n % 3 == 0 { format!("AB]{n}") } else { format!("AB]{n}]x{}", n % 7) }).collect();
    holds("code", &values);
    holds("[x]", &(0..40).map(|n| format!("[{n}]<{}>\\", n * 7)).collect::<Vec<_>>());
}
