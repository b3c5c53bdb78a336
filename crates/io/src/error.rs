use std::io;
use std::path::Path;

use crate::files;
use crate::sink::Limit;
use crate::source::{Broken, NotOfEncoding, Shortened};

/// An input that cannot be read, or an output that cannot be written.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum Error {
    /// The input cannot be opened or read.
    #[error("{name} cannot be read: {}", reason(source))]
    Read {
        /// The input.
        name: String,
        /// The reason.
        source: io::Error,
    },
    /// A folder instead of a file.
    #[error("{name} is a folder, not a file")]
    Folder {
        /// The folder.
        name: String,
    },
    /// The input is empty.
    #[error("{name} is empty, so it has no header to find columns by")]
    Empty {
        /// The input.
        name: String,
    },
    /// The input is not text.
    #[error("{name} is no text: it is {found}")]
    NoText {
        /// The input.
        name: String,
        /// Its probable format.
        found: &'static str,
        /// The option value to read it, if the format is supported.
        from: Option<&'static str>,
    },
    /// Fixed-width text without column widths.
    #[error("{name} is fixed-width text without column widths")]
    NoWidths {
        /// The input.
        name: String,
        /// Widths inferred from the blanks in its first lines.
        widths: Option<String>,
    },
    /// Text after the last column of fixed-width text.
    #[error("{name}, line {line}: text after the last column, from character {character}")]
    BeyondColumns {
        /// The input.
        name: String,
        /// The line, from 1.
        line: u64,
        /// The character in the line, from 1.
        character: usize,
    },
    /// A column without a position in fixed-width output.
    #[error("the output is fixed-width text, and the column {title} has no place in it: {why}")]
    NoPlace {
        /// The column.
        title: String,
        /// The reason.
        why: String,
    },
    /// A value without text.
    #[error("{name}, row {row}: the value of {column} cannot be read as text: {why}")]
    NoTextOf {
        /// The input.
        name: String,
        /// The column.
        column: String,
        /// The row, from 1.
        row: u64,
        /// The reason.
        why: String,
    },
    /// A later input has another type for a column.
    #[error("{name} differs from {first}: the type of {column} is {found}, not {wanted}")]
    OtherType {
        /// The input.
        name: String,
        /// The first input.
        first: String,
        /// The column.
        column: String,
        /// Its type.
        found: String,
        /// Its type in the first input.
        wanted: String,
    },
    /// A column with values of several types.
    #[error("{name}: {column} is {found} on line {line}, and {wanted} on line {first}; {format} has one type for each column")]
    MixedTypes {
        /// The input.
        name: String,
        /// The column.
        column: String,
        /// Its type on the line.
        found: &'static str,
        /// The line, from 1.
        line: u64,
        /// Its earlier type.
        wanted: &'static str,
        /// The line of the earlier type.
        first: u64,
        /// The output format.
        format: &'static str,
    },
    /// The table cannot be written as Parquet or Arrow.
    #[error("rows cannot be written as {format}: {why}")]
    NoColumnar {
        /// The format.
        format: &'static str,
        /// The reason.
        why: String,
    },
    /// Parquet lacks the type of a column.
    #[error("the column {column} has a type that Parquet lacks: {of}")]
    NotInParquet {
        /// The column.
        column: String,
        /// The type.
        of: &'static str,
    },
    /// The format does not support tables of faults.
    #[error("faults and summaries of rows cannot be written as {format}")]
    NoTable {
        /// The format.
        format: &'static str,
    },
    /// Two output columns have one name.
    #[error("two output columns have the name {title}, and {format} needs unique names")]
    DoubledTitle {
        /// The name.
        title: String,
        /// The format.
        format: &'static str,
    },
    /// An invalid file.
    #[error("{name} cannot be read: {why}")]
    BadFile {
        /// The input.
        name: String,
        /// The reason.
        why: String,
        /// A suggestion.
        help: &'static str,
    },
    /// An error of a database.
    #[error("{name}: {why}")]
    Database {
        /// The database, or a part of it.
        name: String,
        /// The reason, usually in the database's words.
        why: String,
        /// A suggestion.
        help: String,
    },
    /// No table of the database is named.
    #[error("no table of {of} named to read")]
    WhichDatabaseTable {
        /// The database.
        of: String,
        /// Its tables.
        tables: Vec<String>,
    },
    /// The output table already exists.
    #[error("{of} has a table or view called {table:?}")]
    TableIsThere {
        /// The table.
        table: String,
        /// The database.
        of: String,
    },
    /// The database has no such table.
    #[error("{of} has no table or view called {name:?}")]
    NoDatabaseTable {
        /// The name.
        name: String,
        /// The database.
        of: String,
        /// Its tables.
        tables: Vec<String>,
    },
    /// The workbook has no such sheet.
    #[error("{name} has no sheet called {sheet:?}")]
    NoSheet {
        /// The input.
        name: String,
        /// The sheet.
        sheet: String,
        /// Its sheets.
        sheets: Vec<String>,
    },
    /// Merged cells in the header.
    #[error("{name}, sheet {sheet}, row {row}: {from} to {to} are one merged cell, so the columns have no names of their own")]
    MergedHeader {
        /// The input.
        name: String,
        /// The sheet.
        sheet: String,
        /// The row, from 1.
        row: u32,
        /// The first of the merged columns.
        from: String,
        /// The last of the merged columns.
        to: String,
    },
    /// A value in a column without a name.
    #[error("{name}, sheet {sheet}, row {row}: column {column} has a value but no name in the first row")]
    UnnamedCell {
        /// The input.
        name: String,
        /// The sheet.
        sheet: String,
        /// The row, from 1.
        row: u32,
        /// The column.
        column: String,
    },
    /// The content suggests another format.
    #[error("{name} looks like {found}")]
    LooksLike {
        /// The input.
        name: String,
        /// That format.
        found: &'static str,
        /// The option value for that format.
        from: &'static str,
    },
    /// Invalid UTF-8.
    #[error("{name}, line {line}: byte {byte} of the line (hex {value:02X}) is not UTF-8")]
    NotUtf8 {
        /// The input.
        name: String,
        /// The line, from 1.
        line: u64,
        /// The byte in the line, from 1.
        byte: usize,
        /// The byte itself.
        value: u8,
    },
    /// Invalid bytes of the given encoding.
    #[error("{name}, line {line}: {} not {encoding} (character {character} of the line, byte {byte} of the file)", hex(bytes))]
    NotOfEncoding {
        /// The input.
        name: String,
        /// The encoding.
        encoding: &'static str,
        /// The line, from 1.
        line: u64,
        /// The code point in the line, from 1.
        character: usize,
        /// The byte in the input, from 1.
        byte: u64,
        /// The bytes.
        bytes: Vec<u8>,
    },
    /// UTF-16 without the matching option.
    #[error("{name} is UTF-16, not UTF-8: {}", if *has_mark { "it begins with that byte-order mark" } else { "it has a zero byte beside every ASCII character" })]
    Utf16 {
        /// The input.
        name: String,
        /// `utf-16le` or `utf-16be`.
        encoding: &'static str,
        /// Whether it has a byte-order mark.
        has_mark: bool,
    },
    /// A line that is not an object.
    #[error("{name}, line {line}, character {character}: {why}")]
    NoObject {
        /// The input.
        name: String,
        /// The line, from 1.
        line: u64,
        /// The code point in the line, from 1.
        character: usize,
        /// The reason.
        why: String,
    },
    /// A duplicate key on a line.
    #[error("{name}, line {line}: the key {key:?} comes twice")]
    DoubledKey {
        /// The input.
        name: String,
        /// The line, from 1.
        line: u64,
        /// The name.
        key: String,
    },
    /// A new key after the columns were fixed.
    #[error("{name}, line {line}: the key {key:?} comes here for the first time, and the columns were needed before")]
    LateKey {
        /// The input.
        name: String,
        /// The line, from 1.
        line: u64,
        /// The name.
        key: String,
    },
    /// More keys than the limit.
    #[error("{name}, line {line}: up to here the objects have more than {limit} different keys, and each key is a column")]
    TooManyKeys {
        /// The input.
        name: String,
        /// The line of the first key over the limit, from 1.
        line: u64,
        /// The limit.
        limit: usize,
    },
    /// The survey exceeds the memory limit.
    #[error("the survey of {columns} columns takes more than {} MiB of memory", limit >> 20)]
    SurveyTooLarge {
        /// The number of columns.
        columns: usize,
        /// The limit, in bytes.
        limit: usize,
    },
    /// The Parquet writer exceeds the memory limit.
    #[error("a Parquet file of {columns} columns takes more than {} MiB of memory", limit >> 20)]
    ParquetTooWide {
        /// The number of columns.
        columns: usize,
        /// The limit, in bytes.
        limit: usize,
    },
    /// A later input has another format.
    #[error("{name} is {found}, and {first} is {wanted}")]
    OtherFormat {
        /// The input.
        name: String,
        /// Its format.
        found: &'static str,
        /// The first input.
        first: String,
        /// Its format.
        wanted: &'static str,
    },
    /// A row with too few or too many cells.
    #[error("{name}, line {line}: the row has {} where {} expected", cells(*found), were(*wanted))]
    Ragged {
        /// The input.
        name: String,
        /// The line where the row begins, from 1.
        line: u64,
        /// Its number of cells.
        found: usize,
        /// The number of columns.
        wanted: usize,
    },
    /// A quoted cell is not closed.
    #[error("{name}, line {line}: a quote opens a cell here and is never closed")]
    UnclosedQuote {
        /// The input.
        name: String,
        /// The line of the quote, from 1.
        line: u64,
    },
    /// An input changed between two readings.
    #[error("{name} changed while it was read")]
    InputChanged {
        /// The input.
        name: String,
    },
    /// A row is longer than the limit.
    #[error("{name}, line {line}: the row that begins here is longer than {limit} bytes")]
    RowTooLong {
        /// The input.
        name: String,
        /// The line where the row begins, from 1.
        line: u64,
        /// The limit, in bytes.
        limit: usize,
    },
    /// The results of a row exceed the memory limit.
    #[error("{name}, line {line}: the pieces of the row that begins here take more than {limit} bytes, at {of}")]
    ResultsTooLarge {
        /// The input.
        name: String,
        /// The piece or proof.
        of: String,
        /// The line where the row begins, from 1.
        line: u64,
        /// The limit, in bytes.
        limit: usize,
    },
    /// The lines end in carriage returns only.
    #[error("{name}: its lines end in carriage returns alone, so it reads as one long row")]
    CarriageReturns {
        /// The input.
        name: String,
    },
    /// A later input has other columns.
    #[error("{name} has other columns than {first}: {}", other_column(*column, found.as_deref(), wanted.as_deref(), first))]
    OtherColumns {
        /// The input.
        name: String,
        /// The first input.
        first: String,
        /// The first column that differs, from 1.
        column: usize,
        /// Its name, if it exists.
        found: Option<String>,
        /// Its name in the first input, if it exists.
        wanted: Option<String>,
    },
    /// The output cannot be written.
    #[error("{name} cannot be written: {}", write_reason(source))]
    Write {
        /// The output.
        name: String,
        /// The reason.
        source: io::Error,
        /// Whether a partial output remains.
        is_half_written: bool,
    },
    /// The temporary files for `unique` cannot be written.
    #[error("temporary files for `unique` cannot be written: {}", reason(source))]
    Spill {
        /// The reason.
        source: io::Error,
    },
    /// An output is also an input.
    #[error("{}, which this run reads: inputs are never written to", same_file(name, input))]
    OutputIsInput {
        /// The output.
        name: String,
        /// Its name as an input.
        input: String,
    },
    /// Two outputs are the same file.
    #[error("two outputs would be written to {}", one_file(name, other))]
    OneFileTwice {
        /// The second output.
        name: String,
        /// The first one.
        other: String,
    },
    /// Two outputs are the same table.
    #[error("the table {table} is named for two outputs")]
    OneTableTwice {
        /// The table.
        table: String,
    },
    /// The extension of an output is a format that cannot be written.
    #[error("{name} would be {format}, which cannot be written")]
    Unwritable {
        /// The output.
        name: String,
        /// That format.
        format: &'static str,
    },
    /// Formulas without a stored value.
    #[error("{name}, sheet {sheet:?}: {} no stored value: {}", if *count == 1 { "a formula has".to_owned() } else { format!("{count} formulas have") }, cells_of(first, *count))]
    EmptyFormulas {
        /// The workbook.
        name: String,
        /// The sheet.
        sheet: String,
        /// The number of such formulas.
        count: u64,
        /// The first such cells.
        first: Vec<String>,
    },
    /// An output with an unknown extension.
    #[error("{name}: .{ending} is not the extension of an output format")]
    UnknownEnding {
        /// The output.
        name: String,
        /// The extension, without the dot.
        ending: String,
    },
    /// The extension of an input is a format that cannot be read.
    #[error("{name} is {format} by its name, which cannot be read")]
    Unreadable {
        /// The input.
        name: String,
        /// That format.
        format: &'static str,
    },
    /// An unknown format.
    #[error("unknown format {given:?}")]
    UnknownFormat {
        /// The given text.
        given: String,
    },
    /// An unknown encoding.
    #[error("unknown encoding {label}")]
    UnknownEncoding {
        /// The given name.
        label: String,
    },
    /// An encoding that is not supported because it can hide text.
    #[error("{label} is an encoding that is not decoded: texts in it can hide others")]
    UnsafeEncoding {
        /// The given name.
        label: String,
    },
    /// An invalid delimiter.
    #[error("{given:?} cannot be a delimiter")]
    BadDelimiter {
        /// The given text.
        given: String,
    },
}

