//! Sources return chunks of rows in order. On any thread, a chunk returns batches of the requested columns. A new format needs a source
//! and a chunk.

pub mod address;
pub(crate) mod blocks;
pub(crate) mod decoding;
pub(crate) mod decompressor;
pub mod file_stamps;
pub(crate) mod foreign;
pub mod input;
pub mod memory;
pub mod meter;
#[cfg(any(feature = "columnar", feature = "sqlite"))]
pub(crate) mod numbers;
pub(crate) mod partitioned;
pub(crate) mod reading;
pub(crate) mod strips;
pub mod types;
pub(crate) mod whole;

use std::any::Any;
use std::borrow::Cow;
use std::fmt;
use std::ops::{Deref, Range};
use std::sync::Arc;

use keen_notch_core::batch::{Batch, Buffer, Forms, Mask, RowNumbers, Span, Texts};
use keen_notch_core::carving::BatchRows;
use keen_notch_core::column::Header;
use keen_notch_core::text::characters::Form;

pub use decoding::{NotOfEncoding, WrongBytes};
pub use decompressor::BrokenCompression;
pub use reading::{EmptyFormulas, MEMORY, MOST_ROW, Partitions, Ragged, Reading};
pub use whole::ShortenedFile;

use crate::Error;
use crate::kind::Kind;
use crate::source::types::ObservedTypes;

/// The format of an opened table, with the properties that its encoder needs.
pub trait TableFormat: Any + fmt::Debug + Send + Sync {
    /// The corresponding output format.
    fn kind(&self) -> Kind;

    /// Whether the type of a column has a text form.
    fn has_text(&self, _column: usize) -> bool {
        true
    }

    fn delimiter(&self) -> Option<u8> {
        None
    }

    /// Whether the delimiter was detected.
    fn is_guessed(&self) -> bool {
        false
    }

    /// The same format with columns that are copied from these files, if it supports that.
    fn copied(&self, _files: &[String]) -> Option<Format> {
        None
    }

    fn is_copied(&self) -> bool {
        false
    }

    /// The first column whose type differs in another table.
    fn other_type(&self, _other: &Format) -> Option<TypeDifference> {
        None
    }

    /// Settings for further inputs of the same table.
    fn reading(&self, first: &Reading, _header: &Header) -> Reading {
        Reading { otherwise: self.kind(), ..first.clone() }
    }
}

pub struct TypeDifference {
    pub column: String,
    pub own: String,
    pub other: String,
}

/// A shared [`TableFormat`].
#[derive(Debug, Clone)]
pub struct Format(Arc<dyn TableFormat>);

impl Format {
    pub fn new(format: impl TableFormat) -> Format {
        Format(Arc::new(format))
    }

    /// The properties, if they are of this type.
    pub fn get<T: TableFormat>(&self) -> Option<&T> {
        let any: &dyn Any = &*self.0;
        any.downcast_ref()
    }

    pub fn name(&self) -> &'static str {
        self.kind().name
    }

    /// The detected delimiter as an option value, if it was detected.
    pub fn guessed_delimiter(&self) -> Option<String> {
        let delimiter = self.delimiter().filter(|_| self.is_guessed())?;
        Some(if delimiter == b'\t' { "tab".to_owned() } else { char::from(delimiter).to_string() })
    }
}

impl Deref for Format {
    type Target = dyn TableFormat;

    fn deref(&self) -> &Self::Target {
        &*self.0
    }
}

pub trait Source: Send {
    fn name(&self) -> &str;

    fn header(&self) -> &Header;

    /// The header of the file, without columns from the names of folders.
    fn file_header(&self) -> &Header {
        self.header()
    }

    /// The values of the columns from the names of folders. These columns follow the columns of the file.
    fn values_of_folders(&self) -> &[String] {
        &[]
    }

    /// The next rows; `None` at the end.
    ///
    /// # Errors
    /// The source cannot be read.
    fn next_chunk(&mut self) -> Result<Option<Box<dyn Chunk>>, Error>;

    fn format(&self) -> Format;

    /// Requests only these columns, as ascending indices. Call it before the first chunk.
    fn need(&mut self, _columns: &[usize]) {}

    /// Lets the threads that open chunks share the work of finding them. The size of a chunk is then known once it is opened. Call it before
    /// the first chunk.
    fn share_reading(&mut self) {}

    /// The types of the columns, as far as they are known before the first row.
    fn types(&self) -> &[ObservedTypes] {
        &[]
    }

    /// Whether later rows may have columns that are not in the header.
    fn may_have_more_columns(&self) -> bool {
        false
    }
}

