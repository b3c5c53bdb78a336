//! Parquet and Arrow keep column types.

use std::fs::File;
use std::io::Cursor;
use std::sync::Arc;

use arrow_array::builder::{FixedSizeBinaryBuilder, ListBuilder, StringBuilder};
use arrow_array::cast::AsArray;
use arrow_array::types::{Int8Type, Int32Type};
use arrow_array::{
    Array, ArrayRef, BinaryArray, BooleanArray, Date32Array, Date64Array, Decimal128Array, DictionaryArray, Int32Array,
    RecordBatch, StringArray, Time32SecondArray, TimestampSecondArray,
};
use arrow_ipc::reader::{FileReader, StreamReader};
use arrow_ipc::writer::{FileWriter, StreamWriter};
use arrow_schema::{DataType, Field, Schema};
use arrow_select::concat::concat_batches;
use insta::assert_snapshot;
use parquet::arrow::ArrowWriter;
use parquet::arrow::arrow_reader::ParquetRecordBatchReaderBuilder;
use parquet::basic::{Compression, Encoding};
use parquet::file::properties::WriterProperties;
use parquet::schema::types::ColumnPath;

use super::yard::Yard;

const CODES: [Option<&str>; 4] = [Some("GRP-00041273-S7K2"), None, Some("HNG-é411-B2"), Some("TWR-1")];

fn table() -> RecordBatch {
    let mut tags = ListBuilder::new(StringBuilder::new());
    for count in 0..4 {
        (0..count).for_each(|tag| tags.values().append_value(format!("t{tag}")));
        tags.append(count != 1);
    }
    let prices = Decimal128Array::from(vec![Some(1250), None, Some(-5), Some(700)]);
    let columns: Vec<(&str, ArrayRef, bool)> = vec![
        ("code", Arc::new(StringArray::from(CODES.to_vec())), true),
        ("qty", Arc::new(Int32Array::from(vec![12, 0, -3, 40])), false),
        ("price", Arc::new(prices.with_precision_and_scale(10, 2).unwrap()), true),
        ("on", Arc::new(Date32Array::from(vec![Some(20_148), None, Some(0), Some(-1)])), true),
        ("ok", Arc::new(BooleanArray::from(vec![Some(true), None, Some(false), Some(true)])), true),
        ("depot", Arc::new(DictionaryArray::<Int8Type>::from_iter([Some("East"), None, Some("West"), Some("East")])), true),
        ("tags", Arc::new(tags.finish()), true),
        ("raw", Arc::new(BinaryArray::from(vec![Some(b"\xFF\x00".as_slice()), None, Some(b"x"), Some(b"y")])), true),
    ];
    let field = |(name, array, has_nulls): &(&str, ArrayRef, bool)| {
        Field::new(*name, array.data_type().clone(), *has_nulls).with_metadata([("unit".to_owned(), format!("of {name}"))])
    };
    let metadata = [("made by".to_owned(), "a test".to_owned())];
    let schema = Schema::new_with_metadata(columns.iter().map(field).collect::<Vec<_>>(), metadata);
    RecordBatch::try_new(Arc::new(schema), columns.into_iter().map(|(_, array, _)| array).collect()).unwrap()
}

/// The table as Parquet with two rows per group and zstd, and as Arrow.
fn yard() -> Yard {
    let (yard, table) = (Yard::new(), table());
    let properties =
        WriterProperties::builder().set_compression(Compression::ZSTD(Default::default())).set_max_row_group_row_count(Some(2));
    let code = ColumnPath::from("code");
    let properties = properties.set_column_dictionary_enabled(code.clone(), false);
    let properties = properties.set_column_encoding(code, Encoding::DELTA_BYTE_ARRAY);
    let file = File::create(yard.path().join("parts.parquet")).unwrap();
    let mut writer = ArrowWriter::try_new(file, table.schema(), Some(properties.build())).unwrap();
    writer.write(&table).unwrap();
    writer.close().unwrap();
    let mut writer = FileWriter::try_new(File::create(yard.path().join("parts.arrow")).unwrap(), &table.schema()).unwrap();
    writer.write(&table).unwrap();
    writer.finish().unwrap();
    let mut writer = StreamWriter::try_new(File::create(yard.path().join("parts.arrows")).unwrap(), &table.schema()).unwrap();
    writer.write(&table).unwrap();
    writer.finish().unwrap();
    yard
}

