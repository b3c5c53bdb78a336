//! How inputs are to be read.

use std::sync::Arc;

use keen_notch_core::column::Header;
use keen_notch_core::widths::Widths;

use super::decoded::WrongBytes;
use super::input::{Encoding, Input};
use super::meter::Meter;
use super::types::Seen;
use crate::formats::{Between, Kind, Named};

/// The longest row allowed unless said otherwise, in bytes: held as it was read and with a text of its size made of it, it
/// takes less than 64 MiB with all the rest.
pub const MOST_ROW: usize = 24 * 1024 * 1024;

/// How much memory a run takes for what is on its way and what it remembers of rows unless said otherwise, in bytes.
pub const MEMORY: usize = 1024 * 1024 * 1024;

/// What becomes of rows with another number of cells than there are columns.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Ragged {
    /// The run ends with an error.
    #[default]
    Stop,
    /// They are kept: cells that are not there are blank, cells too many stay where they are.
    Keep,
    /// They are set aside with the rows that have faults.
    SetAside,
}

/// The handling of workbook formulas without a stored value.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum EmptyFormulas {
    /// The run ends with an error.
    #[default]
    Stop,
    /// They are blank cells.
    Blank,
}

/// How inputs are to be read.
#[derive(Debug, Clone)]
pub struct Reading {
    /// What the names of inputs would say, whatever they say.
    pub from: Option<Named>,
    /// How inputs are written down whose names do not say it.
    pub otherwise: Kind,
    /// The delimiter as given; otherwise the input's name decides.
    pub delimiter: Option<String>,
    /// The delimiter of the first input, for later inputs with an unspecific extension.
    pub other_delimiter: Option<u8>,
    /// Whether the first row holds the names of the columns.
    pub header: bool,
    /// The encoding, if it is not UTF-8.
    pub encoding: Option<Encoding>,
    /// What becomes of bytes that are not of the encoding.
    pub wrong_bytes: WrongBytes,
    /// The longest row allowed, in bytes.
    pub max_row: usize,
    /// How much memory a run may take for what is on its way and what it remembers of rows, in bytes.
    pub memory: usize,
    /// What becomes of rows with another number of cells than there are columns.
    pub ragged: Ragged,
    /// How many bytes are read at a time; `None` leaves it to the reader.
    pub stride: Option<usize>,
    /// Where the columns of fixed-width text are; a text of which that is said is such a text.
    pub widths: Option<Arc<Widths>>,
    /// The sheet of a workbook; otherwise its first.
    pub sheet: Option<String>,
    /// The handling of workbook formulas without a stored value.
    pub empty_formulas: EmptyFormulas,
    /// The columns, where they are known before: those of another input of the same table, and what is known of their values.
    pub columns: Option<(Header, Vec<Seen>)>,
    /// Whether all columns that any row has matter, where rows say themselves which they have.
    pub all_columns: bool,
    /// Counts what has been read and done.
    pub meter: Arc<Meter>,
}

impl Default for Reading {
    fn default() -> Reading {
        Reading {
            from: None,
            otherwise: Kind::Delimited(Between::Anything),
            delimiter: None,
            other_delimiter: None,
            header: true,
            encoding: None,
            wrong_bytes: WrongBytes::Stop,
            max_row: MOST_ROW,
            memory: MEMORY,
            ragged: Ragged::Stop,
            stride: None,
            widths: None,
            sheet: None,
            empty_formulas: EmptyFormulas::default(),
            columns: None,
            all_columns: false,
            meter: Arc::default(),
        }
    }
}

impl Reading {
    /// What is said of how an input is written down.
    pub fn named(&self, input: &Input) -> Named {
        self.from.or(input.path().map(Named::of)).unwrap_or_default()
    }

    /// How an input is written down.
    pub fn kind(&self, input: &Input) -> Kind {
        if let Input::Database(_) = input {
            return Kind::Database;
        }
        let kind = self.named(input).kind.unwrap_or(self.otherwise);
        if matches!(kind, Kind::Delimited(_)) && self.widths.is_some() { Kind::FixedWidth } else { kind }
    }
}
