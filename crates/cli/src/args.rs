//! The command line.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use clap::builder::{PossibleValuesParser, TypedValueParser};
use clap::{Parser, Subcommand, ValueEnum};
use clap_complete::ArgValueCompleter;
use keen_notch_core::column::ColumnRef;
use keen_notch_core::cutlist::{RaggedRows, Reading as ListReading};
use keen_notch_core::summary::Part;
use keen_notch_core::widths::Widths;
use keen_notch_io::database::{Address, How, Relation, What};
use keen_notch_io::encode::TextOptions;
use keen_notch_io::formats::{Kind, Named};
use keen_notch_io::source::delimited::delimiter;
use keen_notch_io::source::input::{Encoding, Input};
use keen_notch_io::source::{Format, MEMORY, MOST_ROW, Ragged, Reading, WrongBytes};

use crate::commands::against::FailOn;
use crate::complete;
use crate::failure::{Failure, Text};

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

/// How tables of a database are written.
#[derive(Debug, Clone, clap::Args)]
#[command(next_help_heading = "Writing tables of a database")]
pub struct TableArgs {
    /// Put a new table in the place of the one that is there
    #[arg(long, conflicts_with = "append")]
    pub replace: bool,
    /// Add the rows after those of the table that is there
    #[arg(long)]
    pub append: bool,
    /// Write one row a fault to this table
    #[arg(long, value_name = "NAME", conflicts_with = "faults")]
    pub faults_table: Option<String>,
    /// Write rows with faults to this table instead of the other, with a column that says why
    #[arg(long, value_name = "NAME", conflicts_with = "offcuts")]
    pub offcuts_table: Option<String>,
}

impl TableArgs {
    /// What becomes of tables that are there.
    pub fn how(&self) -> How {
        match (self.replace, self.append) {
            (true, _) => How::Replace,
            (false, true) => How::Append,
            (false, false) => How::New,
        }
    }

    /// The first of these options that was given.
    pub fn first(&self) -> Option<&'static str> {
        let given = [
            (self.replace, "--replace"),
            (self.append, "--append"),
            (self.faults_table.is_some(), "--faults-table"),
            (self.offcuts_table.is_some(), "--offcuts-table"),
        ];
        given.into_iter().find(|(is_given, _)| *is_given).map(|(_, option)| option)
    }
}

/// How text is written.
#[derive(Debug, Clone, clap::Args)]
#[command(next_help_heading = "Writing text")]
pub struct WritingArgs {
    /// Write this between two cells: one ASCII character, or tab
    #[arg(long, value_name = "CHARACTER")]
    pub out_delimiter: Option<String>,
    /// Where the columns of fixed-width text are written: 'code 1 to 8, family 10 to 12', or places alone, in the order of the columns
    #[arg(long, value_name = "WIDTHS")]
    pub out_widths: Option<String>,
    /// Write a first row with the names of the columns: yes or no [default: as the input has one]
    #[arg(long, value_name = "WHETHER", hide_possible_values = true)]
    pub out_header: Option<YesOrNo>,
    /// Begin with a byte-order mark, by which some spreadsheets know UTF-8
    #[arg(long)]
    pub out_bom: bool,
    /// Put every cell in quotes
    #[arg(long)]
    pub quote_all: bool,
}

/// Yes or no.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum YesOrNo {
    /// Yes.
    Yes,
    /// No.
    No,
}

impl WritingArgs {
    /// How delimited text is written.
    pub fn options(&self) -> Result<TextOptions, keen_notch_io::Error> {
        Ok(TextOptions {
            delimiter: self.out_delimiter.as_deref().map(delimiter).transpose()?,
            header: self.out_header.map(|whether| whether == YesOrNo::Yes),
            byte_order_mark: self.out_bom,
            quote_all: self.quote_all,
        })
    }

