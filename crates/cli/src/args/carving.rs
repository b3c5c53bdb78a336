use std::path::PathBuf;

use clap::ValueEnum;
use clap::builder::TypedValueParser;
use clap_complete::ArgValueCompleter;
use keen_notch_core::cutlist::RaggedRows;

use super::reading::parse_format;
use super::shared::ragged_rows;
use super::{FailOn, FaultArgs, FormatOrDatabase, KeepArgs, MORE, PartArgs, ReadingArgs, TableArgs, ThreadArgs, WritingArgs};
use crate::complete;

#[derive(Debug, clap::Args)]
#[command(after_help = MORE, after_long_help = PHRASES)]
pub struct CarveArgs {
    /// Input files with the same columns; - or none for standard input
    ///
    /// Delimited or fixed-width text, JSON Lines, Parquet, Arrow or workbooks. Text can be compressed.
    #[arg(value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// Default column of the pieces: its name, its quoted name, or #4
    #[arg(short, long, value_name = "COLUMN", add = ArgValueCompleter::new(complete::columns))]
    pub column: Option<String>,
    /// Piece to add: 'NAME: PHRASE' or 'NAME of COLUMN: PHRASE'
    ///
    /// 'NAME when CONDITION: PHRASE' cuts only some values. The phrase can be build "{A}-{B}", which combines pieces. `keen-notch
    /// phrases` explains phrases.
    #[arg(short, long = "piece", value_name = "PIECE", add = ArgValueCompleter::new(complete::pieces))]
    pub pieces: Vec<String>,
    /// Cut list: a TOML file with pieces and checks (repeatable)
    #[arg(short, long = "list", value_name = "CUTLIST")]
    pub lists: Vec<PathBuf>,
    #[command(flatten)]
    pub rows_to_keep: KeepArgs,
    /// Output file [default: standard output]
    ///
    /// The file is written atomically: it appears complete, or not at all.
    #[arg(short, long, value_name = "OUT")]
    pub out: Option<PathBuf>,
    /// Output format as a file extension (csv, jsonl, xlsx …), or a database
    ///
    /// The default follows the extension of OUT, and otherwise the input format. A database is sqlite:FILE or
    /// postgresql://USER@HOST/DATABASE.
    #[arg(long, value_name = "ENDING", value_parser = parse_format)]
    pub to: Option<FormatOrDatabase>,
    /// Omit the original columns
    #[arg(long, conflicts_with = "columns")]
    pub only_pieces: bool,
    /// Original columns to keep, in this order: names or numbers
    ///
    /// 'a, part=b' writes column b under the name part. A name with a comma or = is in quotes: '"net, kg", a'.
    #[arg(long, value_name = "A,B,C", conflicts_with = "without")]
    pub columns: Option<String>,
    /// Original columns to omit
    #[arg(long, value_name = "A,B", conflicts_with = "only_pieces")]
    pub without: Option<String>,
    /// Add a column with the input file of each row
    #[arg(hide_short_help = true, long, value_name = "NAME")]
    pub file_column: Option<String>,
    /// Add a column with the faults of each row
    ///
    /// In Parquet, Arrow and JSON Lines, the column holds a list of faults. In other formats, it holds one line of text.
    #[arg(hide_short_help = true, long, value_name = "NAME")]
    pub faults_column: Option<String>,
    /// Add a column for comparing rows elsewhere, in place of `unique`
    ///
    /// The column holds a list of check numbers, from 0, and hashes. An engine that has the rows of many runs compares them.
    #[arg(hide_short_help = true, long, value_name = "NAME")]
    pub compare_column: Option<String>,
    /// Carve each Arrow stream of standard input as a table of its own
    ///
    /// For engines that keep the program running. A stream is answered by a stream of its rows or of their hashes, if asked for, and by
    /// a stream with one text: the summary.
    #[arg(
        hide_short_help = true,
        long,
        value_name = "WHAT",
        requires = "quiet",
        conflicts_with_all = ["out", "strict", "watch", "part", "update", "offcuts", "faults", "summary", "fail_on"]
    )]
    pub each_stream: Option<StreamAnswer>,
    /// Add ' before pieces that a spreadsheet would run as formulas
    ///
    /// Such a piece begins with =, +, -, @ or a tab and is not a number.
    #[arg(hide_short_help = true, long)]
    pub guard_formulas: bool,
    /// Write no output if a row has a fault, and exit with 1
    #[arg(long)]
    pub strict: bool,
    /// Run again when the input, the cut list or a lookup file changes
    ///
    /// Each run shows what changed since the last one. Ctrl-C ends it.
    #[arg(long, conflicts_with_all = ["quiet", "part", "update"])]
    pub watch: bool,
    /// Print no summary and no progress
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
    /// Update the input table: write pieces into the rows with the same KEY
    ///
    /// The columns of KEY identify a row.
    #[arg(
        hide_short_help = true,
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

/// The answer to an Arrow stream.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum StreamAnswer {
    /// The rows, then the summary.
    Rows,
    /// The hashes of the rows for `unique`, then the summary.
    Hashes,
    /// Only the summary.
    Summary,
}

const PHRASES: &str = r#"Examples:
  keen-notch carve parts.csv -c part_code -p 'family: first 3' -p 'grade: trim then last 4'
  keen-notch carve crew.csv -p 'no of crew_id: section 2 by "-" then pad left to 6 with "0"'
  keen-notch carve parts.csv -l parts.cutlist.toml -o cut.csv
  keen-notch carve parts.csv --columns part_code,depot -o parts.parquet

