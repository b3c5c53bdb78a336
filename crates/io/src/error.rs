use std::io;

use keen_notch_core::check::unique_texts::StoreError;

use crate::Remedy;

/// An input that cannot be read, or an output that cannot be written. Lines, rows, columns, characters and bytes count from 1; characters
/// are code points. Limits are in bytes.
#[derive(Debug, thiserror::Error)]
pub enum Error {
    #[error("{name} cannot be read: {}", reason(source))]
    Read { name: String, source: io::Error },
    #[error("{name} is a folder, not a file")]
    Folder { name: String },
    #[error("{name} {what}")]
    FolderOf { name: String, what: String },
    #[error("{pattern} is no file, and as a pattern: {why}")]
    WrongPattern { pattern: String, why: String },
    #[error("{name} {why}")]
    Partitions { name: String, why: String },
    #[error("{name} is empty, so it has no header to find columns by")]
    Empty { name: String },
    #[error("{name} is not text: it is {found}")]
    NoText {
        name: String,
        found: &'static str,
        /// The option value to read it, if the format is supported.
        from: Option<&'static str>,
    },
    #[error("{name} is fixed-width text without column widths")]
    NoWidths { name: String, widths: Option<String> },
    #[error("{name}, line {line}: text after the last column, from character {character}")]
    BeyondColumns { name: String, line: u64, character: usize },
    #[error("the output is fixed-width text, and the column {title} has no position in it: {why}")]
    NoPlace { title: String, why: String },
    #[error("{name}, row {row}: the value of {column} cannot be read as text: {why}")]
    NoTextOf { name: String, column: String, row: u64, why: String },
    #[error("{name} differs from {first}: the type of {column} is {found}, not {wanted}")]
    OtherType { name: String, first: String, column: String, found: String, wanted: String },
    #[error("{name}: {column} is {found} on line {line}, and {wanted} on line {first}; {format} has one type for each column")]
    MixedTypes {
        name: String,
        column: String,
        found: &'static str,
        line: u64,
        wanted: &'static str,
        first: u64,
        format: &'static str,
    },
    #[error("rows cannot be written as {format}: {why}")]
    NoColumnar { format: &'static str, why: String },
    #[error("the column {column} has a type that Parquet lacks: {of}")]
    NotInParquet { column: String, of: &'static str },
    #[error("faults and summaries of rows cannot be written as {format}")]
    NoTable { format: &'static str },
    #[error("two output columns have the name {title}, and {format} needs unique names")]
    DoubledTitle { title: String, format: &'static str },
    #[error("{name} cannot be read: {why}")]
    BadFile { name: String, why: String, help: Remedy },
    #[error("{name}: {why}")]
    Database { name: String, why: String, help: Remedy },
    #[error("no input table given for {of}")]
    WhichDatabaseTable { of: String, tables: Vec<String> },
    #[error("{of} has a table or view called {table:?}")]
    TableIsThere { table: String, of: String },
    #[error("{of} has no table or view called {name:?}")]
    NoDatabaseTable { name: String, of: String, tables: Vec<String> },
    #[error("{name} has no sheet called {sheet:?}")]
    NoSheet { name: String, sheet: String, sheets: Vec<String> },
    #[error("{name}, sheet {sheet}, row {row}: {from} to {to} are one merged cell, so the columns have no names of their own")]
    MergedHeader { name: String, sheet: String, row: u32, from: String, to: String },
    #[error("{name}, sheet {sheet}, row {row}: column {column} has a value but no name in the first row")]
    UnnamedCell { name: String, sheet: String, row: u32, column: String },
    #[error("{name} looks like {found}")]
    LooksLike { name: String, found: &'static str, from: &'static str },
    #[error("{name}, line {line}: byte {byte} of the line (hex {value:02X}) is not UTF-8")]
    NotUtf8 { name: String, line: u64, byte: usize, value: u8 },
    #[error("{name}, line {line}: {} not {encoding} (character {character} of the line, byte {byte} of the file)", hex(bytes))]
    NotOfEncoding { name: String, encoding: &'static str, line: u64, character: usize, byte: u64, bytes: Vec<u8> },
    #[error("{name} is UTF-16, not UTF-8: {}", if *has_mark { "it begins with that byte-order mark" } else { "it has a zero byte beside every ASCII character" })]
    Utf16 { name: String, encoding: &'static str, has_mark: bool },
    #[error("{name}, line {line}, character {character}: {why}")]
    NoObject { name: String, line: u64, character: usize, why: String },
    #[error("{name}, line {line}: the key {key:?} comes twice")]
    DoubledKey { name: String, line: u64, key: String },
    #[error("{name}, line {line}: the key {key:?} first appears here, but the columns were needed earlier")]
    LateKey { name: String, line: u64, key: String },
    #[error("{name}, line {line}: up to here the objects have more than {limit} different keys, and each key is a column")]
    TooManyKeys { name: String, line: u64, limit: usize },
    #[error("the survey of {columns} columns takes more than {} MiB of memory", limit >> 20)]
    SurveyTooLarge { columns: usize, limit: usize },
    #[error("{column} has more than {limit} different values, and each would be a group")]
    TooManyGroups { column: String, limit: usize },
    #[error("a Parquet file of {columns} columns takes more than {} MiB of memory", limit >> 20)]
    ParquetTooWide { columns: usize, limit: usize },
    #[error("{name} is {found}, and {first} is {wanted}")]
    OtherFormat { name: String, found: &'static str, first: String, wanted: &'static str },
    #[error("{name}, line {line}: the row has {} where {} expected", cells(*found), were(*wanted))]
    Ragged { name: String, line: u64, found: usize, wanted: usize },
    #[error("{name}, line {line}: a quote opens a cell here and is never closed")]
    UnclosedQuote { name: String, line: u64 },
    #[error("{name} changed while it was read")]
    InputChanged { name: String },
    #[error("{name}, line {line}: the row that begins here is longer than {limit} bytes")]
    RowTooLong { name: String, line: u64, limit: usize },
    #[error("{name}, line {line}: the pieces of the row that begins here take more than {limit} bytes, at {of}")]
    ResultsTooLarge { name: String, of: String, line: u64, limit: usize },
    #[error("{name}: its lines end in carriage returns alone, so it reads as one long row")]
    CarriageReturns { name: String },
    #[error("{name} and {first} have different columns: {}", other_column(*column, found.as_deref(), wanted.as_deref(), (name, first)))]
    OtherColumns { name: String, first: String, column: usize, found: Option<String>, wanted: Option<String> },
    #[error("{name} cannot be written: {}", write_reason(source))]
    Write { name: String, source: io::Error, is_half_written: bool },
    #[error("temporary files for `unique` cannot be written: {}", reason(source))]
    Spill { source: io::Error },
    #[error("{}, which this run reads: inputs are never written to", same_file(name, input))]
    OutputIsInput { name: String, input: String },
    #[error("two outputs would be written to {}", one_file(name, other))]
    OneFileTwice { name: String, other: String },
    #[error("the table {table} is named for two outputs")]
    OneTableTwice { table: String },
    #[error("{name} would be {format}, which cannot be written")]
    Unwritable { name: String, format: &'static str },
    #[error("{name}, sheet {sheet:?}: {} no stored value: {}", if *count == 1 { "a formula has".to_owned() } else { format!("{count} formulas have") }, cells_of(first, *count))]
    EmptyFormulas { name: String, sheet: String, count: u64, first: Vec<String> },
    #[error("{name}: .{ending} is not the extension of an output format")]
    UnknownEnding { name: String, ending: String },
    #[error("{name} is {format} by its name, which cannot be read")]
    Unreadable { name: String, format: &'static str },
    #[error("unknown format {given:?}")]
    UnknownFormat { given: String },
    #[error("unknown encoding {label}")]
    UnknownEncoding { label: String },
    #[error("{label} is not supported: text in this encoding can hide other text")]
    UnsafeEncoding { label: String },
    #[error("{given:?} cannot be a delimiter")]
    BadDelimiter { given: String },
}

fn cells_of(first: &[String], count: u64) -> String {
    let more = if count > first.len() as u64 { " …" } else { "" };
    format!("{}{more}", first.join(", "))
}

impl Error {
    /// The error of a store of `unique`.
    pub fn of_store(error: StoreError) -> Error {
        Error::Spill { source: error.downcast::<io::Error>().map_or_else(io::Error::other, |error| *error) }
    }

    /// Whether the command line is wrong, not a file.
    pub fn is_usage(&self) -> bool {
        matches!(
            self,
            Error::OutputIsInput { .. }
                | Error::OneFileTwice { .. }
                | Error::OneTableTwice { .. }
                | Error::Unwritable { .. }
                | Error::UnknownFormat { .. }
                | Error::UnknownEnding { .. }
                | Error::NoWidths { .. }
                | Error::NoPlace { .. }
                | Error::NoTable { .. }
                | Error::NoSheet { .. }
                | Error::NoDatabaseTable { .. }
                | Error::TableIsThere { .. }
                | Error::WhichDatabaseTable { .. }
                | Error::DoubledTitle { .. }
                | Error::UnknownEncoding { .. }
                | Error::UnsafeEncoding { .. }
                | Error::BadDelimiter { .. }
        )
    }

    /// Whether the reader of the output closed its pipe, which is not a failure.
    pub fn is_closed_pipe(&self) -> bool {
        matches!(self, Error::Write { source, .. } if source.kind() == io::ErrorKind::BrokenPipe)
    }
}

fn other_column(column: usize, found: Option<&str>, wanted: Option<&str>, (name, first): (&str, &str)) -> String {
    match (found, wanted) {
        (Some(found), Some(wanted)) => format!("column {column} is {found} in {name} and {wanted} in {first}"),
        (Some(found), None) => format!("{name} has a column {column}, {found}, and {first} does not"),
        (None, _) => format!("{name} has no column {column}, which is {} in {first}", wanted.unwrap_or_default()),
    }
}

/// An output that is an input, with both names if they differ.
fn same_file(name: &str, input: &str) -> String {
    if name == input { format!("the output is {name}") } else { format!("{name} is the same file as {input}") }
}

fn one_file(name: &str, other: &str) -> String {
    if name == other { name.to_owned() } else { format!("one file, {other} and {name}") }
}

fn hex(bytes: &[u8]) -> String {
    let digits: Vec<_> = bytes.iter().map(|byte| format!("{byte:02X}")).collect();
    format!(
        "{} {} (hex) {}",
        if bytes.len() == 1 { "the byte" } else { "the bytes" },
        digits.join(" "),
        if bytes.len() == 1 { "is" } else { "are" }
    )
}

fn reason(source: &io::Error) -> String {
    match source.kind() {
        io::ErrorKind::NotFound => "the file does not exist".to_owned(),
        io::ErrorKind::PermissionDenied => "permission denied".to_owned(),
        io::ErrorKind::IsADirectory => "it is a folder".to_owned(),
        io::ErrorKind::StorageFull => "no space is left on the disk".to_owned(),
        _ => source.to_string().split(" (os error").next().unwrap_or_default().to_lowercase(),
    }
}

fn write_reason(source: &io::Error) -> String {
    match source.kind() {
        io::ErrorKind::NotFound => "its folder does not exist".to_owned(),
        _ => reason(source),
    }
}

fn cells(count: usize) -> String {
    if count == 1 { "1 cell".to_owned() } else { format!("{count} cells") }
}

fn were(count: usize) -> String {
    if count == 1 { "1 was".to_owned() } else { format!("{count} were") }
}
