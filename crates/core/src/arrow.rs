//! Batches of Apache Arrow, in and out: the feature `arrow`.

use std::fmt;
use std::sync::Arc;

use arrow_array::builder::{BooleanBuilder, Date32Builder, Float64Builder, StringBuilder};
use arrow_array::cast::AsArray;
use arrow_array::types::{ArrowDictionaryKeyType, Int8Type, Int16Type, Int32Type, Int64Type};
use arrow_array::types::{UInt8Type, UInt16Type, UInt32Type, UInt64Type};
use arrow_array::{Array, ArrayRef, GenericStringArray, OffsetSizeTrait, RecordBatch, RecordBatchOptions, UInt32Array};
use arrow_schema::{ArrowError, DataType, Field, FieldRef, Schema};
use jiff::civil::{Date, date};

use crate::batch::{Column, Span};
use crate::carving::OutColumn;
use crate::runner::{Output, PieceId, PushError, Runner};
use crate::value_type::ValueType;

/// Why a record batch was not carved.
///
/// ```
/// use std::sync::Arc;
///
/// use arrow_array::{ArrayRef, Int64Array, RecordBatch};
/// use keen_notch_core::cutlist::CutList;
///
/// let numbers: ArrayRef = Arc::new(Int64Array::from(vec![41273]));
/// let mut runner = CutList::parse("[piece.a]\ntake = 'first 3'\n", 0)?.bind(&["no"])?;
/// let error = runner.push_record_batch(&RecordBatch::try_from_iter([("no", numbers)])?).unwrap_err();
/// assert_eq!(error.to_string(), "the column no is Int64, and phrases and checks read text; cast it to Utf8 first");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
#[non_exhaustive]
pub enum ArrowPushError {
    /// The name of a column differs from the bound one.
    Name {
        expected: String,
        found: String,
    },
    /// The list reads a column that has no texts.
    NotText {
        column: String,
        data_type: DataType,
    },
    /// The texts of a column have more than 4 GiB.
    TooLong {
        column: String,
    },
    Push(PushError),
    Arrow(ArrowError),
}

impl fmt::Display for ArrowPushError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            ArrowPushError::Name { expected, found } => write!(f, "the column {found} is where the table has {expected}"),
            ArrowPushError::NotText { column, data_type } => {
                write!(f, "the column {column} is {data_type}, and phrases and checks read text; cast it to Utf8 first")
            }
            ArrowPushError::TooLong { column } => {
                write!(f, "the texts of the column {column} have more than 4 GiB; push fewer rows")
            }
            ArrowPushError::Push(error) => error.fmt(f),
            ArrowPushError::Arrow(error) => error.fmt(f),
        }
    }
}

impl std::error::Error for ArrowPushError {
    fn source(&self) -> Option<&(dyn std::error::Error + 'static)> {
        match self {
            ArrowPushError::Push(error) => Some(error),
            ArrowPushError::Arrow(error) => Some(error),
            ArrowPushError::Name { .. } | ArrowPushError::NotText { .. } | ArrowPushError::TooLong { .. } => None,
        }
    }
}

impl From<ArrowError> for ArrowPushError {
    fn from(error: ArrowError) -> ArrowPushError {
        ArrowPushError::Arrow(error)
    }
}