fn read(bytes: Vec<u8>) -> RecordBatch {
    let (schema, batches): (_, Vec<RecordBatch>) = match &bytes[..4] {
        b"PAR1" => {
            let builder = ParquetRecordBatchReaderBuilder::try_new(bytes::Bytes::from(bytes)).unwrap();
            (builder.schema().clone(), builder.build().unwrap().map(Result::unwrap).collect())
        }
        b"ARRO" => {
            let reader = FileReader::try_new(Cursor::new(bytes), None).unwrap();
            (reader.schema(), reader.map(Result::unwrap).collect())
        }
        _ => {
            let reader = StreamReader::try_new(Cursor::new(bytes), None).unwrap();
            (reader.schema(), reader.map(Result::unwrap).collect())
        }
    };
    concat_batches(&schema, &batches).unwrap()
}

fn read_file(yard: &Yard, name: &str) -> RecordBatch {
    read(std::fs::read(yard.path().join(name)).unwrap())
}

#[test]
fn columns_keep_their_types_and_get_pieces_after_them() {
    let yard = yard();
    let carve = ["-c", "code", "-p", "family: before \"-\"", "-q"];
    let family = StringArray::from(vec![Some("GRP"), None, Some("HNG"), Some("TWR")]);
    for from in ["parts.parquet", "parts.arrow", "parts.arrows"] {
        for to in ["cut.parquet", "cut.arrow", "cut.arrows"] {
            assert_eq!(yard.run(&[&["carve", from, "-o", to], &carve[..]].concat()).stderr, "", "{from} {to}");
            let (cut, original) = (read_file(&yard, to), table());
            assert_eq!(cut.schema().metadata().get("made by"), Some(&"a test".to_owned()), "{from} {to}");
            for (column, field) in original.schema().fields().iter().enumerate() {
                let cut_field = cut.schema().field(column).clone();
                // Parquet widens dictionary indexes to 32 bits.
                let is_wider = field.name() == "depot" && (from.ends_with("parquet") || to.ends_with("parquet"));
                let original: ArrayRef = match is_wider {
                    true => Arc::new(DictionaryArray::<Int32Type>::from_iter([Some("East"), None, Some("West"), Some("East")])),
                    false => Arc::clone(original.column(column)),
                };
                assert_eq!(cut_field.data_type(), original.data_type(), "{from} {to}");
                assert_eq!(cut_field.metadata().get("unit"), field.metadata().get("unit"), "{from} {to}");
                assert_eq!(cut_field.is_nullable(), field.is_nullable(), "{from} {to}");
                assert_eq!(cut.column(column), &original, "{from} {to} {}", field.name());
            }
            assert_eq!(cut.column(8).as_ref(), &family as &dyn Array, "{from} {to}");
        }
    }
    // Row groups and compression match the input.
    assert_eq!(yard.run(&[&["carve", "parts.parquet", "-o", "cut.parquet"], &carve[..]].concat()).status, 0);
    let cut = File::open(yard.path().join("cut.parquet")).unwrap();
    let groups = ParquetRecordBatchReaderBuilder::try_new(cut).unwrap().metadata().row_groups().to_vec();
    assert_eq!(groups.iter().map(|group| group.num_rows()).collect::<Vec<_>>(), [2, 2]);
    assert!(matches!(groups[1].column(1).compression(), Compression::ZSTD(_)));
    // The columns are copied: new ones would differ in this property.
    assert!(groups[0].column(0).encodings().any(|encoding| encoding == Encoding::DELTA_BYTE_ARRAY));
    // The same with reordered columns, and several files, one without rows.
    let none = table().slice(0, 0);
    let mut writer =
        ArrowWriter::try_new(File::create(yard.path().join("none.parquet")).unwrap(), none.schema(), None).unwrap();
    writer.write(&none).unwrap();
    writer.close().unwrap();
    let inputs = ["carve", "parts.parquet", "none.parquet", "parts.parquet", "--columns", "tags,qty,raw", "-o", "both.parquet"];
    assert_eq!(yard.run(&[&inputs[..], &carve].concat()).stderr, "");
    let (both, twice) = (read_file(&yard, "both.parquet"), concat_batches(&table().schema(), [&table(), &table()]).unwrap());
    for (column, original) in [(0, 6), (1, 1), (2, 7)] {
        assert_eq!(both.column(column), twice.column(original));
    }
    assert_eq!(both.column(3).slice(4, 4).as_ref(), &family as &dyn Array);
    // A column with the faults of each row, which has several leaves in the file: the same as where no column is copied.
    let faults =
        ["-c", "code", "-p", "family: before \"-\"", "--check", "family: one of \"GRP\"", "--faults-column", "wrong", "-q"];
    for (from, to) in [("parts.parquet", "copied.parquet"), ("parts.arrow", "new.parquet")] {
        assert_eq!(yard.run(&[&["carve", from, "-o", to], &faults[..]].concat()).stderr, "");
    }
    let (copied, new) = (read_file(&yard, "copied.parquet"), read_file(&yard, "new.parquet"));
    assert_eq!((copied.num_rows(), copied.column(9)), (4, new.column(9)));
    // A pipe gets a stream for either extension.
    let piped = yard.command(&[&["carve", "-", "--from", "arrow", "--to", "arrow"], &carve[..]].concat());
    let output = { piped }.write_stdin(std::fs::read(yard.path().join("parts.arrows")).unwrap()).output().unwrap();
    assert_eq!(read(output.stdout), read_file(&yard, "cut.arrows"));
}

