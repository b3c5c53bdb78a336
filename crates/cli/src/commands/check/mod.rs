//! `check`: only the checks, as a table of faults.

mod render;

use std::io;

use keen_notch_core::carving::Carving;
use keen_notch_core::summary::Summary;
use keen_notch_io::carve::Job;
use keen_notch_io::files::RunFiles;
use keen_notch_io::sink::Stream;
use keen_notch_io::table::Table;

use crate::args::{self, CheckArgs};
use crate::commands::inputs::say_replaced;
use crate::commands::outputs::{Files, writes_to_standard_output};
use crate::commands::request::{Asked, Request};
use crate::commands::{against, database, watch};
use crate::console::Console;
use crate::draw::since::{self, RunOutcome};
use crate::draw::{summary, verdict};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::progress::Progress;
use crate::rules::RuleArgs;

use render::CheckOutcome;

pub fn run(args: &CheckArgs, console: &Console) -> Result<Exit, Failure> {
    match args.watch {
        true => watch::watch(|known, console, last| once(args, console, known, last).map(|(_, outcome)| outcome)),
        false => once(args, console, &RunFiles::default(), None).map(|(exit, _)| exit),
    }
}

/// Runs once. `last` is the outcome of the last run, if the run is watched.
fn once(
    args: &CheckArgs,
    console: &Console,
    known: &RunFiles,
    last: Option<&RunOutcome>,
) -> Result<(Exit, RunOutcome), Failure> {
    let request = Request::read(asked(args), known, console)?;
    if args.watch {
        watch::can_watch(&request.inputs)?;
    }
    let then = then(args, known)?;
    let session = database::session(None, &args.reading, &args.tables, known)?;
    if !args.quiet && !writes_to_standard_output(&args.faults) {
        known.prints()?;
    }
    let Request { inputs, reading, .. } = &request;
    let mut files = Files::create((&args.faults, &args.tables), session.as_ref(), known, reading)?;
    let progress = Progress::of(inputs, &reading.meter, args.quiet, true);
    let (mut table, carving) = request.open(console)?;
    if let Some(part) = request.part_to_compare(&carving) {
        files.add_hashes(&args.faults, part, known)?;
    }
    let job = plan(args, &request, &table, carving)?;
    let report = files.carve(&mut table, &job, &mut Stream::new("nowhere", io::sink()))?;
    drop(progress);
    let summary = Summary { hashes: files.hashes_of(&report), ..report.summary(&job, &table.header, request.made_by()) };
    files.finish(None, &summary::json(&summary))?;
    if !args.quiet {
        let then = then.as_ref().map(|(then, name)| (then, name.as_str()));
        let (request, table, job, report, summary) = (&request, &table, &job, &report, &summary);
        CheckOutcome { args, request, table, job, report, summary, then }.show(console)?;
    }
    say_replaced(&reading.meter, console, args.quiet);
    let has_faults = report.totals.rows.with_faults > 0;
    let exit = if has_faults { Exit::Faults } else { Exit::of_gaps(args.faults.fail_on, &summary) };
    let outcome = RunOutcome { summary, rows: None };
    if let Some(last) = last {
        since::lines(last, &outcome, console.width).iter().for_each(|line| console.note(line));
    }
    Ok((exit, outcome))
}

fn asked(args: &CheckArgs) -> Asked<'_> {
    Asked {
        rules: RuleArgs {
            lists: &args.lists,
            pieces: &args.pieces,
            keep: &args.rows_to_keep.keep,
            column: args.column.as_deref(),
            ..RuleArgs::of_faults(&args.faults)
        },
        files: &args.files,
        reading: &args.reading,
        ragged: args.faults.ragged,
        part: args.part.part,
        quiet: args.quiet,
        writes_table: false,
    }
}

/// The summary of `--against` with its name.
fn then(args: &CheckArgs, known: &RunFiles) -> Result<Option<(Summary, String)>, Failure> {
    let Some(input) = args.against.as_deref().map(args::input) else { return Ok(None) };
    known.reads(&input)?;
    Ok(Some((against::last(&input)?, input.name())))
}

fn plan(args: &CheckArgs, request: &Request, table: &Table, carving: Carving) -> Result<Job, Failure> {
    let mut job = Job::new(carving, &table.header, &[], 0).without_rows().with_threads(args.threads.count());
    // Skip diagnostics that nobody will see.
    if !args.quiet {
        job = job.with_samples(args.rows).with_failing().with_diagnostics(request.diagnostics());
    }
    match job.checks().iter().any(|check| !check.is_implied) {
        true => Ok(job),
        false => Err(Failure::usage(verdict::NO_CHECKS, "add `check = [\"required\"]` to a piece, or a layout or a proof")),
    }
}
