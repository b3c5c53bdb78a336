//! Encoders, which turn a batch and its results into bytes. A new format needs one.

pub mod lists;
pub(crate) mod out;
pub(crate) mod rows;

use std::collections::BTreeSet;
use std::ops::Range;

use keen_notch_core::batch::{Batch, Buffer};
use keen_notch_core::carving::{BatchResults, Carving, OutColumn};
use keen_notch_core::column::Header;
use keen_notch_core::value_type::ValueType;
pub use out::{Extend, Held, MOST_HELD, Out};

use crate::Error;
use crate::encode::lists::RowFaults;
use crate::kind::Kind;
use crate::source::types::ObservedTypes;
use crate::source::{Chunk, Format, Rows};

/// Options for delimited output.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct TextOptions {
    pub delimiter: Option<u8>,
    /// Whether to write a header; by default as in the input.
    pub header: Option<bool>,
    /// Whether to write a byte-order mark; by default as in the input.
    pub byte_order_mark: bool,
    /// Whether to quote every cell. By default, cells are quoted if necessary or if they were quoted, and new ones if all others are.
    pub quote_all: bool,
}

/// The columns of fixed-width output: first and last character of each, from 1.
pub type Places = Vec<(usize, usize)>;

/// The properties of an output that an encoder needs.
#[derive(Clone, Copy)]
pub struct EncoderRequest<'a> {
    pub kind: Kind,
    /// The format of the input, if the rows come from one.
    pub read: Option<&'a Format>,
    pub options: TextOptions,
    pub places: Option<&'a Places>,
    pub header: &'a Header,
    pub types: &'a [ObservedTypes],
    pub shape: &'a OutputSchema,
}

#[derive(Debug, Clone)]
pub struct OutputSchema {
    pub columns: Vec<OutColumn>,
    pub titles: Vec<String>,
    pub pieces: Vec<PieceShape>,
    pub rows_piece: Option<usize>,
    /// The number of columns of the file. The columns of its folders follow.
    pub of_file: usize,
    /// The original columns with another title than in the table.
    pub renamed: BTreeSet<usize>,
    /// Whether all original columns are written, in order.
    pub keeps_all: bool,
    pub is_written: bool,
    /// Whether its rows are offcuts: each is written as it was read, and ends with a line end.
    pub sets_aside: bool,
}

/// Titles of the column of reasons, for tables that already have such a column.
const REASON_TITLES: [&str; 3] = ["why", "why_set_aside", "keen_notch_why"];

#[derive(Debug, Clone)]
pub struct PieceShape {
    pub sources: Vec<usize>,
    pub value_type: Option<ValueType>,
    /// The bytes that it can contain although its source columns do not.
    pub adds: keen_notch_core::program::ByteSet,
}

impl OutputSchema {
    pub fn new(carving: &Carving, header: &Header, originals: &[usize]) -> OutputSchema {
        let columns = carving.out_columns(originals);
        let piece = |piece| PieceShape {
            sources: carving.sources(piece).to_vec(),
            value_type: carving.value_type(piece),
            adds: carving.adds(piece),
        };
        OutputSchema {
            titles: columns.iter().map(|column| carving.title(*column, header)).collect(),
            pieces: (0..carving.count()).map(piece).collect(),
            rows_piece: carving.rows_piece(),
            of_file: header.count(),
            renamed: BTreeSet::new(),
            keeps_all: originals.iter().copied().eq(0..header.count()),
            is_written: true,
            sets_aside: false,
            columns,
        }
    }

    /// All columns of a table and of its folders, and the reason why a row is set aside.
    pub fn offcuts(header: &Header, folders: &[String]) -> OutputSchema {
        let mut schema = OutputSchema::of_header(header);
        for (index, title) in folders.iter().enumerate() {
            schema.insert(schema.columns.len(), OutColumn::OfInput(index + 1), title);
        }
        let is_taken = |title: &&str| header.names().is_some() && schema.titles.iter().any(|name| name == title);
        let title = REASON_TITLES.into_iter().find(|title| !is_taken(title)).unwrap_or(REASON_TITLES[0]);
        schema.insert(schema.columns.len(), OutColumn::Reason, title);
        schema.sets_aside = true;
        schema
    }

