//! Sources return chunks of rows in order. On any thread, a chunk returns batches of the requested columns. A new format needs a source
//! and a chunk.

pub(crate) mod blocks;
pub(crate) mod decoding;
pub(crate) mod decompressor;
pub mod file_stamps;
pub(crate) mod foreign;
pub mod input;
pub mod meter;
#[cfg(any(feature = "columnar", feature = "sqlite"))]
pub(crate) mod numbers;
pub(crate) mod reading;
pub mod types;
pub(crate) mod whole;

use std::borrow::Cow;
use std::ops::Range;
use std::sync::Arc;

use keen_notch_core::batch::{Batch, Buffer, Forms, Mask, Span, Texts};
use keen_notch_core::carving::BatchRows;
use keen_notch_core::column::Header;
use keen_notch_core::text::characters::Form;

pub use decoding::{NotOfEncoding, WrongBytes};
pub use decompressor::BrokenCompression;
pub use reading::{EmptyFormulas, MEMORY, MOST_ROW, Ragged, Reading};
pub use whole::ShortenedFile;

use crate::Error;
use crate::formats::columnar::{Columnar, RecordBatch};
use crate::formats::database::TableDefinition;
use crate::formats::database::source::DatabaseRows;
use crate::formats::delimited::{DelimitedSource, Dialect, Preamble};
use crate::formats::fixed_width::{FixedWidth, Layout};
use crate::formats::json_lines::{JsonLines, Style};
use crate::formats::workbook::Workbook;
use crate::formats::{Between, Kind};
use crate::source::input::Input;
use crate::source::types::ObservedTypes;

/// The format of a table with the properties that encoders need.
#[derive(Debug, Clone)]
pub enum Format {
    Delimited {
        dialect: Dialect,
        /// The bytes before the rows.
        preamble: Preamble,
    },
    JsonLines(Style),
    FixedWidth(Layout),
    Workbook {
        sheet: String,
        sheets: usize,
    },
    Columnar(Columnar),
    Database(Arc<TableDefinition>),
}

impl Format {
    pub fn name(&self) -> &'static str {
        self.kind().name()
    }

    /// The corresponding output format.
    pub fn kind(&self) -> Kind {
        match self {
            Format::Delimited { .. } => Kind::Delimited(Between::Anything),
            Format::JsonLines(_) => Kind::JsonLines,
            Format::FixedWidth(_) => Kind::FixedWidth,
            Format::Workbook { .. } => Kind::Workbook,
            Format::Columnar(columnar) => columnar.kind(),
            Format::Database(_) => Kind::Database,
        }
    }

    /// Whether the column type has a text form.
    pub fn has_text(&self, column: usize) -> bool {
        match self {
            Format::Database(declared) => declared.have_text.get(column).is_none_or(|has_text| *has_text),
            _ => true,
        }
    }

    /// Whether it is a usual format for a pipe.
    pub fn goes_into_pipes(&self) -> bool {
        !matches!(self.kind(), Kind::Workbook | Kind::Parquet | Kind::Arrow(_) | Kind::Database)
    }

    /// Whether rows have line numbers; otherwise only row numbers.
    pub fn has_lines(&self) -> bool {
        !matches!(self.kind(), Kind::Parquet | Kind::Arrow(_) | Kind::Database)
    }

    pub fn delimiter(&self) -> Option<u8> {
        match self {
            Format::Delimited { dialect, .. } => Some(dialect.delimiter),
            Format::JsonLines(_)
            | Format::FixedWidth(_)
            | Format::Workbook { .. }
            | Format::Columnar(_)
            | Format::Database(_) => None,
        }
    }

    /// The detected delimiter as an option value, if it was detected.
    pub fn guessed_delimiter(&self) -> Option<String> {
        let Format::Delimited { dialect, .. } = self else { return None };
        dialect
            .is_guessed
            .then(|| if dialect.delimiter == b'\t' { "tab".to_owned() } else { char::from(dialect.delimiter).to_string() })
    }

    /// The same for Parquet with copied columns.
    pub(crate) fn copied(&self, files: Vec<String>) -> Format {
        let mut copied = self.clone();
        if let Format::Columnar(columnar) = &mut copied {
            columnar.copy(files);
        }
        copied
    }

    pub(crate) fn is_copied(&self) -> bool {
        matches!(self, Format::Columnar(columnar) if columnar.is_copied())
    }

    pub(crate) fn other_type(&self, other: &Format) -> Option<(String, String, String)> {
        let (Format::Columnar(this), Format::Columnar(other)) = (self, other) else { return None };
        this.other_type(other)
    }

    /// Settings for further inputs of the same table.
    pub fn reading(&self, first: &Reading, header: &Header) -> Reading {
        let reading = first.clone();
        match self {
            Format::Delimited { dialect, .. } => {
                Reading { other_delimiter: Some(dialect.delimiter), otherwise: self.kind(), ..reading }
            }
            Format::FixedWidth(_) | Format::Workbook { .. } | Format::Columnar(_) | Format::Database(_) => {
                Reading { otherwise: self.kind(), ..reading }
            }
            Format::JsonLines(_) => Reading { columns: Some((header.clone(), Vec::new())), otherwise: self.kind(), ..reading },
        }
    }
}

