//! The inputs of a command, opened as a table, and notes about assumptions.

use std::io::{self, IsTerminal};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use keen_notch_core::cutlist::Reading as ListReading;
use keen_notch_core::summary::Part;
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats::workbook::OpenedSheet;
use keen_notch_io::found::{self, FoundFiles};
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use keen_notch_io::source::meter::Meter;
use keen_notch_io::table::Table;

use crate::args::{self, FormatOrDatabase, ReadingArgs, refuse_address};
use crate::console::Console;
use crate::draw::style::{self, paint};
use crate::draw::visible;
use crate::failure::Failure;

/// The options about inputs, and the settings of the cut lists.
#[derive(Clone, Copy)]
pub struct InputArgs<'a> {
    pub reading: &'a ReadingArgs,
    pub list: &'a ListReading,
    /// Whether the command can write a table of a database.
    pub writes_table: bool,
}

impl<'a> InputArgs<'a> {
    /// For a command that writes no table.
    pub fn to_read(reading: &'a ReadingArgs, list: &'a ListReading) -> InputArgs<'a> {
        InputArgs { reading, list, writes_table: false }
    }
}

/// The inputs of a run: from the command line, or a database of an option or cut list. With `writes_table`, also returns the output
/// table.
pub fn inputs(
    paths: &[PathBuf],
    InputArgs { reading: args, list, writes_table }: InputArgs,
    files: &RunFiles,
    console: &Console,
) -> Result<(Vec<Input>, Option<String>), Failure> {
    let (relation, others) = args.relation(list)?;
    let written = match (writes_table, others) {
        (_, []) if !writes_table => None,
        (true, [table]) => Some(table.clone()),
        (true, []) => {
            let help = match relation {
                None => "add --table NAME",
                Some(_) => "give --table twice: first the table to read, then the table to write; or once, with --query",
            };
            return Err(Failure::usage("no output table given", help));
        }
        (_, others) => {
            let table = others.last().map_or("", String::as_str);
            let help = match relation {
                None => "name the database, such as --from sqlite:yard.db or --to sqlite:yard.db, or leave the option out",
                Some(_) => "remove it; or to write the table, name its database, such as --to sqlite:yard.db",
            };
            return Err(Failure::usage(format!("--table {table} is neither read nor written"), help));
        }
    };
    if let Some(relation) = relation {
        if let Some(path) = paths.first() {
            let message = format!("--from names the database {}, and {} is an input too", relation.address, path.display());
            return Err(Failure::usage(message, "remove the file, or name its format, such as --from csv"));
        }
        if let Some(file) = relation.address.path() {
            files.reads(&Input::File(file.to_owned()))?;
        }
        return Ok((vec![Input::Database(Arc::new(relation))], written));
    }
    paths.iter().try_for_each(|path| refuse_address(path, "--from"))?;
    let inputs = match (paths, &args.files_from) {
        ([], None) => vec![Input::Stdin],
        (paths, listed) => {
            let listed = listed.as_deref().map(listed_files).transpose()?.unwrap_or_default();
            found_files(&[paths, &listed].concat(), args, console)?
        }
    };
    inputs.iter().try_for_each(|input| files.reads(input))?;
    if inputs.iter().filter(|input| **input == Input::Stdin).count() > 1 {
        return Err(Failure::usage("standard input is named twice", "name - once: it can be read only once"));
    }
    if inputs.contains(&Input::Stdin) && io::stdin().is_terminal() {
        console.note("reading standard input from the terminal; end it with Ctrl-D");
    }
    Ok((inputs, written))
}

/// The files of paths. Some paths are folders or patterns.
fn found_files(paths: &[PathBuf], args: &ReadingArgs, console: &Console) -> Result<Vec<Input>, Failure> {
    let named = if let Some(FormatOrDatabase::Format(named)) = args.from { Some(named) } else { None };
    let mut inputs = Vec::new();
    for path in paths {
        let input = args::input(path);
        if input == Input::Stdin {
            inputs.push(input);
            continue;
        }
        let FoundFiles { files, left_out } = found::files(path, named)?;
        if left_out > 0 {
            let words =
                format!("{}: {} with other endings left out", path.display(), visible::counted(left_out as u64, "file"));
            console.note(&visible::without_controls(&words));
        }
        inputs.extend(files.into_iter().map(Input::File));
    }
    Ok(inputs)
}

