//! `carve`: the main job.

use std::io::{self, IsTerminal, Write};

use keen_notch_core::column::{ColumnRef, Header};
use keen_notch_core::piece::Piece;
use keen_notch_core::plan::Plan;
use keen_notch_io::carve::{BoundPiece, Job, Report, carve};
use keen_notch_io::input::Input;
use keen_notch_io::output::Output;
use keen_notch_io::table::Table;

use crate::args::{self, CarveArgs};
use crate::commands::gauge::column_of;
use crate::console::Console;
use crate::draw::style::{self, paint};
use crate::draw::{table, visible};
use crate::failure::Failure;

/// Rows shown on a terminal.
const PREVIEW: usize = 10;
/// The widest a cell is shown on a terminal, in columns.
const MOST_CELL: usize = 40;

/// Runs the command.
pub fn run(args: &CarveArgs, console: &Console) -> Result<(), Failure> {
    let pieces = args
        .pieces
        .iter()
        .map(|text| Piece::parse(text).map_err(|error| Failure::piece(text, error)))
        .collect::<Result<Vec<_>, _>>()?;
    let inputs = inputs(args, console)?;
    let mut out = args.out.as_ref().map(|path| Output::create(path, &inputs)).transpose()?;
    let mut table = Table::open(&inputs, &args.reading.reading()?)?;
    let preview = if out.is_none() && console.shows_tables { PREVIEW } else { 0 };
    let job = bind(&pieces, args, &table, preview)?;
    let report = match &mut out {
        Some(out) => carve(&mut table, &job, out, &args.out_name())?,
        None if preview > 0 => carve(&mut table, &job, &mut io::sink(), "standard output")?,
        None => carve(&mut table, &job, &mut io::stdout().lock(), "standard output")?,
    };
    if let Some(out) = out {
        out.finish()?;
    }
    if preview > 0 {
        show(&report, &job, &table.header, console)?;
    }
    if !args.quiet {
        summarize(&report, &job, &table.header, &inputs, args, console);
    }
    Ok(())
}

