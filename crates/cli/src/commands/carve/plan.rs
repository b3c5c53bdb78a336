//! The job of a run, once the table is open.

use keen_notch_core::carving::{Carving, OutColumn};
use keen_notch_core::summary::Part;
use keen_notch_io::carve::{Formulas, Job};
use keen_notch_io::formats::FileFormat;
use keen_notch_io::table::Table;

use super::originals::OriginalColumns;
use super::request::CarveRequest;
use crate::args::{self, CarveArgs};
use crate::commands::database;
use crate::failure::Failure;

/// The output format, which can follow that of the table. `shown` rows are shown on a terminal instead of written.
pub fn output_format(request: &CarveRequest, table: &Table, shown: usize) -> Result<FileFormat, Failure> {
    let (args, mut named) = (request.args, request.named);
    // The sink of a named output was created before the format was known.
    if named.kind.is_none() && !request.has_sink() {
        named.kind = table.format.kind().in_a_pipe;
    }
    if named.kind.is_none() && !table.format.kind().goes_into_pipes && shown == 0 {
        let help = match table.format.kind().ending() {
            "csv" => "name an output such as -o cut.csv, or add --to csv".to_owned(),
            ending => format!("name an output such as -o cut.{ending} or -o cut.csv, or add --to {ending} or --to csv"),
        };
        let why = format!("the output has no format, and the input is {}", table.format.name());
        return Err(Failure::usage(why, help));
    }
    let name = || named.name().unwrap_or(table.format.name());
    if args.writing.out_widths.is_some() && !is_fixed(named, table) {
        let message = format!("--out-widths is for fixed-width text, and the output is {}", name());
        return Err(Failure::usage(message, "remove it, or write fixed-width text: --to fwf"));
    }
    if let Some(option) =
        args.writing.first().filter(|_| !named.kind.map_or(table.format.delimiter().is_some(), |kind| kind.is_delimited()))
    {
        let out = args.out.as_deref().map_or("the output".to_owned(), |path| path.display().to_string());
        let message = format!("{option} is for delimited text, and {out} is {}", name());
        return Err(Failure::usage(message, "remove it, or write delimited text: --to csv"));
    }
    Ok(named)
}

/// Checks that the outputs of a part do not depend on duplicates in other parts.
pub fn can_leave_comparing(args: &CarveArgs, part: Part) -> Result<(), Failure> {
    let options = [(args.strict, "--strict"), (args.faults_column.is_some(), "--faults-column")];
    match options.into_iter().find(|(is_given, _)| *is_given) {
        None => Ok(()),
        Some((_, option)) => {
            let message =
                format!("{option} needs the faults of all rows, and part {part} cannot compare its rows with the others");
            Err(Failure::usage(message, format!("remove {option}, or the checks with `unique`")))
        }
    }
}

fn is_fixed(named: FileFormat, table: &Table) -> bool {
    named.kind.unwrap_or(table.format.kind()).needs_positions
}

/// The job in this output format.
pub fn job(request: &CarveRequest, table: &Table, carving: Carving, named: FileFormat, shown: usize) -> Result<Job, Failure> {
    let CarveRequest { args, run, .. } = request;
    let header = &table.header;
    let wanted = if args.update.is_empty() {
        OriginalColumns::of(args, header)?
    } else {
        OriginalColumns { columns: database::keys(args, &carving, header)?, titles: Vec::new() }
    };
    let originals = &wanted.columns;
    let mut job = Job::new(carving, header, originals, shown)
        .with_folders(table.folders())
        .with_formats(named, request.named_aside)
        .with_text_options(args.writing.options()?)
        .with_formulas(match (args.guard_formulas, args.quiet) {
            (true, _) => Formulas::Guarded,
            (false, false) => Formulas::Counted,
            (false, true) => Formulas::Ignored,
        })
        .with_threads(args.threads.count());
    // Skip diagnostics that nobody will see.
    if !args.quiet {
        job = job.with_diagnostics(run.diagnostics());
    }
    job = with_added_columns(job, args, originals.len(), is_fixed(named, table))?;
    let has_header = args.writing.has_header(header);
    let is_headless = named.kind.map_or(table.format.delimiter().is_some(), |kind| kind.is_delimited()) && !has_header;
    job = wanted.rename(job, header, is_headless)?;
    if !args.update.is_empty() {
        for column in database::compared(&job, originals) {
            job = job.with_column_as_read(column, &format!("keen_notch_read_{column}"));
        }
    }
    if is_fixed(named, table) {
        let widths = args.writing.out_widths.as_deref().or(run.pieces.widths.as_deref()).map(args::read_widths).transpose()?;
        let width = |piece| run.pieces.wanted.width(piece);
        job = job.with_places(&table.format, widths.as_ref(), &width, &table.inputs)?;
    }
    Ok(job)
}

fn with_added_columns(mut job: Job, args: &CarveArgs, originals: usize, is_fixed: bool) -> Result<Job, Failure> {
    let lists = [
        (&args.faults_column, OutColumn::Faults, "--faults-column"),
        (&args.compare_column, OutColumn::Compared, "--compare-column"),
    ];
    let mut lists = lists.into_iter().filter_map(|(title, column, option)| Some((title.as_ref()?, column, option))).peekable();
    if let Some((_, _, option)) = lists.peek().filter(|_| is_fixed) {
        return Err(Failure::usage(
            format!("a list of faults has no fixed width, so fixed-width text does not support {option}"),
            "write another format, such as --to csv; --faults FILE writes the faults to a separate file",
        ));
    }
    let is_free = |job: &Job, title: &String, option: &str| match job.titles().contains(title) {
        true => {
            let message = format!("two columns of the output would have the name {title}");
            Err(Failure::usage(message, format!("give {option} another name")))
        }
        false => Ok(()),
    };
    if let Some(title) = &args.file_column {
        is_free(&job, title, "--file-column")?;
        job = job.with_source_column(title, originals);
    }
    for (title, column, option) in lists {
        is_free(&job, title, option)?;
        job = job.with_list_column(column, title);
    }
    Ok(job)
}
