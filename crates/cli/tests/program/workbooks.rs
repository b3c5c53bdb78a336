//! Workbooks as people have them, written by a package of their own.

use insta::assert_snapshot;
use rust_xlsxwriter::{ExcelDateTime, Format, Workbook};

use super::yard::Yard;

/// A register of parts: texts, numbers with formats, dates, booleans and blanks, below nothing and beside nothing.
fn register() -> Vec<u8> {
    let mut book = Workbook::new();
    let sheet = book.add_worksheet().set_name("Parts").unwrap();
    for (column, title) in (0..).zip(["part_code", "no", "qty", "price", "received", "checked", "at"]) {
        sheet.write(0, column, title).unwrap();
    }
    let (five, euros) = (Format::new().set_num_format("00000"), Format::new().set_num_format("#,##0.00 \"EUR\""));
    let (day, moment) = (Format::new().set_num_format("dd.mm.yyyy"), Format::new().set_num_format("yyyy-mm-dd hh:mm"));
    let clock = Format::new().set_num_format("hh:mm");
    for (row, (code, no, qty, price)) in
        (1..).zip([("GRP-00041273-S7K2", 385.0, 12.0, 1234.5), ("HNG-00000411-B2", 7.0, 0.25, 3.0)])
    {
        sheet.write(row, 0, code).unwrap();
        sheet.write_with_format(row, 1, no, &five).unwrap();
        sheet.write(row, 2, qty).unwrap();
        sheet.write_with_format(row, 3, price, &euros).unwrap();
        let received = ExcelDateTime::from_ymd(2025, 3, 1).unwrap();
        match row {
            1 => sheet.write_with_format(row, 4, &received, &day).unwrap(),
            _ => sheet.write_with_format(row, 4, received.and_hms(8, 5, 30).unwrap(), &moment).unwrap(),
        };
        sheet.write(row, 5, row == 1).unwrap();
        sheet.write_with_format(row, 6, ExcelDateTime::from_hms(17, 30, 0).unwrap(), &clock).unwrap();
    }
    // A row further down, with most of it blank.
    sheet.write(5, 0, "TWR-00250941-53KH").unwrap();
    sheet.write(5, 2, 20).unwrap();
    let crew = book.add_worksheet().set_name("Crew register").unwrap();
    crew.write(2, 1, "crew_id").unwrap();
    crew.write(3, 1, "2019-0385-RIG").unwrap();
    book.save_to_buffer().unwrap()
}

#[test]
fn a_sheet_is_read_as_the_workbook_shows_it() {
    let yard = Yard::with("register.xlsx", register());
    let ran = yard.run(&[
        "carve",
        "register.xlsx",
        "-c",
        "no",
        "-p",
        "first: first 2",
        "-p",
        "family of part_code: before \"-\"",
        "--to",
        "csv",
    ]);
    assert_snapshot!(ran.shown());
    // Numbers and booleans stay what they are where the output can say it.
    let objects = yard.out(&["carve", "register.xlsx", "-c", "no", "-p", "n: plain number", "--to", "jsonl", "-q"]);
    assert_eq!(
        objects.lines().next().unwrap(),
        r#"{"part_code":"GRP-00041273-S7K2","no":"00385","qty":12,"price":"1,234.50 EUR","received":"2025-03-01","checked":true,"at":"17:30:00","n":"385"}"#
    );
    assert_eq!(
        objects.lines().last().unwrap(),
        r#"{"part_code":"TWR-00250941-53KH","no":null,"qty":20,"price":null,"received":null,"checked":null,"at":null,"n":null}"#
    );
    // Another sheet, which begins further down and to the right.
    let crew = ["--sheet", "Crew register", "-c", "crew_id", "-p", "team: section 3 by \"-\"", "-q"];
    assert_eq!(
        yard.out(&[&["carve", "register.xlsx", "--to", "csv"], &crew[..]].concat()),
        "crew_id,team\n2019-0385-RIG,RIG\n"
    );
    yard.write(
        "crew.cutlist.toml",
        "column = 'crew_id'\n[reading]\nsheet = 'Crew register'\n[piece.year]\ntake = 'first 4'\ncheck = 'range 2020 to'",
    );
    let files = ["--faults", "faults.csv", "--offcuts", "off.jsonl", "-o", "rest.csv.gz", "-q"];
    assert_eq!(yard.run(&[&["carve", "register.xlsx", "-l", "crew.cutlist.toml"], &files[..]].concat()).status, 0);
    assert_snapshot!(yard.read("faults.csv") + &yard.read("off.jsonl"));
    let words = yard.run_on(register(), &["survey", "-", "--from", "xlsx", "--sheet", "Parts", "-q"]);
    assert!(words.stdout.starts_with("standard input: 7 columns, 3 rows"), "{}", words.shown());
}

