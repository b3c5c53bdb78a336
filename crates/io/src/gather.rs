//! Gathering the rows of a part that can go the short way: whole rows whose values stand in the part as they are.

use keen_notch_core::carving::Values;
use keen_notch_core::hints::note_looks;
use keen_notch_core::text::characters::is_plain;
use keen_notch_core::text::simd::Span;

use crate::Error;
use crate::marks::Marks;
use crate::record::Cells;
use crate::table::{Line, Part};

/// Rows that go together: few enough for all that is known of them to stay near the processor, and many enough
/// that what is done once for all of them does not matter.
const MOST: usize = 256;

/// A row that was gathered.
#[derive(Debug, Clone, Copy)]
pub struct Row {
    /// The row in the part, without its line end.
    pub raw: Span,
    /// The byte behind its line end.
    next: u32,
    /// The mark at the end of its first cell.
    end: u32,
    /// Whether values stand in quotes or have some, so that a part of one may need quotes.
    pub has_quotes: bool,
}

impl Row {
    /// The line end, in the part.
    pub fn line_end(&self) -> Span {
        Span { start: self.raw.end, end: self.next }
    }
}

/// Where the next row begins, and the first mark of each kind at or behind that.
#[derive(Debug, Clone, Copy, Default)]
struct Place {
    at: usize,
    end: usize,
    feed: usize,
    quote: usize,
    odd: usize,
}

/// What is wanted of rows.
#[derive(Debug, Clone, Copy)]
pub struct Needed<'j> {
    /// How many columns there are.
    pub columns: usize,
    /// The columns whose values are needed, by their indices, in order.
    pub values: &'j [usize],
    /// The columns whose cells are needed as they stand.
    pub cells: &'j [usize],
}

/// What comes next in a part.
pub enum Next<'b> {
    /// Rows that go together: those that were gathered.
    Rows,
    /// A line that has to go the long way.
    Line(Line<'b>),
}

/// Parts up to this size have rows that go together; those that are longer hold a row that is. What finishes make of
/// rows that go together stands in a text of less than 4 GiB, so there has to be room for it.
const MOST_SHORT: usize = 1 << 20;

/// Rows that were gathered from a part, and where its next row begins.
#[derive(Debug, Default)]
pub struct Gathered {
    marks: Marks,
    place: Place,
    /// Whether the next row has to go the long way.
    is_long: bool,
    rows: Vec<Row>,
    /// By column and row.
    values: Vec<Vec<Span>>,
    cells: Vec<Vec<Span>>,
    /// By column.
    looks: Vec<Vec<u32>>,
}

impl Gathered {
    /// Begins with a part, whose text this is. `has_short_way` says whether any of its rows may go together.
    pub fn begin(&mut self, part: &Part, text: &str, has_short_way: bool) {
        // Where nothing is found, no row is gathered.
        let found_in = if has_short_way && text.len() <= MOST_SHORT { text } else { "" };
        self.marks.find(found_in.as_bytes(), part.start(), part.delimiter());
        self.place = Place { at: part.start(), ..Place::default() };
        self.is_long = false;
    }

