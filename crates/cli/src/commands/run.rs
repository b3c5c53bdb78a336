//! Shared code of `carve` and `check`: inputs, pieces, checks and output files.

use std::io::{self, IsTerminal};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use keen_notch_core::carving::Carving;
use keen_notch_core::cutlist::Reading as ListReading;
use keen_notch_core::diagnostics::Diagnostics;
use keen_notch_core::summary::Part;
use keen_notch_io::carve::{Job, Outs, Report, carve, measure};
use keen_notch_io::faults::{FaultFile, fault_table};
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats::database::Target;
use keen_notch_io::formats::database::sink::Session;
use keen_notch_io::formats::workbook::OpenedSheet;
use keen_notch_io::formats::{self, FileFormat};
use keen_notch_io::sink::{self, Sink};
use keen_notch_io::source::input::Input;
use keen_notch_io::source::meter::Meter;
use keen_notch_io::source::{Ragged, Reading};
use keen_notch_io::table::Table;

use crate::args::{self, FaultArgs, ReadingArgs, TableArgs, refuse_address};
use crate::console::Console;
use crate::draw::style::{self, paint};
use crate::draw::visible;
use crate::failure::Failure;
use crate::rules::Pieces;

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
    let inputs: Vec<Input> =
        if paths.is_empty() { vec![Input::Stdin] } else { paths.iter().map(|path| args::input(path)).collect() };
    inputs.iter().try_for_each(|input| files.reads(input))?;
    if inputs.iter().filter(|input| **input == Input::Stdin).count() > 1 {
        return Err(Failure::usage("standard input is named twice", "name - once: it can be read only once"));
    }
    if inputs.contains(&Input::Stdin) && io::stdin().is_terminal() {
        console.note("reading standard input from the terminal; end it with Ctrl-D");
    }
    Ok((inputs, written))
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

