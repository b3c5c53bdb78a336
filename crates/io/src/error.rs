//! What can go wrong with a table, with the line and the help.

use std::io;
use std::path::Path;

use crate::files;
use crate::sink::Limit;
use crate::source::{Broken, NotOfEncoding, Shortened};

/// An input that cannot be read, or an output that cannot be written.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum Error {
    /// The input cannot be opened or read: it is missing, or may not be read, or the disk failed.
    #[error("{name} cannot be read: {}", reason(source))]
    Read {
        /// The input.
        name: String,
        /// Why.
        source: io::Error,
    },
    /// A folder was named where a file belongs.
    #[error("{name} is a folder, not a file")]
    Folder {
        /// The folder.
        name: String,
    },
    /// There is nothing in the input, not even a header.
    #[error("{name} is empty, so it has no header to find columns by")]
    Empty {
        /// The input.
        name: String,
    },
    /// The input is no text.
    #[error("{name} is no text: it is {found}")]
    NoText {
        /// The input.
        name: String,
        /// What it is.
        found: &'static str,
        /// What is to be said of it, where it can be read then.
        from: Option<&'static str>,
    },
    /// Nobody said where the columns of fixed-width text are.
    #[error("{name} is fixed-width text without column widths")]
    NoWidths {
        /// The input.
        name: String,
        /// Where they are, as the blanks in its first lines tell.
        widths: Option<String>,
    },
    /// There is text in a line of fixed-width text after its last column.
    #[error("{name}, line {line}: text after the last column, from character {character}")]
    BeyondColumns {
        /// The input.
        name: String,
        /// The line, from 1.
        line: u64,
        /// The character of the line, from 1.
        character: usize,
    },
    /// Nothing says where a column is to be written in fixed-width text.
    #[error("the output is fixed-width text, and the column {title} has no place in it: {why}")]
    NoPlace {
        /// The column.
        title: String,
        /// Why.
        why: String,
    },
    /// A value cannot be made text.
    #[error("{name}, row {row}: the value of {column} cannot be read as text: {why}")]
    NoTextOf {
        /// The input.
        name: String,
        /// The column.
        column: String,
        /// The row, from 1.
        row: u64,
        /// Why.
        why: String,
    },
    /// A later input has a column of another type than the first.
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
    /// The values of a column are of several types, where the output has one for each column.
    #[error("{name}: {column} is {found} on line {line}, and {wanted} on line {first}; {format} has one type for each column")]
    MixedTypes {
        /// The input.
        name: String,
        /// The column.
        column: String,
        /// What it is.
        found: &'static str,
        /// The line, from 1.
        line: u64,
        /// What it was before.
        wanted: &'static str,
        /// That line.
        first: u64,
        /// The format that is written.
        format: &'static str,
    },
    /// A table cannot be written as Parquet or Arrow.
    #[error("rows cannot be written as {format}: {why}")]
    NoColumnar {
        /// The format.
        format: &'static str,
        /// Why.
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
    /// A table of the program's own has no place in a format.
    #[error("faults and summaries of rows cannot be written as {format}")]
    NoTable {
        /// The format.
        format: &'static str,
    },
    /// Two columns of the output have one name, where each must have its own.
    #[error("two output columns have the name {title}, and {format} needs unique names")]
    DoubledTitle {
        /// The name.
        title: String,
        /// The format.
        format: &'static str,
    },
    /// A file of a format that is not text cannot be read.
    #[error("{name} cannot be read: {why}")]
    BadFile {
        /// The input.
        name: String,
        /// Why.
        why: String,
        /// What to do about it.
        help: &'static str,
    },
    /// A database does not do what it is asked.
    #[error("{name}: {why}")]
    Database {
        /// The database, or what of it.
        name: String,
        /// Why, mostly in its own words.
        why: String,
        /// What to do about it.
        help: String,
    },
    /// Which table of a database is read was not said.
    #[error("no table of {of} named to read")]
    WhichDatabaseTable {
        /// The database.
        of: String,
        /// Those that it has.
        tables: Vec<String>,
    },
    /// A table that was to be made is there already.
    #[error("{of} has a table or view called {table:?}")]
    TableIsThere {
        /// The table.
        table: String,
        /// The database.
        of: String,
    },
    /// A database has no table of that name.
    #[error("{of} has no table or view called {name:?}")]
    NoDatabaseTable {
        /// The name.
        name: String,
        /// The database.
        of: String,
        /// Those that it has.
        tables: Vec<String>,
    },
    /// A workbook has no sheet of that name.
    #[error("{name} has no sheet called {sheet:?}")]
    NoSheet {
        /// The input.
        name: String,
        /// The sheet.
        sheet: String,
        /// Those that it has.
        sheets: Vec<String>,
    },
    /// Cells of the row that names the columns are merged.
    #[error("{name}, sheet {sheet}, row {row}: {from} to {to} are one merged cell, so the columns have no names of their own")]
    MergedHeader {
        /// The input.
        name: String,
        /// The sheet.
        sheet: String,
        /// The row, from 1.
        row: u32,
        /// The first of its columns.
        from: String,
        /// The last of its columns.
        to: String,
    },
    /// There is something in a column that has no name.
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
    /// The input looks like another format than it would be read in.
    #[error("{name} looks like {found}")]
    LooksLike {
        /// The input.
        name: String,
        /// That format.
        found: &'static str,
        /// What is to be said of it, for it to be read in that.
        from: &'static str,
    },
    /// The input is not UTF-8.
    #[error("{name}, line {line}: byte {byte} of the line (hex {value:02X}) is not UTF-8")]
    NotUtf8 {
        /// The input.
        name: String,
        /// The line, from 1.
        line: u64,
        /// The byte of that line, from 1.
        byte: usize,
        /// The byte itself.
        value: u8,
    },
    /// The input is not of the encoding that was said.
    #[error("{name}, line {line}: {} not {encoding} (character {character} of the line, byte {byte} of the file)", hex(bytes))]
    NotOfEncoding {
        /// The input.
        name: String,
        /// The encoding.
        encoding: &'static str,
        /// The line, from 1.
        line: u64,
        /// The code point of the line, from 1.
        character: usize,
        /// The byte of the input, from 1.
        byte: u64,
        /// The bytes.
        bytes: Vec<u8>,
    },
    /// The input is UTF-16.
    #[error("{name} is UTF-16, not UTF-8: {}", if *has_mark { "it begins with that byte-order mark" } else { "it has a zero byte beside every ASCII character" })]
    Utf16 {
        /// The input.
        name: String,
        /// `utf-16le` or `utf-16be`.
        encoding: &'static str,
        /// Whether it begins with a byte-order mark.
        has_mark: bool,
    },
    /// A line is no object.
    #[error("{name}, line {line}, character {character}: {why}")]
    NoObject {
        /// The input.
        name: String,
        /// The line, from 1.
        line: u64,
        /// The code point of the line, from 1.
        character: usize,
        /// What is wrong there.
        why: String,
    },
    /// The object on a line has two members of one name.
    #[error("{name}, line {line}: the key {key:?} comes twice")]
    DoubledKey {
        /// The input.
        name: String,
        /// The line, from 1.
        line: u64,
        /// The name.
        key: String,
    },
    /// The object on a line has a member that those before had not, where the columns had to be known from the start.
    #[error("{name}, line {line}: the key {key:?} comes here for the first time, and the columns were needed before")]
    LateKey {
        /// The input.
        name: String,
        /// The line, from 1.
        line: u64,
        /// The name.
        key: String,
    },
    /// The objects have more different keys than a table may have columns.
    #[error("{name}, line {line}: up to here the objects have more than {limit} different keys, and each key is a column")]
    TooManyKeys {
        /// The input.
        name: String,
        /// The line of the first key beyond the limit, from 1.
        line: u64,
        /// The limit.
        limit: usize,
    },
    /// The surveys of all columns take more memory than the limit.
    #[error("the survey of {columns} columns takes more than {} MiB of memory", limit >> 20)]
    SurveyTooLarge {
        /// The number of columns.
        columns: usize,
        /// The limit, in bytes.
        limit: usize,
    },
    /// The writer of a Parquet file would take more memory than the limit.
    #[error("a Parquet file of {columns} columns takes more than {} MiB of memory", limit >> 20)]
    ParquetTooWide {
        /// The number of columns.
        columns: usize,
        /// The limit, in bytes.
        limit: usize,
    },
    /// A later input is in another format than the first.
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
    /// A row has another number of cells than the first.
    #[error("{name}, line {line}: the row has {} where {} expected", cells(*found), were(*wanted))]
    Ragged {
        /// The input.
        name: String,
        /// The line the row begins on, from 1.
        line: u64,
        /// How many cells it has.
        found: usize,
        /// How many columns there are.
        wanted: usize,
    },
    /// A quote opens a cell and the input ends before it is closed.
    #[error("{name}, line {line}: a quote opens a cell here and is never closed")]
    UnclosedQuote {
        /// The input.
        name: String,
        /// The line the quote is on, from 1.
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
        /// The line the row begins on, from 1.
        line: u64,
        /// The limit, in bytes.
        limit: usize,
    },
    /// The results of a row would take more memory than they may.
    #[error("{name}, line {line}: the pieces of the row that begins here take more than {limit} bytes, at {of}")]
    ResultsTooLarge {
        /// The input.
        name: String,
        /// The piece or the proof that did not fit.
        of: String,
        /// The line that the row begins on, from 1.
        line: u64,
        /// The limit, in bytes.
        limit: usize,
    },
    /// The lines of the input end in carriage returns alone.
    #[error("{name}: its lines end in carriage returns alone, so it reads as one long row")]
    CarriageReturns {
        /// The input.
        name: String,
    },
    /// A later input has other columns than the first.
    #[error("{name} has other columns than {first}: {}", other_column(*column, found.as_deref(), wanted.as_deref(), first))]
    OtherColumns {
        /// The input.
        name: String,
        /// The first input.
        first: String,
        /// The first column that differs, from 1.
        column: usize,
        /// What it is called, if it is there.
        found: Option<String>,
        /// What it is called in the first input, if it is there.
        wanted: Option<String>,
    },
    /// The output cannot be written.
    #[error("{name} cannot be written: {}", write_reason(source))]
    Write {
        /// The output.
        name: String,
        /// Why.
        source: io::Error,
        /// Whether what has been written until then stays, so that it ends early.
        is_half_written: bool,
    },
    /// What is remembered of rows cannot be kept in temporary files.
    #[error("temporary files for `unique` cannot be written: {}", reason(source))]
    Spill {
        /// Why.
        source: io::Error,
    },
    /// The output is one of the files that are read, which are never written to.
    #[error("{}, which this run reads: inputs are never written to", same_file(name, input))]
    OutputIsInput {
        /// The output.
        name: String,
        /// What it is called as an input.
        input: String,
    },
    /// Two outputs are one file.
    #[error("two outputs would be written to {}", one_file(name, other))]
    OneFileTwice {
        /// The second output.
        name: String,
        /// The first.
        other: String,
    },
    /// Two outputs are one table.
    #[error("the table {table} is named for two outputs")]
    OneTableTwice {
        /// The table.
        table: String,
    },
    /// The name of an output says a format that is not written.
    #[error("{name} would be {format}, which cannot be written")]
    Unwritable {
        /// The output.
        name: String,
        /// What its ending says.
        format: &'static str,
    },
    /// A sheet of a workbook has formulas without a stored value.
    #[error("{name}, sheet {sheet:?}: {} no stored value: {}", if *count == 1 { "a formula has".to_owned() } else { format!("{count} formulas have") }, cells_of(first, *count))]
    EmptyFormulas {
        /// The workbook.
        name: String,
        /// The sheet.
        sheet: String,
        /// The number of these formulas.
        count: u64,
        /// The places of the first.
        first: Vec<String>,
    },
    /// The name of an output has an ending of no format.
    #[error("{name}: .{ending} is not the extension of an output format")]
    UnknownEnding {
        /// The output.
        name: String,
        /// The ending, without the dot.
        ending: String,
    },
    /// The name of an input says a format that is not read.
    #[error("{name} is {format} by its name, which cannot be read")]
    Unreadable {
        /// The input.
        name: String,
        /// What its ending says.
        format: &'static str,
    },
    /// There is no format of that ending.
    #[error("unknown format {given:?}")]
    UnknownFormat {
        /// What was given.
        given: String,
    },
    /// There is no encoding of that name.
    #[error("unknown encoding {label}")]
    UnknownEncoding {
        /// The name given.
        label: String,
    },
    /// An encoding that is not decoded, since texts in it have been used to smuggle others.
    #[error("{label} is an encoding that is not decoded: texts in it can hide others")]
    UnsafeEncoding {
        /// The name given.
        label: String,
    },
    /// A delimiter that is not one ASCII character, or one that rows could not be told apart by.
    #[error("{given:?} cannot be a delimiter")]
    BadDelimiter {
        /// What was given.
        given: String,
    },
}

