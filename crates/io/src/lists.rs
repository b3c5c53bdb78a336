//! The columns of files that phrases name: for `listed in` and `lookup in`.

use std::collections::HashSet;
use std::ops::ControlFlow;
use std::path::Path;
use std::sync::Arc;

use keen_notch_core::column::ColumnRef;
use keen_notch_core::phrase::ast::{ListSource, LookupSource};
use keen_notch_core::phrase::quoted;
use keen_notch_core::program::{List, ListTexts, LookupError, LookupTable, NoList};
use keen_notch_core::text::blank::is_blank;

use crate::files::RunFiles;
use crate::source::Reading;
use crate::source::input::Input;
use crate::table::Table;
use crate::view::View;

/// Limit for the memory of one file, in bytes.
const MOST_BYTES: usize = 512 << 20;
/// Memory of a text beyond its bytes.
const EACH: usize = 40;

pub enum ListError {
    List(NoList),
    Table(crate::Error),
}

impl From<NoList> for ListError {
    fn from(list: NoList) -> ListError {
        ListError::List(list)
    }
}

impl From<crate::Error> for ListError {
    fn from(error: crate::Error) -> ListError {
        match error {
            // Do not quote the file: the list's author may not be allowed to read it.
            crate::Error::NotUtf8 { name, .. } => no_list(format!("{name} is not UTF-8"), "save it as UTF-8").into(),
            error => ListError::Table(error),
        }
    }
}

fn no_list(reason: String, help: impl Into<String>) -> NoList {
    NoList { reason, help: help.into() }
}

/// Reads the texts of a column, without blank cells.
///
/// # Errors
/// The file is an output of the run, is not a regular file, cannot be read, lacks the column, or has no values.
pub fn read(path: &Path, source: &ListSource, files: &RunFiles) -> Result<List, ListError> {
    let mut table = open(path, source, files)?;
    let column = find(&mut table, path, source.column.as_deref(), 0)?;
    let header = header(&table, column).map(Into::into);
    let mut list: HashSet<Box<str>> = HashSet::new();
    let mut bytes = 0;
    table.each_batch(&[column], |_, batch| {
        for text in batch.column(column).iter().filter(|text| !is_blank(text)) {
            if !list.contains(text) {
                bytes += text.len() + EACH;
                list.insert(text.into());
            }
        }
        if bytes > MOST_BYTES { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    })?;
    if bytes > MOST_BYTES {
        return Err(too_large(path).into());
    }
    if list.is_empty() {
        let help = "write the allowed texts into it, one on each line below a header; without a header, add `no header`";
        return Err(no_list(format!("{} has no values", path.display()), help).into());
    }
    Ok(Arc::new(ListTexts { texts: list, header }))
}

/// Reads two columns as keys and results.
///
/// # Errors
/// The errors of [`read`], a blank key, or a key with two results.
pub fn read_lookup(path: &Path, source: &LookupSource, files: &RunFiles) -> Result<Arc<LookupTable>, ListError> {
    let LookupSource { keys, give, .. } = source;
    let mut table = open(path, keys, files)?;
    let key = find(&mut table, path, keys.column.as_deref(), 0)?;
    if give.is_none() && table.header.count() < 2 {
        let help = "the second column holds the results; to test whether a value is in the file, use the condition `listed in`";
        return Err(no_list(format!("{} has only one column", path.display()), help).into());
    }
    let result = find(&mut table, path, give.as_deref(), 1)?;
    if result == key {
        let reason = format!("the keys and the results of {} are the same column", path.display());
        return Err(no_list(reason, "name the column of the results, such as `give \"name\"`").into());
    }
    let mut texts = LookupTable::of_file(source, header(&table, key));
    let mut refused = None;
    table.each_row(View::Columns(&[key, result]), |row| {
        let (key, result) = (row.value(key), row.value(result));
        let at = || format!("{}, line {}", path.display(), row.lines.0);
        refused = if is_blank(key) {
            Some(no_list(format!("{}: the key is blank", at()), "write the key, or remove the line"))
        } else {
            match texts.add(key, result) {
                Ok(()) if texts.bytes() + texts.count() * EACH <= MOST_BYTES => None,
                Err(LookupError::TwoResults(before)) => {
                    let reason = format!(
                        "{}: the key {} has the result {} here, and {} on an earlier line",
                        at(),
                        quoted(key),
                        quoted(result),
                        quoted(&before)
                    );
                    Some(no_list(reason, "keep one of the lines"))
                }
                _ => Some(too_large(path)),
            }
        };
        if refused.is_some() { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    })?;
    match refused {
        Some(refused) => Err(refused.into()),
        None if texts.count() == 0 => {
            let help = "write a key and its result on each line below a header; without a header, add `no header`";
            Err(no_list(format!("{} has no keys", path.display()), help).into())
        }
        None => Ok(Arc::new(texts)),
    }
}

fn open(path: &Path, source: &ListSource, files: &RunFiles) -> Result<Table, ListError> {
    // A pipe without a writer would block forever.
    if path.metadata().is_ok_and(|found| !found.is_file() && !found.is_dir()) {
        return Err(no_list(format!("{} is not a regular file", path.display()), "copy the texts into a file").into());
    }
    let input = Input::File(path.to_owned());
    files.reads(&input)?;
    Ok(Table::open(&[input], &Reading { header: source.has_header, ..Reading::default() })?)
}

/// The index of a column, by name or by default.
fn find(table: &mut Table, path: &Path, name: Option<&str>, default: usize) -> Result<usize, ListError> {
    let Some(name) = name else { return Ok(default) };
    table.find(|header| {
        ColumnRef::parse(name).find(header).map_err(|_| {
            let reason = format!("{} has no column {name}, or several", path.display());
            no_list(reason, "name a column of this file, or write #2 for the second").into()
        })
    })
}

fn header(table: &Table, column: usize) -> Option<&str> {
    table.header.names()?.get(column).map(String::as_str)
}

fn too_large(path: &Path) -> NoList {
    let reason = format!("the texts of {} take more than {} MiB of memory", path.display(), MOST_BYTES >> 20);
    no_list(reason, "use fewer or shorter texts")
}
