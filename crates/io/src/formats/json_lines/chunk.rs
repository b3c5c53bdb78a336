//! A chunk of JSON Lines, whose members are found by parsing.

use std::collections::HashSet;
use std::ops::Range;
use std::sync::{Arc, Mutex};

use keen_notch_core::batch::{Buffer, Span};
use keen_notch_core::text::characters::Form;

use crate::Error;
use crate::formats::json_lines::keys::{Keys, PathMembers};
use crate::formats::json_lines::line::{self, NoObject, members};
use crate::pool::lock;
use crate::source::blocks::{Block, LONG, lines};
use crate::source::{Cell, CellKind, Chunk, LineCount, RawCells, RawRow, RawRows, Reading, Rows, Values};

pub struct JsonLinesChunk {
    block: Block,
    table: Arc<ChunkContext>,
    found: ChunkMembers,
}

impl Drop for JsonLinesChunk {
    fn drop(&mut self) {
        // The memory of very long lines is not kept.
        if self.block.bytes().len() <= LONG {
            lock(&self.table.spare).push(std::mem::take(&mut self.found));
        }
    }
}

pub struct ChunkContext {
    pub name: String,
    keys: Keys,
    /// Whether the lines come from an array, whose blank lines are not kept.
    is_array: bool,
    /// Whether a member that is not a column is an error.
    all_columns: bool,
    max_row: usize,
    /// Memory to reuse, because new memory costs more than writing.
    spare: Mutex<Vec<ChunkMembers>>,
}

impl ChunkContext {
    pub fn new(name: String, keys: Keys, is_array: bool, reading: &Reading) -> ChunkContext {
        let (all_columns, max_row) = (reading.all_columns, reading.max_row);
        ChunkContext { name, keys, is_array, all_columns, max_row, spare: Mutex::default() }
    }
}

/// Rows are sparse if they have fewer than one in this many of the requested values.
const SPARSE: usize = 4;

#[derive(Default)]
struct ChunkMembers {
    rows: Vec<RawRow>,
    members: Vec<Member>,
    /// The index of the first member of each row, and the number of members at the end.
    first_members: Vec<u32>,
    /// For each row, the byte after its last value.
    ends: Vec<u32>,
    has_gaps: bool,
    has_escapes: bool,
    columns: Vec<usize>,
    last_lines: Vec<u64>,
    lines: u64,
}

#[derive(Debug, Clone, Copy)]
struct Member {
    column: u32,
    value: Span,
}

impl ChunkMembers {
    fn members(&self, rows: Range<usize>) -> &[Member] {
        let first = |row: usize| self.first_members.get(row).map_or(0, |first| *first as usize);
        self.members.get(first(rows.start)..first(rows.end)).unwrap_or_default()
    }

    fn value(&self, row: usize, column: usize) -> Span {
        let members = self.members(row..row + 1);
        let of_column = match members.get(column) {
            // Most rows have all columns.
            Some(member) if member.column as usize == column => Some(member),
            _ => {
                let place = members.binary_search_by_key(&column, |member| member.column as usize);
                place.ok().and_then(|place| members.get(place))
            }
        };
        of_column.map(|member| member.value).unwrap_or_default()
    }
}

impl JsonLinesChunk {
    pub fn new(block: Block, table: Arc<ChunkContext>) -> JsonLinesChunk {
        let found = lock(&table.spare).pop().unwrap_or_default();
        JsonLinesChunk { block, table, found }
    }
}

impl ChunkMembers {
    fn begin(&mut self, columns: &[usize], keys: usize) {
        self.last_lines.resize(keys, 0);
        self.rows.clear();
        self.members.clear();
        self.first_members.clear();
        self.first_members.push(0);
        self.ends.clear();
        self.columns.clear();
        self.columns.extend_from_slice(columns);
        self.has_gaps = false;
    }
}

#[cold]
pub fn broken(block: &Block, name: &str, start: usize, NoObject { at, why }: NoObject) -> Error {
    let before = String::from_utf8_lossy(&block.bytes()[start..start + at]);
    let line = block.line(start, &mut LineCount::default());
    Error::NoObject { name: name.to_owned(), line, character: before.chars().count() + 1, why }
}

fn controls(bytes: &[u8]) -> u64 {
    // The compiler vectorises sums of bytes.
    let stretch = |bytes: &[u8]| u64::from(bytes.iter().map(|byte| u8::from(*byte < 0x20)).sum::<u8>());
    bytes.chunks(u8::MAX as usize).map(stretch).sum()
}

