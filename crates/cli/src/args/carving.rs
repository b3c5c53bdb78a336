//! `carve`, `check` and `report`.

use std::path::PathBuf;

use clap::ValueEnum;
use clap::builder::TypedValueParser;
use clap_complete::ArgValueCompleter;
use keen_notch_core::cutlist::RaggedRows;

use super::reading::said;
use super::shared::ragged_rows;
use super::{FailOn, FaultArgs, PartArgs, ReadingArgs, Said, TableArgs, ThreadArgs, WritingArgs};
use crate::complete;

/// `carve`
#[derive(Debug, clap::Args)]
#[command(after_help = PHRASES)]
pub struct CarveArgs {
    /// Files with the same columns: delimited or fixed-width text, JSON Lines, Parquet, Arrow, workbooks; text may be compressed. - or none is standard input
    #[arg(value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// The column that pieces come from unless they say otherwise: its name, its quoted name, or #4
    #[arg(short, long, value_name = "COLUMN", add = ArgValueCompleter::new(complete::columns))]
    pub column: Option<String>,
    /// A piece to add: 'NAME: PHRASE' or 'NAME of COLUMN when CONDITION: PHRASE'; a phrase may be build "{A}-{B}"
    #[arg(short, long = "piece", value_name = "PIECE", add = ArgValueCompleter::new(complete::pieces), required_unless_present_any = ["lists", "layouts"])]
    pub pieces: Vec<String>,
    /// A cut list: a TOML file of pieces; several are put together
    #[arg(short, long = "list", value_name = "CUTLIST")]
    pub lists: Vec<PathBuf>,
    /// Write to this file, which appears whole or not at all
    #[arg(short, long, value_name = "OUT")]
    pub out: Option<PathBuf>,
    /// How rows are written, as the ending of a file that is written so: tsv, csv.gz … [default: by the name of OUT, and else as they
    /// were read]; or a database: sqlite:FILE
    #[arg(long, value_name = "ENDING", value_parser = said)]
    pub to: Option<Said>,
    /// Leave the original columns out
    #[arg(long, conflicts_with = "columns")]
    pub only_pieces: bool,
    /// Keep only these original columns, in this order: names or numbers, with commas between
    #[arg(long, value_name = "A,B,C", value_delimiter = ',', conflicts_with = "without")]
    pub columns: Option<Vec<String>>,
    /// Leave these original columns out
    #[arg(long, value_name = "A,B", value_delimiter = ',', conflicts_with = "only_pieces")]
    pub without: Vec<String>,
    /// Add a column of this name that says which input each row came from
    #[arg(long, value_name = "NAME")]
    pub file_column: Option<String>,
    /// Add a column of this name that says what is wrong with each row: a list of faults in Parquet, Arrow and JSON Lines, and one line
    /// of words in other formats
    #[arg(long, value_name = "NAME")]
    pub faults_column: Option<String>,
    /// Do not compare rows with each other (`unique`), but add a column of this name with what they are to be compared by: a list of the
    /// number of the check, from 0, and a hash. For an engine that has the rows of many runs
    #[arg(long, value_name = "NAME")]
    pub compare_column: Option<String>,
    /// Put ' before pieces that a spreadsheet would take for a formula: those that begin with =, +, -, @ or a tab and are no number
    #[arg(long)]
    pub guard_formulas: bool,
    /// Write no output file if any row has a fault, and exit with 1
    #[arg(long)]
    pub strict: bool,
    /// Show no summary and no progress
    #[arg(short, long)]
    pub quiet: bool,
    #[command(flatten)]
    pub part: PartArgs,
    #[command(flatten)]
    pub threads: ThreadArgs,
    #[command(flatten)]
    pub faults: FaultArgs,
    #[command(flatten)]
    pub tables: TableArgs,
    /// Write the pieces into columns of the table that is read: of the row with the same values in these columns, which tell its rows apart
    #[arg(
        long,
        value_name = "KEY",
        value_delimiter = ',',
        help_heading = "Writing tables of a database",
        conflicts_with_all = ["to", "out", "only_pieces", "columns", "without", "file_column"]
    )]
    pub update: Vec<String>,
    #[command(flatten)]
    pub writing: WritingArgs,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

const PHRASES: &str = r#"Examples:
  keen-notch carve parts.csv -c part_code -p 'family: first 3' -p 'grade: trim then last 4'
  keen-notch carve crew.csv -p 'no of crew_id: section 2 by "-" then pad left to 6 with "0"'
  keen-notch carve parts.csv -l parts.cutlist.toml -o cut.csv

keen-notch phrases shows every step with an example."#;

