//! Reads .ods workbooks (OASIS, ISO/IEC 26300).
//!
//! A cell has a value and a displayed text. Phrases read the text; for dates and times, the value.

use keen_notch_core::number_format::{self, DIGITS};
use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use zip::ZipArchive;

use crate::Error;
use crate::formats::workbook::ReadSheet;
use crate::formats::workbook::archive::{Bytes, broken, encrypted, part};
use crate::formats::workbook::cells::Sheet;
use crate::formats::workbook::sheet_builder::{Put, SheetBuilder, sheet_of};
use crate::source::{CellKind, Reading};

pub fn is_one(archive: &mut ZipArchive<Bytes>) -> bool {
    part(archive, "mimetype").is_some_and(|kind| kind.starts_with(b"application/vnd.oasis.opendocument.spreadsheet"))
}

pub(super) fn read(name: &str, mut archive: ZipArchive<Bytes>, reading: &Reading) -> Result<ReadSheet, Error> {
    let manifest = part(&mut archive, "META-INF/manifest.xml").unwrap_or_default();
    if memchr::memmem::find(&manifest, b"encryption-data").is_some() {
        return Err(encrypted(name));
    }
    let content = part(&mut archive, "content.xml").ok_or_else(|| broken(name))?;
    let sheets = sheets(&content).ok_or_else(|| broken(name))?;
    let title = sheet_of(name, &sheets, reading)?;
    let mut making = SheetBuilder::new(name, &title, reading, Vec::new());
    let wanted = sheets.iter().position(|sheet| *sheet == title).unwrap_or_default();
    match Walk::new(&content).table(wanted, &mut making) {
        Some(outcome) => outcome?,
        None => return Err(broken(name)),
    }
    Ok(ReadSheet { sheet: making.finish()?, title, sheets: sheets.len() })
}

/// The names of the sheets; `None` if the document is invalid.
fn sheets(content: &[u8]) -> Option<Vec<String>> {
    let mut walk = Walk::new(content);
    let mut sheets = Vec::new();
    loop {
        match walk.reader.read_event().ok()? {
            Event::Start(tag) if tag.name().as_ref() == "table:table" => {
                sheets.push(attribute(&tag, "table:name").unwrap_or_default());
                // A table inside a cell is not a sheet.
                walk.reader.read_to_end(tag.name()).ok()?;
            }
            Event::Empty(tag) if tag.name().as_ref() == "table:table" => {
                sheets.push(attribute(&tag, "table:name").unwrap_or_default());
            }
            Event::Eof => return Some(sheets),
            _ => {}
        }
    }
}

fn attribute(tag: &BytesStart, name: &str) -> Option<String> {
    let attribute = tag.try_get_attribute(name).ok()??;
    attribute.normalized_value(quick_xml::XmlVersion::Implicit1_0).ok().map(std::borrow::Cow::into_owned)
}

fn times(tag: &BytesStart, name: &str) -> u32 {
    attribute(tag, name).and_then(|times| times.parse().ok()).unwrap_or(1).max(1)
}

struct Walk<'c> {
    reader: Reader<&'c [u8]>,
}

struct PlacedCell {
    column: u32,
    times: u32,
    cell: ParsedCell,
}

#[derive(Default, Clone)]
struct ParsedCell {
    kind: String,
    value: Option<String>,
    shown: String,
    columns: u32,
    rows: u32,
    is_formula: bool,
}

impl ParsedCell {
    /// Whether the cell has a text, or a formula without a stored value.
    fn has_content(&self) -> bool {
        self.value.as_ref().is_some_and(|value| !value.is_empty()) || !self.shown.is_empty() || self.is_empty_formula()
    }

    fn is_empty_formula(&self) -> bool {
        self.is_formula && self.kind.is_empty() && self.value.is_none() && self.shown.is_empty()
    }
}

