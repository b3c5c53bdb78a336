//! `carve`: the main job.

use std::io::{self, IsTerminal, Write};

use keen_notch_io::carve::{Job, Report, carve, measure};
use keen_notch_io::input::Input;
use keen_notch_io::output::Output;
use keen_notch_io::table::Table;

use crate::args::{self, CarveArgs};
use crate::commands::pieces::Pieces;
use crate::console::Console;
use crate::draw::{preview, summary, visible};
use crate::failure::Failure;

/// Output rows shown on a terminal.
const PREVIEW: usize = 10;

/// Runs the command.
pub fn run(args: &CarveArgs, console: &Console) -> Result<(), Failure> {
    let pieces = Pieces::read(args.list.as_deref(), &args.pieces)?;
    let inputs = inputs(args, console)?;
    let mut out = args.out.as_ref().map(|path| Output::create(path, &inputs)).transpose()?;
    let reading = args.reading.reading()?;
    let mut table = Table::open(&inputs, &reading)?;
    let mut carving = pieces.bind(args::column(args.column.as_deref()).as_ref(), &table.header)?;
    if let [first, ..] = carving.auto_pieces().as_slice() {
        if inputs.contains(&Input::Stdin) {
            let message = format!("the columns of {} are left to the data, which must be read twice", carving.name(*first));
            return Err(Failure::usage(message, "name a file instead of standard input, or say how many columns"));
        }
        for (piece, columns) in measure(&mut table, &carving)? {
            carving.set_columns(piece, columns);
        }
        if let Some((_, title)) = carving.doubled_title(&table.header) {
            return Err(Failure::usage(
                format!("two columns of the output would be called {title}"),
                "call the piece otherwise",
            ));
        }
        table = Table::open(&inputs, &reading)?;
    }
    let shown = if out.is_none() && console.shows_tables { PREVIEW } else { 0 };
    let job = Job::new(carving, &table.header, args.only_pieces, shown);
    let report = match &mut out {
        Some(out) => carve(&mut table, &job, out, &out_name(args))?,
        None if shown > 0 => carve(&mut table, &job, &mut io::sink(), &out_name(args))?,
        None => carve(&mut table, &job, &mut io::stdout().lock(), &out_name(args))?,
    };
    if let Some(out) = out {
        out.finish()?;
    }
    if shown > 0 {
        let mut stdout = anstream::stdout().lock();
        for line in preview::draw(&report, &job, &table.header, console.width) {
            writeln!(stdout, "{line}")?;
        }
        stdout.flush()?;
    }
    if !args.quiet {
        summary::draw(&report, job.carving(), &table.header).iter().for_each(|line| console.note(line));
        console.note(&visible::without_controls(&outcome(&report, &inputs, args)));
    }
    Ok(())
}

fn out_name(args: &CarveArgs) -> String {
    args.out.as_ref().map_or_else(|| "standard output".to_owned(), |path| path.display().to_string())
}

fn inputs(args: &CarveArgs, console: &Console) -> Result<Vec<Input>, Failure> {
    let inputs: Vec<Input> =
        if args.files.is_empty() { vec![Input::Stdin] } else { args.files.iter().map(|path| args::input(path)).collect() };
    if inputs.iter().filter(|input| **input == Input::Stdin).count() > 1 {
        return Err(Failure::usage("standard input is named twice", "name - once: it can be read only once"));
    }
    if inputs.contains(&Input::Stdin) && io::stdin().is_terminal() {
        console.note("reading standard input from the terminal; end it with Ctrl-D");
    }
    Ok(inputs)
}

/// What was read, and where it went, in one line.
fn outcome(report: &Report, inputs: &[Input], args: &CarveArgs) -> String {
    let names: Vec<_> = inputs.iter().map(Input::name).collect();
    let from = if names.len() > 3 { format!("{} files", names.len()) } else { names.join(", ") };
    let rows = match report.rows {
        0 => "no rows: there is only a header".to_owned(),
        rows => visible::counted(rows, "row"),
    };
    let as_rows = if report.rows_out == report.rows {
        String::new()
    } else {
        format!(" as {}", visible::counted(report.rows_out, "row"))
    };
    let to = args.out.as_ref().map_or(String::new(), |path| format!(" to {}", path.display()));
    let written = if as_rows.is_empty() && to.is_empty() { "" } else { ", written" };
    format!("{from}: {rows}{written}{as_rows}{to}")
}
