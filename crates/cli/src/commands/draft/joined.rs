//! A draft from examples of several columns.

use keen_notch_core::draft::{JoinedExample, Origin, search_joined};
use keen_notch_core::survey::{Depth, Row};
use keen_notch_io::survey::survey;
use keen_notch_io::table::Table;
use keen_notch_io::view::View;

use super::{DraftText, run_list};
use crate::console::Console;
use crate::draw::joined;
use crate::failure::Failure;

pub fn draft(
    examples: &[JoinedExample],
    origin: &Origin,
    table: &mut Table,
    (threads, console): (usize, &Console),
) -> Result<DraftText, Failure> {
    let columns: Vec<usize> = examples.iter().take(1).flat_map(|example| &example.values).map(|(column, _)| *column).collect();
    let surveyed = survey(&mut table.again()?, View::Columns(&columns), Depth::Full, None, threads)?;
    let samples: Vec<Vec<Row>> = surveyed.surveys.iter().map(keen_notch_core::survey::Survey::sample).collect();
    let Some(draft) = search_joined(examples, &samples) else {
        let wanted: Vec<&str> = examples.iter().map(|example| example.result.as_str()).collect();
        let message = format!("no phrases that were tried, one for each column, join to {}", wanted.join(" and "));
        let help = "look for a slip in the examples. Each column gives one part of the result, and other characters stand between the parts";
        return Err(Failure::usage(message, help));
    };
    let rows = surveyed.rows;
    let evidence = run_list(draft.list(origin, examples, (&[], rows)), columns[0], table, threads)?;
    let list = draft.list(origin, examples, (&evidence.filled, rows));
    let shown = joined::draw(&draft, &origin.columns, (&evidence.filled, rows), console.width.min(100));
    Ok(DraftText { shown, list })
}
