//! Reads .xls workbooks, as written since 1997.
//!
//! A compound file contains a stream of records: first those of the workbook, then those of each sheet ([MS-XLS], BIFF8). The package
//! that reads compound files rejects cyclic chains.

use std::io::Read;
use std::ops::Range;

use cfb::CompoundFile;

use crate::Error;
use crate::formats::workbook::ReadSheet;
use crate::formats::workbook::archive::{Bytes, broken, encrypted};
use crate::formats::workbook::cells::Sheet;
use crate::formats::workbook::numbers::Styles;
use crate::formats::workbook::sheet_builder::{Put, SheetBuilder, sheet_of};
use crate::source::{CellKind, Reading};

/// The signature of a compound file.
pub const START: &[u8] = b"\xD0\xCF\x11\xE0";

mod kind {
    pub const FORMULA: u16 = 0x0006;
    pub const EOF: u16 = 0x000A;
    pub const DATE_MODE: u16 = 0x0022;
    pub const FILE_PASS: u16 = 0x002F;
    pub const CONTINUE: u16 = 0x003C;
    pub const BOUND_SHEET: u16 = 0x0085;
    pub const MUL_RK: u16 = 0x00BD;
    pub const RICH_STRING: u16 = 0x00D6;
    pub const XF: u16 = 0x00E0;
    pub const MERGED_CELLS: u16 = 0x00E5;
    pub const SHARED_STRINGS: u16 = 0x00FC;
    pub const LABEL_SHARED: u16 = 0x00FD;
    pub const NUMBER: u16 = 0x0203;
    pub const LABEL: u16 = 0x0204;
    pub const BOOL_ERR: u16 = 0x0205;
    pub const STRING: u16 = 0x0207;
    pub const RK: u16 = 0x027E;
    pub const FORMAT: u16 = 0x041E;
    pub const BOF: u16 = 0x0809;
}

pub(super) fn read(name: &str, bytes: Bytes, reading: &Reading) -> Result<ReadSheet, Error> {
    let refused =
        |why: &str, help: &'static str| Err(Error::BadFile { name: name.to_owned(), why: why.to_owned(), help: help.into() });
    let most = bytes.get_ref().len() as u64;
    let mut file = CompoundFile::open(bytes).map_err(|_| broken(name))?;
    if file.is_stream("/EncryptedPackage") {
        return Err(encrypted(name));
    }
    if !file.is_stream("/Workbook") && file.is_stream("/Book") {
        return refused("it is in a format from before 1997", "save it as .xlsx");
    }
    let mut stream = Vec::new();
    let workbook = file.open_stream("/Workbook").map_err(|_| broken(name))?;
    workbook.take(most).read_to_end(&mut stream).map_err(|_| broken(name))?;
    let book = Book::read(&stream).ok_or_else(|| broken(name))?;
    if book.is_encrypted {
        return Err(encrypted(name));
    }
    let (titles, places): (Vec<String>, Vec<usize>) = book.sheets.iter().cloned().unzip();
    let title = sheet_of(name, &titles, reading)?;
    let place = titles.iter().position(|one| *one == title).and_then(|index| places.get(index));
    let mut making = SheetBuilder::new(name, &title, reading, book.styles.codes());
    let records = place.and_then(|place| Records::new(stream.get(*place..)?)).ok_or_else(|| broken(name))?;
    sheet(records, &book, &mut making).ok_or_else(|| broken(name))??;
    Ok(ReadSheet { sheet: making.finish()?, title, sheets: titles.len() })
}

#[derive(Default)]
struct Book {
    is_encrypted: bool,
    sheets: Vec<(String, usize)>,
    styles: Styles,
    text: String,
    texts: Vec<Range<usize>>,
}

impl Book {
    fn read(stream: &[u8]) -> Option<Book> {
        let mut book = Book::default();
        let (mut formats, mut of_styles, mut is_1904) = (Vec::new(), Vec::new(), false);
        let mut records = Records::new(stream)?;
        loop {
            let (kind, data) = records.next()?;
            match kind {
                kind::EOF => break,
                // The following records are encrypted.
                kind::FILE_PASS => return Some(Book { is_encrypted: true, ..book }),
                kind::DATE_MODE => is_1904 = u16_at(data, 0)? == 1,
                kind::FORMAT => {
                    let mut code = String::new();
                    let id = u16_at(data, 0)?;
                    let mut text = Texts::new(data.get(4..)?, &mut records);
                    text.push(u16_at(data, 2)?.into(), &mut code)?;
                    formats.push((id, code));
                }
                kind::XF => of_styles.push(u16_at(data, 2)?),
                kind::BOUND_SHEET => {
                    let mut title = String::new();
                    Texts::new(data.get(7..)?, &mut records).push((*data.get(6)?).into(), &mut title)?;
                    // Other kinds are charts and macros.
                    if *data.get(5)? == 0 {
                        book.sheets.push((title, u32_at(data, 0)? as usize));
                    }
                }
                kind::SHARED_STRINGS => {
                    let count = u32_at(data, 4)?;
                    let mut texts = Texts::new(data.get(8..)?, &mut records);
                    for _ in 0..count {
                        let start = book.text.len();
                        let chars = texts.u16()?;
                        texts.push(chars.into(), &mut book.text)?;
                        book.texts.push(start..book.text.len());
                    }
                }
                _ => {}
            }
        }
        book.styles = Styles::new(&of_styles, &formats);
        book.styles.is_1904 = is_1904;
        Some(book)
    }
}

