use std::borrow::Cow;

use keen_notch_core::batch::{Buffer, Mask, Span, Writer};
use keen_notch_core::carving::OutColumn;
use keen_notch_core::column::Header;

use pulp::{Arch, Simd, WithSimd};

use crate::Error;
use crate::encode::EncoderRequest;
use crate::encode::rows::OutRows;
use crate::encode::{Encodable, Encoder, Extend, MOST_HELD, Out, OutputSchema, TextOptions, lists};
use crate::formats::delimited::DelimitedText;
use crate::formats::delimited::Preamble;
use crate::formats::delimited::cell::{push_cell, push_quoted};
use crate::formats::delimited::record::{Cells, Record, is_in_quotes, needs_quotes, value};
use crate::source::Format;
use crate::source::{RawRow, RawRows};

pub struct DelimitedEncoder {
    delimiter: u8,
    read: Option<u8>,
    preamble: Preamble,
    has_header: bool,
    /// Whether all new cells are quoted, and whether all cells are.
    quotes_new: bool,
    quote_all: bool,
    header: Header,
    shape: OutputSchema,
    /// The number of columns to append to the raw row, for chunks with the output delimiter. `None` to write every row cell by cell.
    appended: Option<usize>,
    /// Whether a piece can contain bytes that need quotes although its values do not.
    adds_special: Vec<bool>,
}

struct CellColumn<'b> {
    source: Cow<'b, [u8]>,
    spans: Cow<'b, [Span]>,
    of: CellsOf,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum CellsOf {
    Table,
    Values,
    Piece(usize),
    Input,
    Lists,
}

struct WriteContext<'b> {
    out: OutRows,
    /// The position of each row in the text; empty for a table in another format.
    rows: Vec<RawRow>,
    /// The delimiter of the chunk. Inputs of a run can have different delimiters.
    read: Option<u8>,
    /// The number of columns to append to the raw row, or `None` to write cell by cell.
    appended: Option<usize>,
    columns: Vec<CellColumn<'b>>,
    careful: Mask,
}

impl DelimitedEncoder {
    /// Encodes rows of a table with this header. `read` is the input delimiter for delimited text. `delimiter` is the output delimiter,
    /// unless the options give another.
    pub fn new(
        read: Option<u8>,
        delimiter: u8,
        preamble: Preamble,
        options: TextOptions,
        header: Header,
        shape: OutputSchema,
    ) -> DelimitedEncoder {
        let delimiter = options.delimiter.unwrap_or(delimiter);
        let quote_all = options.quote_all;
        let is_special = |byte: u8| byte == delimiter || matches!(byte, b'"' | b'\n' | b'\r');
        let adds_special = shape.pieces.iter().map(|piece| (0..=127u8).any(|byte| is_special(byte) && piece.adds.has(byte)));
        let adds_special = adds_special.collect();
        let appends = read == Some(delimiter) && !quote_all && shape.keeps_all && shape.kept() == header.count();
        let appended = appends.then(|| shape.columns.len() - shape.kept());
        let has_header = options.header.unwrap_or(header.names().is_some());
        let quotes_new = quote_all || preamble.quotes_all;
        let preamble = Preamble { byte_order_mark: preamble.byte_order_mark || options.byte_order_mark, ..preamble };
        DelimitedEncoder { delimiter, read, preamble, has_header, quotes_new, quote_all, header, shape, appended, adds_special }
    }

    /// The encoder for an output. Delimited input keeps its delimiter, unless the extension of the output has another one.
    pub fn for_output(asked: EncoderRequest) -> DelimitedEncoder {
        let EncoderRequest { read, kind, options, header, shape, .. } = asked;
        let (header, shape) = (header.clone(), shape.clone());
        let Some(DelimitedText { dialect, preamble }) = read.and_then(Format::get) else {
            let preamble = Preamble { line_end: "\n".to_owned(), ended: true, ..Preamble::default() };
            return DelimitedEncoder::new(None, kind.only_delimiter().unwrap_or(b','), preamble, options, header, shape);
        };
        let delimiter = kind.other_delimiter(dialect.delimiter).unwrap_or(dialect.delimiter);
        let preamble = if shape.sets_aside { preamble.for_offcuts() } else { preamble.clone() };
        DelimitedEncoder::new(Some(dialect.delimiter), delimiter, preamble, options, header, shape)
    }

    fn columns(&self, appended: Option<usize>) -> &[OutColumn] {
        match appended {
            Some(count) => &self.shape.columns[self.shape.columns.len() - count..],
            None => &self.shape.columns,
        }
    }

