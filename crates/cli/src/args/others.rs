use std::path::PathBuf;

use keen_notch_io::source::MEMORY;

use super::reading::Bytes;
use super::{MORE, ReadingArgs};

#[derive(Debug, clap::Args)]
#[command(after_help = MERGES)]
pub struct MergeArgs {
    /// Summaries (--summary) or surveys (--save), in the order of the rows
    ///
    /// The files of --part can be in any order.
    #[arg(value_name = "SUMMARY", required = true)]
    pub files: Vec<PathBuf>,
    /// File for the merged summary or survey
    #[arg(short, long, value_name = "OUT.json")]
    pub out: Option<PathBuf>,
    /// File for the duplicates that `unique` finds across the parts
    ///
    /// It has the columns of `carve --faults`. The line, the value and the result are blank.
    #[arg(long, value_name = "FILE")]
    pub faults: Option<PathBuf>,
    /// Memory limit of `unique`, in bytes or with K, M, G
    ///
    /// Beyond the limit, `unique` uses temporary files.
    #[arg(hide_short_help = true, long, value_name = "BYTES", default_value_t = Bytes(MEMORY))]
    pub memory: Bytes,
    /// Print no tables
    #[arg(short, long)]
    pub quiet: bool,
}

const MERGES: &str = r#"Examples:
  keen-notch merge east.json west.json
  keen-notch merge part-*.json -o all.json

All parts must come from the same cut list and program version."#;

#[derive(Debug, clap::Args)]
#[command(after_help = MORE, after_long_help = SCHEMAS)]
pub struct SchemaArgs {
    /// Print the input and output columns of this cut list (repeatable)
    #[arg(long = "of", value_name = "CUTLIST")]
    pub lists: Vec<PathBuf>,
    /// Table for its columns; - or none for standard input
    #[arg(value_name = "FILE", requires = "lists", conflicts_with = "columns")]
    pub file: Option<PathBuf>,
    /// Columns of the table, in order, in place of a table
    #[arg(long, value_name = "A,B,C", value_delimiter = ',', requires = "lists")]
    pub columns: Option<Vec<String>>,
    /// Default column of the pieces: its name, its quoted name, or #4
    #[arg(short, long, value_name = "COLUMN", requires = "lists")]
    pub column: Option<String>,
    /// Include the column of carve --faults-column
    #[arg(hide_short_help = true, long, value_name = "NAME", requires = "lists")]
    pub faults_column: Option<String>,
    /// Include the column of carve --compare-column
    #[arg(hide_short_help = true, long, value_name = "NAME", requires = "lists")]
    pub compare_column: Option<String>,
    /// Let cut lists read files outside their folder and this one
    ///
    /// Otherwise `listed in` reads only files in the folder of the list and in the current folder.
    #[arg(hide_short_help = true, long)]
    pub allow_outside: bool,
    #[command(flatten)]
    pub reading: ReadingArgs,
}

const SCHEMAS: &str = r#"Examples:
  keen-notch schema > cutlist.schema.json
  keen-notch schema --of parts.cutlist.toml parts.csv
  keen-notch schema --of parts.cutlist.toml --columns part_code,depot"#;

#[derive(Debug, clap::Args)]
pub struct DemoArgs {
    /// Take the whole tour
    #[arg(long)]
    pub all: bool,
    /// Folder for the sample data
    #[arg(long, value_name = "DIR", default_value = "keen-notch-demo")]
    pub dir: PathBuf,
}

#[derive(Debug, clap::Args)]
#[command(after_help = COMPLETIONS)]
pub struct CompletionsArgs {
    /// Shell: bash, elvish, fish, powershell or zsh
    #[arg(value_name = "SHELL")]
    pub shell: String,
}

const COMPLETIONS: &str = r#"For every new shell:
  bash:  echo 'source <(keen-notch completions bash)' >> ~/.bashrc
  zsh:   echo 'source <(keen-notch completions zsh)' >> ~/.zshrc
  fish:  echo 'keen-notch completions fish | source' >> ~/.config/fish/config.fish"#;

#[derive(Debug, clap::Args)]
pub struct ManualArgs {
    /// Folder for the pages
    #[arg(long, value_name = "DIR")]
    pub dir: PathBuf,
}
