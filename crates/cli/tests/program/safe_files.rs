//! Files that must not be lost: inputs, replaced outputs, and other outputs.

use std::fs::{self, OpenOptions};
use std::io::Write;
use std::os::unix::fs::{MetadataExt, PermissionsExt, symlink};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use insta::assert_snapshot;

use crate::yard::Yard;

const ROWS: &str = "part_code,depot\nGRP-1,East\nHNG-22,West\n";
const CUT: &str = "part_code,depot,no\nGRP-1,East,1\nHNG-22,West,22\n";
const LIST: &str = "column = 'part_code'\n[piece.no]\ntake = 'after \"-\"'\ncheck = 'listed in \"numbers.csv\"'\n";
const CARVE: [&str; 5] = ["carve", "in.csv", "-q", "-l", "no.cutlist.toml"];

/// A table, a cut list for it, and the files that the list names.
fn yard() -> Yard {
    let yard = Yard::with("in.csv", ROWS);
    yard.write("no.cutlist.toml", LIST);
    yard.write("numbers.csv", "number\n1\n22\n");
    yard.write("pairs.csv", "value,result\nGRP-1,1\n");
    yard
}

#[test]
fn inputs_are_never_outputs() {
    let yard = yard();
    let before = yard.contents();
    symlink("in.csv", yard.path().join("soft.csv")).unwrap();
    let mut said = String::new();
    for words in [
        &[&CARVE[..], &["-o", "./in.csv"]].concat()[..],
        &[&CARVE[..], &["-o", "soft.csv"]].concat(),
        &[&CARVE[..], &["-o", "no.cutlist.toml"]].concat(),
        &[&CARVE[..], &["-o", "numbers.csv"]].concat(),
        &[&CARVE[..], &["-o", "out.csv", "--faults", "numbers.csv"]].concat(),
        &[&CARVE[..], &["-o", "out.csv", "--offcuts", "./out.csv"]].concat(),
        &["check", "in.csv", "-l", "no.cutlist.toml", "--summary", "in.csv"],
        &["draft", "in.csv", "-c", "part_code", "--want-file", "pairs.csv", "--write", "pairs.csv"],
    ] {
        let refused = yard.run(words);
        assert!(refused.status >= 2, "{words:?}");
        said += &refused.stderr;
    }
    assert_snapshot!(said);
    fs::remove_file(yard.path().join("soft.csv")).unwrap();
    assert_eq!(yard.contents(), before);
}

#[test]
fn redirected_standard_streams_are_identified_as_files() {
    let yard = yard();
    let before = yard.contents();
    let open = |name: &str| fs::File::open(yard.path().join(name)).unwrap();
    let append = |name: &str| OpenOptions::new().append(true).create(true).open(yard.path().join(name)).unwrap();
    let run = |words: &[&str], input: Stdio, output: Stdio| {
        let child = yard.child(words).stdin(input).stdout(output).stderr(Stdio::piped()).spawn().unwrap();
        let ended = child.wait_with_output().unwrap();
        (ended.status.code(), String::from_utf8(ended.stderr).unwrap())
    };
    let from_stdin = ["carve", "-", "-q", "-l", "no.cutlist.toml", "-o", "in.csv"];
    assert_snapshot!(run(&from_stdin, open("in.csv").into(), Stdio::null()).1);
    for words in [
        &CARVE[..],
        &[&CARVE[..], &["-o", "/dev/stdout"]].concat(),
        &["check", "in.csv", "-l", "no.cutlist.toml"],
        &["survey", "in.csv"],
        &["draft", "in.csv", "-c", "part_code"],
        &["explain", "no.cutlist.toml", "in.csv"],
        &["gauge", "--file", "in.csv", "-c", "depot"],
    ] {
        let (status, said) = run(words, Stdio::null(), append("in.csv").into());
        assert_eq!((status, yard.contents() == before), (Some(2), true), "{words:?}: {said}");
    }
    // A file that is appended to stays, under any name.
    yard.write("log", "old\n");
    for out in ["-", "/dev/stdout", "/dev/fd/1"] {
        assert_eq!(run(&[&CARVE[..], &["-o", out]].concat(), Stdio::null(), append("log").into()), (Some(0), String::new()));
    }
    assert_eq!(yard.read("log"), format!("old\n{}", CUT.repeat(3)));
    // A terminal or the null device can be both.
    assert_eq!(yard.run(&[&CARVE[..], &["-o", "/dev/null", "--faults", "/dev/null"]].concat()).status, 0);
    // If the rows go to a file, standard output can be any file.
    assert_eq!(run(&[&CARVE[..], &["-o", "out.csv"]].concat(), Stdio::null(), append("in.csv").into()).0, Some(0));
    assert_eq!(yard.read("out.csv"), CUT);
}

