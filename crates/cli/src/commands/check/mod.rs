//! `check`: only the checks, as a table of faults.

mod render;

use std::io;

use keen_notch_io::carve::{Job, MadeBy};
use keen_notch_io::files::RunFiles;
use keen_notch_io::sink::Stream;

use crate::args::{self, CheckArgs};
use crate::commands::run::{self, Files, InputArgs};
use crate::commands::{against, database};
use crate::console::Console;
use crate::draw::{summary, verdict};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::progress::Progress;
use crate::rules::{Pieces, RuleArgs};

use render::CheckOutcome;

pub fn run(args: &CheckArgs, console: &Console) -> Result<Exit, Failure> {
    let rules = RuleArgs {
        lists: &args.lists,
        pieces: &args.pieces,
        keep: &args.rows_to_keep.keep,
        column: args.column.as_deref(),
        ..RuleArgs::of_faults(&args.faults)
    };
    let known = RunFiles::default();
    let pieces = Pieces::read(&rules, &known)?;
    let (inputs, _) = run::inputs(&args.files, InputArgs::to_read(&args.reading, &pieces.reading), &known, console)?;
    let then = args.against.as_deref().map(args::input);
    then.iter().try_for_each(|input| known.reads(input))?;
    let then = then.map(|input| Ok::<_, Failure>((against::last(&input)?, input.name()))).transpose()?;
    let session = database::session(None, &args.reading, &args.tables, &known)?;
    if !args.quiet && !run::writes_to_standard_output(&args.faults) {
        known.prints()?;
    }
    let reading = args.faults.reading(&args.reading, &pieces.reading)?;
    let mut files = Files::create((&args.faults, &args.tables), session.as_ref(), &known, &reading)?;
    let progress = Progress::of(&inputs, &reading.meter, args.quiet, true);
    let (mut table, carving) = run::open(
        &inputs,
        (&args.reading, &reading),
        &pieces,
        (args.column.as_deref(), args.part.part),
        (console, args.quiet),
    )?;
    let mut job = Job::new(carving, &table.header, &[], 0).without_rows().with_threads(args.threads.count());
    // Skip diagnostics that nobody will see.
    if !args.quiet {
        job = job.with_samples(args.rows).with_failing().with_diagnostics(run::diagnostics(&pieces));
    }
    let asked = job.checks().iter().filter(|check| !check.is_implied).count();
    if asked == 0 {
        return Err(Failure::usage(verdict::NO_CHECKS, "add `check = [\"required\"]` to a piece, or a layout or a proof"));
    }
    let report = files.carve(&mut table, &job, &mut Stream::new("nowhere", io::sink()))?;
    drop(progress);
    let made_by = MadeBy { part: args.part.part, ..pieces.made_by(args.column.as_deref()) };
    let summary = report.summary(&job, &table.header, made_by);
    files.finish(None, &summary::json(&summary))?;
    if !args.quiet {
        let then = then.as_ref().map(|(then, name)| (then, name.as_str()));
        let checked = CheckOutcome {
            args,
            rules: &rules,
            inputs: &inputs,
            pieces: &pieces,
            table: &table,
            job: &job,
            report: &report,
            summary: &summary,
            then,
        };
        checked.show(console)?;
    }
    run::say_replaced(&reading.meter, console, args.quiet);
    Ok(if report.totals.rows.with_faults > 0 { Exit::Faults } else { Exit::of_gaps(args.faults.fail_on, &summary) })
}
