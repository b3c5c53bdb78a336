//! JSON Lines from files and pipes, into other formats, and with errors.

use insta::assert_snapshot;

use super::yard::Yard;

const PARTS: &str = r#"{"part_code": "GRP-00041273-S7K2", "stock": 12, "tags": ["spare", 1]}
{"part_code": "HNG-00000411-B2", "stock": null, "note": "say \"west\""}
{"stock": 7}
"#;

fn yard() -> Yard {
    Yard::with("parts.jsonl", PARTS)
}

#[test]
fn rows_stay_objects_or_become_rows_of_cells() {
    let yard = yard();
    let words = ["carve", "parts.jsonl", "-c", "part_code", "-p", "family: before \"-\"", "-q"];
    assert_eq!(
        yard.out(&words),
        r#"{"part_code": "GRP-00041273-S7K2", "stock": 12, "tags": ["spare", 1], "family": "GRP"}
{"part_code": "HNG-00000411-B2", "stock": null, "note": "say \"west\"", "family": "HNG"}
{"stock": 7, "family": null}
"#
    );
    assert_eq!(
        yard.out(&[&words[..], &["--to", "csv"]].concat()),
        "part_code,stock,tags,note,family\nGRP-00041273-S7K2,12,\"[\"\"spare\"\", 1]\",,GRP\nHNG-00000411-B2,,,\"say \"\"west\"\"\",HNG\n,7,,,\n"
    );
    // A piece that replaces a key, selected keys, only pieces, a row for each result.
    yard.write(
        "replace.cutlist.toml",
        "[piece.stock]\ntake = 'whole then pad left to 4 with \"0\" or \"none\"'\nreplace = true",
    );
    let replaced = yard.out(&["carve", "parts.jsonl", "-l", "replace.cutlist.toml", "-c", "stock", "-q"]);
    assert_eq!(replaced.lines().next(), Some(r#"{"part_code": "GRP-00041273-S7K2", "stock": "0012", "tags": ["spare", 1]}"#));
    assert_eq!(replaced.lines().last(), Some(r#"{"stock": "0007"}"#));
    assert_eq!(
        yard.out(&[&words[..], &["--columns", "stock"]].concat()).lines().next(),
        Some(r#"{"stock": 12, "family": "GRP"}"#)
    );
    assert_eq!(yard.out(&[&words[..], &["--only-pieces"]].concat()).lines().last(), Some(r#"{"family": null}"#));
    yard.write("each.cutlist.toml", "[piece.part]\ntake = 'sections by \"-\"'\nrows = true");
    let each = yard.out(&["carve", "parts.jsonl", "-l", "each.cutlist.toml", "-c", "part_code", "--columns", "stock", "-q"]);
    assert_eq!(each.lines().nth(2), Some(r#"{"stock": 12, "part": "S7K2"}"#));
    assert_eq!(each.lines().count(), 7);
}

#[test]
fn delimited_text_becomes_objects() {
    let yard = Yard::with("parts.csv", "part_code,note\nGRP-1,\"a \"\"b\"\"\tc\\\"\nHNG,\n");
    let words = ["carve", "parts.csv", "-c", "part_code", "-p", "no: after \"-\"", "-o", "cut.jsonl.gz", "--file-column", "of"];
    assert_eq!(yard.run(&words).status, 0);
    let out = yard.out(&["carve", "cut.jsonl.gz", "-c", "no", "-p", "n: whole", "--to", "ndjson", "-q"]);
    assert_eq!(
        out,
        r#"{"part_code":"GRP-1","note":"a \"b\"\tc\\","of":"parts.csv","no":"1","n":"1"}
{"part_code":"HNG","note":"","of":"parts.csv","no":null,"n":null}
"#
    );
}

#[test]
fn late_columns_are_found() {
    let early: String = (0..9_000).map(|n| format!("{{\"part_code\":\"GRP-{n:08}-S7K2\"}}\n")).collect();
    let yard = Yard::with("parts.jsonl", format!("{early}{{\"site\":\"East\",\"part_code\":\"HNG-1\"}}\n"));
    let last = |words: &[&str]| yard.out(words).lines().last().map(str::to_owned);
    assert_eq!(
        last(&["carve", "parts.jsonl", "-c", "part_code", "-p", "f: first 3", "-q"]).unwrap(),
        r#"{"site":"East","part_code":"HNG-1","f":"HNG"}"#
    );
    assert_eq!(
        last(&["carve", "parts.jsonl", "-c", "site", "-p", "f: first 3", "-q"]).unwrap(),
        r#"{"site":"East","part_code":"HNG-1","f":"Eas"}"#
    );
    assert_eq!(
        last(&["carve", "parts.jsonl", "-c", "part_code", "-p", "f: first 3", "--to", "tsv", "-q"]).unwrap(),
        "HNG-1\tEast\tHNG"
    );
    assert!(yard.out(&["survey", "parts.jsonl"]).contains("parts.jsonl: 2 columns, 9 001 rows"));
    // A pipe is read once: a late key is an error.
    let text = yard.read("parts.jsonl");
    let words = ["carve", "-", "--from", "jsonl", "-c", "part_code", "-p", "f: first 3", "-q"];
    assert_eq!(yard.run_on(text.clone(), &words).stdout.lines().count(), 9_001);
    assert_snapshot!(yard.run_on(text.clone(), &[&words[..], &["-o", "out.csv"]].concat()).shown());
    let columns = ["--columns", "part_code", "--to", "csv"];
    assert_eq!(yard.run_on(text, &[&words[..], &columns].concat()).stdout.lines().last(), Some("HNG-1,HNG"));
    // Files of one table can have their keys in different orders, and keys of their own.
    yard.write("a.jsonl", "{\"code\":\"GRP-1\",\"site\":\"East\"}\n");
    yard.write("b.jsonl", "{\"site\":\"West\",\"code\":\"HNG-2\",\"note\":1}\n");
    let both = yard.run(&["carve", "a.jsonl", "b.jsonl", "-c", "code", "-p", "f: first 3", "-q"]);
    assert_eq!(
        both.stdout,
        "{\"code\":\"GRP-1\",\"site\":\"East\",\"f\":\"GRP\"}\n{\"site\":\"West\",\"code\":\"HNG-2\",\"note\":1,\"f\":\"HNG\"}\n"
    );
    let both = yard.out(&["carve", "a.jsonl", "b.jsonl", "-c", "code", "-p", "f: first 3", "--to", "csv", "-q"]);
    assert_eq!(both, "code,site,note,f\nGRP-1,East,,GRP\nHNG-2,West,1,HNG\n");
}

#[test]
fn every_command_reads_them() {
    let yard = yard();
    yard.write("families.jsonl", "{\"family\":\"GRP\"}\n{\"family\":\"XXX\"}\n");
    yard.write(
        "parts.cutlist.toml",
        "column = 'part_code'\n[piece.family]\ntake = 'first 3'\ncheck = 'listed in \"families.jsonl\"'",
    );
    yard.write("want.jsonl", "{\"value\":\"GRP-00041273-S7K2\",\"result\":\"GRP\"}\n");
    let list = ["-l", "parts.cutlist.toml"];
    let aside = ["--offcuts", "off.jsonl", "--faults", "faults.jsonl", "-o", "rest.csv", "-q"];
    let ran = [
        yard.run(&[&["check", "parts.jsonl", "--rows", "1"], &list[..]].concat()),
        yard.run(&[&["carve", "parts.jsonl"], &list[..], &aside].concat()),
        yard.run(&["explain", "parts.cutlist.toml", "parts.jsonl", "--row", "2"]),
        yard.run(&["gauge", "--file", "parts.jsonl", "-c", "stock", "--rows", "1"]),
        yard.run(&["draft", "parts.jsonl", "-c", "part_code", "--want-file", "want.jsonl", "-q"]),
    ];
    let shown: Vec<String> = ran.iter().map(|ran| ran.shown()).collect();
    assert_snapshot!(format!("{}\n{}{}", shown.join("\n"), yard.read("off.jsonl"), yard.read("rest.csv")));
}

#[test]
fn invalid_lines_are_refused_with_their_position() {
    let good = "{\"code\":\"GRP-1\"}\n";
    let mut shown = String::new();
    for (name, second) in [
        ("an array", "[1, 2]"),
        ("a number", "  17"),
        ("a text", "\"GRP\""),
        ("something", "code,site"),
        ("cut short", "{\"code\": \"GRP-"),
        ("no comma", "{\"code\": \"É\" \"site\": 1}"),
        ("more after it", "{\"code\": \"GRP\"} {}"),
        ("no name", "{code: 1}"),
        ("a wrong number", "{\"code\": 0385}"),
        ("a wrong escape", "{\"code\": \"\\x\"}"),
        ("half a character", "{\"code\": \"\\ud83d\"}"),
        ("a bare control", "{\"code\": \"a\tb\"}"),
        ("two of a key", "{\"code\": \"a\", \"site\": 1, \"code\": \"b\"}"),
        ("two of a new key", "{\"x\": 1, \"\\u0078\": 2}"),
    ] {
        let yard = Yard::with("parts.jsonl", format!("{good}{second}\n{good}"));
        yard.write("out.jsonl", "as it was\n");
        let ran = yard.run(&["carve", "parts.jsonl", "-c", "code", "-p", "f: first 3", "-o", "out.jsonl"]);
        assert_eq!((ran.status, yard.read("out.jsonl").as_str()), (3, "as it was\n"), "{name}");
        shown += &format!("{name}: {}\n", ran.stderr.lines().next().unwrap_or_default());
    }
    let yard = Yard::with("parts.jsonl", format!("{good}[1]\n"));
    shown += &yard.run(&["survey", "parts.jsonl"]).stderr;
    yard.write("empty.jsonl", "\n\n");
    shown += &yard.run(&["survey", "empty.jsonl"]).stderr;
    yard.write("not.jsonl", b"{\"code\":\"\xff\"}\n");
    shown += &yard.run(&["survey", "not.jsonl"]).stderr;
    yard.write("parts.csv", "code\nGRP-1\n");
    shown += &yard.run(&["carve", "parts.csv", "parts.jsonl", "-c", "code", "-p", "f: first 3"]).stderr;
    shown += &yard.run_on(good, &["survey", "-"]).stderr;
    assert_snapshot!(shown);
}