`keen-notch phrases` shows every step with an example."#;

#[derive(Debug, clap::Args)]
#[command(after_help = MORE, after_long_help = CHECKS)]
pub struct CheckArgs {
    /// Input files with the same columns; - or none for standard input
    ///
    /// Delimited or fixed-width text, JSON Lines, Parquet, Arrow or workbooks. Text can be compressed.
    #[arg(value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// Cut list with the checks (repeatable)
    #[arg(short, long = "list", value_name = "CUTLIST", required_unless_present_any = ["checks", "layouts"])]
    pub lists: Vec<PathBuf>,
    /// Piece to check: 'NAME: PHRASE' or 'NAME of COLUMN: PHRASE'
    #[arg(short, long = "piece", value_name = "PIECE", add = ArgValueCompleter::new(complete::pieces))]
    pub pieces: Vec<String>,
    /// Default column of the pieces: its name, its quoted name, or #4
    #[arg(short, long, value_name = "COLUMN", add = ArgValueCompleter::new(complete::columns))]
    pub column: Option<String>,
    #[command(flatten)]
    pub rows_to_keep: KeepArgs,
    /// Rows with faults to show, with the position in the value
    #[arg(long, value_name = "N", default_value_t = 0)]
    pub rows: usize,
    /// Compare the counts with this summary of an earlier run
    #[arg(long, value_name = "SUMMARY.json")]
    pub against: Option<PathBuf>,
    /// Run again when the input, the cut list or a lookup file changes
    ///
    /// Each run shows what changed since the last one. Ctrl-C ends it.
    #[arg(long, conflicts_with_all = ["quiet", "part"])]
    pub watch: bool,
    /// Print nothing: use the exit status
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

#[derive(Debug, clap::Args)]
#[command(after_help = MORE, after_long_help = REPORTS)]
pub struct ReportArgs {
    /// Input files with the same columns
    ///
    /// Delimited or fixed-width text, JSON Lines, Parquet, Arrow or workbooks. Text can be compressed.
    #[arg(value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// Cut list with the checks (repeatable)
    #[arg(short, long = "list", value_name = "CUTLIST", required_unless_present_any = ["pieces", "checks", "layouts"])]
    pub lists: Vec<PathBuf>,
    /// Piece: 'NAME: PHRASE' or 'NAME of COLUMN: PHRASE'
    #[arg(short, long = "piece", value_name = "PIECE", add = ArgValueCompleter::new(complete::pieces))]
    pub pieces: Vec<String>,
    /// Default column of the pieces: its name, its quoted name, or #4
    #[arg(short, long, value_name = "COLUMN", add = ArgValueCompleter::new(complete::columns))]
    pub column: Option<String>,
    /// Layout of a column: 'COLUMN: FORM'
    #[arg(long = "layout", value_name = "LAYOUT")]
    pub layouts: Vec<String>,
    /// Check: 'PIECE: CONDITION' or 'COLUMN: CONDITION'
    #[arg(long = "check", value_name = "CHECK")]
    pub checks: Vec<String>,
    #[command(flatten)]
    pub rows_to_keep: KeepArgs,
    /// Output file [default: standard output]
    ///
    /// The file is written atomically: it appears complete, or not at all.
    #[arg(short, long, value_name = "PAGE.html")]
    pub out: Option<PathBuf>,
    /// Output format: html or json [default: by the file extension]
    #[arg(long, value_name = "FORMAT", hide_possible_values = true)]
    pub to: Option<ReportFormat>,
    /// Rows to show for each check
    #[arg(long, value_name = "N", default_value_t = 20, value_parser = clap::value_parser!(u16).range(0..=1000).map(usize::from))]
    pub rows: usize,
    /// Compare with an earlier survey (--save) or summary (check --summary)
    #[arg(long, value_name = "FILE.json")]
    pub against: Vec<PathBuf>,
    /// Exit with 1 if an input has no rows or a check saw no value: empty
    #[arg(hide_short_help = true, long, value_name = "WHAT", hide_possible_values = true)]
    pub fail_on: Option<FailOn>,
    /// Let cut lists read files outside their folder and this one
    ///
    /// Otherwise `listed in` reads only files in the folder of the list and in the current folder.
    #[arg(hide_short_help = true, long)]
    pub allow_outside: bool,
    /// Rows with too few or too many cells: stop or keep [default: stop]
    #[arg(hide_short_help = true, long, value_name = "WHAT", hide_possible_values = true, value_parser = ragged_rows())]
    pub ragged: Option<RaggedRows>,
    /// Print no progress and no file name
    #[arg(short, long)]
    pub quiet: bool,
    #[command(flatten)]
    pub threads: ThreadArgs,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

/// Formats of a report.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum ReportFormat {
    Html,
    Json,
}

const CHECKS: &str = r#"Examples:
  keen-notch check parts.csv -l parts.cutlist.toml --rows 5
  keen-notch check parts.csv -c part_code -p 'serial: section 2 by "-"' --check 'serial: digits'

The exit status is 1 if a row has a fault."#;

const REPORTS: &str = r#"Examples:
  keen-notch report parts.csv -l parts.cutlist.toml -o parts.html
  keen-notch report crew-december.csv -l crew.cutlist.toml --against crew-november.json -o crew.html

The page needs no network and no script."#;
