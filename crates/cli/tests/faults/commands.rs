//! Fault injection into every command that writes, and every kind of output.

use std::fs;
use std::path::Path;
use std::process::{Command, Output, Stdio};

use super::{Run, can_trace, named, program};

const CALLS: [(&str, &str); 6] =
    [("write", "ENOSPC"), ("pwrite64", "EIO"), ("fsync", "EIO"), ("rename", "EACCES"), ("openat", "EMFILE"), ("read", "EIO")];
/// Number of failures for each system call and command.
const TRIED: usize = 5;

fn run_on(rows: usize) -> Run {
    let run = Run::new();
    let rows: String = (0..rows).map(|row| format!("GRP-{row},depot\n")).collect();
    run.write("in.csv", &format!("code,note\n{rows}GRP-x,y\n"));
    run
}

fn traced(folder: &Path, strace: &[&str], words: &[&str]) -> Output {
    let mut command = Command::new("strace");
    command.current_dir(folder).args(["-f", "-qq", "-o", "log"]).args(strace).arg(program()).args(words);
    command.stdin(Stdio::null()).output().unwrap()
}

/// The range of a system call's numbers after the run has opened `first`.
fn calls(folder: &Path, call: &str, first: &str, words: &[&str]) -> std::ops::Range<usize> {
    let ended = traced(folder, &["-e", &format!("trace=openat,{}", named(call))], words);
    assert!(ended.status.code() < Some(2), "{words:?}: {}", String::from_utf8_lossy(&ended.stderr));
    let log = fs::read_to_string(folder.join("log")).unwrap();
    let is_call = |line: &&str| line.contains(&format!(" {call}(")) || line.contains(&format!(" {call}at"));
    let before = log.lines().take_while(|line| !line.contains(first)).filter(is_call).count();
    before..log.lines().filter(is_call).count()
}

/// Makes system calls fail, one in each run. After the run, `seen` must return the state from before the run, or the state after a run
/// without failures. Returns the number of failed runs.
fn whole_or_as_before<T: PartialEq>(run: &Run, first: &str, words: &[&str], seen: impl Fn(&Run) -> T) -> usize {
    let before = run.files();
    let old = seen(run);
    traced(run.path(), &["-e", "trace=none"], words);
    let new = seen(run);
    assert!(old != new, "{words:?} writes nothing");
    let restore = || {
        for name in run.files().into_keys() {
            fs::remove_file(run.path().join(name)).unwrap();
        }
        before.iter().for_each(|(name, bytes)| fs::write(run.path().join(name), bytes).unwrap());
    };
    restore();
    let mut failed = 0;
    for (call, error) in CALLS {
        let calls = calls(run.path(), call, first, words);
        seen(run);
        restore();
        for number in calls.clone().step_by(1 + calls.len() / TRIED) {
            let inject = format!("inject={}:error={error}:when={}", named(call), number + 1);
            let ended = traced(run.path(), &["-e", &format!("trace={}", named(call)), "-e", &inject], words);
            let found = seen(run);
            let state = || {
                format!(
                    "{words:?}, {call} {error} at {}: {:?}\n{}",
                    number + 1,
                    ended.status,
                    String::from_utf8_lossy(&ended.stderr)
                )
            };
            match ended.status.code() {
                Some(0 | 1) => assert!(found == new, "not whole: {}", state()),
                Some(2 | 3) => {
                    assert!(found == old, "changed: {}", state());
                    failed += 1;
                }
                _ => panic!("{}", state()),
            }
            restore();
        }
    }
    failed
}

