//! `carve`: adds pieces to every row of a table.

mod each_stream;
mod originals;
mod plan;
mod render;
mod request;

use std::io;

use keen_notch_core::summary::Summary;
use keen_notch_io::carve::{Job, Report};
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats::database::sink::Session;
use keen_notch_io::formats::{self, FileFormat};
use keen_notch_io::sink::{self, Sink, Stream};

use crate::args::{CarveArgs, FormatOrDatabase};
use crate::commands::outputs::{Files, is_standard_output};
use crate::commands::request::Request;
use crate::commands::{database, watch};
use crate::console::Console;
use crate::draw::since::{self, FirstRows, RunOutcome};
use crate::draw::summary;
use crate::exit::Exit;
use crate::failure::Failure;
use crate::progress::Progress;

use render::CarveOutcome;
use request::CarveRequest;

const PREVIEW_ROWS: usize = 10;

pub fn run(args: &CarveArgs, console: &Console) -> Result<Exit, Failure> {
    if let Some(answer) = args.each_stream {
        return each_stream::run(args, answer, console);
    }
    if !args.watch {
        return once(args, console, &RunFiles::default(), None).map(|(exit, _)| exit);
    }
    let prints = args.out.as_deref().is_none_or(is_standard_output) && !matches!(args.to, Some(FormatOrDatabase::Database(_)));
    if prints && !console.shows_tables {
        let message = "--watch writes the rows again after each change, and standard output takes them only once";
        return Err(Failure::usage(message, "name an output file, such as -o cut.csv"));
    }
    watch::watch(|known, console, then| once(args, console, known, then).map(|(_, outcome)| outcome))
}

/// Runs once. `then` is the outcome of the last run, if the run is watched.
fn once(
    args: &CarveArgs,
    console: &Console,
    known: &RunFiles,
    then: Option<&RunOutcome>,
) -> Result<(Exit, RunOutcome), Failure> {
    let request = CarveRequest::read(args, known, console)?;
    if args.watch {
        can_watch(&request)?;
    }
    let Request { inputs, reading, .. } = &request.run;
    let session = database::session(request.written.as_ref(), &args.reading, &args.tables, known)?;
    let out = output(&request, session.as_ref(), known)?;
    let mut files = Files::create((&args.faults, &args.tables), session.as_ref(), known, reading)?;
    let progress = Progress::of(inputs, &reading.meter, args.quiet, request.has_named_output());
    let (mut table, carving) = request.run.open(console)?;
    if let Some(part) = request.run.part_to_compare(&carving) {
        plan::can_leave_comparing(args, part)?;
        files.add_hashes(&args.faults, part, known)?;
    }
    let shown = if out.is_none() && console.shows_tables { PREVIEW_ROWS } else { 0 };
    let named = plan::output_format(&request, &table, shown)?;
    // The next run compares the first rows. A run that keeps rows cannot copy the columns of Parquet files.
    let kept = if args.watch && !named.kind.is_some_and(|kind| kind.has_arrays) { PREVIEW_ROWS } else { shown };
    let job = plan::job(&request, &table, carving, named, kept)?;
    let mut rows: Box<dyn Sink> = match out {
        Some(out) => out,
        None if shown > 0 => Box::new(Stream::new("nowhere", io::sink())),
        None => formats::with_format(sink::standard_output(), named)?,
    };
    if named.kind.is_none() {
        // The format of the input, for an output whose name gives none.
        rows = formats::with_format(rows, FileFormat { kind: Some(named.of_output(&table.format)), compression: None })?;
    }
    let mut report = files.carve(&mut table, &job, &mut *rows)?;
    drop(progress);
    let is_refused = args.strict && report.totals.rows.with_faults > 0;
    let sets_aside = args.faults.offcuts.is_some() || args.tables.offcuts_table.is_some();
    let too_wide = if sets_aside { 0 } else { job.too_wide(&report) };
    // Rows on standard output stay; a file is not put in place.
    let is_kept = !(is_refused || too_wide > 0) || rows.is_final();
    if !is_kept {
        report.totals.rows.written = 0;
    }
    let summary = Summary { hashes: files.hashes_of(&report), ..report.summary(&job, &table.header, request.run.made_by()) };
    files.finish(is_kept.then_some(rows), &summary::json(&summary))?;
    let ended = CarveOutcome {
        request: &request,
        table: &table,
        job: &job,
        report: &report,
        summary: &summary,
        session: session.as_ref(),
        named,
        is_kept,
        is_refused,
    };
    if shown > 0 {
        ended.preview(console.width)?;
    }
    if !args.quiet {
        ended.notes(console);
    }
    let rows = (kept > 0).then(|| first_rows(&report, &job));
    if too_wide > 0 {
        return Err(render::too_wide_failure(&report, &job, &table.header, args));
    }
    let exit = if is_refused { Exit::Faults } else { Exit::of_gaps(args.faults.fail_on, &summary) };
    let outcome = RunOutcome { summary, rows };
    if let Some(then) = then {
        since::lines(then, &outcome, console.width).iter().for_each(|line| console.note(line));
    }
    Ok((exit, outcome))
}

/// Refuses to watch what changes with each run, or is no file.
fn can_watch(request: &CarveRequest) -> Result<(), Failure> {
    if request.written.is_some() || request.args.tables.first().is_some() {
        return Err(Failure::usage(
            "--watch writes files, and no tables of a database",
            "name an output file, such as -o cut.csv",
        ));
    }
    watch::can_watch(&request.run.inputs)
}

fn first_rows(report: &Report, job: &Job) -> FirstRows {
    let cells = report.preview.iter().map(|row| row.iter().map(|cell| cell.text.clone()).collect()).collect();
    FirstRows { titles: job.titles().to_vec(), cells }
}

/// The sink of a named output or a table; `None` for standard output.
fn output(request: &CarveRequest, session: Option<&Session>, known: &RunFiles) -> Result<Option<Box<dyn Sink>>, Failure> {
    match (&request.args.out, session, &request.written) {
        (Some(path), ..) => Ok(Some(formats::create_as(path, request.named, known)?)),
        (None, Some(session), Some(written)) => Ok(Some(Box::new(session.sink(written.target())?))),
        (None, ..) => Ok(known.prints().map(|()| None)?),
    }
}
