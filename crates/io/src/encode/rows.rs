//! The output rows of a batch.

use std::borrow::Cow;
use std::ops::Range;

use keen_notch_core::batch::Span;
use keen_notch_core::carving::OutColumn;
use keen_notch_core::value_type::ValueType;

use crate::encode::{Encodable, Extend, Out, OutputSchema, lists};
use crate::source::{Cell, RawRows};

pub struct OutRows {
    count: usize,
    of: Option<Vec<u32>>,
    /// The result of the piece that writes a row for each result, for each output row.
    results: Option<Vec<ResultRow>>,
}

pub enum OutCell<'a> {
    Original(Cell<'a>),
    Piece(Option<ValueType>, Option<&'a str>),
    OfInput(&'a str),
    List(Option<String>),
    End,
}

impl OutCell<'_> {
    /// The text of a cell; `None` at the end of a row.
    pub fn text(&self) -> Option<&str> {
        match self {
            OutCell::Original(cell) => Some(&cell.text),
            OutCell::Piece(_, text) => Some(text.unwrap_or_default()),
            OutCell::OfInput(text) => Some(text),
            OutCell::List(line) => Some(line.as_deref().unwrap_or_default()),
            OutCell::End => None,
        }
    }
}

#[derive(Clone, Copy)]
struct ResultRow {
    item: Option<usize>,
    is_repeated: bool,
}

impl OutRows {
    pub fn new(input: &Encodable, shape: &OutputSchema) -> OutRows {
        let Some(piece) = shape.rows_piece else {
            let of = input.written.map(<[u32]>::to_vec);
            return OutRows { count: of.as_ref().map_or(input.rows.len(), Vec::len), of, results: None };
        };
        let pieces = input.batch_results.piece(piece);
        let all: Vec<u32> = (0..input.rows.len() as u32).collect();
        let (mut of, mut results) = (Vec::new(), Vec::new());
        for row in input.written.unwrap_or(&all) {
            let items = pieces.items(*row as usize);
            let copies = items.len().max(1);
            of.extend(std::iter::repeat_n(*row, copies));
            let result = |copy| ResultRow { item: items.clone().nth(copy), is_repeated: copy + 1 < copies };
            results.extend((0..copies).map(result));
        }
        OutRows { count: of.len(), of: Some(of), results: Some(results) }
    }

    pub fn count(&self) -> usize {
        self.count
    }

    #[inline]
    pub fn row(&self, index: usize) -> usize {
        self.of.as_ref().map_or(index, |of| of[index] as usize)
    }

    #[inline]
    pub fn number(&self, index: usize, input: &Encodable) -> usize {
        input.rows.numbers[self.row(index)] as usize
    }

    /// Whether the next output row belongs to the same row.
    #[inline]
    pub fn is_repeated(&self, index: usize) -> bool {
        self.results.as_ref().is_some_and(|results| results[index].is_repeated)
    }

    /// The texts of a result of a piece, with their spans.
    pub fn texts<'b>(
        &self,
        input: &'b Encodable,
        shape: &OutputSchema,
        piece: usize,
        result: usize,
    ) -> (&'b str, Cow<'b, [Span]>) {
        let results = input.batch_results.piece(piece);
        let texts = input.carving.texts(piece, input.batch, input.batch_results);
        let of_item = |item: Option<usize>| item.and_then(|item| texts.spans.get(item)).copied().unwrap_or_default();
        let spans = match &self.results {
            Some(rows) if shape.rows_piece == Some(piece) => Cow::Owned(rows.iter().map(|row| of_item(row.item)).collect()),
            _ if results.are_several() => {
                let span = |index| of_item(results.items(self.row(index)).nth(result));
                Cow::Owned((0..self.count).map(span).collect())
            }
            _ if result > 0 => Cow::Owned(vec![Span::default(); self.count]),
            _ => match &self.of {
                None => Cow::Borrowed(texts.spans),
                Some(of) => Cow::Owned(of.iter().map(|row| texts.spans[*row as usize]).collect()),
            },
        };
        (texts.text, spans)
    }

    /// Whether every row of the batch has exactly one result of a piece.
    pub fn are_there(&self, input: &Encodable, piece: usize) -> bool {
        let results = input.batch_results.piece(piece);
        self.results.is_none() && results.are_filled() && !results.are_several()
    }

    /// Whether a row has a result of a piece, even an empty one.
    pub fn is_there(&self, index: usize, input: &Encodable, shape: &OutputSchema, (piece, result): (usize, usize)) -> bool {
        let results = input.batch_results.piece(piece);
        let row = self.row(index);
        results.state(row).is_there()
            && match &self.results {
                Some(rows) if shape.rows_piece == Some(piece) => rows[index].item.is_some(),
                _ if results.are_several() => results.items(row).nth(result).is_some(),
                _ => result == 0,
            }
    }

    pub fn each_cell(&self, input: &Encodable, shape: &OutputSchema, mut see: impl FnMut(OutCell)) {
        let texts = |column: &OutColumn| match *column {
            OutColumn::Piece { piece, result } => Some(self.texts(input, shape, piece, result)),
            _ => None,
        };
        let pieces: Vec<_> = shape.columns.iter().map(texts).collect();
        for index in 0..self.count() {
            for (column, texts) in shape.columns.iter().zip(&pieces) {
                see(match (*column, texts) {
                    (OutColumn::Original(column), _) => {
                        OutCell::Original(input.chunk.cell(input.text, self.number(index, input), column))
                    }
                    (OutColumn::Piece { piece, result }, Some((text, spans))) => {
                        let is_there = self.is_there(index, input, shape, (piece, result));
                        OutCell::Piece(shape.pieces[piece].value_type, is_there.then(|| spans[index].text(text)))
                    }
                    (column @ (OutColumn::Faults | OutColumn::Compared | OutColumn::Reason), _) => {
                        let line = lists::line(column, input, self.row(index));
                        OutCell::List((!line.is_empty()).then_some(line))
                    }
                    (OutColumn::OfInput(text), _) => OutCell::OfInput(input.chunk.of_input(text)),
                    (OutColumn::Piece { .. }, None) => OutCell::OfInput(""),
                });
            }
            see(OutCell::End);
        }
    }

    /// Writes all rows, with the text between them that belongs to no row.
    #[cold]
    pub fn with_gaps(&self, input: &Encodable, raw: &RawRows, out: &mut Out, mut write: impl FnMut(Range<usize>, &mut Out)) {
        let text = input.text.as_bytes();
        let mut next = 0;
        let end_of = |row: usize| raw.rows.get(row).map_or(raw.start, |row| row.next as usize);
        for row in input.range.clone() {
            let before = row.checked_sub(1).map_or(raw.start, end_of);
            out.extend(text.get(before..raw.rows[row].raw.start as usize).unwrap_or_default());
            let first = next;
            while next < self.count && self.number(next, input) == row {
                next += 1;
            }
            write(first..next, out);
        }
        if input.range.end == raw.rows.len() {
            let last = input.range.end.checked_sub(1).map_or(raw.start, end_of);
            out.extend(text.get(last..).unwrap_or_default());
        }
    }
}
