//! Lists for `listed in`: a column of a file.

use std::collections::HashSet;
use std::ops::ControlFlow;
use std::path::Path;
use std::sync::Arc;

use keen_notch_core::column::{ColumnRef, Header};
use keen_notch_core::phrase::ast::ListSource;
use keen_notch_core::program::{List, ListTexts, NoList};
use keen_notch_core::text::blank::is_blank;

use crate::files::RunFiles;
use crate::source::Reading;
use crate::source::input::Input;
use crate::table::Table;

const MOST_BYTES: usize = 512 << 20;
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

/// An error in reading a list: an unavailable list, or a column error.
struct SearchError(Result<NoList, crate::Error>);

impl From<crate::Error> for SearchError {
    fn from(error: crate::Error) -> SearchError {
        SearchError(Err(error))
    }
}

/// Reads the texts of a column, without blank cells.
///
/// # Errors
/// The file is an output of the run, is not a regular file, cannot be read, lacks the column, or has no values.
pub fn read(path: &Path, source: &ListSource, files: &RunFiles) -> Result<List, ListError> {
    // Do not quote the file: the list's author may not be allowed to read it.
    let failed = |error: crate::Error| match error {
        crate::Error::NotUtf8 { name, .. } => {
            ListError::List(NoList { reason: format!("{name} is not UTF-8"), help: "save it as UTF-8".to_owned() })
        }
        error => ListError::Table(error),
    };
    // A pipe without a writer would block forever.
    if path.metadata().is_ok_and(|found| !found.is_file() && !found.is_dir()) {
        let reason = format!("{} is not a regular file", path.display());
        return Err(NoList { reason, help: "copy the texts into a file".to_owned() }.into());
    }
    let input = Input::File(path.to_owned());
    files.reads(&input).map_err(failed)?;
    let mut table = Table::open(&[input], &Reading { header: source.has_header, ..Reading::default() }).map_err(failed)?;
    let column = match &source.column {
        None => 0,
        Some(name) => {
            let reason = || format!("{} has no column {name}, or several", path.display());
            let no_column =
                || NoList { reason: reason(), help: "name a column of this file, or write #2 for the second".to_owned() };
            let found =
                table.find(|header| ColumnRef::parse(name).find(header).map_err(|_| Ok(no_column())).map_err(SearchError));
            found.map_err(|SearchError(why)| why.map_or_else(failed, ListError::List))?
        }
    };
    let header =
        if let Header::Names(names) = &table.header { names.get(column).map(|name| name.as_str().into()) } else { None };
    let mut list: HashSet<Box<str>> = HashSet::new();
    let mut bytes = 0;
    table
        .each_batch(&[column], |_, batch| {
            for text in batch.column(column).iter().filter(|text| !is_blank(text)) {
                if !list.contains(text) {
                    bytes += text.len() + EACH;
                    list.insert(text.into());
                }
            }
            if bytes > MOST_BYTES { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
        })
        .map_err(failed)?;
    if bytes > MOST_BYTES {
        let reason = format!("the texts of {} take more than {} MiB of memory", path.display(), MOST_BYTES >> 20);
        return Err(NoList { reason, help: "list fewer texts, or shorter ones".to_owned() }.into());
    }
    if list.is_empty() {
        let help =
            "write the allowed texts into it, one on each line below a header; without a header, add `no header`".to_owned();
        return Err(NoList { reason: format!("{} has no values", path.display()), help }.into());
    }
    Ok(Arc::new(ListTexts { texts: list, header }))
}
