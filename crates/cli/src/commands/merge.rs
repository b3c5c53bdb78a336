//! `merge`: the summaries of the parts of a table as one.

use std::io::Write;

use keen_notch_core::summary::{Apart, Part, Summary, VERSION};
use keen_notch_io::files::RunFiles;
use keen_notch_io::sink::{self, Sink};
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use serde::Deserialize;

use crate::args::{self, MergeArgs};
use crate::commands::run::name_of;
use crate::console::{self, Console};
use crate::draw::{faults, summary, visible};
use crate::failure::Failure;

/// A summary, and the file that it was read from.
struct Read {
    name: String,
    summary: Summary,
}

/// Runs the command.
pub fn run(args: &MergeArgs, console: &Console) -> Result<(), Failure> {
    let known = RunFiles::default();
    let inputs: Vec<Input> = args.files.iter().map(|path| args::input(path)).collect();
    inputs.iter().try_for_each(|input| known.reads(input))?;
    let out: Option<Box<dyn Sink>> = match &args.out {
        Some(path) => Some(sink::open(path, &known)?),
        None => known.prints().map(|()| None)?,
    };
    let parts = in_order(inputs.iter().map(read).collect::<Result<_, _>>()?)?;
    let count = parts.len();
    let all = merged(parts)?;
    let shows = out.is_none() && console.shows_tables;
    let rows = visible::counted(all.rows.read, "row");
    let faults = visible::counted(all.rows.with_faults, "row");
    let mut lines = summary::draw(&all, console.width);
    if all.checks.iter().any(|check| check.rows > 0) {
        lines.push(String::new());
        lines.extend(faults::table(&all, console.width));
    }
    lines.push(String::new());
    lines.push(format!("{}: {rows}, {faults} with faults", visible::counted(count as u64, "part")));
    match out {
        Some(mut out) => {
            out.put(summary::json(&all).as_bytes())?;
            sink::commit_all(vec![out])?;
        }
        None if shows => {
            let mut out = console::out();
            for line in &lines {
                writeln!(out, "{line}")?;
            }
            out.flush()?;
        }
        None => console::out().write_all(summary::json(&all).as_bytes())?,
    }
    if !shows && !args.quiet {
        lines.iter().for_each(|line| console.note(line));
    }
    if let (Some(path), false) = (&args.out, args.quiet) {
        console.note(&visible::without_controls(&format!("the summary of all is in {}", name_of(path))));
    }
    Ok(())
}

/// Reads a summary.
fn read(input: &Input) -> Result<Read, Failure> {
    /// What every version of a summary has.
    #[derive(Deserialize)]
    struct Versioned {
        version: u64,
    }
    let name = input.name();
    let bytes = input.read_whole(&Reading::default())?;
    let help = "name files that carve or check wrote with --summary";
    let version = match serde_json::from_slice::<Versioned>(&bytes) {
        Ok(Versioned { version }) => version,
        Err(error) => return Err(Failure::usage(format!("{name} is no summary: {error}"), help)),
    };
    if version != u64::from(VERSION) {
        let message = format!("{name} is a summary of version {version}, and this program reads version {VERSION}");
        return Err(Failure::usage(message, "make it again with this program"));
    }
    match serde_json::from_slice(&bytes) {
        Ok(summary) => Ok(Read { name, summary }),
        Err(error) => Err(Failure::usage(format!("{name} is no summary: {error}"), help)),
    }
}

/// Puts numbered parts in their order; others stay in that in which they were named.
fn in_order(mut parts: Vec<Read>) -> Result<Vec<Read>, Failure> {
    let Some((numbered, part)) = parts.iter().find_map(|read| Some((read.name.clone(), read.summary.part?))) else {
        return Ok(parts);
    };
    let other = parts.iter().find(|read| read.summary.part.is_none_or(|other| other.of != part.of));
    if let Some(Read { name, summary }) = other {
        let is = summary.part.map_or("of a whole run".to_owned(), |part| format!("of part {part}"));
        let message = format!("{numbered} is of part {part}, and {name} is {is}");
        return Err(Failure::usage(message, "merge all parts of one set, and nothing else"));
    }
    parts.sort_by_key(|read| read.summary.part);
    for (number, read) in (1..).zip(&parts) {
        let found = read.summary.part.map_or(number, |part| part.number);
        if found < number {
            let first = parts.iter().find(|other| other.summary.part == read.summary.part).map_or("", |other| &other.name);
            let message = format!("{first} and {} are both of part {}", read.name, Part { number: found, of: part.of });
            return Err(Failure::usage(message, "name each part once"));
        }
        if found > number {
            return Err(missing(Part { number, of: part.of }));
        }
    }
    match parts.len() as u32 {
        count if count < part.of => Err(missing(Part { number: count + 1, of: part.of })),
        _ => Ok(parts),
    }
}

fn missing(part: Part) -> Failure {
    Failure::usage(
        format!("the summary of part {part} is not there"),
        format!("name that of every part; --part {part} makes it"),
    )
}

/// One summary of all.
fn merged(parts: Vec<Read>) -> Result<Summary, Failure> {
    let mut all: Option<(String, Summary)> = None;
    for Read { name, summary } in parts {
        match &mut all {
            None => all = Some((name, summary)),
            Some((first, all)) => all.append(summary).map_err(|apart| refused(&apart, first, &name))?,
        }
    }
    match all {
        Some((_, mut all)) => {
            all.part = None;
            Ok(all)
        }
        None => Err(Failure::usage("there is no summary to merge", "name files that --summary wrote")),
    }
}

/// Why a summary is not put together with those before, of which `first` is the first.
fn refused(apart: &Apart, first: &str, name: &str) -> Failure {
    let span = |rows: &std::ops::Range<u64>| match rows.end.saturating_sub(rows.start) {
        0 | 1 => format!("row {}", visible::grouped(rows.start)),
        _ => format!("rows {} to {}", visible::grouped(rows.start), visible::grouped(rows.end - 1)),
    };
    let line = |of: &str, line: &Option<String>| match line {
        Some(line) => format!("\n  {of}: {line}"),
        None => format!("\n  {of}: (nothing more)"),
    };
    match apart {
        Apart::Programs(one, other) => Failure::usage(
            format!("{first} was made by version {one} of the program, and {name} by version {other}"),
            "make all parts with the same version",
        ),
        Apart::Asked(one, other) => Failure::usage(
            format!("{name} was made by another cut list than {first}:{}{}", line(first, one), line(name, other)),
            "make all parts with the same cut list",
        ),
        Apart::Listed(file) => Failure::usage(
            format!("{name} was made with other values in {file} than {first}"),
            format!("make all parts with the same {file}"),
        ),
        Apart::Columns(one, other) => Failure::usage(
            format!("{name} is of a table with other columns than {first}:\n  {first}: {one}\n  {name}: {other}"),
            "merge parts of one table",
        ),
        Apart::Compared => Failure::usage(
            "`unique` compares each row with all others, and these runs compared theirs only with their own",
            "ask for it in one run over all rows, and merge runs of a cut list without it",
        ),
        Apart::Twice(file, rows) => Failure::usage(
            format!("{} of {file} are in two of the summaries, {name} the second", span(rows)),
            "name each part once",
        ),
        Apart::Between(file, rows) => Failure::usage(
            format!("{} of {file} are in none of the summaries before {name}", span(rows)),
            "name the summaries of all parts, in the order of their rows",
        ),
        _ => Failure::usage(format!("{first} and {name} are not of one run"), "merge parts of one run"),
    }
}
