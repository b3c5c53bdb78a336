//! File extensions and formats.

pub mod columnar;
pub mod database;
pub mod delimited;
pub mod fixed_width;
pub mod json_lines;
pub mod own_table;
pub mod workbook;

use std::fmt;
use std::path::Path;

use crate::Error;
use crate::source::Format;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    Delimited(Between),
    JsonLines,
    FixedWidth,
    Workbook,
    OtherWorkbook,
    Parquet,
    Arrow(Framing),
    Database,
    Foreign(&'static str),
}

impl Kind {
    pub fn name(self) -> &'static str {
        match self {
            Kind::Delimited(_) => "delimited text",
            Kind::JsonLines => "JSON Lines",
            Kind::FixedWidth => "fixed-width text",
            Kind::Workbook => "a workbook",
            Kind::OtherWorkbook => "a workbook other than .xlsx",
            Kind::Parquet => "Parquet",
            Kind::Arrow(_) => "Arrow",
            Kind::Database => "a database",
            Kind::Foreign(name) => name,
        }
    }

    pub fn ending(self) -> &'static str {
        if let Kind::Delimited(_) = self {
            return "csv";
        }
        ENDINGS.into_iter().find(|(_, kind)| *kind == self).map_or("csv", |(ending, _)| ending)
    }
}

/// The framing of Arrow batches.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Framing {
    Stream,
    /// Batches with an index at the end.
    File,
}

/// The delimiter of an extension.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Between {
    Anything,
    /// A comma; many such files have semicolons.
    CommaOrSemicolon,
    Only(u8),
}

const OTHER_WORKBOOK: &str = "a workbook other than .xlsx, .xls and .ods";

/// Extensions without the dot.
const ENDINGS: [(&str, Kind); 22] = [
    ("csv", Kind::Delimited(Between::CommaOrSemicolon)),
    ("txt", Kind::Delimited(Between::Anything)),
    ("tsv", Kind::Delimited(Between::Only(b'\t'))),
    ("tab", Kind::Delimited(Between::Only(b'\t'))),
    ("psv", Kind::Delimited(Between::Only(b'|'))),
    ("jsonl", Kind::JsonLines),
    ("ndjson", Kind::JsonLines),
    ("xlsx", Kind::Workbook),
    ("xlsm", Kind::OtherWorkbook),
    ("xlsb", Kind::Foreign(OTHER_WORKBOOK)),
    ("xls", Kind::OtherWorkbook),
    ("ods", Kind::OtherWorkbook),
    ("json", Kind::Foreign("JSON")),
    ("parquet", Kind::Parquet),
    ("arrow", Kind::Arrow(Framing::File)),
    ("arrows", Kind::Arrow(Framing::Stream)),
    ("feather", Kind::Arrow(Framing::File)),
    ("fwf", Kind::FixedWidth),
    ("zip", Kind::Foreign("compressed")),
    ("bz2", Kind::Foreign("compressed")),
    ("xz", Kind::Foreign("compressed")),
    ("html", Kind::Foreign("a page")),
];

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Compression {
    /// gzip (RFC 1952).
    Gzip,
    /// Zstandard (RFC 8878).
    Zstd,
}

