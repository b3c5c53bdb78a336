//! Options for reading tables.

use std::path::{Path, PathBuf};
use std::sync::Arc;

use clap::ValueEnum;
use keen_notch_core::cutlist::{RaggedRows, Reading as ListReading};
use keen_notch_core::widths::Widths;
use keen_notch_io::formats::FileFormat;
use keen_notch_io::formats::database::{Address, Relation, What};
use keen_notch_io::formats::workbook::OpenedSheet;
use keen_notch_io::source::input::Encoding;
use keen_notch_io::source::{self, Format, MEMORY, MOST_ROW, Partitions, Ragged, Reading, WrongBytes};

use crate::failure::{Failure, Text};
use crate::io_help;

/// Options for reading tables.
#[derive(Debug, Clone, clap::Args)]
#[command(next_help_heading = "Reading")]
pub struct ReadingArgs {
    /// Input format as a file extension (csv, tsv.gz …), or a database
    ///
    /// The default follows the file name. A database is sqlite:FILE or postgresql://USER@HOST/DATABASE.
    #[arg(long, value_name = "ENDING", value_parser = parse_format)]
    pub from: Option<FormatOrDatabase>,
    /// File with the names of more input files, one per line; - for standard input
    #[arg(hide_short_help = true, long, value_name = "FILE")]
    pub files_from: Option<PathBuf>,
    /// Make columns of folders with names such as depot=North
    ///
    /// They come after the columns of the files, in the order of the folders in the path.
    #[arg(hide_short_help = true, long)]
    pub partitions: bool,
    /// Database table or view (repeatable)
    ///
    /// If input and output are databases, give the input table first and the output table second.
    #[arg(hide_short_help = true, long = "table", value_name = "NAME")]
    pub tables: Vec<String>,
    /// Database query for the rows
    #[arg(hide_short_help = true, long, value_name = "SQL")]
    pub query: Option<String>,
    /// Input delimiter: one ASCII character, or tab
    ///
    /// The default follows the file extension, and otherwise the header.
    #[arg(long, value_name = "CHARACTER")]
    pub delimiter: Option<String>,
    /// Columns of fixed-width text: 'code 1 to 8, qty 9 for 4'
    ///
    /// The last column can end with `to end`. Without names, the first line is the header.
    #[arg(long, value_name = "WIDTHS")]
    pub widths: Option<String>,
    /// Sheet of a workbook [default: the first]
    #[arg(long, value_name = "NAME")]
    pub sheet: Option<String>,
    /// Formulas without a stored value: stop, or read as blank [default: stop]
    #[arg(
        hide_short_help = true,
        long,
        value_name = "WHAT",
        hide_possible_values = true,
        hide_default_value = true,
        default_value = "stop"
    )]
    pub empty_formulas: EmptyFormulas,
    /// Read the first row as data: columns are #1, #2 …
    #[arg(long)]
    pub no_header: bool,
    /// Input encoding, such as windows-1252 [default: UTF-8]
    ///
    /// The output is always UTF-8.
    #[arg(long, value_name = "ENCODING")]
    pub encoding: Option<String>,
    /// Invalid bytes: stop, or replace with U+FFFD [default: stop]
    #[arg(
        hide_short_help = true,
        long,
        value_name = "WHAT",
        hide_possible_values = true,
        hide_default_value = true,
        default_value = "stop"
    )]
    pub encoding_errors: EncodingErrors,
    /// Size limit of a row and of its pieces, in bytes or with K, M, G
    #[arg(hide_short_help = true, long, value_name = "BYTES", default_value_t = Bytes(MOST_ROW))]
    pub max_row: Bytes,
    /// Memory limit, in bytes or with K, M, G
    ///
    /// Beyond the limit, `unique` uses temporary files.
    #[arg(hide_short_help = true, long, value_name = "BYTES", default_value_t = Bytes(MEMORY))]
    pub memory: Bytes,
}

