//! Encodes rows as Arrow batches, from which the sink builds Parquet or Arrow. Typed columns keep their types.

use std::borrow::Cow;
use std::fmt::Write as _;
use std::mem;
use std::ops::Range;
use std::sync::Arc;

use arrow_array::builder::{
    BinaryBuilder, BooleanBuilder, Date32Builder, Decimal128Builder, Float64Builder, Int32Builder, Int64Builder, StringBuilder,
};
use arrow_array::{Array, ArrayRef, ListArray, RecordBatch, RecordBatchOptions, StringArray, StructArray};
use arrow_buffer::{Buffer as Bytes, NullBuffer, OffsetBuffer, ScalarBuffer};
use arrow_schema::{ArrowError, DataType, Field, FieldRef, Fields, Metadata, Schema, SchemaRef};
use keen_notch_core::batch::{Buffer, Span};
use keen_notch_core::carving::{OutColumn, RowComparison};
use keen_notch_core::column::Header;

use crate::Error;
use crate::encode::EncoderRequest;
use crate::encode::lists::{COMPARED_FIELDS, FAULT_FIELDS};
use crate::encode::out::{Held, HeldTexts};
use crate::encode::rows::OutRows;
use crate::encode::{Encodable, Encoder, Extend, Out, OutputSchema};
use crate::formats::columnar::source::chunk::ColumnarChunk;
use crate::formats::columnar::{Columnar as Opened, PARQUET};
use crate::formats::columnar::{
    Plan, array_in_parquet, field_in_parquet, missing_in_parquet, picking, push_batch, push_schema,
};
use crate::head;
use crate::kind::Kind;
use crate::source::types::{ObservedTypes, Type};
use crate::source::{CellKind, Chunk, Format, LineCount};

const MOST_HELD: usize = 512 << 10;
const CELL: usize = size_of::<i32>() + size_of::<bool>();

enum From {
    Kept(usize),
    Made(Type),
    Faults,
    Compared,
}

struct ArrowColumn {
    from: From,
    seen: Option<ObservedTypes>,
}

pub struct Columnar {
    kind: Kind,
    shape: OutputSchema,
    schema: SchemaRef,
    plan: Plan,
    columns: Vec<ArrowColumn>,
}

type PieceTexts<'a> = (&'a str, Cow<'a, [Span]>);

fn type_of(format: Option<&Format>, types: &[ObservedTypes], column: usize) -> (Type, Option<ObservedTypes>) {
    let seen = types.get(column);
    let of = seen.map_or(Type::Text, ObservedTypes::type_of);
    // Phrases read an object as its JSON text.
    let is_json = format.is_some_and(|format| format.kind().has_objects);
    (of, seen.filter(|_| is_json).cloned())
}

fn data_type(of: Type) -> DataType {
    match of {
        Type::Text | Type::Nested => DataType::Utf8,
        Type::Whole | Type::BigWhole => DataType::Int64,
        Type::LongWhole => DataType::Decimal128(38, 0),
        Type::Number => DataType::Float64,
        Type::Truth => DataType::Boolean,
        Type::Date => DataType::Date32,
    }
}

fn originals(
    format: Option<&Format>,
    types: &[ObservedTypes],
    header: &Header,
    kind: Kind,
) -> Result<Vec<(FieldRef, ArrowColumn)>, Error> {
    let columnar = format.and_then(Format::get::<Opened>);
    let field = |column: usize| match columnar {
        Some(columnar) => {
            let field = &columnar.schema.fields()[column];
            let field = if kind == &PARQUET { field_in_parquet(field) } else { Arc::clone(field) };
            Ok((field, ArrowColumn { from: From::Kept(column), seen: None }))
        }
        _ => {
            let (of, seen) = type_of(format, types, column);
            if let Some(ObservedTypes { first: Some((wanted, first)), other: Some((found, line, name)) }) = &seen {
                return Err(mixed((name, header.title(column)), (*found, *line), (*wanted, *first), kind));
            }
            let field = Field::new(header.title(column), data_type(of), true);
            Ok((Arc::new(field), ArrowColumn { from: From::Made(of), seen }))
        }
    };
    (0..header.count()).map(field).collect()
}

fn mixed((name, column): (&str, String), found: (Type, u64), wanted: (Type, u64), kind: Kind) -> Error {
    Error::MixedTypes {
        name: name.to_owned(),
        column,
        found: found.0.name(),
        line: found.1,
        wanted: wanted.0.name(),
        first: wanted.1,
        format: kind.name,
    }
}

