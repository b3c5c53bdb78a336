//! The first output rows as a table.

use anstyle::Style;
use comfy_table::Table;
use keen_notch_core::carving::OutColumn;
use keen_notch_core::column::Header;
use keen_notch_io::carve::{Job, Odd, OddRow, PreviewCell, Report};

use super::style::{self, paint};
use super::{table, visible};

const MOST_CELL: [usize; 3] = [40, 24, 16];

/// Draws the rows kept for display. If they are too wide, columns without pieces go first, then cells get shorter, then the last columns
/// go. The omitted columns are named. The text also shows how to get all rows, with an extension and possibly a pipe.
pub fn draw(report: &Report, job: &Job, header: &Header, (ending, goes_into_pipes): (&str, bool), width: usize) -> Vec<String> {
    let odd: Vec<&OddRow> = report.odd.iter().filter(|odd| odd.row > report.preview.len() as u64).collect();
    let draw = |shown: &[usize], most: usize| (rows(report, job, shown, most), odd_rows(&odd, report, job, shown, most));
    let fits = |(first, odd_ones): &(Table, Table)| {
        table::width(first) <= width && (odd.is_empty() || table::width(odd_ones) <= width)
    };
    let used = job.carving().used_columns();
    let is_needed = |index: &usize| match job.columns()[*index] {
        OutColumn::Original(column) => used.contains(&column),
        OutColumn::Piece { .. } | OutColumn::OfInput(_) | OutColumn::Faults | OutColumn::Compared | OutColumn::Reason => true,
    };
    let all: Vec<usize> = (0..job.columns().len()).collect();
    let needed: Vec<usize> = all.iter().copied().filter(is_needed).collect();
    let [most, lesser, least] = MOST_CELL;
    let fewer = (1..needed.len()).rev().map(|count| (&needed[..count], least));
    let ways = [(&all[..], most), (&needed, most), (&needed, lesser), (&needed, least)].into_iter().chain(fewer);
    // If no way fits, the last one is the narrowest.
    let mut best = (&all[..], draw(&all, most));
    for (shown, most) in ways {
        best = (shown, draw(shown, most));
        if fits(&best.1) {
            break;
        }
    }
    let (shown, drawn) = best;
    let hidden = all.iter().filter(|index| !shown.contains(index)).map(|index| match job.columns()[*index] {
        OutColumn::Original(column) => header.title(column),
        OutColumn::Piece { .. } | OutColumn::OfInput(_) | OutColumn::Faults | OutColumn::Compared | OutColumn::Reason => {
            job.titles()[*index].clone()
        }
    });
    let hidden: Vec<_> = hidden.collect();
    let mut lines = table::lines(&drawn.0);
    let rows = format!(
        "{} of {} shown",
        visible::grouped(report.preview.len() as u64),
        visible::counted(report.totals.rows.written, "row")
    );
    let columns = if hidden.is_empty() { String::new() } else { format!(", without the columns {}", hidden.join(", ")) };
    lines.push(String::new());
    let words = rows + &visible::without_controls(&columns);
    lines.extend(textwrap::wrap(&words, width).into_iter().map(|line| paint(style::QUIET, line)));
    if !odd.is_empty() {
        lines.push(String::new());
        lines.push(paint(style::HEAD, "rows that need attention, a few of each kind"));
        lines.extend(table::lines(&drawn.1));
        lines.push(String::new());
    }
    let out = paint(style::TAKEN, format!("-o OUT.{ending}"));
    lines.push(format!("To get them all, add {out}{}.", if goes_into_pipes { " or write to a pipe" } else { "" }));
    lines
}

fn rows(report: &Report, job: &Job, shown: &[usize], most: usize) -> Table {
    let heads: Vec<String> = shown.iter().map(|index| text(&job.titles()[*index], most)).collect();
    let mut drawn = table::table(heads.iter().map(String::as_str), usize::MAX);
    for row in &report.preview {
        drawn.add_row(shown.iter().map(|index| cell(&row[*index], most)));
    }
    drawn
}

fn odd_rows(odd: &[&OddRow], report: &Report, job: &Job, shown: &[usize], most: usize) -> Table {
    let titles: Vec<String> = shown.iter().map(|index| text(&job.titles()[*index], most)).collect();
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
        let cells = shown.iter().map(|index| cell(&row.cells[*index], most));
        drawn.add_row([number, table::cell(why, style)].into_iter().chain(cells));
    }
    drawn
}

fn cell(cell: &PreviewCell, most: usize) -> comfy_table::Cell {
    match cell.state {
        None => table::cell(text(&cell.text, most), Style::new()),
        Some(state) if !state.is_there() => table::cell(state.to_string(), style::QUIET),
        Some(state) if state.is_filled() => table::cell(text(&cell.text, most), style::TAKEN),
        Some(state) => table::cell(format!("{} ({state})", text(&cell.text, most)), style::LOOK),
    }
}

fn text(text: &str, most: usize) -> String {
    visible::clipped(&visible::value(text), most)
}
