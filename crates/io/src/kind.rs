//! The properties of a format, without a file. The module `formats` has the table of all formats.

use std::ffi::OsStr;
use std::path::Path;

/// A format. Each folder of `formats` describes its own.
#[derive(Debug)]
pub struct FormatInfo {
    pub name: &'static str,
    /// File extensions without the dot, in lower case; the first is the usual one.
    pub endings: &'static [&'static str],
    /// The delimiter of delimited text.
    pub delimiter: Option<Between>,
    /// Whether rows have line numbers; otherwise only row numbers.
    pub has_lines: bool,
    /// Whether it is a usual format for a pipe. Rows of other formats go into a pipe as delimited text.
    pub goes_into_pipes: bool,
    /// The format for a pipe, if it is another one: a stream instead of a file with an index at its end.
    pub in_a_pipe: Option<Kind>,
    /// Whether inputs can be read in parts, and outputs concatenated, with one header.
    pub is_text: bool,
    pub has_types: bool,
    /// Whether chunks have typed arrays, which need no text.
    pub has_arrays: bool,
    /// Whether columns need positions in the line.
    pub needs_positions: bool,
    /// Whether a row is a JSON object, which repeats no key.
    pub has_objects: bool,
}

pub type Kind = &'static FormatInfo;

impl FormatInfo {
    /// A format without extension, types or lines.
    pub const PLAIN: FormatInfo = FormatInfo {
        name: "",
        endings: &[],
        delimiter: None,
        has_lines: false,
        goes_into_pipes: false,
        in_a_pipe: None,
        is_text: false,
        has_types: false,
        has_arrays: false,
        needs_positions: false,
        has_objects: false,
    };

    /// Text with a row on each line.
    pub const TEXT: FormatInfo = FormatInfo { has_lines: true, goes_into_pipes: true, is_text: true, ..FormatInfo::PLAIN };

    pub fn is_delimited(&self) -> bool {
        self.delimiter.is_some()
    }

    pub fn ending(&self) -> &'static str {
        if self.is_delimited() { "csv" } else { self.endings.first().copied().unwrap_or("csv") }
    }

    /// The delimiter of the extension, if it has only one.
    pub fn only_delimiter(&self) -> Option<u8> {
        if let Some(Between::Only(delimiter)) = self.delimiter { Some(delimiter) } else { None }
    }

    /// The output delimiter, if it differs from the one of the input.
    pub fn other_delimiter(&self, read: u8) -> Option<u8> {
        let delimiter = match self.delimiter {
            Some(Between::Only(delimiter)) => delimiter,
            Some(Between::CommaOrSemicolon) if matches!(read, b'\t' | b'|') => b',',
            _ => read,
        };
        (delimiter != read).then_some(delimiter)
    }
}

impl PartialEq for FormatInfo {
    fn eq(&self, other: &FormatInfo) -> bool {
        std::ptr::eq(self, other)
    }
}

impl Eq for FormatInfo {}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Between {
    Anything,
    /// A comma; many such files have semicolons.
    CommaOrSemicolon,
    Only(u8),
}

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

    pub fn ending(self) -> &'static str {
        Compression::ALL.into_iter().find(|(_, compression)| *compression == self).map_or("", |(ending, _)| ending)
    }

    /// The compression of a file name, ignoring case.
    pub fn of(name: &Path) -> Option<Compression> {
        let ending = name.extension().and_then(OsStr::to_str)?.to_ascii_lowercase();
        Compression::ALL.into_iter().find(|(own, _)| *own == ending).map(|(_, compression)| compression)
    }
}

/// The format of a file name or an option.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct FileFormat {
    pub kind: Option<Kind>,
    pub compression: Option<Compression>,
}
