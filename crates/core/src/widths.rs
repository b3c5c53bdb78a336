//! Columns of fixed-width text.

use std::fmt;
use std::ops::Range;

use crate::phrase::text_at;
use crate::text::characters;
use crate::text_error::TextError;

/// Columns by position.
///
/// ```
/// use keen_notch_core::widths::Widths;
///
/// let widths = Widths::parse("code 1 to 8, qty 9 to 12, note 14 to end")?;
/// let cells: Vec<_> = widths.cells("GRP-0041  12 new jaw").map(|cell| &"GRP-0041  12 new jaw"[cell]).collect();
/// assert_eq!(cells, ["GRP-0041", "12", "new jaw"]);
/// # Ok::<(), keen_notch_core::text_error::TextError>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Widths {
    columns: Vec<ColumnPosition>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ColumnPosition {
    pub name: Option<String>,
    /// Its first character, from 1.
    pub first: usize,
    /// Its last character, from 1; `None` for the end of the line.
    pub last: Option<usize>,
}

const HELP: &str = "write them as 'code 1 to 8, qty 9 to 12, note 14 to end'; a name with a comma in it is written in quotes";

const MOST: usize = 1_000_000;

impl Widths {
    /// Parses columns: `code 1 to 8, qty 9 for 4, mark 14, note 15 to end`. Either all or none have names.
    ///
    /// # Errors
    /// A column is invalid, overlaps the previous one, or has a duplicate name.
    pub fn parse(text: &str) -> Result<Widths, TextError> {
        let mut columns: Vec<ColumnPosition> = Vec::new();
        let mut at = 0;
        while at <= text.len() {
            let (entry, next) = entry_at(text, at)?;
            let span = at + entry.len() - entry.trim_start().len()..at + entry.trim_end().len();
            let wrong = |message: String| TextError::new(message, span.start.min(span.end)..span.end, HELP);
            let place = place(entry.trim()).ok_or_else(|| wrong("this is not a column with its positions".to_owned()))?;
            if place.first == 0 {
                return Err(wrong("positions start at 1".to_owned()));
            }
            if place.last.is_some_and(|last| last < place.first) || place.last.unwrap_or(place.first) > MOST {
                return Err(wrong(format!("a column goes from its first character to its last, up to {MOST}")));
            }
            if let Some(before) = columns.last() {
                if before.last.is_none_or(|last| last >= place.first) {
                    return Err(wrong("this column begins before the one before it ends".to_owned()));
                }
                if before.name.is_some() != place.name.is_some() {
                    return Err(wrong("some columns have names and others do not".to_owned()));
                }
            }
            if place.name.is_some() && columns.iter().any(|column| column.name == place.name) {
                return Err(wrong("two columns have this name".to_owned()));
            }
            columns.push(place);
            at = next;
        }
        Ok(Widths { columns })
    }

    /// Columns from names and first and last characters.
    pub fn of_places(places: impl IntoIterator<Item = (String, (usize, usize))>) -> Widths {
        let mut columns: Vec<ColumnPosition> = places
            .into_iter()
            .map(|(name, (first, last))| ColumnPosition { name: Some(name), first, last: Some(last) })
            .collect();
        columns.sort_by_key(|column| column.first);
        Widths { columns }
    }

    pub fn columns(&self) -> &[ColumnPosition] {
        &self.columns
    }

    pub fn names(&self) -> Option<Vec<String>> {
        self.columns.iter().map(|column| column.name.clone()).collect()
    }

    /// The byte range of each value in a line, without the spaces around it.
    pub fn cells<'l>(&'l self, line: &'l str) -> impl Iterator<Item = Range<usize>> + 'l {
        let mut places = Places::of(line);
        self.columns.iter().map(move |column| {
            let start = places.byte(column.first - 1);
            let end = column.last.map_or(line.len(), |last| places.byte(last));
            let cell = &line[start..end];
            let start = start + cell.len() - cell.trim_start_matches(' ').len();
            start..start + cell.trim_matches(' ').len()
        })
    }

    /// The first character after the last column that is not a space, from 1.
    pub fn beyond(&self, line: &str) -> Option<usize> {
        let last = self.columns.last()?.last?;
        // A character has at least one byte.
        if line.len() <= last {
            return None;
        }
        let rest = &line[Places::of(line).byte(last)..];
        let spaces = rest.len() - rest.trim_start_matches(' ').len();
        (spaces < rest.len()).then_some(last + spaces + 1)
    }

