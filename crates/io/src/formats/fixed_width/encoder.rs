//! Encodes fixed-width text: input lines with pieces appended, or column by column.

use std::ops::Range;

use keen_notch_core::batch::Buffer;
use keen_notch_core::carving::OutColumn;
use keen_notch_core::text::characters;
use keen_notch_core::widths::Widths;

use crate::Error;
use crate::encode::rows::OutRows;
use crate::encode::{Encodable, Encoder, Extend, Out, OutputSchema, lists};
use crate::encode::{EncoderRequest, Places};
use crate::formats::fixed_width::Layout;
use crate::source::Format;

/// Computes the positions of the output columns. `widths` gives them by name or in order. Otherwise original columns keep their
/// positions, and each piece follows after a blank, with the width from `width`.
///
/// # Errors
/// A column has no position, a position has no column, or a name is wider than its column.
pub fn places(
    shape: &OutputSchema,
    read: Option<&Layout>,
    widths: Option<&Widths>,
    width: &dyn Fn(usize) -> Option<usize>,
) -> Result<Places, Error> {
    let places = found_places(shape, read, widths, width)?;
    let renamed =
        shape.columns.iter().position(|column| column.original().is_some_and(|column| shape.renamed.contains(&column)));
    if let (Some(renamed), None) = (renamed, widths.map(drop).or(read.and_then(|read| read.header.as_ref()).map(drop))) {
        return Err(no_place(&shape.titles[renamed], "the text has no line with names"));
    }
    if read.is_some_and(|read| read.header.is_some()) {
        let is_too_wide = |(title, place): &(&String, &(usize, usize))| characters::count(title) > place.1 + 1 - place.0;
        if let Some((title, _)) = shape.titles.iter().zip(&places).find(is_too_wide) {
            return Err(no_place(title, "its name is wider than that, and the first line has the names"));
        }
    }
    Ok(places)
}

fn no_place(title: &str, why: &str) -> Error {
    Error::NoPlace { title: title.to_owned(), why: why.to_owned() }
}

fn found_places(
    shape: &OutputSchema,
    read: Option<&Layout>,
    widths: Option<&Widths>,
    width: &dyn Fn(usize) -> Option<usize>,
) -> Result<Places, Error> {
    if let Some(list) = shape.columns.iter().position(|column| matches!(column, OutColumn::Faults | OutColumn::Compared)) {
        return Err(no_place(&shape.titles[list], "a list may be of any width"));
    }
    let mut places: Places = Vec::new();
    let Some(widths) = widths else {
        for (column, title) in shape.columns.iter().zip(&shape.titles) {
            let place = match (column, read) {
                (OutColumn::Original(column), Some(read)) => {
                    let place = &read.widths.columns()[*column];
                    let to_end = || no_place(title, "it extends to the end of each line, so no column can follow");
                    (place.first, place.last.ok_or_else(to_end)?)
                }
                (OutColumn::Piece { piece, .. }, _) => {
                    let width = width(*piece).ok_or_else(|| no_place(title, "it has no width"))?;
                    let has_header = read.is_some_and(|read| read.header.is_some());
                    let width = width.max(if has_header { characters::count(title) } else { 1 });
                    let first = places.iter().map(|(_, last)| last + 2).max().unwrap_or(1);
                    (first, first + width - 1)
                }
                _ => return Err(no_place(title, "it has no width")),
            };
            places.push(place);
        }
        return Ok(places);
    };
    let to_end = |title: &str| no_place(title, "its end is missing");
    match widths.names() {
        None if widths.columns().len() != shape.titles.len() => {
            let places = widths.columns().len();
            let is = if places == 1 { "is 1 place".to_owned() } else { format!("are {places} places") };
            let why = format!("there {is} for {} columns", shape.titles.len());
            Err(no_place(shape.titles.last().map_or("", String::as_str), &why))
        }
        None => {
            let place = |(title, place): (&String, &keen_notch_core::widths::ColumnPosition)| {
                Ok((place.first, place.last.ok_or_else(|| to_end(title))?))
            };
            shape.titles.iter().zip(widths.columns()).map(place).collect()
        }
        Some(names) => {
            if let Some(unknown) = names.iter().find(|name| !shape.titles.contains(name)) {
                return Err(no_place(unknown, "the output has no such column"));
            }
            let place = |title: &String| {
                let place = widths.columns().iter().find(|place| place.name.as_ref() == Some(title));
                let place = place.ok_or_else(|| no_place(title, "the widths do not name it"))?;
                Ok((place.first, place.last.ok_or_else(|| to_end(title))?))
            };
            shape.titles.iter().map(place).collect()
        }
    }
}

