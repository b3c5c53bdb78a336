use std::sync::Arc;

use keen_notch_core::column::Header;
use keen_notch_core::widths::Widths;

use crate::kind::{Between, Compression, FileFormat, FormatInfo, Kind};
use crate::source::decoding::WrongBytes;
use crate::source::input::{Encoding, Input};
use crate::source::meter::Meter;
use crate::source::types::ObservedTypes;

/// Default limit for a row, in bytes. With the raw row and a text of the same size, a run takes less than 64 MiB.
pub const MOST_ROW: usize = 24 * 1024 * 1024;

pub const MEMORY: usize = 1024 * 1024 * 1024;

/// Delimited text in an input without a known extension.
static UNNAMED: FormatInfo =
    FormatInfo { name: "delimited text", endings: &[], delimiter: Some(Between::Anything), ..FormatInfo::TEXT };

/// What to do with rows that have too few or too many cells.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Ragged {
    #[default]
    Stop,
    /// Keep them: missing cells are blank, and surplus cells stay.
    Keep,
    SetAside,
}

/// Whether folders such as `depot=North` in the path of an input give columns.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Partitions {
    #[default]
    No,
    /// For files. Other inputs have their columns already.
    OfFiles,
    /// For all inputs, which must be files.
    Always,
}

/// What to do with workbook formulas without a stored value.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum EmptyFormulas {
    #[default]
    Stop,
    Blank,
}

#[derive(Debug, Clone)]
pub struct Reading {
    /// The input format, which overrides file names.
    pub from: Option<FileFormat>,
    /// The default format for names without a known extension.
    pub otherwise: Kind,
    /// The delimiter as given; otherwise the input's name decides.
    pub delimiter: Option<String>,
    /// The delimiter of the first input, for later inputs with a generic extension.
    pub other_delimiter: Option<u8>,
    pub header: bool,
    pub partitions: Partitions,
    pub encoding: Option<Encoding>,
    pub wrong_bytes: WrongBytes,
    /// Maximum size of a row in bytes.
    pub max_row: usize,
    /// Memory limit in bytes.
    pub memory: usize,
    pub ragged: Ragged,
    /// The number of parts, if the run reads a part.
    pub parts: Option<u32>,
    /// Bytes per read; `None` for the default.
    pub stride: Option<usize>,
    /// The columns of fixed-width text. If given, text inputs are fixed-width.
    pub widths: Option<Arc<Widths>>,
    pub sheet: Option<String>,
    pub empty_formulas: EmptyFormulas,
    /// The columns and their types, if they are known from a scan or another input.
    pub columns: Option<(Header, Vec<ObservedTypes>)>,
    /// Whether all columns of all rows are needed, for formats without a header.
    pub all_columns: bool,
    /// Whether an Arrow stream ends where it says so, although more bytes follow.
    pub stops_at_end_of_stream: bool,
    pub meter: Arc<Meter>,
}

impl Default for Reading {
    fn default() -> Reading {
        Reading {
            from: None,
            otherwise: &UNNAMED,
            delimiter: None,
            other_delimiter: None,
            header: true,
            partitions: Partitions::default(),
            encoding: None,
            wrong_bytes: WrongBytes::Stop,
            max_row: MOST_ROW,
            memory: MEMORY,
            ragged: Ragged::Stop,
            parts: None,
            stride: None,
            widths: None,
            sheet: None,
            empty_formulas: EmptyFormulas::default(),
            columns: None,
            all_columns: false,
            stops_at_end_of_stream: false,
            meter: Arc::default(),
        }
    }
}

impl Reading {
    /// The compression of an input, from its name and options.
    pub fn compression(&self, input: &Input) -> Option<Compression> {
        match self.from {
            Some(from) => from.compression,
            None => input.path().and_then(Compression::of),
        }
    }
}
