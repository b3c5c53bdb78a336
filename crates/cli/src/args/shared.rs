//! What several commands take.

use std::path::PathBuf;

use clap::ValueEnum;
use clap::builder::{PossibleValuesParser, TypedValueParser};
use keen_notch_core::cutlist::{RaggedRows, Reading as ListReading};
use keen_notch_core::summary::Part;
use keen_notch_io::source::Reading;

use super::ReadingArgs;
use crate::failure::Failure;

/// Which part of the rows is read.
#[derive(Debug, Clone, clap::Args)]
pub struct PartArgs {
    /// Read only the K-th of N parts of the rows, one after the other: what N such runs write, joined, is what one run writes, and merge
    /// puts their summaries together
    #[arg(long, value_name = "K/N")]
    pub part: Option<Part>,
}

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

/// A condition, beside faults, that makes a run exit with 1.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum FailOn {
    /// An input without rows, or a check without values.
    Empty,
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
    /// Exit with 1 if an input has no rows or a check has no value to look at (empty)
    #[arg(long, value_name = "WHAT", hide_possible_values = true)]
    pub fail_on: Option<FailOn>,
    /// Let cut lists read files outside their folders and the one you are in (`listed in`)
    #[arg(long)]
    pub allow_outside: bool,
    /// Rows with too few or too many cells: stop there, keep them, or set-aside, into the file of --offcuts [default: stop]
    #[arg(long, value_name = "WHAT", hide_possible_values = true, value_parser = ragged_rows())]
    pub ragged: Option<RaggedRows>,
}

/// What is to become of rows with too few or too many cells.
pub fn ragged_rows() -> impl TypedValueParser<Value = RaggedRows> {
    PossibleValuesParser::new(["stop", "keep", "set-aside"]).map(|what| match what.as_str() {
        "keep" => RaggedRows::Keep,
        "set-aside" => RaggedRows::SetAside,
        _ => RaggedRows::Stop,
    })
}

impl FaultArgs {
    /// How tables are read: as the arguments say it, and else as a cut list does.
    pub fn reading(&self, reading: &ReadingArgs, list: &ListReading) -> Result<Reading, Failure> {
        reading.reading(&ListReading { ragged: self.ragged.or(list.ragged), ..list.clone() })
    }
}
