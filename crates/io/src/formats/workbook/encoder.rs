//! Encodes rows as cells of a sheet: original cells with their types, pieces as text.

use keen_notch_core::batch::Buffer;
use keen_notch_core::column::Header;
use keen_notch_core::number_format::{DIGITS, digits};
use keen_notch_core::value_type::ValueType;

use crate::Error;
use crate::cells::Record;
use crate::encode::EncoderRequest;
use crate::encode::rows::{OutCell, OutRows};
use crate::encode::{Encodable, Encoder, Extend, Out, OutputSchema};
use crate::formats::workbook::OpenedSheet;
use crate::source::Format;
use crate::source::{Cell, CellKind};

pub struct Workbook {
    sheet: Option<String>,
    has_header: bool,
    shape: OutputSchema,
}

impl Workbook {
    /// The encoder for an output. A sheet keeps its name.
    pub fn for_output(asked: EncoderRequest) -> Workbook {
        let sheet = asked.read.and_then(Format::get::<OpenedSheet>).map(|sheet| sheet.title.clone());
        Workbook::new(sheet, asked.header, asked.shape.clone())
    }

    /// Encodes rows of a table with this header; `sheet` is the name of the input sheet.
    pub fn new(sheet: Option<String>, header: &Header, shape: OutputSchema) -> Workbook {
        Workbook { sheet, has_header: shape.sets_aside || header.names().is_some(), shape }
    }
}

impl Encoder for Workbook {
    fn begin(&self, out: &mut Buffer) -> bool {
        begin(self.sheet.as_deref(), self.has_header.then_some(&self.shape.titles), out);
        true
    }

    fn encode(&self, input: &Encodable, out: &mut Out) -> Result<(), Error> {
        OutRows::new(input, &self.shape).each_cell(input, &self.shape, |cell| match cell {
            OutCell::Original(cell) => push_cell(&cell, out),
            OutCell::Piece(of, text) => push_piece(of, text.unwrap_or_default(), out),
            OutCell::OfInput(text) => Record::Text(text).push(out),
            OutCell::List(line) => line.as_deref().map_or(Record::Blank, Record::Text).push(out),
            OutCell::End => Record::End.push(out),
        });
        Ok(())
    }
}

/// Writes the start of a sheet.
pub fn begin(sheet: Option<&str>, titles: Option<&[String]>, out: &mut impl Extend) {
    if let Some(name) = sheet {
        Record::Sheet(name).push(out);
    }
    if let Some(titles) = titles {
        titles.iter().for_each(|title| Record::Text(title).push(out));
        Record::End.push(out);
    }
}

fn push_piece(of: Option<ValueType>, text: &str, out: &mut impl Extend) {
    let plain = of.and_then(|of| Some((of, of.plain(text)?)));
    match plain {
        Some((ValueType::Number, plain)) => Record::Number(plain.parse().unwrap_or_default()).push(out),
        Some((ValueType::Truth, plain)) => Record::Truth(plain == "true").push(out),
        Some((ValueType::Date, plain)) => Record::Date(&plain).push(out),
        None => Record::Text(text).push(out),
    }
}

/// Writes a value with its type. A number that a workbook cannot store becomes text.
pub fn push_cell(cell: &Cell, out: &mut impl Extend) {
    let text = &*cell.text;
    match (cell.kind, &cell.shown) {
        (CellKind::Nothing, _) => Record::Blank.push(out),
        (_, Some(shown)) => Record::Shown(shown.number, shown.format).push(out),
        (CellKind::Number, None) => match text.parse() {
            Ok(number) if digits(text) <= DIGITS && f64::is_finite(number) => Record::Number(number).push(out),
            _ => Record::Text(text).push(out),
        },
        (CellKind::Truth, None) => Record::Truth(text == "true").push(out),
        (CellKind::Date, None) => Record::Date(text).push(out),
        (CellKind::Text | CellKind::Nested, None) => Record::Text(text).push(out),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn inexact_workbook_numbers_become_texts() {
        for (text, kept) in [
            ("335", true),
            ("-0.5", true),
            ("1e3", true),
            ("999999999999999", true),
            ("1000000000000000000", true),
            ("1234567890123456", false),
            ("0.12345678901234567", false),
            ("1e999", false),
        ] {
            let mut out = Buffer::default();
            push_cell(&Cell::new(CellKind::Number, text), &mut out);
            let read = Record::read(out.bytes()).map(|(record, _)| record);
            let expected = if kept { Record::Number(text.parse().unwrap()) } else { Record::Text(text) };
            assert_eq!(read, Some(expected), "{text}");
        }
    }
}
