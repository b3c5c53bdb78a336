//! Reads tables in every encoding, with every delimiter and with irregular rows, and compares with another package.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::ops::ControlFlow;

use keen_notch_io::Error;
use keen_notch_io::source::input::{Encoding, Input};
use keen_notch_io::source::{Ragged, Reading};
use keen_notch_io::table::Table;
use keen_notch_io::view::View;
use proptest::prelude::*;
use proptest::sample::select;

/// The cells of all rows, with the first line of each.
fn rows(bytes: &[u8], reading: &Reading) -> Result<Vec<(u64, Vec<String>)>, Error> {
    let mut table = Table::open(&[Input::Memory("a.txt".to_owned(), bytes.into())], reading)?;
    let columns: Vec<usize> = (0..table.header.count()).collect();
    let mut rows = Vec::new();
    table.each_row(View::Columns(&columns), |row| {
        rows.push((row.lines.0, columns.iter().map(|column| row.value(*column).to_owned()).collect()));
        ControlFlow::Continue(())
    })?;
    Ok(rows)
}

/// A cell, with quotes if necessary, and sometimes otherwise.
fn cell(delimiter: char) -> impl Strategy<Value = String> {
    ("[a-zA-Z0-9 ;,|\té-]{0,6}", any::<bool>()).prop_map(move |(text, quotes)| {
        match quotes || text.contains([delimiter, '"']) {
            true => format!("\"{}\"", text.replace('"', "\"\"")),
            false => text,
        }
    })
}

fn table(delimiter: char) -> impl Strategy<Value = String> {
    let row = proptest::collection::vec(cell(delimiter), 3);
    proptest::collection::vec(row, 1..30).prop_map(move |rows| {
        let between = delimiter.to_string();
        let rows = rows.iter().map(|cells| cells.join(&between) + "\n");
        format!("x{delimiter}y{delimiter}z\n{}", rows.collect::<String>())
    })
}

fn read_elsewhere(text: &str, delimiter: char) -> Vec<Vec<String>> {
    let mut reader = csv::ReaderBuilder::new().delimiter(delimiter as u8).flexible(true).from_reader(text.as_bytes());
    reader.records().map(|record| record.unwrap().iter().map(str::to_owned).collect()).collect()
}

