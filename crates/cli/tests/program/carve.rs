//! `carve`: original cells with pieces after them.

use std::io::Read;
use std::process::Stdio;

use insta::assert_snapshot;

use crate::yard::Yard;

const PARTS: &str = "\
part_code,note,crew id
GRP-00041273-S7K2,\"a, \"\"b\"\"\",2019-0385-RIG
HNG-0004127,\"two
lines\",2020-12-EL
,\"plain\",none
";

#[test]
fn formula_like_pieces_get_a_hint_or_a_guard() {
    let rows = "code,note\nGRP-=1+2,=x\nGRP--5.5,y\nGRP-@cmd,y\nGRP-+é,\"-a,b\"\nGRP-7,z\n";
    let yard = Yard::with("in.csv", rows);
    yard.write("l.cutlist.toml", "column = 'code'\n[piece.p]\ntake = 'after \"-\"'\ncheck = 'not starts with \"=\"'\n[piece.h]\nhidden = true\ntake = 'after \"-\"'\n[piece.n]\nof = 'note'\ntake = 'whole'\n[piece.m]\ntake = 'sections by \"-\" joined with \"\"'\n");
    let ran = yard.run(&["carve", "in.csv", "-l", "l.cutlist.toml", "-o", "-"]);
    let guarded = yard.run(&["carve", "in.csv", "-l", "l.cutlist.toml", "-o", "-", "--guard-formulas"]);
    assert_snapshot!(format!("{}{}", ran.shown(), guarded.shown()));
    let rows = yard.out(&[
        "carve",
        "in.csv",
        "-q",
        "-c",
        "code",
        "-p",
        "p: after \"-\"",
        "-o",
        "-",
        "--only-pieces",
        "--guard-formulas",
    ]);
    assert_eq!(rows, "p\n'=1+2\n-5.5\n'@cmd\n'+é\n7\n");
    // A fault refers to the result without the apostrophe.
    let words = ["carve", "in.csv", "-q", "-c", "code", "-p", "p: after \"-\"", "--check", "p: digits"];
    yard.run(&[&words[..], &["--guard-formulas", "-o", "cut.csv", "--faults", "faults.csv"]].concat());
    assert!(
        yard.read("faults.csv").contains("GRP-=1+2,'=1+2,1,digits,\"character 1 is \"\"=\"\"; a digit"),
        "{}",
        yard.read("faults.csv")
    );
    yard.write("rows.cutlist.toml", "column = 'code'\n[piece.p]\ntake = 'matches /[-=@+].?/'\nrows = true\n");
    let rows = yard.out(&["carve", "in.csv", "-q", "-l", "rows.cutlist.toml", "-o", "-", "--only-pieces", "--guard-formulas"]);
    assert_eq!(rows, "p\n'-=\n+2\n'--\n'-@\n'-+\n-7\n");
}

#[test]
fn pieces_are_added_and_original_cells_stay_as_they_are() {
    let yard = Yard::with("parts.csv", PARTS);
    let ran = yard.run(&[
        "carve",
        "parts.csv",
        "-c",
        "part_code",
        "-p",
        "family: first 3",
        "-p",
        "serial: chars 5 to 12 or \"none, alas\"",
        "-p",
        "note_1 of note: first 3",
        "-p",
        "number of #3: section 2 by \"-\" then pad left to 3 with \"0\"",
        "-p",
        "team of \"crew id\": section 3 by \"-\"",
    ]);
    assert_snapshot!(ran.shown());
}