#[test]
fn every_command_that_writes_leaves_all_or_nothing() {
    if !can_trace() {
        return;
    }
    let run = run_on(300);
    run.write("more.csv", "code,note\nGRP-1,depot\n");
    for (table, survey) in [("in.csv", "first.json"), ("more.csv", "second.json")] {
        traced(run.path(), &["-e", "trace=none"], &["survey", table, "-q", "--save", survey]);
    }
    let files = |run: &Run| {
        let mut files = run.files();
        files.remove("log");
        if let Some(page) = files.get_mut("page.html") {
            // The report contains the time, in UTC if the file of the time zone cannot be opened.
            let (before, after) = std::str::from_utf8(page).unwrap().split_once("Made on ").unwrap();
            *page = [before, after.split_once(" by ").unwrap().1].concat().into_bytes();
        }
        files
    };
    let mut failed = 0;
    for (first, words) in [
        (
            "list.cutlist.toml",
            "check in.csv -l list.cutlist.toml -q --summary summary.json --faults faults.csv --offcuts offcuts.csv",
        ),
        ("in.csv", "survey in.csv -q --save survey.json"),
        ("list.cutlist.toml", "report in.csv -l list.cutlist.toml -q -o page.html"),
        ("first.json", "merge first.json second.json -o merged.json"),
        ("list.cutlist.toml", "carve in.csv -l list.cutlist.toml -q -o out.csv.gz --summary summary.json"),
        ("list.cutlist.toml", "carve in.csv -l list.cutlist.toml -q -o out.parquet --faults faults.csv"),
        ("list.cutlist.toml", "carve in.csv -l list.cutlist.toml -q -o out.arrow --faults faults.jsonl"),
        ("list.cutlist.toml", "carve in.csv -l list.cutlist.toml -q -o out.xlsx --faults faults.xlsx"),
        ("list.cutlist.toml", "carve in.csv -l list.cutlist.toml -q -o out.jsonl --offcuts offcuts.jsonl"),
    ] {
        failed += whole_or_as_before(&run, first, &words.split(' ').collect::<Vec<_>>(), files);
    }
    eprintln!("{failed} failures");
    assert!(failed > 80, "only {failed} runs failed");
}

#[test]
fn a_table_of_sqlite_and_the_files_beside_it_are_all_new_or_all_old() {
    if !can_trace() {
        return;
    }
    let run = run_on(3_000);
    let seen = |run: &Run| {
        let connection = rusqlite::Connection::open(run.path().join("yard.db")).unwrap();
        let count = "SELECT count(*) || ' ' || coalesce(max(no), '') FROM parts";
        let rows: Option<String> = connection.query_row(count, [], |row| row.get(0)).ok();
        let is_sound: String = connection.query_row("PRAGMA integrity_check", [], |row| row.get(0)).unwrap();
        assert_eq!(is_sound, "ok");
        drop(connection);
        let mut files = run.files();
        ["log", "yard.db", "yard.db-journal"].iter().for_each(|name| drop(files.remove(*name)));
        (rows, files)
    };
    let first = "carve in.csv -c code -p no:_first_3 -q --to sqlite:yard.db --table parts";
    let first: Vec<String> = first.split(' ').map(|word| word.replace('_', " ")).collect();
    traced(run.path(), &["-e", "trace=none"], &first.iter().map(String::as_str).collect::<Vec<_>>());
    let words = "carve in.csv -l list.cutlist.toml -q --to sqlite:yard.db --table parts --replace --summary summary.json --faults faults.csv";
    let failed = whole_or_as_before(&run, "list.cutlist.toml", &words.split(' ').collect::<Vec<_>>(), seen);
    eprintln!("{failed} failures");
    assert!(failed > 8, "only {failed} runs failed");
}

#[test]
fn outputs_on_two_file_systems_are_all_new_or_all_old() {
    if !can_trace() {
        return;
    }
    let run = run_on(300);
    let [summary, faults] = ["summary.json", "faults.csv"].map(|name| run.1.path().join(name).to_str().unwrap().to_owned());
    let words =
        ["carve", "in.csv", "-l", "list.cutlist.toml", "-q", "-o", "out.csv", "--summary", &summary, "--faults", &faults];
    let seen = |run: &Run| {
        let mut files = run.files();
        files.remove("log");
        let elsewhere = [&summary, &faults].map(|path| fs::read(path).unwrap_or_default());
        // Remove the files of the run.
        for entry in fs::read_dir(run.1.path()).unwrap() {
            fs::remove_file(entry.unwrap().path()).unwrap();
        }
        (files, elsewhere)
    };
    let failed = whole_or_as_before(&run, "list.cutlist.toml", &words, seen);
    eprintln!("{failed} failures");
    assert!(failed > 8, "only {failed} runs failed");
}
