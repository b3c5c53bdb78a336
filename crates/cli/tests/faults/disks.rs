//! Full and read-only disks, in memory, if the tests may mount them.

use std::fs;
use std::path::Path;
use std::process::Command;

use super::{Run, program};

/// Runs `call` on a disk with these options; reports if mounting is not allowed.
fn on_disk<R>(folder: &Path, options: &str, call: impl FnOnce(&Path) -> R) -> Option<R> {
    let disk = folder.join("disk");
    fs::create_dir_all(&disk).unwrap();
    let mount = |options: &str| {
        let mounted = Command::new("mount").args(["-t", "tmpfs", "-o", options, "tmpfs"]).arg(&disk).output();
        mounted.is_ok_and(|output| output.status.success())
    };
    if !mount(options) {
        eprintln!("skipped: no disk may be mounted here");
        return None;
    }
    let result = call(&disk);
    assert!(Command::new("umount").arg(&disk).status().unwrap().success());
    Some(result)
}

#[test]
fn a_full_disk_keeps_old_files() {
    let run = Run::new();
    on_disk(run.path(), "size=300k", |disk| {
        let out = disk.join("out.csv");
        fs::write(&out, "old\n").unwrap();
        for (words, named) in [
            (&["carve", "in.csv", "-c", "code", "-p", "no: after \"-\"", "-o", "disk/out.csv"][..], "disk/out.csv"),
            (&["check", "in.csv", "--check", "code: length 1", "--faults", "disk/out.csv"], "disk/out.csv"),
            (&["demo", "--dir", "disk/demo"], "disk/demo"),
        ] {
            // The demo is small and finds the disk full.
            if words[0] == "demo" {
                let _ = fs::write(disk.join("filler"), vec![b'x'; 400 << 10]);
            }
            let ended = Command::new(program()).current_dir(run.path()).args(words).output().unwrap();
            let said = String::from_utf8_lossy(&ended.stderr);
            assert_eq!(ended.status.code(), Some(3), "{words:?}: {said}");
            assert!(said.contains(&format!("error: {named}")) && said.contains("no space is left"), "{said}");
            assert_eq!(fs::read_to_string(&out).unwrap(), "old\n");
            let hidden = |folder: &Path| fs::read_dir(folder).map_or(0, Iterator::count);
            assert_eq!(hidden(disk), if words[0] == "demo" { 3 } else { 1 }, "{words:?}");
        }
        // An empty demo file does not prevent another run.
        fs::remove_file(disk.join("filler")).unwrap();
        let again = Command::new(program()).current_dir(run.path()).args(["demo", "--dir", "disk/demo"]).output().unwrap();
        assert!(again.status.success(), "{}", String::from_utf8_lossy(&again.stderr));
    });
}

#[test]
fn a_failing_disk_is_named() {
    let run = Run::new();
    on_disk(run.path(), "size=300k,ro", |_| {
        let words = ["carve", "in.csv", "-c", "code", "-p", "no: after \"-\"", "-o", "disk/out.csv"];
        let ended = Command::new(program()).current_dir(run.path()).args(words).output().unwrap();
        let said = String::from_utf8_lossy(&ended.stderr);
        assert_eq!(ended.status.code(), Some(3), "{said}");
        assert!(said.contains("error: disk/out.csv cannot be written: read-only"), "{said}");
    });
}