fn metadata(format: Option<&Format>) -> Metadata {
    if let Some(columnar) = format.and_then(Format::get::<Opened>) {
        columnar.schema.metadata().clone()
    } else {
        Default::default()
    }
}

fn plan(format: Option<&Format>) -> Plan {
    if let Some(columnar) = format.and_then(Format::get::<Opened>) { columnar.plan.clone() } else { Plan::default() }
}

fn new_column(column: &OutColumn, title: &str, shape: &OutputSchema) -> (FieldRef, ArrowColumn) {
    let of_lists = match column {
        OutColumn::Faults => Some((fault_fields(), From::Faults)),
        OutColumn::Compared => Some((compared_fields(), From::Compared)),
        _ => None,
    };
    if let Some((fields, from)) = of_lists {
        let list = DataType::List(Arc::new(element(fields)));
        return (Arc::new(Field::new(title, list, false)), ArrowColumn { from, seen: None });
    }
    let value_type = if let OutColumn::Piece { piece, .. } = column { shape.pieces[*piece].value_type } else { None };
    let of = value_type.map_or(Type::Text, Type::from);
    (Arc::new(Field::new(title, data_type(of), true)), ArrowColumn { from: From::Made(of), seen: None })
}

fn fault_fields() -> Fields {
    FAULT_FIELDS.iter().map(|field| Field::new(*field, DataType::Utf8, false)).collect()
}

fn compared_fields() -> Fields {
    let types = [DataType::Int32, DataType::Binary, DataType::Boolean, DataType::Boolean];
    COMPARED_FIELDS.iter().zip(types).map(|(field, of)| Field::new(*field, of, false)).collect()
}

fn element(fields: Fields) -> Field {
    Field::new("element", DataType::Struct(fields), false)
}

impl Columnar {
    /// The encoder for an output.
    ///
    /// # Errors
    /// A column has values of several types, two columns have one name, or Parquet lacks a type.
    pub fn for_output(asked: EncoderRequest) -> Result<Columnar, Error> {
        Columnar::new(asked.kind, asked.read, asked.types, asked.header, asked.shape.clone())
    }

    /// Encodes rows of a table with these types.
    ///
    /// # Errors
    /// A column has values of several types, two columns have one name, or Parquet lacks a type.
    pub fn new(
        kind: Kind,
        format: Option<&Format>,
        types: &[ObservedTypes],
        header: &Header,
        mut shape: OutputSchema,
    ) -> Result<Columnar, Error> {
        shape.tells_titles_apart(kind, format.is_some_and(|format| format.kind().has_arrays))?;
        let mut originals: Vec<Option<(FieldRef, ArrowColumn)>> = Vec::new();
        if shape.is_written {
            let mut is_wanted = vec![false; header.count()];
            shape.columns.iter().filter_map(|column| column.original()).for_each(|column| is_wanted[column] = true);
            let wanted = |column: usize| is_wanted.get(column) == Some(&true);
            let types: Vec<ObservedTypes> = types
                .iter()
                .enumerate()
                .map(|(column, seen)| if wanted(column) { seen.clone() } else { ObservedTypes::default() })
                .collect();
            originals =
                crate::formats::columnar::encoder::originals(format, &types, header, kind)?.into_iter().map(Some).collect();
        }
        let (mut fields, mut columns) = (Vec::new(), Vec::new());
        for (column, title) in shape.columns.iter().zip(&shape.titles) {
            let original = if let OutColumn::Original(column) = column { originals.get_mut(*column) } else { None };
            let renamed = column.original().is_some_and(|column| shape.renamed.contains(&column));
            let (mut field, column) = original.and_then(Option::take).unwrap_or_else(|| new_column(column, title, &shape));
            if renamed {
                field = Arc::new(field.as_ref().clone().with_name(title));
            }
            if let Some(of) = missing_in_parquet(field.data_type()).filter(|_| kind == &PARQUET) {
                return Err(Error::NotInParquet { column: title.clone(), of });
            }
            fields.push(field);
            columns.push(column);
        }
        let mut plan = plan(format);
        if let Some(copies) = &mut plan.copies {
            // The sink copies these columns.
            copies.columns = shape.columns.iter().map(|column| column.original()).collect();
            let mut are_new = copies.columns.iter().map(Option::is_none).collect::<Vec<_>>().into_iter();
            fields.retain(|_| are_new.next() == Some(true));
            shape.columns.retain(|column| column.original().is_none());
            columns.retain(|column| !matches!(column.from, From::Kept(_)));
        }
        let schema = Arc::new(Schema::new_with_metadata(fields, metadata(format)));
        Ok(Columnar { kind, shape, schema, plan, columns })
    }
}