/// `check`
#[derive(Debug, clap::Args)]
pub struct CheckArgs {
    /// Files with the same columns: delimited or fixed-width text, JSON Lines, Parquet, Arrow, workbooks; text may be compressed. - or none is standard input
    #[arg(value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// The cut list with the checks; several are put together
    #[arg(short, long = "list", value_name = "CUTLIST", required_unless_present_any = ["checks", "layouts"])]
    pub lists: Vec<PathBuf>,
    /// A piece to be checked: 'NAME: PHRASE' or 'NAME of COLUMN: PHRASE'
    #[arg(short, long = "piece", value_name = "PIECE", add = ArgValueCompleter::new(complete::pieces))]
    pub pieces: Vec<String>,
    /// The column that pieces come from unless they say otherwise
    #[arg(short, long, value_name = "COLUMN", add = ArgValueCompleter::new(complete::columns))]
    pub column: Option<String>,
    /// Show this many of the rows with faults, with the piece and its place in the value
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub rows: usize,
    /// Show beside each count what it was in this summary of a run before
    #[arg(long, value_name = "SUMMARY.json")]
    pub against: Option<PathBuf>,
    /// Say nothing; the exit status tells
    #[arg(short, long)]
    pub quiet: bool,
    #[command(flatten)]
    pub part: PartArgs,
    #[command(flatten)]
    pub threads: ThreadArgs,
    #[command(flatten)]
    pub faults: FaultArgs,
    #[command(flatten)]
    pub tables: TableArgs,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

/// `report`
#[derive(Debug, clap::Args)]
#[command(after_help = REPORTS)]
pub struct ReportArgs {
    /// Files with the same columns: delimited or fixed-width text, JSON Lines, Parquet, Arrow, workbooks; text may be compressed
    #[arg(value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// The cut list with the checks; several are put together
    #[arg(short, long = "list", value_name = "CUTLIST", required_unless_present_any = ["pieces", "checks", "layouts"])]
    pub lists: Vec<PathBuf>,
    /// A piece: 'NAME: PHRASE' or 'NAME of COLUMN: PHRASE'
    #[arg(short, long = "piece", value_name = "PIECE", add = ArgValueCompleter::new(complete::pieces))]
    pub pieces: Vec<String>,
    /// The column that pieces come from unless they say otherwise
    #[arg(short, long, value_name = "COLUMN", add = ArgValueCompleter::new(complete::columns))]
    pub column: Option<String>,
    /// A layout: 'COLUMN: FORM'
    #[arg(long = "layout", value_name = "LAYOUT")]
    pub layouts: Vec<String>,
    /// A check: 'PIECE: CONDITION'; of a column, where no piece has the name
    #[arg(long = "check", value_name = "CHECK")]
    pub checks: Vec<String>,
    /// Write to this file, which appears whole or not at all
    #[arg(short, long, value_name = "PAGE.html")]
    pub out: Option<PathBuf>,
    /// What to write: html for people, json for programs [default: by the name of the file]
    #[arg(long, value_name = "FORMAT", hide_possible_values = true)]
    pub to: Option<ReportFormat>,
    /// Show up to this many rows of each check
    #[arg(long, value_name = "N", default_value_t = 20, value_parser = clap::value_parser!(u16).range(0..=1000).map(usize::from))]
    pub rows: usize,
    /// Say what is new since this file of before: what survey wrote with --save, or check with --summary
    #[arg(long, value_name = "FILE.json")]
    pub against: Vec<PathBuf>,
    /// Exit with 1 if an input has no rows or a check has no value to look at (empty)
    #[arg(long, value_name = "WHAT", hide_possible_values = true)]
    pub fail_on: Option<FailOn>,
    /// Let cut lists read files outside their folders and the one you are in (`listed in`)
    #[arg(long)]
    pub allow_outside: bool,
    /// Rows with too few or too many cells: stop there, or keep them [default: stop]
    #[arg(long, value_name = "WHAT", hide_possible_values = true, value_parser = ragged_rows())]
    pub ragged: Option<RaggedRows>,
    /// Show no progress, and say nothing of the file written
    #[arg(short, long)]
    pub quiet: bool,
    #[command(flatten)]
    pub threads: ThreadArgs,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

/// What a report is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum ReportFormat {
    /// A page.
    Html,
    /// JSON.
    Json,
}

const REPORTS: &str = r#"Examples:
  keen-notch report parts.csv -l parts.cutlist.toml -o parts.html
  keen-notch report crew-december.csv -l crew.cutlist.toml --against crew-november.json -o crew.html

The page needs no network and no script, and can be sent by mail or printed."#;
