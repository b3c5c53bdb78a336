//! Gathering the rows of a part that can go the short way: whole rows whose values stand in the part as they are.

use keen_notch_core::carving::Values;
use keen_notch_core::hints::note_looks;
use keen_notch_core::text::characters::is_plain;
use keen_notch_core::text::lanes::Extent;

use crate::marks::Marks;

/// Rows that go together: few enough for all that is known of them to stay near the processor, and many enough
/// that what is done once for all of them does not matter.
const MOST: usize = 256;

/// A row that was gathered.
#[derive(Debug, Clone, Copy)]
pub struct Row {
    /// The row in the part, without its line end.
    pub raw: Extent,
    /// The byte behind its line end.
    pub next: u32,
    /// The mark at the end of its first cell.
    cell: u32,
    /// Whether values stand in quotes or have some, so that a part of one may need quotes.
    pub has_quotes: bool,
}

/// Rows that were gathered from a part, and where its next row begins.
#[derive(Debug, Default)]
pub struct Gathered {
    marks: Marks,
    /// The byte of the part that the next row begins at.
    at: usize,
    /// The first mark of each kind at or behind it.
    end: usize,
    feed: usize,
    quote: usize,
    odd: usize,
    rows: Vec<Row>,
    /// By column and row.
    values: Vec<Vec<Extent>>,
    /// By column.
    looks: Vec<Vec<u32>>,
}

impl Gathered {
    /// Begins with the part `text`, whose rows begin at byte `start`.
    pub fn begin(&mut self, text: &str, start: usize, delimiter: u8) {
        self.marks.find(text.as_bytes(), start, delimiter);
        (self.at, self.end, self.feed, self.quote, self.odd) = (start, 0, 0, 0, 0);
    }

    /// The byte of the part that the next row begins at.
    pub fn at(&self) -> usize {
        self.at
    }

    /// The rows that were gathered.
    pub fn rows(&self) -> &[Row] {
        &self.rows
    }

    /// The values of the rows, by column and row.
    pub fn values<'t>(&'t self, text: &'t str) -> Values<'t> {
        Values { text, columns: &self.values }
    }

    /// Which of the values of a column are worth a look.
    pub fn looks(&self, column: usize) -> &[u32] {
        &self.looks[column]
    }

    /// Gathers the next rows, up to one that has to go the long way; `used` are the columns whose values are
    /// needed, `columns` is how many there are. Whether as many were gathered as go together.
    pub fn gather(&mut self, text: &str, used: &[usize], columns: usize) -> bool {
        self.rows.clear();
        self.values.iter_mut().for_each(Vec::clear);
        if let Some(last) = used.last() {
            self.values.resize_with(self.values.len().max(last + 1), Vec::new);
        }
        while self.rows.len() < MOST {
            if !self.gather_row(text, used, columns) {
                return false;
            }
        }
        true
    }

    /// Looks for values that are worth a look.
    pub fn note_looks(&mut self, text: &str, used: &[usize]) {
        self.looks.resize_with(self.values.len(), Vec::new);
        for column in used {
            self.looks[*column].clear();
            note_looks(text, &self.values[*column], &mut self.looks[*column]);
        }
    }

    #[inline]
    fn gather_row(&mut self, text: &str, used: &[usize], columns: usize) -> bool {
        let bytes = text.as_bytes();
        // A row has all its cells if its line feed is where the last of them ends.
        let (Some(feed), Some(ends)) = (self.marks.feeds.get(self.feed), self.marks.ends.get(self.end..self.end + columns))
        else {
            return false;
        };
        let feed = *feed as usize;
        if ends.last().is_none_or(|last| *last as usize != feed) {
            return false;
        }
        let has_return = feed > self.at && bytes.get(feed - 1) == Some(&b'\r');
        let raw = Extent::new(self.at, feed - usize::from(has_return));
        let cell = |column: usize| cell(ends, raw, column);
        let is_before = |place: Option<&u32>| place.is_some_and(|place| *place < raw.end);
        let mut row = Row { raw, next: feed as u32 + 1, cell: self.end as u32, has_quotes: false };
        if is_before(self.marks.odd.get(self.odd)) && !used.iter().all(|column| is_plain(cell(*column).text(text))) {
            return false;
        }
        if is_before(self.marks.quotes.get(self.quote)) {
            for column in used {
                match bare(bytes, cell(*column)) {
                    Cell::Escaped => return false,
                    Cell::Bare => {}
                    Cell::Quoted | Cell::WithQuotes => row.has_quotes = true,
                }
            }
        }
        if row.has_quotes {
            for column in used {
                let cell = cell(*column);
                let is_quoted = bare(bytes, cell) == Cell::Quoted;
                let inner = Extent { start: cell.start + u32::from(is_quoted), end: cell.end - u32::from(is_quoted) };
                self.values[*column].push(inner);
            }
        } else {
            for column in used {
                self.values[*column].push(cell(*column));
            }
        }
        self.rows.push(row);
        self.end += columns;
        self.skip_to(feed + 1);
        true
    }

    /// Goes on behind a row that went the long way.
    pub fn go_on_at(&mut self, at: usize) {
        self.skip_to(at);
        self.end += count_before(&self.marks.ends[self.end..], at);
    }

    /// The next row begins at byte `at`.
    #[inline]
    fn skip_to(&mut self, at: usize) {
        self.at = at;
        self.feed += count_before(&self.marks.feeds[self.feed..], at);
        self.quote += count_before(&self.marks.quotes[self.quote..], at);
        self.odd += count_before(&self.marks.odd[self.odd..], at);
    }

    /// A cell of a row as it stands, quotes included.
    pub fn raw_cell(&self, row: Row, column: usize) -> Extent {
        cell(self.marks.ends.get(row.cell as usize..).unwrap_or_default(), row.raw, column)
    }
}

/// How many of the first places are before byte `at`.
#[inline]
fn count_before(places: &[u32], at: usize) -> usize {
    places.iter().take_while(|place| (**place as usize) < at).count()
}

/// A cell of a row, of the marks at whose ends this one's begin.
#[inline]
fn cell(ends: &[u32], raw: Extent, column: usize) -> Extent {
    let start = match column.checked_sub(1) {
        None => raw.start,
        Some(before) => ends.get(before).map_or(raw.end, |end| end + 1),
    };
    // The mark at the end of the row is behind a carriage return.
    Extent { start, end: ends.get(column).map_or(raw.end, |end| raw.end.min(*end)) }
}

/// How the value of a cell stands in it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Cell {
    /// As it is.
    Bare,
    /// As it is, with quotes.
    WithQuotes,
    /// Between two quotes, with none in it.
    Quoted,
    /// Not as it is.
    Escaped,
}

fn bare(bytes: &[u8], cell: Extent) -> Cell {
    let bytes = cell.bytes(bytes);
    let has_quote = |bytes: &[u8]| memchr::memchr(b'"', bytes).is_some();
    match bytes {
        [b'"', inner @ .., b'"'] if !has_quote(inner) => Cell::Quoted,
        [b'"', ..] => Cell::Escaped,
        bytes if has_quote(bytes) => Cell::WithQuotes,
        _ => Cell::Bare,
    }
}
