//! Carving changes no original cell of any table.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use keen_notch_core::carving::Carving;
use keen_notch_core::column::ColumnRef;
use keen_notch_core::piece::{Piece, Rules};
use keen_notch_core::program::Setting;
use keen_notch_core::text::unit::Unit;
use keen_notch_io::carve::{Job, Outs, carve};
use keen_notch_io::sink::Stream;
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use keen_notch_io::table::Table;
use proptest::prelude::*;

/// A raw cell, sometimes in unusual notation.
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

fn carved(text: &str, piece: &str, stride: usize, threads: usize) -> String {
    let input = Input::Memory("a.csv".to_owned(), text.as_bytes().into());
    let reading = Reading { stride: Some(stride), ..Reading::default() };
    let mut table = Table::open(&[input], &reading).unwrap();
    let piece = Piece::parse(piece, 0).unwrap();
    let wanted = Rules { pieces: vec![piece], ..Rules::default() };
    let carving = Carving::new(&wanted, Some(&ColumnRef::Number(2)), &Setting::new(Unit::Characters), &table.header).unwrap();
    let mut out = Vec::new();
    let header = table.header.clone();
    let mut rows = Stream::new("memory", &mut out);
    let mut outs = Outs::of_rows(&mut rows);
    let job = Job::new(carving, &header, &(0..header.count()).collect::<Vec<_>>(), 3).with_threads(threads);
    carve(&mut table, &job, &mut outs).unwrap();
    String::from_utf8(out).unwrap()
}

fn records(text: &str) -> Vec<csv::StringRecord> {
    let mut reader = csv::ReaderBuilder::new().has_headers(false).from_reader(text.as_bytes());
    reader.records().map(|record| record.unwrap()).collect()
}

/// Rows that are larger than the output buffer, with and without quotes.
#[test]
fn rows_of_megabytes_are_written_as_short_ones_are() {
    let long = |cell: &str| cell.repeat(600_000);
    let values = ["x".to_owned(), long("ab"), "a,\"b".to_owned(), long("a\"\r\n,é"), "y".to_owned(), long("z")];
    let quoted = |text: &str| match text.contains([',', '"']) {
        true => format!("\"{}\"", text.replace('"', "\"\"")),
        false => text.to_owned(),
    };
    let table = |with: fn(&str) -> String| {
        let head = if with("").is_empty() { "x,y\n" } else { "x,y,piece\n" };
        let rows = values.iter().map(|value| format!("1,{}{}\n", quoted(value), with(value)));
        std::iter::once(head.to_owned()).chain(rows).collect::<String>()
    };
    let text = table(|_| String::new());
    let with_piece = table(|value| {
        let piece = value.to_uppercase();
        format!(",{}", if piece.contains([',', '"']) { format!("\"{}\"", piece.replace('"', "\"\"")) } else { piece })
    });
    for threads in [1, 3] {
        assert!(carved(&text, "piece: upper", 1 << 16, threads) == with_piece, "{threads} threads");
    }
}

proptest! {
    #[test]
    fn carving_never_changes_an_original_cell(text in table(), stride in 1usize..60) {
        let piece = "piece: first 2 then upper or \"a,b\"";
        let out = carved(&text, piece, stride, 1);
        prop_assert_eq!(&out, &carved(&text, piece, 1 << 16, 1), "the stride shows");
        let (before, after) = (records(&text), records(&out));
        prop_assert_eq!(before.len(), after.len());
        for (before, after) in before.iter().zip(&after) {
            prop_assert_eq!(after.len(), before.len() + 1);
            prop_assert!(before.iter().zip(after).all(|(before, after)| before == after));
        }
        // Byte for byte, with the pieces removed.
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

/// The raw rows with their line ends, divided by the csv crate.
fn raw_rows(text: &str) -> Vec<String> {
    let mut reader = csv::ReaderBuilder::new().has_headers(false).from_reader(text.as_bytes());
    let mut starts: Vec<usize> = Vec::new();
    let mut record = csv::StringRecord::new();
    while reader.read_record(&mut record).unwrap() {
        let start = record.position().unwrap().byte() as usize;
        // The crate starts a record at the line feed of the previous line end.
        starts.push(start + usize::from(start > 0 && text.as_bytes().get(start) == Some(&b'\n')));
    }
    starts
        .iter()
        .enumerate()
        .map(|(n, start)| text[if n == 0 { 0 } else { *start }..*starts.get(n + 1).unwrap_or(&text.len())].to_owned())
        .collect()
}