#[test]
fn line_ends_marks_and_missing_ends_stay_as_they_are() {
    let take = ["carve", "-", "-c", "a", "-p", "x: first 1", "-q"];
    for (input, expected) in [
        ("a,b\r\n12,3\r\n", "a,b,x\r\n12,3,1\r\n"),
        ("a,b\n12,3", "a,b,x\n12,3,1"),
        ("\u{feff}a,b\n12,3\n", "\u{feff}a,b,x\n12,3,1\n"),
        ("\u{feff}\"a\",b\n\"12\",3\n", "\u{feff}\"a\",b,x\n\"12\",3,1\n"),
        ("a,b\n1,2\r\n3,4\n", "a,b,x\n1,2,1\r\n3,4,3\n"),
        ("\na,b\n\n12,3\n\n", "\na,b,x\n\n12,3,1\n\n"),
        ("a\n1\n\n2\n", "a,x\n1,1\n,\n2,2\n"),
        ("a,b\n\"1\r\n2\",\n", "a,b,x\n\"1\r\n2\",,1\n"),
        ("a,b\n\",\",\n", "a,b,x\n\",\",,\",\"\n"),
        ("a,b\n", "a,b,x\n"),
        ("a,b", "a,b,x"),
    ] {
        let ran = Yard::new().run_on(input, &take);
        assert_eq!((ran.stdout.as_str(), ran.status), (expected, 0), "{input:?}: {}", ran.stderr);
    }
}

#[test]
fn reading_options() {
    let yard = Yard::new();
    let out = |input: &[u8], words: &[&str]| {
        let ran = yard.run_on(input, &[&["carve", "-q"], words].concat());
        assert_eq!(ran.status, 0, "{}", ran.stderr);
        ran.stdout
    };
    assert_eq!(out(b"a;b\n1,2;3\n", &["--delimiter", ";", "-c", "a", "-p", "x: whole"]), "a;b;x\n1,2;3;1,2\n");
    assert_eq!(out(b"a\tb\n1\t2\n", &["--delimiter", "tab", "-c", "b", "-p", "x: whole"]), "a\tb\tx\n1\t2\t2\n");
    assert_eq!(out(b"12,3\n4,5\n", &["--no-header", "-c", "#1", "-p", "x: first 1"]), "12,3,1\n4,5,4\n");
    assert_eq!(out(b"12\n4\n", &["--no-header", "-p", "x: first 1"]), "12,1\n4,4\n");
    assert_eq!(out(b"a,b\n12,3\n", &["--only-pieces", "-c", "a", "-p", "x: first 1", "-p", "y: last 1"]), "x,y\n1,2\n");
    assert_eq!(out(b"a,b\n12,3\n", &["--only-pieces", "-c", "a", "-p", "x: char 9"]), "x\n\"\"\n");
    assert_eq!(out(b"a\nF\xfchrung\n", &["--encoding", "windows-1252", "-p", "x: first 2"]), "a,x\nFührung,Fü\n");
    let utf16: Vec<u8> = "\u{feff}a\nü1\n".encode_utf16().flat_map(u16::to_le_bytes).collect();
    assert_eq!(out(&utf16, &["--encoding", "utf-16le", "-p", "x: last 1"]), "a,x\nü1,1\n");
    yard.write("a.tsv", "a\tb\n1,2\t3\n");
    assert_eq!(out(b"", &["a.tsv", "-c", "a", "-p", "x: whole"]), "a\tb\tx\n1,2\t3\t1,2\n");
}

