//! Work of the whole program that grows with its input and no faster: twice the columns, pieces or names take about twice the work.
//!
//! `valgrind` counts instructions, which are the same on every machine. Where it is not installed, these tests say so and pass.
#![cfg(target_os = "linux")]
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::fmt::Write as _;
use std::fs;
use std::path::Path;
use std::process::Command;

use tempfile::TempDir;

/// The most that twice the input may take, in times of the work.
const MOST: f64 = 2.4;

/// The instructions of a run in a folder; `None` without `valgrind`.
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

/// A cut list whose pieces are built of one another.
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
    grows(400, chain, |_| words(&["schema", "--of", "chain.cutlist.toml", "parts.csv"]));
}

#[test]
fn named_columns() {
    let table = |folder: &Path, size: usize| {
        fs::write(folder.join("wide.csv"), format!("{}\n{}\n", names(size), vec!["1"; size].join(","))).unwrap();
    };
    for option in ["--columns", "--without"] {
        let carve = ["carve", "wide.csv", "-c", "#1", "-p", "p: first 1", "-q", "-o", "cut.csv", option];
        grows(1000, table, |size| [words(&carve), vec![names(size)]].concat());
    }
}
