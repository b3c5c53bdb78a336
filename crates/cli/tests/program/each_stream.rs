//! One Arrow stream after another, for an engine that keeps the program running.

use std::io::Cursor;
use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::{ArrayRef, RecordBatch, StringArray};
use arrow_ipc::reader::StreamReader;
use arrow_ipc::writer::StreamWriter;

use super::yard::Yard;

const LIST: &str = "[piece.family]\nof = 'code'\ntake = 'first 3'\ncheck = ['uppercase', 'unique']\n";

fn stream(codes: &[&str]) -> Vec<u8> {
    let codes: ArrayRef = Arc::new(StringArray::from(codes.to_vec()));
    let batch = RecordBatch::try_from_iter([("code", codes)]).unwrap();
    let mut writer = StreamWriter::try_new(Vec::new(), &batch.schema()).unwrap();
    writer.write(&batch).unwrap();
    writer.finish().unwrap();
    writer.into_inner().unwrap()
}

/// The texts of a column in all batches of the next stream.
fn texts(bytes: &mut Cursor<Vec<u8>>, column: &str) -> Vec<String> {
    let batches: Vec<RecordBatch> = StreamReader::try_new(bytes, None).unwrap().map(Result::unwrap).collect();
    let of_batch = |batch: &RecordBatch| -> Vec<String> {
        let column = batch.column_by_name(column).unwrap();
        match column.as_string_opt::<i32>() {
            Some(texts) => texts.iter().map(|text| text.unwrap_or("null").to_owned()).collect(),
            None => column.as_fixed_size_binary().iter().map(|hash| format!("{hash:02x?}")).collect(),
        }
    };
    batches.iter().flat_map(of_batch).collect()
}

#[test]
fn each_stream_is_answered_like_a_run_of_its_own() {
    let yard = Yard::new();
    yard.write("list.cutlist.toml", LIST);
    let tables = [&["GRP-1", "grp-2", "GRP-3"][..], &[], &["HNG-1"]];
    let bytes = tables.map(stream).concat();
    let words = ["carve", "-", "--from", "arrow", "--to", "arrow", "-l", "list.cutlist.toml", "-q"];
    let answers = |what: &[&str]| {
        let output = yard.command(&[&words[..], what].concat()).write_stdin(bytes.clone()).output().unwrap();
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
        Cursor::new(output.stdout)
    };
    let mut rows = answers(&["--each-stream", "rows"]);
    let mut summaries = answers(&["--each-stream", "summary"]);
    for table in tables {
        let output =
            yard.command(&[&words[..], &["--summary", "one.json"]].concat()).write_stdin(stream(table)).output().unwrap();
        assert_eq!(texts(&mut rows, "family"), texts(&mut Cursor::new(output.stdout), "family"), "{table:?}");
        let wanted = [yard.read("one.json")];
        assert_eq!(texts(&mut rows, "summary"), wanted, "{table:?}");
        // The counts of rows alone compare the rows of each table too.
        assert_eq!(texts(&mut summaries, "summary"), wanted, "{table:?}");
    }
    let mut hashes = answers(&["--each-stream", "hashes"]);
    let found = tables.map(|_| (texts(&mut hashes, "hash"), texts(&mut hashes, "summary")));
    assert_eq!(found.each_ref().map(|(hashes, _)| hashes.len()), [3, 0, 1]);
    // Equal texts have equal hashes.
    assert_eq!(found[0].0[0], found[0].0[2]);
    assert!(found[0].0[0] != found[0].0[1] && found[0].1[0].contains("\"elsewhere\": true"), "{}", found[0].1[0]);
}

#[test]
fn a_broken_stream_and_other_formats_are_refused() {
    let yard = Yard::new();
    yard.write("list.cutlist.toml", LIST);
    yard.write("rows.csv", "code\nGRP-1\n");
    let refused = |input: &[u8], words: &[&str]| {
        let words = [&["carve", "-l", "list.cutlist.toml", "--each-stream", "rows"], words].concat();
        let output = yard.command(&words).write_stdin(input.to_vec()).output().unwrap();
        assert!(!output.status.success());
        String::from_utf8(output.stderr).unwrap()
    };
    let arrow = ["-", "--from", "arrow", "--to", "arrow"];
    let of_arrow = |more: &[&'static str]| [&arrow[..], more].concat();
    let cases = [
        refused(&stream(&["GRP-1"])[..100], &of_arrow(&["-q"])),
        refused(b"", &["rows.csv", "--to", "arrow", "-q"]),
        refused(b"", &["-", "--from", "arrow", "--to", "csv", "-q"]),
        refused(b"", &of_arrow(&[])),
        refused(b"", &of_arrow(&["-q", "--strict"])),
    ];
    insta::assert_snapshot!(cases.join("\n"));
}
