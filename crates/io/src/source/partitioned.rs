//! Columns from the names of folders, such as `depot=North/day=2025-03-01/part-0.csv`. They follow the columns of the file.

use std::any::Any;
use std::iter;
use std::ops::Range;
use std::path::Path;
use std::sync::Arc;

use keen_notch_core::batch::Span;
use keen_notch_core::column::Header;
use percent_encoding::percent_decode_str;

use crate::Error;
use crate::source::input::Input;
use crate::source::types::{ObservedTypes, Type};
use crate::source::{Cell, CellKind, Chunk, Format, LineCount, RawRows, Rows, Source, Values};

/// The folder name that Hive and the programs after it write for a missing value.
const MISSING: &str = "__HIVE_DEFAULT_PARTITION__";

/// The folders of a file: the names of columns and their values.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Folders {
    names: Vec<String>,
    values: Vec<String>,
}

impl Folders {
    /// The folders in a path whose names have the form `NAME=VALUE`. Characters such as `%3A` are decoded.
    fn of(path: &Path) -> Folders {
        let decoded = |text: &str| percent_decode_str(text).decode_utf8().map_or(text.to_owned(), |text| text.into_owned());
        let mut folders = Folders { names: Vec::new(), values: Vec::new() };
        for folder in path.parent().into_iter().flat_map(Path::components) {
            let folder = folder.as_os_str().to_string_lossy();
            if let Some((name, value)) = folder.split_once('=').filter(|(name, _)| !name.is_empty()) {
                folders.names.push(decoded(name));
                folders.values.push(if value == MISSING { String::new() } else { decoded(value) });
            }
        }
        folders
    }
}

/// Adds the columns of its folders to the source of an input.
///
/// # Errors
/// The input is no file in such a folder, or two columns have one name.
pub(crate) fn with_folders(source: Box<dyn Source>, input: &Input) -> Result<Box<dyn Source>, Error> {
    let failed = |why: String| Error::Partitions { name: input.name(), why };
    let Some(path) = input.path() else { return Err(failed("is not a file in a folder".to_owned())) };
    let folders = Folders::of(path);
    if folders.names.is_empty() {
        return Err(failed("is not in a folder with a name such as depot=North".to_owned()));
    }
    let own = source.header();
    let of_file = own.names().unwrap_or_default();
    for (index, name) in folders.names.iter().enumerate() {
        if of_file.contains(name) {
            return Err(failed(format!("has a column {name}, and a folder {name}= in its path")));
        }
        if folders.names[..index].contains(name) {
            return Err(failed(format!("has two folders {name}= in its path")));
        }
    }
    let header = match own {
        Header::Names(names) => Header::Names([&names[..], &folders.names].concat()),
        Header::Objects { keys, paths } => Header::Objects { keys: [&keys[..], &folders.names].concat(), paths: paths.clone() },
        Header::Unnamed(count) => Header::Unnamed(count + folders.names.len()),
    };
    // The types of a file without types are not known.
    let mut types = source.types().to_vec();
    if !types.is_empty() {
        types.resize(own.count(), ObservedTypes::default());
        types.extend(iter::repeat_n(ObservedTypes { first: Some((Type::Text, 1)), other: None }, folders.names.len()));
    }
    let columns = Columns { of_file: own.count(), of_folders: folders.names.len() };
    Ok(Box::new(PartitionedSource { source, header, types, columns, values: folders.values.into() }))
}

/// The columns of the file, of its folders, and then the paths in values of the file.
#[derive(Debug, Clone, Copy)]
struct Columns {
    of_file: usize,
    of_folders: usize,
}

impl Columns {
    /// The index of a column in the file; `None` for a folder.
    fn in_file(self, column: usize) -> Option<usize> {
        match column {
            column if column < self.of_file => Some(column),
            column => column.checked_sub(self.of_folders).filter(|column| *column >= self.of_file),
        }
    }

    fn all_in_file(self, columns: &[usize]) -> Vec<usize> {
        columns.iter().filter_map(|column| self.in_file(*column)).collect()
    }
}

struct PartitionedSource {
    source: Box<dyn Source>,
    header: Header,
    types: Vec<ObservedTypes>,
    columns: Columns,
    values: Arc<[String]>,
}

impl Source for PartitionedSource {
    fn name(&self) -> &str {
        self.source.name()
    }

    fn header(&self) -> &Header {
        &self.header
    }

    fn file_header(&self) -> &Header {
        self.source.header()
    }

    fn values_of_folders(&self) -> &[String] {
        &self.values
    }

