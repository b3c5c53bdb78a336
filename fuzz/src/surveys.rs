//! Surveys of tables.

use std::fmt::Write;

use keen_notch_core::survey::{Depth, Survey};
use keen_notch_io::source::input::Input;
use keen_notch_io::source::{Ragged, Reading};
use keen_notch_io::survey::{Surveyed, survey as survey_of};
use keen_notch_io::table::Table;
use keen_notch_io::view::View;

use crate::run::input;

/// A survey finds the same on threads as row by row, and each value is of one group.
pub fn survey(data: &[u8]) {
    let Ok(text) = str::from_utf8(data) else { return };
    let inputs = [input("a.csv", text)];
    let by_row = page(&inputs, None, 1 << 20, Some(u64::MAX), 1);
    for (stride, threads) in [(16, 1), (1 << 20, 3)] {
        assert_eq!(
            page(&inputs, None, stride, None, threads),
            by_row,
            "{stride} bytes at a time on {threads} threads: {text:?}"
        );
    }
}

/// All that a survey of some columns tells, or of all of them; or why there is none.
///
/// # Errors
/// Where the inputs are no table.
pub fn page(
    inputs: &[Input],
    columns: Option<&[usize]>,
    stride: usize,
    most_rows: Option<u64>,
    threads: usize,
) -> Result<String, String> {
    let reading = Reading { stride: Some(stride), ragged: Ragged::Keep, max_row: 1 << 20, ..Reading::default() };
    let mut table = Table::open(inputs, &reading).map_err(|error| error.to_string())?;
    let all: Vec<usize> = (0..table.header.count()).collect();
    let view = View::Columns(columns.unwrap_or(&all));
    let surveyed = survey_of(&mut table, view, Depth::Full, most_rows, threads);
    let Surveyed { surveys, inputs, .. } = surveyed.map_err(|error| error.to_string())?;
    let rows = surveys.first().map_or(0, |survey| survey.rows);
    let mut page: String = surveys.iter().map(of_column).collect();
    let located: Vec<_> = (1..=rows).map(|row| inputs.locate(row)).collect();
    write!(page, "{located:?}").expect("a text takes more");
    Ok(page)
}

fn of_column(survey: &Survey) -> String {
    let groups = survey.groups();
    let counted: u64 = groups.iter().map(|group| group.seen.count).sum();
    assert_eq!(counted + survey.other_shapes().count, survey.values(), "each value is of one group");
    assert_eq!(survey.values() + survey.blank.count, survey.rows, "each row has a value or is blank");
    let groups: Vec<_> = groups.into_iter().chain(survey.fine_groups()).collect();
    let groups: Vec<_> = groups.iter().map(|group| (group.shape.to_string(), &group.seen, &group.example)).collect();
    let counts = (survey.rows, &survey.blank, survey.spaces_only, survey.lengths.bars(100), survey.distinct());
    let places = (survey.delimiters(), survey.positions(), survey.oddities());
    let values = (survey.frequent(9), survey.sample());
    format!("{counts:?}\n{groups:?}\n{places:?}\n{values:?}\n")
}
