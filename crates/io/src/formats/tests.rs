//! Every encoder on cells of every kind, and a format that only the tests have.

use keen_notch_core::carving::Carving;
use keen_notch_core::cutlist::CutList;
use keen_notch_core::program::Setting;
use keen_notch_core::text::unit::Unit;

use super::own_table::{OwnColumn, OwnTable, Value};
use super::*;
use crate::carve::{Job, Outs, carve};
use crate::cells::Record;
use crate::faults::FaultFile;
use crate::sink::{Sink, Stream};
use crate::table::Table;

const LIST: &str = "column = 'code'\n[piece.serial]\ntake = 'after \"-\"'\ncheck = 'digits'\n";

/// The rows, the offcuts and the faults of a run on two rows, the second with a fault. All outputs have one format.
fn outputs(name: &str, text: &str, to: &str, with_offcuts: bool) -> [Vec<u8>; 3] {
    outputs_of(&reading(name), name, text, [FileFormat::parse(to).unwrap(); 2], with_offcuts)
}

fn outputs_of(reading: &Reading, name: &str, text: &str, [named, aside]: [FileFormat; 2], with_offcuts: bool) -> [Vec<u8>; 3] {
    let mut table = Table::open(&[Input::Memory(name.to_owned(), text.as_bytes().into())], reading).unwrap();
    let list = CutList::parse(LIST, 0).unwrap();
    let main = list.column.as_ref().map(|main| &main.column);
    let carving = Carving::new(&list.wanted, main, &Setting::new(Unit::Characters), &table.header).unwrap();
    let header = table.header.clone();
    let all: Vec<usize> = (0..header.count()).collect();
    let job = Job::new(carving, &header, &all, 0).with_formats(named, aside);
    let (mut rows, mut offcuts, mut faults) = (Vec::new(), Vec::new(), Vec::new());
    {
        let [mut rows, mut offcuts, mut faults] =
            [&mut rows, &mut offcuts, &mut faults].map(|bytes: &mut Vec<u8>| Stream::new("memory", bytes));
        let faults = Some(FaultFile::new(&mut faults, named, false).unwrap());
        let offcuts = with_offcuts.then_some(&mut offcuts as &mut dyn Sink);
        carve(&mut table, &job, &mut Outs { rows: &mut rows, offcuts, faults, hashes: None }).unwrap();
    }
    [rows, offcuts, faults]
}

fn reading(name: &str) -> Reading {
    Reading { from: Some(FileFormat::of(Path::new(name))), ..Reading::default() }
}

fn texts(outputs: [Vec<u8>; 3]) -> [String; 3] {
    outputs.map(|bytes| String::from_utf8(bytes).unwrap())
}

/// Records of cells, for formats whose files are built by a writer.
fn cells(mut bytes: &[u8]) -> Vec<String> {
    let mut cells = Vec::new();
    while let Some((record, width)) = Record::read(bytes) {
        cells.push(format!("{record:?}"));
        bytes = &bytes[width..];
    }
    assert!(bytes.is_empty());
    cells
}

const RECORDS: &str = "code: GRP-1\ndepot: East\n\ncode: HNG-x\ndepot: West\n\n";

#[test]
fn a_new_format_needs_its_file_and_a_line() {
    let [rows, offcuts, faults] = texts(outputs("a.rec", RECORDS, "rec", true));
    assert_eq!(rows, "code: GRP-1\ndepot: East\nserial: 1\n\n");
    let why = "character 1 is the letter x; a digit was expected";
    assert_eq!(offcuts, format!("code: HNG-x\ndepot: West\nwhy: serial: {why}\n\n"));
    assert!(faults.starts_with("file: a.rec\nrow: 2\nline: 4\ncolumn: code\npiece: serial\n"), "{faults}");
    assert!(faults.ends_with(&format!("detail: {why}\n\n")), "{faults}");
    let [rows, ..] = texts(outputs("a.rec", RECORDS, "csv", false));
    assert_eq!(rows, "code,depot,serial\nGRP-1,East,1\nHNG-x,West,x\n");
    let [rows, ..] = texts(outputs("a.csv", "code,depot\nGRP-1,East\nHNG-x,West\n", "rec", false));
    assert_eq!(rows, "code: GRP-1\ndepot: East\nserial: 1\n\ncode: HNG-x\ndepot: West\nserial: x\n\n");
}

