//! Drafts: the name of a column on the first line, its values on the others.

use keen_notch_core::column::{ColumnRef, Header};
use keen_notch_core::cutlist::CutList;
use keen_notch_core::draft::{Evidence, Origin, draft as drafted};
use keen_notch_core::survey::{Depth, Survey};
use keen_notch_core::words::grouped;
use keen_notch_io::draft::prove;
use keen_notch_io::source::Reading;
use keen_notch_io::table::Table;

use crate::phrases::first_and_others;
use crate::run::{bind, input};

/// What is drafted can be read, runs, and finds no faults but those that it says.
pub fn draft(data: &[u8]) {
    let Some((column, values)) = first_and_others(data) else { return };
    let values: Vec<String> = values.into_iter().map(str::to_owned).collect();
    if leads_to_its_column(column) {
        draft_says_what_it_finds(column, &values);
    }
}

/// Whether a name leads to its column as it is. Where it does not, as one between quotes, the program writes its number.
pub fn leads_to_its_column(column: &str) -> bool {
    let header = Header::Names(vec![column.to_owned(), "other column".to_owned()]);
    ColumnRef::parse(column).find(&header).is_ok_and(|found| found == 0)
}

/// The same of a column and its values.
pub fn draft_says_what_it_finds(column: &str, values: &[String]) {
    let mut survey = Survey::new(Depth::Full);
    (1..).zip(values).for_each(|(row, value)| survey.observe(row, value));
    let columns = vec![column.to_owned(), "other column".to_owned()];
    let origin = Origin { input: "codes.csv".to_owned(), column: column.to_owned(), columns, ..Origin::default() };
    let Some(draft) = drafted(origin, &survey) else { return };
    let proved: Vec<Evidence> = (0..draft.readings.len()).map(|index| run(&draft.list(index), column, values)).collect();
    let text = draft.text(&proved);
    for (of, words, seen) in run(&text, column, values).checks {
        let is_said = text.lines().any(|line| line.starts_with('#') && line.contains(&grouped(seen.count)));
        assert!(seen.count == 0 || is_said, "{} rows break {words} of {of}, which is not said:\n{text}", seen.count);
    }
}

/// Runs a list, and gives what came of it.
fn run(list: &str, column: &str, values: &[String]) -> Evidence {
    let parsed = CutList::parse(list, 0).unwrap_or_else(|error| panic!("{}, {}:\n{list}", error.message, error.help));
    let mut table = table(column, values);
    let bound = bind(&parsed, &table);
    let carving = bound.unwrap_or_else(|unbound| panic!("{}, {}:\n{list}", unbound.error.message, unbound.error.help));
    prove(&mut table, carving, 1).expect("the table can be read")
}

/// A table of one column with these values, and another column that no draft has to do with.
fn table(column: &str, values: &[String]) -> Table {
    let cell = |text: &str| format!("\"{}\"", text.replace('"', "\"\""));
    let rows: String = values.iter().map(|value| format!("{},x\n", cell(value))).collect();
    let text = format!("{},other column\n{rows}", cell(column));
    Table::open(&[input("codes.csv", text)], &Reading::default()).expect("it is a table")
}
