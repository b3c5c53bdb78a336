//! Reads .xlsx workbooks (ECMA-376, part 1).
//!
//! Our own reader, so that a problem affects a single cell. An unknown error value, for example, must not make the whole sheet
//! unreadable.

use std::borrow::Cow;
use std::collections::HashMap;
use std::io::Read;
use std::ops::Range;

use zip::ZipArchive;

use crate::Error;
use crate::formats::workbook::ReadSheet;
use crate::formats::workbook::archive::{Bytes, broken, part};
use crate::formats::workbook::numbers::Styles;
use crate::formats::workbook::sheet_builder::{Put, SheetBuilder, sheet_of};
use crate::formats::workbook::xml;
use crate::formats::workbook::xml::{Token, Tokens};
use crate::source::{CellKind, Reading};

pub(super) fn read(name: &str, mut archive: ZipArchive<Bytes>, reading: &Reading) -> Result<ReadSheet, Error> {
    let book = Book::read(&mut archive).ok_or_else(|| broken(name))?;
    let titles: Vec<String> = book.sheets.iter().map(|(title, _)| title.clone()).collect();
    let title = sheet_of(name, &titles, reading)?;
    let place = titles.iter().position(|one| *one == title).unwrap_or_default();
    let mut making = SheetBuilder::new(name, &title, reading, book.styles.codes());
    let sheet = archive.by_name(&book.sheets[place].1).map_err(|_| broken(name))?;
    // An archive can contain more than it states.
    let size = sheet.size();
    let tokens = Tokens::new(sheet.take(size), reading.memory);
    read_cells(tokens, &book, &mut making).unwrap_or_else(|| Err(broken(name)))?;
    Ok(ReadSheet { sheet: making.finish()?, title, sheets: titles.len() })
}

struct Book {
    sheets: Vec<(String, String)>,
    styles: Styles,
    text: String,
    texts: Vec<Range<usize>>,
}

type Relation = (String, String);

impl Book {
    fn read(archive: &mut ZipArchive<Bytes>) -> Option<Book> {
        let of_package = relations(archive, "")?;
        let main = of_package.into_values().find(|(kind, _)| kind == "officeDocument")?.1;
        let of_main = relations(archive, &main)?;
        let (sheets, is_1904) = sheets(&part(archive, &main)?, &of_main)?;
        let shared = |kind: &str| of_main.values().find(|(of, _)| of == kind).map(|(_, target)| target.clone());
        let mut styles = match shared("styles") {
            Some(styles) => crate::formats::workbook::office_open::styles(&part(archive, &styles)?)?,
            None => Styles::default(),
        };
        styles.is_1904 = is_1904;
        let (text, texts) = match shared("sharedStrings") {
            // Some programs declare the part but do not write it.
            Some(texts) => part(archive, &texts).map_or(Some(Default::default()), |part| shared_texts(&part))?,
            None => Default::default(),
        };
        Some(Book { sheets, styles, text, texts })
    }
}

fn relations(archive: &mut ZipArchive<Bytes>, of: &str) -> Option<HashMap<String, Relation>> {
    let (folder, file) = of.rsplit_once('/').unwrap_or(("", of));
    let start = if folder.is_empty() { String::new() } else { format!("{folder}/") };
    let content = part(archive, &format!("{start}_rels/{file}.rels"))?;
    let mut all = HashMap::new();
    each_element(&content, |tag, _| {
        if tag.name == b"Relationship" {
            let kind = tag.attribute("Type")?;
            let kind = kind.rsplit('/').next().unwrap_or_default().to_owned();
            let target = tag.attribute("Target")?;
            all.insert(tag.attribute("Id")?, (kind, resolved(&start, &target)));
        }
        Some(())
    })?;
    Some(all)
}

/// The part for a target, relative to a folder with a final slash.
fn resolved(folder: &str, target: &str) -> String {
    let path = target.strip_prefix('/').map_or_else(|| format!("{folder}{target}"), str::to_owned);
    let mut parts: Vec<&str> = Vec::new();
    for part in path.split('/') {
        match part {
            "." | "" => {}
            ".." => drop(parts.pop()),
            part => parts.push(part),
        }
    }
    parts.join("/")
}

