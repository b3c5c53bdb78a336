//! A run uses at most 64 MB more than `--memory`, for any input.
#![cfg(target_os = "linux")]

use std::fmt::Write as _;
use std::fs;

use insta::assert_snapshot;

use crate::yard::Yard;

/// Bytes allowed beyond `--memory`: the program itself and 64 MB.
const BESIDE: u64 = (20 + 64) << 20;

/// Runs the program with `--memory 16M`, and asserts that it succeeds within the limit.
fn within(yard: &Yard, words: &[&str]) {
    let (ran, most) = yard.measured(&[words, &["--memory", "16M", "--quiet"]].concat());
    assert_eq!(ran.status, 0, "{words:?}\n{}", ran.shown());
    assert!(most < BESIDE + (16 << 20), "{words:?}: {} MiB", most >> 20);
}

fn lines(count: usize, mut line: impl FnMut(usize) -> String) -> String {
    (0..count).fold(String::new(), |mut all, number| {
        let _ = writeln!(all, "{}", line(number));
        all
    })
}

#[test]
fn short_rows_that_become_long_ones() {
    let yard = Yard::with("in.csv", format!("code\n{}", lines(40_000, |row| (row % 1000).to_string())));
    let pad = "long: pad left to 3000 with \"0\"";
    let other = format!("long: after \"-\" or \"{}\"", "x".repeat(3000));
    let build = format!("column = 'code'\n[piece.long]\nbuild = '{{code}}{}'\n", "x".repeat(3000));
    yard.write("build.cutlist.toml", build);
    for out in ["cut.csv", "cut.parquet"] {
        within(&yard, &["carve", "in.csv", "-c", "code", "-p", pad, "--threads", "4", "-o", out]);
    }
    within(&yard, &["carve", "in.csv", "-c", "code", "-p", &other, "--threads", "4", "-o", "-"]);
    within(&yard, &["carve", "in.csv", "-l", "build.cutlist.toml", "--threads", "4", "-o", "-"]);
}

#[test]
fn the_memory_and_the_threads_do_not_change_the_output() {
    let yard = Yard::with("in.csv", format!("code\n{}", lines(3_000, |row| (row % 700).to_string())));
    let carve = |out: &str, limits: [&str; 4]| {
        let words = ["carve", "in.csv", "-c", "code", "-p", "long: pad left to 3000 with \"0\"", "-q", "-o", out];
        yard.out(&[&words[..], &limits[..]].concat());
        fs::read(yard.path().join(out)).unwrap()
    };
    for out in ["cut.arrow", "cut.arrows", "cut.parquet", "cut.csv"] {
        let plenty = carve(out, ["--threads", "1", "--memory", "1G"]);
        for limits in
            [["--threads", "1", "--memory", "1M"], ["--threads", "3", "--memory", "3M"], ["--threads", "4", "--memory", "64M"]]
        {
            assert!(plenty == carve(out, limits), "{out} {limits:?}");
        }
    }
}

#[test]
fn sparse_rows_of_many_columns() {
    let keys = |count| lines(count, |row| format!("{{\"code\":\"GRP-{row}\",\"k{row}\":{row}}}"));
    let yard = Yard::with("in.jsonl", keys(4_000));
    within(&yard, &["carve", "in.jsonl", "-c", "code", "-p", "no: after \"-\"", "-o", "-"]);
    within(&yard, &["survey", "in.jsonl"]);
    yard.write("more.jsonl", keys(10_001));
    let more = yard.run(&["survey", "more.jsonl"]);
    // The limit does not apply if only named columns are needed.
    within(&yard, &["carve", "more.jsonl", "-c", "code", "-p", "no: after \"-\"", "-o", "cut.jsonl"]);
    assert_eq!(yard.read("cut.jsonl").lines().count(), 10_001);
    assert_snapshot!(more.shown());
}

#[test]
fn a_survey_of_many_columns() {
    let row = |cell: &dyn Fn(usize) -> String| (0..20_000).map(cell).collect::<Vec<_>>().join(",");
    let table = format!("{}\n{}\n", row(&|column| format!("c{column}")), row(&|column| format!("GRP-{column}")));
    let yard = Yard::with("wide.csv", table);
    let (ran, most) = yard.measured(&["survey", "wide.csv", "--memory", "16M"]);
    assert!(most < BESIDE + (16 << 20), "{} MiB", most >> 20);
    let (enough, most) = yard.measured(&["survey", "wide.csv", "--memory", "128M"]);
    assert!(enough.status == 0 && most < BESIDE + (128 << 20), "{} MiB: {}", most >> 20, enough.shown());
    assert_snapshot!(ran.shown());
}

#[test]
#[cfg(feature = "columnar")]
fn a_parquet_file_of_many_columns() {
    let row = |cell: &dyn Fn(usize) -> String| (0..3_000).map(cell).collect::<Vec<_>>().join(",");
    let rows =
        lines(1_200, |number| row(&|column| if column % 1_200 == number { format!("GRP-{column}") } else { String::new() }));
    let yard = Yard::with("wide.csv", format!("{}\n{rows}", row(&|column| format!("c{column}"))));
    let words = ["carve", "wide.csv", "-c", "c1", "-p", "x: last 2", "-q", "-o", "out.parquet", "--memory"];
    let (refused, _) = yard.measured(&[&words[..], &["16M"]].concat());
    assert_snapshot!(refused.shown());
    let (enough, most) = yard.measured(&[&words[..], &["48M"]].concat());
    assert!(enough.status == 0 && most < BESIDE + (48 << 20), "{} MiB: {}", most >> 20, enough.shown());
}