    fn next_chunk(&mut self) -> Result<Option<Box<dyn Chunk>>, Error> {
        let chunk = self.source.next_chunk()?;
        let (columns, values) = (self.columns, &self.values);
        Ok(chunk.map(|chunk| -> Box<dyn Chunk> {
            Box::new(PartitionedChunk { chunk, columns, values: Arc::clone(values), are_needed: false })
        }))
    }

    fn format(&self) -> Format {
        self.source.format()
    }

    fn need(&mut self, columns: &[usize]) {
        self.source.need(&self.columns.all_in_file(columns));
    }

    fn share_reading(&mut self) {
        self.source.share_reading();
    }

    fn types(&self) -> &[ObservedTypes] {
        &self.types
    }

    fn may_have_more_columns(&self) -> bool {
        self.source.may_have_more_columns()
    }
}

struct PartitionedChunk {
    chunk: Box<dyn Chunk>,
    columns: Columns,
    values: Arc<[String]>,
    are_needed: bool,
}

impl Chunk for PartitionedChunk {
    fn open(&mut self, columns: &[usize]) -> Result<(), Error> {
        // Values of folders come before values of paths.
        self.are_needed = columns.last().is_some_and(|last| *last >= self.columns.of_file);
        self.chunk.open(&self.columns.all_in_file(columns))
    }

    fn open_cells(&mut self, columns: &[usize]) -> Result<(), Error> {
        self.chunk.open_cells(&self.columns.all_in_file(columns))
    }

    fn source(&self) -> &str {
        self.chunk.source()
    }

    fn of_input(&self, text: usize) -> &str {
        match text.checked_sub(1) {
            None => self.source(),
            Some(value) => self.values.get(value).map_or("", String::as_str),
        }
    }

    fn text(&self) -> Result<&str, Error> {
        self.chunk.text()
    }

    fn rows(&self) -> usize {
        self.chunk.rows()
    }

    fn cells_of_row(&self, columns: usize) -> usize {
        self.chunk.cells_of_row(columns)
    }

    fn take<'c>(&'c self, text: &'c str, rows: Range<usize>, into: &mut Rows<'c>) {
        self.chunk.take(text, rows, into);
        if self.are_needed {
            let (count, after) = (into.len(), self.columns.of_file);
            if into.columns.len() < after {
                into.columns.resize_with(after, Values::default);
            }
            let values = self.values.iter().map(|value| of_each_row(value, count));
            into.columns.splice(after..after, values).for_each(drop);
        }
    }

    fn cell<'c>(&'c self, text: &'c str, row: usize, column: usize) -> Cell<'c> {
        match self.columns.in_file(column) {
            Some(column) => self.chunk.cell(text, row, column),
            None => Cell::new(CellKind::Text, self.of_input(column - self.columns.of_file + 1)),
        }
    }

    fn ragged(&self, rows: Range<usize>) -> &[(u32, u32)] {
        self.chunk.ragged(rows)
    }

    fn line(&self, row: usize, from: &mut LineCount) -> u64 {
        self.chunk.line(row, from)
    }

    fn raw(&self) -> Option<RawRows<'_>> {
        self.chunk.raw()
    }

    fn own(&self) -> Option<&dyn Any> {
        self.chunk.own()
    }

    fn size(&self) -> usize {
        self.chunk.size()
    }
}

fn of_each_row(value: &str, rows: usize) -> Values<'_> {
    let mut values = Values::default();
    values.fill(value, iter::repeat_n(Span::new(0, value.len()), rows));
    values
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn folders_of_the_form_name_and_value_are_columns() {
        let folders = |path: &str| {
            let Folders { names, values } = Folders::of(Path::new(path));
            names.into_iter().zip(values).collect::<Vec<_>>()
        };
        let pair = |name: &str, value: &str| (name.to_owned(), value.to_owned());
        assert_eq!(folders("yard/depot=North/day=2025-03-01/a=b.csv"), [pair("depot", "North"), pair("day", "2025-03-01")]);
        assert_eq!(folders("depot=a%3Ab%25/other/x==y/p.csv"), [pair("depot", "a:b%"), pair("x", "=y")]);
        assert_eq!(folders("depot=__HIVE_DEFAULT_PARTITION__/no=/p.csv"), [pair("depot", ""), pair("no", "")]);
        assert_eq!(folders("=x/p.csv"), []);
        assert_eq!(folders("depot=%FF/p.csv"), [pair("depot", "%FF")]);
    }
}
