//! Rows as JSON Lines: objects as they were read, with the pieces after their other members, or written member by member.

use keen_notch_core::batch::{Buffer, Span};
use keen_notch_core::carving::OutColumn;
use keen_notch_core::column::Header;

use super::rows::OutRows;
use super::{Encodable, Encoder, Extend, Out, Shape};
use crate::source::json_lines::{Style, line};
use crate::source::{CellKind, Chunk, RawRows};

/// Writes an object a row.
pub struct JsonLines {
    style: Style,
    /// Whether the rows were read from JSON Lines.
    is_native: bool,
    shape: Shape,
    /// How many columns are written after the members that were read; `None` where rows are written member by member.
    appended: Option<usize>,
    /// For each column of the output, its name in quotes, and the colon.
    keys: Vec<Vec<u8>>,
}

/// A column of the output that is no column of the table.
struct Added<'b> {
    key: &'b [u8],
    text: &'b str,
    /// By output row, where there is a result.
    spans: Vec<Option<Span>>,
}

impl JsonLines {
    /// Writes rows of a table with this header, as the shape says; `style` is how they were written, where that was as JSON Lines.
    pub fn new(style: Option<Style>, header: &Header, shape: Shape) -> JsonLines {
        let is_native = style.is_some();
        let style = style.unwrap_or_default();
        let appends = is_native && shape.keeps_all && shape.kept() == header.count();
        let appended = appends.then(|| shape.columns.len() - shape.kept());
        let keys = shape.titles.iter().map(|title| key(title, style)).collect();
        JsonLines { style, is_native, shape, appended, keys }
    }

    /// The columns of the output that are no columns of the table, by their indices.
    fn added<'b>(&'b self, input: &'b Encodable, rows: &OutRows) -> Vec<Option<Added<'b>>> {
        let column = |(column, key): (&OutColumn, &'b Vec<u8>)| {
            let (text, spans) = match *column {
                OutColumn::Original(_) => return None,
                OutColumn::Source => {
                    let name = input.chunk.source();
                    (name, vec![Some(Span::new(0, name.len())); rows.count()])
                }
                OutColumn::Piece { piece, result } => {
                    let (text, spans) = rows.texts(input, &self.shape, piece, result);
                    let is_there = |index| rows.is_there(index, input, &self.shape, (piece, result));
                    (text, spans.iter().enumerate().map(|(index, span)| is_there(index).then_some(*span)).collect())
                }
            };
            Some(Added { key, text, spans })
        };
        self.shape.columns.iter().zip(&self.keys).map(column).collect()
    }

    /// Writes some output rows.
    fn write(&self, input: &Encodable, rows: &OutRows, added: &[Option<Added>], range: std::ops::Range<usize>, out: &mut Out) {
        let text = input.text.as_bytes();
        let raw = if self.is_native { input.chunk.raw() } else { None };
        for index in range {
            let number = rows.number(index, input);
            let mut line_end = &b"\n"[..];
            match (&raw, self.appended) {
                (Some(raw), Some(count)) => {
                    let (row, end) = (raw.rows[number].raw, raw.cells.end(number));
                    out.extend(&text[row.start as usize..end]);
                    let mut is_first = text[end - 1] == b'{';
                    for added in added[added.len() - count..].iter().flatten() {
                        self.member(&mut is_first, added.key, out);
                        value(added, index, out);
                    }
                    out.extend(&text[end..row.end as usize]);
                }
                (Some(raw), None) if self.shape.keeps_all => self.replaced(raw, number, index, input, added, out),
                _ => self.member_by_member(raw.as_ref(), number, index, input, added, out),
            }
            if let Some(raw) = &raw {
                let own = raw.rows[number].line_end().bytes(text);
                if !own.is_empty() || !rows.is_repeated(index) {
                    line_end = own;
                }
            }
            out.extend(line_end);
        }
    }

    /// Writes what is before the value of a member.
    fn member(&self, is_first: &mut bool, key: &[u8], out: &mut Out) {
        if !std::mem::take(is_first) {
            out.extend(if self.style.spaces_after_commas { b", " } else { b"," });
        }
        out.extend(key);
    }