    fn written<'b>(&self, input: &'b Encodable, raw: Option<&RawRows<'b>>) -> WriteContext<'b> {
        let out = OutRows::new(input, &self.shape);
        let count = out.count();
        let column = |column: &OutColumn| match (*column, raw) {
            (OutColumn::Original(column), Some(raw)) => {
                let spans = (0..count).map(|index| raw.cells.cell(out.number(index, input), column)).collect();
                CellColumn { source: Cow::Borrowed(input.text.as_bytes()), spans, of: CellsOf::Table }
            }
            (OutColumn::Original(column), None) => {
                let (mut source, mut spans) = (Vec::new(), Vec::with_capacity(count));
                for index in 0..count {
                    let start = source.len();
                    source.extend_from_slice(input.chunk.cell(input.text, out.number(index, input), column).text.as_bytes());
                    spans.push(Span::new(start, source.len()));
                }
                CellColumn { source: Cow::Owned(source), spans: Cow::Owned(spans), of: CellsOf::Values }
            }
            (OutColumn::OfInput(text), _) => {
                let text = input.chunk.of_input(text);
                let spans = Cow::Owned(vec![Span::new(0, text.len()); count]);
                CellColumn { source: Cow::Borrowed(text.as_bytes()), spans, of: CellsOf::Input }
            }
            (column @ (OutColumn::Faults | OutColumn::Compared | OutColumn::Reason), _) => {
                let (text, spans) = lists::lines(column, input, &out);
                CellColumn { source: Cow::Owned(text.into_bytes()), spans: Cow::Owned(spans), of: CellsOf::Lists }
            }
            (OutColumn::Piece { piece, result }, _) => {
                let (text, spans) = out.texts(input, &self.shape, piece, result);
                CellColumn { source: Cow::Borrowed(text.as_bytes()), spans, of: CellsOf::Piece(piece) }
            }
        };
        let read = raw.and_then(|raw| raw.delimiter);
        let appended = self.appended.filter(|_| read == Some(self.delimiter));
        let columns: Vec<CellColumn> = self.columns(appended).iter().map(column).collect();
        let rows = match raw {
            Some(raw) => (0..count).map(|index| raw.rows[out.number(index, input)]).collect(),
            None => vec![RawRow::default(); count],
        };
        let mut written = WriteContext { out, rows, read, appended, columns, careful: Mask::default() };
        self.find_careful(input, &mut written);
        written
    }

    fn find_careful(&self, input: &Encodable, written: &mut WriteContext) {
        let WriteContext { out, columns, careful, read, .. } = written;
        let keeps_cells = *read == Some(self.delimiter);
        let count = out.count();
        careful.clear(count);
        if self.quote_all {
            careful.fill(count);
            return;
        }
        let mut special = Mask::default();
        for column in &*columns {
            let needs = |row: &usize| needs_quotes(column.spans[*row].bytes(&column.source), self.delimiter);
            match column.of {
                CellsOf::Table if keeps_cells => {}
                CellsOf::Table => {
                    // A cell that begins with a quote can end before its last quote.
                    let needs = |row: &usize| {
                        let cell = column.spans[*row].bytes(&column.source);
                        cell.contains(&self.delimiter) || (cell.starts_with(b"\"") && !is_in_quotes(cell))
                    };
                    (0..count).filter(needs).for_each(|row| careful.set(row));
                }
                CellsOf::Input if needs_quotes(&column.source, self.delimiter) => careful.fill(count),
                CellsOf::Input => {}
                CellsOf::Piece(piece) if keeps_cells && !self.adds_special[piece] => {
                    special.clear(input.rows.len());
                    for source in &self.shape.pieces[piece].sources {
                        special.add(&input.rows.columns[*source].special);
                    }
                    if !special.is_none() {
                        let is_special = |row: &usize| special.has(out.row(*row));
                        (0..count).filter(is_special).filter(needs).for_each(|row| careful.set(row));
                    }
                }
                CellsOf::Piece(_) | CellsOf::Values | CellsOf::Lists => {
                    (0..count).filter(needs).for_each(|row| careful.set(row))
                }
            }
        }
        if let ([column], 1) = (columns.as_slice(), self.shape.columns.len()) {
            (0..count).filter(|row| column.spans[*row].is_empty()).for_each(|row| careful.set(row));
        }
        let ragged = input.chunk.ragged(input.range.clone());
        if !ragged.is_empty() {
            let is_ragged = |row: &usize| {
                let number = out.number(*row, input) as u32;
                ragged.binary_search_by_key(&number, |(row, _)| *row).is_ok()
            };
            (0..count).filter(is_ragged).for_each(|row| careful.set(row));
        }
    }

