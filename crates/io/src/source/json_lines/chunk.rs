//! A chunk of JSON Lines: whole lines, whose members are found by reading them.

use std::ops::Range;
use std::sync::{Arc, Mutex};

use keen_notch_core::batch::{Buffer, Span};
use keen_notch_core::text::characters::Form;

use super::keys::Keys;
use super::line::{NoObject, members};
use crate::Error;
use crate::pool::lock;
use crate::source::blocks::{Block, LONG, lines};
use crate::source::{Cell, CellKind, Chunk, LineCount, RawCells, RawRow, RawRows, Reading, Rows, Values};

/// Some whole lines of an input.
pub struct JsonLinesChunk {
    block: Block,
    table: Arc<Shape>,
    found: Found,
}

impl Drop for JsonLinesChunk {
    fn drop(&mut self) {
        // What was found on lines that were very long is not kept.
        if self.block.bytes.len() <= LONG {
            lock(&self.table.spare).push(std::mem::take(&mut self.found));
        }
    }
}

/// What all chunks of a table have in common.
pub struct Shape {
    /// What the input is called.
    pub name: String,
    keys: Keys,
    /// Whether a member that is no column is an error.
    all_columns: bool,
    max_row: usize,
    /// What was found in chunks that are done with: memory that is new costs more than what is written to it.
    spare: Mutex<Vec<Found>>,
}

impl Shape {
    /// What all chunks of a table with these columns have in common.
    pub fn new(name: String, keys: Keys, reading: &Reading) -> Shape {
        let (all_columns, max_row) = (reading.all_columns, reading.max_row);
        Shape { name, keys, all_columns, max_row, spare: Mutex::default() }
    }
}

/// What was found in a chunk.
#[derive(Default)]
struct Found {
    rows: Vec<RawRow>,
    /// For each row and column, the value as it is there, quotes and all; empty where there is none.
    values: Vec<Span>,
    /// For each row, the byte after its last value.
    ends: Vec<u32>,
    has_gaps: bool,
    /// Whether there are escapes anywhere.
    has_escapes: bool,
    columns: Vec<usize>,
}

impl JsonLinesChunk {
    /// The lines of a block.
    pub fn new(block: Block, table: Arc<Shape>) -> JsonLinesChunk {
        let found = lock(&table.spare).pop().unwrap_or_default();
        JsonLinesChunk { block, table, found }
    }

    fn span(&self, row: usize, column: usize) -> Span {
        self.found.values.get(row * self.table.keys.count() + column).copied().unwrap_or_default()
    }
}

/// What is wrong with a line that begins at a byte of a block.
#[cold]
pub fn broken(block: &Block, name: &str, start: usize, NoObject { at, why }: NoObject) -> Error {
    let before = String::from_utf8_lossy(&block.bytes[start..start + at]);
    let line = block.line(start, &mut LineCount::default());
    Error::NoObject { name: name.to_owned(), line, character: before.chars().count() + 1, why }
}

/// The number of control characters of ASCII.
fn controls(bytes: &[u8]) -> u64 {
    // Counted in bytes, of which the machine adds many at a time.
    let stretch = |bytes: &[u8]| u64::from(bytes.iter().map(|byte| u8::from(*byte < 0x20)).sum::<u8>());
    bytes.chunks(u8::MAX as usize).map(stretch).sum()
}

/// Whether a value is a text with escapes.
fn is_escaped(text: &str, value: Span) -> bool {
    let value = value.bytes(text.as_bytes());
    value.first() == Some(&b'"') && memchr::memchr(b'\\', value).is_some()
}

/// The text that a value stands for; nothing where it is a text that stands for none.
fn unescaped(value: &str) -> Option<String> {
    serde_json::from_str(value).ok()
}

