//! Fault injection: each system call of some kinds fails in turn.
//!
//! `strace` makes the calls fail, on Linux. Where it is missing or not permitted, the tests say so and pass.
#![cfg(target_os = "linux")]
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

mod commands;
mod disks;
mod places;

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};

use tempfile::TempDir;

const LIST: &str = "column = 'code'\n[piece.no]\ntake = 'after \"-\"'\ncheck = ['unique', 'listed in \"numbers.csv\"']\n";
const OUTPUTS: [&str; 4] = ["out.csv", "faults.csv", "offcuts.csv", "summary.json"];

/// A folder with inputs and old outputs, and a folder for temporary files, on another file system if possible.
struct Run(TempDir, TempDir);

impl Run {
    fn new() -> Run {
        let temporary = TempDir::new_in("/dev/shm").or_else(|_| TempDir::new()).unwrap();
        let run = Run(TempDir::new().unwrap(), temporary);
        // Several blocks, so that reading, processing and writing overlap.
        let note = "depot ".repeat(12);
        let rows: String = (0..10_000).map(|row| format!("GRP-{row},\"{note}, {}\"\n", row % 7)).collect();
        run.write("in.csv", &format!("code,note\n{rows}GRP-x,y\n"));
        run.write("numbers.csv", &format!("no\n{}", (0..10_000).map(|row| format!("{row}\n")).collect::<String>()));
        run.write("list.cutlist.toml", LIST);
        OUTPUTS.iter().for_each(|name| run.write(name, &format!("old {name}\n")));
        run
    }

    fn path(&self) -> &Path {
        self.0.path()
    }

    fn write(&self, name: &str, text: &str) {
        fs::write(self.path().join(name), text).unwrap();
    }

    fn files(&self) -> BTreeMap<String, Vec<u8>> {
        let entries = fs::read_dir(self.path()).unwrap().map(|entry| entry.unwrap());
        entries.map(|entry| (entry.file_name().into_string().unwrap(), fs::read(entry.path()).unwrap())).collect()
    }

    /// Restores the old outputs and removes other files of a run.
    fn restore(&self, before: &BTreeMap<String, Vec<u8>>) {
        for name in self.files().into_keys().filter(|name| !before.contains_key(name)) {
            fs::remove_file(self.path().join(name)).unwrap();
        }
        before.iter().filter(|(name, _)| OUTPUTS.contains(&name.as_str())).for_each(|(name, bytes)| {
            fs::write(self.path().join(name), bytes).unwrap();
        });
    }

    fn traced(&self, options: &[&str]) -> Output {
        let mut command = Command::new("strace");
        command.current_dir(self.path()).args(["-f", "-qq"]).args(options).arg(program());
        command.args(["carve", "in.csv", "-l", "list.cutlist.toml", "-q", "--threads", "2", "-o", "out.csv"]);
        command.args(["--faults", "faults.csv", "--offcuts", "offcuts.csv", "--summary", "summary.json"]);
        command.env("TMPDIR", self.1.path());
        let output = command.stdin(Stdio::null()).output().unwrap();
        assert_eq!(fs::read_dir(self.1.path()).unwrap().count(), 0, "temporary files stay");
        output
    }
}

fn program() -> PathBuf {
    assert_cmd::cargo::cargo_bin("keen-notch")
}

/// Whether system calls can be made to fail; otherwise reports why.
fn can_trace() -> bool {
    let traced = Command::new("strace").args(["-qq", "-e", "trace=none", "true"]).output();
    let can = traced.is_ok_and(|output| output.status.success());
    if !can {
        eprintln!("skipped: strace is not installed, or may not trace here");
    }
    can
}

