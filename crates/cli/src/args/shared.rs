//! Options of several commands.

use std::path::PathBuf;

use clap::ValueEnum;
use clap::builder::{PossibleValuesParser, TypedValueParser, UnknownArgumentValueParser};
use keen_notch_core::cutlist::RaggedRows;
use keen_notch_core::summary::Part;

/// The part to read.
#[derive(Debug, Clone, clap::Args)]
pub struct PartArgs {
    /// Read only part K of N parts of the rows
    ///
    /// The joined outputs of all N parts equal the output of one run. `merge` combines their summaries.
    #[arg(hide_short_help = true, long, value_name = "K/N")]
    pub part: Option<Part>,
}

/// The rows to keep.
#[derive(Debug, Clone, clap::Args)]
pub struct KeepArgs {
    /// Keep only rows that meet a condition: 'COLUMN: CONDITION' (repeatable)
    ///
    /// The name can also be a piece. A row must meet all conditions. `keen-notch phrases` lists them.
    #[arg(long, value_name = "CONDITION")]
    pub keep: Vec<String>,
    #[arg(hide = true, long = "where", value_name = "CONDITION", value_parser = UnknownArgumentValueParser::suggest_arg("--keep"))]
    first_guess: Option<String>,
    #[arg(hide = true, long = "filter", value_name = "CONDITION", value_parser = UnknownArgumentValueParser::suggest_arg("--keep"))]
    second_guess: Option<String>,
}

/// The number of threads.
#[derive(Debug, Clone, clap::Args)]
pub struct ThreadArgs {
    /// Number of threads [default: one per core]
    ///
    /// The output is the same with any number.
    #[arg(hide_short_help = true, long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1024))]
    pub threads: Option<u16>,
}

impl ThreadArgs {
    pub fn count(&self) -> usize {
        match self.threads {
            Some(threads) => usize::from(threads),
            None => std::thread::available_parallelism().map_or(1, usize::from),
        }
    }
}

/// A condition, besides faults, that makes a run exit with 1.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum FailOn {
    /// An input without rows, or a check without values.
    Empty,
}

/// Layouts, checks and the treatment of faults.
#[derive(Debug, Clone, clap::Args)]
#[command(next_help_heading = "Checking")]
pub struct FaultArgs {
    /// Layout: 'COLUMN: FORM', such as 'code: <family 3>-<serial 8 digits>'
    #[arg(long = "layout", value_name = "LAYOUT")]
    pub layouts: Vec<String>,
    /// Check: 'PIECE: CONDITION', such as 'serial: digits'
    ///
    /// The name can be a column, if no piece has this name.
    #[arg(long = "check", value_name = "CHECK")]
    pub checks: Vec<String>,
    /// File for the faults, one line each
    #[arg(long, value_name = "FILE")]
    pub faults: Option<PathBuf>,
    /// File for rows with faults, which leave the output
    #[arg(long, value_name = "FILE")]
    pub offcuts: Option<PathBuf>,
    /// File for the counts of the run, as JSON
    #[arg(long, value_name = "FILE")]
    pub summary: Option<PathBuf>,
    /// Exit with 1 if an input has no rows or a check saw no value: empty
    #[arg(hide_short_help = true, long, value_name = "WHAT", hide_possible_values = true)]
    pub fail_on: Option<FailOn>,
    /// Let cut lists read files outside their folder and this one
    ///
    /// Otherwise `listed in` reads only files in the folder of the list and in the current folder.
    #[arg(hide_short_help = true, long)]
    pub allow_outside: bool,
    /// Folder for absolute names of files in cut lists, on a machine with a copy of them
    ///
    /// With `--files-below /tmp/x`, the file /lists/teams.csv is read from /tmp/x/lists/teams.csv.
    #[arg(hide_short_help = true, long, value_name = "FOLDER")]
    pub files_below: Option<PathBuf>,
    /// Rows with too few or too many cells: stop, keep or set-aside
    ///
    /// `set-aside` writes them to the file of --offcuts. The default is stop.
    #[arg(hide_short_help = true, long, value_name = "WHAT", hide_possible_values = true, value_parser = ragged_rows())]
    pub ragged: Option<RaggedRows>,
}

/// Parses what to do with rows that have too few or too many cells.
pub fn ragged_rows() -> impl TypedValueParser<Value = RaggedRows> {
    PossibleValuesParser::new(["stop", "keep", "set-aside"]).map(|what| match what.as_str() {
        "keep" => RaggedRows::Keep,
        "set-aside" => RaggedRows::SetAside,
        _ => RaggedRows::Stop,
    })
}
