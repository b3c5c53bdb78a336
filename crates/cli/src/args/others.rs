//! `merge`, `schema` and what is beside the work.

use std::path::PathBuf;

use super::ReadingArgs;

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