/// The number of calls: by the loader, before the program opens its first file, and in total.
fn calls(run: &Run, call: &str) -> (usize, usize) {
    let log = run.path().join("log");
    let traced = run.traced(&["-o", log.to_str().unwrap(), "-e", &format!("trace=openat,{}", named(call))]);
    assert!(traced.status.success(), "{}", String::from_utf8_lossy(&traced.stderr));
    let text = fs::read_to_string(&log).unwrap();
    fs::remove_file(log).unwrap();
    let is_call = |line: &&str| line.contains(&format!(" {call}(")) || line.contains(&format!(" {call}at"));
    let of_loader = text.lines().take_while(|line| !line.contains("list.cutlist.toml")).filter(is_call).count();
    let all = text.lines().filter(is_call).count();
    assert!(all > of_loader, "a run makes no call `{call}` that could fail");
    (of_loader, all)
}

/// The notation for `strace`: the C library chooses between several rename calls.
fn named(call: &str) -> &str {
    if call == "rename" { "/^rename" } else { call }
}

#[test]
fn whatever_call_fails_the_outputs_are_all_new_or_all_old() {
    if !can_trace() {
        return;
    }
    let run = Run::new();
    let before = run.files();
    let done = run.traced(&["-o", "/dev/null", "-e", "trace=none"]);
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    let after = run.files();
    assert_eq!(after.keys().collect::<Vec<_>>(), before.keys().collect::<Vec<_>>());
    assert!(OUTPUTS.iter().all(|name| after[*name] != before[*name]));
    run.restore(&before);
    let mut tried = 0;
    for (call, errors) in [
        ("write", &["ENOSPC", "EIO", "EINTR"][..]),
        ("fsync", &["EIO", "ENOSPC"]),
        ("rename", &["EACCES", "EIO"]),
        ("linkat", &["EPERM"]),
        ("fchmod", &["EPERM"]),
        ("fchown", &["EPERM"]),
        ("flock", &["ENOLCK"]),
        ("read", &["EIO", "EINTR"]),
        ("openat", &["EACCES", "EMFILE"]),
        ("clone3", &["EAGAIN"]),
    ] {
        let (first, all) = calls(&run, call);
        run.restore(&before);
        for error in errors {
            // Some of many similar calls.
            for number in (first..all).step_by(1 + (all - first) / 10) {
                let inject = format!("inject={}:error={error}:when={}", named(call), number + 1);
                let ended = run.traced(&["-o", "/dev/null", "-e", &format!("trace={}", named(call)), "-e", &inject]);
                let said = String::from_utf8_lossy(&ended.stderr);
                let files = run.files();
                let state = || format!("{call} {error} at {}: {:?}\n{said}", number + 1, ended.status);
                match ended.status.code() {
                    // The failure was harmless, or the call was repeated.
                    Some(0) => assert!(files == after, "outputs are not whole: {}", state()),
                    Some(2 | 3) => {
                        assert!(files == before, "outputs are changed, or something is left: {:?} {}", files.keys(), state());
                        // The failed call may have been the one that prints the error.
                        let is_said = said.lines().filter(|line| line.starts_with("error: ")).count();
                        assert!(is_said == 1 || call == "write", "{}", state());
                    }
                    _ => panic!("{}", state()),
                }
                run.restore(&before);
                tried += 1;
            }
        }
    }
    eprintln!("{tried} failures");
    assert!(tried > 60, "only {tried} failures were tried");
}

#[test]
fn old_outputs_come_back_without_links_too() {
    if !can_trace() {
        return;
    }
    let run = Run::new();
    let before = run.files();
    for number in 2..=4 {
        let inject = format!("inject=/^rename:error=EIO:when={number}");
        let ended = run.traced(&["-o", "/dev/null", "-e", "inject=linkat:error=EPERM", "-e", &inject]);
        assert_eq!(ended.status.code(), Some(3), "{}", String::from_utf8_lossy(&ended.stderr));
        assert!(run.files() == before, "{number}: {:?}", run.files().keys());
    }
}

