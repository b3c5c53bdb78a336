//! Unusual destinations: unwritable, limited or slow ones.

use std::fs;
use std::io::Read;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::os::unix::process::CommandExt;
use std::process::{Command, Stdio};
use std::time::Duration;

use super::{Run, program};

const PIECE: [&str; 6] = ["carve", "in.csv", "-c", "code", "-p", "no: after \"-\""];

fn names(folder: &std::path::Path) -> Vec<String> {
    let names = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().file_name().into_string().unwrap());
    let mut names: Vec<String> = names.collect();
    names.sort();
    names
}

#[test]
fn a_folder_without_write_permission_is_named() {
    let run = Run::new();
    let folder = run.path().join("closed");
    fs::create_dir(&folder).unwrap();
    fs::write(folder.join("out.csv"), "old\n").unwrap();
    fs::set_permissions(&folder, fs::Permissions::from_mode(0o555)).unwrap();
    // Root may write anywhere, so another user runs a copy of the program.
    fs::set_permissions(run.path(), fs::Permissions::from_mode(0o755)).unwrap();
    let copy = run.path().join("keen-notch");
    fs::copy(program(), &copy).unwrap();
    let mut command = Command::new(&copy);
    if fs::metadata("/proc/self").is_ok_and(|own| std::os::unix::fs::MetadataExt::uid(&own) == 0) {
        command.uid(65_534).gid(65_534);
    }
    let ended = command.current_dir(run.path()).args(PIECE).args(["-q", "-o", "closed/out.csv"]).output().unwrap();
    let said = String::from_utf8_lossy(&ended.stderr);
    assert_eq!(ended.status.code(), Some(3), "{said}");
    assert!(said.starts_with("error: closed/out.csv cannot be written: permission denied\nhelp: "), "{said}");
    assert_eq!(names(&folder), ["out.csv"]);
    assert_eq!(fs::read_to_string(folder.join("out.csv")).unwrap(), "old\n");
}

#[test]
fn broken_names_and_links_are_named() {
    let run = Run::new();
    symlink("loop", run.path().join("loop")).unwrap();
    symlink("loop", run.path().join("other")).unwrap();
    let before = names(run.path());
    let longest = "n".repeat(255);
    for (out, reason) in
        [("loop", "go round in a circle"), ("other", "go round in a circle"), (&*format!("{longest}n"), "file name too long")]
    {
        let ended = Command::new(program()).current_dir(run.path()).args(PIECE).args(["-q", "-o", out]).output().unwrap();
        let said = String::from_utf8_lossy(&ended.stderr);
        assert_eq!(ended.status.code(), Some(3), "{out}: {said}");
        assert!(said.starts_with(&format!("error: {out} cannot be written: ")) && said.contains(reason), "{said}");
        assert_eq!(names(run.path()), before);
    }
    // The longest possible name works.
    let ended = Command::new(program()).current_dir(run.path()).args(PIECE).args(["-q", "-o", &longest]).output().unwrap();
    assert!(ended.status.success(), "{}", String::from_utf8_lossy(&ended.stderr));
    assert_eq!(names(run.path()).len(), before.len() + 1);
}

#[test]
fn a_partial_write_is_an_error() {
    let run = Run::new();
    let before = run.files();
    // Files are limited to 100 blocks: the write across the limit is partial, and the next one fails.
    let words = "trap '' XFSZ; ulimit -f 100; exec \"$0\" \"$@\"";
    let mut limited = Command::new("sh");
    limited.args(["-c", words]).arg(program()).current_dir(run.path()).args(PIECE).arg("-q");
    let ended = limited.args(["-o", "out.csv", "--summary", "summary.json"]).output().unwrap();
    let said = String::from_utf8_lossy(&ended.stderr);
    assert_eq!(ended.status.code(), Some(3), "{said}");
    assert!(said.starts_with("error: out.csv cannot be written: file too large\nhelp: "), "{said}");
    assert!(run.files() == before, "{:?}", names(run.path()));
}

#[test]
fn a_full_pipe_is_waited_for() {
    let run = Run::new();
    let rows: String = (0..60_000).map(|row| format!("GRP-{row:08},{}\n", "depot ".repeat(6))).collect();
    run.write("in.csv", &format!("code,note\n{rows}"));
    let quiet = |out: &str| {
        let mut command = Command::new(program());
        command.current_dir(run.path()).args(PIECE).args(["-q", "-o", out]);
        command
    };
    assert!(quiet("whole.csv").status().unwrap().success());
    let mut running = quiet("-").stdout(Stdio::piped()).stderr(Stdio::null()).spawn().unwrap();
    // The output is larger than a pipe, which the program enlarges to 1 MiB.
    let whole = fs::read(run.path().join("whole.csv")).unwrap();
    assert!(whole.len() > 2 << 20);
    std::thread::sleep(Duration::from_millis(300));
    assert!(running.try_wait().unwrap().is_none());
    let mut given = Vec::new();
    running.stdout.take().unwrap().read_to_end(&mut given).unwrap();
    assert!(running.wait().unwrap().success());
    assert!(given == whole);
}
