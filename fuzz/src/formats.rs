//! Formats: a line that says what a table is read and written as, and the table.

use std::ops::ControlFlow;
use std::path::Path;
use std::sync::Arc;

use keen_notch_core::cutlist::CutList;
use keen_notch_core::widths::Widths;
use keen_notch_io::Error;
use keen_notch_io::formats::{self, FileFormat, json_lines};
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use keen_notch_io::table::Table;
use keen_notch_io::view::View;

use crate::run::{Way, input, run};

/// What takes each value as it is.
const WHOLE: &str = "[piece.whole_]\ntake = 'whole'\n";

/// A run gives the same on any number of threads with any number of bytes read at a time, and what was written has the values that were
/// read, with the first of them once more.
pub fn format(data: &[u8]) {
    let end = data.iter().position(|byte| *byte == b'\n').unwrap_or(data.len());
    let Ok(words) = str::from_utf8(&data[..end]) else { return };
    let mut endings = words.split_whitespace().map(|word| FileFormat::parse(word).ok()).take_while(|named| {
        named.as_ref().is_some_and(|named| {
            named.compression.is_none() && named.kind.is_some() && formats::check_output(Path::new("-"), *named).is_ok()
        })
    });
    let (Some(Some(from)), Some(Some(to))) = (endings.next(), endings.next()) else { return };
    let widths = Widths::parse("a 1 to 3, b 5 to 9, c 11 to end").expect("they are");
    let reading = Reading {
        from: Some(from),
        widths: from.kind.is_some_and(|kind| kind.needs_positions).then(|| Arc::new(widths)),
        all_columns: true,
        memory: 32 << 20,
        max_row: 1 << 20,
        ..Reading::default()
    };
    let inputs = [input("a", data.get(end + 1..).unwrap_or_default())];
    let list = CutList::parse(WHOLE, 0).expect("it is one");
    let way = Way { threads: 1, to, ..Way::default() };
    let ran = match run(&inputs, &list, &reading, way) {
        Ok(Some(ran)) => ran,
        Ok(None) => return,
        Err(error) => return assert!(!error.to_string().is_empty()),
    };
    for (stride, threads) in [(16, 1), (7, 3)] {
        let other = run(&inputs, &list, &reading, Way { stride: Some(stride), threads, ..way });
        let other = other.expect("it has been read").expect("it has been bound");
        match (&other.report, &ran.report) {
            (Err(error), Err(same)) => assert_eq!(error.to_string(), same.to_string()),
            _ => assert_eq!(format!("{other:?}"), format!("{ran:?}"), "{stride} bytes at a time on {threads} threads"),
        }
    }
    let Ok(report) = &ran.report else { return };
    // A text that is too wide is a fault, and not there.
    if report.totals.rows.with_faults > 0 || report.totals.rows.read == 0 {
        return;
    }
    let (read, header) = values(&inputs, &reading).expect("it has been read");
    // In memory, an array is the lines that it is made of.
    let to = if to.kind == Some(&json_lines::array::INFO) { FileFormat { kind: Some(&json_lines::INFO), ..to } } else { to };
    let again = Reading { from: Some(to), widths: ran.widths.clone().map(Arc::new), ..reading.clone() };
    let (mut written, titles) =
        values(&[input("b", &ran.rows)], &again).unwrap_or_else(|error| panic!("{error}: {:?}", ran.rows));
    if to.kind == Some(&json_lines::INFO) {
        // A key that comes late is read after those of the pieces.
        let place = |title: &String| titles.iter().position(|other| other == title);
        let places: Vec<usize> = header.iter().chain([&"whole_".to_owned()]).filter_map(place).collect();
        written = written.iter().map(|row| places.iter().map(|place| row[*place].clone()).collect()).collect();
    }
    // What is between places is blank, and a line of blanks alone is a row of none.
    let trimmed = |cell: &String| {
        if to.kind.is_some_and(|kind| kind.needs_positions) { cell.trim_matches(' ').to_owned() } else { cell.clone() }
    };
    let wanted: Vec<Vec<String>> = read.iter().map(|row| row.iter().chain(row.first()).map(trimmed).collect()).collect();
    if to.kind.is_some_and(|kind| kind.needs_positions) && wanted.iter().any(|row| row.iter().all(String::is_empty)) {
        return;
    }
    assert_eq!(written, wanted, "{header:?}, {:?}", ran.rows);
}

/// The values of all rows, and what the columns are called.
fn values(inputs: &[Input], reading: &Reading) -> Result<(Vec<Vec<String>>, Vec<String>), Error> {
    let mut table = Table::open(inputs, reading)?;
    let columns: Vec<usize> = (0..table.header.count()).collect();
    let titles = columns.iter().map(|column| table.header.title(*column)).collect();
    let mut rows = Vec::new();
    table.each_row(View::Columns(&columns), |row| {
        rows.push(columns.iter().map(|column| row.value(*column).to_owned()).collect());
        ControlFlow::Continue(())
    })?;
    Ok((rows, titles))
}