proptest! {
    #[test]
    fn every_delimiter_is_read_like_another_library(
        (delimiter, text) in select(vec![',', ';', '\t', '|', ':', '~']).prop_flat_map(|delimiter| (Just(delimiter), table(delimiter))),
        stride in select(vec![16, 1 << 20]), crlf in any::<bool>(),
    ) {
        let text = if crlf { text.replace('\n', "\r\n") } else { text };
        let name = if delimiter == '\t' { "tab".to_owned() } else { delimiter.to_string() };
        let reading = Reading { delimiter: Some(name), stride: Some(stride), ..Reading::default() };
        let found = rows(text.as_bytes(), &reading).unwrap();
        let cells: Vec<Vec<String>> = found.iter().map(|(_, cells)| cells.clone()).collect();
        prop_assert_eq!(cells, read_elsewhere(&text, delimiter));
        // Here cells have no line ends, so each row is one line.
        prop_assert!(found.iter().enumerate().all(|(index, (line, _))| *line == index as u64 + 2));
    }

    #[test]
    fn other_encodings_give_the_same_text(
        text in table(','), label in select(vec!["windows-1252", "iso-8859-15", "utf-16le", "utf-16be", "macintosh", "utf-8"]),
        mark in any::<bool>(), stride in select(vec![16, 1 << 20]),
    ) {
        let is_utf16 = label.starts_with("utf-16");
        let mut bytes: Vec<u8> = match label {
            "utf-16le" => text.encode_utf16().flat_map(u16::to_le_bytes).collect(),
            "utf-16be" => text.encode_utf16().flat_map(u16::to_be_bytes).collect(),
            label => {
                let (bytes, _, had_errors) = encoding_rs::Encoding::for_label(label.as_bytes()).unwrap().encode(&text);
                prop_assert!(!had_errors);
                bytes.into_owned()
            }
        };
        if mark && is_utf16 {
            let mark: [u8; 2] = if label == "utf-16le" { [0xFF, 0xFE] } else { [0xFE, 0xFF] };
            bytes.splice(0..0, mark);
        }
        let reading = Reading { encoding: Some(Encoding::named(label).unwrap()), stride: Some(stride), ..Reading::default() };
        let plain = rows(text.as_bytes(), &Reading::default()).unwrap();
        prop_assert_eq!(rows(&bytes, &reading).unwrap(), plain, "{}", label);
    }

    #[test]
    fn invalid_utf_8_is_named_with_its_line(text in table(','), at in 0usize..2000, stride in select(vec![16, 1 << 20])) {
        let mut bytes = text.clone().into_bytes();
        let at = (0..=at.min(bytes.len() - 1)).rev().find(|at| text.is_char_boundary(*at) && bytes[*at] != b'\n').unwrap_or(0);
        bytes.insert(at, 0xFF);
        // Before an opening quote, the byte makes the quote an ordinary character, and the row may have more cells.
        let reading = Reading { stride: Some(stride), ragged: Ragged::Keep, ..Reading::default() };
        // Beside a quote, any character can open a quote or keep one open. That error comes first.
        let mut valid = text.clone();
        valid.insert(at, 'x');
        prop_assume!(!matches!(rows(valid.as_bytes(), &reading), Err(Error::UnclosedQuote { .. })));
        let (line, byte, value) = match rows(&bytes, &reading) {
            Err(Error::NotUtf8 { line, byte, value, .. }) => (line, byte, value),
            other => panic!("{other:?}, with a byte at {at}"),
        };
        let before = &bytes[..at];
        let line_start = before.iter().rposition(|byte| *byte == b'\n').map_or(0, |feed| feed + 1);
        let expected = (before.iter().filter(|byte| **byte == b'\n').count() as u64 + 1, at - line_start + 1, 0xFF);
        prop_assert_eq!((line, byte, value), expected);
    }

    #[test]
    fn rows_of_other_lengths_stop_a_run_or_are_kept(text in table(','), at in 0usize..30, more in any::<bool>()) {
        // One row gets a cell more or less.
        let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
        let at = 1 + at % (lines.len() - 1);
        let whole = read_elsewhere(&text, ',');
        lines[at] = if more { format!("{},more", lines[at]) } else { "a,b".to_owned() };
        let changed = lines.join("\n") + "\n";
        let found = match rows(changed.as_bytes(), &Reading::default()) {
            Err(Error::Ragged { line, found, wanted: 3, .. }) => (line, found),
            other => panic!("{other:?}"),
        };
        prop_assert_eq!(found, (at as u64 + 1, if more { 4 } else { 2 }));
        let kept = rows(changed.as_bytes(), &Reading { ragged: Ragged::Keep, ..Reading::default() }).unwrap();
        let mut expected = whole;
        if !more {
            expected[at - 1] = vec!["a".to_owned(), "b".to_owned(), String::new()];
        }
        prop_assert_eq!(kept.into_iter().map(|(_, cells)| cells).collect::<Vec<_>>(), expected);
    }
}

/// The text of each error: a sentence, without internal names.
#[test]
fn every_error_has_a_place() {
    let read = |content: &[u8]| rows(content, &Reading::default()).unwrap_err();
    let with = |content: &str, reading: Reading| rows(content.as_bytes(), &reading).unwrap_err();
    let of_delimiter = |delimiter: &str| Reading { delimiter: Some(delimiter.to_owned()), ..Reading::default() };
    for (error, said) in [
        (read(b""), "a.txt is empty, so it has no header to find columns by"),
        (read(b"a,b\n1\n"), "a.txt, line 2: the row has 1 cell where 2 were expected"),
        (read(b"a,b\n1,2,3\n"), "a.txt, line 2: the row has 3 cells where 2 were expected"),
        (read(b"a,b\n1,\"x\n2,3\n"), "a.txt, line 2: a quote opens a cell here and is never closed"),
        (read(b"a\nx\xFCy\n"), "a.txt, line 2: byte 2 of the line (hex FC) is not UTF-8"),
        (read(b"\xFE\xFF\0a\0\n"), "a.txt is UTF-16, not UTF-8: it begins with that byte-order mark"),
        (read(b"a\rb\r"), "a.txt: its lines end in carriage returns alone, so it reads as one long row"),
        (with("a\n1\n", of_delimiter("::")), "\"::\" cannot be a delimiter"),
        (with("a\n1\n", of_delimiter("é")), "\"é\" cannot be a delimiter"),
        (with("a\n1\n", of_delimiter("\"")), "\"\\\"\" cannot be a delimiter"),
        (Encoding::named("utf-9").unwrap_err(), "unknown encoding utf-9"),
    ] {
        assert_eq!(error.to_string(), said);
        assert!(!error.is_closed_pipe());
    }
}