#[test]
fn rows_that_are_left_out_set_aside_or_repeated_keep_their_values() {
    let yard = yard();
    yard.write(
        "list.cutlist.toml",
        "column = 'code'\n[piece.part]\ntake = 'sections by \"-\"'\nrows = true\n[piece.no]\ntake = 'section 2 by \"-\"'\ncheck = 'not digits'\n[rows]\nkeep = ['qty: not one of \"0\"']\n",
    );
    let ran = yard.run(&[
        "carve",
        "parts.parquet",
        "-l",
        "list.cutlist.toml",
        "-o",
        "cut.arrow",
        "--offcuts",
        "off.parquet",
        "--faults",
        "faults.arrows",
    ]);
    assert_eq!(ran.status, 0, "{}", ran.shown());
    let (cut, off, faults) =
        (read_file(&yard, "cut.arrow"), read_file(&yard, "off.parquet"), read_file(&yard, "faults.arrows"));
    assert_eq!(cut.column(1).as_ref(), &Int32Array::from(vec![-3, -3, -3]) as &dyn Array);
    assert_eq!(cut.column(8).as_ref(), &StringArray::from(vec!["HNG", "é411", "B2"]) as &dyn Array);
    assert_eq!(off.column(1).as_ref(), &Int32Array::from(vec![12, 40]) as &dyn Array);
    let why = "no: all of it is digits, which it must not be";
    assert!(off.schema().field(8).name() == "why" && format!("{:?}", off.column(8)).contains("no: "), "{why} {off:?}");
    assert_eq!(faults.column(1).as_ref(), &arrow_array::Int64Array::from(vec![1, 4]) as &dyn Array);
}

#[test]
fn only_columns_that_are_needed_are_decoded() {
    let yard = yard();
    let mut bytes = std::fs::read(yard.path().join("parts.parquet")).unwrap();
    let file = File::open(yard.path().join("parts.parquet")).unwrap();
    let metadata = ParquetRecordBatchReaderBuilder::try_new(file).unwrap().metadata().clone();
    let (start, length) = metadata.row_group(0).column(1).byte_range();
    bytes[start as usize..(start + length) as usize].fill(0xFF);
    yard.write("parts.parquet", bytes);
    let carve =
        |words: &[&str]| yard.run(&[&["carve", "parts.parquet", "-c", "code", "-p", "f: first 1", "-q"], words].concat());
    assert_eq!(carve(&["--to", "csv"]).status, 3);
    assert_eq!(carve(&["--only-pieces", "--to", "csv"]).stdout, "f\nG\n\"\"\nH\nT\n");
    assert_eq!(carve(&["--columns", "on", "--to", "csv"]).status, 0);
    assert_eq!(carve(&["-o", "cut.parquet"]).status, 0, "copied");
}