#[test]
fn text_encoders_write_rows_offcuts_and_faults() {
    let csv = "code,depot\r\nGRP-1,\"East, 2\"\r\nHNG-x,West\r\n";
    let json = "{\"code\":\"GRP-1\", \"n\":1.50}\n{\"code\":\"HNG-x\", \"n\":null}\n";
    for (name, text, to, rows, offcuts) in [
        ("a.csv", csv, "csv", "code,depot,serial\r\nGRP-1,\"East, 2\",1\r\n", "code,depot,why\r\nHNG-x,West,serial: "),
        ("a.csv", csv, "tsv", "code\tdepot\tserial\r\nGRP-1\t\"East, 2\"\t1\r\n", "code\tdepot\twhy\r\nHNG-x\tWest\tserial: "),
        (
            "a.csv",
            csv,
            "jsonl",
            "{\"code\":\"GRP-1\",\"depot\":\"East, 2\",\"serial\":\"1\"}\n",
            "{\"code\":\"HNG-x\",\"depot\":\"West\",\"why\":\"serial: ",
        ),
        (
            "a.jsonl",
            json,
            "jsonl",
            "{\"code\":\"GRP-1\", \"n\":1.50, \"serial\":\"1\"}\n",
            "{\"code\":\"HNG-x\", \"n\":null, \"why\":\"serial: ",
        ),
        ("a.jsonl", json, "csv", "code,n,serial\nGRP-1,1.50,1\n", "code,n,why\nHNG-x,,serial: "),
    ] {
        let [written, aside, faults] = texts(outputs(name, text, to, true));
        assert_eq!(written, rows, "{name} to {to}");
        assert!(aside.starts_with(offcuts), "{name} to {to}: {aside}");
        assert!(faults.contains("serial") && faults.ends_with('\n'), "{faults}");
    }
}

#[test]
fn fixed_width_offcuts_keep_their_lines() {
    let widths = std::sync::Arc::new(keen_notch_core::widths::Widths::parse("code 1 to 6, depot 8 to 12").unwrap());
    let text = "GRP-1  East\nHNG-x  West   \n";
    let reading = Reading { widths: Some(widths), header: false, ..reading("a.fwf") };
    let [_, offcuts, _] =
        texts(outputs_of(&reading, "a.fwf", text, [FileFormat::parse("csv").unwrap(), FileFormat::default()], true));
    // The reason stands after the last column.
    assert_eq!(offcuts, "HNG-x  West  serial: character 1 is the letter x; a digit was expected\n");
    let input = Input::Memory("a.fwf".to_owned(), text.as_bytes().into());
    let table = Table::open(&[input], &reading).unwrap();
    let refused = offcut_encoder(&table.format, FileFormat::parse("xls").unwrap(), (&table.header, &[]), &table.types);
    assert!(matches!(refused, Err(Error::NoTable { .. })));
}

#[test]
fn workbooks_and_databases_get_cells_with_types() {
    let json = "{\"code\":\"GRP-1\",\"n\":1.50,\"on\":true}\n{\"code\":\"HNG-x\",\"n\":null,\"on\":false}\n";
    let [rows, offcuts, faults] = outputs("a.jsonl", json, "xlsx", true);
    let text = |text: &str| format!("{:?}", Record::Text(text));
    let (end, blank) = (format!("{:?}", Record::End), format!("{:?}", Record::Blank));
    let expected =
        [text("GRP-1"), format!("{:?}", Record::Number(1.5)), format!("{:?}", Record::Truth(true)), text("1"), end.clone()];
    assert_eq!(cells(&rows)[5..], expected);
    let aside = cells(&offcuts);
    assert_eq!(aside[..5], [text("code"), text("n"), text("on"), text("why"), end.clone()]);
    assert_eq!(aside[5..8], [text("HNG-x"), blank.clone(), format!("{:?}", Record::Truth(false))]);
    // The row and the line of a fault are numbers.
    assert_eq!(cells(&faults)[14..16], [format!("{:?}", Record::Number(2.0)), format!("{:?}", Record::Number(2.0))]);
    let mut bytes = Vec::new();
    let columns = ["row", "value"].map(|title| OwnColumn { title: title.to_owned(), is_count: title == "row" });
    let mut table = OwnTable::new(FileFormat::DATABASE, b',', &columns).unwrap();
    let mut out = Stream::new("memory", &mut bytes);
    table.row(&[Value::Count(Some(7)), Value::Text("x")], &mut out).unwrap();
    table.row(&[Value::Count(None), Value::Text("")], &mut out).unwrap();
    table.end(&mut out).unwrap();
    drop(out);
    let seven = format!("{:?}", Record::Digits("7"));
    assert_eq!(cells(&bytes), [seven, text("x"), end.clone(), blank, text(""), end]);
}

