//! .xls workbooks, built from records.

use std::io::{Cursor, Write};

use insta::assert_snapshot;

use super::yard::Yard;

fn record(kind: u16, data: &[u8]) -> Vec<u8> {
    [&kind.to_le_bytes()[..], &(data.len() as u16).to_le_bytes(), data].concat()
}

/// The start of the records of a workbook (5) or a sheet (0x10).
fn begin(of: u16) -> Vec<u8> {
    record(0x0809, &[&0x0600_u16.to_le_bytes()[..], &of.to_le_bytes(), &[0; 12]].concat())
}

fn end() -> Vec<u8> {
    record(0x000A, &[])
}

fn text(text: &str) -> Vec<u8> {
    let units: Vec<u16> = text.encode_utf16().collect();
    let is_wide = units.iter().any(|unit| *unit > 0xFF);
    let mut bytes = (units.len() as u16).to_le_bytes().to_vec();
    bytes.push(is_wide.into());
    units.iter().for_each(|unit| bytes.extend(&unit.to_le_bytes()[..if is_wide { 2 } else { 1 }]));
    bytes
}

fn cell(row: u16, column: u16, style: u16) -> Vec<u8> {
    [row, column, style].into_iter().flat_map(u16::to_le_bytes).collect()
}

fn number(row: u16, column: u16, style: u16, number: f64) -> Vec<u8> {
    record(0x0203, &[&cell(row, column, style)[..], &number.to_le_bytes()].concat())
}

fn label(row: u16, column: u16, shown: &str) -> Vec<u8> {
    record(0x0204, &[cell(row, column, 0), text(shown)].concat())
}

fn shared(row: u16, column: u16, index: u32) -> Vec<u8> {
    record(0x00FD, &[&cell(row, column, 0)[..], &index.to_le_bytes()].concat())
}

/// A workbook with these records, and sheets by kind, title and records.
fn stream(globals: &[u8], sheets: &[(u8, &str, Vec<u8>)]) -> Vec<u8> {
    let title = |title: &str| [&[title.len() as u8, 0][..], title.as_bytes()].concat();
    let head: usize =
        begin(5).len() + globals.len() + end().len() + sheets.iter().map(|sheet| 10 + title(sheet.1).len()).sum::<usize>();
    let (mut bounds, mut rest) = (Vec::new(), Vec::new());
    for (kind, name, records) in sheets {
        let place = (head + rest.len()) as u32;
        bounds.extend(record(0x0085, &[&place.to_le_bytes()[..], &[0, *kind], &title(name)].concat()));
        rest.extend([begin(0x10), records.clone(), end()].concat());
    }
    [begin(5), globals.to_vec(), bounds, end(), rest].concat()
}

fn file(name: &str, stream: &[u8]) -> Vec<u8> {
    let mut file = cfb::CompoundFile::create(Cursor::new(Vec::new())).unwrap();
    file.create_stream(name).unwrap().write_all(stream).unwrap();
    file.into_inner().into_inner()
}

/// The records for a workbook with one style for each format.
fn styles(formats: &[(u16, &str)], used: &[u16]) -> Vec<u8> {
    let format = |(id, code): &(u16, &str)| record(0x041E, &[&id.to_le_bytes()[..], &text(code)].concat());
    let style = |id: &u16| record(0x00E0, &[&[0, 0][..], &id.to_le_bytes(), &[0; 16]].concat());
    [formats.iter().flat_map(format).collect::<Vec<u8>>(), used.iter().flat_map(style).collect()].concat()
}