/// The sheets with cells, and whether days count from 1904.
fn sheets(content: &[u8], relations: &HashMap<String, Relation>) -> Option<(Vec<(String, String)>, bool)> {
    let (mut sheets, mut is_1904) = (Vec::new(), false);
    each_element(content, |tag, _| {
        match tag.name {
            b"workbookPr" => is_1904 = matches!(tag.attribute("date1904").as_deref(), Some("1" | "true")),
            b"sheet" => {
                let (_, id) = xml::attributes(tag.attributes).find(|(name, _)| name.ends_with(b":id"))?;
                let (kind, target) = relations.get(str::from_utf8(id).ok()?)?;
                // Other kinds are charts, dialogs and macros.
                if kind == "worksheet" {
                    sheets.push((tag.attribute("name")?, target.clone()));
                }
            }
            _ => {}
        }
        Some(())
    })?;
    Some((sheets, is_1904))
}

fn styles(content: &[u8]) -> Option<Styles> {
    let (mut of_cells, mut formats) = (Vec::new(), Vec::new());
    each_element(content, |tag, parent| {
        match (parent, tag.name) {
            (b"numFmts", b"numFmt") => {
                if let Ok(id) = tag.attribute("numFmtId")?.parse() {
                    formats.push((id, tag.attribute("formatCode")?));
                }
            }
            (b"cellXfs", b"xf") => {
                of_cells.push(tag.attribute("numFmtId").and_then(|id| id.parse().ok()).unwrap_or_default());
            }
            _ => {}
        }
        Some(())
    })?;
    Some(Styles::new(&of_cells, &formats))
}

struct Tag<'b> {
    name: &'b [u8],
    attributes: &'b [u8],
}

impl Tag<'_> {
    fn attribute(&self, name: &str) -> Option<String> {
        let (_, value) = xml::attributes(self.attributes).find(|(found, _)| *found == name.as_bytes())?;
        xml::resolved(value).map(Cow::into_owned)
    }
}

/// Calls `see` with each element and the name of its parent. `None` if `see` returns it, or if the XML is invalid.
fn each_element(content: &[u8], mut see: impl FnMut(&Tag, &[u8]) -> Option<()>) -> Option<()> {
    let mut tokens = Tokens::new(content, usize::MAX);
    let mut parents: Vec<Vec<u8>> = Vec::new();
    while let Some(token) = tokens.next()? {
        match token {
            Token::Open { name, attributes, is_empty } => {
                see(&Tag { name, attributes }, parents.last().map_or(b"", Vec::as_slice))?;
                if !is_empty {
                    parents.push(name.to_owned());
                }
            }
            Token::Close(_) => drop(parents.pop()),
            Token::Text(_) | Token::Plain(_) => {}
        }
    }
    Some(())
}

/// The shared texts in one string with their spans, without phonetic readings (`rPh`).
fn shared_texts(content: &[u8]) -> Option<(String, Vec<Range<usize>>)> {
    let mut tokens = Tokens::new(content, usize::MAX);
    let (mut text, mut texts) = (String::new(), Vec::new());
    let (mut start, mut in_text, mut readings) = (0, false, 0_u32);
    while let Some(token) = tokens.next()? {
        match token {
            Token::Open { name: b"si", is_empty, .. } => {
                start = text.len();
                if is_empty {
                    texts.push(start..start);
                }
            }
            Token::Open { name: b"t", is_empty, .. } => in_text = !is_empty && readings == 0,
            Token::Open { name: b"rPh", is_empty, .. } => readings += u32::from(!is_empty),
            Token::Close(b"rPh") => readings = readings.saturating_sub(1),
            Token::Close(b"t") => in_text = false,
            Token::Close(b"si") => {
                unescape(&mut text, start);
                texts.push(start..text.len());
            }
            Token::Text(part) if in_text => text.push_str(&xml::resolved(part)?),
            Token::Plain(part) if in_text => text.push_str(str::from_utf8(part).ok()?),
            Token::Open { .. } | Token::Close(_) | Token::Text(_) | Token::Plain(_) => {}
        }
    }
    Some((text, texts))
}

/// Resolves `_x000D_`, the escape for characters that XML lacks (ECMA-376, part 1, section 22.4.2.4), from byte `start`.
fn unescape(text: &mut String, start: usize) {
    if memchr::memmem::find(&text.as_bytes()[start..], b"_x").is_none() {
        return;
    }
    let escaped = text.split_off(start);
    let mut rest = escaped.as_str();
    let mut units: Vec<u16> = Vec::new();
    let flush = |units: &mut Vec<u16>, text: &mut String| {
        text.extend(char::decode_utf16(units.drain(..)).map(|unit| unit.unwrap_or(char::REPLACEMENT_CHARACTER)));
    };
    while let Some(at) = rest.find("_x") {
        let code = rest.get(at + 2..at + 6).filter(|_| rest[at + 6..].starts_with('_'));
        let unit =
            code.filter(|code| code.bytes().all(|b| b.is_ascii_hexdigit())).and_then(|code| u16::from_str_radix(code, 16).ok());
        if at > 0 {
            flush(&mut units, text);
            text.push_str(&rest[..at]);
        }
        match unit {
            Some(unit) => units.push(unit),
            None => {
                flush(&mut units, text);
                text.push_str("_x");
            }
        }
        rest = &rest[at + if unit.is_some() { 7 } else { 2 }..];
    }
    flush(&mut units, text);
    text.push_str(rest);
}