/// Some rows of a source, processed by one thread.
pub trait Chunk: Send {
    /// Finds the rows, and the values of some columns, given as ascending indices.
    ///
    /// # Errors
    /// A row is invalid.
    fn open(&mut self, columns: &[usize]) -> Result<(), Error>;

    /// Prepares the cells of some columns. Without this call, cells without text are null.
    ///
    /// # Errors
    /// A value has no text.
    fn open_cells(&mut self, _columns: &[usize]) -> Result<(), Error> {
        Ok(())
    }

    fn source(&self) -> &str;

    /// A text of the input: 0 is its name, and the next ones are the values of its folders.
    fn of_input(&self, text: usize) -> &str {
        if text == 0 { self.source() } else { "" }
    }

    /// The text that contains the rows and values.
    ///
    /// # Errors
    /// It is not UTF-8.
    fn text(&self) -> Result<&str, Error>;

    fn rows(&self) -> usize;

    /// The average number of cells that [`Chunk::take`] finds in a row, of `columns` requested columns.
    fn cells_of_row(&self, columns: usize) -> usize {
        columns
    }

    /// Takes the values of some rows; `text` is the chunk's own.
    fn take<'c>(&'c self, text: &'c str, rows: Range<usize>, into: &mut Rows<'c>);

    /// The value of any column in a row.
    fn cell<'c>(&'c self, text: &'c str, row: usize, column: usize) -> Cell<'c>;

    /// Rows of a range with too few or too many cells, with their number of cells.
    fn ragged(&self, rows: Range<usize>) -> &[(u32, u32)];

    /// The line of a row, from 1. `from` is the position of the last call, because lines are counted in order.
    fn line(&self, row: usize, from: &mut LineCount) -> u64;

    /// The raw rows, if the format has them.
    fn raw(&self) -> Option<RawRows<'_>>;

    /// The chunk itself, if the encoder of its format needs more than values and cells.
    fn own(&self) -> Option<&dyn Any> {
        None
    }

    fn size(&self) -> usize;
}

#[derive(Debug, Clone, PartialEq)]
pub struct Cell<'c> {
    pub kind: CellKind,
    pub text: Cow<'c, str>,
    /// The number behind the text, in a workbook.
    pub shown: Option<FormattedNumber<'c>>,
}

impl<'c> Cell<'c> {
    pub const NOTHING: Cell<'static> = Cell { kind: CellKind::Nothing, text: Cow::Borrowed(""), shown: None };

    pub fn new(kind: CellKind, text: impl Into<Cow<'c, str>>) -> Cell<'c> {
        Cell { kind, text: text.into(), shown: None }
    }
}

#[derive(Debug, Clone, Copy, PartialEq)]
pub struct FormattedNumber<'c> {
    /// The number; for a date, the days since the end of 1899.
    pub number: f64,
    /// The format (ECMA-376, part 1, section 18.8.31).
    pub format: &'c str,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CellKind {
    Nothing,
    Text,
    /// A number in JSON notation.
    Number,
    Truth,
    Date,
    Nested,
}

/// The position of the last line count in a chunk.
#[derive(Debug, Clone, Copy, Default)]
pub struct LineCount {
    /// The byte of the chunk.
    pub at: usize,
    pub ends: u64,
}

#[derive(Clone, Copy)]
pub struct RawRows<'c> {
    pub rows: &'c [RawRow],
    /// The first byte after the header.
    pub start: usize,
    /// Whether some bytes between rows belong to no row.
    pub has_gaps: bool,
    pub delimiter: Option<u8>,
    pub cells: &'c dyn RawCells,
}

/// Finds raw cells.
pub trait RawCells {
    /// The span of a raw cell; empty if it does not exist.
    fn cell(&self, row: usize, column: usize) -> Span;

    /// The byte after the last cell of a row, where cells can be appended.
    fn end(&self, row: usize) -> usize;
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct RawRow {
    /// The row without its line end.
    pub raw: Span,
    /// The byte after its line end.
    pub next: u32,
}

impl RawRow {
    pub fn line_end(&self) -> Span {
        Span { start: self.raw.end, end: self.next }
    }
}

/// The values of some rows, by column, from which a batch is made.
#[derive(Debug, Default)]
pub struct Rows<'c> {
    /// The indices of the rows in the chunk.
    pub numbers: Vec<u32>,
    /// The number of rows of the input before the chunk, if it matters.
    pub before: u64,
    /// The columns of the table, up to the last requested one. Columns that were not requested are empty.
    pub columns: Vec<Values<'c>>,
}

#[derive(Debug, Default)]
pub struct Values<'c> {
    /// The text that contains them, unless they were rewritten.
    pub text: &'c str,
    pub spans: Vec<Span>,
    pub forms: Forms,
    /// Values with bytes that may need quotes or escapes in their own format.
    pub special: Mask,
    /// The rewritten values, if some differ from the text.
    pub own: Option<Buffer>,
    /// The number of rows if no row has a value; `spans` is then empty.
    pub(crate) without_values: usize,
}