    /// The first of the options for delimited text that was given.
    pub fn first(&self) -> Option<&'static str> {
        let given = [
            (self.out_delimiter.is_some(), "--out-delimiter"),
            (self.out_header.is_some(), "--out-header"),
            (self.out_bom, "--out-bom"),
            (self.quote_all, "--quote-all"),
        ];
        given.into_iter().find(|(is_given, _)| *is_given).map(|(_, option)| option)
    }
}

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

/// `merge`
#[derive(Debug, clap::Args)]
#[command(after_help = MERGES)]
pub struct MergeArgs {
    /// What carve or check wrote with --summary, or survey with --save, in the order of the rows; those of --part in any order
    #[arg(value_name = "SUMMARY", required = true)]
    pub files: Vec<PathBuf>,
    /// Write that of all to this file
    #[arg(short, long, value_name = "OUT.json")]
    pub out: Option<PathBuf>,
    /// Show no tables
    #[arg(short, long)]
    pub quiet: bool,
}

const MERGES: &str = r#"Examples:
  keen-notch merge east.json west.json
  keen-notch merge part-*.json -o all.json

Parts that were made by different cut lists or versions of the program are refused."#;

/// Which part of the rows is read.
#[derive(Debug, Clone, clap::Args)]
pub struct PartArgs {
    /// Read only the K-th of N parts of the rows, one after the other: what N such runs write, joined, is what one run writes, and merge
    /// puts their summaries together
    #[arg(long, value_name = "K/N")]
    pub part: Option<Part>,
}

/// `schema`
#[derive(Debug, clap::Args)]
#[command(after_help = SCHEMAS)]
pub struct SchemaArgs {
    /// Print which columns this cut list makes of a table, with what it reads; several are put together
    #[arg(long = "of", value_name = "CUTLIST")]
    pub lists: Vec<PathBuf>,
    /// The table, of which only the columns are looked at; - or none is standard input
    #[arg(value_name = "FILE", requires = "lists", conflicts_with = "columns")]
    pub file: Option<PathBuf>,
    /// The columns of the table, in their order, with commas between, instead of a table
    #[arg(long, value_name = "A,B,C", value_delimiter = ',', requires = "lists")]
    pub columns: Option<Vec<String>>,
    /// The column that pieces come from unless they say otherwise
    #[arg(short, long, value_name = "COLUMN", requires = "lists")]
    pub column: Option<String>,
    /// As for carve: a column with what is wrong with each row
    #[arg(long, value_name = "NAME", requires = "lists")]
    pub faults_column: Option<String>,
    /// As for carve: a column with what rows are to be compared with others by
    #[arg(long, value_name = "NAME", requires = "lists")]
    pub compare_column: Option<String>,
    /// Let cut lists read files outside their folders and the one you are in (`listed in`)
    #[arg(long)]
    pub allow_outside: bool,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

const SCHEMAS: &str = r#"Examples:
  keen-notch schema > cutlist.schema.json
  keen-notch schema --of parts.cutlist.toml parts.csv
  keen-notch schema --of parts.cutlist.toml --columns part_code,depot"#;

/// How many threads work.
#[derive(Debug, Clone, clap::Args)]
pub struct ThreadArgs {
    /// How many threads work on the rows [default: one a core]; what comes out is the same
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u16).range(1..=1024))]
    pub threads: Option<u16>,
}

impl ThreadArgs {
    /// As many as were said, or as many as can run at once.
    pub fn count(&self) -> usize {
        match self.threads {
            Some(threads) => usize::from(threads),
            None => std::thread::available_parallelism().map_or(1, usize::from),
        }
    }
}