    // A separate function, so that the loops keep their variables in registers.
    #[inline(never)]
    fn write_plainly(&self, input: &Encodable, rows: &WriteContext, range: std::ops::Range<usize>, out: &mut Out) {
        let text = input.text.as_bytes();
        let raws = &rows.rows[range.clone()];
        let raw = raws.iter().map(|row| (row.next - row.raw.start) as usize + self.preamble.line_end.len()).sum::<usize>();
        let wide = |column: &CellColumn| column.spans[range.clone()].iter().map(|span| span.width() + 3).sum::<usize>();
        let all = raw + rows.columns.iter().map(wide).sum::<usize>();
        if all > MOST_HELD {
            // Long rows are flushed in parts.
            range.for_each(|index| self.write_carefully(input, rows, index, out));
            return;
        }
        let writer = out.buffer.writer(all);
        let is_appended = rows.appended.is_some();
        let plain = |column: &'_ CellColumn<'_>| self.quotes_new && column.of != CellsOf::Table;
        let columns: Vec<PlainColumn> =
            rows.columns.iter().map(|column| (&*column.source, &column.spans[range.clone()], plain(column))).collect();
        let (before, after) = if is_appended { (&[][..], &columns[..]) } else { columns.split_at(columns.len().min(1)) };
        let first = range.start;
        Arch::new().dispatch(WritePlainly { encoder: self, text, rows, raws, first, before, after, writer });
    }

    /// The line end of an output row: that of its input row, but at least one between two results of a row.
    #[inline(always)]
    fn line_end_of<'a>(&'a self, row: &RawRow, rows: &WriteContext, index: usize, text: &'a [u8]) -> &'a [u8] {
        let own = row.line_end().bytes(text);
        let is_lacking = own.is_empty() && (rows.read.is_none() || rows.out.is_repeated(index) || self.shape.sets_aside);
        if is_lacking { self.preamble.line_end.as_bytes() } else { own }
    }

    fn write_carefully(&self, input: &Encodable, rows: &WriteContext, index: usize, out: &mut Out) {
        let text = input.text.as_bytes();
        let row = rows.rows[index];
        let number = rows.out.number(index, input);
        let ragged = input.chunk.ragged(number..number + 1);
        let table_columns = self.header.count();
        let cells = ragged.first().map_or(table_columns, |(_, cells)| *cells as usize);
        if rows.appended.is_some() {
            out.extend(row.raw.bytes(text));
            // A row that is too short gets blank cells, so that the pieces are in their columns.
            let added = if self.shape.sets_aside { 0 } else { table_columns.saturating_sub(cells) };
            (0..added).for_each(|_| out.extend(&[self.delimiter]));
        }
        // Surplus cells have no column, but must be kept: in front of the reason for a row that is set aside.
        let surplus = |out: &mut Out| {
            let Some(raw) = self.raw(input).filter(|_| rows.appended.is_none() && self.shape.keeps_all) else { return };
            for column in table_columns..cells {
                out.extend(&[self.delimiter]);
                self.push_raw(out, raw.cells.cell(number, column).bytes(text), rows.read);
            }
        };
        for (place, column) in rows.columns.iter().enumerate() {
            if self.shape.sets_aside && place + 1 == rows.columns.len() {
                surplus(out);
            }
            if rows.appended.is_some() || place > 0 {
                out.extend(&[self.delimiter]);
            }
            let bytes = column.spans[index].bytes(&column.source);
            match column.of {
                CellsOf::Piece(_) | CellsOf::Input | CellsOf::Values | CellsOf::Lists => self.push_new(out, bytes),
                CellsOf::Table => self.push_raw(out, bytes, rows.read),
            }
        }
        if !self.shape.sets_aside {
            surplus(out);
        }
        if let ([column], 1) = (rows.columns.as_slice(), self.shape.columns.len())
            && column.spans[index].is_empty()
            && (!self.quotes_new || (column.of == CellsOf::Table && !self.quote_all))
        {
            out.extend(b"\"\"");
        }
        out.extend(self.line_end_of(&row, rows, index, text));
    }

    fn push_raw(&self, out: &mut impl Extend, bytes: &[u8], read: Option<u8>) {
        if !self.quote_all && read == Some(self.delimiter) || is_in_quotes(bytes) {
            return out.extend(bytes);
        }
        // Text after a closing quote would be read differently with another delimiter.
        let unquoted = str::from_utf8(bytes).ok().filter(|cell| cell.starts_with('"')).map(value);
        let bytes = unquoted.as_ref().map_or(bytes, |value| value.as_bytes());
        if self.quote_all {
            push_quoted(out, bytes);
        } else {
            push_cell(out, bytes, self.delimiter);
        }
    }

