//! The secondary outputs of a run: other packages read them, and together they account for every row.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::collections::BTreeMap;

use keen_notch_core::carving::Carving;
use keen_notch_core::column::ColumnRef;
use keen_notch_core::cutlist::CutList;
use keen_notch_core::program::Setting;
use keen_notch_core::text::unit::Unit;
use keen_notch_io::carve::{Job, Outs, Report, carve};
use keen_notch_io::faults::FaultFile;
use keen_notch_io::formats::FileFormat;
use keen_notch_io::sink::Stream;
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use keen_notch_io::table::Table;
use proptest::prelude::*;

const LIST: &str = r#"
[layout.code]
form = ["<family 3 uppercase>-<serial 1 to 4 digits>"]

[piece.tail]
take  = 'after "-" then trim'
check = ["required", "digits", 'length 1 to 4']
warn  = ['not starts with "0"']

[piece.noted]
of    = "note"
take  = 'whole'
check = ["unique", 'not contains ","']

[proof]
code = "{family}-{serial}"

[rows]
keep = ['note: not one of "drop"']
"#;

/// A run with all its outputs.
struct Ran {
    report: Report,
    rows: String,
    aside: String,
    faults: String,
    /// The target and words of each check, and whether it only warns.
    checks: Vec<(String, String, bool)>,
}

fn run(text: &str, format: FileFormat) -> Ran {
    let mut table = Table::open(&[Input::Memory("a.csv".to_owned(), text.as_bytes().into())], &Reading::default()).unwrap();
    let wanted = CutList::parse(LIST, 0).unwrap().wanted;
    let main = ColumnRef::Name("code".to_owned());
    let carving = Carving::new(&wanted, Some(&main), &Setting::new(Unit::Characters), &table.header).unwrap();
    let header = table.header.clone();
    let job = Job::new(carving, &header, &[0, 1], 0).with_threads(2);
    let checks = job.checks().iter().map(|check| (check.of.clone(), check.words.clone(), check.only_warns)).collect();
    let (mut rows, mut aside, mut faults) = (Vec::new(), Vec::new(), Vec::new());
    let report = {
        let [mut rows, mut aside, mut faults] =
            [&mut rows, &mut aside, &mut faults].map(|bytes: &mut Vec<u8>| Stream::new("memory", bytes));
        let faults = Some(FaultFile::new(&mut faults, format, false).unwrap());
        carve(&mut table, &job, &mut Outs { rows: &mut rows, offcuts: Some(&mut aside), faults, hashes: None }).unwrap()
    };
    let [rows, aside, faults] = [rows, aside, faults].map(|bytes| String::from_utf8(bytes).unwrap());
    Ran { report, rows, aside, faults, checks }
}

/// The rows of a table as another package reads them, by column name.
fn records(text: &str) -> Vec<BTreeMap<String, String>> {
    let mut reader = csv::Reader::from_reader(text.as_bytes());
    let names: Vec<String> = reader.headers().unwrap().iter().map(str::to_owned).collect();
    let record = |record: csv::Result<csv::StringRecord>| {
        let record = record.unwrap();
        names.iter().cloned().zip(record.iter().map(str::to_owned)).collect()
    };
    reader.records().map(record).collect()
}

fn table() -> impl Strategy<Value = String> {
    let code = prop_oneof![4 => "[A-C]{3}-[0-9]{1,4}", 1 => "[A-Ca-c0-9 –-]{0,8}"];
    let note = prop_oneof![3 => "[a-e]{1,2}", 1 => Just("drop".to_owned()), 1 => "[a\",\n é]{0,6}"];
    proptest::collection::vec((code, note), 1..60).prop_map(|rows| {
        let mut writer = csv::Writer::from_writer(Vec::new());
        writer.write_record(["code", "note"]).unwrap();
        rows.iter().for_each(|(code, note)| writer.write_record([code, note]).unwrap());
        String::from_utf8(writer.into_inner().unwrap()).unwrap()
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(debug_assertions) { 100 } else { 4_000 }))]

    #[test]
    fn every_row_is_in_one_place(text in table()) {
        let Ran { report, rows, aside, .. } = run(&text, FileFormat::default());
        let (all, rows, aside) = (records(&text), records(&rows), records(&aside));
        let counts = report.totals.rows;
        prop_assert_eq!(counts.read, all.len() as u64);
        prop_assert_eq!((counts.kept, counts.set_aside), (rows.len() as u64, aside.len() as u64));
        prop_assert_eq!(counts.kept + counts.set_aside + counts.left_out, counts.read);
        prop_assert_eq!(counts.left_out, all.iter().filter(|row| row["note"] == "drop").count() as u64);
        prop_assert_eq!(counts.with_faults, counts.set_aside);
        // They are exactly the rows read, in order.
        let cells = |row: &BTreeMap<String, String>| (row["code"].clone(), row["note"].clone());
        let mut aside = aside.iter().peekable();
        let mut rows = rows.iter().peekable();
        for row in all.iter().filter(|row| row["note"] != "drop") {
            let found = match (rows.peek(), aside.peek()) {
                (Some(kept), _) if cells(kept) == cells(row) => rows.next().unwrap(),
                (_, Some(set_aside)) if cells(set_aside) == cells(row) => aside.next().unwrap(),
                _ => panic!("{row:?} is lost"),
            };
            prop_assert_eq!(found.get("why").is_none_or(|why| !why.is_empty()), true);
        }
    }

    #[test]
    fn both_formats_list_each_fault_once(text in table()) {
        let Ran { report, faults, aside, checks, .. } = run(&text, FileFormat::default());
        let fault_rows = records(&faults);
        let lines = run(&text, FileFormat::parse("jsonl").unwrap()).faults;
        let objects: Vec<serde_json::Value> = lines.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
        prop_assert_eq!(objects.len(), fault_rows.len());
        for (object, row) in objects.iter().zip(&fault_rows) {
            for (key, value) in row {
                let in_object = match &object[key] {
                    serde_json::Value::String(text) => text.clone(),
                    serde_json::Value::Null => String::new(),
                    other => other.to_string(),
                };
                prop_assert_eq!(&in_object, value, "{}", key);
            }
        }
        // The counts match the faults, whose rows and values exist.
        let all = records(&text);
        for (index, (of, words, only_warns)) in checks.iter().enumerate() {
            let is_it = |row: &&BTreeMap<String, String>| &row["piece"] == of && &row["check"] == words;
            let rows: Vec<&str> = fault_rows.iter().filter(is_it).map(|row| row["row"].as_str()).collect();
            let first: Vec<String> = report.totals.failed[index].rows.iter().map(u64::to_string).collect();
            prop_assert_eq!(rows.len() as u64, report.totals.failed[index].count, "{} {}", of, words);
            prop_assert!(rows.iter().zip(&first).all(|(row, first)| row == first), "{} {}", of, words);
            let level = if *only_warns { "warning" } else { "fault" };
            prop_assert!(fault_rows.iter().filter(is_it).all(|row| row["level"] == level));
        }
        for row in &fault_rows {
            let number: usize = row["row"].parse().unwrap();
            prop_assert_eq!(&row["value"], &all[number - 1][&row["column"]], "{:?}", row);
            prop_assert!(!row["detail"].is_empty() && !row["fault"].is_empty(), "{:?}", row);
        }
        // The offcuts are the rows with faults.
        let faulty: std::collections::BTreeSet<&str> = fault_rows.iter().filter(|row| row["level"] == "fault").map(|row| row["row"].as_str()).collect();
        prop_assert_eq!(faulty.len(), records(&aside).len());
    }
}
