mod carving;
mod fail_on_change;
mod looking;
mod others;
pub mod reading;
mod shared;
mod writing;

use std::path::Path;

use clap::{Parser, Subcommand, ValueEnum};
use keen_notch_core::column::ColumnRef;
use keen_notch_io::source::input::Input;

pub use carving::{CarveArgs, CheckArgs, ReportArgs, ReportFormat, StreamAnswer};
pub use fail_on_change::FailOnChange;
pub use looking::{DraftArgs, ExplainArgs, GaugeArgs, PhrasesArgs, SurveyArgs, SurveyFormat, TryArgs};
pub use others::{CompletionsArgs, DemoArgs, ManualArgs, MergeArgs, SchemaArgs};
pub use reading::{EmptyFormulas, EncodingErrors, FormatOrDatabase, ReadingArgs, read_widths, refuse_address};
pub use shared::{FailOn, FaultArgs, KeepArgs, PartArgs, ThreadArgs};
pub use writing::{TableArgs, WritingArgs};

/// The version, and the build.
const BUILD: &str = concat!(env!("CARGO_PKG_VERSION"), " (build ", env!("KEEN_NOTCH_BUILD"), ")");

/// Takes columns of codes apart: measure a value with `gauge`, then carve the column
#[derive(Debug, Parser)]
#[command(name = "keen-notch", version, long_version = BUILD, max_term_width = 100, after_help = EXAMPLES)]
pub struct Args {
    /// When to use colours: auto, always or never
    ///
    /// `auto` uses colours on a terminal, unless NO_COLOR is set.
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto", hide_possible_values = true)]
    pub color: Color,
    /// What to do
    #[command(subcommand)]
    pub command: Command,
}

/// The last line of the short help.
const MORE: &str = "--help shows all options and examples.";

const EXAMPLES: &str = r#"Examples:
  keen-notch demo
  keen-notch gauge GRP-00041273-S7K2
  keen-notch carve parts.csv -c part_code -p 'family: first 3' -p 'serial: section 2 by "-"' -o cut.csv

Exit status: 0 done; 1 faults found (check, carve --strict); 2 wrong arguments or cut list; 3 input, output or internal error."#;

#[derive(Debug, Subcommand)]
pub enum Command {
    /// Show a value on a ruler, with positions from both ends
    Gauge(GaugeArgs),
    /// Describe the columns of a table: shapes, lengths, delimiters, odd characters
    Survey(SurveyArgs),
    /// Try phrases in the terminal, with their results at every key
    Try(TryArgs),
    /// Propose a cut list from the data, or a phrase from examples
    Draft(DraftArgs),
    /// Add pieces to a table as new columns
    Carve(Box<CarveArgs>),
    /// Check a table, and show the faults
    Check(CheckArgs),
    /// Write a report to share: verdict, checks, rows with faults, columns
    Report(Box<ReportArgs>),
    /// Merge the summaries or saved surveys of several runs
    Merge(MergeArgs),
    /// Explain a cut list in words, or one row step by step
    Explain(ExplainArgs),
    /// Show all steps and conditions, with examples
    Phrases(PhrasesArgs),
    /// Print the JSON Schema of cut lists, or the output columns of a list
    Schema(Box<SchemaArgs>),
    /// Write sample data, and show the main job or a tour of all commands
    Demo(DemoArgs),
    /// Print the completion script for a shell
    Completions(CompletionsArgs),
    /// Write man pages
    Manual(ManualArgs),
}

pub fn input(path: &Path) -> Input {
    if path.as_os_str() == "-" { Input::Stdin } else { Input::File(path.to_owned()) }
}

pub fn column(text: Option<&str>) -> Option<ColumnRef> {
    text.map(ColumnRef::parse)
}

/// When to use colours.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum Color {
    /// On a terminal, unless NO_COLOR is set.
    Auto,
    /// Always.
    Always,
    /// Never.
    Never,
}

impl Color {
    pub fn apply(self) {
        match self {
            Color::Auto => anstream::ColorChoice::Auto,
            Color::Always => anstream::ColorChoice::AlwaysAnsi,
            Color::Never => anstream::ColorChoice::Never,
        }
        .write_global();
    }
}