#[test]
fn only_rows_that_meet_a_condition() {
    let yard = Yard::with("in.csv", "code,depot\nGRP-1,East\nHNG-2,West\n,East\nGRP-3,West\n");
    let run = |words: &[&str]| yard.run(&[&["carve", "in.csv", "-c", "code", "-p", "no: after \"-\""], words].concat());
    assert_snapshot!(run(&["--keep", "depot: one of \"West\"", "--keep", "no: range 3 to 9"]).shown());
    assert_snapshot!(run(&["--keep", "dpot: required"]).shown());
    assert_snapshot!(run(&["--keep", "starts with \"GRP\""]).shown());
    for guess in ["--where", "--filter"] {
        let refused = run(&[guess, "depot: one of \"West\""]);
        assert!(refused.status == 2 && refused.stderr.contains("'--keep'"), "{}", refused.shown());
    }
    // Without pieces.
    let kept = yard.out(&["carve", "in.csv", "-q", "--keep", "code: not blank", "--columns", "depot", "-o", "-"]);
    assert_eq!(kept, "depot\nEast\nWest\nWest\n");
    let kept = yard.run(&["carve", "in.csv", "--keep", "depot: blank", "-o", "none.csv"]);
    assert_eq!(
        (kept.stderr.as_str(), &*yard.read("none.csv")),
        ("in.csv: 4 rows, 4 left out, 0 written to none.csv\n", "code,depot\n")
    );
    // The list keeps some of the rows, and the option some of those.
    yard.write(
        "l.cutlist.toml",
        "[piece.no]\nof = 'code'\ntake = 'after \"-\"'\ncheck = 'length 2'\n[rows]\nkeep = 'code: not blank'\n",
    );
    assert_snapshot!(yard.run(&["check", "in.csv", "-l", "l.cutlist.toml", "--keep", "depot: one of \"East\""]).shown());
    assert_snapshot!(yard.run(&["check", "in.csv", "-l", "l.cutlist.toml", "--keep", "depot: blank"]).shown());
    let report = ["report", "in.csv", "-l", "l.cutlist.toml", "--keep", "depot: one of \"East\"", "--to", "json", "-q"];
    let report: serde_json::Value = serde_json::from_str(&yard.run(&report).stdout).unwrap();
    assert_eq!(report["summary"]["rows"]["left_out"], 3, "{report}");
}

#[test]
fn several_files_are_one_table() {
    let yard = Yard::with("one.csv", "a,b\n1,2");
    yard.write("two.csv", "\u{feff}a,b\r\n3,4\r\n");
    assert_eq!(yard.out(&["carve", "one.csv", "two.csv", "-c", "a", "-p", "x: whole"]), "a,b,x\n1,2,1\n3,4,3\r\n");
    let ran = yard.run_on("a,b\n5,6\n", &["carve", "one.csv", "-", "-c", "a", "-p", "x: whole"]);
    assert_eq!(ran.stdout, "a,b,x\n1,2,1\n5,6,5\n");
}

#[test]
fn a_file_with_a_header_only_gives_a_header() {
    let yard = Yard::with("a.csv", "a,b\n");
    let ran = yard.run(&["carve", "a.csv", "-c", "a", "-p", "x: whole"]);
    assert_snapshot!(ran.shown());
}

#[test]
fn an_output_replaces_a_file_without_leftovers() {
    let yard = Yard::with("a.csv", "a\n1\n");
    yard.write("out.csv", "something older\n");
    let ran = yard.run(&["carve", "a.csv", "-p", "x: whole", "-o", "out.csv"]);
    assert_eq!((ran.stdout.as_str(), yard.read("out.csv").as_str()), ("", "a,x\n1,1\n"));
    assert!(ran.stderr.ends_with("a.csv: 1 row, written to out.csv\n"), "{}", ran.stderr);
    assert_eq!(yard.names(), ["a.csv", "out.csv"]);
}

#[cfg(unix)]
#[test]
fn an_output_keeps_permissions_and_links() {
    use std::os::unix::fs::{PermissionsExt, symlink};
    let yard = Yard::with("a.csv", "a\n1\n");
    yard.write("real.csv", "");
    std::fs::set_permissions(yard.path().join("real.csv"), std::fs::Permissions::from_mode(0o640)).unwrap();
    symlink("real.csv", yard.path().join("link.csv")).unwrap();
    yard.out(&["carve", "a.csv", "-p", "x: whole", "-o", "link.csv"]);
    assert_eq!(yard.read("real.csv"), "a,x\n1,1\n");
    let mode = std::fs::metadata(yard.path().join("real.csv")).unwrap().permissions().mode();
    assert_eq!(mode & 0o777, 0o640);
    assert!(std::fs::symlink_metadata(yard.path().join("link.csv")).unwrap().is_symlink());
}