/// Adds the values of paths to the members of a row, which begin at `first`. Returns the byte of a value that is not valid text.
fn take_paths(text: &str, paths: &[PathMembers], first: usize, known: &mut Vec<Member>) -> Option<usize> {
    let of_row = known.len();
    for PathMembers { column, members } in paths {
        let value = known.get(first..of_row).and_then(|of_row| at_path(text, of_row, members));
        known.extend(value.map(|value| Member { column: *column as u32, value }));
        if let Some(value) = value.filter(|value| is_escaped(text, *value) && unescaped(value.text(text)).is_none()) {
            return Some(value.start as usize);
        }
    }
    None
}

fn at_path(text: &str, of_row: &[Member], members: &[(usize, &str)]) -> Option<Span> {
    members.iter().find_map(|(column, rest)| {
        let place = of_row.binary_search_by_key(column, |member| member.column as usize).ok()?;
        let whole = of_row.get(place)?.value;
        let nested = Some(whole.text(text)).filter(|nested| nested.starts_with(['{', '[']))?;
        let value = line::at_path(nested, rest)?;
        Some(whole.part(value.start, value.end))
    })
}

fn is_escaped(text: &str, value: Span) -> bool {
    let value = value.bytes(text.as_bytes());
    value.first() == Some(&b'"') && memchr::memchr(b'\\', value).is_some()
}

/// The text of a value; `None` if a string is not valid text.
fn unescaped(value: &str) -> Option<String> {
    serde_json::from_str(value).ok()
}