    /// Infers columns from positions that are blank in all lines; `None` if there are none.
    ///
    /// The first line is a header if it has no digit and fills every column, and another line has a column of only digits. One blank between
    /// columns separates words of a single column if the header has no name for the second, or, without a header, if the second is blank
    /// in some line.
    pub fn of_lines(lines: &[&str]) -> Option<Widths> {
        let lines: Vec<&str> = lines.iter().copied().filter(|line| !line.trim().is_empty()).collect();
        let mut is_filled: Vec<bool> = Vec::new();
        for line in &lines {
            for (position, character) in characters::ranges(line).enumerate() {
                if is_filled.len() == position {
                    is_filled.push(false);
                }
                is_filled[position] |= &line[character] != " ";
            }
        }
        let mut columns: Vec<ColumnPosition> = Vec::new();
        for (position, is_filled) in (1..).zip(is_filled) {
            match columns.last_mut() {
                Some(column) if is_filled && column.last == Some(position - 1) => column.last = Some(position),
                _ if is_filled => columns.push(ColumnPosition { name: None, first: position, last: Some(position) }),
                _ => {}
            }
        }
        if columns.len() < 2 || lines.len() < 2 {
            return None;
        }
        let mut widths = Widths { columns };
        let (first, others) = lines.split_first()?;
        let has_number = |line: &&str| {
            let mut cells = widths.cells(line).map(|cell| &line[cell]);
            cells.any(|cell| !cell.is_empty() && cell.bytes().all(|byte| byte.is_ascii_digit()))
        };
        let is_header = !first.contains(|c: char| c.is_ascii_digit()) && others.iter().any(has_number);
        widths.join_words(&lines, is_header.then_some(first));
        if widths.columns.len() < 2 {
            return None;
        }
        if !(is_header && widths.cells(first).all(|cell| !cell.is_empty())) {
            (1..).zip(&mut widths.columns).for_each(|(number, column)| column.name = Some(format!("column_{number}")));
        }
        if let Some(last) = widths.columns.last_mut() {
            last.last = None;
        }
        Some(widths)
    }
}

impl Widths {
    /// Joins columns that one blank separates, and that are the words of one.
    fn join_words(&mut self, lines: &[&str], header: Option<&str>) {
        let mut are_words = vec![false; self.columns.len()];
        let examined = header.as_ref().map_or(lines, std::slice::from_ref);
        for line in examined {
            are_words.iter_mut().zip(self.cells(line)).for_each(|(is_word, cell)| *is_word |= cell.is_empty());
        }
        let mut joined: Vec<ColumnPosition> = Vec::new();
        for (column, is_word) in self.columns.drain(..).zip(are_words) {
            match joined.last_mut() {
                Some(before) if is_word && before.last.is_some_and(|last| last + 2 == column.first) => {
                    before.last = column.last
                }
                _ => joined.push(column),
            }
        }
        self.columns = joined;
    }
}

impl fmt::Display for Widths {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (index, ColumnPosition { name, first, last }) in self.columns.iter().enumerate() {
            f.write_str(if index > 0 { ", " } else { "" })?;
            match name {
                Some(name) if is_bare(name) => write!(f, "{name} ")?,
                Some(name) => write!(f, "\"{}\" ", name.replace('\\', "\\\\").replace('"', "\\\""))?,
                None => {}
            }
            match last {
                Some(last) if last == first => write!(f, "{first}")?,
                Some(last) => write!(f, "{first} to {last}")?,
                None => write!(f, "{first} to end")?,
            }
        }
        Ok(())
    }
}

fn is_bare(name: &str) -> bool {
    let words: Vec<&str> = name.split_whitespace().collect();
    let is_plain = |word: &&str| word.parse::<usize>().is_err() && !["to", "for", "end"].contains(word);
    !name.contains([',', '"', '\'', '\\']) && words.iter().all(is_plain) && words.join(" ") == name && !name.is_empty()
}

fn entry_at(text: &str, start: usize) -> Result<(&str, usize), TextError> {
    let mut at = start;
    while let Some(c) = text[at..].chars().next() {
        match c {
            ',' => return Ok((&text[start..at], at + 1)),
            '"' | '\'' => at = text_at(text, at).map_err(|_| TextError::new("a quote is not closed", at..at + 1, HELP))?.1,
            c => at += c.len_utf8(),
        }
    }
    Ok((&text[start..], text.len() + 1))
}

fn place(entry: &str) -> Option<ColumnPosition> {
    let (name, rest) = match entry.starts_with(['"', '\'']) {
        true => {
            let (name, end) = text_at(entry, 0).ok()?;
            (Some(name), &entry[end..])
        }
        false => (None, entry),
    };
    let words: Vec<&str> = rest.split_whitespace().collect();
    let number = |word: &&str| word.parse::<usize>().ok();
    let (before, first, last) = match words.as_slice() {
        [before @ .., first, "to", "end"] => (before, number(first)?, None),
        [before @ .., first, "to", last] => (before, number(first)?, Some(number(last)?)),
        [before @ .., first, "for", count] => {
            let (first, count) = (number(first)?, number(count)?);
            (before, first, Some((first + count.min(MOST + 1)).checked_sub(1)?))
        }
        [before @ .., first] => (before, number(first)?, Some(number(first)?)),
        [] => return None,
    };
    let name = match (name, before) {
        (name, []) => name,
        (None, words) => Some(words.join(" ")),
        (Some(_), _) => return None,
    };
    Some(ColumnPosition { name, first, last })
}

