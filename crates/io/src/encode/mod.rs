//! How rows are written.
//!
//! An encoder turns a batch of a chunk, and what came of it, into bytes. A new format is an encoder of its own.

mod aside;
mod cell;
#[cfg(feature = "columnar")]
mod columnar;
mod database;
pub mod delimited;
pub mod fixed_width;
pub mod json_lines;
pub mod lists;
mod out;
mod own;
mod rows;
pub mod workbook;

use std::ops::Range;

pub use aside::{Aside, aside};
pub use cell::push_row;
use keen_notch_core::batch::{Batch, Buffer};
use keen_notch_core::carving::{Carving, OutColumn, Worked};
use keen_notch_core::column::Header;
use keen_notch_core::value_type::ValueType;
pub use out::{Extend, Held, MOST_HELD, Out};
pub use own::{Column as OwnColumn, OwnTable, Value, own_table};

use self::delimited::Delimited;
use self::fixed_width::{FixedWidth, Places};
use self::json_lines::JsonLines;
use self::lists::RowFaults;
use self::workbook::Workbook;
use crate::Error;
use crate::formats::{Kind, Named};
use crate::source::delimited::Preamble;
use crate::source::types::Seen;
use crate::source::{Chunk, Format, Rows};

/// How delimited text is to be written, beside what the name of the output says.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct TextOptions {
    /// What is between two cells, whatever was or the name says.
    pub delimiter: Option<u8>,
    /// Whether there is a header; otherwise where the rows that were read had one.
    pub header: Option<bool>,
    /// Whether a byte-order mark comes first; otherwise where there was one.
    pub byte_order_mark: bool,
    /// Whether every cell is in quotes; otherwise those that need them or had them, and new ones where all others have them.
    pub quote_all: bool,
}

/// What writes rows of a table that was read in this format and has this header and values of these types, with the columns that the shape says, to an output
/// of which that is said; where nothing is, as they were read.
///
/// # Errors
/// Where a column has no place in fixed-width text, of which `places` are those that were found, or two keys would have one name.
pub fn encoder(
    format: &Format,
    (named, options, places): (Named, TextOptions, Option<&Places>),
    (header, types): (&Header, &[Seen]),
    shape: &Shape,
) -> Result<Box<dyn Encoder>, Error> {
    let (header, shape) = (header.clone(), shape.clone());
    Ok(match (named.kind, format) {
        (None | Some(Kind::Delimited(_)), Format::Delimited { dialect, preamble }) => {
            let delimiter = named.other_delimiter(dialect.delimiter).unwrap_or(dialect.delimiter);
            Box::new(Delimited::new(Some(dialect.delimiter), delimiter, preamble.clone(), options, header, shape))
        }
        (Some(Kind::Workbook), _) => {
            let sheet = if let Format::Workbook { sheet, .. } = format { Some(sheet.clone()) } else { None };
            Box::new(Workbook::new(sheet, &header, shape))
        }
        #[cfg(feature = "columnar")]
        (Some(kind @ (Kind::Parquet | Kind::Arrow(_))), _) => {
            Box::new(columnar::Columnar::new(kind, format, types, &header, shape)?)
        }
        #[cfg(not(feature = "columnar"))]
        (Some(kind @ (Kind::Parquet | Kind::Arrow(_))), _) => return Err(not_in_build(kind, types)),
        (Some(Kind::Database), _) => Box::new(database::Database::new(format, types, &header, shape)?),
        // Without a word of how, these are not written: whoever asks for that is refused before.
        (Some(Kind::Delimited(_) | Kind::OtherWorkbook), _)
        | (None, Format::Workbook { .. } | Format::Columnar(_) | Format::Database(_)) => {
            let preamble = Preamble { line_end: "\n".to_owned(), ended: true, ..Preamble::default() };
            Box::new(Delimited::new(None, named.delimiter().unwrap_or(b','), preamble, options, header, shape))
        }
        (Some(Kind::FixedWidth), _) | (None, Format::FixedWidth(_)) => {
            let read = if let Format::FixedWidth(layout) = format { Some(layout.clone()) } else { None };
            let places = match places {
                Some(places) => places.clone(),
                None => fixed_width::places(&shape, read.as_ref(), None, &|_| None)?,
            };
            Box::new(FixedWidth::new(read, shape, places))
        }
        (Some(Kind::JsonLines | Kind::Foreign(_)), _) | (None, Format::JsonLines(_)) => {
            let style = if let Format::JsonLines(style) = format { Some(*style) } else { None };
            shape.tells_titles_apart(Kind::JsonLines, false)?;
            Box::new(JsonLines::new(style, &header, shape))
        }
    })
}

/// What is said where a build has no such format.
#[cfg(not(feature = "columnar"))]
fn not_in_build(kind: Kind, _: &[Seen]) -> Error {
    Error::NoColumnar { format: kind.name(), why: "this build does not write it".to_owned() }
}