#[test]
fn every_command_reads_workbooks() {
    let yard = Yard::with("register.xlsx", register());
    yard.write(
        "list.cutlist.toml",
        "column = 'part_code'\n[piece.code]\ntake = 'whole'\ncheck = 'listed in \"register.xlsx\"'",
    );
    let shown: Vec<String> = [
        &["check", "register.xlsx", "-l", "list.cutlist.toml"][..],
        &["gauge", "--file", "register.xlsx", "-c", "no", "--rows", "1", "--sheet", "Parts"],
        &["explain", "register.xlsx", "-c", "part_code", "-p", "f: first 3", "--row", "3", "--sheet", "Parts"],
    ]
    .iter()
    .map(|words| yard.run(words).shown())
    .collect();
    assert_snapshot!(shown.join("\n"));
    assert_eq!(yard.run(&["draft", "register.xlsx", "-c", "part_code", "--write", "draft.cutlist.toml"]).status, 0);
    assert!(yard.read("draft.cutlist.toml").contains("part_code"));
}

#[test]
fn workbooks_that_cannot_be_read_say_why() {
    let yard = Yard::with("register.xlsx", register());
    let bytes = register();
    yard.write("cut-short.xlsx", &bytes[..bytes.len() / 2]);
    yard.write("text.xlsx", "part_code\nGRP-1\n");
    yard.write("old.xls", "");
    yard.write("encrypted.xlsx", b"\xD0\xCF\x11\xE0\xA1\xB1\x1A\xE1 and no more".as_slice());
    yard.write("wrong.xlsm", b"PK\x03\x04".as_slice());
    yard.write("called.csv", &bytes);
    let merged = |from: u32| {
        let mut book = Workbook::new();
        let sheet = book.add_worksheet();
        sheet.merge_range(from, 0, from, 2, "Spare parts", &Format::new()).unwrap();
        sheet.write(from + 1, 0, "GRP-1").unwrap();
        book.save_to_buffer().unwrap()
    };
    yard.write("merged.xlsx", merged(0));
    let mut book = Workbook::new();
    let sheet = book.add_worksheet();
    sheet.write(0, 0, "part_code").unwrap();
    sheet.write(1, 0, 12_345_678_901_234_567_u64 as f64).unwrap();
    yard.write("long.xlsx", book.save_to_buffer().unwrap());
    let sheet = book.worksheet_from_index(0).unwrap();
    sheet.write(2, 3, "a note beside the table").unwrap();
    yard.write("beside.xlsx", book.save_to_buffer().unwrap());
    yard.write("empty.xlsx", {
        let mut book = Workbook::new();
        book.add_worksheet();
        book.save_to_buffer().unwrap()
    });
    let mut shown = String::new();
    let mut note = |words: &[&str]| {
        let ran = yard.run(words);
        shown += &format!("{words:?}: exit {}\n{}", ran.status, ran.stderr);
    };
    for name in [
        "cut-short.xlsx",
        "text.xlsx",
        "old.xls",
        "wrong.xlsm",
        "encrypted.xlsx",
        "called.csv",
        "merged.xlsx",
        "long.xlsx",
        "beside.xlsx",
        "empty.xlsx",
        "none.xlsx",
    ] {
        note(&["survey", name, "-q"]);
    }
    note(&["survey", "long.xlsx"]);
    note(&["survey", "long.xlsx", "--memory", "1K"]);
    note(&["survey", "register.xlsx", "--sheet", "Part"]);
    note(&["survey", "register.xlsx", "--delimiter", ";"]);
    note(&["survey", "text.xlsx", "--from", "csv", "--sheet", "Parts"]);
    note(&["carve", "register.xlsx", "-c", "no", "-p", "f: first 2"]);
    note(&["carve", "register.xlsx", "-c", "no", "-p", "f: first 2", "-o", "out.xlsx"]);
    assert_snapshot!(shown);
}