struct Places<'l> {
    line: &'l str,
    is_plain: bool,
    /// The number of characters passed, and of their bytes.
    passed: (usize, usize),
}

impl<'l> Places<'l> {
    fn of(line: &'l str) -> Places<'l> {
        Places { line, is_plain: characters::is_plain(line), passed: (0, 0) }
    }

    /// The byte where a character begins, by its index; the end of the line if it has fewer characters.
    fn byte(&mut self, character: usize) -> usize {
        if self.is_plain {
            return character.min(self.line.len());
        }
        let (passed, start) = self.passed;
        let mut rest = characters::ranges(&self.line[start..]);
        let more = character.saturating_sub(passed);
        let byte = match more.checked_sub(1) {
            None => start,
            Some(last) => rest.nth(last).map_or(self.line.len(), |range| start + range.end),
        };
        self.passed = (character.max(passed), byte);
        byte
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn widths_are_read_and_written() {
        for (text, written) in [
            ("code 1 to 8, qty 9 for 4", "code 1 to 8, qty 9 to 12"),
            (" part code 1 to 8 ,qty 9, note 11 to end ", "part code 1 to 8, qty 9, note 11 to end"),
            ("\"a, 1\" 1 to 2, 'b' 4, \"to\" 5", "\"a, 1\" 1 to 2, b 4, \"to\" 5"),
            ("1 to 8, 9 to 12", "1 to 8, 9 to 12"),
        ] {
            let widths = Widths::parse(text).unwrap();
            assert_eq!(widths.to_string(), written);
            assert_eq!(Widths::parse(written).unwrap(), widths);
        }
    }

    #[test]
    fn wrong_widths_are_refused_where_they_are_wrong() {
        for (text, message, at) in [
            ("", "not a column", ""),
            ("code", "not a column", "code"),
            ("code 1 to 8,", "not a column", ""),
            ("code 1 to x", "not a column", "code 1 to x"),
            ("code 0 to 8", "start at 1", "code 0 to 8"),
            ("a 1 to 8, code 5 to 2", "from its first", "code 5 to 2"),
            ("a 1 for 0", "from its first", "a 1 for 0"),
            ("a 1 to 9999999999", "up to 1000000", "a 1 to 9999999999"),
            ("a 1 to 8, b 8", "begins before", "b 8"),
            ("a 1 to end, b 8", "begins before", "b 8"),
            ("a 1, 2", "others do not", "2"),
            ("a 1, a 2", "two columns", "a 2"),
            ("a 1, \"b 2", "not closed", "\""),
        ] {
            let error = Widths::parse(text).unwrap_err();
            assert!(error.message.contains(message), "{text:?}: {}", error.message);
            assert_eq!(&text[error.span], at, "{text:?}");
        }
    }

    #[test]
    fn characters_are_grapheme_clusters_and_lines_can_be_short() {
        let widths = Widths::parse("1 to 3, 5 to 6, 8 to end").unwrap();
        for (line, cells) in [
            ("GRP-12- x ", ["GRP", "12", "x"]),
            ("G  - 2", ["G", "2", ""]),
            ("e\u{301}te\u{301}-\u{1f1f8}\u{1f1ea}2|Ü", ["e\u{301}te\u{301}", "\u{1f1f8}\u{1f1ea}2", "Ü"]),
            ("é", ["é", "", ""]),
            ("", ["", "", ""]),
        ] {
            assert_eq!(widths.cells(line).map(|cell| &line[cell]).collect::<Vec<_>>(), cells, "{line:?}");
        }
        let widths = Widths::parse("1 to 3").unwrap();
        for (line, beyond) in [("GRP", None), ("GRP  ", None), ("GRP  x", Some(6)), ("éé", None), ("ééé é", Some(5))] {
            assert_eq!(widths.beyond(line), beyond, "{line:?}");
        }
    }

    #[test]
    fn columns_are_found_where_all_lines_are_blank() {
        for (lines, found) in [
            (&["code      qty note", "GRP-0041   12 new jaw", "HNG-2     140", ""][..], Some("1 to 8, 11 to 13, 15 to end")),
            (&["GRP-0041   12", "HNG-2     140"], Some("column_1 1 to 8, column_2 11 to end")),
            (&["É 1", "Ü 2"], Some("column_1 1, column_2 3 to end")),
            // One blank between words.
            (&["name      qty", "Bram Sato   7", "Ines Hale 140"], Some("1 to 9, 11 to end")),
            (&["Valley side GRP-1", "Summit      HNG-2"], Some("column_1 1 to 11, column_2 13 to end")),
            (&["one", "two"], None),
            (&["a b"], None),
            (&[], None),
        ] {
            assert_eq!(Widths::of_lines(lines).map(|widths| widths.to_string()).as_deref(), found, "{lines:?}");
        }
    }
}
