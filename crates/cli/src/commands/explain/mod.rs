//! `explain`: a cut list in words, or its effect on one row, step by step.

mod list;
mod row;

use std::io::Write;
use std::path::PathBuf;

use keen_notch_io::files::RunFiles;

use crate::args::{ExplainArgs, FormatOrDatabase};
use crate::commands::inputs::say_replaced;
use crate::commands::request::{Asked, Request};
use crate::console::{self, Console};
use crate::failure::Failure;
use crate::rules::{Pieces, RuleArgs};

pub fn run(args: &ExplainArgs, console: &Console) -> Result<(), Failure> {
    let (asked, table) = asked(args)?;
    let known = RunFiles::default();
    known.prints()?;
    let pieces = Pieces::read(&asked.rules, &known)?;
    let lines = if table {
        let request = Request::with_pieces(asked, pieces, &known, console)?;
        let (mut table, carving) = request.bind(console)?;
        let lines = row::row(args, &request.pieces, &carving, &mut table, console.width)?;
        say_replaced(&request.reading.meter, console, false);
        lines
    } else {
        list::list(&pieces, console.width)
    };
    let mut out = console::out();
    for line in lines {
        writeln!(out, "{line}")?;
    }
    Ok(out.flush()?)
}

/// The request, and whether it names a table.
fn asked(args: &ExplainArgs) -> Result<(Asked<'_>, bool), Failure> {
    // The first path is a cut list, unless options give the rules.
    let is_said = !args.lists.is_empty() || !args.pieces.is_empty() || !args.layouts.is_empty();
    let (lists, files): (&[PathBuf], &[PathBuf]) = if is_said { (&args.lists, &args.paths) } else { args.paths.split_at(1) };
    if let [_, second, ..] = files {
        let message = format!("{} is one file too many", second.display());
        return Err(Failure::usage(message, "name one table: explain FILE -l CUTLIST --row N"));
    }
    let has_table = !files.is_empty() || matches!(args.reading.from, Some(FormatOrDatabase::Database(_)));
    if !has_table && args.row.or(args.line).is_some() {
        return Err(Failure::usage("no table given for the row", "name it: explain CUTLIST FILE --row N"));
    }
    let rules = RuleArgs {
        lists,
        layouts: &args.layouts,
        pieces: &args.pieces,
        column: args.column.as_deref(),
        allow_outside: args.allow_outside,
        ..RuleArgs::default()
    };
    let (reading, ragged) = (&args.reading, args.ragged);
    Ok((Asked { rules, files, reading, ragged, part: None, quiet: false, writes_table: false }, has_table))
}
