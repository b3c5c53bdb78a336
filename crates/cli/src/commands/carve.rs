use std::collections::HashSet;
use std::io::{self, Write};
use std::path::Path;

use keen_notch_core::carving::OutColumn;
use keen_notch_core::column::{ColumnIndex, ColumnRef, Header};
use keen_notch_core::verdict::Verdict;
use keen_notch_io::carve::{Formulas, Job, MadeBy, Report};
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats::{self, FileFormat, Framing, Kind};
use keen_notch_io::sink::database::Session;
use keen_notch_io::sink::{self, Sink, Stream};
use keen_notch_io::source::input::Input;
use keen_notch_io::source::{Format, Reading};

use crate::args::{self, CarveArgs, FormatOrDatabase};
use crate::commands::database::{self, Written};
use crate::commands::pieces::{Pieces, RuleArgs};
use crate::commands::run::{self, Files};
use crate::console::{self, Console};
use crate::draw::rerun::Rerun;
use crate::draw::style::{self, paint};
use crate::draw::{hints, preview, shell, summary, verdict, visible};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::progress::Progress;

/// Output rows to show on a terminal.
const PREVIEW: usize = 10;

pub fn run(args: &CarveArgs, console: &Console) -> Result<Exit, Failure> {
    let rules = RuleArgs {
        lists: &args.lists,
        layouts: &args.faults.layouts,
        pieces: &args.pieces,
        checks: &args.faults.checks,
        keep: &args.rows_to_keep.keep,
        column: args.column.as_deref(),
        allow_outside: args.faults.allow_outside,
    };
    let known = RunFiles::default();
    let mut pieces = Pieces::read(&rules, &known)?;
    let to_database = matches!(args.to, Some(FormatOrDatabase::Database(_)));
    let reading_args = (&args.reading, &pieces.reading, to_database);
    let (inputs, table_name) = run::inputs(&args.files, reading_args, &known, console)?;
    args.out.iter().try_for_each(|out| args::refuse_address(out, "--to"))?;
    let written = Written::of(args, &inputs, table_name)?;
    pieces.take_places = !args.update.is_empty();
    pieces.compares_elsewhere = args.compare_column.is_some();
    let format_option = match (&written, &args.to) {
        (Some(_), _) => Some(FileFormat::DATABASE),
        (None, Some(FormatOrDatabase::Format(named))) => Some(*named),
        (None, _) => None,
    };
    let rows_to_file = args.out.as_ref().is_some_and(|path| !run::is_standard_output(path));
    let named = format_option.or(args.out.as_deref().map(FileFormat::of)).unwrap_or_default();
    let mut named = if rows_to_file { named } else { named.in_a_pipe() };
    let named_aside = match &args.tables.offcuts_table {
        Some(_) => FileFormat::DATABASE,
        None => args.faults.offcuts.as_deref().map(FileFormat::of).unwrap_or_default(),
    };
    // Rows that stay objects keep all their members.
    let keeps_objects = |named: FileFormat| matches!(named.kind, None | Some(Kind::JsonLines));
    let takes_all = !args.only_pieces && args.columns.is_none() && !keeps_objects(named);
    let reading = Reading {
        // Typed formats need the types before the first row.
        all_columns: takes_all || !keeps_objects(named_aside) || named.has_types(),
        ..args.faults.reading(&args.reading, &pieces.reading)?
    };
    formats::check_output(args.out.as_deref().unwrap_or(Path::new("standard output")), named)?;
    if let (Some(part), true) = (args.part.part, args.tables.replace) {
        let message = format!("with --replace, the table of part {part} would replace those of the earlier parts");
        return Err(Failure::usage(message, "add the rows of each part with --append"));
    }
    let session = database::session(written.as_ref(), &args.reading, &args.tables, &known)?;
    let out: Option<Box<dyn Sink>> = match (&args.out, &session, &written) {
        (Some(path), ..) => Some(sink::open_as(path, named, &known)?),
        (None, Some(session), Some(written)) => Some(Box::new(session.sink(written.target())?)),
        (None, ..) => known.prints().map(|()| None)?,
    };
    let mut files = Files::create((&args.faults, &args.tables), session.as_ref(), &known, &reading)?;
    let rows_to_file = rows_to_file || written.is_some();
    let progress = Progress::of(&inputs, &reading.meter, args.quiet, rows_to_file);
    let (mut table, carving) = run::open(
        &inputs,
        (&args.reading, &reading),
        &pieces,
        (args.column.as_deref(), args.part.part),
        (console, args.quiet),
    )?;
    let header = table.header.clone();
    let shown = if out.is_none() && console.shows_tables { PREVIEW } else { 0 };
    // The sink of a named output was created before the format was known.
    if let (None, Kind::Arrow(_), true) = (named.kind, table.format.kind(), out.is_none()) {
        named.kind = Some(Kind::Arrow(Framing::Stream));
    }
    if named.kind.is_none() && !table.format.goes_into_pipes() && shown == 0 {
        let help = match table.format.kind().ending() {
            "csv" => "name an output such as -o cut.csv, or add --to csv".to_owned(),
            ending => format!("name an output such as -o cut.{ending} or -o cut.csv, or add --to {ending} or --to csv"),
        };
        let why = format!("the output has no format, and the input is {}", table.format.name());
        return Err(Failure::usage(why, help));
    }
    let is_fixed = named.kind.unwrap_or(table.format.kind()) == Kind::FixedWidth;
    if args.writing.out_widths.is_some() && !is_fixed {
        let message =
            format!("--out-widths is for fixed-width text, and the output is {}", named.name().unwrap_or(table.format.name()));
        return Err(Failure::usage(message, "remove it, or write fixed-width text: --to fwf"));
    }
    if let Some(option) = args.writing.first().filter(|_| !named.is_text(&table.format)) {
        let out = args.out.as_deref().map_or("the output".to_owned(), |path| path.display().to_string());
        let message = format!("{option} is for delimited text, and {out} is {}", named.name().unwrap_or(table.format.name()));
        return Err(Failure::usage(message, "remove it, or write delimited text: --to csv"));
    }
    let originals = if args.update.is_empty() { originals(args, &header)? } else { database::keys(args, &carving, &header)? };
    let mut job = Job::new(carving, &header, &originals, shown)
        .with_formats(named, named_aside)
        .with_text_options(args.writing.options()?)
        .with_formulas(match (args.guard_formulas, args.quiet) {
            (true, _) => Formulas::Guarded,
            (false, false) => Formulas::Counted,
            (false, true) => Formulas::Ignored,
        })
        .with_threads(args.threads.count());
    // Skip diagnostics that nobody will see.
    if !args.quiet {
        job = job.with_diagnostics(run::diagnostics(&pieces));
    }
    let of_lists = [
        (&args.faults_column, OutColumn::Faults, "--faults-column"),
        (&args.compare_column, OutColumn::Compared, "--compare-column"),
    ];
    let mut of_lists =
        of_lists.into_iter().filter_map(|(title, column, option)| Some((title.as_ref()?, column, option))).peekable();
    if let Some((_, _, option)) = of_lists.peek().filter(|_| is_fixed) {
        let message = format!("a list of faults has no fixed width, so fixed-width text does not support {option}");
        return Err(Failure::usage(
            message,
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
        job = job.with_source_column(title, originals.len());
    }
    for (title, column, option) in of_lists {
        is_free(&job, title, option)?;
        job = job.with_list_column(column, title);
    }
    if !args.update.is_empty() {
        for column in database::compared(&job, &originals) {
            job = job.with_column_as_read(column, &format!("keen_notch_read_{column}"));
        }
    }
    if is_fixed {
        let widths = args.writing.out_widths.as_deref().or(pieces.widths.as_deref()).map(args::read_widths).transpose()?;
        let names: Vec<String> = inputs.iter().map(Input::name).collect();
        let width = |piece| pieces.wanted.width(piece);
        job = job.with_places(&table.format, widths.as_ref(), &width, &names)?;
    }
    let mut rows: Box<dyn Sink> = match out {
        Some(out) => out,
        None if shown > 0 => Box::new(Stream::new("nowhere", io::sink())),
        None => sink::made_as(sink::standard_output(), named)?,
    };
    let mut report = files.carve(&mut table, &job, &mut *rows)?;
    drop(progress);
    let refused = args.strict && report.counts.faulty > 0;
    let too_wide = if args.faults.offcuts.is_none() && args.tables.offcuts_table.is_none() { job.too_wide(&report) } else { 0 };
    // Rows on standard output stay; a file is not put in place.
    let is_kept = !(refused || too_wide > 0) || rows.is_final();
    if !is_kept {
        report.counts.rows_out = 0;
    }
    let made_by = MadeBy { part: args.part.part, ..pieces.made_by(args.column.as_deref()) };
    let summary = report.summary(&job, &header, made_by);
    files.finish(is_kept.then_some(rows), &summary::json(&summary))?;
    if shown > 0 {
        let ending = named.kind.unwrap_or(table.format.kind()).ending();
        let goes_into_pipes = named.kind.is_some() || table.format.goes_into_pipes();
        let mut stdout = console::out();
        for line in preview::draw(&report, &job, &header, (ending, goes_into_pipes), console.width) {
            writeln!(stdout, "{line}")?;
        }
        stdout.flush()?;
    }
    let again =
        Rerun { rules: &rules, inputs: &inputs, reading: &args.reading, ragged: args.faults.ragged, of_lists: &pieces.reading };
    if !args.quiet {
        summary::draw(&summary, console.width).iter().for_each(|line| console.note(line));
        hints::draw(&report, &job, &header, &pieces, &again, console.width).iter().for_each(|line| console.note(line));
        if !args.guard_formulas {
            hints::formulas(&report, &job, console.width).iter().for_each(|line| console.note(line));
        }
        run::say_replaced(&reading.meter, console, args.quiet);
        let out = written.as_ref().map(Written::outcome).or(args.out.as_deref().map(run::name_of));
        let beside = (&args.faults, &args.tables);
        let outcome = run::outcome(&report, (&inputs, args.part.part), (out.as_deref(), is_kept), beside);
        outcome.iter().for_each(|line| console.note(&textwrap::fill(line, console.width)));
        match summary.verdict(report.hints.len()) {
            // The outcome gives the number of rows with faults.
            Verdict::Faults | Verdict::Unchecked => {}
            found => console.note(&textwrap::fill(&verdict::words(&found, &summary), console.width)),
        }
        let added = session.as_ref().filter(|_| is_kept).map_or(Vec::new(), Session::added);
        if !added.is_empty() {
            console.note(&visible::without_controls(&format!("new columns in it: {}", added.join(", "))));
        }
        if let (Some(Kind::Workbook), Format::Workbook { sheet, .. }, true) = (named.kind, &table.format, is_kept) {
            let words = format!(
                "the output keeps values and number formats of the sheet {sheet:?}; formulas become their values, and charts and other sheets are lost"
            );
            console.note(&textwrap::fill(&visible::without_controls(&words), console.width));
        }
        if let Some(widths) = job.widths().filter(|_| is_kept) {
            let words = format!("its columns, to read it again: --widths {}", shell::quoted(&widths.to_string()));
            console.note(&visible::without_controls(&words));
        }
        if refused {
            let name = written.as_ref().map(|written| format!("the table {}", written.table));
            let name = name.or(args.out.as_deref().map(run::name_of));
            let what = name.filter(|_| rows_to_file).map_or(String::new(), |name| format!(", so {name} was not written"));
            console.note(&paint(style::LOOK, format!("--strict: the run found faults{what}")));
        }
    }
    if too_wide > 0 {
        return Err(too_wide_failure(&report, &job, &header, args));
    }
    Ok(if refused { Exit::Faults } else { Exit::of_gaps(args.faults.fail_on, &summary) })
}

fn too_wide_failure(report: &Report, job: &Job, header: &Header, args: &CarveArgs) -> Failure {
    let checks = job.carving().place_checks().filter(|check| report.checks[*check].count > 0);
    let columns: Vec<String> = checks
        .map(|check| {
            let (name, seen) = (&job.checks()[check], &report.checks[check]);
            let rows: Vec<String> = seen.rows.iter().take(3).map(|row| visible::grouped(*row)).collect();
            let more = if seen.count > rows.len() as u64 { " …" } else { "" };
            let of = match (name.piece, name.column) {
                (None, Some(column)) => header.title(column),
                _ => name.of.clone(),
            };
            let wider = name.words.trim_start_matches("no ");
            format!("{of} is {wider} characters in {} ({}{more})", visible::counted(seen.count, "row"), rows.join(", "))
        })
        .collect();
    let out = args.out.as_ref().filter(|path| !run::is_standard_output(path));
    let what = out.map_or("the output lacks them".to_owned(), |path| format!("{} was not written", path.display()));
    Failure::file(
        format!("some texts are wider than their columns, and {what}: {}", columns.join("; ")),
        "widen the columns, or set these rows aside with --offcuts FILE",
    )
}

fn originals(args: &CarveArgs, header: &Header) -> Result<Vec<usize>, Failure> {
    if args.only_pieces {
        return Ok(Vec::new());
    }
    let index = ColumnIndex::new(header);
    let find = |column: &String| index.find(&ColumnRef::parse(column));
    let without = args.without.iter().map(find).collect::<Result<HashSet<_>, _>>()?;
    match &args.columns {
        None => Ok((0..header.count()).filter(|column| !without.contains(column)).collect()),
        Some(columns) => {
            let (mut found, mut seen) = (Vec::with_capacity(columns.len()), HashSet::new());
            for column in columns {
                let index = find(column)?;
                if !seen.insert(index) {
                    let message = format!("--columns names {} twice", header.title(index));
                    return Err(Failure::usage(message, "name each column once"));
                }
                found.push(index);
            }
            Ok(found)
        }
    }
}
