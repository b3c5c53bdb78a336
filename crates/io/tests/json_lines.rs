//! Compares JSON Lines with another package.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use keen_notch_core::carving::Carving;
use keen_notch_core::column::Header;
use keen_notch_core::piece::{Piece, Rules};
use keen_notch_core::program::Setting;
use keen_notch_io::Error;
use keen_notch_io::carve::{Job, Outs, carve};
use keen_notch_io::formats::FileFormat;
use keen_notch_io::sink::Stream;
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use keen_notch_io::table::Table;
use proptest::prelude::*;
use proptest::sample::select;
use serde_json::{Map, Value};

/// Carves a table and writes it in the format of an extension.
fn run(name: &str, bytes: &[u8], pieces: &[&str], to: &str, (stride, threads): (usize, usize)) -> Result<String, Error> {
    let reading = Reading { stride: Some(stride), all_columns: true, ..Reading::default() };
    let mut table =
        Table::open(&[Input::Memory(name.to_owned(), bytes.into())], &Reading { from: Some(ending(name)), ..reading })?;
    let pieces = pieces.iter().map(|piece| Piece::parse(piece, 0).unwrap()).collect();
    let carving = Carving::new(&Rules { pieces, ..Rules::default() }, None, &Setting::new(Default::default()), &table.header);
    let header: Header = table.header.clone();
    let originals: Vec<usize> = (0..header.count()).collect();
    let job = Job::new(carving.unwrap(), &header, &originals, 0)
        .with_threads(threads)
        .with_formats(ending(to), FileFormat::default());
    let mut bytes = Vec::new();
    carve(&mut table, &job, &mut Outs::of_rows(&mut Stream::new("memory", &mut bytes)))?;
    Ok(String::from_utf8(bytes).unwrap())
}

fn ending(name: &str) -> FileFormat {
    FileFormat::parse(name.rsplit('.').next().unwrap()).unwrap()
}

/// A value in various notations, with and without escapes.
fn value() -> impl Strategy<Value = String> {
    prop_oneof![
        4 => "[ -!#-\\[\\]-~é\u{1f6a0}]{0,12}".prop_map(|text| format!("\"{text}\"")),
        2 => any::<String>().prop_map(|text| Value::from(text).to_string()),
        1 => select(vec![r#""a\u00e9\n\"b\"""#, r#""\\""#, r#""\/\b\f\ud83d\udea0""#, "\"\""]).prop_map(str::to_owned),
        2 => select(vec!["null", "true", "false", "0", "-0.0", "1e9", "12.50", "123456789012345678901234567890"]).prop_map(str::to_owned),
        1 => select(vec![r#"{"a": [1, "}"]}"#, "[]", r#"[ "x" , {} ]"#]).prop_map(str::to_owned),
    ]
}

/// A line with some of five keys, in any order and spacing.
fn line() -> impl Strategy<Value = String> {
    let keys = Just(vec!["code", "qty", "si\\u0074e", "é", "a b"]).prop_shuffle();
    let spaces = (select(vec!["", " "]), select(vec!["", " "]), select(vec!["", " ", "  "]));
    (keys, proptest::collection::vec(value(), 5), 0..=5_usize, spaces).prop_map(|(keys, values, count, (colon, comma, end))| {
        let members = keys.iter().zip(values).take(count).map(|(key, value)| format!("\"{key}\":{colon}{value}"));
        format!("{end}{{{}{end}}}{end}", members.collect::<Vec<_>>().join(&format!(",{comma}")))
    })
}

fn seen(value: Option<&Value>) -> String {
    match value {
        None | Some(Value::Null) => String::new(),
        Some(Value::String(text)) => text.clone(),
        Some(other) => other.to_string(),
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn objects_keep_their_members_and_get_pieces(
        lines in proptest::collection::vec(prop_oneof![9 => line(), 1 => select(vec![String::new(), " ".to_owned()])], 1..30),
        line_end in select(vec!["\n", "\r\n"]),
        ends in any::<bool>(),
        stride in 1_usize..500,
        threads in 1_usize..3,
    ) {
        // One line has all columns.
        let first = r#"{"code":"GRP-1","qty":1,"site":"a","é":null,"a b":""}"#.to_owned();
        let lines: Vec<String> = std::iter::once(first).chain(lines).collect();
        let text = lines.join(line_end) + if ends { line_end } else { "" };
        let pieces = ["whole of code: whole", "first of site: first 2 or \"-\""];
        let out = run("a.jsonl", text.as_bytes(), &pieces, "jsonl", (stride, threads)).unwrap();
        let written: Vec<&str> = out.split(line_end).collect();
        prop_assert_eq!(written.len(), text.split(line_end).count());
        for (read, written) in lines.iter().zip(&written) {
            if read.trim().is_empty() {
                prop_assert_eq!(read, written);
                continue;
            }
            // Unchanged up to the last member and after it.
            let end = read.rfind('}').unwrap();
            let kept = read[..end].trim_end();
            prop_assert!(written.starts_with(kept), "{} {}", read, written);
            prop_assert!(written.ends_with(&read[end..]));
            let read: Map<String, Value> = serde_json::from_str(read).unwrap();
            let written: Map<String, Value> = serde_json::from_str(written).unwrap();
            prop_assert_eq!(written.len(), read.len() + 2);
            for (key, value) in &read {
                prop_assert_eq!(&written[key], value);
            }
            let code = seen(read.get("code"));
            if !matches!(read.get("code"), Some(Value::Number(_) | Value::Array(_) | Value::Object(_))) {
                let wanted = if code.is_empty() { Value::Null } else { Value::from(code) };
                prop_assert_eq!(&written["whole"], &wanted);
            }
        }
    }

    #[test]
    fn objects_survive_a_trip_through_delimited_text(
        lines in proptest::collection::vec(line(), 1..20),
        to in select(vec!["csv", "tsv", "psv"]),
        threads in 1_usize..3,
    ) {
        let text = lines.join("\n");
        let rows: Vec<Map<String, Value>> = lines.iter().map(|line| serde_json::from_str(line).unwrap()).collect();
        prop_assume!(rows.iter().any(|row| !row.is_empty()));
        let delimited = run("a.jsonl", text.as_bytes(), &[], to, (1 << 18, threads)).unwrap();
        let objects = run(&format!("a.{to}"), delimited.as_bytes(), &[], "jsonl", (100, threads)).unwrap();
        let again: Vec<Map<String, Value>> = objects.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
        prop_assert_eq!(again.len(), rows.len());
        for (row, again) in rows.iter().zip(&again) {
            for key in again.keys() {
                let value = row.get(key);
                // Numbers and nested values keep their notation, which the other package does not.
                if !matches!(value, Some(Value::Number(_) | Value::Array(_) | Value::Object(_))) {
                    prop_assert_eq!(&again[key], &Value::from(seen(value)));
                }
            }
            prop_assert!(row.keys().all(|key| again.contains_key(key)));
        }
    }
}