impl Chunk for JsonLinesChunk {
    fn open(&mut self, columns: &[usize]) -> Result<(), Error> {
        let JsonLinesChunk { block, table, found } = self;
        let Found { rows, values, ends, has_gaps, has_escapes, columns: taken } = found;
        let text = block.text(&table.name)?;
        let count = table.keys.count();
        rows.clear();
        values.clear();
        ends.clear();
        taken.clear();
        taken.extend_from_slice(columns);
        *has_gaps = false;
        let mut at = 0;
        let mut late: Vec<String> = Vec::new();
        // Tabs and carriage returns between values are rare too.
        let has_controls = controls(text.as_bytes()) != lines(text.as_bytes());
        *has_escapes = memchr::memchr(b'\\', text.as_bytes()).is_some();
        for line in memchr::memchr_iter(b'\n', text.as_bytes()).map(|end| end + 1).chain([text.len()]) {
            let (start, next) = (at, line);
            at = next;
            let whole = text[start..next].strip_suffix('\n').unwrap_or(&text[start..next]);
            let whole = whole.strip_suffix('\r').unwrap_or(whole);
            if whole.trim_ascii().is_empty() {
                *has_gaps |= start < next;
                continue;
            }
            if whole.len() > table.max_row {
                let line = block.line(start, &mut LineCount::default());
                return Err(Error::RowTooLong { name: table.name.clone(), line, limit: table.max_row });
            }
            let first = values.len();
            values.resize(first + count, Span::default());
            late.clear();
            let (mut expected, mut end, mut wrong) = (0, None, None);
            let seen = members(whole, has_controls, |key, value| {
                let span = Span { start: start as u32 + value.start, end: start as u32 + value.end };
                end = Some(span.end);
                let is_doubled = match table.keys.column(key.text(), expected) {
                    Some(column) => {
                        expected = column + 1;
                        let place = &mut values[first + column];
                        let is_doubled = !place.is_empty();
                        *place = span;
                        let is_looked_at = || table.all_columns || taken.contains(&column);
                        if *has_escapes && is_escaped(text, span) && is_looked_at() && unescaped(span.text(text)).is_none() {
                            wrong = wrong.take().or(Some(Wrong::Escape(span.start as usize - start)));
                        }
                        is_doubled
                    }
                    None if table.all_columns => {
                        wrong = wrong.take().or_else(|| Some(Wrong::Late(key.text().to_owned())));
                        false
                    }
                    None => {
                        let is_doubled = late.iter().any(|known| known == key.text());
                        late.push(key.text().to_owned());
                        is_doubled
                    }
                };
                if is_doubled {
                    wrong = wrong.take().or_else(|| Some(Wrong::Doubled(key.text().to_owned())));
                }
            });
            seen.map_err(|no_object| broken(block, &table.name, start, no_object))?;
            if let Some(wrong) = wrong {
                return Err(wrong.error(block, &table.name, start));
            }
            let brace = || start + text[start..].find('{').map_or(0, |at| at + 1);
            ends.push(end.unwrap_or_else(|| brace() as u32));
            rows.push(RawRow { raw: Span::new(start, start + whole.len()), next: next as u32 });
        }
        Ok(())
    }

    fn source(&self) -> &str {
        &self.table.name
    }

    fn text(&self) -> Result<&str, Error> {
        self.block.text(&self.table.name)
    }

    fn rows(&self) -> usize {
        self.found.rows.len()
    }

