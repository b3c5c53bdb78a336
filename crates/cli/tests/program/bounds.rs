//! Limits: oversized input is refused with its place, or shown in part.

use std::fmt::Write as _;
use std::process::Command;

use insta::assert_snapshot;

use crate::yard::{Ran, Yard};

fn carve(yard: &Yard, list: &str, words: &[&str]) -> Ran {
    yard.write("list.cutlist.toml", format!("column = 'code'\n{list}"));
    yard.run(&[&["carve", "in.csv", "-q", "-l", "list.cutlist.toml", "-o", "out.csv"], words].concat())
}

#[test]
fn results_of_a_row_have_a_limit() {
    let yard = Yard::with("in.csv", "code\nshort\nGRP-00041273-S7K2\n");
    let chain = (1..30).fold("[piece.b0]\ntake = 'whole'\n".to_owned(), |mut list, number| {
        let before = number - 1;
        let _ = write!(list, "[piece.b{number}]\nbuild = '{{b{before}}}{{b{before}}}'\n");
        list
    });
    let doubled = format!(
        "[piece.p]\ntake = 'whole{}'\n",
        " then replace /./ with \"$0$0$0$0$0$0$0$0$0$0$0$0$0$0$0$0$0$0$0$0\"".repeat(10)
    );
    let mut said = String::new();
    for list in [&chain, &doubled] {
        for words in [["--max-row", "1M"], ["--max-row", "1K"]] {
            let refused = carve(&yard, list, &words);
            assert!(refused.status == 3 && !yard.names().contains(&"out.csv".to_owned()), "{}", refused.shown());
            said += &refused.stderr;
        }
    }
    assert_snapshot!(said);
    // Large rows are processed a few at a time, with the same result.
    yard.write("in.csv", format!("code\n{}", "GRP-00041273\nx\n".repeat(150)));
    let wide =
        "[piece.p]\ntake = 'whole then pad left to 2000 with \"0\"'\ncheck = ['unique', 'length 2000', 'starts with \"01\"']\n";
    let run = |words: &[&str]| {
        let ran = carve(&yard, wide, &[&["--faults", "faults.csv", "--max-row", "9K"], words].concat());
        assert_eq!(ran.status, 0, "{}", ran.shown());
        (yard.read("out.csv"), yard.read("faults.csv"))
    };
    let plenty = run(&["--threads", "1", "--memory", "4G"]);
    assert!(plenty == run(&["--threads", "1", "--memory", "64K"]));
    assert!(plenty == run(&["--threads", "3", "--memory", "1M"]));
    assert_eq!(plenty.0.lines().count(), 301);
}

#[test]
fn unique_uses_files_beyond_the_memory() {
    let rows: String = (0..60_000_u64).map(|row| format!("GRP-{},{}\n", row * row % 50_021, row % 300)).collect();
    let yard = Yard::with("in.csv", format!("code,no\n{rows}"));
    let list =
        "[piece.p]\ntake = 'after \"-\"'\ncheck = 'unique'\n[rows]\nkeep = 'code: not contains \"77\"'\nunique = ['p', 'no']\n";
    let run = |words: &[&str]| {
        let ran = carve(&yard, list, &[&["--faults", "faults.csv"], words].concat());
        assert_eq!(ran.status, 0, "{}", ran.shown());
        (yard.read("out.csv"), yard.read("faults.csv"))
    };
    let plenty = run(&[]);
    assert!(plenty.1.lines().count() > 20_000);
    for words in
        [["--memory", "64K", "--threads", "1"], ["--memory", "1M", "--threads", "2"], ["--memory", "1", "--threads", "3"]]
    {
        assert!(plenty == run(&words), "{words:?}");
    }
    let nowhere = ["carve", "in.csv", "-q", "-l", "list.cutlist.toml", "-o", "out.csv", "--memory", "64K"];
    let ended = yard.child(&nowhere).env("TMPDIR", "/nowhere").output().unwrap();
    assert_eq!((ended.status.code(), yard.read("out.csv") == plenty.0), (Some(3), true));
    assert_snapshot!(String::from_utf8(ended.stderr).unwrap());
}

#[test]
fn rows_stay_within_the_size_limit() {
    let yard = Yard::new();
    let row = |width: usize| format!("{},x\n", "a".repeat(width - 2));
    for (width, status) in [(100, 0), (101, 3)] {
        yard.write("in.csv", format!("code,b\n1,2\n{}{}", row(width), row(50)));
        let ran = carve(&yard, "[piece.p]\ntake = 'first 1'\n", &["--max-row", "100"]);
        assert_eq!(ran.status, status, "{}", ran.shown());
        assert!(status == 0 || ran.stderr.contains("in.csv, line 3: the row that begins here is longer than 100 bytes"));
    }
    yard.write("in.csv", format!("{}1,2\n", row(101)));
    assert!(carve(&yard, "[piece.p]\ntake = 'first 1'\n", &["--max-row", "100"]).stderr.contains("in.csv, line 1"));
}