#[derive(Default)]
struct ParsedCell {
    at: (u32, u32),
    style: usize,
    kind: Kind,
    has_formula: bool,
    has_value: bool,
}

#[derive(Default, Clone, Copy, PartialEq, Eq)]
enum Kind {
    #[default]
    Number,
    Shared,
    Text,
    Inline,
    Truth,
    Other,
    Date,
}

/// Adds the cells of a sheet; `None` if it is damaged.
fn read_cells<R: Read>(mut tokens: Tokens<R>, book: &Book, making: &mut SheetBuilder) -> Option<Result<(), Error>> {
    // Default position of the next cell.
    let (mut row, mut column) = (0_u32, 0_u32);
    let (mut cell, mut value) = (ParsedCell::default(), String::new());
    let (mut in_cell, mut in_value) = (false, false);
    // Nesting depth of phonetic readings.
    let mut readings = 0_u32;
    while let Some(token) = tokens.next()? {
        match token {
            Token::Open { name, attributes, is_empty } => match (name, in_cell) {
                (b"v" | b"t", true) if readings == 0 => (cell.has_value, in_value) = (true, !is_empty),
                (b"f", true) => cell.has_formula = true,
                (b"rPh", true) => readings += u32::from(!is_empty),
                (b"c", false) => {
                    value.clear();
                    cell = ParsedCell::read(attributes, (row, column))?;
                    (row, column) = (cell.at.0, cell.at.1.checked_add(1)?);
                    in_cell = !is_empty;
                    let (open, close): (&[u8], &[u8]) = match cell.kind {
                        Kind::Inline => (b"<is><t>", b"</t></is></c>"),
                        _ => (b"<v>", b"</v></c>"),
                    };
                    // Most cells have this form, which needs no tokens.
                    if let Some(text) = if in_cell { tokens.between(open, close) } else { None } {
                        (cell.has_value, in_cell) = (true, false);
                        if let Err(error) = add(&cell, xml::resolved(text)?, book, making)? {
                            return Some(Err(error));
                        }
                    }
                }
                (b"row", false) => {
                    (row, column) = (number_of_row(attributes, row)?, 0);
                    if is_empty {
                        row = row.checked_add(1)?;
                    }
                }
                (b"mergeCell", false) => {
                    let place = xml::attributes(attributes).find(|(name, _)| *name == b"ref")?.1;
                    let (from, to) = place.split_at(place.iter().position(|byte| *byte == b':').unwrap_or(place.len()));
                    let to = to.strip_prefix(b":").unwrap_or(from);
                    let ((top, left), (bottom, right)) = (place_of(from)?, place_of(to)?);
                    making.sheet.merged.push((top + 1..bottom.checked_add(2)?, left..right.checked_add(1)?));
                }
                _ => {}
            },
            Token::Close(name) => match (name, in_cell) {
                (b"v" | b"t", true) => in_value = false,
                (b"rPh", true) => readings = readings.saturating_sub(1),
                (b"c", true) => {
                    in_cell = false;
                    if let Err(error) = add(&cell, Cow::Borrowed(&value), book, making)? {
                        return Some(Err(error));
                    }
                }
                (b"row", false) => row = row.checked_add(1)?,
                _ => {}
            },
            Token::Text(text) if in_value => value.push_str(&xml::resolved(text)?),
            Token::Plain(text) if in_value => value.push_str(str::from_utf8(text).ok()?),
            Token::Text(_) | Token::Plain(_) => {}
        }
    }
    (!in_cell).then_some(Ok(()))
}

/// The index of a row: its `r` attribute, or the next index.
fn number_of_row(attributes: &[u8], next: u32) -> Option<u32> {
    match xml::attributes(attributes).find(|(name, _)| *name == b"r") {
        Some((_, number)) => str::from_utf8(number).ok()?.parse::<u32>().ok()?.checked_sub(1),
        None => Some(next),
    }
}

