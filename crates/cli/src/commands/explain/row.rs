//! One row, with the effect of each step.

use std::ops::ControlFlow;

use keen_notch_core::carving::Carving;
use keen_notch_io::table::Table;
use keen_notch_io::view::View;

use crate::args::ExplainArgs;
use crate::draw::explained::{self, ExplainedRow};
use crate::draw::style::{self, paint};
use crate::draw::{rows, visible};
use crate::failure::Failure;
use crate::rules::Pieces;

/// The effect of the pieces on the row that the arguments name, step by step.
pub fn row(
    args: &ExplainArgs,
    pieces: &Pieces,
    carving: &Carving,
    table: &mut Table,
    width: usize,
) -> Result<Vec<String>, Failure> {
    let (header, format) = (table.header.clone(), table.format.clone());
    let mut count = 0_u64;
    let mut lines = Vec::new();
    let mut last_line = 0;
    table.each_row(View::Pieces(carving), |at| {
        count += 1;
        let is_it = match (args.row, args.line) {
            (_, Some(wanted)) => {
                last_line = at.lines.1;
                (at.lines.0..=last_line).contains(&wanted)
            }
            (row, None) => count == row.unwrap_or(1),
        };
        if !is_it {
            return ControlFlow::Continue(());
        }
        lines.push(paint(style::HEAD, rows::on_line(&count.to_string(), at.lines.0, &format)));
        for (index, piece) in pieces.wanted.pieces.iter().enumerate() {
            lines.push(String::new());
            let row = ExplainedRow { batch: at.batch, batch_results: at.batch_results, index: at.index };
            lines.extend(explained::piece((index, piece), carving, row, &header, width));
        }
        ControlFlow::Break(())
    })?;
    if !lines.is_empty() {
        return Ok(lines);
    }
    Err(match args.line {
        Some(wanted) => Failure::usage(
            format!("no row is on line {wanted}: the last one ends on line {last_line}"),
            "give the line of a row: this is the header's",
        ),
        None => Failure::usage(
            format!("no row {}: the table has {}", args.row.unwrap_or(1), visible::counted(count, "row")),
            "rows are counted from 1, without the header",
        ),
    })
}