impl ReadingArgs {
    pub fn reading(&self, list: &ListReading) -> Result<Reading, Failure> {
        let encoding = self.encoding.as_deref().or(list.encoding.as_deref());
        let widths = self.widths.as_deref().or(list.widths.as_deref());
        Ok(Reading {
            from: if let Some(FormatOrDatabase::Format(named)) = self.from { Some(named) } else { None },
            delimiter: self.delimiter.clone().or(list.delimiter.clone()),
            header: !self.no_header && list.header.unwrap_or(true),
            partitions: match (self.partitions, list.partitions) {
                (true, _) => Partitions::Always,
                (false, Some(true)) => Partitions::OfFiles,
                (false, _) => Partitions::No,
            },
            encoding: encoding.map(Encoding::named).transpose()?,
            sheet: self.sheet.clone().or(list.sheet.clone()),
            widths: widths.map(read_widths).transpose()?.map(Arc::new),
            wrong_bytes: if self.encoding_errors == EncodingErrors::Replace { WrongBytes::Replace } else { WrongBytes::Stop },
            empty_formulas: match self.empty_formulas {
                EmptyFormulas::Stop => source::EmptyFormulas::Stop,
                EmptyFormulas::Blank => source::EmptyFormulas::Blank,
            },
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

    /// The database rows to read: from these options, then from a cut list. Also returns the other tables that are named.
    pub fn relation(&self, list: &ListReading) -> Result<(Option<Relation>, &[String]), Failure> {
        let Some(FormatOrDatabase::Database(address)) = &self.from else {
            return match &self.query {
                None => Ok((None, &self.tables)),
                Some(_) => Err(Failure::usage(
                    "--query needs a database",
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

    /// The first given option that does not apply to a format, with its use.
    pub fn first_out_of_place(&self, format: &Format) -> Option<(&'static str, &'static str)> {
        let kind = format.kind();
        let (is_text, is_fixed, is_sheet) = (kind.is_delimited(), kind.needs_positions, format.get::<OpenedSheet>().is_some());
        let given = [
            (self.delimiter.is_some() && !is_text, "--delimiter", "delimited text"),
            (self.no_header && !is_text && !is_fixed && !is_sheet, "--no-header", "tables with a first row of names"),
            (self.sheet.is_some() && !is_sheet, "--sheet", "workbooks"),
            (self.empty_formulas != EmptyFormulas::Stop && !is_sheet, "--empty-formulas", "workbooks"),
            (self.widths.is_some() && !is_fixed, "--widths", "fixed-width text"),
        ];
        given.into_iter().find(|(is_given, ..)| *is_given).map(|(_, option, what)| (option, what))
    }
}

pub fn read_widths(text: &str) -> Result<Widths, Failure> {
    Widths::parse(text).map_err(|error| Failure::text_error(&Text { name: None, text: text.to_owned() }, error))
}

/// The value of --from or --to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FormatOrDatabase {
    /// A file format.
    Format(FileFormat),
    /// A database.
    Database(Address),
}

/// In command-line notation, without passwords.
impl std::fmt::Display for FormatOrDatabase {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            FormatOrDatabase::Format(named) => named.fmt(f),
            FormatOrDatabase::Database(address) => address.fmt(f),
        }
    }
}

pub fn parse_format(text: &str) -> Result<FormatOrDatabase, String> {
    match Address::parse(text) {
        Some(address) => Ok(FormatOrDatabase::Database(address)),
        None if Address::is_meant(text) => Err(ADDRESSES.to_owned()),
        None => named(text).map(FormatOrDatabase::Format),
    }
}

/// Help for addresses of databases.
const ADDRESSES: &str = "the address of a database is sqlite:FILE or postgresql://USER@HOST/DATABASE";

/// Rejects a path that is, or resembles, the address of a database.
pub fn refuse_address(path: &Path, option: &str) -> Result<(), Failure> {
    let Some(text) = path.to_str() else { return Ok(()) };
    match Address::parse(text) {
        Some(address) => Err(Failure::usage(
            format!("{address} is a database, not a file"),
            format!("write {option} {address} --table NAME"),
        )),
        None if Address::is_meant(text) && !path.exists() => {
            Err(Failure::usage(format!("{text} is not a file"), format!("{ADDRESSES}; write {option} ADDRESS --table NAME")))
        }
        None => Ok(()),
    }
}

fn named(ending: &str) -> Result<FileFormat, String> {
    FileFormat::parse(ending).map_err(|error| format!("{error}; {}", io_help::help(&error)))
}

/// What to do with invalid bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, ValueEnum)]
pub enum EncodingErrors {
    /// Stop with an error.
    #[default]
    Stop,
    /// Replace each sequence with U+FFFD.
    Replace,
}

/// What to do with formulas without a stored value.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, ValueEnum)]
pub enum EmptyFormulas {
    /// Stop with an error.
    #[default]
    Stop,
    /// Read them as blank.
    Blank,
}

#[derive(Debug, Clone, Copy, Default)]
pub struct Bytes(pub usize);

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
