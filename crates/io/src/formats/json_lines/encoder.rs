//! Encodes JSON Lines: input objects with pieces appended, or member by member.

use std::borrow::Cow;
use std::ops::Range;

use keen_notch_core::batch::{Buffer, Mask, Span};
use keen_notch_core::carving::OutColumn;
use keen_notch_core::column::Header;
use keen_notch_core::text::blank::is_blank;
use keen_notch_core::value_type::ValueType;

use crate::Error;
use crate::encode::EncoderRequest;
use crate::encode::rows::OutRows;
use crate::encode::{Encodable, Encoder, Extend, MOST_HELD, Out, OutputSchema, PieceShape, lists};
use crate::formats::json_lines::lists::arrays;
use crate::formats::json_lines::{Style, line};
use crate::source::Format;
use crate::source::{CellKind, Chunk, RawRows};

pub struct JsonLines {
    style: Style,
    is_native: bool,
    shape: OutputSchema,
    /// The number of columns after the input members; `None` to write member by member.
    appended: Option<usize>,
    keys: Vec<Vec<u8>>,
    /// Whether a piece can contain bytes that need escapes although its values do not.
    adds_special: Vec<bool>,
}

struct AddedKey<'b> {
    key: &'b [u8],
    text: Cow<'b, str>,
    spans: Cow<'b, [Span]>,
    absent: Mask,
    writes: Writes,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Writes {
    Text,
    Plain(ValueType),
    Json,
}

struct WriteContext<'b> {
    rows: OutRows,
    added: Vec<Option<AddedKey<'b>>>,
    careful: Mask,
}

impl JsonLines {
    /// The encoder for an output.
    ///
    /// # Errors
    /// Two keys are equal.
    pub fn for_output(asked: EncoderRequest) -> Result<JsonLines, Error> {
        asked.shape.tells_titles_apart(asked.kind, false)?;
        Ok(JsonLines::new(asked.read.and_then(Format::get).copied(), asked.header, asked.shape.clone()))
    }

    /// Encodes rows of a table with this header; `style` is the spacing of JSON Lines input.
    pub fn new(style: Option<Style>, header: &Header, shape: OutputSchema) -> JsonLines {
        let is_native = style.is_some();
        let style = style.unwrap_or_default();
        let appends = is_native && shape.keeps_all && shape.renamed.is_empty() && shape.kept() == header.count();
        let appended = appends.then(|| shape.columns.len() - shape.kept());
        let keys = shape.titles.iter().map(|title| key(title, style)).collect();
        let adds_special =
            |piece: &PieceShape| !is_native || (0..=127u8).any(|byte| needs_escape(byte) && piece.adds.has(byte));
        let adds_special = shape.pieces.iter().map(adds_special).collect();
        JsonLines { style, is_native, shape, appended, keys, adds_special }
    }

    fn written<'b>(&'b self, input: &'b Encodable) -> WriteContext<'b> {
        let rows = OutRows::new(input, &self.shape);
        let count = rows.count();
        let (mut careful, mut special, mut added) = (Mask::default(), Mask::default(), Vec::new());
        careful.clear(count);
        for (column, key) in self.shape.columns.iter().zip(&self.keys) {
            let mut absent = Mask::default();
            absent.clear(count);
            let (text, spans) = match *column {
                OutColumn::Original(_) => {
                    added.push(None);
                    continue;
                }
                OutColumn::OfInput(text) => {
                    let text = input.chunk.of_input(text);
                    if text.bytes().any(needs_escape) {
                        careful.fill(count);
                    }
                    (Cow::Borrowed(text), Cow::Owned(vec![Span::new(0, text.len()); count]))
                }
                OutColumn::Reason => {
                    careful.fill(count);
                    let (text, spans) = lists::lines(*column, input, &rows);
                    (Cow::Owned(text), Cow::Owned(spans))
                }
                OutColumn::Faults | OutColumn::Compared => {
                    let (text, spans) = arrays(*column, input, &rows);
                    (Cow::Owned(text), Cow::Owned(spans))
                }
                OutColumn::Piece { piece, result } => {
                    let (text, spans) = rows.texts(input, &self.shape, piece, result);
                    if result > 0 || !rows.are_there(input, piece) {
                        let is_absent = |index: &usize| !rows.is_there(*index, input, &self.shape, (piece, result));
                        (0..count).filter(is_absent).for_each(|index| absent.set(index));
                    }
                    special.clear(input.rows.len());
                    match self.adds_special[piece] {
                        true => special.fill(input.rows.len()),
                        false => self.shape.pieces[piece].sources.iter().for_each(|source| {
                            special.add(&input.rows.columns[*source].special);
                        }),
                    }
                    if !special.is_none() {
                        let needs = |index: &usize| spans[*index].bytes(text.as_bytes()).iter().copied().any(needs_escape);
                        (0..count)
                            .filter(|index| special.has(rows.row(*index)))
                            .filter(needs)
                            .for_each(|index| careful.set(index));
                    }
                    (Cow::Borrowed(text), spans)
                }
            };
            let writes = match column {
                OutColumn::Piece { piece, .. } => match self.shape.pieces[*piece].value_type {
                    Some(of @ (ValueType::Number | ValueType::Truth)) => Writes::Plain(of),
                    _ => Writes::Text,
                },
                OutColumn::Faults | OutColumn::Compared => Writes::Json,
                _ => Writes::Text,
            };
            if writes != Writes::Text {
                careful.fill(count);
            }
            added.push(Some(AddedKey { key, text, spans, absent, writes }));
        }
        WriteContext { rows, added, careful }
    }