#[test]
fn threads_that_cannot_start_are_named() {
    if !can_trace() {
        return;
    }
    let run = Run::new();
    let carve = |strace: &[&str], words: &[&str], piece: &str| {
        let mut command = Command::new("strace");
        command.current_dir(run.path()).args(["-f", "-qq", "-o", "/dev/null"]).args(strace).arg(program());
        command.arg("carve").args(words).args(["-c", "code", "-p", piece]).stdin(Stdio::null()).output().unwrap()
    };
    let made = carve(&["-e", "trace=none"], &["in.csv", "--to", "sqlite:yard.db", "--table", "parts"], "kind: first 3");
    assert!(made.status.success(), "{}", String::from_utf8_lossy(&made.stderr));
    let mut refused = 0;
    for words in [
        ["--from", "sqlite:yard.db", "--table", "parts", "--only-pieces", "-qo", "cut.csv"],
        ["in.csv", "--to", "sqlite:yard.db", "--table", "cut", "--replace", "-q"],
    ] {
        for first in 1..=4 {
            let inject = format!("inject=clone3,clone:error=EAGAIN:when={first}+");
            let ended = carve(&["-e", "trace=clone3,clone", "-e", &inject], &words, "no: after \"-\"");
            let said = String::from_utf8_lossy(&ended.stderr);
            match ended.status.code() {
                Some(0) => {}
                Some(3) => {
                    refused += 1;
                    assert!(said.contains("no thread can be started") && said.contains("help: "), "{said}");
                }
                other => panic!("{words:?}, from thread {first}: {other:?} {said}"),
            }
        }
    }
    assert!(refused > 0);
}

#[test]
fn a_kill_between_calls_leaves_old_files_beside_no_new_ones_and_the_next_run_tidies_up() {
    if !can_trace() {
        return;
    }
    let run = Run::new();
    let before = run.files();
    assert!(run.traced(&["-o", "/dev/null", "-e", "trace=none"]).status.success());
    let after = run.files();
    run.restore(&before);
    let mut killed = 0;
    for call in ["rename", "linkat", "fsync", "write"] {
        let (_, all) = calls(&run, call);
        run.restore(&before);
        for number in (0..all).step_by(1 + all / 8) {
            // The call completes or not, and then the program is killed.
            let inject = format!("inject={}:signal=KILL:when={}", named(call), number + 1);
            let ended = run.traced(&["-o", "/dev/null", "-e", &format!("trace={}", named(call)), "-e", &inject]);
            let files = run.files();
            // `strace` counts the calls of each thread, and their distribution varies.
            if ended.status.success() {
                assert!(files == after, "{call} {number}: {:?}", files.keys());
                run.restore(&before);
                continue;
            }
            killed += 1;
            // Each file is complete, old or new, and new ones come first.
            let is_new: Vec<bool> = OUTPUTS.iter().map(|name| files[*name] == after[*name]).collect();
            assert!(OUTPUTS.iter().zip(&is_new).all(|(name, new)| *new || files[*name] == before[*name]), "{call} {number}");
            let in_order = [is_new[0], is_new[2], is_new[1], is_new[3]];
            assert!(in_order.is_sorted_by(|a, b| a >= b), "{call} {number}: {in_order:?}");
            let again = run.traced(&["-o", "/dev/null", "-e", "trace=none"]);
            assert!(again.status.success() && run.files() == after, "{call} {number}: {:?}", run.files().keys());
            run.restore(&before);
        }
    }
    eprintln!("{killed} kills");
    assert!(killed > 10, "only {killed} runs were killed");
}

#[test]
fn a_disk_error_during_writing_is_reported_at_the_end() {
    if !can_trace() {
        return;
    }
    let run = Run::new();
    // Beyond 8 MiB, the disk is synced during the run.
    let note = "depot ".repeat(200);
    run.write("in.csv", &format!("code,note\n{}", (0..10_000).map(|row| format!("GRP-{row},{note}\n")).collect::<String>()));
    let before = run.files();
    calls(&run, "fdatasync");
    run.restore(&before);
    let ended = run.traced(&["-o", "/dev/null", "-e", "trace=fdatasync", "-e", "inject=fdatasync:error=EIO:when=1"]);
    let said = String::from_utf8_lossy(&ended.stderr);
    assert_eq!(ended.status.code(), Some(3), "{said}");
    assert!(said.starts_with("error: ") && said.contains("out.csv"), "{said}");
    assert!(run.files() == before, "{:?}", run.files().keys());
}
