use std::any::Any;
use std::ops::Range;
use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::{Array, ArrayRef, OffsetSizeTrait, RecordBatch};
use arrow_schema::DataType;
use keen_notch_core::batch::Span;

use crate::Error;
use crate::formats::columnar::values;
use crate::formats::columnar::values::NoText;
use crate::source::{Cell, CellKind, Chunk, LineCount, RawRows, Rows};

pub struct ColumnarChunk {
    name: Arc<str>,
    batch: RecordBatch,
    size: usize,
    places: Vec<usize>,
    before: u64,
    opened: Vec<usize>,
    /// For columns that are not plain texts, the converted texts so far.
    texts: Vec<Option<Texts>>,
}

#[derive(Default)]
struct Texts {
    text: String,
    spans: Vec<Span>,
    kinds: Vec<CellKind>,
}

impl ColumnarChunk {
    /// A chunk of about `size` bytes after `before` rows.
    pub fn new(name: Arc<str>, (batch, size): (RecordBatch, usize), places: Vec<usize>, before: u64) -> ColumnarChunk {
        let texts = (0..places.len()).map(|_| None).collect();
        ColumnarChunk { name, batch, size, places, before, opened: Vec::new(), texts }
    }

    /// The array of a column of the table, if it was read.
    pub fn array(&self, column: usize) -> Option<&ArrayRef> {
        Some(self.batch.column(self.place(column)?))
    }

    fn place(&self, column: usize) -> Option<usize> {
        self.places.binary_search(&column).ok()
    }

    fn make_texts(&mut self, columns: &[usize]) -> Result<(), Error> {
        let places: Vec<usize> = columns.iter().filter_map(|column| self.place(*column)).collect();
        for place in places {
            let array = self.batch.column(place);
            if self.texts[place].is_some() || matches!(array.data_type(), DataType::Utf8 | DataType::LargeUtf8) {
                continue;
            }
            let is_uuid = values::is_uuid(self.batch.schema_ref().field(place));
            let mut texts = Texts::default();
            texts.spans.reserve(array.len());
            for row in 0..array.len() {
                let start = texts.text.len();
                let kind = match is_uuid {
                    true => Ok(values::push_uuid(array, row, &mut texts.text)),
                    false => values::push(array, row, &mut texts.text),
                };
                let kind = kind.map_err(|none| self.error(place, row, none))?;
                texts.spans.push(Span::new(start, texts.text.len()));
                texts.kinds.push(kind);
            }
            self.texts[place] = Some(texts);
        }
        Ok(())
    }

    fn error(&self, place: usize, row: usize, none: NoText) -> Error {
        Error::NoTextOf {
            name: self.name.to_string(),
            column: self.batch.schema_ref().field(place).name().clone(),
            row: self.before + row as u64 + 1,
            why: match none {
                NoText::Bytes => "its bytes are not text".to_owned(),
                NoText::Type(name) => format!("its type is {name}"),
            },
        }
    }
}

/// The texts of some rows, if an array has them directly: the joined text and the offsets.
fn plain<O: OffsetSizeTrait>(array: &dyn Array, rows: Range<usize>) -> (&str, impl Iterator<Item = Span> + '_) {
    let strings = array.as_string::<O>();
    let offsets = strings.value_offsets();
    let (first, last) = (offsets[rows.start].as_usize(), offsets[rows.end].as_usize());
    // The array was validated before; validating again avoids unsafe code.
    let text = simdutf8::basic::from_utf8(&strings.value_data()[first..last]).unwrap_or_default();
    let span = move |row: usize| match strings.is_null(row) || text.is_empty() {
        true => Span::default(),
        false => Span::new(offsets[row].as_usize() - first, offsets[row + 1].as_usize() - first),
    };
    (text, rows.map(span))
}

impl Chunk for ColumnarChunk {
    fn open(&mut self, columns: &[usize]) -> Result<(), Error> {
        self.opened = columns.to_vec();
        self.make_texts(columns)
    }

    fn open_cells(&mut self, columns: &[usize]) -> Result<(), Error> {
        self.make_texts(columns)
    }

    fn source(&self) -> &str {
        &self.name
    }

    fn text(&self) -> Result<&str, Error> {
        Ok("")
    }

    fn rows(&self) -> usize {
        self.batch.num_rows()
    }

    fn take<'c>(&'c self, _: &'c str, range: Range<usize>, into: &mut Rows<'c>) {
        into.begin(range.clone(), &self.opened);
        for column in &self.opened {
            let values = &mut into.columns[*column];
            let Some(place) = self.place(*column) else {
                values.fill("", range.clone().map(|_| Span::default()));
                continue;
            };
            let array = self.batch.column(place);
            if let Some(texts) = &self.texts[place] {
                values.fill(&texts.text, texts.spans[range.clone()].iter().copied());
            } else if *array.data_type() == DataType::Utf8 {
                let (text, spans) = plain::<i32>(array, range.clone());
                values.fill(text, spans);
            } else {
                let (text, spans) = plain::<i64>(array, range.clone());
                values.fill(text, spans);
            }
        }
    }

    fn cell<'c>(&'c self, _: &'c str, row: usize, column: usize) -> Cell<'c> {
        let Some(place) = self.place(column) else { return Cell::NOTHING };
        let array = self.batch.column(place);
        if let Some(texts) = &self.texts[place] {
            return Cell::new(texts.kinds[row], texts.spans[row].text(&texts.text));
        }
        match array.data_type() {
            _ if array.is_null(row) => Cell::NOTHING,
            DataType::Utf8 => Cell::new(CellKind::Text, array.as_string::<i32>().value(row)),
            DataType::LargeUtf8 => Cell::new(CellKind::Text, array.as_string::<i64>().value(row)),
            _ => {
                let mut text = String::new();
                values::push(array, row, &mut text).map_or(Cell::NOTHING, |kind| Cell::new(kind, text))
            }
        }
    }

    fn ragged(&self, _: Range<usize>) -> &[(u32, u32)] {
        &[]
    }

    fn line(&self, row: usize, _: &mut LineCount) -> u64 {
        self.before + row as u64 + 1
    }

    fn raw(&self) -> Option<RawRows<'_>> {
        None
    }

    fn own(&self) -> Option<&dyn Any> {
        Some(self)
    }

    fn size(&self) -> usize {
        self.size
    }
}
