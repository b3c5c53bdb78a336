//! Workbook cells with values that are easily lost: number formats with sections, invalid dates, formulas without a value, new error
//! values.

use std::io::{Cursor, Write};

use rust_xlsxwriter::{Chart, ChartType, Format, Workbook};
use zip::write::SimpleFileOptions;

use crate::yard::Yard;

/// A workbook with a sheet of these rows (XML), and cell styles with these number formats, from style 1 on.
fn workbook(rows: &str, formats: &[&str], properties: &str) -> Vec<u8> {
    let mut archive = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let office = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
    let main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";
    let package = "http://schemas.openxmlformats.org/package/2006/relationships";
    let format = |(index, code): (usize, &&str)| {
        format!("<numFmt numFmtId=\"{}\" formatCode=\"{}\"/>", 164 + index, code.replace('"', "&quot;").replace('<', "&lt;"))
    };
    let formats_xml: String = formats.iter().enumerate().map(format).collect();
    let styles: String = (0..formats.len()).map(|index| format!("<xf numFmtId=\"{}\"/>", 164 + index)).collect();
    let parts = [
        (
            "_rels/.rels",
            format!(
                "<Relationships xmlns=\"{package}\"><Relationship Id=\"r1\" Type=\"{office}/officeDocument\" Target=\"/xl/workbook.xml\"/></Relationships>"
            ),
        ),
        (
            "xl/workbook.xml",
            format!(
                "<x:workbook xmlns:x=\"{main}\" xmlns:r=\"{office}\">{properties}<x:sheets><x:sheet name=\"Parts &amp; more\" sheetId=\"1\" r:id=\"r1\"/></x:sheets></x:workbook>"
            ),
        ),
        (
            "xl/_rels/workbook.xml.rels",
            format!(
                "<Relationships xmlns=\"{package}\"><Relationship Id=\"r1\" Type=\"{office}/worksheet\" Target=\"worksheets/one.xml\"/><Relationship Id=\"r2\" Type=\"{office}/styles\" Target=\"styles.xml\"/></Relationships>"
            ),
        ),
        (
            "xl/styles.xml",
            format!(
                "<styleSheet xmlns=\"{main}\"><numFmts>{formats_xml}</numFmts><cellStyleXfs><xf numFmtId=\"9\"/></cellStyleXfs><cellXfs><xf numFmtId=\"0\"/>{styles}</cellXfs><dxfs><dxf><numFmt numFmtId=\"164\" formatCode=\"0.000\"/></dxf></dxfs></styleSheet>"
            ),
        ),
        (
            "xl/worksheets/one.xml",
            format!("<?xml version=\"1.0\"?>\n<worksheet xmlns=\"{main}\"><sheetData>{rows}</sheetData></worksheet>"),
        ),
    ];
    for (name, content) in parts {
        archive.start_file(name, SimpleFileOptions::default()).unwrap();
        archive.write_all(content.as_bytes()).unwrap();
    }
    archive.finish().unwrap().into_inner()
}

/// The values of a workbook's only column as JSON Lines, without the header, and standard error.
fn column(bytes: Vec<u8>, more: &[&str]) -> (Vec<String>, String) {
    let yard = Yard::with("a.xlsx", bytes);
    let ran = yard.run(&[&["carve", "a.xlsx", "-c", "v", "-p", "l: length", "--to", "jsonl"], more].concat());
    let value = |line: &str| {
        let object: serde_json::Value = serde_json::from_str(line).unwrap();
        object["v"].to_string()
    };
    (ran.stdout.lines().map(value).collect(), ran.stderr)
}

fn header() -> &'static str {
    "<row r=\"1\"><c r=\"A1\" t=\"inlineStr\"><is><t>v</t></is></c></row>"
}

#[test]
fn number_formats_with_sections_keep_their_zeros() {
    let mut book = Workbook::new();
    let sheet = book.add_worksheet();
    sheet.write(0, 0, "v").unwrap();
    let cells = [
        ("[<=99999]00000;00000\\-0000", 1234.0, "\"01234\""),
        ("[<=99999]00000;00000\\-0000", 12_345_678.0, "\"01234-5678\""),
        ("00000;@", 385.0, "\"00385\""),
        ("00000;-00000;@", 385.0, "\"00385\""),
        ("[<=9999999]###\\-####;\\(###\\)\\ ###\\-####", 5_551_234.0, "\"555-1234\""),
    ];
    for (row, (code, number, _)) in (1..).zip(cells) {
        sheet.write_with_format(row, 0, number, &Format::new().set_num_format(code)).unwrap();
    }
    let (values, _) = column(book.save_to_buffer().unwrap(), &[]);
    assert_eq!(values, cells.map(|(.., shown)| shown));
}