/// What is written of each row.
#[derive(Debug, Clone)]
pub struct Shape {
    /// The columns of the output.
    pub columns: Vec<OutColumn>,
    /// What they are called.
    pub titles: Vec<String>,
    /// What is to be known of each piece.
    pub pieces: Vec<PieceShape>,
    /// The piece that gets a row of the output a result, if one does.
    pub rows_piece: Option<usize>,
    /// Whether all original columns are written, in their order.
    pub keeps_all: bool,
    /// Whether rows are written at all.
    pub is_written: bool,
}

/// What an encoder has to know of a piece.
#[derive(Debug, Clone)]
pub struct PieceShape {
    /// The columns that its text comes from, by their indices.
    pub sources: Vec<usize>,
    /// What its texts stand for, if that was said.
    pub value_type: Option<ValueType>,
    /// The bytes that it may have though these do not have them.
    pub adds: keen_notch_core::program::ByteSet,
}

impl Shape {
    /// What is written of the rows of a table with these columns: some of them, and the pieces.
    pub fn new(carving: &Carving, header: &Header, originals: &[usize]) -> Shape {
        let columns = carving.out_columns(originals);
        let piece = |piece| PieceShape {
            sources: carving.sources(piece).to_vec(),
            value_type: carving.value_type(piece),
            adds: carving.adds(piece),
        };
        Shape {
            titles: columns.iter().map(|column| carving.title(*column, header)).collect(),
            pieces: (0..carving.count()).map(piece).collect(),
            rows_piece: carving.rows_piece(),
            keeps_all: originals.iter().copied().eq(0..header.count()),
            is_written: true,
            columns,
        }
    }

    /// Adds a column that is neither one of the table nor a piece, at this place among the others.
    pub fn insert(&mut self, place: usize, column: OutColumn, title: &str) {
        self.columns.insert(place, column);
        self.titles.insert(place, title.to_owned());
    }

    /// The number of original columns that the output begins with, as the table has them.
    pub fn kept(&self) -> usize {
        self.columns.iter().enumerate().take_while(|(index, column)| **column == OutColumn::Original(*index)).count()
    }
}

impl Shape {
    /// Sees to it that no two columns of the output have one name. Those of the table may, where it had them so in such a format.
    ///
    /// # Errors
    /// Where two have.
    fn tells_titles_apart(&self, kind: Kind, may_double: bool) -> Result<(), Error> {
        let are_original = self.columns.iter().map(|column| may_double && matches!(column, OutColumn::Original(_)));
        let mut titles: Vec<(&String, bool)> = self.titles.iter().zip(are_original).collect();
        titles.sort_unstable();
        match titles.windows(2).find(|two| two[0].0 == two[1].0 && !(two[0].1 && two[1].1)) {
            Some(two) => Err(Error::DoubledTitle { title: two[0].0.clone(), format: kind.name() }),
            None => Ok(()),
        }
    }
}

/// A batch, and what came of it.
pub struct Encodable<'a> {
    /// The chunk that the rows are of.
    pub chunk: &'a dyn Chunk,
    /// Its text.
    pub text: &'a str,
    /// The rows of the chunk that the batch was made of; the batch may lack some of them.
    pub range: Range<usize>,
    /// The rows of the batch, as they are in the chunk.
    pub rows: &'a Rows<'a>,
    /// Their values.
    pub batch: &'a Batch<'a>,
    /// What came of them.
    pub worked: &'a Worked,
    /// The pieces.
    pub carving: &'a Carving,
    /// The rows of the batch to be written, by their indices, where not all are.
    pub written: Option<&'a [u32]>,
    /// What is wrong with them, where a column says that.
    pub faults: &'a RowFaults<'a>,
}

/// Turns batches and what came of them into bytes.
pub trait Encoder: Send + Sync {
    /// Writes what comes before the first row. Whether that is complete: otherwise [`Encoder::line_end`] has to come before
    /// anything else.
    fn begin(&self, out: &mut Buffer) -> bool;

    /// What has to come after rows that are not complete, and before anything else.
    fn line_end(&self) -> &[u8] {
        b""
    }

    /// Writes rows.
    ///
    /// # Errors
    /// Where the format has no place for a value.
    fn encode(&self, rows: &Encodable, out: &mut Out) -> Result<(), Error>;

    /// The number of columns that the encoder buffers for a whole batch.
    fn held_columns(&self) -> usize {
        0
    }

    /// Writes what is kept of the rows of a chunk, after the last of them.
    ///
    /// # Errors
    /// Where the format has no place for a value.
    fn end_chunk(&self, _chunk: &dyn Chunk, _out: &mut Out) -> Result<(), Error> {
        Ok(())
    }

    /// Whether the last of the rows that were written is complete; otherwise [`Encoder::line_end`] has to come before anything
    /// else.
    fn is_complete(&self, _written: &[u8]) -> bool {
        true
    }
}
