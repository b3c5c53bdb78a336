//! Lists that values must be listed in: a column of a CSV file.

use std::collections::HashSet;
use std::ops::ControlFlow;
use std::path::Path;
use std::sync::Arc;

use keen_notch_core::column::ColumnRef;
use keen_notch_core::program::{List, NoList};

use crate::files::RunFiles;
use crate::source::Reading;
use crate::source::input::Input;
use crate::table::Table;

/// Reads the texts of a column of a file; of its first column where none is named. Blank cells are left out.
///
/// # Errors
/// Where the file is an output of the run, cannot be read, has no such column, or lists nothing.
pub fn read(path: &Path, column: Option<&str>, files: &RunFiles) -> Result<List, NoList> {
    let failed = |error: crate::Error| NoList { reason: error.to_string(), help: error.help() };
    let input = Input::File(path.to_owned());
    files.reads(&input).map_err(failed)?;
    let mut table = Table::open(&[input], &Reading::default()).map_err(failed)?;
    let column = match column {
        None => 0,
        Some(name) => {
            let found = ColumnRef::parse(name).find(&table.header);
            found.map_err(|error| NoList { reason: format!("{}: {error}", path.display()), help: error.help() })?
        }
    };
    let mut list: HashSet<Box<str>> = HashSet::new();
    table
        .each_batch(&[column], |_, batch| {
            list.extend(batch.column(column).iter().filter(|text| !text.is_empty()).map(Box::from));
            ControlFlow::Continue(())
        })
        .map_err(failed)?;
    if list.is_empty() {
        let help = "put what is allowed into it, one a row below a header".to_owned();
        return Err(NoList { reason: format!("{} lists nothing", path.display()), help });
    }
    Ok(Arc::new(list))
}
