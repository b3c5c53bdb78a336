use std::collections::HashMap;

use indexmap::IndexSet;
use keen_notch_core::batch::Span;
use keen_notch_core::column::Header;

use crate::Error;
use crate::formats::json_lines::Style;
use crate::formats::json_lines::chunk::{broken, kind};
use crate::formats::json_lines::line::{self, Key, members};
use crate::source::LineCount;
use crate::source::blocks::Block;
use crate::source::types::{ObservedTypes, Type};

/// Maximum number of keys: objects that use data as keys would have a column for each.
const MOST_KEYS: usize = 10_000;
/// Later paths are not columns.
const MOST_PATHS: usize = 10_000;

/// The columns of the members that can contain a path, each with the rest of the path.
pub struct PathMembers<'k> {
    pub column: usize,
    pub members: Vec<(usize, &'k str)>,
}

/// Keys in the order of their first appearance, with their columns.
#[derive(Debug, Clone, Default)]
pub struct Keys {
    names: Vec<String>,
    columns: HashMap<String, usize>,
    /// The paths of values in members, in the order of their first appearance.
    paths: IndexSet<String>,
    /// The types of the values of each key, in the examined lines.
    pub types: Vec<ObservedTypes>,
}

impl Keys {
    pub fn of(header: &Header) -> Keys {
        let mut keys = Keys::default();
        for column in 0..header.count() {
            keys.add(&header.title(column));
        }
        keys.paths.extend(header.paths().iter().cloned());
        keys
    }

    pub fn count(&self) -> usize {
        self.names.len()
    }

    /// The number of columns and paths.
    pub fn count_with_paths(&self) -> usize {
        self.names.len() + self.paths.len()
    }

    /// The members that can contain a path; `None` for a column.
    pub fn members_of_path(&self, column: usize) -> Option<PathMembers<'_>> {
        let path = self.paths.get_index(column.checked_sub(self.names.len())?)?;
        let points = path.match_indices('.');
        let members = points.filter_map(|(at, _)| Some((*self.columns.get(&path[..at])?, &path[at + 1..])));
        Some(PathMembers { column, members: members.collect() })
    }

    /// The column of a key; `next` is a guess.
    #[inline]
    pub fn column(&self, name: &str, next: usize) -> Option<usize> {
        if self.names.get(next).is_some_and(|expected| expected == name) {
            return Some(next);
        }
        self.columns.get(name).copied()
    }

    /// The column of a key, added if necessary.
    pub fn add(&mut self, name: &str) -> usize {
        if let Some(column) = self.columns.get(name) {
            return *column;
        }
        let column = self.names.len();
        self.names.push(name.to_owned());
        self.types.push(ObservedTypes::default());
        self.columns.insert(name.to_owned(), column);
        column
    }

    /// Adds the keys of the lines that begin in the first `most` bytes of a block, and at least those of its first object. Returns the
    /// style of that object. Too many keys are an error if `all` are needed; otherwise the search stops.
    ///
    /// # Errors The block is not UTF-8, a line is not an object, or there are too many keys.
    pub fn find(&mut self, block: &Block, name: &str, most: usize, all: bool) -> Result<Option<Style>, Error> {
        let text = block.text(name)?;
        let (mut style, mut at, mut count) = (None, 0, LineCount::default());
        for line in text.split_inclusive('\n') {
            if (at >= most || self.names.len() > MOST_KEYS) && style.is_some() {
                break;
            }
            let start = at;
            at += line.len();
            let line = line.trim_end_matches(['\r', '\n']);
            if line.trim_ascii().is_empty() {
                continue;
            }
            let mut found = Style::default();
            let mut last = None;
            let see = |key: Key, value: Span| {
                let column = self.add(key.text());
                let text_of = value.text(line);
                if text_of.starts_with(['{', '[']) && self.paths.len() < MOST_PATHS {
                    let mut path = key.text().to_owned();
                    line::leaves(text_of, &mut path, &mut |path| {
                        if self.paths.len() < MOST_PATHS && !self.paths.contains(path) {
                            self.paths.insert(path.to_owned());
                        }
                    });
                }
                let at_line = || block.line(start, &mut count);
                self.types[column].note(Type::of(kind(text_of), text_of), at_line, name);
                let before = line.as_bytes().get(value.start as usize - 1);
                found.spaces_after_colons |= before == Some(&b' ');
                if let Some(last) = last.replace(value.end as usize) {
                    found.spaces_after_commas |= line[last..].starts_with(", ");
                }
            };
            members(line, true, see).map_err(|no_object| broken(block, name, start, no_object))?;
            if all && self.names.len() > MOST_KEYS {
                let line = block.line(start, &mut count);
                return Err(Error::TooManyKeys { name: name.to_owned(), line, limit: MOST_KEYS });
            }
            style = style.or(Some(found));
        }
        Ok(style)
    }

    pub fn header(&self) -> Header {
        Header::Objects { keys: self.names.clone(), paths: self.paths.iter().cloned().collect() }
    }
}