#[test]
fn a_replaced_output_keeps_its_properties() {
    let yard = yard();
    let at = |name: &str| yard.path().join(name);
    let carve = |out: &str| yard.run(&[&CARVE[..], &["-o", out]].concat());
    let mode = |name: &str| at(name).metadata().unwrap().mode() & 0o7777;
    // Links stay and lead to the output, whether their target existed or not.
    symlink("new.csv", at("link.csv")).unwrap();
    assert_eq!(carve("link.csv").status, 0);
    assert_eq!((fs::read_link(at("link.csv")).unwrap().as_path(), yard.read("new.csv").as_str()), ("new.csv".as_ref(), CUT));
    for (before, after) in [(0o640, 0o640), (0o666, 0o666), (0o4755, 0o755), (0o2755, 0o755)] {
        fs::set_permissions(at("new.csv"), fs::Permissions::from_mode(before)).unwrap();
        assert_eq!(carve("new.csv").status, 0);
        assert_eq!(mode("new.csv"), after, "{before:o}");
    }
    yard.write("plain.csv", "");
    assert_eq!(carve("another.csv").status, 0);
    assert_eq!(mode("another.csv"), mode("plain.csv"), "a new file is as any other");
    yard.write("fixed.csv", "old\n");
    fs::set_permissions(at("fixed.csv"), fs::Permissions::from_mode(0o444)).unwrap();
    let refused = carve("fixed.csv");
    assert_eq!((refused.status, yard.read("fixed.csv").as_str()), (3, "old\n"));
    symlink("b.csv", at("a.csv")).unwrap();
    symlink("a.csv", at("b.csv")).unwrap();
    assert_snapshot!(format!("{}{}", refused.stderr, carve("a.csv").stderr));
    assert!(yard.names().iter().all(|name| !name.starts_with('.')), "{:?}", yard.names());
}

#[test]
fn a_named_pipe_is_written_to_as_it_is() {
    let yard = yard();
    let pipe = yard.path().join("pipe");
    assert!(Command::new("mkfifo").arg(&pipe).status().unwrap().success());
    let reader = std::thread::spawn(move || fs::read_to_string(pipe).unwrap());
    assert_eq!(yard.run(&[&CARVE[..], &["-o", "pipe"]].concat()).status, 0);
    assert_eq!(reader.join().unwrap(), CUT);
    assert!(yard.names().contains(&"pipe".to_owned()));
}

#[test]
fn pipes_are_not_read_twice() {
    let yard = yard();
    yard.write("auto.cutlist.toml", "column = 'part_code'\n[piece.part]\ntake = 'sections by \"-\"'\ncolumns = 'auto'\n");
    let mut said = String::new();
    for words in [
        &["carve", "-", "-l", "auto.cutlist.toml"][..],
        &["carve", "/dev/stdin", "-l", "auto.cutlist.toml"],
        &["draft", "-", "-c", "part_code"],
        &["draft", "/dev/stdin", "-c", "part_code"],
    ] {
        let refused = yard.run_on(ROWS, words);
        assert_eq!(refused.status, 2);
        said += &refused.stderr;
    }
    assert_snapshot!(said);
}

#[test]
fn leftovers_of_dead_runs_are_removed() {
    let yard = yard();
    let left = [".out.csv.keen-notch-AbCd12.part", ".out.csv.keen-notch-EfGh34.old"];
    left.iter().for_each(|name| yard.write(name, "half"));
    let others = [".other.csv.keen-notch-AbCd12.part", ".out.csv.keen-notch-IjKl56.part", ".out.csv.part"];
    others.iter().for_each(|name| yard.write(name, "half"));
    // Like another run.
    let in_use = fs::File::open(yard.path().join(others[1])).unwrap();
    in_use.lock().unwrap();
    assert_eq!(yard.run(&[&CARVE[..], &["-o", "out.csv"]].concat()).status, 0);
    let mut hidden: Vec<_> = yard.names().into_iter().filter(|name| name.starts_with('.')).collect();
    hidden.sort();
    assert_eq!(hidden, others);
    // The longest possible name.
    let long = format!("{}.csv", "é".repeat(125));
    assert_eq!(yard.run(&[&CARVE[..], &["-o", &long]].concat()).status, 0);
    assert_eq!(yard.read(&long), CUT);
}

#[test]
fn help_that_cannot_be_printed_is_an_error() {
    let yard = yard();
    for words in [&["--help"][..], &["--version"], &["carve", "--help"], &["phrases"]] {
        let full = OpenOptions::new().write(true).open("/dev/full").unwrap();
        let ended = yard.child(words).stdout(full).stderr(Stdio::piped()).output().unwrap();
        assert_eq!(ended.status.code(), Some(3), "{words:?}");
        assert!(String::from_utf8_lossy(&ended.stderr).contains("no space is left"), "{words:?}");
    }
    assert_eq!(yard.run(&["--help"]).status, 0);
}