/// Diagnostics for pieces, with the current date if necessary. Finding the date takes longer than a short run.
pub fn diagnostics(pieces: &Pieces) -> Diagnostics {
    let diagnostics = Diagnostics::new(&pieces.wanted.pieces);
    match diagnostics.give_dates() {
        true => diagnostics.with_today(jiff::Zoned::now().date().to_string()),
        false => diagnostics,
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

/// Opens the inputs and binds the pieces. Counts the columns of pieces with `columns = "auto"` first.
pub fn open(
    inputs: &[Input],
    reading: (&ReadingArgs, &Reading),
    pieces: &Pieces,
    (column, part): (Option<&str>, Option<Part>),
    (console, quiet): (&Console, bool),
) -> Result<(Table, Carving), Failure> {
    can_be_parted(inputs, part)?;
    let mut table = self::table(inputs, reading, console, quiet)?;
    let mut carving = table.find(|header| pieces.bind(column, header))?;
    if let Some(part) = part {
        let refused = |why: &str, help| Err(Failure::usage(format!("{why}, and part {part} has only some of them"), help));
        if let Some(piece) = carving.auto_pieces().first() {
            let why = format!("how many columns {} fills depends on all rows", carving.name(*piece));
            return refused(&why, "say how many columns, such as `columns = 3`");
        }
        if carving.looks_back() {
            let help = "use it in one run over all rows, with a separate cut list";
            return refused("`unique` compares each row with all others", help);
        }
        table.take_part(part)?;
    }
    if let [first, ..] = carving.auto_pieces().as_slice() {
        let why = format!("how many columns {} fills depends on the data, which must be read twice", carving.name(*first));
        read_twice(inputs, &why, "save it as a file and name that, or say how many columns")?;
        for (piece, columns) in measure(&mut table, &carving)? {
            carving.set_columns(piece, columns);
        }
        if let Some((_, title)) = carving.doubled_title(&table.header) {
            return Err(Failure::usage(
                format!("two columns of the output would have the name {title}"),
                "use another name for the piece",
            ));
        }
        table = table.again()?;
    }
    Ok((table, carving))
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

pub struct Files {
    offcuts: Option<Box<dyn Sink>>,
    faults: Option<(Box<dyn Sink>, FileFormat)>,
    summary: Option<Box<dyn Sink>>,
}

impl Files {
    pub fn create(
        (args, tables): (&FaultArgs, &TableArgs),
        session: Option<&Session>,
        files: &RunFiles,
        reading: &Reading,
    ) -> Result<Files, Failure> {
        if reading.ragged == Ragged::SetAside && args.offcuts.is_none() && tables.offcuts_table.is_none() {
            return Err(Failure::usage(
                "--ragged set-aside needs a file for rows with too few or too many cells",
                "add --offcuts FILE",
            ));
        }
        for path in [&args.offcuts, &args.faults, &args.summary].into_iter().flatten() {
            refuse_address(path, "--to")?;
        }
        let paths = [args.offcuts.as_deref(), args.faults.as_deref()].into_iter().flatten();
        paths.into_iter().try_for_each(|path| formats::check_output(path, FileFormat::of(path)))?;
        let of_faults = match &tables.faults_table {
            Some(_) => Some(FileFormat::DATABASE),
            None => args.faults.as_deref().map(FileFormat::of),
        };
        of_faults.map_or(Ok(()), |named| fault_table(named).map(drop))?;
        let sink = |path: &Option<PathBuf>, table: &Option<String>| -> Result<Option<Box<dyn Sink>>, Failure> {
            match (path, table, session) {
                (_, Some(table), Some(session)) => {
                    Ok(Some(Box::new(session.sink(Target { table: table.clone(), how: tables.how() })?)))
                }
                (Some(path), ..) => Ok(Some(formats::create_as(path, FileFormat::of(path), files)?)),
                _ => Ok(None),
            }
        };
        Ok(Files {
            offcuts: sink(&args.offcuts, &tables.offcuts_table)?,
            faults: sink(&args.faults, &tables.faults_table)?.zip(of_faults),
            summary: args.summary.as_deref().map(|path| formats::create(path, files)).transpose()?,
        })
    }

    pub fn carve(&mut self, table: &mut Table, job: &Job, rows: &mut dyn Sink) -> Result<Report, Failure> {
        let header = table.header.clone();
        let faults = match &mut self.faults {
            Some((out, named)) => Some(FaultFile::new(&mut **out, *named, &header, table.is_continued())?),
            None => None,
        };
        let offcuts = self.offcuts.as_mut().map(|out| &mut **out as &mut dyn Sink);
        Ok(carve(table, job, &mut Outs { rows, offcuts, faults })?)
    }

    /// Writes the summary and puts the outputs in place: `rows` first, if they are kept.
    pub fn finish(mut self, rows: Option<Box<dyn Sink>>, summary: &str) -> Result<(), Failure> {
        if let Some(out) = &mut self.summary {
            out.put(summary.as_bytes())?;
        }
        let others = self.offcuts.into_iter().chain(self.faults.map(|(out, _)| out)).chain(self.summary);
        Ok(sink::commit_all(rows.into_iter().chain(others).collect())?)
    }
}

/// Whether the name of an output means standard output.
pub fn is_standard_output(path: &Path) -> bool {
    path.as_os_str() == "-"
}

pub fn writes_to_standard_output(args: &FaultArgs) -> bool {
    [&args.offcuts, &args.faults, &args.summary].into_iter().flatten().any(|path| is_standard_output(path))
}

/// The input and output of a run, in one or more lines. `out` is the output of the rows, and `is_kept` is whether they exist.
pub fn outcome(
    report: &Report,
    (inputs, part): (&[Input], Option<Part>),
    (out, is_kept): (Option<&str>, bool),
    (args, tables): (&FaultArgs, &TableArgs),
) -> Vec<String> {
    let counts = &report.totals.rows;
    let rows = match counts.read {
        0 if part.is_some() => "no rows: they belong to other parts".to_owned(),
        0 => "no rows, only a header".to_owned(),
        rows => visible::counted(rows, "row"),
    };
    let mut line = format!("{}: {rows}", names_of_part(inputs, part));
    if counts.left_out > 0 {
        line += &format!(", {} left out", visible::grouped(counts.left_out));
    }
    let to = out.map_or(String::new(), |name| format!(" to {name}"));
    if !is_kept {
        line += ", none written";
    } else if counts.kept < counts.read {
        line += &format!(", {} written{to}", visible::grouped(counts.kept));
    } else if counts.written != counts.kept || out.is_some() {
        line += ", written";
    }
    if is_kept && counts.written != counts.kept {
        line += &format!(" as {}", visible::counted(counts.written, "row"));
    }
    if is_kept && counts.kept == counts.read {
        line += &to;
    }
    let mut lines = vec![line];
    if counts.with_faults > 0 {
        let name = |path: &Option<PathBuf>, table: &Option<String>| {
            table.as_ref().map(|table| format!("the table {table}")).or(path.as_deref().map(name_of))
        };
        let aside = name(&args.offcuts, &tables.offcuts_table).map_or(String::new(), |name| format!(", set aside in {name}"));
        let listed_in =
            name(&args.faults, &tables.faults_table).map_or(String::new(), |name| format!("; each fault is in {name}"));
        lines.push(format!("{} with faults{aside}{listed_in}", visible::counted(counts.with_faults, "row")));
    }
    lines.iter().map(|line| visible::without_controls(line)).collect()
}

pub fn name_of(path: &Path) -> String {
    if is_standard_output(path) { "standard output".to_owned() } else { path.display().to_string() }
}