pub fn widths_of(titles: &[String], places: &Places) -> Widths {
    Widths::of_places(titles.iter().cloned().zip(places.iter().copied()))
}

/// The last character of a column that extends to the end of the line.
const OPEN: usize = usize::MAX - 1;

pub struct FixedWidth {
    shape: OutputSchema,
    places: Places,
    read: Option<Layout>,
    /// The output columns by position; only the appended ones for input lines.
    order: Vec<usize>,
    has_header: bool,
}

impl FixedWidth {
    /// Encodes rows with columns at these positions; `read` is the input layout, if it is fixed-width text.
    pub fn new(read: Option<Layout>, shape: OutputSchema, places: Places) -> FixedWidth {
        let stays = |(column, place): (&OutColumn, &(usize, usize))| match (column, &read) {
            (OutColumn::Original(column), Some(read)) => {
                read.widths.columns().get(*column).is_some_and(|was| (was.first, was.last) == (place.0, Some(place.1)))
            }
            _ => false,
        };
        let kept = shape.columns.iter().zip(&places).filter(|of| stays(*of)).count();
        let keeps_lines = shape.keeps_all && shape.renamed.is_empty();
        let appends = read.as_ref().is_some_and(|read| kept == read.widths.columns().len() && keeps_lines);
        let mut order: Vec<usize> = (0..shape.columns.len()).collect();
        if appends {
            let end = read.as_ref().and_then(|read| read.widths.columns().last()?.last).unwrap_or_default();
            order.retain(|index| !matches!(shape.columns[*index], OutColumn::Original(_)));
            // A piece between original columns prevents copying lines.
            if order.iter().any(|index| places[*index].0 <= end) {
                order = (0..shape.columns.len()).collect();
            }
        }
        order.sort_by_key(|index| places[*index]);
        let has_header = read.as_ref().is_some_and(|read| read.header.is_some());
        let read = if order.len() < shape.columns.len() { read } else { None };
        FixedWidth { shape, places, read, order, has_header }
    }

    /// The encoder for an output.
    ///
    /// # Errors
    /// A column has no position.
    pub fn for_output(asked: EncoderRequest) -> Result<FixedWidth, Error> {
        let EncoderRequest { read, places, shape, .. } = asked;
        let (read, shape) = (read.and_then(Format::get::<Layout>).cloned(), shape.clone());
        Ok(match (read, places) {
            (Some(layout), _) if shape.sets_aside => FixedWidth::offcuts(layout, shape),
            (None, _) if shape.sets_aside => {
                let title = shape.titles.last().map_or("", String::as_str);
                return Err(no_place(title, "the input has no positions for its columns"));
            }
            (read, Some(places)) => FixedWidth::new(read, shape, places.clone()),
            (read, None) => {
                let places = self::places(&shape, read.as_ref(), None, &|_| None)?;
                FixedWidth::new(read, shape, places)
            }
        })
    }

    /// Encodes lines that are set aside: as they were read, with the reason after the last column.
    pub fn offcuts(mut layout: Layout, shape: OutputSchema) -> FixedWidth {
        let end = layout.widths.columns().last().and_then(|column| column.last).unwrap_or_default();
        layout.byte_order_mark = false;
        layout.header = layout.header.map(|header| header.trim_start_matches(['\r', '\n']).to_owned());
        let places = shape.columns.iter().map(|_| (end + 2, OPEN)).collect();
        let order = vec![shape.columns.len() - 1];
        FixedWidth { places, order, has_header: layout.header.is_some(), read: Some(layout), shape }
    }