#[test]
fn formulas_without_a_stored_value_are_an_error_or_blank() {
    let rows = format!(
        "{}<row r=\"2\"><c r=\"A2\"><f>B2*2</f><v></v></c></row><row><c><f>B3</f></c></row>\
         <row r=\"4\"><c r=\"A4\" t=\"str\"><f>\"\"</f><v></v></c><c r=\"B4\"/></row>\
         <row r=\"5\"><c r=\"A5\"><f t=\"shared\" si=\"0\"/><v>7</v></c></row><row r=\"6\"><c r=\"A6\"><f>x</f><v/></c></row>",
        header()
    );
    let (values, said) = column(workbook(&rows, &[], ""), &[]);
    assert!(values.is_empty());
    assert!(said.contains("a.xlsx, sheet \"Parts & more\": 3 formulas have no stored value: A2, A3, A6\n"), "{said}");
    assert!(said.contains("--empty-formulas blank"), "{said}");
    let (values, _) = column(workbook(&rows, &[], ""), &["--empty-formulas", "blank"]);
    assert_eq!(values, ["null", "null", "7", "null"], "their rows are there");
    let yard = Yard::with("a.csv", "v\n1\n");
    let ran = yard.run(&["carve", "a.csv", "-c", "v", "-p", "l: length", "--empty-formulas", "blank"]);
    assert!(ran.status == 2 && ran.stderr.contains("workbooks"), "{}", ran.shown());
}

#[test]
fn numbers_that_are_not_dates_stay_numbers() {
    let cells = [
        (1, "20250301", "20250301"),
        (1, "-5", "-5"),
        (1, "45717", "\"2025-03-01\""),
        (1, "0", "0"),
        (1, "59", "\"1900-02-28\""),
        (2, "45717", "\"2025-03-01T00:00:00\""),
        (2, "45717.5", "\"2025-03-01T12:00:00\""),
        (3, "0.5", "\"12:00:00\""),
    ];
    let row = |(index, (style, number, _)): (usize, &(u8, &str, &str))| {
        format!("<row r=\"{row}\"><c r=\"A{row}\" s=\"{style}\"><v>{number}</v></c></row>", row = index + 2)
    };
    let rows: String = cells.iter().enumerate().map(row).collect();
    let formats = ["yyyy-mm-dd", "yyyy-mm-dd hh:mm", "hh:mm"];
    let (values, said) = column(workbook(&(header().to_owned() + &rows), &formats, ""), &[]);
    assert_eq!(values, cells.map(|(.., shown)| shown));
    let said = said.replace("\n", " ");
    assert!(
        said.contains("hint: 3 cells of the workbook have a date format and a number that is not a date, such as A2, A3, A5:"),
        "{said}"
    );
    let rows = format!("{}<row><c s=\"1\"><v>0</v></c></row><row><c s=\"3\"><v>0</v></c></row>", header());
    for flag in ["1", "true"] {
        let (values, said) = column(workbook(&rows, &formats, &format!("<x:workbookPr date1904=\"{flag}\"/>")), &[]);
        assert_eq!(values, ["\"1904-01-01\"", "\"00:00:00\""]);
        assert!(!said.contains("hint"), "{said}");
    }
}

#[test]
fn an_unknown_cell_is_text() {
    let cells = [
        ("<c t=\"e\"><v>#GETTING_DATA</v></c>", "\"#GETTING_DATA\""),
        ("<c t=\"e\"><v>#SPILL!</v></c>", "\"#SPILL!\""),
        ("<c t=\"e\"><f>1/0</f><v>#CALC!</v></c>", "\"#CALC!\""),
        ("<c t=\"d\"><v>2025-03-01T00:00:00</v></c>", "\"2025-03-01T00:00:00\""),
        ("<c t=\"b\"><v>1</v></c>", "true"),
        ("<c t=\"str\"><v>a_x000D_&amp;b</v></c>", "\"a\\r&b\""),
        (
            "<c t=\"inlineStr\"><is><r><t>GRP</t></r><r><t xml:space=\"preserve\"> 1</t></r><rPh><t>x</t></rPh></is></c>",
            "\"GRP 1\"",
        ),
        ("<c t=\"n\"><v>1.5E3</v></c>", "1500"),
        ("<c t=\"later\"><v>new</v></c>", "\"new\""),
    ];
    let rows: String = cells.iter().map(|(cell, _)| format!("<row>{cell}</row>")).collect();
    let (values, _) = column(workbook(&(header().to_owned() + &rows), &[], ""), &[]);
    assert_eq!(values, cells.map(|(_, shown)| shown));
}

