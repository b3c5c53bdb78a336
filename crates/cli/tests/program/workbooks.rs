//! Workbooks, written by another package.

use insta::assert_snapshot;
use rust_xlsxwriter::{ExcelDateTime, Format, Workbook};

use super::yard::Yard;

/// A register of parts: texts, formatted numbers, dates, booleans and blanks, in the first row and column.
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
    // A row further down, mostly blank.
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
    // Numbers and booleans keep their types if the output has types.
    let objects = yard.out(&["carve", "register.xlsx", "-c", "no", "-p", "n: plain number", "--to", "jsonl", "-q"]);
    assert_eq!(
        objects.lines().next().unwrap(),
        r#"{"part_code":"GRP-00041273-S7K2","no":"00385","qty":12,"price":"1,234.50 EUR","received":"2025-03-01","checked":true,"at":"17:30:00","n":"385"}"#
    );
    assert_eq!(
        objects.lines().last().unwrap(),
        r#"{"part_code":"TWR-00250941-53KH","no":null,"qty":20,"price":null,"received":null,"checked":null,"at":null,"n":null}"#
    );
    // Another sheet, which starts further down and to the right.
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

/// A sheet as another package reads it: values with types.
fn read(bytes: &[u8]) -> String {
    use calamine::Reader;
    let mut book = calamine::open_workbook_from_rs::<calamine::Xlsx<_>, _>(std::io::Cursor::new(bytes)).unwrap();
    let name = book.sheet_names().join(" and ");
    let range = book.worksheet_range_at(0).unwrap().unwrap();
    let row = |row: &[calamine::Data]| row.iter().map(|cell| format!("{cell:?}")).collect::<Vec<_>>().join("\n    ");
    format!("{name}\n  {}\n", range.rows().map(row).collect::<Vec<_>>().join("\n  "))
}

#[test]
fn a_workbook_keeps_cells_and_gets_pieces_as_texts() {
    let yard = Yard::with("register.xlsx", register());
    let carve = ["carve", "register.xlsx", "-c", "no", "-p", "zeros: first 3"];
    let ran = yard.run(&[&carve[..], &["-o", "cut.xlsx", "--offcuts", "off.xlsx"]].concat());
    let bytes = std::fs::read(yard.path().join("cut.xlsx")).unwrap();
    assert_snapshot!(ran.shown() + &read(&bytes));
    // The output reads back the same.
    let objects = |name: &str, without: &str| {
        let without = if without.is_empty() { vec![] } else { vec!["--without", without] };
        yard.out(&[&["carve", name, "-c", "no", "-p", "n: plain number", "--to", "jsonl", "-q"], &without[..]].concat())
    };
    let again = objects("cut.xlsx", "zeros");
    assert_eq!(again, objects("register.xlsx", "").as_str());
    // A pipe gets the complete file, always with the same bytes.
    assert!(bytes == yard.command(&[&carve[..], &["--to", "xlsx", "-q"]].concat()).output().unwrap().stdout);
    yard.write(
        "codes.jsonl",
        "{\"code\":\"=2\",\"qty\":12.50,\"is\":true,\"long\":12345678901234567}\n{\"code\":\"0x\",\"qty\":null}\n",
    );
    let files = ["-o", "cut.xlsx", "--offcuts", "off.xlsx", "--faults", "faults.xlsx", "-q"];
    let checks = ["--check", "all: digits"];
    assert_eq!(
        yard.run(&[&["carve", "codes.jsonl", "-c", "code", "-p", "all: whole"], &files[..], &checks].concat()).status,
        0
    );
    let shown = ["cut.xlsx", "off.xlsx", "faults.xlsx"].map(|name| read(&std::fs::read(yard.path().join(name)).unwrap()));
    assert_snapshot!(shown.concat());
}

fn open_document(rows: &str, manifest: &str) -> Vec<u8> {
    let content = format!(
        "<?xml version=\"1.0\"?><office:document-content xmlns:office=\"o\" xmlns:table=\"t\" xmlns:text=\"x\"><office:body><office:spreadsheet>\
         <table:table table:name=\"Parts\">{rows}</table:table><table:table table:name=\"Other\"/></office:spreadsheet></office:body></office:document-content>"
    );
    let mut archive = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let kind = "application/vnd.oasis.opendocument.spreadsheet";
    for (name, text) in [("mimetype", kind), ("content.xml", &content), ("META-INF/manifest.xml", manifest)] {
        archive
            .start_file(name, zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored))
            .unwrap();
        std::io::Write::write_all(&mut archive, text.as_bytes()).unwrap();
    }
    archive.finish().unwrap().into_inner()
}