    fn write(&self, input: &Encodable, rows: &OutRows, range: Range<usize>, out: &mut Out) {
        let text = input.text;
        let raw = if self.read.is_some() { input.chunk.raw() } else { None };
        let column = |index: &usize| match self.shape.columns[*index] {
            OutColumn::Piece { piece, result } => Some(rows.texts(input, &self.shape, piece, result)),
            _ => None,
        };
        let columns: Vec<_> = self.order.iter().map(column).collect();
        for index in range {
            let number = rows.number(index, input);
            let mut at = 0;
            let mut line_end = &b"\n"[..];
            if let Some(raw) = &raw {
                let row = raw.rows[number].raw;
                let own = raw.rows[number].line_end().bytes(text.as_bytes());
                at = self.begin_line(row.text(text), out);
                let may_lack = !rows.is_repeated(index) && !self.shape.sets_aside;
                if !own.is_empty() || may_lack {
                    line_end = own;
                }
            }
            for (place, texts) in self.order.iter().zip(&columns) {
                let (own, own_text);
                let value = match (self.shape.columns[*place], texts) {
                    (OutColumn::Original(column), _) => {
                        own = input.chunk.cell(text, number, column);
                        &*own.text
                    }
                    (_, Some((text, spans))) => spans[index].text(text),
                    (OutColumn::Reason, _) => {
                        own_text = lists::line(OutColumn::Reason, input, rows.row(index)).replace(['\n', '\r'], " ");
                        &*own_text
                    }
                    (OutColumn::OfInput(text), _) => input.chunk.of_input(text),
                    _ => "",
                };
                self.push(value, self.places[*place], &mut at, out);
            }
            out.extend(line_end);
        }
    }

    /// Writes an input line without trailing spaces. Returns its number of characters.
    fn begin_line(&self, line: &str, out: &mut impl Extend) -> usize {
        let first = self.order.first().map_or(usize::MAX, |index| self.places[*index].0);
        let count = characters::count(line);
        let line = if count < first { line } else { line.trim_end_matches(' ') };
        out.extend(line.as_bytes());
        if count < first { count } else { characters::count(line) }
    }

    /// Writes a value at its position. A row with a value that is too wide has a fault and is set aside before.
    fn push(&self, value: &str, (first, last): (usize, usize), at: &mut usize, out: &mut impl Extend) {
        let width = characters::count(value);
        let value = if width > last + 1 - first || value.contains(['\n', '\r']) { "" } else { value };
        if value.is_empty() {
            return;
        }
        // A reason after a long line is at least one blank away from it.
        let least = usize::from(last == OPEN);
        for _ in 0..(first - 1).saturating_sub(*at).max(least) {
            out.extend(b" ");
        }
        out.extend(value.as_bytes());
        *at = first - 1 + width;
    }
}

impl Encoder for FixedWidth {
    fn begin(&self, out: &mut Buffer) -> bool {
        let read = self.read.as_ref();
        if read.is_some_and(|read| read.byte_order_mark) {
            out.extend("\u{feff}".as_bytes());
        }
        if self.has_header {
            let header = read.and_then(|read| read.header.as_deref()).unwrap_or_default();
            let (before, line) = header.split_at(header.rfind('\n').map_or(0, |end| end + 1));
            out.extend(before.as_bytes());
            let mut at = self.begin_line(line, out);
            self.order.iter().for_each(|index| self.push(&self.shape.titles[*index], self.places[*index], &mut at, out));
            out.extend(self.line_end());
        }
        true
    }

    fn line_end(&self) -> &[u8] {
        self.read.as_ref().map_or(b"\n", |read| read.line_end.as_bytes())
    }

    fn encode(&self, input: &Encodable, out: &mut Out) -> Result<(), Error> {
        let rows = OutRows::new(input, &self.shape);
        self.write(input, &rows, 0..rows.count(), out);
        Ok(())
    }

    fn is_complete(&self, written: &[u8]) -> bool {
        written.last().is_none_or(|last| *last == b'\n')
    }
}