/// Reads the cells of a sheet. `None` for damaged records.
fn sheet(mut records: Records, book: &Book, making: &mut SheetBuilder) -> Option<Result<(), Error>> {
    // An embedded chart has its own records.
    let mut depth = 1;
    // The formula whose text follows in a separate record.
    let mut waiting = None;
    while depth > 0 {
        let (kind, data) = records.next()?;
        match kind {
            kind::BOF => depth += 1,
            kind::EOF => depth -= 1,
            _ if depth > 1 => {}
            kind::MERGED_CELLS => {
                for index in 0..usize::from(u16_at(data, 0)?) {
                    let number = |place: usize| Some(u32::from(u16_at(data, 2 + 8 * index + 2 * place)?));
                    making.sheet.merged.push((number(0)? + 1..number(1)? + 2, number(2)?..number(3)? + 1));
                }
            }
            kind::MUL_RK => {
                let (row, first) = (u16_at(data, 0)?, u16_at(data, 2)?);
                let (cells, _) = data.get(4..data.len().checked_sub(2)?)?.as_chunks::<6>();
                for (column, cell) in (first..).zip(cells) {
                    let (style, number) = (u16_at(cell, 0)?, rk(u32_at(cell, 2)?));
                    if let Err(error) =
                        making.add((row.into(), column.into()), |sheet| book.styles.push(sheet, number, usize::from(style)))
                    {
                        return Some(Err(error));
                    }
                }
            }
            kind::STRING => {
                if let Some(at) = waiting.take() {
                    let mut text = String::new();
                    Texts::new(data.get(2..)?, &mut records).push(u16_at(data, 0)?.into(), &mut text)?;
                    if let Err(error) = making.add(at, |sheet| put(sheet, &text, CellKind::Text)) {
                        return Some(Err(error));
                    }
                }
            }
            kind::FORMULA | kind::NUMBER | kind::RK | kind::BOOL_ERR | kind::LABEL | kind::LABEL_SHARED | kind::RICH_STRING => {
                let at = (u16_at(data, 0)?.into(), u16_at(data, 2)?.into());
                let (style, value) = (u16_at(data, 4)?, data.get(6..)?);
                let value = match kind {
                    kind::FORMULA => Value::of_formula(value)?,
                    kind::NUMBER => Value::Number(f64_at(value)?),
                    kind::RK => Value::Number(rk(u32_at(value, 0)?)),
                    kind::BOOL_ERR if *value.get(1)? == 0 => Value::Truth(*value.first()? != 0),
                    kind::BOOL_ERR => Value::Text(error(*value.first()?).to_owned()),
                    kind::LABEL_SHARED => {
                        let span = book.texts.get(u32_at(value, 0)? as usize)?;
                        Value::Text(book.text.get(span.clone())?.to_owned())
                    }
                    _ => {
                        let mut text = String::new();
                        Texts::new(value.get(2..)?, &mut records).push(u16_at(value, 0)?.into(), &mut text)?;
                        Value::Text(text)
                    }
                };
                waiting = matches!(value, Value::Waiting).then_some(at);
                let added = making.add(at, |sheet| match &value {
                    Value::Number(number) if number.is_finite() => book.styles.push(sheet, *number, usize::from(style)),
                    Value::Number(_) => put(sheet, error(NO_NUMBER), CellKind::Text),
                    Value::Truth(value) => put(sheet, if *value { "true" } else { "false" }, CellKind::Truth),
                    Value::Text(text) => put(sheet, text, CellKind::Text),
                    Value::Waiting => (CellKind::Nothing, None),
                });
                if let Err(error) = added {
                    return Some(Err(error));
                }
            }
            _ => {}
        }
    }
    Some(Ok(()))
}

enum Value {
    Number(f64),
    Truth(bool),
    Text(String),
    Waiting,
}

impl Value {
    fn of_formula(value: &[u8]) -> Option<Value> {
        Some(match value.get(..8)? {
            [kind, _, value, .., 0xFF, 0xFF] => match kind {
                1 => Value::Truth(*value != 0),
                2 => Value::Text(error(*value).to_owned()),
                _ => Value::Waiting,
            },
            number => Value::Number(f64_at(number)?),
        })
    }
}

