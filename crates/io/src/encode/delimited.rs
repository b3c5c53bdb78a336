//! Rows of delimited text: as they were read, with the pieces after them, or cell by cell.

use std::borrow::Cow;

use keen_notch_core::batch::{Buffer, Mask, Span, Writer};
use keen_notch_core::carving::OutColumn;
use keen_notch_core::column::Header;

use pulp::{Arch, Simd, WithSimd};

use super::cell::push_cell;
use super::{Encodable, Encoder, Extend, MOST_HELD, Out, Shape};
use crate::source::delimited::record::{Cells, Record, needs_quotes};
use crate::source::delimited::{Dialect, Preamble};
use crate::source::{Chunk, RawRow, RawRows};

/// Writes rows of delimited text.
pub struct Delimited {
    /// What is between two cells that are written.
    delimiter: u8,
    /// What was between two that were read.
    read: u8,
    preamble: Preamble,
    header: Header,
    shape: Shape,
    /// How many columns are written after the row as it was read; `None` where rows are written cell by cell.
    appended: Option<usize>,
    /// Whether a piece may have bytes that need quotes though its values have none.
    adds_special: Vec<bool>,
}

/// A column of the output: where its cells are.
struct Column<'b> {
    source: &'b [u8],
    /// By output row.
    spans: Cow<'b, [Span]>,
    of: CellsOf,
}

/// What the cells of an output column are.
#[derive(Clone, Copy, PartialEq, Eq)]
enum CellsOf {
    /// Cells of the table, as they were read.
    Table,
    /// Results of a piece.
    Piece(usize),
    /// What the rows were read from.
    Source,
}

/// The rows to be written.
struct OutRows<'b> {
    rows: Vec<RawRow>,
    /// For each, the row of the batch, where that is not its own index.
    of: Option<&'b [u32]>,
    columns: Vec<Column<'b>>,
    /// Rows of which a cell needs quotes, or that lack cells or have too many.
    careful: Mask,
    /// For each row, whether the next is another result of the same.
    is_repeated: Option<Vec<bool>>,
}

impl Delimited {
    /// Writes rows of a table with this header, as the shape says, with another delimiter than they had if one is given.
    pub fn new(dialect: Dialect, delimiter: Option<u8>, preamble: Preamble, header: Header, shape: Shape) -> Delimited {
        let read = dialect.delimiter;
        let delimiter = delimiter.unwrap_or(read);
        let converts = delimiter != read;
        let is_special = |byte: u8| byte == delimiter || matches!(byte, b'"' | b'\n' | b'\r');
        let adds_special =
            shape.pieces.iter().map(|piece| converts || (0..=127u8).any(|byte| is_special(byte) && piece.adds.has(byte)));
        let adds_special = adds_special.collect();
        let appends = !converts && shape.keeps_all && shape.kept() == header.count();
        let appended = appends.then(|| shape.columns.len() - shape.kept());
        Delimited { delimiter, read, preamble, header, shape, appended, adds_special }
    }

    /// The columns that are written one by one.
    fn columns(&self) -> &[OutColumn] {
        match self.appended {
            Some(count) => &self.shape.columns[self.shape.columns.len() - count..],
            None => &self.shape.columns,
        }
    }