/// The spans of rows without values.
static NO_VALUES: [Span; 256] = [Span { start: 0, end: 0 }; 256];

impl<'c> Values<'c> {
    /// Takes the values of a column, with unknown forms, from their spans in a text.
    pub(crate) fn fill(&mut self, text: &'c str, spans: impl Iterator<Item = Span>) {
        (self.text, self.own, self.without_values) = (text, None, 0);
        self.spans.clear();
        self.spans.extend(spans);
        self.forms.clear(self.spans.len());
        self.special.fill(self.spans.len());
        // Mostly, the whole text is plain.
        let bytes: usize = self.spans.iter().map(|span| span.width()).sum();
        if bytes >= text.len() / 2 && Form::of(text).is_plain() {
            return;
        }
        for (row, span) in self.spans.iter().enumerate() {
            let form = Form::of(span.text(text));
            if !form.is_plain() {
                self.forms.set(row, form);
            }
        }
    }

    /// Resets to `rows` rows without values.
    pub(crate) fn begin(&mut self, text: &'c str, rows: usize) {
        (self.text, self.own, self.without_values) = (text, None, 0);
        self.spans.clear();
        self.spans.resize(rows, Span::default());
        self.forms.clear(rows);
        self.special.clear(rows);
    }

    /// Like [`Values::begin`], but cheaper. Call [`Values::begin`] before you store a value.
    pub(crate) fn begin_without_values(&mut self, text: &'c str, rows: usize) {
        if rows == 0 || rows > NO_VALUES.len() {
            return self.begin(text, rows);
        }
        (self.text, self.own, self.without_values) = (text, None, rows);
        self.spans.clear();
        self.forms.clear(rows);
        self.special.clear(rows);
    }

    pub fn texts(&self) -> Texts<'_> {
        if self.without_values > 0 {
            let spans = NO_VALUES.get(..self.without_values).unwrap_or_default();
            return Texts { text: "", spans, forms: &self.forms };
        }
        let text = self.own.as_ref().map_or(self.text, Buffer::text);
        Texts { text, spans: &self.spans, forms: &self.forms }
    }
}

impl<'c> Rows<'c> {
    /// Resets to some rows of a chunk. `columns` are the requested columns, as ascending indices.
    pub(crate) fn begin(&mut self, rows: Range<usize>, columns: &[usize]) {
        self.numbers.clear();
        self.numbers.extend(rows.start as u32..rows.end as u32);
        self.columns.resize_with(columns.last().map_or(0, |last| last + 1), Values::default);
    }

    pub fn len(&self) -> usize {
        self.numbers.len()
    }

    pub fn is_empty(&self) -> bool {
        self.numbers.is_empty()
    }

    /// Recycles the memory of these rows.
    pub fn recycle<'d>(mut self) -> Rows<'d> {
        self.numbers.clear();
        let columns = std::mem::take(&mut self.columns).into_iter().map(|mut column| {
            column.spans.clear();
            Values { spans: column.spans, forms: column.forms, special: column.special, ..Values::default() }
        });
        Rows { columns: columns.collect(), numbers: self.numbers, before: 0 }
    }
}

impl BatchRows for Rows<'_> {
    fn keep(&mut self, rows: &[u32]) {
        pick(&mut self.numbers, rows);
        for column in &mut self.columns {
            if column.without_values > 0 {
                column.begin_without_values("", rows.len());
                continue;
            }
            if column.spans.is_empty() {
                continue;
            }
            pick(&mut column.spans, rows);
            let (forms, special) = (std::mem::take(&mut column.forms), std::mem::take(&mut column.special));
            column.forms.pick(&forms, rows);
            column.special.pick(&special, rows);
        }
    }

    fn count(&self) -> usize {
        self.len()
    }

    fn with_batch<R>(&self, call: impl FnOnce(&Batch) -> R) -> R {
        let columns: Vec<Texts> = self.columns.iter().map(Values::texts).collect();
        let numbers = RowNumbers { before: self.before + 1, rows: &self.numbers };
        call(&Batch { rows: self.len(), columns: &columns, numbers })
    }

    fn number(&self, row: usize) -> u64 {
        u64::from(self.numbers[row]) + 1
    }
}

/// Keeps the items at these ascending indices.
fn pick<T: Copy>(of: &mut Vec<T>, kept: &[u32]) {
    for (place, index) in kept.iter().enumerate() {
        of[place] = of[*index as usize];
    }
    of.truncate(kept.len());
}
