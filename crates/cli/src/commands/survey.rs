//! `survey`: what is in the columns of a table.

use std::io::{self, BufWriter, Write};
use std::ops::ControlFlow;

use keen_notch_core::column::ColumnRef;
use keen_notch_core::survey::{Depth, Group, Members, Shape, Survey};
use keen_notch_core::words;
use keen_notch_io::sink::{Stream, commit_all};
use keen_notch_io::source::input::Input;
use keen_notch_io::survey::{Found, RowsFormat, rows_of, survey, write_rows};
use keen_notch_io::table::Table;

use crate::args::{SurveyArgs, SurveyFormat};
use crate::commands::run::{inputs, names};
use crate::console::Console;
use crate::draw::survey::{self as draw, Surveyed};
use crate::draw::visible;
use crate::failure::Failure;
use crate::progress::Progress;

/// Rows of a shape that are shown on a terminal.
const MOST_ROWS: usize = 40;

/// Runs the command.
pub fn run(args: &SurveyArgs, console: &Console) -> Result<(), Failure> {
    let inputs = inputs(std::slice::from_ref(&args.file), console)?;
    let reading = args.reading.reading(&Default::default())?;
    if let Some(shape) = &args.rows_of {
        return rows(args, shape, &inputs, console);
    }
    let progress = Progress::of(&inputs, &reading.meter, args.quiet, true);
    let mut table = super::run::table(&inputs, &reading, console, args.quiet)?;
    let columns = columns(args, &table)?;
    let in_depth = !args.columns.is_empty() || columns.len() == 1;
    let depth = if in_depth { Depth::Full } else { Depth::Brief };
    let surveys = survey(&mut table, &columns, depth, args.sample, args.threads.count())?;
    drop(progress);
    let titles: Vec<String> = columns.iter().map(|column| table.header.title(*column)).collect();
    let surveyed: Vec<Surveyed> =
        titles.iter().zip(&surveys).map(|(title, survey)| Surveyed { title, survey, fine: args.fine }).collect();
    let name = names(&inputs);
    let mut out = anstream::stdout().lock();
    if args.to == SurveyFormat::Json {
        out.write_all(draw::json(&name, &surveyed, in_depth, args.sample).as_bytes())?;
    } else {
        let lines = if in_depth {
            draw::in_depth(&name, &surveyed, args.sample, console.width)
        } else {
            draw::in_brief(&name, &surveyed, args.sample, console.width)
        };
        for line in lines {
            writeln!(out, "{line}")?;
        }
    }
    out.flush()?;
    Ok(())
}

/// The columns that are meant, by their indices.
fn columns(args: &SurveyArgs, table: &Table) -> Result<Vec<usize>, Failure> {
    if args.columns.is_empty() {
        return Ok((0..table.header.count()).collect());
    }
    args.columns.iter().map(|text| Ok(ColumnRef::parse(text).find(&table.header)?)).collect()
}

/// Lists the rows of a shape: the column is surveyed first, and then read again.
fn rows(args: &SurveyArgs, shape: &str, inputs: &[Input], console: &Console) -> Result<(), Failure> {
    if inputs.contains(&Input::Stdin) {
        let message = "the rows of a shape are found by reading the input twice";
        return Err(Failure::usage(message, "name a file instead of standard input"));
    }
    let reading = args.reading.reading(&Default::default())?;
    let progress = Progress::of(inputs, &reading.meter, args.quiet, true);
    let mut table = Table::open(inputs, &reading)?;
    let column = match args.columns.as_slice() {
        [] => ColumnRef::find_or_only(None, &table.header)?,
        [column] => ColumnRef::parse(column).find(&table.header)?,
        [_, second, ..] => {
            let message = format!("a shape is looked for in one column, and {second} is a second one");
            return Err(Failure::usage(message, "name one column"));
        }
    };
    let mut survey = Survey::new(Depth::Full);
    if let Some(surveyed) = self::survey(&mut table, &[column], Depth::Full, args.sample, args.threads.count())?.pop() {
        survey = surveyed;
    }
    drop(progress);
    let groups = find(&survey, shape)?;
    let mut members = survey.members(&groups);
    let mut table = Table::open(inputs, &reading)?;
    if args.to == SurveyFormat::Text && console.shows_tables {
        let all: u64 = groups.iter().map(|group| group.seen.count).sum();
        return rows_as_table(&mut table, column, &mut members, all, console);
    }
    let format = match args.to {
        SurveyFormat::Text => RowsFormat::Table,
        SurveyFormat::Json => RowsFormat::JsonLines,
    };
    let mut out = Box::new(Stream::new("standard output", BufWriter::new(io::stdout())));
    write_rows(&mut table, column, &mut members, args.sample, format, &mut *out)?;
    Ok(commit_all(vec![out])?)
}

/// The first rows of the groups, and how many there are.
fn rows_as_table(table: &mut Table, column: usize, members: &mut Members, all: u64, console: &Console) -> Result<(), Failure> {
    let mut found: Vec<(u64, u64, String)> = Vec::new();
    rows_of(table, column, members, None, |Found { row, line, value }| {
        found.push((row, line, value.to_owned()));
        if found.len() < MOST_ROWS && (found.len() as u64) < all { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
    })?;
    let mut out = anstream::stdout().lock();
    for line in draw::rows(&table.header.title(column), &found, console.width) {
        writeln!(out, "{line}")?;
    }
    if all > found.len() as u64 {
        writeln!(out, "{} in all: into a pipe or a file, all of them come as CSV", visible::counted(all, "row"))?;
    }
    Ok(out.flush()?)
}

/// The groups that a shape on the command line names: one that the survey shows, or else all fine ones that
/// have it.
fn find(survey: &Survey, shape: &str) -> Result<Vec<Group>, Failure> {
    let groups = survey.groups();
    let as_shown = groups.iter().chain(&survey.fine_groups()).find(|group| is_shown_as(&group.shape, shape)).cloned();
    if let Some(group) = as_shown {
        return Ok(vec![group]);
    }
    let shown: Vec<String> = groups.iter().map(|group| group.shape.to_string()).collect();
    let Some(wanted) = Shape::parse(shape) else { return Err(no_shape(shape, &shown)) };
    let with: Vec<Group> = survey.fine_groups().into_iter().filter(|group| wanted.has_shape(&group.shape)).collect();
    if with.is_empty() { Err(no_shape(shape, &shown)) } else { Ok(with) }
}

fn is_shown_as(shape: &Shape, text: &str) -> bool {
    shape.to_string() == text || Shape::parse(text).is_some_and(|read| read == *shape)
}

fn no_shape(shape: &str, shown: &[String]) -> Failure {
    let help = match words::nearest(shape, shown.iter().map(String::as_str)) {
        Some(near) => format!("did you mean {near}? The survey of the column shows its shapes"),
        None => "write it as the survey of the column shows it, such as U3-d8-X4".to_owned(),
    };
    Failure::usage(format!("no value of the column has the shape {shape}"), help)
}
