use std::io::{self, Write};

use keen_notch_core::verdict::Verdict;
use keen_notch_io::carve::{Job, MadeBy};
use keen_notch_io::files::RunFiles;
use keen_notch_io::sink::Stream;

use crate::args::{self, CheckArgs};
use crate::commands::pieces::{Pieces, RuleArgs};
use crate::commands::run::{self, Files};
use crate::commands::{against, database};
use crate::console::{self, Console};
use crate::draw::rerun::Rerun;
use crate::draw::style::{self, paint};
use crate::draw::{faults, hints, summary, verdict, visible};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::progress::Progress;

pub fn run(args: &CheckArgs, console: &Console) -> Result<Exit, Failure> {
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
    let pieces = Pieces::read(&rules, &known)?;
    let (inputs, _) = run::inputs(&args.files, (&args.reading, &pieces.reading, false), &known, console)?;
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
    let header = table.header.clone();
    let mut job = Job::new(carving, &header, &[], 0).without_rows().with_threads(args.threads.count());
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
    let summary = report.summary(&job, &header, made_by);
    files.finish(None, &summary::json(&summary))?;
    let again =
        Rerun { rules: &rules, inputs: &inputs, reading: &args.reading, ragged: args.faults.ragged, of_lists: &pieces.reading };
    if !args.quiet {
        // If standard output is an output file, readable text goes to standard error.
        let mut out: Box<dyn Write> = match run::writes_to_standard_output(&args.faults) {
            true => Box::new(console::err()),
            false => Box::new(console::out()),
        };
        let verdict = summary.verdict(report.hints.len());
        let passed = matches!(verdict, Verdict::Passed { .. });
        for line in verdict::empty_inputs(&summary) {
            writeln!(out, "{}", paint(style::LOOK, line))?;
        }
        let then_wrong = then.as_ref().is_some_and(|(then, _)| then.checks.iter().any(|check| check.rows > 0));
        if (!passed && summary.rows.read > 0) || then_wrong {
            for line in faults::table(&summary, then.as_ref().map(|(then, _)| then), console.width) {
                writeln!(out, "{line}")?;
            }
        }
        if let Some((then, name)) = &then {
            let words = format!("then: {name}, {}", verdict::words(&Verdict::Faults, then));
            writeln!(out, "{}", visible::without_controls(&words))?;
            if let Some(line) = faults::not_asked_any_more(&summary, then) {
                writeln!(out, "{}", paint(style::LOOK, line))?;
            }
        }
        if !passed {
            for line in faults::failing(&report, &job, console.width) {
                writeln!(out, "{line}")?;
            }
            for sample in &report.samples {
                writeln!(out)?;
                for line in faults::sample(sample, &report, &job, (&header, &table.format), console.width) {
                    writeln!(out, "{line}")?;
                }
            }
            if !report.hints.is_empty() {
                writeln!(out)?;
            }
            for line in hints::draw(&report, &job, &header, &pieces, &again, console.width) {
                writeln!(out, "{line}")?;
            }
            if report.counts.rows > 0 {
                writeln!(out)?;
            }
        }
        let names = run::names_of_part(&inputs, args.part.part);
        let rows = match verdict {
            Verdict::Faults => String::new(),
            _ if report.counts.rows == 0 => String::new(),
            _ if report.counts.left_out > 0 => {
                let (rows, left_out) = (visible::counted(report.counts.rows, "row"), visible::grouped(report.counts.left_out));
                format!("{rows}, {left_out} left out: ")
            }
            _ => format!("{}: ", visible::counted(report.counts.rows, "row")),
        };
        let words = visible::without_controls(&format!("{names}: {rows}{}", verdict::words(&verdict, &summary)));
        let words = textwrap::fill(&words, console.width);
        writeln!(out, "{}", if passed { paint(style::TAKEN, words) } else { words })?;
        if args.rows == 0 && report.counts.faulty > 0 {
            let (shown, all) = (paint(style::TAKEN, "--rows 5"), paint(style::TAKEN, "--faults FILE"));
            writeln!(out, "To see the rows, add {shown}; {all} has them all.")?;
        }
        out.flush()?;
    }
    run::say_replaced(&reading.meter, console, args.quiet);
    Ok(if report.counts.faulty > 0 { Exit::Faults } else { Exit::of_gaps(args.faults.fail_on, &summary) })
}