    /// Writes a row with all members that it had, those that are no columns too, where pieces take the place of some.
    fn replaced(&self, raw: &RawRows, number: usize, index: usize, input: &Encodable, added: &[Option<Added>], out: &mut Out) {
        let text = input.text;
        out.extend(b"{");
        let (mut is_first, mut is_written) = (true, vec![false; added.len()]);
        // The line was read before.
        let _ = line::members(raw.rows[number].raw.text(text), &mut |name, of| {
            let place = self.shape.titles.iter().position(|title| title == name.text());
            match place.and_then(|place| Some((place, added[place].as_ref()?))) {
                Some((place, added)) => {
                    is_written[place] = true;
                    self.member(&mut is_first, added.key, out);
                    value(added, index, out);
                }
                None => {
                    self.member(&mut is_first, &key(name.text(), self.style), out);
                    out.extend(of.as_bytes());
                }
            }
        });
        for added in added.iter().zip(is_written).filter(|(_, is_written)| !is_written).filter_map(|(added, _)| added.as_ref())
        {
            self.member(&mut is_first, added.key, out);
            value(added, index, out);
        }
        out.extend(b"}");
    }

    /// Writes a row of some columns of the table.
    fn member_by_member(
        &self,
        raw: Option<&RawRows>,
        number: usize,
        index: usize,
        input: &Encodable,
        added: &[Option<Added>],
        out: &mut Out,
    ) {
        out.extend(b"{");
        let mut is_first = true;
        for ((column, key), added) in self.shape.columns.iter().zip(&self.keys).zip(added) {
            match (column, added, raw) {
                (_, Some(added), _) => {
                    self.member(&mut is_first, key, out);
                    value(added, index, out);
                }
                (OutColumn::Original(column), _, Some(raw)) => {
                    let value = raw.cells.cell(number, *column);
                    if !value.is_empty() {
                        self.member(&mut is_first, key, out);
                        out.extend(value.bytes(input.text.as_bytes()));
                    }
                }
                (OutColumn::Original(column), _, None) => {
                    self.member(&mut is_first, key, out);
                    push_cell(input.chunk, input.text, (number, *column), out);
                }
                _ => {}
            }
        }
        out.extend(b"}");
    }
}

impl Encoder for JsonLines {
    fn begin(&self, out: &mut Buffer) -> bool {
        if self.style.byte_order_mark && self.shape.is_written {
            out.extend("\u{feff}".as_bytes());
        }
        true
    }

    fn line_end(&self) -> &[u8] {
        b"\n"
    }

    fn encode(&self, input: &Encodable, out: &mut Out) {
        if !self.shape.is_written {
            return;
        }
        let rows = OutRows::new(input, &self.shape);
        let added = self.added(input, &rows);
        let gaps = if self.appended.is_some() { input.chunk.raw().filter(|raw| raw.has_gaps) } else { None };
        match gaps {
            Some(raw) => rows.with_gaps(input, &raw, out, |range, out| self.write(input, &rows, &added, range, out)),
            None => self.write(input, &rows, &added, 0..rows.count(), out),
        }
    }

    fn is_complete(&self, written: &[u8]) -> bool {
        written.last().is_none_or(|last| *last == b'\n')
    }
}

/// The name of a member in quotes, and the colon.
pub fn key(name: &str, style: Style) -> Vec<u8> {
    let mut key = Buffer::default();
    push_text(name, &mut key);
    key.extend(if style.spaces_after_colons { b": " } else { b":" });
    key.bytes().to_vec()
}

fn value(added: &Added, index: usize, out: &mut Out) {
    match added.spans[index] {
        Some(span) => push_text(span.text(added.text), out),
        None => out.extend(b"null"),
    }
}

/// Writes a value of a table as what it is.
pub fn push_cell(chunk: &dyn Chunk, text: &str, (row, column): (usize, usize), out: &mut impl Extend) {
    let cell = chunk.cell(text, row, column);
    match cell.kind {
        CellKind::Nothing => out.extend(b"null"),
        CellKind::Text => push_text(&cell.text, out),
        CellKind::Number | CellKind::Truth | CellKind::Nested => out.extend(cell.text.as_bytes()),
    }
}

/// Writes a text in quotes, with escapes for what cannot be in them: RFC 8259, section 7.
pub fn push_text(text: &str, out: &mut impl Extend) {
    out.extend(b"\"");
    let mut rest = text.as_bytes();
    while let Some(at) = rest.iter().position(|byte| matches!(byte, 0..0x20 | b'"' | b'\\')) {
        out.extend(&rest[..at]);
        match rest[at] {
            b'\n' => out.extend(b"\\n"),
            b'\r' => out.extend(b"\\r"),
            b'\t' => out.extend(b"\\t"),
            byte @ (b'"' | b'\\') => out.extend(&[b'\\', byte]),
            byte => out.extend(format!("\\u{byte:04x}").as_bytes()),
        }
        rest = &rest[at + 1..];
    }
    out.extend(rest);
    out.extend(b"\"");
}