impl Compression {
    const ALL: [(&'static str, Compression); 2] = [("gz", Compression::Gzip), ("zst", Compression::Zstd)];

    pub fn name(self) -> &'static str {
        match self {
            Compression::Gzip => "gzip",
            Compression::Zstd => "zstd",
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct FileFormat {
    pub kind: Option<Kind>,
    pub compression: Option<Compression>,
}

impl FileFormat {
    /// A database table.
    pub const DATABASE: FileFormat = FileFormat { kind: Some(Kind::Database), compression: None };

    /// The format of a file name such as `parts.csv.gz`, ignoring case.
    pub fn of(name: &Path) -> FileFormat {
        let compression = ending(name).and_then(|ending| Compression::ALL.into_iter().find(|(own, _)| *own == ending));
        let inner = if compression.is_some() { name.file_stem().map(Path::new) } else { Some(name) };
        let ending = inner.and_then(ending);
        let kind = ending.and_then(|ending| ENDINGS.into_iter().find(|(own, _)| *own == ending));
        FileFormat { kind: kind.map(|(_, kind)| kind), compression: compression.map(|(_, compression)| compression) }
    }

    /// Parses one or two extensions such as `csv.gz`.
    ///
    /// # Errors
    /// An extension is unknown.
    pub fn parse(endings: &str) -> Result<FileFormat, Error> {
        let endings = endings.trim_start_matches('.');
        // The name before the extensions does not matter.
        let named = FileFormat::of(Path::new(&format!("-.{endings}")));
        let parts = endings.split('.').count();
        let known = usize::from(named.kind.is_some()) + usize::from(named.compression.is_some());
        if known == parts { Ok(named) } else { Err(Error::UnknownFormat { given: endings.to_owned() }) }
    }

    pub fn name(self) -> Option<&'static str> {
        self.kind.map(Kind::name)
    }

    pub fn is_columnar(self) -> bool {
        matches!(self.kind, Some(Kind::Parquet | Kind::Arrow(_)))
    }

    /// Whether the output has column types.
    pub fn has_types(self) -> bool {
        self.is_columnar() || self.kind == Some(Kind::Database)
    }

    /// The format for a pipe: a stream instead of a file with an index at its end.
    pub fn in_a_pipe(self) -> FileFormat {
        let kind = self.kind.map(|kind| if let Kind::Arrow(_) = kind { Kind::Arrow(Framing::Stream) } else { kind });
        FileFormat { kind, ..self }
    }

    /// Whether a table of this format is written as delimited text.
    pub fn is_text(self, read: &Format) -> bool {
        match self.kind {
            Some(kind) => matches!(kind, Kind::Delimited(_)),
            None => read.delimiter().is_some(),
        }
    }

    /// Whether outputs of this format can be concatenated, with one header.
    pub fn can_be_joined(self, read: &Format) -> bool {
        matches!(self.kind.unwrap_or(read.kind()), Kind::Delimited(_) | Kind::JsonLines | Kind::FixedWidth)
    }

    /// The input delimiter of the extension, if it has one.
    pub fn delimiter(self) -> Option<u8> {
        match self.kind {
            Some(Kind::Delimited(Between::Only(delimiter))) => Some(delimiter),
            _ => None,
        }
    }

    /// The output delimiter, if it differs from the one of the input.
    pub fn other_delimiter(self, read: u8) -> Option<u8> {
        let delimiter = match self.kind {
            Some(Kind::Delimited(Between::Only(delimiter))) => delimiter,
            Some(Kind::Delimited(Between::CommaOrSemicolon)) if matches!(read, b'\t' | b'|') => b',',
            _ => read,
        };
        (delimiter != read).then_some(delimiter)
    }
}

impl fmt::Display for FileFormat {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let kind = ENDINGS.iter().find(|(_, kind)| Some(*kind) == self.kind);
        let compression = Compression::ALL.iter().find(|(_, compression)| Some(*compression) == self.compression);
        let endings = kind.map(|(ending, _)| *ending).into_iter().chain(compression.map(|(ending, _)| *ending));
        f.write_str(&endings.collect::<Vec<_>>().join("."))
    }
}

fn ending(name: &Path) -> Option<String> {
    Some(name.extension()?.to_str()?.to_ascii_lowercase())
}

/// Checks that rows can be written to an output of this name, in the format of its extension or of an option.
///
/// # Errors
/// The format cannot be written, or the extension is unknown and no option gives a format.
pub fn check_output(name: &Path, named: FileFormat) -> Result<(), Error> {
    match (named.kind, unknown_ending(name)) {
        (Some(kind @ (Kind::OtherWorkbook | Kind::Foreign(_))), _) => {
            Err(Error::Unwritable { name: name.display().to_string(), format: kind.name() })
        }
        (None, Some(ending)) => Err(Error::UnknownEnding { name: name.display().to_string(), ending }),
        _ => Ok(()),
    }
}

fn unknown_ending(name: &Path) -> Option<String> {
    let FileFormat { kind: None, compression } = FileFormat::of(name) else { return None };
    if compression.is_some() { ending(Path::new(name.file_stem()?)) } else { ending(name) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_say_how_tables_are_written_down_and_compressed() {
        let [text, tabs] = [Between::CommaOrSemicolon, Between::Only(b'\t')].map(|between| Some(Kind::Delimited(between)));
        for (name, kind, compression) in [
            ("codes.csv", text, None),
            ("codes.CSV.GZ", text, Some(Compression::Gzip)),
            ("a.csv/codes.tsv.zst", tabs, Some(Compression::Zstd)),
            ("codes.jsonl", Some(Kind::JsonLines), None),
            ("codes.gz", None, Some(Compression::Gzip)),
            ("codes.xlsx", Some(Kind::Workbook), None),
            (".gz", None, None),
            ("codes", None, None),
            ("codes.2025", None, None),
            ("..", None, None),
        ] {
            assert_eq!(FileFormat::of(Path::new(name)), FileFormat { kind, compression }, "{name:?}");
        }
    }

    #[test]
    fn outputs_have_known_endings_or_none() {
        for (name, is_fine) in [
            ("a.csv", true),
            ("a", true),
            ("a.gz", true),
            ("a.docx", false),
            ("a.docx.gz", false),
            ("a.xls", false),
            (".a", true),
        ] {
            assert_eq!(check_output(Path::new(name), FileFormat::of(Path::new(name))).is_ok(), is_fine, "{name}");
        }
        assert!(check_output(Path::new("a.docx"), FileFormat::parse("csv").unwrap()).is_ok());
    }

    #[test]
    fn extensions_are_known() {
        for (endings, known) in [("csv", true), ("tsv.GZ", true), (".csv", true), ("gz", true), ("csv.csv", false), ("", false)]
        {
            assert_eq!(FileFormat::parse(endings).is_ok(), known, "{endings:?}");
        }
        for endings in ["tsv.zst", "gz", "jsonl"] {
            let named = FileFormat::of(Path::new(&format!("codes.{endings}")));
            assert_eq!((FileFormat::parse(endings).unwrap(), named.to_string().as_str()), (named, endings));
        }
    }

    #[test]
    fn names_of_outputs_say_delimiters() {
        for (name, read, written) in [
            ("a.csv", b';', None),
            ("a.csv", b',', None),
            ("a.csv", b'\t', Some(b',')),
            ("a.csv.gz", b'|', Some(b',')),
            ("a.tsv", b',', Some(b'\t')),
            ("a.tsv", b'\t', None),
            ("a.txt", b'\t', None),
            ("a", b'|', None),
        ] {
            assert_eq!(FileFormat::of(Path::new(name)).other_delimiter(read), written, "{name} {}", char::from(read));
        }
    }
}