impl Encoder for Columnar {
    fn begin(&self, out: &mut Buffer) -> bool {
        begin(&self.plan, &self.schema, out);
        true
    }

    fn encode(&self, input: &Encodable, out: &mut Out) -> Result<(), Error> {
        let rows = OutRows::new(input, &self.shape);
        let texts = |column: &OutColumn| match *column {
            OutColumn::Piece { piece, result } => Some(rows.texts(input, &self.shape, piece, result)),
            _ => None,
        };
        let texts: Vec<Option<PieceTexts>> = self.shape.columns.iter().map(texts).collect();
        let has_faults = self.shape.columns.contains(&OutColumn::Faults);
        let mut start = 0;
        for index in 0..rows.count() {
            // Flush between rows: batches depend on the threads and the memory, but the output must not.
            if out.held.pending > MOST_HELD {
                self.hold(input, (&rows, start..index), &texts, out.held)?;
                self.write(input.chunk, out)?;
                start = index;
            }
            let of_pieces: usize = texts.iter().flatten().map(|(_, spans)| spans[index].width()).sum();
            let faults = if has_faults { input.faults.each(rows.row(index)).flatten().map(str::len).sum() } else { 0 };
            out.held.pending += of_pieces + faults + self.columns.len() * CELL;
        }
        self.hold(input, (&rows, start..rows.count()), &texts, out.held)
    }

    fn held_columns(&self) -> usize {
        self.columns.len()
    }

    fn end_chunk(&self, chunk: &dyn Chunk, out: &mut Out) -> Result<(), Error> {
        self.write(chunk, out)
    }
}

impl Columnar {
    fn hold(
        &self,
        input: &Encodable,
        (rows, range): (&OutRows, Range<usize>),
        texts_of_pieces: &[Option<PieceTexts>],
        held: &mut Held,
    ) -> Result<(), Error> {
        held.columns.resize_with(self.columns.len(), HeldTexts::default);
        held.rows.extend(range.clone().map(|index| rows.number(index, input) as u32));
        let columns = self.shape.columns.iter().zip(&self.columns).zip(texts_of_pieces);
        for (((column, made), of_piece), texts) in columns.zip(&mut held.columns) {
            match (*column, &made.from) {
                (_, From::Kept(_)) | (OutColumn::Original(_), From::Faults | From::Compared) => {}
                (OutColumn::Faults, _) => {
                    for index in range.clone() {
                        input.faults.each(rows.row(index)).flatten().for_each(|field| texts.push(Some(field)));
                        texts.end_list();
                    }
                }
                (OutColumn::Compared, _) => {
                    let mut words = String::new();
                    for index in range.clone() {
                        for RowComparison { check, hash, new_for_piece, new_for_row } in
                            input.carving.compared(rows.row(index), input.batch_results)
                        {
                            words.clear();
                            // Writing to a string cannot fail.
                            let new = u8::from(new_for_piece) + 2 * u8::from(new_for_row);
                            let _ = write!(words, "{new}{check}:{:x}", hash.bits());
                            texts.push(Some(&words));
                        }
                        texts.end_list();
                    }
                }
                (OutColumn::Original(original), From::Made(of)) => {
                    for index in range.clone() {
                        let number = rows.number(index, input);
                        let cell = input.chunk.cell(input.text, number, original);
                        if let Some(seen) = &made.seen {
                            self.check(input.chunk, (number, original), Type::of(cell.kind, &cell.text), *of, seen)?;
                        }
                        texts.push((cell.kind != CellKind::Nothing).then_some(&*cell.text));
                    }
                }
                (OutColumn::Reason, _) => {
                    range.clone().for_each(|index| texts.push(input.reasons.get(rows.row(index)).map(String::as_str)));
                }
                (OutColumn::OfInput(text), _) => {
                    let text = input.chunk.of_input(text);
                    range.clone().for_each(|_| texts.push(Some(text)));
                }
                (OutColumn::Piece { piece, result }, _) => {
                    let Some((text, spans)) = of_piece else { continue };
                    let are_there = result == 0 && rows.are_there(input, piece);
                    let value_type = self.shape.pieces[piece].value_type;
                    if are_there && value_type.is_none() {
                        texts.push_all(text, &spans[range.clone()]);
                        continue;
                    }
                    for index in range.clone() {
                        let is_there = are_there || rows.is_there(index, input, &self.shape, (piece, result));
                        let result = is_there.then(|| spans[index].text(text));
                        match value_type {
                            None => texts.push(result),
                            // Other texts are faults.
                            Some(of) => texts.push(result.and_then(|text| of.plain(text)).as_deref()),
                        }
                    }
                }
            }
        }
        Ok(())
    }