#[test]
fn later_inputs_must_have_the_same_columns() {
    let input = |name: &str, text: &str| Input::Memory(name.to_owned(), text.as_bytes().into());
    let open = |second: &str| Table::open(&[input("a.csv", "x,y\n1,2\n"), input("b.csv", second)], &Reading::default());
    assert!(open("x,y\n3,4\n").is_ok());
    for (second, said) in [
        ("x,z\n", "b.csv and a.csv have different columns: column 2 is z in b.csv and y in a.csv"),
        ("y,x\n", "b.csv and a.csv have different columns: column 1 is y in b.csv and x in a.csv"),
        ("x\n", "b.csv and a.csv have different columns: b.csv has no column 2, which is y in a.csv"),
        ("x,y,z\n", "b.csv and a.csv have different columns: b.csv has a column 3, z, and a.csv does not"),
    ] {
        match open(second) {
            Err(error) => assert_eq!(error.to_string(), said),
            Ok(_) => panic!("{second:?} was taken"),
        }
    }
}

#[test]
fn a_file_truncated_during_reading_is_an_error() {
    let rows = |count: usize| format!("a,b\n{}", "1,2\n".repeat(count));
    for (bytes_left, is_read) in [(0, false), (5_000, false), (80_000, true)] {
        let mut file = tempfile::NamedTempFile::new().unwrap();
        std::io::Write::write_all(&mut file, rows(10_000).as_bytes()).unwrap();
        let reading = Reading { stride: Some(1024), ..Reading::default() };
        let mut table = Table::open(&[Input::File(file.path().to_owned())], &reading).unwrap();
        assert!(table.next_part().unwrap().is_some());
        // Growth is ignored.
        std::io::Write::write_all(&mut file, rows(20_000).as_bytes()).unwrap();
        file.as_file().set_len(bytes_left).unwrap();
        let outcome = std::iter::from_fn(|| table.next_part().transpose()).find_map(Result::err);
        assert_eq!(outcome.is_none(), is_read, "{bytes_left}: {outcome:?}");
        if let Some(error) = outcome {
            assert!(error.to_string().ends_with("cannot be read: it was truncated while it was read"), "{error}");
        }
    }
}

#[test]
fn a_file_changed_between_two_readings_is_an_error() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("parts.csv");
    let read = |table: &mut Table| std::iter::from_fn(|| table.next_part().transpose()).find_map(Result::err);
    for change in ["nothing", "longer", "as long", "another file"] {
        std::fs::write(&path, "a,b\n1,2\n").unwrap();
        let mut table = Table::open(&[Input::File(path.clone())], &Reading::default()).unwrap();
        assert!(read(&mut table).is_none());
        let mut again = table.again().unwrap();
        match change {
            "longer" => std::fs::write(&path, "a,b\n1,2\n3,4\n").unwrap(),
            "as long" => {
                std::fs::write(&path, "a,b\n1,3\n").unwrap();
                let file = std::fs::File::options().write(true).open(&path).unwrap();
                file.set_modified(std::time::SystemTime::UNIX_EPOCH).unwrap();
            }
            "another file" => {
                std::fs::write(folder.path().join("new"), "a,b\n1,2\n").unwrap();
                std::fs::rename(folder.path().join("new"), &path).unwrap();
            }
            _ => {}
        }
        let outcome = read(&mut again).map(|error| error.to_string());
        let expected = (change != "nothing").then(|| format!("{} changed while it was read", path.display()));
        assert_eq!(outcome, expected, "{change}");
    }
}