    /// The cells of the output, by column, and which rows they make careful.
    fn out_rows<'b>(&self, input: &'b Encodable, raw: &RawRows<'b>, of: &'b mut Vec<u32>) -> OutRows<'b> {
        let (rows, worked) = (input.rows, input.worked);
        // Which row of the batch each row of the output is of, and which result of the piece that gets a row a result.
        let mut items: Vec<Option<usize>> = Vec::new();
        let mut is_repeated = None;
        of.clear();
        match self.shape.rows_piece.map(|piece| worked.piece(piece)) {
            None => of.extend_from_slice(input.written.unwrap_or_default()),
            Some(results) => {
                let all: Vec<u32> = (0..rows.len() as u32).collect();
                let mut repeated = Vec::new();
                for row in input.written.unwrap_or(&all) {
                    let of_row = results.items(*row as usize);
                    let copies = of_row.len().max(1);
                    of.extend(std::iter::repeat_n(*row, copies));
                    items.extend((0..copies).map(|copy| of_row.clone().nth(copy)));
                    repeated.extend((0..copies).map(|copy| copy + 1 < copies));
                }
                is_repeated = Some(repeated);
            }
        }
        let of: Option<&[u32]> = (input.written.is_some() || self.shape.rows_piece.is_some()).then_some(of);
        let count = of.map_or(rows.len(), <[u32]>::len);
        let picked = |spans: &'b [Span]| match of {
            None => Cow::Borrowed(spans),
            Some(of) => Cow::Owned(of.iter().map(|row| spans[*row as usize]).collect()),
        };
        let row_of = |out: usize| of.map_or(out, |of| of[out] as usize);
        let column = |column: &OutColumn| match *column {
            OutColumn::Original(column) => {
                let cell = |row: usize| raw.cells.cell(rows.numbers[row_of(row)] as usize, column);
                let spans = Cow::Owned((0..count).map(cell).collect());
                Column { source: input.text.as_bytes(), spans, of: CellsOf::Table }
            }
            OutColumn::Source => {
                let name = input.chunk.source();
                let spans = Cow::Owned(vec![Span::new(0, name.len()); count]);
                Column { source: name.as_bytes(), spans, of: CellsOf::Source }
            }
            OutColumn::Piece { piece, result } => {
                let results = worked.piece(piece);
                let texts = input.carving.texts(piece, input.batch, worked);
                let spans = if self.shape.rows_piece == Some(piece) {
                    let span = |item: &Option<usize>| item.and_then(|item| texts.spans.get(item)).copied().unwrap_or_default();
                    Cow::Owned(items.iter().map(span).collect())
                } else if results.are_several() {
                    let span = |row: usize| {
                        let item = results.items(row_of(row)).nth(result);
                        item.and_then(|item| texts.spans.get(item)).copied().unwrap_or_default()
                    };
                    Cow::Owned((0..count).map(span).collect())
                } else if result > 0 {
                    Cow::Owned(vec![Span::default(); count])
                } else {
                    picked(texts.spans)
                };
                Column { source: texts.text.as_bytes(), spans, of: CellsOf::Piece(piece) }
            }
        };
        let columns: Vec<Column> = self.columns().iter().map(column).collect();
        let raw_row = |row: &u32| raw.rows[*row as usize];
        let raws = match of {
            None => rows.numbers.iter().map(raw_row).collect(),
            Some(of) => of.iter().map(|row| raw_row(&rows.numbers[*row as usize])).collect(),
        };
        let mut out = OutRows { rows: raws, of, columns, careful: Mask::default(), is_repeated };
        self.find_careful(input, &mut out);
        out
    }

    /// Finds the rows that need care.
    fn find_careful(&self, input: &Encodable, out: &mut OutRows) {
        let count = out.rows.len();
        let OutRows { of, columns, careful, .. } = out;
        careful.clear(count);
        let mut special = Mask::default();
        for column in &*columns {
            let piece = match column.of {
                CellsOf::Piece(piece) => piece,
                CellsOf::Table if self.delimiter == self.read => continue,
                CellsOf::Table => {
                    let has_delimiter = |row: &usize| column.spans[*row].bytes(column.source).contains(&self.delimiter);
                    (0..count).filter(has_delimiter).for_each(|row| careful.set(row));
                    continue;
                }
                CellsOf::Source => {
                    if needs_quotes(column.source, self.delimiter) {
                        careful.fill(count);
                    }
                    continue;
                }
            };
            let needs = |row: usize| needs_quotes(column.spans[row].bytes(column.source), self.delimiter);
            if self.adds_special[piece] {
                (0..count).filter(|row| needs(*row)).for_each(|row| careful.set(row));
                continue;
            }
            special.clear(input.rows.len());
            for source in &self.shape.pieces[piece].sources {
                special.add(&input.rows.columns[*source].special);
            }
            if !special.is_none() {
                let is_special = |row: &usize| special.has(of.map_or(*row, |of| of[*row] as usize));
                (0..count).filter(is_special).filter(|row| needs(*row)).for_each(|row| careful.set(row));
            }
        }
        if let ([column], 1) = (columns.as_slice(), self.shape.columns.len()) {
            // A line with nothing on it would be no row to most readers.
            (0..count).filter(|row| column.spans[*row].is_empty()).for_each(|row| careful.set(row));
        }
        let ragged = input.chunk.ragged(input.range.clone());
        if !ragged.is_empty() {
            for row in 0..count {
                let number = input.rows.numbers[of.map_or(row, |of| of[row] as usize)];
                if ragged.binary_search_by_key(&number, |(row, _)| *row).is_ok() {
                    careful.set(row);
                }
            }
        }
    }

    /// Writes rows none of whose cells needs quotes.
    // Compiled by itself: what its loops need then stays in registers.
    #[inline(never)]
    fn write_plainly(&self, input: &Encodable, rows: &OutRows, range: std::ops::Range<usize>, out: &mut Out) {
        let text = input.text.as_bytes();
        let raws = &rows.rows[range.clone()];
        let raw = raws.iter().map(|row| (row.next - row.raw.start) as usize + self.preamble.line_end.len()).sum::<usize>();
        let wide = |column: &Column| column.spans[range.clone()].iter().map(|span| span.width() + 1).sum::<usize>();
        let all = raw + rows.columns.iter().map(wide).sum::<usize>();
        if all > MOST_HELD {
            // Long rows are handed on bit by bit.
            range.for_each(|index| self.write_carefully(input, rows, index, out));
            return;
        }
        let writer = out.buffer.writer(all);
        let is_appended = self.appended.is_some();
        let columns: Vec<(&[u8], &[Span])> =
            rows.columns.iter().map(|column| (column.source, &column.spans[range.clone()])).collect();
        let (before, after) = if is_appended { (&[][..], &columns[..]) } else { columns.split_at(columns.len().min(1)) };
        let first = range.start;
        Arch::new().dispatch(WritePlainly { encoder: self, text, rows, raws, first, before, after, writer });
    }

    /// The line end of an output row: that of its row, and between two results of a row at least one.
    #[inline(always)]
    fn line_end_of<'a>(&'a self, row: &RawRow, rows: &OutRows, index: usize, text: &'a [u8]) -> &'a [u8] {
        let own = row.line_end().bytes(text);
        match &rows.is_repeated {
            Some(repeated) if own.is_empty() && repeated[index] => self.preamble.line_end.as_bytes(),
            _ => own,
        }
    }

    /// Writes a row of which cells may need quotes.
    fn write_carefully(&self, input: &Encodable, rows: &OutRows, index: usize, out: &mut Out) {
        let text = input.text.as_bytes();
        let row = rows.rows[index];
        let number = input.rows.numbers[rows.of.map_or(index, |of| of[index] as usize)];
        let ragged = input.chunk.ragged(number as usize..number as usize + 1);
        let table_columns = self.header.count();
        let cells = ragged.first().map_or(table_columns, |(_, cells)| *cells as usize);
        if self.appended.is_some() {
            out.extend(row.raw.bytes(text));
            // A row that is too short is filled up, so that the pieces are in their columns.
            (cells..table_columns).for_each(|_| out.extend(&[self.delimiter]));
        }
        for (place, column) in rows.columns.iter().enumerate() {
            if self.appended.is_some() || place > 0 {
                out.extend(&[self.delimiter]);
            }
            let bytes = column.spans[index].bytes(column.source);
            match column.of {
                CellsOf::Piece(_) | CellsOf::Source => push_cell(out, bytes, self.delimiter),
                CellsOf::Table => self.push_raw(out, bytes),
            }
        }
        if let (None, true, Some(raw)) = (self.appended, self.shape.keeps_all, input.chunk.raw()) {
            // Cells beyond the last column have no place, but must not be lost.
            for column in table_columns..cells {
                out.extend(&[self.delimiter]);
                self.push_raw(out, raw.cells.cell(number as usize, column).bytes(text));
            }
        }
        if let ([column], 1) = (rows.columns.as_slice(), self.shape.columns.len())
            && column.spans[index].is_empty()
        {
            out.extend(b"\"\"");
        }
        out.extend(self.line_end_of(&row, rows, index, text));
    }

    /// Writes a cell as it was read, in quotes where the delimiter that is written has come to be one.
    fn push_raw(&self, out: &mut impl Extend, bytes: &[u8]) {
        if self.delimiter != self.read && !bytes.starts_with(b"\"") {
            push_cell(out, bytes, self.delimiter);
        } else {
            out.extend(bytes);
        }
    }

    /// Writes output rows from one to another.
    fn write(&self, input: &Encodable, rows: &OutRows, range: std::ops::Range<usize>, out: &mut Out) {
        let mut next = range.start;
        for careful in rows.careful.iter().skip_while(|row| *row < range.start).take_while(|row| *row < range.end) {
            self.write_plainly(input, rows, next..careful, out);
            self.write_carefully(input, rows, careful, out);
            next = careful + 1;
        }
        self.write_plainly(input, rows, next..range.end, out);
    }

    /// Writes rows with what is between them that belongs to none.
    #[cold]
    fn write_with_gaps(&self, input: &Encodable, raw: &RawRows, rows: &OutRows, out: &mut Out) {
        let text = input.text.as_bytes();
        let mut next = 0;
        let number = |index: usize| input.rows.numbers[rows.of.map_or(index, |of| of[index] as usize)] as usize;
        let end_of = |row: usize| raw.rows.get(row).map_or(raw.start, |row| row.next as usize);
        for row in input.range.clone() {
            let before = row.checked_sub(1).map_or(raw.start, end_of);
            out.extend(text.get(before..raw.rows[row].raw.start as usize).unwrap_or_default());
            let first = next;
            while next < rows.rows.len() && number(next) == row {
                next += 1;
            }
            self.write(input, rows, first..next, out);
        }
        if input.range.end == raw.rows.len() {
            let last = input.range.end.checked_sub(1).map_or(raw.start, end_of);
            out.extend(text.get(last..).unwrap_or_default());
        }
    }
}

