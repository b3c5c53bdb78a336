//! A workbook as a source: one sheet with a header row.
//!
//! The whole sheet is read before the first row, because the containers do not support streaming.

pub mod encoder;
pub mod writer;

pub use cells::letters;

#[cfg(feature = "workbooks")]
mod archive;
#[cfg(feature = "workbooks")]
mod binary;
pub(crate) mod cells;
mod chunk;
#[cfg(feature = "workbooks")]
mod numbers;
#[cfg(feature = "workbooks")]
mod office_open;
#[cfg(feature = "workbooks")]
mod open_document;
#[cfg(feature = "workbooks")]
mod sheet_builder;
#[cfg(feature = "workbooks")]
mod xml;

use std::ops::Range;
use std::sync::Arc;

use keen_notch_core::column::Header;
use keen_notch_core::text::blank::is_blank;

use crate::Error;
use crate::formats::descriptor::{FormatDescriptor, Open};
use crate::formats::workbook::cells::Sheet;
use crate::formats::workbook::chunk::WorkbookChunk;
use crate::formats::workbook::encoder::Workbook as WorkbookEncoder;
use crate::kind::{FormatInfo, Kind};
use crate::source::input::Input;
use crate::source::types::{ObservedTypes, Type};
use crate::source::{Chunk, Format, Reading, Source, TableFormat};

pub static INFO: FormatInfo = FormatInfo { name: "a workbook", endings: &["xlsx"], has_lines: true, ..FormatInfo::PLAIN };
static OTHERS: FormatInfo = FormatInfo { name: "a workbook other than .xlsx", endings: &["xls", "ods", "xlsm"], ..INFO };

pub static FORMATS: [FormatDescriptor; 2] = [
    FormatDescriptor {
        open: OPEN,
        encoder: Some(|asked| Ok(Box::new(WorkbookEncoder::for_output(asked)))),
        finish: Some(|_| writer::transform()),
        ..FormatDescriptor::new(&INFO)
    },
    FormatDescriptor { open: OPEN, ..FormatDescriptor::new(&OTHERS) },
];

const OPEN: Option<Open> = Some(|opening| Ok(Box::new(Workbook::open(opening.input, opening.reading)?)));

struct ReadSheet {
    sheet: Sheet,
    title: String,
    sheets: usize,
}

/// The sheet of an opened workbook.
#[derive(Debug, Clone)]
pub struct OpenedSheet {
    pub title: String,
    pub sheets: usize,
}

impl TableFormat for OpenedSheet {
    fn kind(&self) -> Kind {
        &INFO
    }
}

const ROWS: usize = 1024;

pub struct Workbook {
    name: String,
    header: Header,
    format: Format,
    table: Arc<Table>,
    rows: Range<usize>,
    types: Vec<ObservedTypes>,
}

pub struct Table {
    pub name: String,
    pub sheet: Sheet,
    pub columns: Range<u32>,
}

impl Workbook {
    /// Opens an input and reads the requested or the first sheet.
    ///
    /// # Errors
    /// It cannot be read, has no such sheet, is empty, or has an invalid header.
    pub fn open(input: &Input, reading: &Reading) -> Result<Workbook, Error> {
        let name = input.name();
        let ReadSheet { sheet, title, sheets } = read(&name, input.read_whole(reading)?, reading)?;
        let Some(first) = sheet.rows.first() else { return Err(Error::Empty { name }) };
        let of_first = sheet.row(0);
        let start = of_first.first().map_or(0, |cell| cell.column);
        let (header, columns, rows) = if reading.header {
            let end = of_first.last().map_or(0, |cell| cell.column) + 1;
            let merged = sheet.merged.iter().find(|(rows, columns)| rows.contains(&first.number) && columns.len() > 1);
            if let Some((_, columns)) = merged {
                let (from, to) = (cells::letters(columns.start), cells::letters(columns.end - 1));
                return Err(Error::MergedHeader { name, sheet: title, row: first.number, from, to });
            }
            let title = |column| sheet.cell(0, column).map_or(String::new(), |cell| cell.span.text(&sheet.text).to_owned());
            (Header::Names((start..end).map(title).collect()), start..end, 1..sheet.rows.len())
        } else {
            let columns = sheet.columns();
            (Header::Unnamed(columns.len()), columns, 0..sheet.rows.len())
        };
        let beyond = rows.clone().find_map(|row| {
            let name_of = |names: &[String], column: u32| {
                names.get((column - columns.start) as usize).is_some_and(|name| !is_blank(name))
            };
            let has_name = |column: u32| header.names().is_none_or(|names| name_of(names, column));
            let is_named = |column: u32| columns.contains(&column) && has_name(column);
            let cell = sheet.row(row).iter().find(|cell| !is_named(cell.column))?;
            Some((sheet.rows[row].number, cells::letters(cell.column)))
        });
        if let Some((row, column)) = beyond {
            return Err(Error::UnnamedCell { name, sheet: title, row, column });
        }
        reading.meter.add_imprecise(sheet.imprecise);
        reading.meter.add_undated(&sheet.undated);
        let format = Format::new(OpenedSheet { title, sheets });
        let types = types(&sheet, columns.clone(), rows.clone(), &name);
        let table = Arc::new(Table { name: name.clone(), sheet, columns });
        Ok(Workbook { name, header, format, table, rows, types })
    }
}

fn types(sheet: &Sheet, columns: Range<u32>, rows: Range<usize>, name: &str) -> Vec<ObservedTypes> {
    let mut types = vec![ObservedTypes::default(); columns.len()];
    for row in rows {
        for cell in sheet.row(row) {
            // Numbers in a workbook are doubles.
            let of = Type::of(cell.kind, cell.span.text(&sheet.text)).map(|of| match of {
                Type::BigWhole => Type::Whole,
                Type::LongWhole => Type::Number,
                of => of,
            });
            types[(cell.column - columns.start) as usize].note(of, || u64::from(sheet.rows[row].number), name);
        }
    }
    types
}

#[cfg(feature = "workbooks")]
use crate::formats::workbook::archive::read;

#[cfg(not(feature = "workbooks"))]
fn read(name: &str, _: Vec<u8>, _: &Reading) -> Result<ReadSheet, Error> {
    let why = "this build does not read workbooks".to_owned();
    Err(Error::BadFile { name: name.to_owned(), why, help: "save it as CSV".into() })
}

impl Source for Workbook {
    fn name(&self) -> &str {
        &self.name
    }

    fn header(&self) -> &Header {
        &self.header
    }

    fn next_chunk(&mut self) -> Result<Option<Box<dyn Chunk>>, Error> {
        if self.rows.is_empty() {
            return Ok(None);
        }
        let rows = self.rows.start..(self.rows.start + ROWS).min(self.rows.end);
        self.rows.start = rows.end;
        Ok(Some(Box::new(WorkbookChunk::new(Arc::clone(&self.table), rows))))
    }

    fn types(&self) -> &[ObservedTypes] {
        &self.types
    }

    fn format(&self) -> Format {
        self.format.clone()
    }
}