#[test]
fn workbooks_of_the_open_document_format_are_read() {
    let cell =
        |attributes: &str, shown: &str| format!("<table:table-cell {attributes}><text:p>{shown}</text:p></table:table-cell>");
    let text = |shown: &str| cell("office:value-type=\"string\"", shown);
    let blank = "<table:table-cell table:number-columns-repeated=\"1024\"/>";
    let titles: String = ["code", "no", "qty", "on", "at", "ok"].map(text).concat();
    let first = [
        text("GRP-1"),
        cell("office:value-type=\"float\" office:value=\"385\"", "00385"),
        cell("office:value-type=\"float\" office:value=\"0.25\"", "0.25"),
        cell("office:value-type=\"date\" office:date-value=\"2025-03-01\"", "01.03.25"),
        cell("office:value-type=\"time\" office:time-value=\"PT17H30M05.5S\"", "17:30"),
        cell("office:value-type=\"boolean\" office:boolean-value=\"true\"", "WAHR"),
    ];
    let odd = text(
        "a<text:s text:c=\"2\"/><text:span>b &amp; &#233;</text:span><office:annotation><text:p>a note</text:p></office:annotation></text:p><text:p>c",
    );
    let rows = format!(
        "<table:table-row>{titles}{blank}</table:table-row><table:table-row>{}</table:table-row>\
         <table:table-row table:number-rows-repeated=\"4\">{blank}</table:table-row>\
         <table:table-row-group><table:table-row table:number-rows-repeated=\"2\">{odd}{blank}</table:table-row></table:table-row-group>\
         <table:table-row table:number-rows-repeated=\"1048000\">{blank}</table:table-row>",
        first.concat()
    );
    let yard = Yard::with("parts.ods", open_document(&rows, ""));
    let ran = yard.run(&[
        "carve",
        "parts.ods",
        "-c",
        "code",
        "-p",
        "x: after \"-\"",
        "--faults",
        "f.csv",
        "--check",
        "x: required",
        "--to",
        "jsonl",
    ]);
    assert_snapshot!(ran.shown() + &yard.read("f.csv"));
    let many = format!("<table:table-row table:number-rows-repeated=\"2000000000\">{}</table:table-row>", text("x"));
    let merged = "<table:table-row><table:table-cell office:value-type=\"string\" table:number-columns-spanned=\"2\"><text:p>a</text:p></table:table-cell></table:table-row>";
    let mut shown = String::new();
    for (name, bytes) in [
        ("many.ods", open_document(&many, "")),
        ("merged.ods", open_document(merged, "")),
        ("secret.ods", open_document(&rows, "<manifest:encryption-data/>")),
        ("broken.ods", open_document("<table:table-row><table:table-cell>", "")),
    ] {
        yard.write(name, bytes);
        shown += &yard.run(&["survey", name, "-q", "--memory", "2M"]).stderr;
    }
    shown += &yard.run(&["survey", "parts.ods", "--sheet", "Crew"]).stderr;
    shown += &yard.run(&["carve", "parts.ods", "-c", "code", "-p", "x: first 1", "-o", "cut.ods"]).stderr;
    assert_snapshot!(shown);
}

#[test]
fn unreadable_workbooks_have_a_reason() {
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
    note(&["survey", "long.xlsx", "--memory", "8K"]);
    note(&["survey", "register.xlsx", "--sheet", "Part"]);
    note(&["survey", "register.xlsx", "--delimiter", ";"]);
    note(&["survey", "text.xlsx", "--from", "csv", "--sheet", "Parts"]);
    note(&["carve", "register.xlsx", "-c", "no", "-p", "f: first 2"]);
    note(&["carve", "register.xlsx", "-c", "no", "-p", "f: first 2", "-o", "out.xlsx"]);
    assert_snapshot!(shown);
}
