//! The command line.

mod carving;
mod looking;
mod others;
pub mod reading;
mod shared;
mod writing;

use std::path::Path;

use clap::{Parser, Subcommand, ValueEnum};
use keen_notch_core::column::ColumnRef;
use keen_notch_io::source::input::Input;

pub use carving::{CarveArgs, CheckArgs, ReportArgs, ReportFormat};
pub use looking::{DraftArgs, ExplainArgs, GaugeArgs, PhrasesArgs, SurveyArgs, SurveyFormat, TryArgs};
pub use others::{CompletionsArgs, DemoArgs, ManualArgs, MergeArgs, SchemaArgs};
pub use reading::{EmptyFormulas, EncodingErrors, ReadingArgs, Said, read_widths, refuse_address};
pub use shared::{FailOn, FaultArgs, PartArgs, ThreadArgs};
pub use writing::{TableArgs, WritingArgs};

/// Cuts columns of codes into their parts: look at a value with gauge, then carve the column.
#[derive(Debug, Parser)]
#[command(name = "keen-notch", version, max_term_width = 100, after_help = EXAMPLES)]
pub struct Args {
    /// Colours: only on a terminal and without NO_COLOR (auto), always, or never
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto", hide_possible_values = true)]
    pub color: Color,
    /// What to do
    #[command(subcommand)]
    pub command: Command,
}

const EXAMPLES: &str = r#"Examples:
  keen-notch demo
  keen-notch gauge GRP-00041273-S7K2
  keen-notch carve parts.csv -c part_code -p 'family: first 3' -p 'serial: section 2 by "-"' -o cut.csv

Exit status: 0 done; 1 faults were found (check, or carve --strict); 2 the command line or the cut list is wrong; 3 an input cannot be read or an output cannot be written."#;

/// The commands.
#[derive(Debug, Subcommand)]
pub enum Command {
    /// Show a value on a ruler, with every position from both ends
    Gauge(GaugeArgs),
    /// Show what is in the columns of a table, before any rule is written
    Survey(SurveyArgs),
    /// Type a phrase in the terminal, and see at every key what it takes
    Try(TryArgs),
    /// Propose a cut list from the data, or a phrase from examples of what is wanted
    Draft(DraftArgs),
    /// Add pieces to the rows of a table: the main job
    Carve(Box<CarveArgs>),
    /// Check a table against a cut list and write nothing: a table of faults and their rows
    Check(CheckArgs),
    /// Write one page to hand on: what the checks found, the rows at fault, and what is in the columns
    Report(Box<ReportArgs>),
    /// Put the summaries or saved surveys of the parts of a table together, as one run over all of it would count
    Merge(MergeArgs),
    /// Say in plain words what a cut list does, or what it does with one row, step by step
    Explain(ExplainArgs),
    /// Show how phrases are written, with an example of each step
    Phrases(PhrasesArgs),
    /// Print the JSON Schema of a cut list, for editors; or which columns a cut list makes of a table, for programs
    Schema(Box<SchemaArgs>),
    /// Write made-up data of a ropeway and take a short tour on it
    Demo(DemoArgs),
    /// Print what a shell needs to complete commands, columns and phrases
    Completions(CompletionsArgs),
    /// Write man pages, one a command
    Manual(ManualArgs),
}

/// The input that a path on the command line names.
pub fn input(path: &Path) -> Input {
    if path.as_os_str() == "-" { Input::Stdin } else { Input::File(path.to_owned()) }
}

/// The column that an option names.
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
    /// Applies the choice to all that is printed from here on.
    pub fn apply(self) {
        match self {
            Color::Auto => anstream::ColorChoice::Auto,
            Color::Always => anstream::ColorChoice::AlwaysAnsi,
            Color::Never => anstream::ColorChoice::Never,
        }
        .write_global();
    }
}
