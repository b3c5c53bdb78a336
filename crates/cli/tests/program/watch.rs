//! `--watch`: the program runs on, and files change.

use std::fs::{self, File};
use std::process::{Child, Stdio};
use std::thread;
use std::time::{Duration, Instant};

use crate::yard::Yard;

const PARTS: &str = "part_code,depot\nGRP-00041273,Summit\nHNG-00760251,Valley\nSHV-47476125,Summit\n";
const LIST: &str = "column = 'part_code'\n[piece.family]\ntake = 'first 3 then lookup in \"families.csv\"'\n\
                    [piece.serial]\ntake = 'section 2 by \"-\"'\ncheck = 'digits'\n";

struct Watched<'y> {
    child: Child,
    yard: &'y Yard,
    /// The number of output bytes that an earlier call returned.
    seen: usize,
}

impl Watched<'_> {
    fn begin<'y>(yard: &'y Yard, words: &[&str]) -> Watched<'y> {
        let out = File::create(yard.path().join("said")).unwrap();
        let words = [words, &["--watch"]].concat();
        let mut command = yard.child(&words);
        command.env("COLUMNS", "100").stdin(Stdio::null()).stdout(out.try_clone().unwrap()).stderr(out);
        Watched { child: command.spawn().unwrap(), yard, seen: 0 }
    }

    /// Waits until new output contains a text, and returns the new output.
    fn until(&mut self, text: &str) -> String {
        let begun = Instant::now();
        loop {
            let said = String::from_utf8(fs::read(self.yard.path().join("said")).unwrap()).unwrap();
            if said[self.seen..].contains(text) {
                let new = said[self.seen..].to_owned();
                self.seen = said.len();
                return new;
            }
            assert!(begun.elapsed() < Duration::from_secs(30), "{text} does not come:\n{said}");
            thread::sleep(Duration::from_millis(20));
        }
    }
}

impl Drop for Watched<'_> {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn yard() -> Yard {
    let yard = Yard::with("parts.csv", PARTS);
    yard.write("l.cutlist.toml", LIST);
    yard.write("families.csv", "family,name\nGRP,grip\nHNG,hanger\nSHV,sheave\n");
    yard
}

#[test]
fn carve_runs_again_after_each_change() {
    let yard = yard();
    let mut watched = Watched::begin(&yard, &["carve", "parts.csv", "-l", "l.cutlist.toml", "-o", "cut.csv"]);
    watched.until("written to cut.csv");
    // The input.
    yard.write("parts.csv", PARTS.replace("47476125", "4747612S") + "GRP-00000001,Valley\n");
    let said = watched.until("row 4");
    assert!(said.contains("  parts.csv has changed\n"), "{said}");
    let (_, since) = said.split_once("since the last run\n").unwrap();
    assert_eq!(
        since.lines().collect::<Vec<_>>(),
        [
            "  rows: 3 before, 4 now",
            "  rows with faults: 0 before, 1 now",
            "  family: filled: 3 before, 4 now",
            "  serial: filled: 3 before, 4 now",
            "  `digits` of serial: 0 failing rows before, 1 now",
            "  row 3, part_code: \"SHV-47476125\" before, \"SHV-4747612S\" now",
            "  row 3, serial: \"47476125\" before, \"4747612S\" now",
            "  row 4 is new: \"GRP-00000001\", \"Valley\", \"grip\", \"00000001\"",
        ]
    );
    assert!(yard.read("cut.csv").ends_with("GRP-00000001,Valley,grip,00000001\n"));
    // A file of a lookup.
    yard.write("families.csv", "family,name\nGRP,grip\nHNG,hanger arm\nSHV,sheave\n");
    let said = watched.until("row 2, family: \"hanger\" before, \"hanger arm\" now");
    assert!(said.contains("families.csv has changed"), "{said}");
    // The cut list, with an error, and then without it. The output stays until then.
    yard.write("l.cutlist.toml", LIST.replace("section 2", "secton 2"));
    watched.until("did you mean `section`?");
    assert!(yard.read("cut.csv").contains("hanger arm"));
    yard.write("l.cutlist.toml", LIST.replace("[piece.serial]", "[piece.number]"));
    let said = watched.until("the piece serial is gone");
    assert!(said.contains("the piece number is new") && said.contains("the check `digits` of number is new"), "{said}");
    // The input is replaced by another file, as editors do it; then it is gone for a while.
    yard.write("new.csv", PARTS);
    fs::rename(yard.path().join("new.csv"), yard.path().join("parts.csv")).unwrap();
    watched.until("rows: 4 before, 3 now");
    fs::rename(yard.path().join("parts.csv"), yard.path().join("away.csv")).unwrap();
    watched.until("parts.csv is gone\nerror: parts.csv cannot be read");
    fs::rename(yard.path().join("away.csv"), yard.path().join("parts.csv")).unwrap();
    watched.until("since the last run: no change in the counts and in the first 3 rows");
}

#[test]
fn check_and_survey_run_again_after_each_change() {
    let yard = yard();
    let mut watched = Watched::begin(&yard, &["check", "parts.csv", "-l", "l.cutlist.toml"]);
    watched.until("1 check passed");
    yard.write("parts.csv", PARTS.replace("00760251", "0076O251"));
    let said = watched.until("`digits` of serial: 0 failing rows before, 1 now");
    assert!(said.contains("1 of 3 rows with faults"), "{said}");
    drop(watched);
    let mut watched = Watched::begin(&yard, &["survey", "parts.csv", "-c", "part_code"]);
    watched.until("divided by");
    yard.write("parts.csv", PARTS.replace("Valley", "Midway"));
    let said = watched.until("since the last run");
    assert!(
        said.ends_with("since the last run\n  part_code: shape U3-d8: 2 before, 3 now; shape U3-d4U1d3: 1 before, 0 now\n"),
        "{said}"
    );
    yard.write("parts.csv", PARTS);
    watched.until("since the last run: no change in rows, blanks, distinct values and shapes");
}

#[test]
fn some_runs_cannot_be_watched() {
    let yard = yard();
    let refused = |words: &[&str]| {
        let ran = yard.run_on(PARTS, &[words, &["--watch"]].concat());
        assert_eq!((ran.status, ran.stdout.as_str()), (2, ""), "{}", ran.stderr);
        ran.stderr
    };
    let piece = ["-c", "part_code", "-p", "family: first 3"];
    let cases = [
        vec!["survey"],
        vec!["survey", "parts.csv", "--to", "json"],
        vec!["check", "-l", "l.cutlist.toml"],
        [&["carve", "parts.csv"], &piece[..]].concat(),
        [&["carve", "-o", "cut.csv"], &piece[..]].concat(),
        [&["carve", "parts.csv", "--to", "sqlite:cut.db", "--table", "cut"], &piece[..]].concat(),
    ];
    let all: Vec<String> = cases.iter().map(|words| format!("{}\n{}", words.join(" "), refused(words))).collect();
    insta::assert_snapshot!(all.join("\n"));
    // The first run fails as without --watch.
    assert!(refused(&["check", "parts.csv", "-l", "l.cutlist.toml", "--check", "family: digit"]).contains("did you mean"));
}