/// The names in a file, one per line. Lines without a name do not count.
fn listed_files(path: &Path) -> Result<Vec<PathBuf>, Failure> {
    let name = path.display().to_string();
    let text = match path.as_os_str() == "-" {
        true => io::read_to_string(io::stdin()),
        false => std::fs::read_to_string(path),
    };
    let text = text.map_err(|source| keen_notch_io::Error::Read { name: name.clone(), source })?;
    let names: Vec<PathBuf> = text.lines().filter(|line| !line.trim().is_empty()).map(PathBuf::from).collect();
    if names.is_empty() {
        return Err(Failure::usage(format!("{name} names no file"), "write a name on each line"));
    }
    Ok(names)
}

/// Refuses inputs that can be read only once. `why` is a clause about the inputs.
pub fn read_twice(inputs: &[Input], why: &str, help: &str) -> Result<(), Failure> {
    match inputs.iter().find(|input| input.is_read_once()) {
        None => Ok(()),
        Some(Input::Stdin) => Err(Failure::usage(format!("{why}, and standard input is read only once"), help)),
        Some(input) => {
            Err(Failure::usage(format!("{why}, and {} is no ordinary file: it is read only once", input.name()), help))
        }
    }
}

pub fn can_be_parted(inputs: &[Input], part: Option<Part>) -> Result<(), Failure> {
    let other = inputs.iter().find(|input| input.is_read_once() || input.path().is_none());
    match other.filter(|_| part.is_some()) {
        None => Ok(()),
        Some(input) => {
            let message = format!("--part needs a file, and {} is not a file", input.name());
            Err(Failure::usage(message, "save it as a file and name that"))
        }
    }
}

pub fn names(inputs: &[Input]) -> String {
    let names: Vec<_> = inputs.iter().map(Input::name).collect();
    if names.len() > 3 { format!("{} files", names.len()) } else { names.join(", ") }
}

/// The same, with the part.
pub fn names_of_part(inputs: &[Input], part: Option<Part>) -> String {
    names(inputs) + &part.map_or(String::new(), |part| format!(", part {part}"))
}

/// Opens the inputs as a table, and reports assumptions.
pub fn table(
    inputs: &[Input],
    (args, reading): (&ReadingArgs, &Reading),
    console: &Console,
    quiet: bool,
) -> Result<Table, Failure> {
    let table = Table::open(inputs, reading)?;
    if let Some((option, what)) = args.first_out_of_place(&table.format) {
        let of = inputs.first().map_or(String::new(), Input::name);
        let message = format!("{option} is for {what}, and {of} is read as {}", table.format.name());
        return Err(Failure::usage(message, "remove it, or name the format of the input, such as --from csv"));
    }
    if let (Some(OpenedSheet { title, sheets: 2.. }), None, false) = (table.format.get(), &reading.sheet, quiet) {
        let of = inputs.first().map_or(String::new(), Input::name);
        let words = format!("{of} has several sheets: {title:?}, the first, is read (for another: --sheet NAME)");
        console.note(&textwrap::fill(&visible::without_controls(&words), console.width));
    }
    if let Some(delimiter) = table.format.guessed_delimiter().filter(|_| !quiet) {
        let of = inputs.first().map_or(String::new(), Input::name);
        let words = format!(
            "{of} has no comma in its header; assumed delimiter: {} (to change it: --delimiter)",
            if delimiter == "tab" { delimiter } else { format!("\"{delimiter}\"") }
        );
        console.note(&textwrap::fill(&visible::without_controls(&words), console.width));
    }
    Ok(table)
}

/// Reports inexact input: replaced invalid bytes, and long numbers in workbooks.
pub fn say_replaced(meter: &Meter, console: &Console, quiet: bool) {
    if meter.imprecise() > 0 && !quiet {
        let words = format!(
            "{} with more than 15 digits: the workbook stores 15 and has lost the others; such codes must be text there",
            match meter.imprecise() {
                1 => "1 number".to_owned(),
                numbers => visible::counted(numbers, "number"),
            }
        );
        console.note(&paint(style::LOOK, textwrap::fill(&words, console.width)));
    }
    let undated = meter.undated();
    if undated.count > 0 && !quiet {
        let more = if undated.count > undated.first.len() as u64 { " …" } else { "" };
        let words = format!(
            "hint: {} of the workbook have a date format and a number that is not a date, such as {}{more}: the number is read",
            visible::counted(undated.count, "cell"),
            undated.first.join(", ")
        );
        let words =
            textwrap::fill(&words.replacen("1 cell of the workbook have", "1 cell of the workbook has", 1), console.width);
        console.note(&paint(style::LOOK, words));
    }
    let replaced = meter.replaced();
    if replaced > 0 && !quiet {
        let words = format!(
            "in {}, invalid bytes were read as U+FFFD; to see the first one, remove --encoding-errors",
            visible::counted(replaced, "place")
        );
        console.note(&paint(style::LOOK, textwrap::fill(&words, console.width)));
    }
}