/// Layouts, and what becomes of faults.
#[derive(Debug, Clone, clap::Args)]
#[command(next_help_heading = "Checking")]
pub struct FaultArgs {
    /// A layout: 'COLUMN: FORM', such as 'part_code: <family 3 uppercase>-<serial 8 digits>'
    #[arg(long = "layout", value_name = "LAYOUT")]
    pub layouts: Vec<String>,
    /// A check: 'PIECE: CONDITION', such as 'serial: digits'; of a column, where no piece has the name
    #[arg(long = "check", value_name = "CHECK")]
    pub checks: Vec<String>,
    /// Write one row a fault to this file, in the format that its name says
    #[arg(long, value_name = "FILE")]
    pub faults: Option<PathBuf>,
    /// Write rows with faults to this file instead of the output, with a column that says why
    #[arg(long, value_name = "FILE")]
    pub offcuts: Option<PathBuf>,
    /// Write the counts of the run to this file, as JSON
    #[arg(long, value_name = "FILE")]
    pub summary: Option<PathBuf>,
    /// Let cut lists read files outside their folders and the one you are in (`listed in`)
    #[arg(long)]
    pub allow_outside: bool,
    /// Rows with too few or too many cells: stop there, keep them, or set-aside, into the file of --offcuts [default: stop]
    #[arg(long, value_name = "WHAT", hide_possible_values = true, value_parser = ragged_rows())]
    pub ragged: Option<RaggedRows>,
}

/// What is to become of rows with too few or too many cells.
fn ragged_rows() -> impl TypedValueParser<Value = RaggedRows> {
    PossibleValuesParser::new(["stop", "keep", "set-aside"]).map(|what| match what.as_str() {
        "keep" => RaggedRows::Keep,
        "set-aside" => RaggedRows::SetAside,
        _ => RaggedRows::Stop,
    })
}

const PHRASES: &str = r#"Examples:
  keen-notch carve parts.csv -c part_code -p 'family: first 3' -p 'grade: trim then last 4'
  keen-notch carve crew.csv -p 'no of crew_id: section 2 by "-" then pad left to 6 with "0"'
  keen-notch carve parts.csv -l parts.cutlist.toml -o cut.csv

keen-notch phrases shows every step with an example."#;

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