    /// Checks a value of a column whose types were only partly observed.
    fn check(
        &self,
        chunk: &dyn Chunk,
        at: (usize, usize),
        found: Option<Type>,
        of: Type,
        seen: &ObservedTypes,
    ) -> Result<(), Error> {
        let Some(found) = found else { return Ok(()) };
        // A column without observed values becomes text.
        if seen.first.is_none() && of == Type::Text && found == Type::Text
            || of.both(found).is_some_and(|both| data_type(both) == data_type(of))
        {
            return Ok(());
        }
        let line = chunk.line(at.0, &mut LineCount::default());
        let Some((_, first)) = seen.first else {
            let why = format!(
                "{} is {} on line {line}; in a pipe, its first values set its type, and they are all null",
                self.title(at.1),
                found.name()
            );
            return Err(Error::NoColumnar { format: self.kind.name, why });
        };
        Err(mixed((chunk.source(), self.title(at.1)), (found, line), (of, first), self.kind))
    }

    fn title(&self, original: usize) -> String {
        let of = self.shape.columns.iter().position(|column| *column == OutColumn::Original(original));
        of.map_or(String::new(), |place| self.shape.titles[place].clone())
    }

    fn write(&self, chunk: &dyn Chunk, out: &mut Out) -> Result<(), Error> {
        let held = mem::take(out.held);
        if held.rows.is_empty() {
            return Ok(());
        }
        write(&self.schema, self.columns.iter().map(|column| &column.from), chunk, held, out)
            .map_err(|error| no_columnar(self.kind, &error))
    }
}

fn no_columnar(kind: Kind, error: &ArrowError) -> Error {
    Error::NoColumnar { format: kind.name, why: error.to_string() }
}

fn begin(plan: &Plan, schema: &Schema, out: &mut impl Extend) {
    out.extend(&head::written(plan));
    let _ = push_schema(schema, out);
}

fn write<'f>(
    schema: &SchemaRef,
    columns: impl Iterator<Item = &'f From>,
    chunk: &dyn Chunk,
    mut held: Held,
    out: &mut impl Extend,
) -> Result<(), ArrowError> {
    let count = held.rows.len();
    let mut arrays: Vec<ArrayRef> = Vec::with_capacity(schema.fields().len());
    for (from, texts) in columns.zip(&mut held.columns) {
        arrays.push(match from {
            From::Kept(column) => {
                let array = kept(chunk, *column, &held.rows)?;
                let is_as_read = array.data_type() == schema.field(arrays.len()).data_type();
                if is_as_read { array } else { array_in_parquet(&array)? }
            }
            From::Made(of) => array_of(mem::take(texts), *of)?,
            From::Faults => faults(texts)?,
            From::Compared => compared(texts)?,
        });
    }
    let options = RecordBatchOptions::new().with_row_count(Some(count));
    push_batch(&RecordBatch::try_new_with_options(Arc::clone(schema), arrays, &options)?, out)
}

fn kept(chunk: &dyn Chunk, column: usize, rows: &[u32]) -> Result<ArrayRef, ArrowError> {
    let array = chunk.own().and_then(|own| own.downcast_ref::<ColumnarChunk>()?.array(column));
    let array = array.ok_or_else(|| ArrowError::InvalidArgumentError("a column was not read".to_owned()))?;
    let are_all = rows.windows(2).all(|two| two[1] == two[0] + 1);
    match rows.first() {
        Some(first) if are_all => Ok(array.slice(*first as usize, rows.len())),
        _ => picking::picked(array, rows),
    }
}