    fn take<'c>(&'c self, text: &'c str, range: Range<usize>, into: &mut Rows<'c>) {
        let Found { values, columns, has_escapes, .. } = &self.found;
        let count = self.table.keys.count();
        let values = &values[range.start * count..range.end * count];
        into.begin(range.clone(), count);
        let bytes = text.as_bytes();
        for column in columns {
            let taken = &mut into.columns[*column];
            (taken.text, taken.own) = (text, None);
            taken.spans.clear();
            taken.forms.clear(range.len());
            taken.special.clear(range.len());
            let mut is_escaped = false;
            for (row, value) in values.chunks_exact(count).map(|row| row[*column]).enumerate() {
                let span = match value.bytes(bytes) {
                    [b'"', inner @ .., _] => {
                        // What is not an escape needs none.
                        if *has_escapes && memchr::memchr(b'\\', inner).is_some() {
                            is_escaped = true;
                            taken.special.set(row);
                        }
                        value.part(1, value.width() - 1)
                    }
                    [b'{' | b'[', ..] => {
                        taken.special.set(row);
                        value
                    }
                    b"null" => Span { start: value.start, end: value.start },
                    _ => value,
                };
                if !span.bytes(bytes).is_ascii() {
                    taken.forms.set(row, Form::of(span.text(text)));
                }
                taken.spans.push(span);
            }
            if is_escaped {
                write_anew(taken, text);
            }
        }
    }

    fn cell<'c>(&'c self, text: &'c str, row: usize, column: usize) -> Cell<'c> {
        let value = self.span(row, column).text(text);
        match (kind(value), value.as_bytes()) {
            (CellKind::Nothing, _) => Cell::NOTHING,
            (CellKind::Text, [_, inner @ .., _]) if memchr::memchr(b'\\', inner).is_none() => {
                Cell::new(CellKind::Text, &value[1..value.len() - 1])
            }
            // What stands for no text was refused.
            (CellKind::Text, _) => Cell::new(CellKind::Text, unescaped(value).unwrap_or_default()),
            (kind, _) => Cell::new(kind, value),
        }
    }

    fn ragged(&self, _: Range<usize>) -> &[(u32, u32)] {
        &[]
    }

    fn line(&self, row: usize, from: &mut LineCount) -> u64 {
        let at = self.found.rows.get(row).map_or(0, |row| row.raw.start as usize);
        self.block.line(at, from)
    }

    fn raw(&self) -> Option<RawRows<'_>> {
        let Found { rows, has_gaps, .. } = &self.found;
        Some(RawRows { rows, start: 0, has_gaps: *has_gaps, delimiter: None, cells: self })
    }

    fn size(&self) -> usize {
        self.block.bytes.len()
    }
}

/// What a value is, as it is written.
pub fn kind(value: &str) -> CellKind {
    match value.as_bytes() {
        [] | b"null" => CellKind::Nothing,
        [b'"', ..] => CellKind::Text,
        b"true" | b"false" => CellKind::Truth,
        [b'{' | b'[', ..] => CellKind::Nested,
        _ => CellKind::Number,
    }
}

impl RawCells for JsonLinesChunk {
    fn cell(&self, row: usize, column: usize) -> Span {
        self.span(row, column)
    }

    fn end(&self, row: usize) -> usize {
        self.found.ends.get(row).map_or(0, |end| *end as usize)
    }
}

/// What is wrong with a line that is an object.
enum Wrong {
    /// A text stands for none, at a byte of the line.
    Escape(usize),
    /// The name of a member has not come before.
    Late(String),
    /// The name of a member comes twice.
    Doubled(String),
}

impl Wrong {
    #[cold]
    fn error(self, block: &Block, name: &str, start: usize) -> Error {
        let (name, line) = (name.to_owned(), block.line(start, &mut LineCount::default()));
        match self {
            Wrong::Escape(at) => {
                let why = "half of a character is written as an escape, without its other half".to_owned();
                broken(block, &name, start, NoObject { at, why })
            }
            Wrong::Late(key) => Error::LateKey { name, line, key },
            Wrong::Doubled(key) => Error::DoubledKey { name, line, key },
        }
    }
}

/// Writes the values of a column one after the other, with what escapes stand for.
#[cold]
fn write_anew(values: &mut Values, text: &str) {
    let mut own = Buffer::default();
    for (row, span) in values.spans.iter_mut().enumerate() {
        let (start, value) = (own.width(), span.text(text));
        // What is between its quotes has a backslash only as part of an escape.
        let is_text = span.start > 0 && text.as_bytes()[span.start as usize - 1] == b'"';
        match value.contains('\\') && is_text {
            true => {
                let quoted = &text[span.start as usize - 1..span.end as usize + 1];
                let value = unescaped(quoted).unwrap_or_default();
                values.forms.set(row, Form::of(&value));
                own.extend(value.as_bytes());
            }
            false => own.extend(value.as_bytes()),
        }
        *span = Span::new(start, own.width());
    }
    values.own = Some(own);
}