#[test]
fn conversion_to_and_from_other_formats() {
    let yard = yard();
    let all = |to: &str| {
        yard.out(&["carve", "parts.parquet", "-c", "code", "-p", "family: before \"-\"", "--without", "raw", "--to", to, "-q"])
    };
    assert_snapshot!(all("csv") + &all("jsonl"));
    yard.write(
        "codes.jsonl",
        "{\"code\":\"A-1\",\"n\":1,\"r\":2.50,\"is\":true,\"in\":{\"x\":[1]},\"no\":null}\n{\"r\":3,\"long\":12345678901234567890,\"code\":null}\n",
    );
    for input in ["codes.jsonl", "-"] {
        let words = ["carve", input, "--from", "jsonl", "-c", "code", "-p", "a: before \"-\"", "--to", "arrows", "-q"];
        let output = yard.command(&words).write_stdin(yard.read("codes.jsonl")).output().unwrap();
        assert_snapshot!("of_json", format!("{:#?}", read(output.stdout)));
    }
    yard.write("codes.csv", "code,n\nA-1,007\n,\n");
    assert_eq!(yard.run(&["carve", "codes.csv", "-c", "code", "-p", "a: before \"-\"", "-o", "codes.parquet", "-q"]).status, 0);
    assert_snapshot!(format!("{:#?}", read_file(&yard, "codes.parquet")));
    // Without rows, the columns remain.
    yard.write("none.csv", "code,n\n");
    assert_eq!(yard.run(&["carve", "none.csv", "-c", "code", "-p", "a: before \"-\"", "-o", "none.parquet", "-q"]).status, 0);
    assert_eq!(yard.out(&["carve", "none.parquet", "-c", "code", "-p", "b: first 1", "--to", "csv", "-q"]), "code,n,a,b\n");
}

#[test]
fn every_command_reads_them() {
    let yard = yard();
    yard.write(
        "list.cutlist.toml",
        "column = 'code'\n[piece.paid]\nof = 'price'\ntake = 'whole'\ncheck = ['required', 'listed in \"parts.arrow\"']",
    );
    let shown: Vec<String> = [
        &["check", "parts.parquet", "-l", "list.cutlist.toml", "--rows", "1"][..],
        &["survey", "parts.arrows", "-c", "on"],
        &["gauge", "--file", "parts.parquet", "-c", "depot", "--rows", "1"],
        &["explain", "parts.arrow", "-c", "price", "-p", "f: first 3", "--row", "3"],
        &["draft", "parts.parquet", "-c", "on", "--want", "2025-03-01 => 2025"],
    ]
    .iter()
    .map(|words| yard.run(words).shown())
    .collect();
    assert_snapshot!(shown.join("\n"));
}

#[test]
fn unreadable_and_unwritable_files() {
    let yard = yard();
    let bytes = std::fs::read(yard.path().join("parts.parquet")).unwrap();
    yard.write("short.parquet", &bytes[..bytes.len() / 2]);
    yard.write("encrypted.parquet", [b"PARE", &bytes[4..]].concat());
    let mut broken = bytes.clone();
    broken[100..140].fill(0xFF);
    yard.write("broken.parquet", broken);
    let bytes = std::fs::read(yard.path().join("parts.arrows")).unwrap();
    yard.write("short.arrows", &bytes[..bytes.len() - 100]);
    yard.write("none.arrow", "");
    yard.write("text.parquet", "code,n\nA-1,1\n");
    yard.write("other.csv", std::fs::read(yard.path().join("parts.parquet")).unwrap());
    yard.write("mixed.jsonl", "{\"code\":\"A-1\",\"n\":1}\n{\"code\":\"A-2\"}\n{\"code\":\"A-3\",\"n\":\"x\"}\n");
    yard.write("doubled.csv", "code,code\nA-1,1\n");
    let mut other = table();
    other.remove_column(2);
    let mut writer = StreamWriter::try_new(File::create(yard.path().join("other.arrows")).unwrap(), &other.schema()).unwrap();
    writer.write(&other).unwrap();
    writer.finish().unwrap();
    let schema = Schema::new(vec![Field::new("code", DataType::Utf8, true), Field::new("qty", DataType::Utf8, true)]);
    let writer = StreamWriter::try_new(File::create(yard.path().join("types.arrows")).unwrap(), &schema);
    writer.unwrap().finish().unwrap();
    let mut shown = String::new();
    let mut note = |words: &[&str]| {
        let ran = yard.run(words);
        shown += &format!("{words:?}: exit {}\n{}", ran.status, ran.stderr);
    };
    let piece = ["-c", "code", "-p", "f: first 1", "-q"];
    for name in
        ["short.parquet", "encrypted.parquet", "broken.parquet", "short.arrows", "none.arrow", "text.parquet", "other.csv"]
    {
        note(&[&["carve", name, "-o", "out.csv", "--without", "raw"], &piece[..]].concat());
    }
    for (inputs, to) in [
        (&["parts.parquet"][..], "out.csv"),
        (&["mixed.jsonl"], "out.parquet"),
        (&["doubled.csv"], "out.parquet"),
        (&["parts.arrows", "other.arrows"], "out.arrow"),
        (&["parts.arrows", "types.arrows"], "out.arrow"),
        (&["parts.arrows", "parts.parquet"], "out.arrow"),
    ] {
        note(&[&["carve"], inputs, &["-o", to], &piece[..]].concat());
    }
    note(&[&["carve", "parts.parquet"], &piece[..]].concat());
    note(&[&["carve", "parts.arrows", "-o", "-"], &piece[..]].concat());
    note(&[&["carve", "parts.arrows", "-o", "out.dat"], &piece[..]].concat());
    note(&[&["carve", "parts.parquet", "--no-header", "-o", "out.csv"], &piece[..]].concat());
    let mut piped = yard.command(&[&["carve", "-", "--from", "jsonl", "--to", "parquet"], &piece[..]].concat());
    let rows = "{\"code\":\"A-1\",\"n\":1}\n".repeat(20_000) + "{\"code\":\"A-1\",\"n\":true}\n";
    let output = piped.write_stdin(rows).output().unwrap();
    assert!(output.stdout.is_empty());
    shown += &String::from_utf8(output.stderr).unwrap();
    assert_snapshot!(shown);
    assert!(yard.names().iter().all(|name| !name.starts_with("out.")), "{:?}", yard.names());
}