fn faults(texts: &HeldTexts) -> Result<ArrayRef, ArrowError> {
    let mut fields: [StringBuilder; FAULT_FIELDS.len()] = Default::default();
    for (index, text) in texts.iter().enumerate() {
        fields[index % FAULT_FIELDS.len()].append_option(text);
    }
    let fields = fields.map(|mut field| Arc::new(field.finish()) as ArrayRef);
    lists(texts, FAULT_FIELDS.len(), fault_fields(), fields.into())
}

fn compared(texts: &HeldTexts) -> Result<ArrayRef, ArrowError> {
    let (mut checks, mut hashes) = (Int32Builder::new(), BinaryBuilder::new());
    let (mut of_piece, mut of_row) = (BooleanBuilder::new(), BooleanBuilder::new());
    for text in texts.iter().flatten() {
        let (new, rest) = text.split_at_checked(1).unwrap_or_default();
        let read = rest.split_once(':');
        let read = read.and_then(|(check, hash)| Some((check.parse().ok()?, u128::from_str_radix(hash, 16).ok()?)));
        let (check, hash) = read.unwrap_or_default();
        of_piece.append_value(matches!(new, "1" | "3"));
        of_row.append_value(matches!(new, "2" | "3"));
        checks.append_value(check);
        hashes.append_value(hash.to_be_bytes());
    }
    lists(
        texts,
        1,
        compared_fields(),
        vec![Arc::new(checks.finish()), Arc::new(hashes.finish()), Arc::new(of_piece.finish()), Arc::new(of_row.finish())],
    )
}

fn lists(texts: &HeldTexts, each: usize, fields: Fields, arrays: Vec<ArrayRef>) -> Result<ArrayRef, ArrowError> {
    let structs = StructArray::try_new(fields.clone(), arrays, None)?;
    let ends = texts.lists.iter().map(|texts| texts / each as i32);
    let offsets = OffsetBuffer::new(ScalarBuffer::from(std::iter::once(0).chain(ends).collect::<Vec<i32>>()));
    Ok(Arc::new(ListArray::try_new(Arc::new(element(fields)), offsets, Arc::new(structs), None)?))
}

fn array_of(texts: HeldTexts, of: Type) -> Result<ArrayRef, ArrowError> {
    let wrong = |text: &str| ArrowError::ParseError(format!("{text:?} is not a value of its column's type"));
    macro_rules! parsed {
        ($builder:expr) => {{
            let mut builder = $builder;
            for text in texts.iter() {
                match text {
                    Some(text) => builder.append_value(text.parse().map_err(|_| wrong(text))?),
                    None => builder.append_null(),
                }
            }
            builder
        }};
    }
    Ok(match of {
        Type::Text | Type::Nested => {
            let HeldTexts { text, ends, absent, .. } = texts;
            let offsets: Vec<i32> = std::iter::once(0).chain(ends).collect();
            let nulls = absent.iter().any(|absent| *absent).then(|| NullBuffer::from_iter(absent.iter().map(|absent| !absent)));
            Arc::new(StringArray::try_new(
                OffsetBuffer::new(ScalarBuffer::from(offsets)),
                Bytes::from_vec(text.into_bytes()),
                nulls,
            )?)
        }
        Type::Whole | Type::BigWhole => Arc::new(parsed!(Int64Builder::with_capacity(texts.ends.len())).finish()),
        Type::LongWhole => {
            let builder = parsed!(Decimal128Builder::with_capacity(texts.ends.len()));
            Arc::new(builder.with_precision_and_scale(38, 0)?.finish())
        }
        Type::Number => {
            let mut builder = Float64Builder::with_capacity(texts.ends.len());
            for text in texts.iter() {
                match text {
                    Some(text) => {
                        let number: f64 = text.parse().map_err(|_| wrong(text))?;
                        if !number.is_finite() {
                            return Err(wrong(text));
                        }
                        builder.append_value(number);
                    }
                    None => builder.append_null(),
                }
            }
            Arc::new(builder.finish())
        }
        Type::Date => {
            let mut builder = Date32Builder::with_capacity(texts.ends.len());
            for text in texts.iter() {
                builder.append_option(text.map(|text| days(text).ok_or_else(|| wrong(text))).transpose()?);
            }
            Arc::new(builder.finish())
        }
        Type::Truth => Arc::new(parsed!(BooleanBuilder::with_capacity(texts.ends.len())).finish()),
    })
}

fn days(date: &str) -> Option<i32> {
    let since = date.parse::<jiff::civil::Date>().ok()? - jiff::civil::date(1970, 1, 1);
    Some(since.get_days())
}