impl ParsedCell {
    /// Reads the attributes of a cell. `next` is the default position.
    fn read(attributes: &[u8], next: (u32, u32)) -> Option<ParsedCell> {
        let mut cell = ParsedCell { at: next, ..ParsedCell::default() };
        for (name, value) in xml::attributes(attributes) {
            match name {
                b"r" => cell.at = place_of(value)?,
                b"s" => cell.style = str::from_utf8(value).ok()?.parse().ok()?,
                b"t" => {
                    cell.kind = match value {
                        b"n" => Kind::Number,
                        b"s" => Kind::Shared,
                        b"str" => Kind::Text,
                        b"inlineStr" => Kind::Inline,
                        b"b" => Kind::Truth,
                        b"d" => Kind::Date,
                        _ => Kind::Other,
                    }
                }
                _ => {}
            }
        }
        Some(cell)
    }
}

/// The row and column of a reference such as `AB12`, from 0.
fn place_of(place: &[u8]) -> Option<(u32, u32)> {
    let (mut column, mut row) = (0_u32, 0_u32);
    for byte in place.iter().copied().filter(|byte| *byte != b'$') {
        match byte {
            b'A'..=b'Z' | b'a'..=b'z' if row == 0 => {
                column = column.checked_mul(26)?.checked_add(u32::from(byte.to_ascii_uppercase() - b'A') + 1)?;
            }
            b'0'..=b'9' => row = row.checked_mul(10)?.checked_add(u32::from(byte - b'0'))?,
            _ => return None,
        }
    }
    Some((row.checked_sub(1)?, column.checked_sub(1)?))
}

fn add(cell: &ParsedCell, mut value: Cow<str>, book: &Book, making: &mut SheetBuilder) -> Option<Result<(), Error>> {
    let ParsedCell { at, style, kind, has_formula, has_value } = cell;
    // A formula can have an empty text as its value.
    if *has_formula && (!*has_value || (value.is_empty() && *kind != Kind::Text)) {
        return Some(making.add_empty_formula(*at));
    }
    if !*has_value {
        return Some(Ok(()));
    }
    let number = match kind {
        Kind::Number if value.is_empty() => return Some(Ok(())),
        Kind::Number => Some(value.trim().parse::<f64>().ok()?),
        _ => None,
    };
    let shared = match kind {
        Kind::Shared => Some(book.texts.get(value.trim().parse::<usize>().ok()?)?.clone()),
        _ => None,
    };
    if matches!(kind, Kind::Text | Kind::Inline) && value.contains("_x") {
        unescape(value.to_mut(), 0);
    }
    Some(making.add(*at, |sheet| {
        let mut put = |text: &str, kind| -> Put {
            sheet.text.push_str(text);
            (kind, None)
        };
        match (number, shared, *kind) {
            (Some(number), ..) => book.styles.push(sheet, number, *style),
            (_, Some(range), _) => put(&book.text[range], CellKind::Text),
            (.., Kind::Truth) => put(if matches!(value.trim(), "1" | "true") { "true" } else { "false" }, CellKind::Truth),
            (.., Kind::Date) => {
                let is_date = book.styles.is_date(*style);
                put(value.strip_suffix("T00:00:00").filter(|_| is_date).unwrap_or(&value), CellKind::Date)
            }
            _ => put(&value, CellKind::Text),
        }
    }))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn escapes_of_characters_that_xml_lacks_are_resolved() {
        for (written, shown) in [
            ("a_x000D_\nb", "a\r\nb"),
            ("_x005F_x000D_", "_x000D_"),
            ("_xD83D__xDE00_!", "😀!"),
            ("_xD83D_", "\u{fffd}"),
            ("_x00_x0041_", "_x00A"),
            ("box_x", "box_x"),
        ] {
            let mut text = format!("é{written}");
            unescape(&mut text, 2);
            assert_eq!(text, format!("é{shown}"));
        }
    }

    #[test]
    fn places_and_targets() {
        assert_eq!(place_of(b"AB12"), Some((11, 27)));
        assert_eq!(place_of(b"$C$1"), Some((0, 2)));
        for wrong in ["", "A", "12", "A0", "1A", "A1B", "é1", "AAAAAAAAAAAAAAA1", "A99999999999"] {
            assert_eq!(place_of(wrong.as_bytes()), None, "{wrong}");
        }
        for (target, path) in [("sheets/a.xml", "xl/sheets/a.xml"), ("/xl/a.xml", "xl/a.xml"), ("../a.xml", "a.xml")] {
            assert_eq!(resolved("xl/", target), path);
        }
    }
}
