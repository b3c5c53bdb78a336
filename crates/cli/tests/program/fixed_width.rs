//! Fixed-width text: read by position, written to positions, never shortened.

use insta::assert_snapshot;

use super::yard::Yard;

const PARTS: &str =
    "code              qty depot\nGRP-00041273-S7K2  12 East\n\nHNG-00000411-B2XX 140 Västra  \nTWR-1               1  East";
const WIDTHS: &str = "1 to 17, 19 to 21, 23 to 28";

#[test]
fn rows_keep_their_lines_and_get_pieces_in_places_after_them() {
    let yard = Yard::with("parts.fwf", PARTS);
    yard.write("parts.cutlist.toml", "column = 'code'\n[reading]\nwidths = '1 to 17, 19 to 21, 23 to 28'\n[layout.code]\nform = '<family 3>-<serial 1 to 8 digits>[-<grade 4>]'");
    let ran = yard.run(&["carve", "parts.fwf", "-l", "parts.cutlist.toml", "-o", "cut.fwf"]);
    assert_snapshot!(format!("{}\n{}", ran.shown(), yard.read("cut.fwf")));
    // The printed widths read the output.
    let widths = ran.stderr.lines().last().unwrap().split_once("--widths ").unwrap().1.trim_matches('\'').to_owned();
    let again =
        yard.out(&["carve", "cut.fwf", "--widths", &widths, "-c", "serial", "-p", "n: plain number", "--to", "csv", "-q"]);
    assert_eq!(again.lines().next(), Some("code,qty,depot,family,serial,grade,n"));
    assert_eq!(again.lines().last(), Some("TWR-1,1,East,TWR,1,,1"));
    // With names in the widths, the first line is a row.
    yard.write("bare.txt", "GRP 1\r\nHNG22\r\n");
    let words =
        ["carve", "bare.txt", "--widths", "family 1 to 3, no 4 for 2", "-c", "no", "-p", "no4: pad left to 4 with \"0\"", "-q"];
    assert_eq!(yard.out(&words), "GRP 1 0001\r\nHNG22 0022\r\n");
    // With pieces that replace columns, or between them, or without some columns, rows are rewritten.
    let between = ["--out-widths", "family 1 to 3, no4 5 to 8, no 10 to 11"];
    assert_eq!(yard.out(&[&words[..], &between].concat()), "GRP 0001  1\nHNG 0022 22\n".replace("  1", " 1"));
    assert_eq!(yard.out(&[&words[..], &["--columns", "family"]].concat()), "GRP 0001\nHNG 0022\n");
}

