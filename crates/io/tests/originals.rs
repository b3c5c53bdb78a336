//! What must hold for every table: carving changes no original cell, by any reader's account.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::fs;

use keen_notch_core::carving::Carving;
use keen_notch_core::column::ColumnRef;
use keen_notch_core::piece::{Piece, Wanted};
use keen_notch_core::program::Setting;
use keen_notch_core::text::unit::Unit;
use keen_notch_io::carve::{Job, Outs, carve};
use keen_notch_io::source::input::Input;
use keen_notch_io::table::{Reading, Table};
use proptest::prelude::*;

/// One cell as it stands in a file, quotes and all; now and then with what careful writers avoid.
fn raw_cell() -> impl Strategy<Value = String> {
    prop_oneof![
        4 => "[a-zA-Z0-9 é-]{0,6}",
        2 => "[a,\"\r\n東-]{0,6}".prop_map(|text| format!("\"{}\"", text.replace('"', "\"\""))),
        1 => "[a-z]{1,2}\"[a-z]{0,2}",
    ]
}

fn table() -> impl Strategy<Value = String> {
    (2usize..5, proptest::bool::ANY, proptest::bool::ANY, proptest::bool::ANY).prop_flat_map(
        |(columns, crlf, last_end, mark)| {
            let rows = proptest::collection::vec(proptest::collection::vec(raw_cell(), columns), 1..8);
            rows.prop_map(move |rows| {
                let line_end = if crlf { "\r\n" } else { "\n" };
                let header = (0..columns).map(|index| format!("c{index}")).collect::<Vec<_>>().join(",");
                let rows: Vec<String> = std::iter::once(header).chain(rows.iter().map(|cells| cells.join(","))).collect();
                let mark = if mark { "\u{feff}" } else { "" };
                format!("{mark}{}{}", rows.join(line_end), if last_end { line_end } else { "" })
            })
        },
    )
}

fn carved(text: &str, stride: usize, threads: usize) -> String {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.csv");
    fs::write(&path, text).unwrap();
    let reading = Reading { stride: Some(stride), ..Reading::default() };
    let mut table = Table::open(&[Input::File(path)], &reading).unwrap();
    let piece = Piece::parse("piece: first 2 then upper or \"a,b\"", 0).unwrap();
    let wanted = Wanted { pieces: vec![piece], ..Wanted::default() };
    let carving = Carving::new(&wanted, Some(&ColumnRef::Number(2)), &Setting::new(Unit::Characters), &table.header).unwrap();
    let mut out = Vec::new();
    let header = table.header.clone();
    let mut outs = Outs { rows: &mut out, name: "test".to_owned(), offcuts: None, faults: None };
    let job = Job::new(carving, &header, &(0..header.count()).collect::<Vec<_>>(), 3).with_threads(threads);
    carve(&mut table, &job, &mut outs).unwrap();
    String::from_utf8(out).unwrap()
}

fn records(text: &str) -> Vec<csv::StringRecord> {
    let mut reader = csv::ReaderBuilder::new().has_headers(false).from_reader(text.as_bytes());
    reader.records().map(|record| record.unwrap()).collect()
}

proptest! {
    #[test]
    fn carving_never_changes_an_original_cell(text in table(), stride in 1usize..60) {
        let out = carved(&text, stride, 1);
        prop_assert_eq!(&out, &carved(&text, 1 << 16, 1), "the stride shows");
        let (before, after) = (records(&text), records(&out));
        prop_assert_eq!(before.len(), after.len());
        for (before, after) in before.iter().zip(&after) {
            prop_assert_eq!(after.len(), before.len() + 1);
            prop_assert!(before.iter().zip(after).all(|(before, after)| before == after));
        }
        // Byte for byte, with the pieces taken out again: every row is followed by its piece.
        let mut rest = out.as_str();
        for (record, piece) in raw_rows(&text).iter().zip(after.iter().map(|record| &record[record.len() - 1])) {
            let quoted = if piece.contains([',', '"', '\n', '\r']) { format!("\"{}\"", piece.replace('"', "\"\"")) } else { piece.to_owned() };
            let row_end = record.trim_end_matches(['\r', '\n']).len();
            let expected = format!("{},{quoted}{}", &record[..row_end], &record[row_end..]);
            prop_assert!(rest.starts_with(&expected), "{:?} does not begin with {:?}", rest, expected);
            rest = &rest[expected.len()..];
        }
        prop_assert_eq!(rest, "");
    }
}

/// The rows with their line ends, told apart by the csv crate's account of where each begins.
fn raw_rows(text: &str) -> Vec<String> {
    let mut reader = csv::ReaderBuilder::new().has_headers(false).from_reader(text.as_bytes());
    let mut starts: Vec<usize> = Vec::new();
    let mut record = csv::StringRecord::new();
    while reader.read_record(&mut record).unwrap() {
        let start = record.position().unwrap().byte() as usize;
        // The crate lets a record begin on the line feed of the line end before it.
        starts.push(start + usize::from(start > 0 && text.as_bytes().get(start) == Some(&b'\n')));
    }
    starts
        .iter()
        .enumerate()
        .map(|(n, start)| text[if n == 0 { 0 } else { *start }..*starts.get(n + 1).unwrap_or(&text.len())].to_owned())
        .collect()
}