impl CarveArgs {
    fn out_name(&self) -> String {
        self.out.as_ref().map_or_else(|| "standard output".to_owned(), |path| path.display().to_string())
    }
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

/// Finds the pieces' columns, and refuses names that would stand for two columns.
fn bind(pieces: &[Piece], args: &CarveArgs, table: &Table, preview: usize) -> Result<Job, Failure> {
    let main = args::column(args.column.as_deref());
    let mut bound: Vec<BoundPiece> = Vec::new();
    for piece in pieces {
        if bound.iter().any(|other| other.name == piece.name) {
            return Err(Failure::usage(format!("two pieces are called {}", piece.name), "give each piece a name of its own"));
        }
        if let Header::Names(names) = &table.header
            && names.contains(&piece.name)
        {
            let mend = format!("call it otherwise, such as {}_cut; original columns are always kept", piece.name);
            return Err(Failure::usage(format!("the piece {} is called like a column of the table", piece.name), mend));
        }
        let column = find(piece.of.as_ref().or(main.as_ref()), table)?;
        bound.push(BoundPiece { name: piece.name.clone(), column, plan: Plan::new(&piece.take) });
    }
    Ok(Job { pieces: bound, only_pieces: args.only_pieces, preview })
}

/// The column's index; a name that is not there because the whole header is one column gets a better mend.
fn find(named: Option<&ColumnRef>, table: &Table) -> Result<usize, Failure> {
    let found = column_of(named.cloned(), &table.header);
    if let (Err(_), Some(ColumnRef::Name(name)), Header::Names(names)) = (&found, named, &table.header)
        && let [only] = names.as_slice()
        && let Some(delimiter) =
            [';', '\t', '|', ','].into_iter().find(|delimiter| only.split(*delimiter).any(|part| part == name))
    {
        let option = if delimiter == '\t' { "tab".to_owned() } else { format!("'{delimiter}'") };
        return Err(Failure::usage(
            format!("there is no column {name}: the whole header is one column, {only}"),
            format!("say what stands between its cells: --delimiter {option}"),
        ));
    }
    found
}

/// The first rows as a table.
fn show(report: &Report, job: &Job, header: &Header, console: &Console) -> io::Result<()> {
    let mut out = anstream::stdout().lock();
    let all: Vec<usize> = if job.only_pieces { Vec::new() } else { (0..header.count()).collect() };
    let used: Vec<usize> = all.iter().copied().filter(|index| job.pieces.iter().any(|piece| piece.column == *index)).collect();
    let mut shown = &all;
    let mut drawn = preview(report, job, header, shown);
    if table::width(&drawn) > console.width {
        shown = &used;
        drawn = preview(report, job, header, shown);
    }
    for line in table::lines(&drawn) {
        writeln!(out, "{line}")?;
    }
    let hidden: Vec<_> = all.iter().filter(|index| !shown.contains(index)).map(|index| header.title(*index)).collect();
    writeln!(out)?;
    let rows = format!("{} of {} shown", visible::grouped(report.preview.len() as u64), visible::counted(report.rows, "row"));
    let columns = if hidden.is_empty() { String::new() } else { format!(", without the columns {}", hidden.join(", ")) };
    writeln!(out, "{}", paint(style::QUIET, rows + &visible::without_controls(&columns)))?;
    writeln!(out, "To get them all, add {} or write to a pipe.", paint(style::TAKEN, "-o OUT.csv"))?;
    out.flush()
}

fn preview(report: &Report, job: &Job, header: &Header, columns: &[usize]) -> comfy_table::Table {
    let text = |text: &str| visible::clipped(&visible::value(text), MOST_CELL);
    let heads = columns.iter().map(|index| header.title(*index)).chain(job.pieces.iter().map(|piece| piece.name.clone()));
    let heads: Vec<String> = heads.map(|head| text(&head)).collect();
    let mut drawn = table::table(heads.iter().map(String::as_str), usize::MAX);
    for row in &report.preview {
        let cells = columns.iter().map(|index| table::cell(text(&row.cells[*index]), anstyle::Style::new()));
        let pieces = row.pieces.iter().map(|(piece, state)| match state.missing {
            true => table::cell("missing", style::QUIET),
            false if state.is_filled() => table::cell(text(piece), style::TAKEN),
            false => table::cell(format!("{} ({state})", text(piece)), style::LOOK),
        });
        drawn.add_row(cells.chain(pieces));
    }
    drawn
}

/// The summary, on standard error.
fn summarize(report: &Report, job: &Job, header: &Header, inputs: &[Input], args: &CarveArgs, console: &Console) {
    let heads = ["piece", "from", "filled", "short", "long", "missing", "fallback"];
    let mut drawn = table::table(heads, 2);
    for (piece, tally) in job.pieces.iter().zip(&report.tallies) {
        let counts = [tally.short, tally.long, tally.missing, tally.fallback];
        let look = counts.map(|n| table::cell(visible::grouped(n), if n == 0 { style::QUIET } else { style::LOOK }));
        let name = visible::value(&piece.name);
        let mut row = vec![
            table::cell(name, style::HEAD),
            table::cell(visible::value(&header.title(piece.column)), anstyle::Style::new()),
        ];
        row.push(table::cell(visible::grouped(tally.filled), anstyle::Style::new()));
        row.extend(look);
        drawn.add_row(row);
    }
    console.note("");
    for line in table::lines(&drawn) {
        console.note(&line);
    }
    for (count, words) in [
        (
            report.tallies.iter().map(|tally| tally.short).sum::<u64>(),
            "short: the value ended before the piece was whole; what there is was kept",
        ),
        (report.tallies.iter().map(|tally| tally.long).sum(), "long: wider than the padding asked for; kept as it is"),
        (
            report.tallies.iter().map(|tally| tally.missing).sum(),
            "missing: not there, so the cell is blank; `or` says what to use instead",
        ),
        (report.tallies.iter().map(|tally| tally.fallback).sum(), "fallback: taken by what stands behind `or`"),
    ] {
        if count > 0 {
            console.note(&paint(style::QUIET, words));
        }
    }
    let names: Vec<_> = inputs.iter().map(Input::name).collect();
    let from = if names.len() > 3 { format!("{} files", names.len()) } else { names.join(", ") };
    let rows = match report.rows {
        0 => "no rows: there is only a header".to_owned(),
        rows => visible::counted(rows, "row"),
    };
    let to = args.out.as_ref().map_or(String::new(), |path| format!(", written to {}", path.display()));
    console.note(&visible::without_controls(&format!("{from}: {rows}{to}")));
}