/// Rows none of whose cells needs quotes.
struct WritePlainly<'a, 'w> {
    encoder: &'a Delimited,
    text: &'a [u8],
    rows: &'a OutRows<'a>,
    raws: &'a [RawRow],
    /// The output row that is the first of them.
    first: usize,
    /// The column without a delimiter before it, and those with one.
    before: &'a [(&'a [u8], &'a [Span])],
    after: &'a [(&'a [u8], &'a [Span])],
    writer: Writer<'w>,
}

impl WithSimd for WritePlainly<'_, '_> {
    type Output = ();

    #[inline(always)]
    fn with_simd<S: Simd>(self, _: S) {
        let WritePlainly { encoder, text, rows, raws, first, before, after, mut writer } = self;
        let (is_appended, delimiter) = (encoder.appended.is_some(), encoder.delimiter);
        for (index, row) in raws.iter().enumerate() {
            if is_appended {
                writer.extend(row.raw.bytes(text));
            }
            for (source, spans) in before {
                writer.extend(spans[index].bytes(source));
            }
            for (source, spans) in after {
                writer.cell(delimiter, source, spans[index]);
            }
            writer.line_end(encoder.line_end_of(row, rows, first + index, text));
        }
        writer.finish();
    }
}

impl Encoder for Delimited {
    fn begin(&self, out: &mut Buffer) -> bool {
        let Delimited { preamble, shape, delimiter, .. } = self;
        if !shape.is_written {
            return true;
        }
        if preamble.byte_order_mark {
            out.extend("\u{feff}".as_bytes());
        }
        if matches!(self.header, Header::Unnamed(_)) {
            if self.appended.is_some() {
                out.extend(preamble.header.as_bytes());
            }
            return true;
        }
        match self.appended {
            Some(count) => {
                out.extend(preamble.header.as_bytes());
                for title in &shape.titles[shape.titles.len() - count..] {
                    out.push(*delimiter);
                    push_cell(out, title.as_bytes(), *delimiter);
                }
            }
            None => {
                let mut cells = Cells::default();
                let record = Record::read(preamble.header_row(), 0, self.read, &mut cells);
                for (index, (column, title)) in shape.columns.iter().zip(&shape.titles).enumerate() {
                    if index > 0 {
                        out.push(*delimiter);
                    }
                    match column {
                        OutColumn::Original(index) => self.push_raw(out, record.raw_cell(*index).as_bytes()),
                        OutColumn::Piece { .. } | OutColumn::Source => push_cell(out, title.as_bytes(), *delimiter),
                    }
                }
            }
        }
        if preamble.ended {
            out.extend(preamble.line_end.as_bytes());
        }
        preamble.ended
    }

