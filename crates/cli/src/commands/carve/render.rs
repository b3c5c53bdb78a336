//! The preview, the summary and the notes after a run.

use std::io::Write;

use keen_notch_core::column::Header;
use keen_notch_core::summary::Summary;
use keen_notch_core::verdict::Verdict;
use keen_notch_io::carve::{Job, Report};
use keen_notch_io::formats::FileFormat;
use keen_notch_io::formats::database::sink::Session;
use keen_notch_io::formats::workbook::OpenedSheet;
use keen_notch_io::table::Table;

use super::request::CarveRequest;
use crate::args::CarveArgs;
use crate::commands::database::OutputTable;
use crate::commands::inputs::say_replaced;
use crate::commands::outputs::{is_standard_output, name_of, outcome};
use crate::console::{self, Console};
use crate::draw::style::{self, paint};
use crate::draw::{hints, preview, shell, summary, verdict, visible};
use crate::failure::Failure;

pub struct CarveOutcome<'a> {
    pub request: &'a CarveRequest<'a>,
    pub table: &'a Table,
    pub job: &'a Job,
    pub report: &'a Report,
    pub summary: &'a Summary,
    pub session: Option<&'a Session>,
    pub named: FileFormat,
    /// Whether the output exists: `--strict` and texts that are too wide discard a file.
    pub is_kept: bool,
    /// Whether `--strict` refuses the rows.
    pub is_refused: bool,
}

impl CarveOutcome<'_> {
    /// Shows the first rows on a terminal.
    pub fn preview(&self, width: usize) -> Result<(), Failure> {
        let CarveOutcome { table, job, report, named, .. } = self;
        let ending = named.kind.unwrap_or(table.format.kind()).ending();
        let goes_into_pipes = named.kind.is_some() || table.format.kind().goes_into_pipes;
        let mut stdout = console::out();
        for line in preview::draw(report, job, &table.header, (ending, goes_into_pipes), width) {
            writeln!(stdout, "{line}")?;
        }
        Ok(stdout.flush()?)
    }

    /// Prints the summary, the hints, the outcome and the verdict.
    pub fn notes(&self, console: &Console) {
        let CarveOutcome { request: CarveRequest { args, run, written, .. }, job, report, .. } = self;
        let note = |line: &str| console.note(line);
        let wrapped = |line: &str| console.note(&textwrap::fill(line, console.width));
        summary::draw(self.summary, console.width).iter().for_each(|line| note(line));
        let hints = hints::draw(report, job, &self.table.header, &run.pieces, &run.rerun(), console.width);
        hints.iter().for_each(|line| note(line));
        if !args.guard_formulas {
            hints::formulas(report, job, console.width).iter().for_each(|line| note(line));
        }
        say_replaced(&run.reading.meter, console, args.quiet);
        let out = written.as_ref().map(OutputTable::outcome).or(args.out.as_deref().map(name_of));
        let beside = (&args.faults, &args.tables);
        let outcome = outcome(report, (&run.inputs, args.part.part), (out.as_deref(), self.is_kept), beside);
        outcome.iter().for_each(|line| wrapped(line));
        match self.summary.verdict(report.hints.len()) {
            // The outcome gives the number of rows with faults.
            Verdict::Faults => verdict::uncompared(self.summary).iter().for_each(|words| wrapped(words)),
            Verdict::Unchecked => {}
            found => wrapped(&verdict::words(&found, self.summary)),
        }
        self.about_the_output(console.width).iter().for_each(|line| note(line));
        if self.is_refused {
            note(&paint(style::LOOK, format!("--strict: the run found faults{}", self.unwritten())));
        }
    }

    /// What readers of the output must know.
    fn about_the_output(&self, width: usize) -> Vec<String> {
        if !self.is_kept {
            return Vec::new();
        }
        let mut lines = Vec::new();
        let added = self.session.map_or(Vec::new(), Session::added);
        if !added.is_empty() {
            lines.push(visible::without_controls(&format!("new columns in it: {}", added.join(", "))));
        }
        let stays_a_workbook = self.named.kind == Some(self.table.format.kind());
        if let Some(OpenedSheet { title, .. }) = self.table.format.get().filter(|_| stays_a_workbook) {
            let words = format!(
                "the output keeps values and number formats of the sheet {title:?}; formulas become their values, and charts and other sheets are lost"
            );
            lines.push(textwrap::fill(&visible::without_controls(&words), width));
        }
        if let Some(widths) = self.job.widths() {
            let words = format!("its columns, to read it again: --widths {}", shell::quoted(&widths.to_string()));
            lines.push(visible::without_controls(&words));
        }
        lines
    }

    fn unwritten(&self) -> String {
        let CarveRequest { args, written, .. } = self.request;
        let table = written.as_ref().map(|written| format!("the table {}", written.table));
        let name = table.or(args.out.as_deref().map(name_of)).filter(|_| self.request.has_named_output());
        name.map_or(String::new(), |name| format!(", so {name} was not written"))
    }
}

/// The error for texts that are wider than their columns of fixed-width text.
pub fn too_wide_failure(report: &Report, job: &Job, header: &Header, args: &CarveArgs) -> Failure {
    let checks = job.carving().place_checks().filter(|check| report.totals.failed[*check].count > 0);
    let columns: Vec<String> = checks
        .map(|check| {
            let (name, seen) = (&job.checks()[check], &report.totals.failed[check]);
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
    let out = args.out.as_ref().filter(|path| !is_standard_output(path));
    let what = out.map_or("the output lacks them".to_owned(), |path| format!("{} was not written", path.display()));
    Failure::file(
        format!("some texts are wider than their columns, and {what}: {}", columns.join("; ")),
        "widen the columns, or set these rows aside with --offcuts FILE",
    )
}