    /// What comes next in the part that was begun with: rows that go together if there are some and they may, else a
    /// line.
    ///
    /// # Errors
    /// Where the line is a row with another number of cells than there are columns.
    pub fn next<'b>(
        &mut self,
        part: &Part,
        text: &'b str,
        needed: Option<Needed>,
        cells: &'b mut Cells,
    ) -> Result<Option<Next<'b>>, Error> {
        if let Some(needed) = needed.filter(|_| !self.is_long) {
            self.is_long = !self.gather(text, needed);
            if !self.rows.is_empty() {
                return Ok(Some(Next::Rows));
            }
        }
        if self.place.at >= text.len() {
            return Ok(None);
        }
        self.is_long = false;
        let line = part.line_at(text, self.place.at, cells)?;
        self.go_on_at(self.place.at + line.width());
        Ok(Some(Next::Line(line)))
    }

    /// The bytes of the rows that were gathered, with their line ends.
    pub fn width(&self) -> usize {
        self.rows.iter().map(|row| (row.next - row.raw.start) as usize).sum()
    }

    /// The rows that were gathered.
    pub fn rows(&self) -> &[Row] {
        &self.rows
    }

    /// The values of the rows, by column and row.
    pub fn values<'t>(&'t self, text: &'t str) -> Values<'t> {
        Values { text, columns: &self.values }
    }

    /// The cells of a column as they stand.
    pub fn cells(&self, column: usize) -> &[Span] {
        &self.cells[column]
    }

    /// Which of the values of a column are worth a look.
    pub fn looks(&self, column: usize) -> &[u32] {
        &self.looks[column]
    }

    /// Gathers the next rows, up to one that has to go the long way. Whether as many were gathered as go together.
    // Compiled by itself: what its loops need then stays in registers.
    #[inline(never)]
    fn gather(&mut self, text: &str, needed: Needed) -> bool {
        let Gathered { marks, place, rows, values, cells, .. } = self;
        rows.clear();
        let found = Found::new(text, marks, needed);
        let mut next = *place;
        while rows.len() < MOST
            && let Some(row) = found.next_row(&mut next)
        {
            rows.push(row);
        }
        *place = next;
        // Column by column: what a cell is found by is the same for all rows.
        let ends = marks.ends();
        let raw_cells = |column: usize, out: &mut Vec<Span>| {
            out.clear();
            match column.checked_sub(1) {
                None => out.extend(rows.iter().map(|row| first_cell(ends, *row))),
                Some(before) => {
                    let ends = ends.get(before..).unwrap_or_default();
                    out.extend(rows.iter().map(|row| cell_behind(ends, *row)));
                }
            }
        };
        for (columns, out) in [(needed.values, &mut *values), (needed.cells, &mut *cells)] {
            if out.len() < needed.columns {
                out.resize_with(needed.columns, Vec::new);
            }
            columns.iter().for_each(|column| raw_cells(*column, &mut out[*column]));
        }
        for (index, row) in rows.iter().enumerate().filter(|(_, row)| row.has_quotes) {
            let quotes = within(marks.quotes(), row.raw);
            for column in needed.values {
                let value = &mut values[*column][index];
                let around = u32::from(quoting(text.as_bytes(), *value, quotes) == Quoting::Around);
                *value = Span { start: value.start + around, end: value.end - around };
            }
        }
        rows.len() == MOST
    }

    /// Looks for values that are worth a look.
    pub fn note_looks(&mut self, text: &str, used: &[usize]) {
        self.looks.resize_with(self.values.len(), Vec::new);
        for column in used {
            self.looks[*column].clear();
            note_looks(text, &self.values[*column], &mut self.looks[*column]);
        }
    }

    /// Goes on behind a row that went the long way.
    fn go_on_at(&mut self, at: usize) {
        let Gathered { marks, place, .. } = self;
        *place = Place {
            at,
            end: place.end + count_before(&marks.ends()[place.end..], at),
            feed: place.feed + count_before(&marks.feeds()[place.feed..], at),
            quote: place.quote + count_before(&marks.quotes()[place.quote..], at),
            odd: place.odd + count_before(&marks.odd()[place.odd..], at),
        };
    }
}

/// What was found in a part, and what is wanted of it.
struct Found<'m> {
    text: &'m str,
    ends: &'m [u32],
    feeds: &'m [u32],
    quotes: &'m [u32],
    odd: &'m [u32],
    needed: Needed<'m>,
}

