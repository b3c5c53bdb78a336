//! Tables: a line with options, a cut list, and a table or two, with lines of `====` between.

use std::ops::ControlFlow;

use keen_notch_core::cutlist::CutList;
use keen_notch_io::Error;
use keen_notch_io::source::input::Input;
use keen_notch_io::source::{Ragged, Reading};
use keen_notch_io::table::Table;
use keen_notch_io::view::View;

use crate::run::{Ran, Way, input, run};

/// What takes each value as it is.
const WHOLE: &str = "[piece.whole_]\ntake = 'whole'\n";

/// A run gives the same on any number of threads with any number of bytes read at a time; each row that was read is in one place;
/// original cells keep every byte; what was written is read as it was meant.
pub fn table(data: &[u8]) {
    let Ok(text) = str::from_utf8(data) else { return };
    let mut parts = text.split("\n====\n");
    let (Some(options), Some(list), Some(first)) = (parts.next(), parts.next(), parts.next()) else { return };
    let inputs: Vec<Input> = std::iter::once(first).chain(parts).take(2).map(|table| input("a.csv", table)).collect();
    let options = Options::read(options);
    let whole = CutList::parse(WHOLE, 0).expect("it is one");
    originals_keep_every_byte(first, &inputs[..1], &whole, &options);
    let Ok(list) = CutList::parse(list, 0) else { return };
    let way = Way { threads: 1, guards_formulas: options.guards_formulas, ..Way::default() };
    let ran = match run(&inputs, &list, &options.reading, way) {
        Ok(Some(ran)) => ran,
        Ok(None) => return,
        // It ended before rows were cut, on account of the table.
        Err(error) => return assert!(!error.to_string().is_empty()),
    };
    for (stride, threads) in [(16, 1), (7, 3), (1 << 20, 2)] {
        let other = run(&inputs, &list, &options.reading, Way { stride: Some(stride), threads, ..way });
        let other = other.expect("it has been read").expect("it has been bound");
        let context = || format!("{stride} bytes at a time on {threads} threads: {text:?}");
        match (&other.report, &ran.report) {
            // How much had been written by then is of no account: it is not kept.
            (Err(error), Err(same)) => assert_eq!(error.to_string(), same.to_string(), "{}", context()),
            _ => assert_eq!(format!("{other:?}"), format!("{ran:?}"), "{}", context()),
        }
    }
    each_row_is_in_one_place(&ran, &inputs, &options, text);
}

struct Options {
    reading: Reading,
    delimiter: String,
    guards_formulas: bool,
}

impl Options {
    fn read(words: &str) -> Options {
        let has = |word: &str| words.split_whitespace().any(|option| option == word);
        let delimiter = match () {
            () if has("semicolon") => ";",
            () if has("tab") => "tab",
            () if has("pipe") => "|",
            () if has("apostrophe") => "'",
            () => ",",
        };
        let ragged = match () {
            () if has("keep") => Ragged::Keep,
            () if has("aside") => Ragged::SetAside,
            () => Ragged::Stop,
        };
        let reading = Reading {
            delimiter: Some(delimiter.to_owned()),
            header: !has("no-header"),
            ragged,
            memory: 32 << 20,
            max_row: 1 << 20,
            ..Reading::default()
        };
        Options { reading, delimiter: delimiter.replace("tab", "\t"), guards_formulas: has("guard") }
    }
}

/// The cells of all rows, without the header.
fn cells(inputs: &[Input], reading: &Reading) -> Result<Vec<Vec<String>>, Error> {
    let mut table = Table::open(inputs, reading)?;
    let columns: Vec<usize> = (0..table.header.count()).collect();
    let mut rows = Vec::new();
    table.each_row(View::Columns(&columns), |row| {
        rows.push(columns.iter().map(|column| row.value(*column).to_owned()).collect());
        ControlFlow::Continue(())
    })?;
    Ok(rows)
}

fn each_row_is_in_one_place(ran: &Ran, inputs: &[Input], options: &Options, text: &str) {
    let Ok(report) = &ran.report else { return };
    let counts = &report.totals.rows;
    assert_eq!(counts.kept + counts.set_aside + counts.left_out, counts.read, "{text:?}");
    let reading = Reading { ragged: Ragged::Keep, ..options.reading.clone() };
    let read = cells(inputs, &reading).expect("it has been read");
    assert_eq!(read.len() as u64, counts.read, "{text:?}");
    let written = |rows: &str| {
        // One line with a carriage return in it looks like several whose lines end so.
        let line = rows.trim_end_matches(['\r', '\n']);
        if line.contains('\r') && !line.contains('\n') {
            return None;
        }
        // Without a header, no rows are nothing but what was between them.
        if line.trim_matches(['\u{feff}', '\r', '\n']).is_empty() {
            return Some(0);
        }
        let read = cells(&[input("out.csv", rows)], &reading);
        Some(read.unwrap_or_else(|error| panic!("{error}: {text:?}")).len() as u64)
    };
    if let Some(written) = written(&ran.rows) {
        assert_eq!(written, counts.written, "{:?} of {text:?}", ran.rows);
    }
    if let Some(aside) = written(&ran.offcuts) {
        let wanted = if options.reading.ragged == Ragged::SetAside { counts.set_aside } else { 0 };
        assert_eq!(aside, wanted, "{:?} of {text:?}", ran.offcuts);
    }
}

/// Each row is followed by its first value once more, and nothing else is changed.
fn originals_keep_every_byte(source: &str, inputs: &[Input], whole: &CutList, options: &Options) {
    let way = Way { stride: Some(16), threads: 1, ..Way::default() };
    let Ok(Some(Ran { report: Ok(_), rows, offcuts, .. })) = run(inputs, whole, &options.reading, way) else { return };
    if !offcuts.is_empty() {
        return;
    }
    let values = cells(inputs, &options.reading).expect("it has been read");
    let name = options.reading.header.then(|| "whole_".to_owned());
    let added: Vec<String> = name.into_iter().chain(values.iter().map(|cells| cells[0].clone())).collect();
    let (mut before, mut after) = (source, rows.as_str());
    for cell in &added {
        let (x, y) = (before.as_bytes(), after.as_bytes());
        let same = x.iter().zip(y).take_while(|(x, y)| x == y).count();
        let context = || format!("{rows:?} of {source:?}, after {same} bytes of {before:?}");
        assert!(before[same..].is_empty() || before[same..].starts_with(['\r', '\n']), "{}", context());
        let rest = after[same..].trim_start_matches(&options.delimiter);
        assert!(rest.len() < after[same..].len(), "{}", context());
        let quoted = format!("\"{}\"", cell.replace('"', "\"\""));
        let rest = rest.strip_prefix(&quoted).or_else(|| rest.strip_prefix(cell)).unwrap_or_else(|| panic!("{}", context()));
        let line_end = match () {
            () if before[same..].starts_with("\r\n") => 2,
            () if before[same..].is_empty() => 0,
            () => 1,
        };
        assert!(rest.starts_with(&before[same..same + line_end]), "{}", context());
        (before, after) = (&before[same + line_end..], &rest[line_end..]);
    }
    assert_eq!(before.trim_matches(['\r', '\n']), after.trim_matches(['\r', '\n']), "{rows:?} of {source:?}");
}