/// Opens an input as a table in its format, and reads its header.
///
/// ```
/// use keen_notch_core::carving::BatchRows;
/// use keen_notch_io::source::{self, Reading, Rows, input::Input};
///
/// let parts = Input::Memory("parts.csv".to_owned(), b"part_code,depot\nGRP-1,East\nHNG-2,West\n".as_slice().into());
/// let mut source = source::open(&parts, &Reading::default())?;
/// let mut chunk = source.next_chunk()?.expect("there are rows");
/// chunk.open(&[0])?;
/// let mut rows = Rows::default();
/// chunk.take(chunk.text()?, 0..chunk.rows(), &mut rows);
/// assert_eq!(rows.with_batch(|batch| batch.value(0, 1).to_owned()), "HNG-2");
/// # Ok::<(), keen_notch_io::Error>(())
/// ```
///
/// # Errors
/// Where the input cannot be read, or there is nothing in it.
pub fn open(input: &Input, reading: &Reading) -> Result<Box<dyn Source>, Error> {
    if let Input::Database(relation) = input {
        return Ok(Box::new(DatabaseRows::open(relation, reading)?));
    }
    Ok(match reading.kind(input) {
        Kind::Delimited(_) => Box::new(DelimitedSource::open(input, reading)?),
        Kind::JsonLines => Box::new(JsonLines::open(input, reading)?),
        Kind::FixedWidth => Box::new(FixedWidth::open(input, reading)?),
        Kind::Workbook | Kind::OtherWorkbook => Box::new(Workbook::open(input, reading)?),
        kind @ (Kind::Parquet | Kind::Arrow(_)) => crate::formats::columnar::source::open(input, kind, reading)?,
        Kind::Database => return Err(Error::Unreadable { name: input.name(), format: Kind::Database.name() }),
        Kind::Foreign(format) => return Err(Error::Unreadable { name: input.name(), format }),
    })
}

/// A source of rows.
pub trait Source: Send {
    /// The label for messages.
    fn name(&self) -> &str;

    fn header(&self) -> &Header;

    /// The next rows; `None` at the end.
    ///
    /// # Errors
    /// The source cannot be read.
    fn next_chunk(&mut self) -> Result<Option<Box<dyn Chunk>>, Error>;

    fn format(&self) -> Format;

    /// Requests only these columns, as ascending indices. Call it before the first chunk.
    fn need(&mut self, _columns: &[usize]) {}

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

    /// The typed columns, if the format has them, with their indices in the table.
    fn columns(&self) -> Option<(&RecordBatch, &[usize])> {
        None
    }

    /// The size in bytes.
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

/// A number with a number format.
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
    /// A date, or a date and time, in ISO 8601.
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
        Rows { columns: columns.collect(), numbers: self.numbers }
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

    fn with_batch<R>(&self, call: impl FnOnce(&Batch) -> R) -> R {
        let columns: Vec<Texts> = self.columns.iter().map(Values::texts).collect();
        call(&Batch { rows: self.len(), columns: &columns })
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
