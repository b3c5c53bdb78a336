//! The table of checks, the faults and the verdict.

use std::io::{self, Write};

use keen_notch_core::summary::Summary;
use keen_notch_core::verdict::Verdict;
use keen_notch_io::carve::{Job, Report};
use keen_notch_io::table::Table;

use crate::args::CheckArgs;
use crate::commands::inputs::names_of_part;
use crate::commands::outputs::writes_to_standard_output;
use crate::commands::request::Request;
use crate::console::{self, Console};
use crate::draw::style::{self, paint};
use crate::draw::{faults, hints, verdict, visible};

pub struct CheckOutcome<'a> {
    pub args: &'a CheckArgs,
    pub request: &'a Request<'a>,
    pub table: &'a Table,
    pub job: &'a Job,
    pub report: &'a Report,
    pub summary: &'a Summary,
    /// The summary of `--against` with its name.
    pub then: Option<(&'a Summary, &'a str)>,
}

impl CheckOutcome<'_> {
    pub fn show(&self, console: &Console) -> io::Result<()> {
        // If standard output is an output file, readable text goes to standard error.
        let mut out: Box<dyn Write> = match writes_to_standard_output(&self.args.faults) {
            true => Box::new(console::err()),
            false => Box::new(console::out()),
        };
        let verdict = self.summary.verdict(self.report.hints.len());
        let passed = matches!(verdict, Verdict::Passed { .. });
        for line in verdict::empty_inputs(self.summary) {
            writeln!(out, "{}", paint(style::LOOK, line))?;
        }
        self.show_checks(passed, console.width, &mut out)?;
        if !passed {
            self.show_faults(console.width, &mut out)?;
        }
        let words = format!("{}: {}", names_of_part(&self.request.inputs, self.args.part.part), self.outcome(&verdict));
        let words = textwrap::fill(&visible::without_controls(&words), console.width);
        writeln!(out, "{}", if passed { paint(style::TAKEN, words) } else { words })?;
        if self.args.rows == 0 && self.report.totals.rows.with_faults > 0 {
            let (shown, all) = (paint(style::TAKEN, "--rows 5"), paint(style::TAKEN, "--faults FILE"));
            writeln!(out, "To see the rows, add {shown}; {all} has them all.")?;
        }
        out.flush()
    }

    fn show_checks(&self, passed: bool, width: usize, out: &mut dyn Write) -> io::Result<()> {
        let then = self.then.map(|(then, _)| then);
        let then_wrong = then.is_some_and(|then| then.checks.iter().any(|check| check.rows > 0));
        if (!passed && self.summary.rows.read > 0) || then_wrong {
            for line in faults::table(self.summary, then, width) {
                writeln!(out, "{line}")?;
            }
        }
        if let Some((then, name)) = self.then {
            let words = format!("then: {name}, {}", verdict::words(&Verdict::Faults, then));
            writeln!(out, "{}", visible::without_controls(&words))?;
            if let Some(line) = faults::not_asked_any_more(self.summary, then) {
                writeln!(out, "{}", paint(style::LOOK, line))?;
            }
        }
        Ok(())
    }

    fn show_faults(&self, width: usize, out: &mut dyn Write) -> io::Result<()> {
        let CheckOutcome { request, table, job, report, .. } = self;
        for line in faults::failing(report, job, width) {
            writeln!(out, "{line}")?;
        }
        for sample in &report.samples {
            writeln!(out)?;
            for line in faults::sample(sample, report, job, (&table.header, &table.format), width) {
                writeln!(out, "{line}")?;
            }
        }
        if !report.hints.is_empty() {
            writeln!(out)?;
        }
        for line in hints::draw(report, job, &table.header, &request.pieces, &request.rerun(), width) {
            writeln!(out, "{line}")?;
        }
        if report.totals.rows.read > 0 {
            writeln!(out)?;
        }
        Ok(())
    }

    /// The verdict, after the number of rows if it does not have that.
    fn outcome(&self, verdict: &Verdict) -> String {
        let counts = &self.report.totals.rows;
        let rows = visible::counted(counts.read, "row");
        let words = verdict::words(verdict, self.summary);
        match verdict {
            Verdict::Faults => words,
            _ if counts.read == 0 => words,
            _ if counts.left_out > 0 => format!("{rows}, {} left out: {words}", visible::grouped(counts.left_out)),
            _ => format!("{rows}: {words}"),
        }
    }
}