/// `draft`
#[derive(Debug, clap::Args)]
#[command(after_help = DRAFTS)]
pub struct DraftArgs {
    /// A file: delimited or fixed-width text, JSON Lines, Parquet, Arrow, a workbook; text may be compressed
    #[arg(value_name = "FILE", required_unless_present = "from")]
    pub file: Option<PathBuf>,
    /// The column: its name, its quoted name, or #4
    #[arg(short, long, value_name = "COLUMN", add = ArgValueCompleter::new(complete::columns))]
    pub column: Option<String>,
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

/// `demo`
#[derive(Debug, clap::Args)]
pub struct DemoArgs {
    /// The folder to write the data to
    #[arg(long, value_name = "DIR", default_value = "keen-notch-demo")]
    pub dir: PathBuf,
}

/// `completions`
#[derive(Debug, clap::Args)]
#[command(after_help = COMPLETIONS)]
pub struct CompletionsArgs {
    /// The shell: bash, elvish, fish, powershell or zsh
    #[arg(value_name = "SHELL")]
    pub shell: String,
}

const COMPLETIONS: &str = r#"To have them in every new shell:
  bash:  echo 'source <(keen-notch completions bash)' >> ~/.bashrc
  zsh:   echo 'source <(keen-notch completions zsh)' >> ~/.zshrc
  fish:  echo 'keen-notch completions fish | source' >> ~/.config/fish/config.fish"#;

/// `manual`
#[derive(Debug, clap::Args)]
pub struct ManualArgs {
    /// The folder to write the pages to
    #[arg(long, value_name = "DIR")]
    pub dir: PathBuf,
}

/// How a table is read.
#[derive(Debug, Clone, clap::Args)]
#[command(next_help_heading = "Reading")]
pub struct ReadingArgs {
    /// How the input is written down, as the ending of a file that is written so: csv, tsv.gz … [default: by its name]; or a database: sqlite:FILE
    #[arg(long, value_name = "ENDING", value_parser = said)]
    pub from: Option<Said>,
    /// The table or view of the database. Where both are databases, it is given twice: the one that is read, and the one that is written
    #[arg(long = "table", value_name = "NAME")]
    pub tables: Vec<String>,
    /// The query on the database that gives the rows
    #[arg(long, value_name = "SQL")]
    pub query: Option<String>,
    /// What is between two cells: one ASCII character, or tab [default: by the ending, and else by the header]
    #[arg(long, value_name = "CHARACTER")]
    pub delimiter: Option<String>,
    /// Where the columns of fixed-width text are: 'code 1 to 8, qty 9 for 4, note 14 to end'; without names, the first line has them
    #[arg(long, value_name = "WIDTHS")]
    pub widths: Option<String>,
    /// The sheet of a workbook [default: the first]
    #[arg(long, value_name = "NAME")]
    pub sheet: Option<String>,
    /// The first row is data: columns are #1, #2 …
    #[arg(long)]
    pub no_header: bool,
    /// What the input is written in, if not UTF-8, such as windows-1252; the output is UTF-8
    #[arg(long, value_name = "ENCODING")]
    pub encoding: Option<String>,
    /// Bytes that are not of the encoding: stop there, or replace them by U+FFFD and count [default: stop]
    #[arg(long, value_name = "WHAT", hide_possible_values = true, hide_default_value = true, default_value = "stop")]
    pub encoding_errors: EncodingErrors,
    /// The longest row allowed, in bytes, and the most that its pieces may take; K, M or G may follow
    #[arg(long, value_name = "BYTES", default_value_t = Bytes(MOST_ROW))]
    pub max_row: Bytes,
    /// The memory for what is on its way and what is remembered of rows, in bytes; K, M or G may follow
    #[arg(long, value_name = "BYTES", default_value_t = Bytes(MEMORY))]
    pub memory: Bytes,
}

impl ReadingArgs {
    /// How tables are read: as these arguments say it, and else as a cut list does.
    pub fn reading(&self, list: &ListReading) -> Result<Reading, Failure> {
        let encoding = self.encoding.as_deref().or(list.encoding.as_deref());
        let widths = self.widths.as_deref().or(list.widths.as_deref());
        Ok(Reading {
            from: if let Some(Said::Named(named)) = self.from { Some(named) } else { None },
            delimiter: self.delimiter.clone().or(list.delimiter.clone()),
            header: !self.no_header && list.header.unwrap_or(true),
            encoding: encoding.map(Encoding::named).transpose()?,
            sheet: self.sheet.clone().or(list.sheet.clone()),
            widths: widths.map(read_widths).transpose()?.map(Arc::new),
            wrong_bytes: if self.encoding_errors == EncodingErrors::Replace { WrongBytes::Replace } else { WrongBytes::Stop },
            max_row: self.max_row.0,
            memory: self.memory.0,
            ragged: match list.ragged {
                None | Some(RaggedRows::Stop) => Ragged::Stop,
                Some(RaggedRows::Keep) => Ragged::Keep,
                Some(RaggedRows::SetAside) => Ragged::SetAside,
            },
            ..Reading::default()
        })
    }
}

impl ReadingArgs {
    /// The rows of a database that are read, if some are: as these arguments say it, and else as a cut list does. Gives the tables too that
    /// are named beside the one that is read.
    pub fn relation(&self, list: &ListReading) -> Result<(Option<Relation>, &[String]), Failure> {
        let Some(Said::Database(address)) = &self.from else {
            return match &self.query {
                None => Ok((None, &self.tables)),
                Some(_) => Err(Failure::usage(
                    "--query is for databases, and none is named",
                    "name it, such as --from sqlite:yard.db, or leave the option out",
                )),
            };
        };
        let (what, others) = match (&self.query, self.tables.split_first(), &list.query) {
            (Some(query), ..) => (What::Query(query.clone()), &self.tables[..]),
            (None, Some((table, others)), _) => (What::Table(table.clone()), others),
            (None, None, Some(query)) => (What::Query(query.clone()), &[][..]),
            (None, None, None) => (What::Unsaid, &[][..]),
        };
        Ok((Some(Relation { address: address.clone(), what }), others))
    }