    fn write(&self, input: &Encodable, written: &WriteContext, range: Range<usize>, out: &mut Out) {
        let raw = if self.is_native { input.chunk.raw() } else { None };
        if let (Some(raw), Some(count)) = (&raw, self.appended) {
            let mut next = range.start;
            for careful in written.careful.iter().skip_while(|row| *row < range.start).take_while(|row| *row < range.end) {
                self.write_plainly(input, raw, written, next..careful, out);
                self.append(input, raw, &written.added[written.added.len() - count..], (&written.rows, careful), out);
                next = careful + 1;
            }
            self.write_plainly(input, raw, written, next..range.end, out);
            return;
        }
        for index in range {
            match &raw {
                Some(raw) if self.shape.keeps_all && self.shape.renamed.is_empty() => {
                    self.replaced(input, raw, written, index, out)
                }
                _ => self.member_by_member(input, raw.as_ref(), written, index, out),
            }
            out.extend(self.line_end_of(raw.as_ref(), input, &written.rows, index));
        }
    }

    /// The line end of an output row: that of its input row, but at least one between two results of a row and after an offcut.
    fn line_end_of<'a>(&self, raw: Option<&RawRows>, input: &'a Encodable, rows: &OutRows, index: usize) -> &'a [u8] {
        let own = raw.map(|raw| raw.rows[rows.number(index, input)].line_end().bytes(input.text.as_bytes()));
        let may_lack = !rows.is_repeated(index) && !self.shape.sets_aside;
        own.filter(|own| !own.is_empty() || may_lack).unwrap_or(b"\n")
    }

    fn write_plainly(&self, input: &Encodable, raw: &RawRows, written: &WriteContext, range: Range<usize>, out: &mut Out) {
        let WriteContext { rows, added, .. } = written;
        let count = self.appended.unwrap_or_default();
        let added: Vec<&AddedKey> = added[added.len() - count..].iter().flatten().collect();
        let text = input.text.as_bytes();
        let comma: &[u8] = if self.style.spaces_after_commas { b", " } else { b"," };
        let raws = range.clone().map(|index| raw.rows[rows.number(index, input)].raw.width() + 2).sum::<usize>();
        let wide = |added: &AddedKey| {
            let most = |index: usize| added.spans[index].width().max(2) + 2 + comma.len() + added.key.len();
            range.clone().map(most).sum::<usize>()
        };
        let all = raws + added.iter().map(|added| wide(added)).sum::<usize>();
        if all > MOST_HELD {
            // Long rows are flushed in parts.
            range.for_each(|index| {
                self.append(input, raw, &written.added[written.added.len() - count..], (rows, index), out);
            });
            return;
        }
        let mut writer = out.buffer.writer(all);
        for index in range {
            let number = rows.number(index, input);
            let (row, end) = (raw.rows[number].raw, raw.cells.end(number));
            writer.extend(&text[row.start as usize..end]);
            let mut is_first = text[end - 1] == b'{';
            for added in &added {
                if !std::mem::take(&mut is_first) {
                    writer.extend(comma);
                }
                writer.extend(added.key);
                if added.absent.has(index) {
                    writer.extend(b"null");
                } else {
                    writer.cell(b'"', added.text.as_bytes(), added.spans[index]);
                    writer.fill(b'"', 1);
                }
            }
            writer.extend(&text[end..row.end as usize]);
            writer.extend(self.line_end_of(Some(raw), input, rows, index));
        }
        writer.finish();
    }

    fn append(
        &self,
        input: &Encodable,
        raw: &RawRows,
        added: &[Option<AddedKey>],
        (rows, index): (&OutRows, usize),
        out: &mut Out,
    ) {
        let text = input.text.as_bytes();
        let number = rows.number(index, input);
        let (row, end) = (raw.rows[number].raw, raw.cells.end(number));
        out.extend(&text[row.start as usize..end]);
        let mut is_first = text[end - 1] == b'{';
        for added in added.iter().flatten() {
            self.member(&mut is_first, added.key, out);
            value(added, index, out);
        }
        out.extend(&text[end..row.end as usize]);
        out.extend(self.line_end_of(Some(raw), input, rows, index));
    }

    fn member(&self, is_first: &mut bool, key: &[u8], out: &mut Out) {
        if !std::mem::take(is_first) {
            out.extend(if self.style.spaces_after_commas { b", " } else { b"," });
        }
        out.extend(key);
    }

    fn replaced(&self, input: &Encodable, raw: &RawRows, written: &WriteContext, index: usize, out: &mut Out) {
        let (text, added) = (input.text, &written.added);
        let number = written.rows.number(index, input);
        out.extend(b"{");
        let (mut is_first, mut is_written) = (true, vec![false; added.len()]);
        // The line was parsed before.
        let line = raw.rows[number].raw.text(text);
        let _ = line::members(line, true, |name, of| {
            let place = self.shape.titles.iter().position(|title| title == name.text());
            match place.and_then(|place| Some((place, added[place].as_ref()?))) {
                Some((place, added)) => {
                    is_written[place] = true;
                    self.member(&mut is_first, added.key, out);
                    value(added, index, out);
                }
                None => {
                    self.member(&mut is_first, &key(name.text(), self.style), out);
                    out.extend(of.bytes(line.as_bytes()));
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

    fn member_by_member(&self, input: &Encodable, raw: Option<&RawRows>, written: &WriteContext, index: usize, out: &mut Out) {
        let (number, added) = (written.rows.number(index, input), &written.added);
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
        if self.style.byte_order_mark {
            out.extend("\u{feff}".as_bytes());
        }
        true
    }

    fn line_end(&self) -> &[u8] {
        b"\n"
    }

    fn held_columns(&self) -> usize {
        self.appended.unwrap_or(self.shape.columns.len())
    }

    fn encode(&self, input: &Encodable, out: &mut Out) -> Result<(), Error> {
        let written = self.written(input);
        let gaps =
            if self.appended.is_some() && !self.shape.sets_aside { input.chunk.raw().filter(|raw| raw.has_gaps) } else { None };
        match gaps {
            Some(raw) => written.rows.with_gaps(input, &raw, out, |range, out| self.write(input, &written, range, out)),
            None => self.write(input, &written, 0..written.rows.count(), out),
        }
        Ok(())
    }

    fn is_complete(&self, written: &[u8]) -> bool {
        written.last().is_none_or(|last| *last == b'\n')
    }
}

/// The key of a member in quotes, with the colon.
pub fn key(name: &str, style: Style) -> Vec<u8> {
    let mut key = Buffer::default();
    push_text(name, &mut key);
    key.extend(if style.spaces_after_colons { b": " } else { b":" });
    key.bytes().to_vec()
}

fn value(added: &AddedKey, index: usize, out: &mut Out) {
    match added.absent.has(index) {
        true => out.extend(b"null"),
        false => {
            let text = added.spans[index].text(&added.text);
            match added.writes {
                Writes::Json => out.extend(text.as_bytes()),
                Writes::Plain(of) => match of.plain(text) {
                    Some(plain) => out.extend(plain.as_bytes()),
                    None if is_blank(text) => out.extend(b"null"),
                    // An invalid result is a fault and stays visible.
                    None => push_text(text, out),
                },
                Writes::Text => push_text(text, out),
            }
        }
    }
}

fn needs_escape(byte: u8) -> bool {
    byte < 0x20 || byte == b'"' || byte == b'\\'
}

pub fn push_cell(chunk: &dyn Chunk, text: &str, (row, column): (usize, usize), out: &mut impl Extend) {
    let cell = chunk.cell(text, row, column);
    match cell.kind {
        CellKind::Nothing => out.extend(b"null"),
        CellKind::Text | CellKind::Date => push_text(&cell.text, out),
        CellKind::Number | CellKind::Truth | CellKind::Nested => out.extend(cell.text.as_bytes()),
    }
}

pub fn push_text(text: &str, out: &mut impl Extend) {
    out.extend(b"\"");
    let mut rest = text.as_bytes();
    while let Some(at) = rest.iter().position(|byte| needs_escape(*byte)) {
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