#[test]
fn other_formats_become_fixed_width_text_and_the_other_way_round() {
    let yard = Yard::with("parts.csv", "code,note\nGRP-1,\"a, b\"\nÉÉ-22,\n");
    yard.write(
        "parts.cutlist.toml",
        "column = 'code'\n[writing]\nwidths = 'code 1 to 6, note 8 to 12, no 14 to 15'\n[piece.no]\ntake = 'after \"-\"'",
    );
    let list = ["-l", "parts.cutlist.toml"];
    assert_eq!(
        yard.out(&[&["carve", "parts.csv", "--to", "fwf", "-q"], &list[..]].concat()),
        "GRP-1  a, b  1\nÉÉ-22        22\n"
    );
    assert_eq!(yard.run(&[&["carve", "parts.csv", "-o", "cut.fwf.gz"], &list[..]].concat()).status, 0);
    let back =
        ["carve", "cut.fwf.gz", "--widths", "code 1 to 6, note 8 to 12, no 14 to 15", "-c", "no", "-p", "x: whole", "-q"];
    assert_eq!(yard.out(&[&back[..], &["--to", "csv"]].concat()), "code,note,no,x\nGRP-1,\"a, b\",1,1\nÉÉ-22,,22,22\n");
    assert_eq!(
        yard.out(&[&back[..], &["--to", "jsonl"]].concat()).lines().next(),
        Some(r#"{"code":"GRP-1","note":"a, b","no":"1","x":"1"}"#)
    );
    // Every command reads it.
    let survey = yard.run(&["survey", "cut.fwf.gz", "--widths", "code 1 to 6, note 8 to 12, no 14 to 15", "-c", "code"]);
    assert!(survey.stdout.starts_with("code of cut.fwf.gz\n\nrows      2\n"), "{}", survey.shown());
}

#[test]
fn an_empty_line_is_a_row_of_blanks() {
    let yard = Yard::with("parts.txt", "GRP-1 12\n\nHNG-2  4\n\n");
    let words = ["carve", "parts.txt", "--widths", "code 1 to 5, qty 7 to 8", "-c", "code", "-p", "family: before \"-\"", "-q"];
    assert_eq!(yard.out(&[&words[..], &["--to", "csv"]].concat()), "code,qty,family\nGRP-1,12,GRP\n,,\nHNG-2,4,HNG\n,,\n");
    let places = ["--out-widths", "code 1 to 5, qty 7 to 8, family 10 to 12"];
    assert_eq!(yard.out(&[&words[..], &places].concat()), "GRP-1 12 GRP\n\nHNG-2  4 HNG\n\n");
}

#[test]
fn too_wide_values_are_faults_and_never_cut() {
    let yard = Yard::with("parts.csv", "code,note\nGRP-1,ab\nHNG-22,abc\nTWR-333,\"a\nb\"\nCAB-4,ß\n");
    let words = ["carve", "parts.csv", "-c", "code", "-p", "no: after \"-\"", "--to", "fwf"];
    let words = [&words[..], &["--out-widths", "code 1 to 7, note 9 to 10, no 12 to 13"]].concat();
    let ran = yard.run(&[&words[..], &["-o", "cut.fwf"]].concat());
    assert_snapshot!(ran.shown());
    assert_eq!(yard.names(), ["parts.csv"]);
    let aside = ["-o", "cut.fwf", "--offcuts", "off.csv", "--faults", "faults.csv", "-q"];
    assert_eq!(yard.run(&[&words[..], &aside].concat()).status, 0);
    assert_eq!(yard.read("cut.fwf"), "GRP-1   ab 1\nCAB-4   ß  4\n");
    assert_snapshot!(yard.read("off.csv") + &yard.read("faults.csv"));
}

#[test]
fn missing_and_invalid_positions_are_refused() {
    let yard = Yard::with("parts.fwf", PARTS);
    yard.write("words.fwf", "one\ntwo\n");
    yard.write("aligned.txt", format!("{PARTS}\n{}", "CAB-90470384-DUX5    7 Summit\n".repeat(3)));
    yard.write("long.fwf", "GRP-1\nGRP-1   x\n");
    yard.write("parts.csv", "code\nGRP-1\n");
    let mut shown = String::new();
    let mut note = |words: &[&str]| {
        let ran = yard.run(words);
        shown += &format!("{words:?}: exit {}\n{}", ran.status, ran.stderr);
    };
    note(&["survey", "parts.fwf"]);
    note(&["survey", "words.fwf"]);
    note(&["survey", "aligned.txt"]);
    note(&["survey", "parts.fwf", "--widths", "code 1 to 17, qty 17 to 21"]);
    note(&["survey", "parts.csv", "--widths", "1", "--from", "jsonl"]);
    note(&["survey", "parts.fwf", "--widths", WIDTHS, "--delimiter", ";"]);
    note(&["survey", "long.fwf", "--widths", "code 1 to 5"]);
    let piece = ["-c", "code", "-p", "no: after \"-\""];
    note(&[&["carve", "parts.fwf", "--widths", WIDTHS], &piece[..]].concat());
    note(&[&["carve", "parts.fwf", "--widths", "1 to 17, 19 to end"], &["-c", "code", "-p", "f: first 3"][..]].concat());
    note(&[&["carve", "parts.csv", "--to", "fwf"], &piece[..]].concat());
    note(&[&["carve", "parts.csv", "--to", "fwf", "--out-widths", "1 to 5"], &piece[..]].concat());
    note(&[&["carve", "parts.csv", "--to", "fwf", "--out-widths", "code 1 to 5, nr 7 to 9"], &piece[..]].concat());
    note(&[&["carve", "parts.csv", "--to", "fwf", "--out-widths", "code 1 to 5, no 7 to end"], &piece[..]].concat());
    note(&[&["carve", "parts.csv", "--out-widths", "code 1 to 5, no 7 to 9"], &piece[..]].concat());
    note(&[&["carve", "parts.csv", "--offcuts", "off.fwf"], &piece[..]].concat());
    assert_snapshot!(shown);
}