/// Lists the first cells, with an ellipsis if `count` is larger.
fn cells_of(first: &[String], count: u64) -> String {
    let more = if count > first.len() as u64 { " …" } else { "" };
    format!("{}{more}", first.join(", "))
}

impl Error {
    /// What an error of reading means.
    pub(crate) fn of_reading(name: &str, source: io::Error) -> Error {
        let name = name.to_owned();
        match source.downcast::<NotOfEncoding>() {
            Ok(NotOfEncoding { encoding, line, code_point, byte, bytes }) => {
                Error::NotOfEncoding { name, encoding, line, character: code_point, byte, bytes }
            }
            Err(source) => Error::Read { name, source },
        }
    }

    /// What to do about it, in one line.
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

    /// Whether the command line is at fault, and not what it names.
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

    /// Whether the reader of our output went away, which is no failure of ours.
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

/// Names in quotes, with commas between.
fn quoted(names: &[String]) -> String {
    names.iter().map(|name| format!("{name:?}")).collect::<Vec<_>>().join(", ")
}

/// An output that is an input, by both its names where it has two.
fn same_file(name: &str, input: &str) -> String {
    if name == input { format!("the output is {name}") } else { format!("{name} is the same file as {input}") }
}

fn one_file(name: &str, other: &str) -> String {
    if name == other { name.to_owned() } else { format!("one file, {other} and {name}") }
}

/// Bytes as the subject of a clause.
fn hex(bytes: &[u8]) -> String {
    let digits: Vec<_> = bytes.iter().map(|byte| format!("{byte:02X}")).collect();
    format!(
        "{} {} (hex) {}",
        if bytes.len() == 1 { "the byte" } else { "the bytes" },
        digits.join(" "),
        if bytes.len() == 1 { "is" } else { "are" }
    )
}

/// The limit of a format that was met.
fn limit(source: &io::Error) -> Option<&Limit> {
    source.get_ref()?.downcast_ref()
}

/// Whether a disk, or a share of it, is full.
fn is_full(source: &io::Error) -> bool {
    matches!(source.kind(), io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded)
}

/// The system's words without its number.
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