impl<'m> Found<'m> {
    fn new(text: &'m str, marks: &'m Marks, needed: Needed<'m>) -> Found<'m> {
        Found { text, ends: marks.ends(), feeds: marks.feeds(), quotes: marks.quotes(), odd: marks.odd(), needed }
    }

    /// The row at a place, if it can go the short way: then the place is behind it.
    #[inline]
    fn next_row(&self, place: &mut Place) -> Option<Row> {
        // A row has all its cells if its line feed is where the last of them ends.
        let feed = *self.feeds.get(place.feed)?;
        let end = place.end + self.needed.columns;
        if *self.ends.get(end - 1)? != feed {
            return None;
        }
        let feed = feed as usize;
        let has_return = feed > place.at && self.text.as_bytes().get(feed - 1) == Some(&b'\r');
        let raw = Span::new(place.at, feed - usize::from(has_return));
        let mut row = Row { raw, next: feed as u32 + 1, end: place.end as u32, has_quotes: false };
        let odd = count_before(self.odd.get(place.odd..)?, feed);
        if odd > usize::from(has_return) && !self.has_plain_values(row) {
            return None;
        }
        let quotes = count_before(self.quotes.get(place.quote..)?, feed);
        if quotes > 0 {
            row.has_quotes = self.has_quotes(row, self.quotes.get(place.quote..place.quote + quotes)?)?;
        }
        *place = Place { at: feed + 1, end, feed: place.feed + 1, quote: place.quote + quotes, odd: place.odd + odd };
        Some(row)
    }

    /// Whether the values that are needed are plain, of a row that is not.
    #[cold]
    fn has_plain_values(&self, row: Row) -> bool {
        self.needed.values.iter().all(|column| is_plain(raw_cell(self.ends, row, *column).text(self.text)))
    }

    /// Whether values that are needed have quotes, or stand in some, of a row that has these; `None` where one does not
    /// stand in its cell as it is.
    #[inline]
    fn has_quotes(&self, row: Row, quotes: &[u32]) -> Option<bool> {
        // Most quotes are in columns that nobody asked for, and many behind all of these.
        let last = self.needed.values.last().and_then(|last| self.ends.get(row.end as usize + last));
        if last.zip(quotes.first()).is_none_or(|(last, quote)| quote > last) {
            return Some(false);
        }
        self.have_quotes(row, quotes)
    }

    #[inline(never)]
    fn have_quotes(&self, row: Row, quotes: &[u32]) -> Option<bool> {
        let ends = self.ends.get(row.end as usize..row.end as usize + self.needed.columns)?;
        let column = |quote: &u32| ends.iter().take_while(|end| **end < *quote).count();
        if !quotes.iter().any(|quote| self.needed.values.contains(&column(quote))) {
            return Some(false);
        }
        let mut has_quotes = false;
        for column in self.needed.values {
            match quoting(self.text.as_bytes(), raw_cell(self.ends, row, *column), quotes) {
                Quoting::Escaped => return None,
                Quoting::None => {}
                Quoting::Around | Quoting::Within => has_quotes = true,
            }
        }
        Some(has_quotes)
    }
}

/// How many of the first places are before byte `at`.
#[inline]
fn count_before(places: &[u32], at: usize) -> usize {
    let mut count = 0;
    while places.get(count).is_some_and(|place| (*place as usize) < at) {
        count += 1;
    }
    count
}

/// The places that are in a row.
fn within(places: &[u32], raw: Span) -> &[u32] {
    let first = places.partition_point(|place| *place < raw.start);
    let behind = places.partition_point(|place| *place < raw.end);
    places.get(first..behind).unwrap_or_default()
}

/// A cell of a row as it stands, quotes included.
fn raw_cell(ends: &[u32], row: Row, column: usize) -> Span {
    match column.checked_sub(1) {
        None => first_cell(ends, row),
        Some(before) => cell_behind(ends.get(before..).unwrap_or_default(), row),
    }
}

#[inline]
fn first_cell(ends: &[u32], row: Row) -> Span {
    let end = ends.get(row.end as usize).copied().unwrap_or(row.raw.end);
    // The mark at the end of the row is behind a carriage return.
    Span { start: row.raw.start, end: end.min(row.raw.end) }
}

/// The cell between two marks behind each other. `ends` lacks as many of the first marks as there are cells before the
/// one that ends at the first of the two: so it is found by the row alone.
#[inline]
fn cell_behind(ends: &[u32], row: Row) -> Span {
    let at = row.end as usize;
    match ends.get(at..at + 2) {
        Some([start, end]) => Span { start: start + 1, end: (*end).min(row.raw.end) },
        _ => Span { start: row.raw.end, end: row.raw.end },
    }
}

/// Which quotes a cell has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Quoting {
    /// None.
    None,
    /// Some that are part of its value.
    Within,
    /// One at each end, and none within.
    Around,
    /// Some that keep the value from standing in the cell as it is.
    Escaped,
}

/// Which of the quotes of a row the cell has.
fn quoting(bytes: &[u8], cell: Span, quotes: &[u32]) -> Quoting {
    let count = quotes.iter().filter(|quote| (cell.start..cell.end).contains(quote)).count();
    let is_quote = |at: u32| bytes.get(at as usize) == Some(&b'"');
    match (count, is_quote(cell.start)) {
        (0, _) => Quoting::None,
        (2, true) if is_quote(cell.end - 1) => Quoting::Around,
        (_, true) => Quoting::Escaped,
        (_, false) => Quoting::Within,
    }
}