impl<'c> Walk<'c> {
    fn new(content: &'c [u8]) -> Walk<'c> {
        Walk { reader: Reader::from_reader(content) }
    }

    fn table(&mut self, wanted: usize, making: &mut SheetBuilder) -> Option<Result<(), Error>> {
        let mut next = 0;
        loop {
            match self.reader.read_event().ok()? {
                Event::Start(tag) if tag.name().as_ref() == "table:table" => {
                    if next == wanted {
                        return self.rows(making);
                    }
                    next += 1;
                    self.reader.read_to_end(tag.name()).ok()?;
                }
                Event::Empty(tag) if tag.name().as_ref() == "table:table" => {
                    if next == wanted {
                        return Some(Ok(()));
                    }
                    next += 1;
                }
                Event::Eof => return None,
                _ => {}
            }
        }
    }

    fn rows(&mut self, making: &mut SheetBuilder) -> Option<Result<(), Error>> {
        let mut row = 0_u32;
        loop {
            match self.reader.read_event().ok()? {
                Event::Start(tag) if tag.name().as_ref() == "table:table-row" => {
                    let times = times(&tag, "table:number-rows-repeated");
                    let cells = self.cells()?;
                    for PlacedCell { column, cell, .. } in cells.iter().filter(|placed| placed.cell.columns > 1) {
                        let columns = *column..column.saturating_add(cell.columns);
                        making.sheet.merged.push((row + 1..row.saturating_add(1 + cell.rows), columns));
                    }
                    // Empty rows can be repeated a million times.
                    let has_content = cells.iter().any(|placed| placed.cell.has_content());
                    for row in row..if has_content { row.checked_add(times)? } else { row } {
                        for PlacedCell { column, times, cell } in cells.iter().filter(|placed| placed.cell.has_content()) {
                            for column in *column..column.checked_add(*times)? {
                                let added = match cell.is_empty_formula() {
                                    true => making.add_empty_formula((row, column)),
                                    false => making.add((row, column), |sheet| put(cell, sheet)),
                                };
                                if let Err(error) = added {
                                    return Some(Err(error));
                                }
                            }
                        }
                    }
                    row = row.checked_add(times)?;
                }
                Event::Empty(tag) if tag.name().as_ref() == "table:table-row" => {
                    row = row.checked_add(times(&tag, "table:number-rows-repeated"))?;
                }
                Event::End(tag) if tag.name().as_ref() == "table:table" => return Some(Ok(())),
                Event::Eof => return None,
                _ => {}
            }
        }
    }

    /// The cells of a row with content, with their columns and repetitions.
    fn cells(&mut self) -> Option<Vec<PlacedCell>> {
        let (mut cells, mut column) = (Vec::new(), 0_u32);
        loop {
            let (tag, is_empty) = match self.reader.read_event().ok()? {
                Event::Start(tag) => (tag, false),
                Event::Empty(tag) => (tag, true),
                Event::End(tag) if tag.name().as_ref() == "table:table-row" => return Some(cells),
                Event::Eof => return None,
                _ => continue,
            };
            if !matches!(tag.name().as_ref(), "table:table-cell" | "table:covered-table-cell") {
                if !is_empty {
                    let tag = tag.to_owned();
                    self.reader.read_to_end(tag.name()).ok()?;
                }
                continue;
            }
            let times = times(&tag, "table:number-columns-repeated");
            let kind = attribute(&tag, "office:value-type").unwrap_or_default();
            let value = match kind.as_str() {
                "date" => attribute(&tag, "office:date-value"),
                "time" => attribute(&tag, "office:time-value"),
                "boolean" => attribute(&tag, "office:boolean-value"),
                "string" => attribute(&tag, "office:string-value"),
                _ => attribute(&tag, "office:value"),
            };
            let (columns, rows) = (
                self::times(&tag, "table:number-columns-spanned"),
                crate::formats::workbook::open_document::times(&tag, "table:number-rows-spanned"),
            );
            let is_formula = tag.try_get_attribute("table:formula").ok()?.is_some();
            let shown = if is_empty { String::new() } else { self.shown()? };
            let cell = ParsedCell { kind, value, shown, columns, rows, is_formula };
            if cell.has_content() || columns > 1 {
                cells.push(PlacedCell { column, times, cell });
            }
            column = column.checked_add(times)?;
        }
    }

    fn shown(&mut self) -> Option<String> {
        let (mut shown, mut paragraphs) = (String::new(), 0);
        loop {
            match self.reader.read_event().ok()? {
                Event::Start(tag) if tag.name().as_ref() == "text:p" => {
                    if paragraphs > 0 {
                        shown.push('\n');
                    }
                    paragraphs += 1;
                    self.paragraph(&mut shown)?;
                }
                Event::Empty(tag) if tag.name().as_ref() == "text:p" => {
                    if paragraphs > 0 {
                        shown.push('\n');
                    }
                    paragraphs += 1;
                }
                // Notes and drawings have their own paragraphs.
                Event::Start(tag) => {
                    let tag = tag.to_owned();
                    self.reader.read_to_end(tag.name()).ok()?;
                }
                Event::End(_) => return Some(shown),
                Event::Eof => return None,
                _ => {}
            }
        }
    }

    fn paragraph(&mut self, shown: &mut String) -> Option<()> {
        let mut depth = 0_u32;
        loop {
            match self.reader.read_event().ok()? {
                Event::Text(text) => shown.push_str(&text.xml10_content()),
                Event::CData(text) => shown.push_str(&text.xml10_content()),
                Event::GeneralRef(reference) => match reference.resolve_char_ref().ok()? {
                    Some(character) => shown.push(character),
                    None => shown.push_str(quick_xml::escape::resolve_xml_entity(&reference)?),
                },
                Event::Start(tag) if tag.name().as_ref() == "office:annotation" => {
                    let tag = tag.to_owned();
                    self.reader.read_to_end(tag.name()).ok()?;
                }
                tag @ (Event::Start(_) | Event::Empty(_)) => {
                    let (is_start, tag) = match &tag {
                        Event::Start(tag) => (true, tag),
                        Event::Empty(tag) => (false, tag),
                        _ => continue,
                    };
                    match tag.name().as_ref() {
                        "text:s" => (0..times(tag, "text:c").min(1 << 16)).for_each(|_| shown.push(' ')),
                        "text:tab" => shown.push('\t'),
                        "text:line-break" => shown.push('\n'),
                        _ => {}
                    }
                    depth += u32::from(is_start);
                }
                Event::End(_) if depth == 0 => return Some(()),
                Event::End(_) => depth -= 1,
                Event::Eof => return None,
                _ => {}
            }
        }
    }
}

fn put(cell: &ParsedCell, sheet: &mut Sheet) -> Put {
    let ParsedCell { kind, value, shown, .. } = cell;
    let (kind, text) = match (kind.as_str(), value) {
        ("date", Some(date)) => {
            // Midnight is a time if the cell displays times.
            let (day, time) = date.split_once('T').map_or((&**date, None), |(day, time)| (day, Some(time)));
            let text = match time {
                Some("00:00:00") if !shown.is_empty() && !shown.contains(':') => day.to_owned(),
                None if shown.contains(':') => format!("{day}T00:00:00"),
                _ => date.clone(),
            };
            (CellKind::Date, text)
        }
        ("time", Some(time)) => (CellKind::Text, clock(time).unwrap_or_else(|| shown.clone())),
        ("boolean", Some(truth)) => (CellKind::Truth, truth.clone()),
        ("float" | "percentage" | "currency", Some(value)) => {
            let number: Option<f64> = value.parse().ok();
            if number.is_some_and(|number| number.abs() >= 10_f64.powi(DIGITS as i32)) {
                sheet.imprecise += 1;
            }
            let plain = number.map_or_else(|| value.clone(), number_format::plain);
            // The displayed text is a number only if it is the plain number.
            if shown.is_empty() || *shown == plain { (CellKind::Number, plain) } else { (CellKind::Text, shown.clone()) }
        }
        ("string", Some(text)) if shown.is_empty() => (CellKind::Text, text.clone()),
        _ => (CellKind::Text, shown.clone()),
    };
    sheet.text.push_str(&text);
    (kind, None)
}

/// A time as a clock shows it: PT17H30M00S is 17:30:00.
fn clock(time: &str) -> Option<String> {
    let (sign, time) = time.strip_prefix('-').map_or(("", time), |time| ("-", time));
    let (hours, rest) = time.strip_prefix("PT")?.split_once('H')?;
    let (minutes, seconds) = rest.split_once('M')?;
    let seconds = seconds.strip_suffix('S')?;
    let (whole, parts) = seconds.split_once(['.', ',']).unwrap_or((seconds, ""));
    let parts = parts.trim_end_matches('0');
    let point = if parts.is_empty() { "" } else { "." };
    let [hours, minutes, whole] = [hours, minutes, whole].map(|part| part.parse::<u32>().ok());
    Some(format!("{sign}{:02}:{:02}:{:02}{point}{parts}", hours?, minutes?, whole?))
}