    /// All columns of a table.
    pub fn of_header(header: &Header) -> OutputSchema {
        OutputSchema {
            columns: (0..header.count()).map(OutColumn::Original).collect(),
            titles: (0..header.count()).map(|column| header.title(column)).collect(),
            pieces: Vec::new(),
            rows_piece: None,
            of_file: header.count(),
            renamed: BTreeSet::new(),
            keeps_all: true,
            is_written: true,
            sets_aside: false,
        }
    }

    /// Inserts a column that is neither original nor a piece.
    pub fn insert(&mut self, place: usize, column: OutColumn, title: &str) {
        self.columns.insert(place, column);
        self.titles.insert(place, title.to_owned());
    }

    /// Says that the columns of the table from this one on come from the names of folders.
    pub fn set_folders(&mut self, first: usize) {
        for column in &mut self.columns {
            if let OutColumn::Original(original) = *column
                && original >= first
            {
                *column = OutColumn::OfInput(original - first + 1);
            }
        }
        self.of_file = first;
    }

    /// Gives an original column another title. Returns whether it is written.
    pub fn rename(&mut self, original: usize, title: &str) -> bool {
        let column = match original.checked_sub(self.of_file) {
            None => OutColumn::Original(original),
            Some(folder) => OutColumn::OfInput(folder + 1),
        };
        let Some(place) = self.columns.iter().position(|of| *of == column) else {
            return false;
        };
        title.clone_into(&mut self.titles[place]);
        if column.original().is_some() {
            self.renamed.insert(original);
        }
        true
    }

    /// The number of unchanged original columns at the start.
    pub fn kept(&self) -> usize {
        self.columns.iter().enumerate().take_while(|(index, column)| **column == OutColumn::Original(*index)).count()
    }
}

impl OutputSchema {
    /// Checks that the titles differ. Duplicates from an input in such a format are allowed.
    ///
    /// # Errors
    /// Two titles are equal.
    pub(crate) fn tells_titles_apart(&self, kind: Kind, may_double: bool) -> Result<(), Error> {
        let are_original = self.columns.iter().map(|column| may_double && matches!(column, OutColumn::Original(_)));
        let mut titles: Vec<(&String, bool)> = self.titles.iter().zip(are_original).collect();
        titles.sort_unstable();
        match titles.windows(2).find(|two| two[0].0 == two[1].0 && !(two[0].1 && two[1].1)) {
            Some(two) => Err(Error::DoubledTitle { title: two[0].0.clone(), format: kind.name }),
            None => Ok(()),
        }
    }
}

pub struct Encodable<'a> {
    pub chunk: &'a dyn Chunk,
    pub text: &'a str,
    /// The rows of the chunk from which the batch was made; the batch can lack some of them.
    pub range: Range<usize>,
    pub rows: &'a Rows<'a>,
    pub batch: &'a Batch<'a>,
    pub batch_results: &'a BatchResults,
    pub carving: &'a Carving,
    /// The indices of the rows to write, if not all.
    pub written: Option<&'a [u32]>,
    /// The faults of the rows, if a column lists them.
    pub faults: &'a RowFaults<'a>,
    /// Why each row is set aside, for offcuts.
    pub reasons: &'a [String],
}

pub trait Encoder: Send + Sync {
    /// Writes the header. Returns whether it ends with a line end; otherwise [`Encoder::line_end`] must come first.
    fn begin(&self, out: &mut Buffer) -> bool;

    fn line_end(&self) -> &[u8] {
        b""
    }

    /// Writes rows.
    ///
    /// # Errors
    /// The format cannot hold a value.
    fn encode(&self, rows: &Encodable, out: &mut Out) -> Result<(), Error>;

    /// The number of columns that the encoder buffers for a whole batch.
    fn held_columns(&self) -> usize {
        0
    }

    /// Writes the buffered rows of a chunk.
    ///
    /// # Errors
    /// The format cannot hold a value.
    fn end_chunk(&self, _chunk: &dyn Chunk, _out: &mut Out) -> Result<(), Error> {
        Ok(())
    }

    /// Whether the last row ends with a line end; otherwise [`Encoder::line_end`] must come first.
    fn is_complete(&self, _written: &[u8]) -> bool {
        true
    }
}
