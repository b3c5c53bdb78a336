//! The first rows of an output, as a table.

use anstyle::Style;
use keen_notch_core::carving::OutColumn;
use keen_notch_core::column::Header;
use keen_notch_io::carve::{Job, Odd, OddRow, PreviewCell, Report};

use super::style::{self, paint};
use super::{table, visible};

/// The widest a cell is shown, in columns.
const MOST_CELL: usize = 40;

/// Draws the rows that a run kept. Where they are wider than the terminal, only the pieces and the columns
/// that they come from are shown, and the others are named below.
pub fn draw(report: &Report, job: &Job, header: &Header, width: usize) -> Vec<String> {
    let all: Vec<usize> = (0..job.columns().len()).collect();
    let odd: Vec<&OddRow> = report.odd.iter().filter(|odd| odd.row > report.preview.len() as u64).collect();
    let draw = |shown: &[usize]| (rows(report, job, shown), odd_rows(&odd, report, job, shown));
    let mut shown = all.clone();
    let mut drawn = draw(&shown);
    if table::width(&drawn.0) > width || (!odd.is_empty() && table::width(&drawn.1) > width) {
        let used = job.carving().used_columns();
        shown.retain(|index| match job.columns()[*index] {
            OutColumn::Original(column) => used.contains(&column),
            OutColumn::Piece { .. } | OutColumn::Source => true,
        });
        drawn = draw(&shown);
    }
    let hidden = all.iter().filter(|index| !shown.contains(index)).filter_map(|index| match job.columns()[*index] {
        OutColumn::Original(column) => Some(header.title(column)),
        OutColumn::Piece { .. } | OutColumn::Source => None,
    });
    let hidden: Vec<_> = hidden.collect();
    let mut lines = table::lines(&drawn.0);
    let rows = format!(
        "{} of {} shown",
        visible::grouped(report.preview.len() as u64),
        visible::counted(report.counts.rows_out, "row")
    );
    let columns = if hidden.is_empty() { String::new() } else { format!(", without the columns {}", hidden.join(", ")) };
    lines.push(String::new());
    lines.push(paint(style::QUIET, rows + &visible::without_controls(&columns)));
    if !odd.is_empty() {
        lines.push(String::new());
        lines.push(paint(style::HEAD, "rows worth a look, a few of each kind"));
        lines.extend(table::lines(&drawn.1));
        lines.push(String::new());
    }
    lines.push(format!("To get them all, add {} or write to a pipe.", paint(style::TAKEN, "-o OUT.csv")));
    lines
}

fn rows(report: &Report, job: &Job, shown: &[usize]) -> comfy_table::Table {
    let heads: Vec<String> = shown.iter().map(|index| text(&job.titles()[*index])).collect();
    let mut drawn = table::table(heads.iter().map(String::as_str), usize::MAX);
    for row in &report.preview {
        drawn.add_row(shown.iter().map(|index| cell(&row[*index])));
    }
    drawn
}

/// Rows that are worth a look, with why.
fn odd_rows(odd: &[&OddRow], report: &Report, job: &Job, shown: &[usize]) -> comfy_table::Table {
    let titles: Vec<String> = shown.iter().map(|index| text(&job.titles()[*index])).collect();
    let heads = ["row", "why"].into_iter().chain(titles.iter().map(String::as_str));
    let mut drawn = table::table(heads, usize::MAX);
    for row in odd {
        let (why, style) = match row.why {
            Odd::Fault => ("fault", style::FAULT),
            Odd::Missing => ("missing", style::LOOK),
            Odd::Short => ("short", style::LOOK),
            Odd::Long => ("long", style::LOOK),
            Odd::Fallback => ("fallback", style::LOOK),
        };
        let number = table::cell(visible::value(&super::rows::number(&report.inputs, row.row)), Style::new());
        let cells = shown.iter().map(|index| cell(&row.cells[*index]));
        drawn.add_row([number, table::cell(why, style)].into_iter().chain(cells));
    }
    drawn
}

fn cell(cell: &PreviewCell) -> comfy_table::Cell {
    match cell.state {
        None => table::cell(text(&cell.text), Style::new()),
        Some(state) if !state.is_there() => table::cell(state.to_string(), style::QUIET),
        Some(state) if state.is_filled() => table::cell(text(&cell.text), style::TAKEN),
        Some(state) => table::cell(format!("{} ({state})", text(&cell.text)), style::LOOK),
    }
}

fn text(text: &str) -> String {
    visible::clipped(&visible::value(text), MOST_CELL)
}