    fn push_new(&self, out: &mut impl Extend, bytes: &[u8]) {
        if self.quotes_new {
            push_quoted(out, bytes);
        } else {
            push_cell(out, bytes, self.delimiter);
        }
    }

    fn raw<'b>(&self, input: &'b Encodable) -> Option<RawRows<'b>> {
        input.chunk.raw().filter(|raw| raw.delimiter.is_some())
    }

    fn write(&self, input: &Encodable, rows: &WriteContext, range: std::ops::Range<usize>, out: &mut Out) {
        let mut next = range.start;
        for careful in rows.careful.iter().skip_while(|row| *row < range.start).take_while(|row| *row < range.end) {
            self.write_plainly(input, rows, next..careful, out);
            self.write_carefully(input, rows, careful, out);
            next = careful + 1;
        }
        self.write_plainly(input, rows, next..range.end, out);
    }
}

type PlainColumn<'a> = (&'a [u8], &'a [Span], bool);

struct WritePlainly<'a, 'w> {
    encoder: &'a DelimitedEncoder,
    text: &'a [u8],
    rows: &'a WriteContext<'a>,
    raws: &'a [RawRow],
    first: usize,
    before: &'a [PlainColumn<'a>],
    after: &'a [PlainColumn<'a>],
    writer: Writer<'w>,
}

impl WithSimd for WritePlainly<'_, '_> {
    type Output = ();

    #[inline(always)]
    fn with_simd<S: Simd>(self, _: S) {
        let WritePlainly { encoder, text, rows, raws, first, before, after, mut writer } = self;
        let (is_appended, delimiter) = (rows.appended.is_some(), encoder.delimiter);
        for (index, row) in raws.iter().enumerate() {
            if is_appended {
                writer.extend(row.raw.bytes(text));
            }
            for (source, spans, is_quoted) in before {
                let quotes = usize::from(*is_quoted);
                writer.fill(b'"', quotes);
                writer.extend(spans[index].bytes(source));
                writer.fill(b'"', quotes);
            }
            for (source, spans, is_quoted) in after {
                if *is_quoted {
                    writer.fill(delimiter, 1);
                    writer.cell(b'"', source, spans[index]);
                    writer.fill(b'"', 1);
                } else {
                    writer.cell(delimiter, source, spans[index]);
                }
            }
            writer.line_end(encoder.line_end_of(row, rows, first + index, text));
        }
        writer.finish();
    }
}

impl Encoder for DelimitedEncoder {
    fn begin(&self, out: &mut Buffer) -> bool {
        let DelimitedEncoder { preamble, shape, delimiter, .. } = self;
        if preamble.byte_order_mark {
            out.extend("\u{feff}".as_bytes());
        }
        if self.read == Some(*delimiter) {
            out.extend(preamble.separator.as_bytes());
        }
        let had_header = self.header.names().is_some();
        if !self.has_header {
            // A chunk of empty lines.
            if self.appended.is_some() && !had_header {
                out.extend(preamble.header.as_bytes());
            }
            return true;
        }
        let added = match self.appended.filter(|_| had_header && shape.renamed.is_empty()) {
            Some(count) => {
                out.extend(preamble.header.as_bytes());
                count
            }
            None => shape.columns.len(),
        };
        let mut cells = Cells::default();
        let record = self.read.filter(|_| had_header).map(|read| Record::read(preamble.header_row(), 0, read, &mut cells));
        let first = shape.columns.len() - added;
        for (index, (column, title)) in shape.columns.iter().zip(&shape.titles).enumerate().skip(first) {
            if index > 0 {
                out.push(*delimiter);
            }
            match (column, &record) {
                (OutColumn::Original(index), Some(record)) if !shape.renamed.contains(index) => {
                    self.push_raw(out, record.raw_cell(*index).as_bytes(), self.read)
                }
                _ => self.push_new(out, title.as_bytes()),
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

    fn held_columns(&self) -> usize {
        self.columns(self.appended).len()
    }

    fn encode(&self, input: &Encodable, out: &mut Out) -> Result<(), Error> {
        let raw = self.raw(input);
        let rows = self.written(input, raw.as_ref());
        match raw {
            Some(raw) if raw.has_gaps && rows.appended.is_some() && !self.shape.sets_aside => {
                rows.out.with_gaps(input, &raw, out, |range, out| self.write(input, &rows, range, out));
            }
            _ => self.write(input, &rows, 0..rows.rows.len(), out),
        }
        Ok(())
    }

    fn is_complete(&self, written: &[u8]) -> bool {
        written.last().is_none_or(|last| *last == b'\n')
    }
}