#[test]
fn a_later_pipe_is_read_once() {
    let rows: String = (0..100_000).map(|n| format!("{n:06},x\n")).collect();
    let expected: String = (0..100_000).map(|n| format!("{n:06},x,{:03}\n", n / 1000)).collect();
    let carve = ["carve", "a.csv", "/dev/stdin", "-q", "-p", "x of #1: first 3"];
    let yard = Yard::with("a.csv", "abcdef,y\n");
    let ran = yard.run_on(rows.as_bytes(), &[&carve[..], &["--no-header"]].concat());
    assert_eq!((ran.status, ran.stderr.as_str()), (0, ""));
    assert!(ran.stdout == format!("abcdef,y,abc\n{expected}"));
    let yard = Yard::with("a.csv", "a,b\nabcdef,y\n");
    let ran = yard.run_on(format!("a,b\n{rows}").as_bytes(), &carve);
    assert_eq!((ran.status, ran.stderr.as_str()), (0, ""));
    assert!(ran.stdout == format!("a,b,x\nabcdef,y,abc\n{expected}"));
}

#[test]
fn a_closed_pipe_ends_quietly() {
    let rows: String = (0..200_000).map(|n| format!("{n:08},x\n")).collect();
    let yard = Yard::with("a.csv", format!("a,b\n{rows}"));
    let program = assert_cmd::cargo::cargo_bin!("keen-notch");
    let mut child = std::process::Command::new(program)
        .current_dir(yard.path())
        .args(["carve", "a.csv", "-c", "a", "-p", "x: first 3"])
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut first = [0; 16];
    child.stdout.take().unwrap().read_exact(&mut first).unwrap();
    let output = child.wait_with_output().unwrap();
    assert_eq!((output.status.code(), String::from_utf8(output.stderr).unwrap()), (Some(0), String::new()));
}

#[test]
fn blocks_do_not_show() {
    // Several blocks of 256 KiB, with quoted line breaks.
    let rows: String = (0..60_000).map(|n| format!("\"{n},\n\",GRP-{n:05}\n")).collect();
    let yard = Yard::with("a.csv", format!("a,b\n{rows}"));
    let out = yard.out(&["carve", "a.csv", "-c", "b", "-p", "x: last 5", "-q"]);
    let expected: String = (0..60_000).map(|n| format!("\"{n},\n\",GRP-{n:05},{n:05}\n")).collect();
    assert!(out == format!("a,b,x\n{expected}"));
}

#[test]
fn several_names_and_rows_for_each_result() {
    let yard = Yard::with("a.csv", "code,n\nGRP-7-S,1\n GRP-8-T,2\nHNG-9,3\n");
    let names = "kind, no, grade of code: sections by \"-\"";
    assert_eq!(
        yard.out(&["carve", "a.csv", "-q", "-p", names, "-p", "label: build \"{no}/{kind}\""]),
        "code,n,kind,no,grade,label\nGRP-7-S,1,GRP,7,S,7/GRP\n GRP-8-T,2,\" GRP\",8,T,8/ GRP\nHNG-9,3,HNG,9,,9/HNG\n"
            .replace("\" GRP\"", " GRP")
    );
    assert_eq!(
        yard.out(&["carve", "a.csv", "-q", "--to", "jsonl", "--only-pieces", "-p", names]).lines().next_back().unwrap(),
        "{\"kind\":\"HNG\",\"no\":\"9\",\"grade\":null}"
    );
    let rows = yard.out(&["carve", "a.csv", "-q", "--only-pieces", "-p", "part of code in rows: sections by \"-\""]);
    assert_eq!(rows, "part\nGRP\n7\nS\n GRP\n8\nT\nHNG\n9\n");
    // A check of one name, and a hint that keeps the names.
    let checked = yard.run(&["check", "a.csv", "-p", names, "--check", "grade: one of \"S\"", "--check", "no: range 1 to 8"]);
    assert_snapshot!(checked.shown());
    let hinted = yard.run(&["carve", "a.csv", "-o", "out.csv", "-p", "kind, no of code: groups of /^(\\w+)-(\\d)/"]);
    assert_snapshot!(hinted.shown());
}