impl Runner {
    /// Carves and checks the next rows. Returns the batch with its pieces, and the faults.
    ///
    /// The new batch shares the original columns, unless the list leaves rows out or gives each result a row. A null is a blank value; a
    /// missing piece is null. A piece with `as` is Float64, Date32 or Boolean, and null where its text has another type; other pieces
    /// are Utf8.
    ///
    /// ```
    /// use std::sync::Arc;
    ///
    /// use arrow_array::{Array, ArrayRef, Float64Array, RecordBatch, StringArray};
    /// use keen_notch_core::cutlist::CutList;
    ///
    /// let list = CutList::parse("[piece.serial]\nof = 'code'\ntake = 'after \"-\"'\ncheck = 'digits'\n", 0)?;
    /// let codes: ArrayRef = Arc::new(StringArray::from(vec![Some("GRP-1"), None, Some("HNG-x")]));
    /// let widths: ArrayRef = Arc::new(Float64Array::from(vec![0.5, 1.5, 2.5]));
    /// let batch = RecordBatch::try_from_iter([("code", codes), ("width", widths)])?;
    ///
    /// let mut runner = list.bind(&["code", "width"])?;
    /// let (carved, output) = runner.push_record_batch(&batch)?;
    /// assert_eq!(carved.column(2).as_ref(), &StringArray::from(vec![Some("1"), None, Some("x")]) as &dyn Array);
    /// assert_eq!(output.faults().map(|fault| fault.row).collect::<Vec<_>>(), [3]);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// The columns differ from those of the table, the list reads a column without texts, or the results take too much memory.
    pub fn push_record_batch<'b>(&mut self, batch: &'b RecordBatch) -> Result<(RecordBatch, Output<'_, 'b>), ArrowPushError> {
        let columns = self.texts_of(batch)?;
        let output = self.push(columns).map_err(ArrowPushError::Push)?;
        let carved = output.record_batch(batch)?;
        Ok((carved, output))
    }

    fn texts_of<'b>(&self, batch: &'b RecordBatch) -> Result<Vec<Column<'b>>, ArrowPushError> {
        let (carving, header) = self.bound();
        let schema = batch.schema_ref();
        if batch.num_columns() != header.count() {
            let error = PushError::Columns { expected: header.count(), found: batch.num_columns() };
            return Err(ArrowPushError::Push(error));
        }
        for (index, field) in schema.fields().iter().enumerate() {
            let expected = header.title(index);
            if header.names().is_some() && *field.name() != expected {
                return Err(ArrowPushError::Name { expected, found: field.name().clone() });
            }
        }
        let used = carving.used_columns();
        let column = |(index, (array, field)): (usize, (&'b ArrayRef, &FieldRef))| {
            if !used.contains(&index) {
                return Ok(Column::within("", vec![Span::default(); batch.num_rows()]));
            }
            let column = match array.data_type() {
                DataType::Null => Some(Column::within("", vec![Span::default(); batch.num_rows()])),
                DataType::Utf8 => texts(array.as_string::<i32>()),
                DataType::LargeUtf8 => texts(array.as_string::<i64>()),
                DataType::Utf8View => copied(array.as_string_view().iter()),
                DataType::Dictionary(..) => texts_of_dictionary(array).ok_or_else(|| not_text(field))?,
                _ => return Err(not_text(field)),
            };
            column.ok_or_else(|| ArrowPushError::TooLong { column: field.name().clone() })
        };
        batch.columns().iter().zip(schema.fields()).enumerate().map(column).collect()
    }
}

fn not_text(field: &FieldRef) -> ArrowPushError {
    ArrowPushError::NotText { column: field.name().clone(), data_type: field.data_type().clone() }
}

/// The texts of an array, where they are. `None` if spans cannot refer to them.
fn texts<O: OffsetSizeTrait>(array: &GenericStringArray<O>) -> Option<Column<'_>> {
    let Ok(text) = simdutf8::basic::from_utf8(array.value_data()) else { return copied(array.iter()) };
    if u32::try_from(text.len()).is_err() {
        return copied(array.iter());
    }
    let span = |(row, ends): (usize, &[O])| match ends {
        [start, end] if array.is_valid(row) => Span::new(start.as_usize(), end.as_usize()),
        _ => Span::default(),
    };
    Some(Column::within(text, array.value_offsets().windows(2).enumerate().map(span).collect()))
}