impl Chunk for JsonLinesChunk {
    fn open(&mut self, columns: &[usize]) -> Result<(), Error> {
        let JsonLinesChunk { block, table, found } = self;
        found.begin(columns, table.keys.count_with_paths());
        let paths: Vec<PathMembers> = columns.iter().filter_map(|column| table.keys.members_of_path(*column)).collect();
        let ChunkMembers {
            rows,
            members: known,
            first_members,
            ends,
            has_gaps,
            has_escapes,
            columns: taken,
            last_lines,
            lines: number,
        } = found;
        let text = block.text(&table.name)?;
        let mut at = 0;
        let mut late: HashSet<String> = HashSet::new();
        // Tabs and carriage returns between values are rare.
        let has_controls = controls(text.as_bytes()) != lines(text.as_bytes());
        *has_escapes = memchr::memchr(b'\\', text.as_bytes()).is_some();
        for line in memchr::memchr_iter(b'\n', text.as_bytes()).map(|end| end + 1).chain([text.len()]) {
            let (start, next) = (at, line);
            at = next;
            let whole = text[start..next].strip_suffix('\n').unwrap_or(&text[start..next]);
            let whole = whole.strip_suffix('\r').unwrap_or(whole);
            if whole.trim_ascii().is_empty() {
                *has_gaps |= start < next && !table.is_array;
                continue;
            }
            if whole.len() > table.max_row {
                let line = block.line(start, &mut LineCount::default());
                return Err(Error::RowTooLong { name: table.name.clone(), line, limit: table.max_row });
            }
            let first = known.len();
            *number += 1;
            late.clear();
            let (mut expected, mut end, mut wrong, mut is_in_order) = (0, None, None, true);
            let seen = members(whole, has_controls, |key, value| {
                let span = Span { start: start as u32 + value.start, end: start as u32 + value.end };
                end = Some(span.end);
                let is_doubled = match table.keys.column(key.text(), expected) {
                    Some(column) => {
                        is_in_order &= column >= expected;
                        expected = column + 1;
                        let is_doubled = std::mem::replace(&mut last_lines[column], *number) == *number;
                        known.push(Member { column: column as u32, value: span });
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
                    None => !late.insert(key.text().to_owned()),
                };
                if is_doubled {
                    wrong = wrong.take().or_else(|| Some(Wrong::Doubled(key.text().to_owned())));
                }
            });
            seen.map_err(|no_object| broken(block, &table.name, start, no_object))?;
            if let Some(wrong) = wrong {
                return Err(wrong.error(block, &table.name, start));
            }
            if !is_in_order {
                known[first..].sort_unstable_by_key(|member| member.column);
            }
            if let Some(at) = take_paths(text, &paths, first, known) {
                return Err(Wrong::Escape(at - start).error(block, &table.name, start));
            }
            first_members.push(known.len() as u32);
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

    fn cells_of_row(&self, columns: usize) -> usize {
        let of_row = self.found.members.len() / self.rows().max(1) + 1;
        if of_row * SPARSE < columns { of_row } else { columns }
    }

    fn take<'c>(&'c self, text: &'c str, range: Range<usize>, into: &mut Rows<'c>) {
        let found = &self.found;
        into.begin(range.clone(), &found.columns);
        if found.members(range.clone()).len() * SPARSE < found.columns.len() * range.len() {
            return self.take_sparse(text, range, into);
        }
        for column in &found.columns {
            let taken = &mut into.columns[*column];
            taken.begin(text, range.len());
            let mut is_escaped = false;
            for (row, of_chunk) in range.clone().enumerate() {
                is_escaped |= put(taken, row, found.value(of_chunk, *column), text, found.has_escapes);
            }
            if is_escaped {
                write_anew(taken, text);
            }
        }
    }

    fn cell<'c>(&'c self, text: &'c str, row: usize, column: usize) -> Cell<'c> {
        let value = self.found.value(row, column).text(text);
        match (kind(value), value.as_bytes()) {
            (CellKind::Nothing, _) => Cell::NOTHING,
            (CellKind::Text, [_, inner @ .., _]) if memchr::memchr(b'\\', inner).is_none() => {
                Cell::new(CellKind::Text, &value[1..value.len() - 1])
            }
            // Invalid text was rejected before.
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
        let ChunkMembers { rows, has_gaps, .. } = &self.found;
        Some(RawRows { rows, start: 0, has_gaps: *has_gaps, delimiter: None, cells: self })
    }

    fn size(&self) -> usize {
        self.block.bytes().len()
    }
}

pub fn kind(value: &str) -> CellKind {
    match value.as_bytes() {
        [] | b"null" => CellKind::Nothing,
        [b'"', ..] => CellKind::Text,
        b"true" | b"false" => CellKind::Truth,
        [b'{' | b'[', ..] => CellKind::Nested,
        _ => CellKind::Number,
    }
}

impl JsonLinesChunk {
    /// Takes the values of sparse rows. The cost depends on the number of values, not of columns.
    fn take_sparse<'c>(&'c self, text: &'c str, range: Range<usize>, into: &mut Rows<'c>) {
        let found = &self.found;
        found.columns.iter().for_each(|column| into.columns[*column].begin_without_values(text, range.len()));
        let mut escaped: Vec<usize> = Vec::new();
        for (row, of_chunk) in range.clone().enumerate() {
            for Member { column, value } in found.members(of_chunk..of_chunk + 1) {
                let column = *column as usize;
                // Skip columns that were not requested.
                let taken = into.columns.get_mut(column).filter(|taken| taken.without_values > 0 || !taken.spans.is_empty());
                let Some(taken) = taken else { continue };
                if taken.without_values > 0 {
                    taken.begin(text, range.len());
                }
                if put(taken, row, *value, text, found.has_escapes) {
                    escaped.push(column);
                }
            }
        }
        escaped.sort_unstable();
        escaped.dedup();
        escaped.iter().for_each(|column| write_anew(&mut into.columns[*column], text));
    }
}

/// Stores the value of a row without its quotes. Returns whether it has escapes, for [`write_anew`].
#[inline]
fn put(taken: &mut Values, row: usize, value: Span, text: &str, has_escapes: bool) -> bool {
    let bytes = text.as_bytes();
    let mut is_escaped = false;
    let span = match value.bytes(bytes) {
        [b'"', inner @ .., _] => {
            // Only strings with escapes contain a backslash.
            if has_escapes && memchr::memchr(b'\\', inner).is_some() {
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
    taken.spans[row] = span;
    is_escaped
}

impl RawCells for JsonLinesChunk {
    fn cell(&self, row: usize, column: usize) -> Span {
        self.found.value(row, column)
    }

    fn end(&self, row: usize) -> usize {
        self.found.ends.get(row).map_or(0, |end| *end as usize)
    }
}

enum Wrong {
    Escape(usize),
    Late(String),
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

/// Writes the values of a column with escapes resolved.
#[cold]
fn write_anew(values: &mut Values, text: &str) {
    let mut own = Buffer::default();
    for (row, span) in values.spans.iter_mut().enumerate() {
        let (start, value) = (own.width(), span.text(text));
        // A backslash inside quotes is always part of an escape.
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
