//! Workbooks, in the formats that programs for them have had.

use std::ops::ControlFlow;

use keen_notch_io::formats::FileFormat;
use keen_notch_io::source::Reading;
use keen_notch_io::table::Table;
use keen_notch_io::view::View;

use crate::run::input;

/// The longest text that is taken for a workbook, in bytes: what is packed in it may be much longer.
const LONGEST: usize = 64 << 10;

/// What is no workbook is refused with help; of what is one, all rows have all columns.
pub fn workbook(data: &[u8]) {
    if data.len() > LONGEST {
        return;
    }
    let from = FileFormat::parse("xlsx").expect("it is one");
    let reading = Reading { from: Some(from), ..Reading::default() };
    let mut table = match Table::open(&[input("book", data)], &reading) {
        Ok(table) => table,
        Err(error) => return assert!(!error.to_string().is_empty()),
    };
    let columns: Vec<usize> = (0..table.header.count()).collect();
    let mut last = 0;
    let read = table.each_row(View::Columns(&columns), |row| {
        assert!(columns.iter().any(|column| !row.value(*column).is_empty()), "a row with nothing in it is none");
        assert!(row.lines.0 > last, "rows are in their order");
        last = row.lines.0;
        ControlFlow::Continue(())
    });
    read.expect("all of it has been read");
}
