//! `gauge`, `survey`, `draft`, `explain` and `phrases`.

use std::path::PathBuf;

use clap::ValueEnum;
use clap_complete::ArgValueCompleter;
use keen_notch_core::cutlist::RaggedRows;

use super::shared::ragged_rows;
use super::{PartArgs, ReadingArgs, ThreadArgs};
use crate::commands::against::FailOn;
use crate::complete;

/// `gauge`
#[derive(Debug, clap::Args)]
pub struct GaugeArgs {
    /// The values to measure
    #[arg(value_name = "VALUE", required_unless_present = "file", conflicts_with = "file")]
    pub values: Vec<String>,
    /// Mark the characters that a phrase takes
    #[arg(short, long = "piece", value_name = "PHRASE", add = ArgValueCompleter::new(complete::phrases))]
    pub pieces: Vec<String>,
    /// Take the values from this file; - for standard input
    #[arg(long, value_name = "FILE")]
    pub file: Option<PathBuf>,
    /// The column of the file: its name, its quoted name, or #4
    #[arg(short, long, value_name = "COLUMN", requires = "file", add = ArgValueCompleter::new(complete::columns))]
    pub column: Option<String>,
    /// How many rows of the file, from the first
    #[arg(long, value_name = "N", requires = "file", default_value_t = 5)]
    pub rows: usize,
    /// Show all of a long value
    #[arg(long)]
    pub all: bool,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

/// `survey`
#[derive(Debug, clap::Args)]
#[command(after_help = SURVEYS)]
pub struct SurveyArgs {
    /// Files with the same columns: delimited or fixed-width text, JSON Lines, Parquet, Arrow, workbooks; text may be compressed. - or none is standard input
    #[arg(value_name = "FILE")]
    pub files: Vec<PathBuf>,
    /// A column to survey in depth: its name, its quoted name, or #4; without one, all columns in brief
    #[arg(short, long = "column", value_name = "COLUMN", add = ArgValueCompleter::new(complete::columns))]
    pub columns: Vec<String>,
    /// A piece to survey in depth, as carve takes it: nothing is written. The column is then the one that pieces come from
    #[arg(short, long = "piece", value_name = "PIECE", add = ArgValueCompleter::new(complete::pieces))]
    pub pieces: Vec<String>,
    /// Show each shape by itself, close ones too
    #[arg(long)]
    pub fine: bool,
    /// List the rows of a shape, as the survey of the column writes it; CSV into a pipe
    #[arg(long, value_name = "SHAPE")]
    pub rows_of: Option<String>,
    /// Look at the first N rows only
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u64).range(1..))]
    pub sample: Option<u64>,
    /// What to write: text for people, json for programs
    #[arg(long, value_name = "FORMAT", default_value = "text", hide_possible_values = true)]
    pub to: SurveyFormat,
    /// Save the survey in this file, which is small: without the values of the columns. merge puts those of parts together
    #[arg(long, value_name = "FILE.json", conflicts_with_all = ["sample", "rows_of"])]
    pub save: Option<PathBuf>,
    /// Save an example of each shape, which is a value
    #[arg(long, requires = "save")]
    pub with_examples: bool,
    /// Say what is new since the survey that was saved in this file, the worst first
    #[arg(long, value_name = "FILE.json", conflicts_with_all = ["sample", "rows_of"])]
    pub against: Option<PathBuf>,
    /// End with 1 where this is so, with --against: new-shape, shape-gone, blanks, new-values, distinct, delimiter, length, odd, share, column
    /// or any; a share after it is what it has to pass: 'blanks 2%'
    #[arg(long, value_name = "WHAT", requires = "against")]
    pub fail_on: Vec<FailOn>,
    /// Show no progress
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

A shape is a value with its characters replaced by what they are: U3-d8-X4 is three uppercase letters, a hyphen, eight digits, a hyphen, and four uppercase letters and digits mixed."#;

/// One column of one table.
#[derive(Debug, clap::Args)]
pub struct OneColumn {
    /// A file: delimited or fixed-width text, JSON Lines, Parquet, Arrow, a workbook; text may be compressed
    #[arg(value_name = "FILE", required_unless_present = "from")]
    pub file: Option<PathBuf>,
    /// The column: its name, its quoted name, or #4
    #[arg(short, long, value_name = "COLUMN", add = ArgValueCompleter::new(complete::columns))]
    pub column: Option<String>,
}