#[test]
fn charts_are_no_sheets_and_passwords_are_named() {
    let mut book = Workbook::new();
    let chart = book.add_chartsheet().set_name("Chart").unwrap();
    let mut of_parts = Chart::new(ChartType::Column);
    of_parts.add_series().set_values("Parts!$B$2:$B$3");
    chart.insert_chart(0, 0, &of_parts).unwrap();
    let sheet = book.add_worksheet().set_name("Parts").unwrap();
    sheet.write(0, 0, "v").unwrap();
    sheet.write(1, 0, "GRP-1").unwrap();
    let bytes = book.save_to_buffer().unwrap();
    assert_eq!(column(bytes.clone(), &[]).0, ["\"GRP-1\""]);
    // Sets the encryption flag in the header of each part and in the directory.
    let mut locked = bytes;
    for (sign, flags) in [(b"PK\x03\x04", 6), (b"PK\x01\x02", 8)] {
        let places: Vec<usize> = (0..locked.len() - 4).filter(|at| locked[*at..].starts_with(sign)).collect();
        places.into_iter().for_each(|at| locked[at + flags] |= 1);
    }
    let (_, said) = column(locked, &[]);
    assert!(said.contains("it is encrypted with a password") && said.contains("save it without a password"), "{said}");
}

#[test]
#[cfg(feature = "columnar")]
fn early_dates_and_short_times_come_back_as_they_were() {
    use arrow_array::{ArrayRef, Date32Array, RecordBatch, TimestampNanosecondArray};
    use std::sync::Arc;
    // Days and nanoseconds since 1970-01-01.
    let days = [-25_567, -25_509, -25_508, -24_107, 20_148, -25_568];
    let second = 1_000_000_000;
    let moments = [0, second / 8, second / 1_000_000, 1, -1, 86_400 * second];
    let columns: [(&str, ArrayRef); 2] = [
        ("day", Arc::new(Date32Array::from(days.to_vec()))),
        ("at", Arc::new(TimestampNanosecondArray::from(moments.map(|moment| 1_740_787_200 * second + moment).to_vec()))),
    ];
    let batch = RecordBatch::try_from_iter(columns).unwrap();
    let mut stream = Vec::new();
    let mut writer = arrow_ipc::writer::StreamWriter::try_new(&mut stream, &batch.schema()).unwrap();
    writer.write(&batch).unwrap();
    writer.finish().unwrap();
    drop(writer);
    let yard = Yard::with("a.arrows", stream);
    let piece = ["-c", "day", "-p", "l: length", "-q"];
    let texts = |from: &str| {
        let out = yard.out(&["carve", from, "--to", "jsonl", "-c", "day", "-p", "x: length", "--columns", "day,at", "-q"]);
        out.lines().map(|line| line.split(",\"x\"").next().unwrap().to_owned()).collect::<Vec<_>>()
    };
    yard.out(&[&["carve", "a.arrows", "-o", "b.xlsx"], &piece[..]].concat());
    assert_eq!(
        texts("a.arrows"),
        [
            r#"{"day":"1900-01-01","at":"2025-03-01T00:00:00""#,
            r#"{"day":"1900-02-28","at":"2025-03-01T00:00:00.125""#,
            r#"{"day":"1900-03-01","at":"2025-03-01T00:00:00.000001""#,
            r#"{"day":"1904-01-01","at":"2025-03-01T00:00:00.000000001""#,
            r#"{"day":"2025-03-01","at":"2025-02-28T23:59:59.999999999""#,
            r#"{"day":"1899-12-31","at":"2025-03-02T00:00:00""#,
        ]
    );
    assert_eq!(texts("b.xlsx"), texts("a.arrows"));
}

#[test]
fn a_value_in_a_column_without_a_name_is_an_error() {
    let texts = ["code", "depot", "GRP-1", "note"];
    let cell =
        |place: &str, text: usize| format!("<x:c r=\"{place}\" t=\"inlineStr\"><x:is><x:t>{}</x:t></x:is></x:c>", texts[text]);
    let names = format!("<x:row r=\"1\">{}{}</x:row>", cell("A1", 0), cell("C1", 1));
    let yard = Yard::new();
    for (name, place) in [("between.xlsx", "B2"), ("after.xlsx", "D2")] {
        let row = format!("<x:row r=\"2\">{}{}</x:row>", cell("A2", 2), cell(place, 3));
        yard.write(name, workbook(&format!("{names}{row}"), &[], ""));
        let ran = yard.run(&["carve", name, "-c", "code", "-p", "family: first 3", "--to", "csv"]);
        let cell = format!("column {}", &place[..1]);
        assert!(ran.status == 3 && ran.stderr.contains(&cell), "{}", ran.shown());
    }
    yard.write("empty.xlsx", workbook(&format!("{names}<x:row r=\"2\">{}</x:row>", cell("A2", 2)), &[], ""));
    let words = ["carve", "empty.xlsx", "-c", "code", "-p", "family: first 3", "--to", "csv", "-q"];
    assert_eq!(yard.out(&words), "code,,depot,family\nGRP-1,,,GRP\n");
}