#[test]
fn pieces_are_what_they_stand_for() {
    let yard = Yard::with("codes.csv", "code,on,is\nA-007,2025-03-01,true\nB-1.50,2025-02-29,yes\nC-x,,false\n");
    yard.write(
        "list.cutlist.toml",
        "column = 'code'\n[piece.no]\ntake = 'after \"-\"'\nas = 'number'\n[piece.day]\nof = 'on'\ntake = 'whole'\nas = 'date'\n[piece.yes]\nof = 'is'\ntake = 'whole'\nas = 'true or false'\n",
    );
    let carve = |to: &str| yard.out(&["carve", "codes.csv", "-l", "list.cutlist.toml", "--only-pieces", "--to", to, "-q"]);
    assert_eq!(
        yard.run(&["carve", "codes.csv", "-l", "list.cutlist.toml", "--only-pieces", "-o", "cut.parquet", "-q"]).status,
        0
    );
    let cut = read_file(&yard, "cut.parquet");
    assert_eq!(cut.column(0).as_ref(), &arrow_array::Float64Array::from(vec![Some(7.0), Some(1.5), None]) as &dyn Array);
    assert_eq!(cut.column(1).as_ref(), &Date32Array::from(vec![Some(20_148), None, None]) as &dyn Array);
    assert_eq!(cut.column(2).as_ref(), &BooleanArray::from(vec![Some(true), None, Some(false)]) as &dyn Array);
    // Without column types, an invalid result stays visible.
    assert_eq!(yard.run(&["carve", "codes.csv", "-l", "list.cutlist.toml", "--only-pieces", "-o", "cut.xlsx", "-q"]).status, 0);
    let of_sheet =
        yard.out(&["carve", "cut.xlsx", "-c", "no", "-p", "x: first 1", "--without", "no,day", "--to", "jsonl", "-q"]);
    assert_snapshot!(carve("csv") + &carve("jsonl") + &of_sheet);
    let checked = yard.run(&["check", "codes.csv", "-l", "list.cutlist.toml", "--rows", "3", "--faults", "faults.csv"]);
    assert_snapshot!(checked.shown() + &yard.read("faults.csv"));
    yard.write("wrong.cutlist.toml", "column = 'code'\n[piece.no]\ntake = 'whole'\nas = 'integer'\n");
    assert_snapshot!(yard.run(&["check", "codes.csv", "-l", "wrong.cutlist.toml"]).stderr);
}

