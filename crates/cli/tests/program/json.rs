//! JSON: arrays of objects, and columns by path.

use insta::assert_snapshot;

use crate::yard::Yard;

const ARRAY: &str = "[\n  {\n    \"code\": \"GRP-1\",\n    \"loan\": {\"id\": 7, \"tags\": [\"a\", \"b\"]},\n    \"x\": null\n  },\n  { \"code\": \"HNG-2\", \"loan\": {\"id\": 8.50}, \"new\": true }\n]\n";

#[test]
fn an_array_is_written_as_one_with_its_own_members() {
    let yard = Yard::with("a.json", ARRAY);
    let carved = "[\n{\"code\": \"GRP-1\", \"loan\": {\"id\": 7, \"tags\": [\"a\", \"b\"]}, \"x\": null, \"f\": \"GRP\"},\n\
                  { \"code\": \"HNG-2\", \"loan\": {\"id\": 8.50}, \"new\": true, \"f\": \"HNG\" }\n]\n";
    let piece = ["-q", "-p", "f of code: first 3"];
    assert_eq!(yard.out(&[&["carve", "a.json"], &piece[..]].concat()), carved);
    assert_eq!(yard.out(&[&["carve", "a.json", "-o", "-"], &piece[..]].concat()), carved);
    yard.out(&[&["carve", "a.json", "-o", "b.json"], &piece[..]].concat());
    assert_eq!(yard.read("b.json"), carved);
    let ran = yard.run_on(ARRAY, &[&["carve", "--from", "json"], &piece[..]].concat());
    assert_eq!(ran.stdout, carved);
    // Into other formats and back, compressed too.
    yard.out(&["carve", "a.json", "-q", "-o", "a.jsonl.gz"]);
    yard.out(&["carve", "a.jsonl.gz", "-q", "-o", "c.json.gz", "--columns", "part=code,new"]);
    let back = yard.out(&["carve", "c.json.gz", "-q", "--to", "csv"]);
    assert_eq!(back, "part,new\nGRP-1,\nHNG-2,true\n");
    assert_eq!(yard.out(&["carve", "a.json", "-q", "--keep", "code: blank"]), "[]\n");
    // Parts have the rows of the whole.
    let rows: Vec<String> = (0..2000).map(|row| format!("  {{\"no\": {row}}}")).collect();
    yard.write("many.json", format!("[\n{}\n]", rows.join(",\n")));
    for threads in ["1", "3"] {
        let words = ["carve", "many.json", "-q", "--to", "csv", "--threads", threads, "-p", "n of no: row number"];
        let expected: String = (0..2000).map(|row| format!("{row},{}\n", row + 1)).collect();
        assert_eq!(yard.out(&words), format!("no,n\n{expected}"));
        let parts = ["1/3", "2/3", "3/3"].map(|part| yard.out(&[&words[..], &["--part", part]].concat()));
        assert_eq!(parts.concat(), format!("no,n\n{expected}"));
    }
}

#[test]
fn faults_have_the_lines_of_the_array() {
    let yard = Yard::with("a.json", ARRAY);
    let ran = yard.run(&["check", "a.json", "-q", "--check", "code: starts with \"G\"", "--faults", "faults.json"]);
    assert_eq!(ran.status, 1);
    let faults: serde_json::Value = serde_json::from_str(&yard.read("faults.json")).unwrap();
    assert_eq!((&faults[0]["row"], &faults[0]["line"], &faults[0]["value"]), (&2.into(), &7.into(), &"HNG-2".into()));
}

#[test]
fn texts_that_are_no_array() {
    let refused = |text: &str, words: &[&str]| Yard::with("a.json", text).run(&[&["survey", "a.json"], words].concat()).stderr;
    assert_snapshot!(
        [
            refused("[{\"a\":1}", &[]),
            refused("[{\"a\":1} {\"a\":2}]", &[]),
            refused("[{\"a\":1},\n\n7]", &[]),
            refused("[{\"a\":1},\n {\"a\":tru}]", &[]),
            refused("{\"a\":1}\n{\"a\":2}\n", &[]),
            refused("[]", &[]),
            Yard::with("a.txt", "").run_on("[\n {\"a\":1}]", &["survey"]).stderr,
        ]
        .join("\n")
    );
    assert_eq!(refused("{\"a\":1}\n{\"a\":2}\n", &["--from", "jsonl"]), "");
}

const LOANS: &str = r#"{"code":"GRP-1","loan":{"id":7,"who":"A\u00e9"},"items":[{"code":"x-1"},{"code":"y-2"}]}
{"code":"HNG-2","loan":null,"items":[]}
{"code":"B","loan":{"id":8,"a.b":{"c":true}}}
"#;

#[test]
fn columns_by_path() {
    let yard = Yard::with("a.jsonl", LOANS);
    let carve = |words: &[&str]| yard.out(&[&["carve", "a.jsonl", "-q", "--to", "csv", "--only-pieces"], words].concat());
    assert_eq!(carve(&["-c", "loan.id", "-p", "id: whole"]), "id\n7\n\"\"\n8\n");
    assert_eq!(
        carve(&["-p", "w of loan.who: last 1", "-p", "i of items.1.code: after \"-\"", "-p", "c of loan.a.b.c: whole"]),
        "w,i,c\né,2,\n,,\n,,true\n"
    );
    let by = "k of code: if loan.id: blank then \"none\" else before \"-\" or whole";
    assert_eq!(carve(&["-p", by, "-p", "z: build \"{loan.id}/{code}\""]), "k,z\nGRP,7/GRP-1\nnone,/HNG-2\nB,8/B\n");
    assert_eq!(carve(&["-p", "c of code: whole", "--keep", "loan.id: range 8 to"]), "c\nB\n");
    // Objects keep their members; a path is no column of its own.
    let kept = yard.out(&["carve", "a.jsonl", "-q", "-p", "id of loan.id: whole", "--keep", "loan.id: one of \"8\""]);
    assert_eq!(kept, "{\"code\":\"B\",\"loan\":{\"id\":8,\"a.b\":{\"c\":true}},\"id\":\"8\"}\n");
    let ran = yard.run(&["carve", "a.jsonl", "--columns", "code,loan.id"]);
    assert!(ran.stderr.contains("-p 'id of loan.id: whole'"), "{}", ran.shown());
    let ran = yard.run(&["carve", "a.jsonl", "-c", "loan.idd", "-p", "x: whole"]);
    assert_snapshot!(format!("{}\n{}", ran.stderr, yard.out(&["survey", "a.jsonl"])));
    // A path that occurs late is found by reading all rows first.
    yard.write("late.jsonl", format!("{}{{\"a\":{{\"late\":1}}}}\n", "{\"a\":{\"b\":22}}\n".repeat(40_000)));
    let late = yard.out(&[
        "carve",
        "late.jsonl",
        "-q",
        "--to",
        "csv",
        "--only-pieces",
        "-p",
        "l of a.late: whole",
        "--keep",
        "a.late: not blank",
    ]);
    assert_eq!(late, "l\n1\n");
}