    fn line_end(&self) -> &[u8] {
        self.preamble.line_end.as_bytes()
    }

    fn encode(&self, input: &Encodable, out: &mut Out) {
        let Some(raw) = input.chunk.raw().filter(|_| self.shape.is_written) else { return };
        let mut of = Vec::new();
        let rows = self.out_rows(input, &raw, &mut of);
        if raw.has_gaps && self.appended.is_some() {
            self.write_with_gaps(input, &raw, &rows, out);
        } else {
            self.write(input, &rows, 0..rows.rows.len(), out);
        }
    }

    fn is_complete(&self, written: &[u8]) -> bool {
        written.last().is_none_or(|last| *last == b'\n')
    }

    fn begin_aside(&self, out: &mut Buffer) {
        let Header::Names(names) = &self.header else { return };
        let why = ["why", "why_set_aside", "keen_notch_why"].into_iter().find(|name| !names.iter().any(|taken| taken == name));
        out.extend(self.preamble.header_row().as_bytes());
        out.push(self.read);
        push_cell(out, why.unwrap_or("why").as_bytes(), self.read);
        out.extend(self.line_end());
    }

    fn set_aside(&self, chunk: &dyn Chunk, text: &str, row: usize, why: &str, out: &mut Out) {
        let Some(row) = chunk.raw().and_then(|raw| raw.rows.get(row).copied()) else { return };
        out.extend(row.raw.bytes(text.as_bytes()));
        out.extend(&[self.read]);
        push_cell(out, why.as_bytes(), self.read);
        let line_end = row.line_end().bytes(text.as_bytes());
        out.extend(if line_end.is_empty() { self.line_end() } else { line_end });
    }
}