#[test]
fn lists_have_limits() {
    let yard = Yard::with("in.csv", "code\nx\n");
    let pieces = |count: usize| (0..count).map(|n| format!("[piece.p{n}]\ntake = 'first 1'\n")).collect::<String>();
    let regexes = (0..400).map(|n| format!("[piece.p{n}]\ntake = 'match /[\\w\\d]{{1,200}}x{n}/'\n")).collect::<String>();
    let mut said = String::new();
    for list in [pieces(5001), "#".repeat(5 << 20), regexes, "[piece.p]\ntake = 'match /(\\w{900}){900}/'\n".to_owned()] {
        let refused = carve(&yard, &list, &[]);
        assert_eq!(refused.status, 2, "{}", refused.shown());
        said += &refused.stderr;
    }
    // Endless input is not read to its end.
    let endless = yard.run(&["carve", "in.csv", "-l", "/dev/zero"]);
    assert_eq!(endless.status, 2);
    assert_snapshot!(said + &endless.stderr);
    assert_eq!(carve(&yard, &pieces(5000), &[]).status, 0);
}

#[test]
fn a_long_value_is_shown_around_the_piece() {
    let long = format!("{}?{}", "GRP-00041273-".repeat(3000), "S7K2-".repeat(2000));
    let some = format!("{}?{}", "0".repeat(700), "1".repeat(300));
    let yard = Yard::with("in.csv", format!("code\n{long}\n{some}\n"));
    yard.write("list.cutlist.toml", "column = 'code'\n[piece.p]\ntake = 'from \"?\" then first 3'\ncheck = ['digits']\n");
    let mut shown = String::new();
    for words in [
        &["check", "in.csv", "-l", "list.cutlist.toml", "--rows", "2"][..],
        &["explain", "list.cutlist.toml", "in.csv", "--row", "1"],
        &["explain", "list.cutlist.toml", "in.csv", "--row", "2"],
        &["gauge", "--file", "in.csv", "-c", "code", "--rows", "1"],
        &["gauge", "--file", "in.csv", "-c", "code", "--rows", "1", "-p", "from \"?\" then first 3"],
    ] {
        shown += &yard.run(words).stdout;
    }
    assert_snapshot!(shown);
    assert!(yard.out(&["gauge", "--file", "in.csv", "--rows", "1", "--all"]).len() > 10 * long.len());
}

#[test]
fn an_expensive_search_stops_and_reports_it() {
    let yard = Yard::with("in.csv", "code\nGRP-1\n");
    let value: String = (0..70).map(|n| format!("Wort{n}-x{} ", n * 7)).collect();
    let want = |value: &str, result: &str| {
        let ran = yard.run(&["draft", "in.csv", "-c", "code", "--want", &format!("{value} => {result}")]);
        format!("{}{}", ran.stderr, ran.stdout)
    };
    assert_snapshot!(format!("{}{}", want(&"x".repeat(2000), "x"), want(value.trim(), "Wort3 x49 7 Wort9x x77")));
}

#[test]
fn a_list_cannot_make_a_run_wait_or_take_memory() {
    let yard = Yard::with("in.csv", "code\nGRP-1\n");
    assert!(Command::new("mkfifo").arg(yard.path().join("pipe")).status().unwrap().success());
    let refused = carve(&yard, "[piece.p]\ntake = 'whole'\ncheck = 'listed in \"pipe\"'\n", &[]);
    assert_eq!(refused.status, 2);
    // 200 MB, with a limit of 100 MB for the program.
    yard.run(&["carve", "in.csv", "-p", "p: whole", "-q", "--to", "sqlite:yard.db", "--table", "parts"]);
    yard.write(
        "wide.cutlist.toml",
        "column = 'code'\n[reading]\nquery = 'SELECT hex(zeroblob(100000000)) AS code'\n[piece.p]\ntake = 'first 3'\n",
    );
    let limited = "ulimit -v 300000; exec \"$0\" carve --from sqlite:yard.db -l wide.cutlist.toml --max-row 1M -q -o cut.csv";
    let ran =
        Command::new("sh").args(["-c", limited, env!("CARGO_BIN_EXE_keen-notch")]).current_dir(yard.path()).output().unwrap();
    assert_eq!(ran.status.code(), Some(3));
    assert_snapshot!(refused.stderr + &String::from_utf8_lossy(&ran.stderr));
}