    /// The first option that was given and says nothing of a table in a format, and what it is for.
    pub fn first_out_of_place(&self, format: &Format) -> Option<(&'static str, &'static str)> {
        let kind = format.kind();
        let (is_text, is_fixed, is_sheet) =
            (matches!(kind, Kind::Delimited(_)), kind == Kind::FixedWidth, kind == Kind::Workbook);
        let given = [
            (self.delimiter.is_some() && !is_text, "--delimiter", "delimited text"),
            (self.no_header && !is_text && !is_fixed && !is_sheet, "--no-header", "tables with a first row of names"),
            (self.sheet.is_some() && !is_sheet, "--sheet", "workbooks"),
            (self.widths.is_some() && !is_fixed, "--widths", "fixed-width text"),
        ];
        given.into_iter().find(|(is_given, ..)| *is_given).map(|(_, option, what)| (option, what))
    }
}

impl FaultArgs {
    /// How tables are read: as the arguments say it, and else as a cut list does.
    pub fn reading(&self, reading: &ReadingArgs, list: &ListReading) -> Result<Reading, Failure> {
        reading.reading(&ListReading { ragged: self.ragged.or(list.ragged), ..list.clone() })
    }
}

/// Reads where the columns of a text are.
pub fn read_widths(text: &str) -> Result<Widths, Failure> {
    Widths::parse(text).map_err(|error| Failure::text_error(&Text { name: None, text: text.to_owned() }, error))
}

/// What --from or --to says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Said {
    /// Files that are written down so.
    Named(Named),
    /// A database.
    Database(Address),
}

/// As the command line takes it, but for passwords.
impl std::fmt::Display for Said {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Said::Named(named) => named.fmt(f),
            Said::Database(address) => address.fmt(f),
        }
    }
}

/// What an ending or an address says.
fn said(text: &str) -> Result<Said, String> {
    Address::parse(text).map_or_else(|| named(text).map(Said::Named), |address| Ok(Said::Database(address)))
}

/// What an ending says of a format.
fn named(ending: &str) -> Result<Named, String> {
    Named::parse(ending).map_err(|error| format!("{error}; {}", error.help()))
}

/// The input that a path on the command line names.
pub fn input(path: &Path) -> Input {
    if path.as_os_str() == "-" { Input::Stdin } else { Input::File(path.to_owned()) }
}

/// The column that an option names.
pub fn column(text: Option<&str>) -> Option<ColumnRef> {
    text.map(ColumnRef::parse)
}

/// What becomes of bytes that are not of the encoding.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, ValueEnum)]
pub enum EncodingErrors {
    /// The run ends there.
    #[default]
    Stop,
    /// U+FFFD is read for them.
    Replace,
}

/// A number of bytes, as `64M`.
#[derive(Debug, Clone, Copy, Default)]
pub struct Bytes(usize);

impl std::str::FromStr for Bytes {
    type Err = String;

    fn from_str(text: &str) -> Result<Bytes, String> {
        let digits = text.trim_end_matches(|c: char| !c.is_ascii_digit());
        let unit: usize = match text[digits.len()..].to_ascii_uppercase().as_str() {
            "" => 1,
            "K" => 1 << 10,
            "M" => 1 << 20,
            "G" => 1 << 30,
            _ => return Err("write a number of bytes, such as 64M".to_owned()),
        };
        let bytes = digits.parse::<usize>().ok().and_then(|n| n.checked_mul(unit)).filter(|bytes| *bytes > 0);
        bytes.map(Bytes).ok_or_else(|| "write a number of bytes, such as 64M".to_owned())
    }
}

impl std::fmt::Display for Bytes {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.0 {
            n if n.is_multiple_of(1 << 20) => write!(f, "{}M", n >> 20),
            n => write!(f, "{n}"),
        }
    }
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