#[test]
fn an_ignored_signal_stays_ignored() {
    let yard = yard();
    let program = assert_cmd::cargo::cargo_bin("keen-notch");
    let mut child = Command::new("sh")
        .current_dir(yard.path())
        .args(["-c", "trap '' HUP; exec \"$0\" carve - -q -p 'a: first 1' -o out.csv"])
        .arg(program)
        .stdin(Stdio::piped())
        .spawn()
        .unwrap();
    let mut rows = child.stdin.take().unwrap();
    rows.write_all(b"code\nGRP-1\n").unwrap();
    let begun = Instant::now();
    while !yard.names().iter().any(|name| name.ends_with(".part")) && begun.elapsed() < Duration::from_secs(20) {
        std::thread::sleep(Duration::from_millis(20));
    }
    assert!(Command::new("kill").args(["-HUP", &child.id().to_string()]).status().unwrap().success());
    drop(rows);
    assert!(child.wait().unwrap().success());
    assert_eq!(yard.read("out.csv"), "code,a\nGRP-1,G\n");
}

#[test]
fn a_list_reads_only_nearby_files() {
    let elsewhere = Yard::with("secret.csv", "key\nopen sesame\n");
    let yard = Yard::with("in.csv", "code\nopen sesame\n");
    fs::create_dir_all(yard.path().join("lists/sub")).unwrap();
    yard.write("lists/sub/ok.csv", "key\nopen sesame\n");
    symlink(elsewhere.path().join("secret.csv"), yard.path().join("lists/link.csv")).unwrap();
    let secret = elsewhere.path().join("secret.csv").display().to_string();
    let run = |file: &str, rest: &[&str]| {
        let list = format!(
            "column = 'code'\n[piece.p]\ntake = 'whole'\ncheck = 'listed in \"{file}\"{}'\n",
            if rest.contains(&"key2") { " column \"key2\"" } else { "" }
        );
        yard.write("lists/l.cutlist.toml", list);
        let words: Vec<&str> = rest.iter().copied().filter(|word| *word != "key2").collect();
        let ran = yard.run(&[&["check", "in.csv", "-l", "lists/l.cutlist.toml"], &words[..]].concat());
        (ran.status, ran.stderr.replace(&elsewhere.path().display().to_string(), "ELSEWHERE"))
    };
    assert_eq!(run("sub/ok.csv", &[]).0, 0);
    assert_eq!(run("../lists/sub/ok.csv", &[]).0, 0);
    assert_eq!(run(&secret, &["--allow-outside"]).0, 0);
    let (refused, linked, other) = (run(&secret, &[]), run("link.csv", &[]), run("sub/ok.csv", &["key2"]));
    assert_eq!((refused.0, linked.0, other.0), (2, 2, 2));
    assert_snapshot!(format!("{}{}{}", refused.1, linked.1, other.1));
    // Files named on the command line are read.
    let ran = yard.run(&["check", "in.csv", "--check", &format!("code: listed in \"{secret}\"")]);
    assert_eq!(ran.status, 0, "{}", ran.shown());
}

#[test]
fn invalid_bytes_are_reported_or_replaced_and_counted() {
    let yard = Yard::new();
    yard.write("sjis.csv", b"code,name\nGRP-1,\x83\x8D\x81y\nHNG-2,\x83\x8D\x93\n".as_slice());
    yard.write("utf8.csv", b"code,name\nGRP-1,a\xFFb\n".as_slice());
    let mut said = String::new();
    for words in [&["sjis.csv", "--encoding", "shift_jis"][..], &["utf8.csv"], &["utf8.csv", "--encoding", "hz-gb-2312"]] {
        let piece = ["carve", "-q", "-c", "name", "-p", "n: length", "-o", "out.csv"];
        let ran = yard.run(&[&piece, words].concat());
        assert!(ran.status > 1 && !yard.names().contains(&"out.csv".to_owned()), "{}", ran.shown());
        said += &ran.stderr;
        let command =
            ["carve", "-c", "name", "-p", "n: length", "--encoding-errors", "replace", "--summary", "s.json", "-o", "-"];
        let ran = yard.run(&[&command, words].concat());
        said += &ran.shown();
    }
    assert!(yard.read("s.json").contains("\"replacements\": 1"));
    assert_snapshot!(said);
    for words in
        [&["survey", "utf8.csv"][..], &["gauge", "--file", "utf8.csv", "-c", "name"], &["draft", "utf8.csv", "-c", "code"]]
    {
        let ran = yard.run(&[words, &["--encoding-errors", "replace"]].concat());
        assert!(ran.status == 0 && ran.stderr.contains("in 1 place"), "{}", ran.shown());
    }
}
