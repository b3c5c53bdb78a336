//! The work of the program grows linearly with its input.
//!
//! `valgrind` counts instructions, which are the same on every machine. Without it, these tests say so and pass.
#![cfg(target_os = "linux")]
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::fmt::Write as _;
use std::fs;
use std::path::Path;
use std::process::Command;

use tempfile::TempDir;

/// Maximum growth of the work for twice the input.
const MOST: f64 = 2.4;

/// The instructions of a run; `None` without `valgrind`.
fn instructions(folder: &Path, words: &[&str]) -> Option<f64> {
    let mut command = Command::new("valgrind");
    command.args(["--tool=callgrind", "--callgrind-out-file=/dev/null"]).arg(assert_cmd::cargo::cargo_bin("keen-notch"));
    let output = command.args(words).current_dir(folder).output().ok()?;
    let said = String::from_utf8_lossy(&output.stderr).into_owned();
    assert!(output.status.success(), "{words:?}: {said}");
    let count = said.lines().find_map(|line| line.split("Collected : ").nth(1))?;
    count.trim().parse().ok()
}

/// Compares a run with one on twice the input, which `make` writes.
fn grows(size: usize, make: impl Fn(&Path, usize), words: impl Fn(usize) -> Vec<String>) {
    let folder = TempDir::new().unwrap();
    let work = |size| {
        make(folder.path(), size);
        let words = words(size);
        instructions(folder.path(), &words.iter().map(String::as_str).collect::<Vec<_>>())
    };
    let (Some(one), Some(two)) = (work(size), work(2 * size)) else {
        eprintln!("skipped: valgrind is not installed");
        return;
    };
    assert!(two / one < MOST, "{size} and twice as many take {one} and {two} instructions: {:.2} times", two / one);
}

fn words(words: &[&str]) -> Vec<String> {
    words.iter().map(|word| (*word).to_owned()).collect()
}

fn chain(folder: &Path, size: usize) {
    let mut list = "column = 'code'\n[piece.b0]\ntake = 'first 1'\n".to_owned();
    for piece in 1..size {
        let _ = write!(list, "[piece.b{piece}]\nbuild = '{{b{}}}'\n", piece - 1);
    }
    fs::write(folder.join("chain.cutlist.toml"), list).unwrap();
    fs::write(folder.join("parts.csv"), "code\nGRP-1\n").unwrap();
}

fn names(size: usize) -> String {
    (0..size).map(|column| format!("c{column}")).collect::<Vec<_>>().join(",")
}

#[test]
fn chained_pieces() {
    grows(400, chain, |_| words(&["carve", "parts.csv", "-l", "chain.cutlist.toml", "-q", "-o", "cut.csv"]));
}

#[test]
fn named_columns() {
    let table = |folder: &Path, size: usize| {
        fs::write(folder.join("wide.csv"), format!("{}\n{}\n", names(size), vec!["1"; size].join(","))).unwrap();
    };
    let carve = ["carve", "wide.csv", "-c", "#1", "-p", "p: first 1", "-q", "-o", "cut.csv", "--columns"];
    grows(1000, table, |size| [words(&carve), vec![names(size)]].concat());
}

#[test]
fn wide_tables() {
    let table = |folder: &Path, size: usize| {
        let cells: Vec<String> = (0..size).map(|column| format!("GRP-{column}")).collect();
        fs::write(folder.join("wide.csv"), format!("{}\n{}\n", names(size), cells.join(","))).unwrap();
    };
    // Without rows, looking up names dominates the cost.
    let saved = |folder: &Path, size: usize| {
        fs::write(folder.join("wide.csv"), names(size)).unwrap();
        Command::new(assert_cmd::cargo::cargo_bin("keen-notch"))
            .args(["survey", "wide.csv", "--save", "wide.json", "--quiet"])
            .current_dir(folder)
            .output()
            .unwrap();
    };
    grows(1200, saved, |_| words(&["survey", "wide.csv", "--against", "wide.json"]));
    grows(100, table, |_| words(&["carve", "wide.csv", "-c", "#1", "-p", "p: first 1", "-q", "-o", "cut.parquet"]));
}

#[test]
fn a_key_a_line() {
    let lines = |folder: &Path, size: usize| {
        let lines: String = (0..size).map(|row| format!("{{\"code\":\"GRP-{row}\",\"k{row}\":1}}\n")).collect();
        fs::write(folder.join("keys.jsonl"), lines).unwrap();
    };
    let carve = ["carve", "keys.jsonl", "-c", "code", "-p", "no: after \"-\"", "-q", "-o", "cut.jsonl"];
    grows(600, lines, |_| words(&carve));
    grows(80, lines, |_| words(&["survey", "keys.jsonl", "-q"]));
}

#[test]
fn long_values() {
    let value = |of: &'static str| {
        move |folder: &Path, size: usize| fs::write(folder.join("in.csv"), format!("code\n{}\n", of.repeat(size))).unwrap()
    };
    let list = "column = 'code'\n[piece.p]\ntake = 'matches /[A-Z]+/ then lower'\ncolumns = 2\n";
    let listed = |folder: &Path, size: usize| {
        value("GRP-1 ")(folder, size);
        fs::write(folder.join("list.cutlist.toml"), list).unwrap();
    };
    grows(600, listed, |_| words(&["explain", "list.cutlist.toml", "in.csv", "--row", "1"]));
    let gauge =
        |size: usize| [words(&["gauge", "--all", "-p", "matches /[A-Z]+/ then lower"]), vec!["GRP-1 ".repeat(size)]].concat();
    grows(80, |_, _| {}, gauge);
    let laid_out = |folder: &Path, size: usize| {
        value("-")(folder, size);
        fs::write(folder.join("list.cutlist.toml"), "[layout.code]\nform = '<a>-<b>-<c>-<d>'\n").unwrap();
    };
    grows(1000, laid_out, |_| words(&["carve", "in.csv", "-l", "list.cutlist.toml", "-q", "-o", "cut.csv"]));
}
