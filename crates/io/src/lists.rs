//! Lists that values must be listed in: a column of a CSV file.

use std::collections::HashSet;
use std::ops::ControlFlow;
use std::path::Path;
use std::sync::Arc;

use keen_notch_core::column::ColumnRef;
use keen_notch_core::plan::List;

use crate::input::Input;
use crate::table::{Reading, Table};

/// Reads the texts of a column of a file; of its first column where none is named. Blank cells are left out.
///
/// # Errors
/// What is wrong with the file, and what to do about it, each in a sentence.
pub fn read(path: &Path, column: Option<&str>) -> Result<List, (String, String)> {
    let failed = |error: crate::Error| (error.to_string(), error.mend());
    let mut table = Table::open(&[Input::File(path.to_owned())], &Reading::default()).map_err(failed)?;
    let column = match column {
        None => 0,
        Some(name) => {
            let found = ColumnRef::parse(name).find(&table.header);
            found.map_err(|error| (format!("{}: {error}", path.display()), error.mend()))?
        }
    };
    let mut list = HashSet::new();
    table
        .each_row(|record, _| {
            let text = record.owned_value(column);
            if !text.is_empty() {
                list.insert(text.into_boxed_str());
            }
            ControlFlow::Continue(())
        })
        .map_err(failed)?;
    if list.is_empty() {
        let mend = "put what is allowed into it, one a row below a header".to_owned();
        return Err((format!("{} lists nothing", path.display()), mend));
    }
    Ok(Arc::new(list))
}