/// Types that libraries tend to lose without an error.
#[test]
fn types_that_parquet_lacks_are_converted() {
    let columns: [(&str, ArrayRef); 4] = [
        ("code", Arc::new(StringArray::from(vec!["GRP-1", "HNG-2"]))),
        ("at", Arc::new(TimestampSecondArray::from(vec![Some(1_740_816_330), None]))),
        ("time", Arc::new(Time32SecondArray::from(vec![Some(29_130), None]))),
        ("day", Arc::new(Date64Array::from(vec![Some(1_740_787_200_000), None]))),
    ];
    let yard = Yard::with("a.arrows", stream(&[RecordBatch::try_from_iter(columns).unwrap()], None));
    yard.write("keep.cutlist.toml", "[piece.h]\nof = 'code'\ntake = 'first 3'\n[rows]\nkeep = ['code: starts with \"GRP\"']\n");
    yard.out(&["carve", "a.arrows", "-c", "code", "-p", "f: first 3", "-o", "b.parquet", "-q"]);
    yard.out(&["carve", "b.parquet", "-l", "keep.cutlist.toml", "-p", "g of code: last 1", "-o", "c.parquet", "-q"]);
    for (name, rows) in [("b.parquet", 2), ("c.parquet", 1)] {
        let read = read_file(&yard, name);
        let types: Vec<DataType> =
            read.schema().fields().iter().skip(1).take(3).map(|field| field.data_type().clone()).collect();
        let millisecond = arrow_schema::TimeUnit::Millisecond;
        assert_eq!(types, [DataType::Timestamp(millisecond, None), DataType::Time32(millisecond), DataType::Date32], "{name}");
        assert_eq!(read.num_rows(), rows);
        let first = yard.out(&["carve", name, "-c", "code", "-p", "x: length", "--without", "f", "--to", "jsonl", "-q"]);
        assert!(
            first.starts_with(r#"{"code":"GRP-1","at":"2025-03-01T08:05:30","time":"08:05:30","day":"2025-03-01""#),
            "{first}"
        );
    }
}

#[test]
fn dictionaries_that_grow_beyond_their_keys_are_widened() {
    let batch = |from: usize| {
        let texts: Vec<String> = (from..from + 100).map(|number| format!("d{number}")).collect();
        let depots: DictionaryArray<Int8Type> = texts.iter().map(|text| Some(text.as_str())).collect();
        RecordBatch::try_from_iter([("depot", Arc::new(depots) as ArrayRef)]).unwrap()
    };
    let yard = Yard::with("a.arrows", stream(&[batch(0), batch(100), batch(200)], None));
    yard.out(&["carve", "a.arrows", "-c", "depot", "-p", "n: after \"d\"", "-o", "b.parquet", "-q"]);
    let read = read_file(&yard, "b.parquet");
    let depots = read.column(0).as_any().downcast_ref::<DictionaryArray<Int32Type>>().unwrap();
    let depots: Vec<Option<&str>> = depots.downcast_dict::<StringArray>().unwrap().into_iter().collect();
    assert_eq!((depots.len(), depots[0], depots[299]), (300, Some("d0"), Some("d299")));
    // Parquet with short keys in the embedded schema is readable.
    let note = |name: &str, schema: &Schema| {
        let file = File::create(yard.path().join(name)).unwrap();
        let mut writer = ArrowWriter::try_new(file, Arc::new(schema.clone()), None).unwrap();
        [0, 100, 200].into_iter().for_each(|from| writer.write(&batch(from)).unwrap());
        writer.close().unwrap();
    };
    note("c.parquet", &batch(0).schema());
    let out = yard.out(&["carve", "c.parquet", "-c", "depot", "-p", "n: after \"d\"", "--only-pieces", "--to", "csv", "-q"]);
    assert!(out.ends_with("298\n299\n") && out.lines().count() == 301, "{out}");
}

fn stream(batches: &[RecordBatch], compression: Option<arrow_ipc::CompressionType>) -> Vec<u8> {
    let options = arrow_ipc::writer::IpcWriteOptions::default().try_with_compression(compression).unwrap();
    let mut bytes = Vec::new();
    let mut writer = StreamWriter::try_new_with_options(&mut bytes, &batches[0].schema(), options).unwrap();
    batches.iter().for_each(|batch| writer.write(batch).unwrap());
    writer.finish().unwrap();
    drop(writer);
    bytes
}

#[test]
fn streams_one_after_the_other_are_one_and_false_lengths_take_no_memory() {
    let batch = |code: &str| {
        let codes: ArrayRef = Arc::new(StringArray::from(vec![code; 2000]));
        RecordBatch::try_from_iter([("code", codes)]).unwrap()
    };
    let other = RecordBatch::try_from_iter([("other", Arc::new(StringArray::from(vec!["x"])) as ArrayRef)]).unwrap();
    let first = stream(&[batch("GRP-1")], None);
    let yard = Yard::with("two.arrows", [first.clone(), stream(&[batch("HNG-2")], None)].concat());
    yard.write("other.arrows", [first, stream(&[other], None)].concat());
    let carve = |name: &str, more: &[&str]| {
        let words = ["carve", name, "-c", "code", "-p", "f: first 3", "--only-pieces", "--to", "csv", "-q"];
        yard.run(&[&words[..], more].concat())
    };
    let out = carve("two.arrows", &[]).stdout;
    assert!(out.starts_with("f\nGRP\n") && out.ends_with("HNG\n") && out.lines().count() == 4001);
    let ran = carve("other.arrows", &[]);
    assert!(ran.status == 3 && ran.stderr.contains("another stream with other columns"), "{}", ran.shown());
    for (name, compression, sign) in [
        ("lz4.arrows", arrow_ipc::CompressionType::LZ4_FRAME, [4, 0x22, 0x4D, 0x18]),
        ("zstd.arrows", arrow_ipc::CompressionType::ZSTD, [0x28, 0xB5, 0x2F, 0xFD]),
    ] {
        let bytes = stream(&[batch("GRP-1")], Some(compression));
        yard.write(name, bytes.clone());
        assert_eq!(carve(name, &[]).stdout.lines().count(), 2001, "{name}");
        let place = bytes.windows(4).rposition(|window| window == sign).unwrap();
        for length in [1_i64 << 45, 1 << 33, 200 << 20, -2] {
            let mut wrong = bytes.clone();
            wrong[place - 8..place].copy_from_slice(&length.to_le_bytes());
            yard.write("wrong.arrows", wrong);
            let ran = carve("wrong.arrows", &["--memory", "64M"]);
            assert!(
                ran.status == 3 && ran.stderr.starts_with("error: wrong.arrows cannot be read"),
                "{length} {}",
                ran.shown()
            );
        }
    }
}

#[test]
#[cfg(target_os = "linux")]
fn the_memory_limit_reaches_what_parquet_unpacks() {
    let yard = Yard::new();
    let write = |name: &str, texts: Vec<String>, has_dictionary: bool| {
        let batch = RecordBatch::try_from_iter([("code", Arc::new(StringArray::from(texts)) as ArrayRef)]).unwrap();
        let properties = WriterProperties::builder()
            .set_compression(Compression::ZSTD(Default::default()))
            .set_dictionary_enabled(has_dictionary)
            .set_dictionary_page_size_limit(64 << 20)
            .set_data_page_size_limit(1 << 30);
        let file = File::create(yard.path().join(name)).unwrap();
        let mut writer = ArrowWriter::try_new(file, batch.schema(), Some(properties.build())).unwrap();
        writer.write(&batch).unwrap();
        writer.close().unwrap();
    };
    // Small files that expand: a page of zeros, and a long text in every row.
    write("page.parquet", vec!["x".repeat(65 << 20)], false);
    write("dictionary.parquet", vec![format!("GRP-{}", "x".repeat(2 << 20)); 400], true);
    let carve = ["-c", "code", "-p", "f: first 3", "--only-pieces", "--to", "csv", "-q", "--memory", "64M"];
    let ran = yard.run(&[&["carve", "page.parquet"], &carve[..]].concat());
    assert!(
        ran.status == 3 && ran.stderr.contains("a page of its column code decompresses to 68157444 bytes"),
        "{}",
        ran.shown()
    );
    // Under a limit of the system: all rows would take 800 MB.
    let limited = "ulimit -v 500000 && exec \"$0\" \"$@\"";
    let words = [&["carve", "dictionary.parquet", "-o", "out.csv"], &carve[..]].concat();
    let ran = std::process::Command::new("sh")
        .args(["-c", limited, env!("CARGO_BIN_EXE_keen-notch")])
        .args(words)
        .current_dir(yard.path())
        .output()
        .unwrap();
    assert!(ran.status.success(), "{}", String::from_utf8_lossy(&ran.stderr));
    assert_eq!(yard.read("out.csv").lines().count(), 401);
}

fn parquet(batch: &RecordBatch) -> Vec<u8> {
    let mut writer = ArrowWriter::try_new(Vec::new(), batch.schema(), None).unwrap();
    writer.write(batch).unwrap();
    writer.into_inner().unwrap()
}

#[test]
fn uuids_are_read_as_they_are_written_and_stay_uuids() {
    let mut ids = FixedSizeBinaryBuilder::new(16);
    ids.append_value([0x12, 0x34, 0x56, 0x78].repeat(4)).unwrap();
    ids.append_null();
    ids.append_value("abcdefghijklmnop").unwrap();
    let ids = ids.finish();
    let is_uuid = [("ARROW:extension:name".to_owned(), "arrow.uuid".to_owned())];
    let field = Field::new("id", ids.data_type().clone(), true).with_metadata(is_uuid);
    let ids = RecordBatch::try_new(Arc::new(Schema::new(vec![field])), vec![Arc::new(ids)]).unwrap();
    let yard = Yard::with("ids.parquet", parquet(&ids));
    yard.write("ids.arrows", stream(std::slice::from_ref(&ids), None));
    for name in ["ids.parquet", "ids.arrows"] {
        let words = ["carve", name, "-p", "part: first 8", "-q"];
        let shown =
            "id,part\n12345678-1234-5678-1234-567812345678,12345678\n,\n61626364-6566-6768-696a-6b6c6d6e6f70,61626364\n";
        assert_eq!(yard.out(&[&words[..], &["--to", "csv"]].concat()), shown);
        for out in ["cut.parquet", "cut.arrow"] {
            yard.out(&[&words[..], &["-o", out]].concat());
            let cut = read_file(&yard, out);
            assert_eq!(cut.column(0), ids.column(0), "{name} {out}");
            assert_eq!(cut.schema().field(0).extension_type_name(), Some("arrow.uuid"), "{name} {out}");
        }
    }
}

#[test]
fn columns_of_one_name_are_kept_between_these_formats() {
    let fields = ["code", "code"].map(|name| Field::new(name, DataType::Utf8, false));
    let columns: [ArrayRef; 2] = [Arc::new(StringArray::from(vec!["GRP-1"])), Arc::new(StringArray::from(vec!["East"]))];
    let table = RecordBatch::try_new(Arc::new(Schema::new(fields.to_vec())), columns.to_vec()).unwrap();
    let yard = Yard::with("a.parquet", parquet(&table));
    yard.write("b.arrow", stream(std::slice::from_ref(&table), None));
    let words = ["carve", "a.parquet", "a.parquet", "-c", "#1", "-p", "family: first 3", "-q", "-o"];
    for out in ["cut.parquet", "cut.arrow"] {
        yard.out(&[&words[..], &[out]].concat());
        let cut = read_file(&yard, out);
        let texts = |column: usize| cut.column(column).as_string::<i32>().iter().flatten().collect::<Vec<_>>();
        assert_eq!((texts(0), texts(1), texts(2)), (vec!["GRP-1"; 2], vec!["East"; 2], vec!["GRP"; 2]), "{out}");
    }
    yard.write("parts.csv", "code,code\nGRP-1,East\n");
    for (input, out) in [("a.parquet", "cut.jsonl"), ("parts.csv", "other.parquet")] {
        let refused = yard.run(&["carve", input, "-c", "#1", "-p", "family: first 3", "-o", out]).stderr;
        let format = if out == "cut.jsonl" { "JSON Lines" } else { "Parquet" };
        let expected = format!("error: two output columns have the name code, and {format} needs unique names\n");
        assert!(refused.starts_with(&expected), "{refused}");
    }
}

#[test]
fn encrypted_columns_are_named() {
    let mut bytes = parquet(&table());
    // Adds an empty field 8 (`encryption_algorithm`) to the footer.
    let length = u32::from_le_bytes(*bytes[..bytes.len() - 4].last_chunk().unwrap());
    bytes.truncate(bytes.len() - 8);
    assert_eq!(bytes.pop(), Some(0));
    bytes.extend([0x1C, 0x1C, 0, 0, 0]);
    bytes.extend((length + 4).to_le_bytes());
    bytes.extend(b"PAR1");
    let yard = Yard::with("parts.parquet", bytes);
    assert_snapshot!(yard.run(&["survey", "parts.parquet"]).stderr, @r"
    error: parts.parquet cannot be read: it is encrypted
    help: save it without encryption
    ");
}