fn register() -> Vec<u8> {
    let formats = styles(&[(164, "00000"), (165, "yyyy\\-mm\\-dd"), (166, "0.0\" d\"")], &[0, 164, 165, 14, 46, 20, 10, 166]);
    // Shared texts continue in the next record, the second one with wider units; the third has formatting.
    let first = [&2_u32.to_le_bytes()[..], &3_u32.to_le_bytes(), &text("GRP-00041273-S7K2"), &[7, 0, 0], b"HNG-"].concat();
    let wide: Vec<u8> = [1].into_iter().chain("é4中".encode_utf16().flat_map(u16::to_le_bytes)).collect();
    let rich = [&[3, 0, 8, 1, 0][..], b"R-1", &[0; 4]].concat();
    let strings = [record(0x00FC, &first), record(0x003C, &wide), record(0x003C, &rich)].concat();
    let titles = ["code", "no", "on", "at", "qty", "is", "what"];
    let titles: Vec<u8> = (0..).zip(titles).flat_map(|(column, title)| label(0, column, title)).collect();
    let rk = |style: u16, bits: u32| [&style.to_le_bytes()[..], &bits.to_le_bytes()].concat();
    // 12.34 as a hundredth of an integer, and -3 as an integer.
    let quantities = [(1, 1234 << 2 | 3), (2, (-3_i32 << 2 | 2) as u32)]
        .map(|(row, bits)| record(0x027E, &[&cell(row, 4, 0)[..], &u32::to_le_bytes(bits)].concat()))
        .concat();
    let several = record(0x00BD, &[&[3, 0, 1, 0][..], &rk(1, 42 << 2 | 2), &rk(0, 0x3FF8_0000), &[2, 0]].concat());
    let formula =
        |row: u16, column: u16, value: [u8; 8]| record(0x0006, &[&cell(row, column, 0)[..], &value, &[0; 8]].concat());
    let of_kind = |kind: u8, value: u8| [kind, 0, value, 0, 0, 0, 0xFF, 0xFF];
    // The cells of an embedded chart do not belong to the sheet.
    let chart = [begin(0x20), number(1, 0, 0, 99.0), end()].concat();
    let cells = [
        titles,
        shared(1, 0, 0),
        number(1, 1, 1, 385.0),
        number(1, 2, 2, 45717.0),
        number(1, 3, 5, 0.75),
        record(0x0205, &[&cell(1, 5, 0)[..], &[1, 0]].concat()),
        formula(1, 6, of_kind(0, 0)),
        record(0x0207, &text("worked out")),
        chart,
        shared(2, 0, 1),
        number(2, 1, 7, 1.25),
        number(2, 2, 3, 45717.5),
        number(2, 3, 4, 1.5),
        formula(2, 5, of_kind(1, 0)),
        formula(2, 6, of_kind(2, 7)),
        quantities,
        shared(3, 0, 2),
        several,
        formula(3, 4, 2.5_f64.to_le_bytes()),
        formula(3, 5, of_kind(3, 0)),
        record(0x0205, &[&cell(3, 6, 0)[..], &[0x2A, 1]].concat()),
        number(4, 6, 6, 0.125),
    ];
    stream(
        &[formats, strings].concat(),
        &[(2, "Chart", Vec::new()), (0, "Parts", cells.concat()), (0, "Other", label(0, 0, "x"))],
    )
}

const JSON: [&str; 7] = ["-c", "code", "-p", "family: before \"-\"", "--to", "jsonl", "-q"];

#[test]
fn cells_are_read_as_the_workbook_shows_them() {
    let yard = Yard::with("parts.xls", file("/Workbook", &register()));
    assert_snapshot!(yard.out(&[&["carve", "parts.xls"], &JSON[..]].concat()));
    // Days count from 1904, and the output has the same dates.
    let days = [record(0x0022, &[1, 0]), styles(&[], &[0, 14])].concat();
    let rows = [label(0, 0, "code"), label(0, 1, "on"), label(1, 0, "R-1"), number(1, 1, 1, 44255.0)].concat();
    yard.write("days.xls", file("/Workbook", &stream(&days, &[(0, "Days", rows)])));
    yard.out(&["carve", "days.xls", "-c", "code", "-p", "x: whole", "-o", "days.xlsx", "-q"]);
    for name in ["days.xls", "days.xlsx"] {
        let row = yard.out(&[&["carve", name], &JSON[..]].concat());
        assert!(row.starts_with("{\"code\":\"R-1\",\"on\":\"2025-03-01\""), "{row}");
    }
}

#[test]
fn unreadable_inputs() {
    let parts = register();
    let merged = record(0x00E5, &[1, 0, 0, 0, 0, 0, 0, 0, 1, 0]);
    let titles = [label(0, 0, "Spare parts"), label(1, 0, "code"), label(1, 1, "no"), merged].concat();
    let mut circle = file("/Workbook", &parts.repeat(4));
    // The first sector table refers to itself.
    let table = 512 * 8;
    circle[table + 8..table + 12].copy_from_slice(&2_u32.to_le_bytes());
    let yard = Yard::with("parts.xls", file("/Workbook", &parts));
    yard.write("secret.xls", file("/Workbook", &[begin(5), record(0x002F, &[0; 6]), vec![7; 40]].concat()));
    yard.write("secret.xlsx", file("/EncryptedPackage", b"what is in it"));
    yard.write("1995.xls", file("/Book", &parts));
    yard.write("other.xls", file("/Document", &parts));
    yard.write("merged.xls", file("/Workbook", &stream(&[], &[(0, "Parts", titles)])));
    yard.write("circle.xls", circle);
    let mut shown = String::new();
    for name in ["secret.xls", "secret.xlsx", "1995.xls", "other.xls", "merged.xls", "circle.xls"] {
        let ran = yard.run(&["survey", name, "-q"]);
        shown += &format!("{name}: exit {}\n{}", ran.status, ran.stderr);
    }
    shown += &yard.run(&["survey", "parts.xls", "--sheet", "Chart"]).stderr;
    shown += &yard.run(&["survey", "parts.xls", "-q", "--memory", "9K"]).stderr;
    shown += &yard.run(&["carve", "parts.xls", "-c", "code", "-p", "x: first 1", "-o", "cut.xls"]).stderr;
    assert_snapshot!(shown);
    // A file truncated before its last unread sheet is always an error.
    for count in (1..parts.len() - 50).step_by(7) {
        yard.write("cut.xls", file("/Workbook", &parts[..count]));
        assert_eq!(yard.run(&[&["carve", "cut.xls"], &JSON[..]].concat()).status, 3, "{count} bytes");
    }
}
