//! Encodes rows as cells of a database table, with nulls and numbers.

use keen_notch_core::batch::Buffer;
use keen_notch_core::carving::OutColumn;
use keen_notch_core::column::Header;
use keen_notch_core::value_type::ValueType;

use crate::Error;
use crate::cells::Record;
use crate::encode::EncoderRequest;
use crate::encode::rows::{OutCell, OutRows};
use crate::encode::{Encodable, Encoder, Extend, Out, OutputSchema};
use crate::formats::database::{INFO, TableDefinition};
use crate::formats::database::{PlannedColumn, TablePlan};
use crate::head;
use crate::source::types::{ObservedTypes, Type};
use crate::source::{Cell, CellKind, Format};

pub struct Database {
    plan: TablePlan,
    shape: OutputSchema,
}

fn original(format: Option<&Format>, types: &[ObservedTypes], header: &Header, column: usize) -> PlannedColumn {
    #[cfg_attr(not(feature = "columnar"), expect(unused_mut))]
    let mut of = types.get(column).map_or(Type::Text, ObservedTypes::type_of);
    let own = format.and_then(Format::get::<TableDefinition>);
    #[cfg_attr(not(feature = "columnar"), expect(unused_mut))]
    let mut declared = own.map(|declared| (declared.kind.to_owned(), declared.types[column].clone()));
    #[cfg(feature = "columnar")]
    if let Some(columnar) = format.and_then(Format::get::<crate::formats::columnar::Columnar>) {
        of = columnar.type_of(column);
        declared = columnar.postgres_type(column).map(|of| ("PostgreSQL".to_owned(), of));
    }
    PlannedColumn { name: header.title(column), of, declared, read_from: None }
}

fn text_column(name: &str) -> PlannedColumn {
    PlannedColumn { name: name.to_owned(), of: Type::Text, declared: None, read_from: None }
}

impl Database {
    /// The encoder for an output.
    ///
    /// # Errors
    /// Two columns have one name.
    pub fn for_output(asked: EncoderRequest) -> Result<Database, Error> {
        Database::new(asked.read, asked.types, asked.header, asked.shape.clone())
    }

    /// Encodes rows of a table with these types.
    ///
    /// # Errors
    /// Two columns have one name.
    pub fn new(
        format: Option<&Format>,
        types: &[ObservedTypes],
        header: &Header,
        shape: OutputSchema,
    ) -> Result<Database, Error> {
        shape.tells_titles_apart(&INFO, false)?;
        let column = |(column, title): (&OutColumn, &String)| match column {
            OutColumn::Original(column) => {
                let original = original(format, types, header, *column);
                let read_from = (*title != original.name).then_some(original.name);
                PlannedColumn { name: title.clone(), read_from, ..original }
            }
            OutColumn::Piece { piece, .. } => {
                let of = shape.pieces[*piece].value_type.map_or(Type::Text, Type::from);
                PlannedColumn { of, ..text_column(title) }
            }
            OutColumn::OfInput(_) | OutColumn::Faults | OutColumn::Compared | OutColumn::Reason => text_column(title),
        };
        let columns = shape.columns.iter().zip(&shape.titles).map(column).collect();
        Ok(Database { plan: TablePlan { columns }, shape })
    }
}

impl Encoder for Database {
    fn begin(&self, out: &mut Buffer) -> bool {
        Extend::extend(out, &head::written(&self.plan));
        true
    }

    fn encode(&self, input: &Encodable, out: &mut Out) -> Result<(), Error> {
        OutRows::new(input, &self.shape).each_cell(input, &self.shape, |cell| match cell {
            OutCell::Original(cell) => push_cell(&cell, out),
            OutCell::Piece(of, text) => push_piece(of, text, out),
            OutCell::OfInput(text) => Record::Text(text).push(out),
            OutCell::List(line) => line.as_deref().map_or(Record::Blank, Record::Text).push(out),
            OutCell::End => Record::End.push(out),
        });
        Ok(())
    }
}

fn push_piece(of: Option<ValueType>, text: Option<&str>, out: &mut impl Extend) {
    let Some(text) = text else { return Record::Blank.push(out) };
    match of.map(|of| (of, of.plain(text))) {
        None => Record::Text(text).push(out),
        Some((_, None)) => Record::Blank.push(out),
        Some((ValueType::Number, Some(plain))) => Record::Digits(&plain).push(out),
        Some((ValueType::Truth, Some(plain))) => Record::Truth(plain == "true").push(out),
        Some((ValueType::Date, Some(plain))) => Record::Date(&plain).push(out),
    }
}

fn push_cell(cell: &Cell, out: &mut impl Extend) {
    match cell.kind {
        CellKind::Nothing => Record::Blank.push(out),
        CellKind::Number => Record::Digits(&cell.text).push(out),
        CellKind::Truth => Record::Truth(cell.text == "true").push(out),
        CellKind::Date => Record::Date(&cell.text).push(out),
        CellKind::Text | CellKind::Nested => Record::Text(&cell.text).push(out),
    }
}