fn copied<'a, 'c>(values: impl Iterator<Item = Option<&'a str>> + Clone) -> Option<Column<'c>> {
    let width: usize = values.clone().flatten().map(str::len).sum();
    u32::try_from(width).ok()?;
    Some(Column::of(values.map(Option::unwrap_or_default)))
}

/// The texts of a dictionary with any keys. `None` if its values are not texts; `Some(None)` if there are too many.
fn texts_of_dictionary<'c>(array: &ArrayRef) -> Option<Option<Column<'c>>> {
    fn of<'c, K: ArrowDictionaryKeyType>(array: &ArrayRef) -> Option<Option<Column<'c>>> {
        let keys = array.as_dictionary::<K>();
        let values = keys.values();
        let text = |row: usize| {
            let key = keys.key(row).filter(|key| values.is_valid(*key))?;
            Some(match values.data_type() {
                DataType::LargeUtf8 => values.as_string::<i64>().value(key),
                DataType::Utf8View => values.as_string_view().value(key),
                _ => values.as_string::<i32>().value(key),
            })
        };
        let are_texts = matches!(values.data_type(), DataType::Utf8 | DataType::LargeUtf8 | DataType::Utf8View);
        are_texts.then(|| copied((0..keys.len()).map(text)))
    }
    let DataType::Dictionary(key, _) = array.data_type() else { return None };
    match **key {
        DataType::Int8 => of::<Int8Type>(array),
        DataType::Int16 => of::<Int16Type>(array),
        DataType::Int32 => of::<Int32Type>(array),
        DataType::Int64 => of::<Int64Type>(array),
        DataType::UInt8 => of::<UInt8Type>(array),
        DataType::UInt16 => of::<UInt16Type>(array),
        DataType::UInt32 => of::<UInt32Type>(array),
        DataType::UInt64 => of::<UInt64Type>(array),
        _ => None,
    }
}

/// The rows of the new batch: the kept row of each, and the result of the piece that has a row for each result.
struct ResultRows {
    of: Vec<u32>,
    results: Vec<usize>,
}

impl Output<'_, '_> {
    fn record_batch(&self, of: &RecordBatch) -> Result<RecordBatch, ArrowError> {
        let (carving, header) = self.bound();
        let rows = self.result_rows(carving.rows_piece());
        let is_whole = rows.of.len() == of.num_rows() && rows.of.iter().enumerate().all(|(index, row)| index == *row as usize);
        let numbers = self.numbers_in_batch();
        let taken = (!is_whole || numbers.len() != of.num_rows()).then(|| {
            let number = |row: &u32| numbers.get(*row as usize).map_or(0, |number| number - 1);
            UInt32Array::from(rows.of.iter().map(number).collect::<Vec<u32>>())
        });
        let originals: Vec<usize> = (0..header.count()).collect();
        let (mut fields, mut arrays) = (Vec::<FieldRef>::new(), Vec::<ArrayRef>::new());
        for column in carving.out_columns(&originals) {
            let (field, array) = match column {
                OutColumn::Original(index) => {
                    let array = of.column(index);
                    let array = match &taken {
                        None => Arc::clone(array),
                        Some(rows) => arrow_select::take::take(array, rows, None)?,
                    };
                    (Arc::clone(&of.schema_ref().fields()[index]), array)
                }
                OutColumn::Piece { piece, result } => {
                    let results_of_rows = (carving.rows_piece() == Some(piece)).then_some(&rows.results);
                    let text = |place: usize, row: u32| {
                        let result = results_of_rows.map_or(result, |results| results[place]);
                        self.texts(PieceId(piece), row as usize).nth(result)
                    };
                    let texts = rows.of.iter().enumerate().map(|(place, row)| text(place, *row));
                    let array = array_of(texts, carving.value_type(piece));
                    (Arc::new(Field::new(carving.title(column, header), array.data_type().clone(), true)), array)
                }
                OutColumn::OfInput(_) | OutColumn::Faults | OutColumn::Compared | OutColumn::Reason => continue,
            };
            fields.push(field);
            arrays.push(array);
        }
        let schema = Arc::new(Schema::new_with_metadata(fields, of.schema_ref().metadata().clone()));
        let options = RecordBatchOptions::new().with_row_count(Some(rows.of.len()));
        RecordBatch::try_new_with_options(schema, arrays, &options)
    }

    fn result_rows(&self, rows_piece: Option<usize>) -> ResultRows {
        let (mut of, mut results) = (Vec::new(), Vec::new());
        for row in 0..self.rows().len() {
            let count = rows_piece.map_or(1, |piece| self.texts(PieceId(piece), row).count().max(1));
            of.extend(std::iter::repeat_n(row as u32, count));
            results.extend(0..count);
        }
        ResultRows { of, results }
    }
}

fn array_of<'a>(texts: impl Iterator<Item = Option<&'a str>>, of: Option<ValueType>) -> ArrayRef {
    let plain = |text: Option<&str>| of.zip(text).and_then(|(of, text)| of.plain(text));
    match of {
        None => {
            let mut builder = StringBuilder::new();
            texts.for_each(|text| builder.append_option(text));
            Arc::new(builder.finish())
        }
        Some(ValueType::Number) => {
            let mut builder = Float64Builder::new();
            texts.for_each(|text| builder.append_option(plain(text).and_then(|plain| plain.parse().ok())));
            Arc::new(builder.finish())
        }
        Some(ValueType::Truth) => {
            let mut builder = BooleanBuilder::new();
            texts.for_each(|text| builder.append_option(plain(text).map(|plain| plain == "true")));
            Arc::new(builder.finish())
        }
        Some(ValueType::Date) => {
            let days = |plain: String| Some((plain.parse::<Date>().ok()? - date(1970, 1, 1)).get_days());
            let mut builder = Date32Builder::new();
            texts.for_each(|text| builder.append_option(plain(text).and_then(days)));
            Arc::new(builder.finish())
        }
    }
}
