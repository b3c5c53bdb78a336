use std::path::PathBuf;

use clap::ValueEnum;
use clap_complete::ArgValueCompleter;
use keen_notch_core::cutlist::RaggedRows;

use super::FailOnChange;
use super::shared::KeepArgs;
use super::shared::ragged_rows;
use super::{MORE, PartArgs, ReadingArgs, ThreadArgs};
use crate::complete;

#[derive(Debug, clap::Args)]
pub struct GaugeArgs {
    /// Values to measure, or to compare if there are two
    ///
    /// Without a value, the lines of standard input.
    #[arg(value_name = "VALUE", conflicts_with = "file")]
    pub values: Vec<String>,
    /// Mark the characters that a phrase takes
    #[arg(short, long = "piece", value_name = "PHRASE", add = ArgValueCompleter::new(complete::phrases))]
    pub pieces: Vec<String>,
    /// File with the values; - for standard input
    #[arg(long, value_name = "FILE")]
    pub file: Option<PathBuf>,
    /// Column of the file: its name, its quoted name, or #4
    #[arg(short, long, value_name = "COLUMN", requires = "file", add = ArgValueCompleter::new(complete::columns))]
    pub column: Option<String>,
    /// Number of rows to read
    #[arg(long, value_name = "N", default_value_t = 5)]
    pub rows: usize,
    /// Read only this row of the file, from 1
    #[arg(long, value_name = "N", requires = "file", conflicts_with = "rows", value_parser = clap::value_parser!(u64).range(1..))]
    pub row: Option<u64>,
    /// Show long values in full
    #[arg(long)]
    pub all: bool,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

#[derive(Debug, clap::Args)]
#[command(after_help = MORE, after_long_help = SURVEYS)]
pub struct SurveyArgs {
    /// Input files with the same columns; - or none for standard input
    ///
    /// Delimited or fixed-width text, JSON Lines, Parquet, Arrow or workbooks. Text can be compressed.
    #[arg(value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// Column to survey in depth: its name, its quoted name, or #4
    ///
    /// Without a column, the survey describes all columns in brief.
    #[arg(short, long = "column", value_name = "COLUMN", add = ArgValueCompleter::new(complete::columns))]
    pub columns: Vec<String>,
    /// Piece to survey in depth: 'NAME: PHRASE'
    ///
    /// The survey cuts the piece and writes nothing. --column is then the default column of the pieces.
    #[arg(short, long = "piece", value_name = "PIECE", add = ArgValueCompleter::new(complete::pieces))]
    pub pieces: Vec<String>,
    #[command(flatten)]
    pub rows_to_keep: KeepArgs,
    /// Break the survey of one column or piece down by another
    ///
    /// A line for each value of COLUMN, which is a column or one of the pieces of -p.
    #[arg(long, value_name = "COLUMN", conflicts_with_all = ["save", "against", "rows_of", "fine"], add = ArgValueCompleter::new(complete::columns))]
    pub by: Option<String>,
    /// List similar shapes separately
    #[arg(long)]
    pub fine: bool,
    /// List the rows of a shape, such as U3-d8
    ///
    /// Into a pipe, the list is CSV.
    #[arg(long, value_name = "SHAPE")]
    pub rows_of: Option<String>,
    /// Read only the first N rows
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub sample: Option<u64>,
    /// Output format: text or json
    #[arg(long, value_name = "FORMAT", default_value = "text", hide_possible_values = true)]
    pub to: SurveyFormat,
    /// Save the survey, without the values, as JSON
    ///
    /// `merge` combines the surveys of parts.
    #[arg(long, value_name = "FILE.json", conflicts_with_all = ["sample", "rows_of"])]
    pub save: Option<PathBuf>,
    /// Save one value as an example of each shape
    #[arg(hide_short_help = true, long, requires = "save")]
    pub with_examples: bool,
    /// Compare with a saved survey, and list what is new
    #[arg(long, value_name = "FILE.json", conflicts_with_all = ["sample", "rows_of"])]
    pub against: Option<PathBuf>,
    /// Exit with 1 on a change: any, blanks, new-shape, 'blanks 2%' …
    ///
    /// With --against. The changes are new-shape, shape-gone, blanks, new-values, distinct, delimiter, length, numbers, dates, odd,
    /// share, column and any. A share after the change is a limit.
    #[arg(hide_short_help = true, long, value_name = "WHAT", requires = "against")]
    pub fail_on: Vec<FailOnChange>,
    /// Run again when an input changes
    ///
    /// Each run shows what changed since the last one. Ctrl-C ends it.
    #[arg(long, conflicts_with_all = ["quiet", "part", "save", "rows_of", "by", "fail_on"])]
    pub watch: bool,
    /// Print no progress
    #[arg(short, long)]
    pub quiet: bool,
    #[command(flatten)]
    pub part: PartArgs,
    #[command(flatten)]
    pub threads: ThreadArgs,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

const SURVEYS: &str = r#"Examples:
  keen-notch survey parts.csv
  keen-notch survey parts.csv -c part_code
  keen-notch survey parts.csv -c part_code -p 'family: before "-"'
  keen-notch survey parts.csv -c part_code --rows-of 'U3-d8'
  keen-notch survey crew.csv --save november.json
  keen-notch survey crew-december.csv --against november.json --fail-on 'blanks 2%'

A shape shows the kind of each character: U3-d8-X4 is three uppercase letters, a hyphen, eight digits, a hyphen, and four uppercase letters and digits mixed."#;

/// A column of a table.
#[derive(Debug, clap::Args)]
pub struct OneColumn {
    /// Input file
    ///
    /// Delimited or fixed-width text, JSON Lines, Parquet, Arrow or a workbook. Text can be compressed.
    #[arg(value_name = "FILE", required_unless_present = "from")]
    pub file: Option<PathBuf>,
    /// Column: its name, its quoted name, or #4
    #[arg(short, long, value_name = "COLUMN", add = ArgValueCompleter::new(complete::columns))]
    pub column: Option<String>,
}

#[derive(Debug, clap::Args)]
#[command(after_help = MORE, after_long_help = TRIES)]
pub struct TryArgs {
    #[command(flatten)]
    pub of: OneColumn,
    /// Cut list to edit, or to create
    ///
    /// Ctrl-S saves the pieces in it and keeps the rest of the file.
    #[arg(short, long, value_name = "CUTLIST")]
    pub list: Option<PathBuf>,
    /// Let cut lists read files outside their folder and this one
    ///
    /// Otherwise `listed in` reads only files in the folder of the list and in the current folder.
    #[arg(hide_short_help = true, long)]
    pub allow_outside: bool,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

const TRIES: &str = r#"Examples:
  keen-notch try parts.csv
  keen-notch try parts.csv -c part_code -l new.cutlist.toml
  keen-notch try parts.csv -l parts.cutlist.toml

Without -c, choose the column from a list. Each key tries the phrase on the first 2000 rows; a pause tries it on all rows. The right arrow accepts the suggested word, and F1 shows all keys. Drag the mouse over the ruler to get phrases for these characters. The line `more` holds other keys of a cut list, such as columns = 3. At the end, the program prints the carve command."#;

#[derive(Debug, clap::Args)]
#[command(after_help = MORE, after_long_help = DRAFTS)]
pub struct DraftArgs {
    #[command(flatten)]
    pub of: OneColumn,
    /// Example of a result: 'VALUE => RESULT' (repeatable)
    ///
    /// The draft is then a phrase that fits all examples. 'name=Ines; year=2019 => INES19' gives values of two columns: the draft is
    /// then a phrase for each column, and a piece that joins their results.
    #[arg(long, value_name = "EXAMPLE")]
    pub want: Vec<String>,
    /// File with more examples, in the columns value and result
    ///
    /// Instead of value, it can have columns of the table.
    #[arg(long, value_name = "FILE")]
    pub want_file: Option<PathBuf>,
    /// File for the cut list; it must not exist
    #[arg(long, value_name = "NAME.cutlist.toml")]
    pub write: Option<PathBuf>,
    /// Print no progress and no file name
    #[arg(short, long)]
    pub quiet: bool,
    #[command(flatten)]
    pub threads: ThreadArgs,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

const DRAFTS: &str = r#"Examples:
  keen-notch draft parts.csv -c part_code
  keen-notch draft parts.csv -c part_code --write parts.cutlist.toml
  keen-notch draft parts.csv -c part_code --want 'GRP-00041273-S7K2 => 41273'
  keen-notch draft crew.csv --want 'depot=Valley; crew_id=2019-0385-RIG => RIG/Val'

A draft is a proposal. Nothing changes until you run it with carve -l."#;

/// Formats of a survey.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum SurveyFormat {
    /// Readable text.
    Text,
    /// JSON.
    Json,
}

#[derive(Debug, clap::Args)]
#[command(after_help = MORE, after_long_help = EXPLAINS)]
pub struct ExplainArgs {
    /// Cut list, and a table for --row
    ///
    /// With -l, -p or --layout, give only the table. - is standard input.
    #[arg(value_name = "CUTLIST] [FILE", num_args = 0..=2, required_unless_present_any = ["lists", "pieces", "layouts"])]
    pub paths: Vec<PathBuf>,
    /// Cut list (repeatable)
    #[arg(short, long = "list", value_name = "CUTLIST")]
    pub lists: Vec<PathBuf>,
    /// Piece: 'NAME: PHRASE'
    #[arg(short, long = "piece", value_name = "PIECE", add = ArgValueCompleter::new(complete::pieces))]
    pub pieces: Vec<String>,
    /// Default column of the pieces: its name, its quoted name, or #4
    #[arg(short, long, value_name = "COLUMN", add = ArgValueCompleter::new(complete::columns))]
    pub column: Option<String>,
    /// Layout: 'COLUMN: FORM'
    #[arg(long = "layout", value_name = "LAYOUT")]
    pub layouts: Vec<String>,
    /// Row to explain, from 1, without the header [default: 1]
    #[arg(long, value_name = "N", conflicts_with = "line")]
    pub row: Option<u64>,
    /// Line of the row in the file, instead of --row
    #[arg(long, value_name = "N")]
    pub line: Option<u64>,
    /// Let cut lists read files outside their folders and the one you are in (`listed in`)
    #[arg(long)]
    pub allow_outside: bool,
    /// Rows with too few or too many cells: stop or keep [default: stop]
    #[arg(hide_short_help = true, long, value_name = "WHAT", hide_possible_values = true, value_parser = ragged_rows())]
    pub ragged: Option<RaggedRows>,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

const EXPLAINS: &str = r#"Examples:
  keen-notch explain parts.cutlist.toml
  keen-notch explain parts.cutlist.toml parts.csv --row 7
  keen-notch explain parts.csv -c part_code -p 'family: first 3' --row 7"#;

#[derive(Debug, clap::Args)]
pub struct PhrasesArgs {
    /// Step or condition to show
    #[arg(value_name = "WORD")]
    pub word: Option<String>,
    /// Print the whole reference as Markdown
    #[arg(long, conflicts_with = "word")]
    pub markdown: bool,
}