/// Lists the first cells, with an ellipsis if `count` is larger.
fn cells_of(first: &[String], count: u64) -> String {
    let more = if count > first.len() as u64 { " …" } else { "" };
    format!("{}{more}", first.join(", "))
}

impl Error {
    pub(crate) fn of_reading(name: &str, source: io::Error) -> Error {
        let name = name.to_owned();
        match source.downcast::<NotOfEncoding>() {
            Ok(NotOfEncoding { encoding, line, code_point, byte, bytes }) => {
                Error::NotOfEncoding { name, encoding, line, character: code_point, byte, bytes }
            }
            Err(source) => Error::Read { name, source },
        }
    }

    /// A suggestion, in one line.
    pub fn help(&self) -> String {
        match self {
            Error::Read { name, source } if source.kind() == io::ErrorKind::NotFound => {
                match files::nearest(Path::new(name)) {
                    Some(nearest) => format!("did you mean {nearest}?"),
                    None => "look at the name and at the folder you are in".to_owned(),
                }
            }
            Error::Read { source, .. } if source.get_ref().is_some_and(|source| source.is::<Shortened>()) => {
                "run again when what writes the file has finished".to_owned()
            }
            Error::Read { source, .. }
                if let Some(broken) = source.get_ref().and_then(|source| source.downcast_ref::<Broken>()) =>
            {
                broken.help().to_owned()
            }
            Error::Read { .. } => "allow the file to be read, and run again".to_owned(),
            Error::Folder { name } => format!("name the files in it: {}/*.csv", name.trim_end_matches('/')),
            Error::Empty { .. } => "check whether the program that made it finished".to_owned(),
            Error::NoWidths { widths: None, .. } => {
                "say where they are, such as --widths 'code 1 to 8, qty 9 to 12', or `widths` under [reading] in a cut list".to_owned()
            }
            Error::NoWidths { widths: Some(widths), .. } => {
                format!("its first lines all have blanks in the same places; if these part its columns: --widths '{widths}'")
            }
            Error::BeyondColumns { .. } => "let the last column go on to the end of the line, as in 'note 9 to end'".to_owned(),
            Error::NoPlace { .. } => {
                "say where the columns are written, such as --out-widths 'code 1 to 8, family 10 to 12', or `widths` under [writing] in \
                a cut list"
                    .to_owned()
            }
            Error::NoTextOf { .. } => "exclude the column with --without or --columns; in a survey, name other columns with -c".to_owned(),
            Error::OtherType { .. } => "run files with other columns apart from each other".to_owned(),
            Error::MixedTypes { .. } => {
                "mend the line, leave the column out with --without, or write a format without types, such as -o OUT.csv".to_owned()
            }
            Error::NoColumnar { .. } => "write another format, such as -o OUT.csv".to_owned(),
            Error::NotInParquet { .. } => "write Arrow, such as -o OUT.arrow, or leave the column out with --without".to_owned(),
            Error::NoTable { .. } => "give it a name that ends in .csv, .jsonl or .xlsx".to_owned(),
            Error::DoubledTitle { .. } => "exclude one with --columns or --without, by its number, such as #4".to_owned(),
            Error::BadFile { help, .. } => (*help).to_owned(),
            Error::Database { help, .. } => help.clone(),
            Error::TableIsThere { .. } => {
                "give another name with --table, add --append to append the rows, or --replace to replace the table".to_owned()
            }
            Error::WhichDatabaseTable { tables, .. } if !tables.is_empty() => {
                format!("add --table NAME (the tables are {}), or --query 'SELECT …'", quoted(tables))
            }
            Error::WhichDatabaseTable { .. } => "the database has no tables; check its name".to_owned(),
            Error::NoDatabaseTable { tables, .. } if tables.is_empty() => "the database has no tables; check its name".to_owned(),
            Error::NoDatabaseTable { tables, .. } => format!("the tables are {}", quoted(tables)),
            Error::NoSheet { sheets, .. } => format!("its sheets are {}", quoted(sheets)),
            Error::MergedHeader { .. } => {
                "remove the rows above the table, and give each column its own cell in the first row".to_owned()
            }
            Error::UnnamedCell { .. } => "name the column in the first row, or move the extra cells to another sheet".to_owned(),
            Error::LooksLike { from, .. } => format!("add --from {from}, or --from csv if it is delimited text"),
            Error::NoText { from: Some(from), .. } => format!("give it a name that ends in .{from}, or add --from {from}"),
            Error::NoText { .. } => "save it as CSV with the program that wrote it".to_owned(),
            Error::NotUtf8 { .. } => {
                "say what the file is written in, such as --encoding windows-1252 (or iso-8859-2, shift_jis …)".to_owned()
            }
            Error::NotOfEncoding { .. } => {
                "say another --encoding, or read on with --encoding-errors replace, which puts U+FFFD \
                there and counts"
                    .to_owned()
            }
            Error::UnsafeEncoding { .. } => "convert the file to UTF-8 with the program that wrote it".to_owned(),
            Error::Utf16 { encoding, .. } => format!("add --encoding {encoding}"),
            Error::NoObject { .. } => {
                "write one object per line, such as {\"part_code\":\"GRP-1\"}".to_owned()
            }
            Error::DoubledKey { .. } => {
                "rename one of the two keys".to_owned()
            }
            Error::LateKey { .. } => {
                "save the input as a file, which the program can scan for its columns first; or name the columns with --columns"
                    .to_owned()
            }
            Error::TooManyKeys { .. } => {
                "if the keys are data, write them as values, such as {\"key\":\"GRP-1\",\"count\":3}".to_owned()
            }
            Error::ParquetTooWide { .. } => {
                "write fewer columns with --columns, raise the limit with --memory, or write another format, such as -o OUT.csv".to_owned()
            }
            Error::SurveyTooLarge { .. } => "name fewer columns with -c, or raise the limit with --memory".to_owned(),
            Error::OtherFormat { .. } => "run files in other formats apart from each other".to_owned(),
            Error::Ragged { found, wanted, .. } if found > wanted => {
                "look for a delimiter inside a cell that is not quoted, or give the right --delimiter".to_owned()
            }
            Error::Ragged { .. } => {
                "look for a cell or a closing quote that is missing, or give the right --delimiter".to_owned()
            }
            Error::UnclosedQuote { .. } => {
                "close the cell with a quote; a quote inside a quoted cell is written twice (\"\")".to_owned()
            }
            Error::InputChanged { .. } => "run again when what writes the file has finished".to_owned(),
            Error::RowTooLong { .. } => {
                "look for a quote that is not closed; if rows really are so long, raise the limit with --max-row".to_owned()
            }
            Error::ResultsTooLarge { of, .. } => {
                format!("have {of} make shorter texts or fewer of them, or raise the limit with --max-row")
            }
            Error::CarriageReturns { .. } => "convert the line ends first: tr '\\r' '\\n' < OLD > NEW".to_owned(),
            Error::OtherColumns { .. } => "run files with other columns apart from each other".to_owned(),
            Error::Write { source, .. } if limit(source).is_some() => limit(source).map_or("", |limit| limit.help).to_owned(),
            Error::Write { source, is_half_written, name } if is_full(source) => format!(
                "make room, or write to another disk; {}",
                if *is_half_written {
                    format!("{name} ends early")
                } else {
                    format!("no part of {name} was written")
                }
            ),
            Error::Write { source, .. } if source.kind() == io::ErrorKind::NotFound => {
                "make the folder first, or name another output with -o".to_owned()
            }
            Error::Write { name, source, .. } if source.kind() == io::ErrorKind::IsADirectory => {
                format!("name a file in it: -o {}/OUT.csv", name.trim_end_matches('/'))
            }
            Error::Spill { source } if source.kind() == io::ErrorKind::NotFound => {
                "set TMPDIR to a folder for temporary files, or give more memory with --memory".to_owned()
            }
            Error::Spill { .. } => {
                "make room in the folder for temporary files (TMPDIR), or give more memory with --memory".to_owned()
            }
            Error::Write { .. } => "name an output that can be written, with -o".to_owned(),
            Error::OutputIsInput { .. } => "write to another file".to_owned(),
            Error::OneFileTwice { .. } => "give each a file of its own".to_owned(),
            Error::OneTableTwice { .. } => "give each a table of its own".to_owned(),
            Error::Unwritable { name, .. } => {
                let other = |ending| Path::new(name).with_extension(ending).display().to_string();
                format!("write another format, such as {} or {} (docs/formats.md has them all)", other("csv"), other("xlsx"))
            }
            Error::EmptyFormulas { .. } => {
                "open it in a spreadsheet program and save it, which computes them; or read them as blank: --empty-formulas blank"
                    .to_owned()
            }
            Error::UnknownEnding { name, .. } => format!(
                "name it {name}.csv or {name}.xlsx, or for the rows of carve, give the format with --to (docs/formats.md has them all)"
            ),
            Error::Unreadable { .. } => {
                "save it as .xlsx or CSV with the program that wrote it, or name its format, such as --from csv".to_owned()
            }
            Error::UnknownFormat { .. } => {
                "give the ending that a file of that format has, such as csv, tsv or csv.gz".to_owned()
            }
            Error::UnknownEncoding { .. } => {
                "give a name of the WHATWG Encoding Standard, such as utf-8, utf-16le, windows-1252 or shift_jis".to_owned()
            }
            Error::BadDelimiter { .. } => "give one ASCII character, such as ';', or tab".to_owned(),
        }
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

fn other_column(column: usize, found: Option<&str>, wanted: Option<&str>, first: &str) -> String {
    match (found, wanted) {
        (Some(found), Some(wanted)) => format!("its column {column} is {found}, but {wanted} in {first}"),
        (Some(found), None) => format!("it has a column {column}, {found}, which {first} does not have"),
        (None, _) => format!("it has no column {column}, which is {} in {first}", wanted.unwrap_or_default()),
    }
}

fn quoted(names: &[String]) -> String {
    names.iter().map(|name| format!("{name:?}")).collect::<Vec<_>>().join(", ")
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

fn limit(source: &io::Error) -> Option<&Limit> {
    source.get_ref()?.downcast_ref()
}

/// Whether a disk or a quota is full.
fn is_full(source: &io::Error) -> bool {
    matches!(source.kind(), io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded)
}

/// The system's message without its number.
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
    if let Some(limit) = limit(source) {
        return limit.why.clone();
    }
    match source.kind() {
        io::ErrorKind::NotFound => "its folder is not there".to_owned(),
        _ => reason(source),
    }
}

fn cells(count: usize) -> String {
    if count == 1 { "1 cell".to_owned() } else { format!("{count} cells") }
}

fn were(count: usize) -> String {
    if count == 1 { "1 was".to_owned() } else { format!("{count} were") }
}