#[cfg(feature = "columnar")]
#[test]
fn arrow_batches_keep_types() {
    use arrow_array::RecordBatch;
    use arrow_schema::DataType;

    let json = "{\"code\":\"GRP-1\",\"n\":1.50}\n{\"code\":\"HNG-x\",\"n\":null}\n";
    // Faults have no column of the table.
    let types = [Some(DataType::Float64), Some(DataType::Float64), None];
    for (bytes, expected) in outputs("a.jsonl", json, "arrows", true).into_iter().zip(types) {
        // The sink gets a plan, which the writer removes, and then a stream.
        let rest = crate::head::read::<columnar::Plan>(&bytes).map_or(&bytes[..], |(_, width)| &bytes[width..]);
        let mut decoder = arrow_ipc::reader::StreamDecoder::new();
        let mut buffer = arrow_buffer::Buffer::from(rest);
        let mut batches: Vec<RecordBatch> = Vec::new();
        while !buffer.is_empty() {
            batches.extend(decoder.decode(&mut buffer).unwrap());
        }
        assert_eq!(batches.iter().map(RecordBatch::num_rows).sum::<usize>(), 1);
        let numbers = batches[0].schema_ref().column_with_name("n").map(|(_, field)| field.data_type().clone());
        assert_eq!(numbers, expected);
    }
}

#[test]
fn names_say_how_tables_are_written_down_and_compressed() {
    let [text, tabs] = [0, 2].map(|index| Some(delimited::FORMATS[index].kind));
    for (name, kind, compression) in [
        ("codes.csv", text, None),
        ("codes.CSV.GZ", text, Some(Compression::Gzip)),
        ("a.csv/codes.tsv.zst", tabs, Some(Compression::Zstd)),
        ("codes.jsonl", Some(&json_lines::INFO), None),
        ("codes.gz", None, Some(Compression::Gzip)),
        ("codes.xlsx", Some(&workbook::INFO), None),
        (".gz", None, None),
        ("codes", None, None),
        ("codes.2025", None, None),
        ("..", None, None),
    ] {
        assert_eq!(FileFormat::of(Path::new(name)), FileFormat { kind, compression }, "{name:?}");
    }
}

#[test]
fn outputs_have_known_endings_or_none() {
    for (name, is_fine) in
        [("a.csv", true), ("a", true), ("a.gz", true), ("a.docx", false), ("a.docx.gz", false), ("a.xls", false), (".a", true)]
    {
        assert_eq!(check_output(Path::new(name), FileFormat::of(Path::new(name))).is_ok(), is_fine, "{name}");
    }
    assert!(check_output(Path::new("a.docx"), FileFormat::parse("csv").unwrap()).is_ok());
}

#[test]
fn extensions_are_known() {
    for (endings, known) in [("csv", true), ("tsv.GZ", true), (".csv", true), ("gz", true), ("csv.csv", false), ("", false)] {
        assert_eq!(FileFormat::parse(endings).is_ok(), known, "{endings:?}");
    }
    for endings in ["tsv.zst", "gz", "jsonl"] {
        let named = FileFormat::of(Path::new(&format!("codes.{endings}")));
        assert_eq!((FileFormat::parse(endings).unwrap(), named.to_string().as_str()), (named, endings));
    }
}

#[test]
fn names_of_outputs_say_delimiters() {
    for (name, read, written) in [
        ("a.csv", b';', None),
        ("a.csv", b',', None),
        ("a.csv", b'\t', Some(b',')),
        ("a.csv.gz", b'|', Some(b',')),
        ("a.tsv", b',', Some(b'\t')),
        ("a.tsv", b'\t', None),
        ("a.txt", b'\t', None),
        ("a", b'|', None),
    ] {
        assert_eq!(
            FileFormat::of(Path::new(name)).kind.and_then(|kind| kind.other_delimiter(read)),
            written,
            "{name} {}",
            char::from(read)
        );
    }
}