/// `try`
#[derive(Debug, clap::Args)]
#[command(after_help = TRIES)]
pub struct TryArgs {
    #[command(flatten)]
    pub of: OneColumn,
    /// The cut list that Ctrl-S writes the pieces into: a new one, or one that is there, whose pieces of the column are loaded, and which
    /// keeps all else that is in it
    #[arg(short, long, value_name = "CUTLIST")]
    pub list: Option<PathBuf>,
    /// Let the cut list read files outside its folder and the one you are in (`listed in`)
    #[arg(long)]
    pub allow_outside: bool,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

const TRIES: &str = r#"Examples:
  keen-notch try parts.csv -c part_code
  keen-notch try parts.csv -c part_code -l new.cutlist.toml
  keen-notch try parts.csv -l parts.cutlist.toml

The phrase is tried on the first 2000 rows at every key, and on all rows as soon as nothing is typed. The right arrow takes the word that is offered; the mouse, dragged over characters of the ruler, offers phrases that take them. The line `more` holds other keys of a cut list, such as columns = 3. At the end, the command is printed that carves what was tried."#;

/// `draft`
#[derive(Debug, clap::Args)]
#[command(after_help = DRAFTS)]
pub struct DraftArgs {
    #[command(flatten)]
    pub of: OneColumn,
    /// An example of what is wanted: 'VALUE => RESULT'; with any, a phrase is looked for that fits them all
    #[arg(long, value_name = "EXAMPLE")]
    pub want: Vec<String>,
    /// More examples: a file with the columns value and result
    #[arg(long, value_name = "FILE")]
    pub want_file: Option<PathBuf>,
    /// Write the cut list to this file, which must not be there yet
    #[arg(long, value_name = "NAME.cutlist.toml")]
    pub write: Option<PathBuf>,
    /// Show no progress, and say nothing of the file written
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

A draft is a proposal with its evidence. Nothing is applied until you run it with carve -l."#;

/// What a survey is written as.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum SurveyFormat {
    /// For people.
    Text,
    /// For programs.
    Json,
}

/// `explain`
#[derive(Debug, clap::Args)]
#[command(after_help = EXPLAINS)]
pub struct ExplainArgs {
    /// A cut list, and a table to take a row from; with -l, -p or --layout, the table alone. - is standard input
    #[arg(value_name = "CUTLIST] [FILE", num_args = 0..=2, required_unless_present_any = ["lists", "pieces", "layouts"])]
    pub paths: Vec<PathBuf>,
    /// A cut list; several are put together
    #[arg(short, long = "list", value_name = "CUTLIST")]
    pub lists: Vec<PathBuf>,
    /// A piece, as carve takes it
    #[arg(short, long = "piece", value_name = "PIECE", add = ArgValueCompleter::new(complete::pieces))]
    pub pieces: Vec<String>,
    /// The column that pieces come from unless they say otherwise
    #[arg(short, long, value_name = "COLUMN", add = ArgValueCompleter::new(complete::columns))]
    pub column: Option<String>,
    /// A layout, as carve takes it
    #[arg(long = "layout", value_name = "LAYOUT")]
    pub layouts: Vec<String>,
    /// Which row, counted from 1 without the header [default: 1]
    #[arg(long, value_name = "N", conflicts_with = "line")]
    pub row: Option<u64>,
    /// The row that is on this line of the file
    #[arg(long, value_name = "N")]
    pub line: Option<u64>,
    /// Let cut lists read files outside their folders and the one you are in (`listed in`)
    #[arg(long)]
    pub allow_outside: bool,
    /// Rows with too few or too many cells: stop there, or keep them [default: stop]
    #[arg(long, value_name = "WHAT", hide_possible_values = true, value_parser = ragged_rows())]
    pub ragged: Option<RaggedRows>,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

const EXPLAINS: &str = r#"Examples:
  keen-notch explain parts.cutlist.toml
  keen-notch explain parts.cutlist.toml parts.csv --row 7
  keen-notch explain parts.csv -c part_code -p 'family: first 3' --row 7"#;

/// `phrases`
#[derive(Debug, clap::Args)]
pub struct PhrasesArgs {
    /// Only this step
    #[arg(value_name = "WORD")]
    pub word: Option<String>,
    /// The whole reference as Markdown
    #[arg(long, conflicts_with = "word")]
    pub markdown: bool,
}