fn put(sheet: &mut Sheet, text: &str, kind: CellKind) -> Put {
    sheet.text.push_str(text);
    (kind, None)
}

const NO_NUMBER: u8 = 0x24;

fn error(code: u8) -> &'static str {
    match code {
        0x00 => "#NULL!",
        0x07 => "#DIV/0!",
        0x0F => "#VALUE!",
        0x17 => "#REF!",
        0x1D => "#NAME?",
        NO_NUMBER => "#NUM!",
        _ => "#N/A",
    }
}

/// Decodes four bytes: the upper half of a double, or an integer; optionally divided by 100.
fn rk(bits: u32) -> f64 {
    let number = if bits & 2 == 0 { f64::from_bits(u64::from(bits & !3) << 32) } else { f64::from(bits.cast_signed() >> 2) };
    if bits & 1 == 0 { number } else { number / 100.0 }
}

fn u16_at(data: &[u8], at: usize) -> Option<u16> {
    Some(u16::from_le_bytes(*data.get(at..)?.first_chunk()?))
}

fn u32_at(data: &[u8], at: usize) -> Option<u32> {
    Some(u32::from_le_bytes(*data.get(at..)?.first_chunk()?))
}

fn f64_at(data: &[u8]) -> Option<f64> {
    Some(f64::from_le_bytes(*data.first_chunk()?))
}

struct Records<'s> {
    rest: &'s [u8],
}

impl<'s> Records<'s> {
    /// The records after the first, which marks the start. `None` if it is wrong.
    fn new(stream: &'s [u8]) -> Option<Records<'s>> {
        let mut records = Records { rest: stream };
        let (kind, data) = records.next()?;
        (kind == kind::BOF && u16_at(data, 0)? == 0x0600).then_some(records)
    }

    fn next(&mut self) -> Option<(u16, &'s [u8])> {
        let kind = u16_at(self.rest, 0)?;
        let end = 4 + usize::from(u16_at(self.rest, 2)?);
        let data = self.rest.get(4..end)?;
        self.rest = &self.rest[end..];
        Some((kind, data))
    }

    /// The content of the next record, if it continues the previous one.
    fn continued(&mut self) -> Option<&'s [u8]> {
        (u16_at(self.rest, 0)? == kind::CONTINUE).then(|| self.next()).flatten().map(|(_, data)| data)
    }
}

/// Texts in a record and its continuations.
struct Texts<'r, 's> {
    part: &'s [u8],
    records: &'r mut Records<'s>,
}

impl<'r, 's> Texts<'r, 's> {
    fn new(part: &'s [u8], records: &'r mut Records<'s>) -> Texts<'r, 's> {
        Texts { part, records }
    }

    fn take(&mut self, count: usize) -> Option<&'s [u8]> {
        if self.part.is_empty() && count > 0 {
            self.part = self.records.continued()?;
        }
        let (taken, rest) = self.part.split_at_checked(count)?;
        self.part = rest;
        Some(taken)
    }

    fn u16(&mut self) -> Option<u16> {
        u16_at(self.take(2)?, 0)
    }

    fn skip(&mut self, mut count: usize) -> Option<()> {
        while count > 0 {
            let some = if self.part.is_empty() { count.min(1) } else { count.min(self.part.len()) };
            self.take(some)?;
            count -= some;
        }
        Some(())
    }

    fn push(&mut self, mut count: usize, out: &mut String) -> Option<()> {
        let flags = self.take(1)?[0];
        let runs = if flags & 8 == 0 { 0 } else { usize::from(self.u16()?) };
        let more = if flags & 4 == 0 { 0 } else { u32_at(self.take(4)?, 0)? as usize };
        let mut is_wide = flags & 1 != 0;
        let mut units: Vec<u16> = Vec::with_capacity(count);
        while count > 0 {
            if self.part.is_empty() {
                // A continued text states the width of its units again.
                is_wide = self.take(1)?[0] & 1 != 0;
            }
            let width = if is_wide { 2 } else { 1 };
            let some = count.min(self.part.len() / width);
            if some == 0 {
                return None;
            }
            let bytes = self.take(some * width)?;
            match is_wide {
                true => units.extend(bytes.as_chunks::<2>().0.iter().map(|unit| u16::from_le_bytes(*unit))),
                false => units.extend(bytes.iter().map(|unit| u16::from(*unit))),
            }
            count -= some;
        }
        out.extend(char::decode_utf16(units).map(|unit| unit.unwrap_or(char::REPLACEMENT_CHARACTER)));
        self.skip(runs * 4 + more)
    }
}
