//! Completions and man pages.

use std::fs::Permissions;
use std::io::{Read, Write};
use std::os::unix::fs::PermissionsExt;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use portable_pty::{Child, CommandBuilder, PtySize, native_pty_system};

use crate::yard::Yard;

fn offered(yard: &Yard, words: &[&str]) -> Vec<String> {
    let line = format!("keen-notch {}", words.join(" "));
    let environment = [("KEEN_NOTCH_COMPLETE", "bash"), ("KEEN_NOTCH_BEFORE", &line), ("KEEN_NOTCH_BREAKS", " '\"=:")];
    let output = yard.command(&["--", "keen-notch"]).envs(environment).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).unwrap().lines().map(str::to_owned).collect()
}

/// Column names that a shell would expand, run or split, with distinct first two characters.
const HOSTILE: [&str; 24] = [
    "aa$(touch pwned)",
    "bb`touch pwned`",
    "cc<(touch pwned)",
    "dd>pwned",
    "ee;touch pwned;y",
    "ff *",
    "gg*",
    "hh it's",
    "ii \"x\" y",
    "jj!x",
    "kk\\n",
    "ll crew id",
    "mm $HOME",
    "nn#x",
    "oo & x",
    "pp|touch pwned",
    "qq'",
    "rr\"",
    "ss!",
    "tt{a,b}",
    "uu~",
    "vv=1:2 x",
    "ww[a-z]?",
    "xx\u{e9}\u{4e2d} $x",
];

/// A shell at a terminal. Its `keen-notch` completes, or writes its last word to a file.
struct Shell {
    yard: Yard,
    writer: Box<dyn Write + Send>,
    child: Box<dyn Child + Send + Sync>,
    seen: Arc<Mutex<Vec<u8>>>,
}

impl Shell {
    fn begin(shell: &str, words: &[&str], source: &str) -> Shell {
        let yard = Yard::new();
        let cells: Vec<String> = HOSTILE.iter().map(|name| format!("\"{}\"", name.replace('"', "\"\""))).collect();
        yard.write("hostile.csv", format!("{}\n{}\n", cells.join(","), vec!["1"; cells.len()].join(",")));
        yard.write("script", yard.out(&["completions", shell]));
        let real = env!("CARGO_BIN_EXE_keen-notch");
        let stand_in = format!(
            "#!/bin/sh\n[ -z \"$KEEN_NOTCH_COMPLETE\" ] || exec '{real}' \"$@\"\nfor word; do :; done\nprintf '%s|' \"$word\" > word\n"
        );
        yard.write("keen-notch", &stand_in);
        std::fs::set_permissions(yard.path().join("keen-notch"), Permissions::from_mode(0o755)).unwrap();
        let size = PtySize { rows: 40, cols: 200, pixel_width: 0, pixel_height: 0 };
        let pair = native_pty_system().openpty(size).unwrap();
        let mut command = CommandBuilder::new(shell);
        command.args(words);
        command.cwd(yard.path());
        command.env("HOME", yard.path());
        command.env("TERM", "xterm");
        command.env("LC_ALL", "C.UTF-8");
        command.env("PATH", format!("{}:{}", yard.path().display(), std::env::var("PATH").unwrap()));
        let child = pair.slave.spawn_command(command).unwrap();
        let (mut reader, writer) = (pair.master.try_clone_reader().unwrap(), pair.master.take_writer().unwrap());
        let seen = Arc::new(Mutex::new(Vec::new()));
        let into = Arc::clone(&seen);
        std::thread::spawn(move || {
            // The terminal stays open while this thread holds it.
            let _master = pair.master;
            let mut buffer = [0; 4096];
            while let Ok(count @ 1..) = reader.read(&mut buffer) {
                into.lock().unwrap().extend_from_slice(&buffer[..count]);
            }
        });
        let mut shell = Shell { yard, writer, child, seen };
        shell.send(&format!("{source}; keen-notch ready"));
        assert_eq!(shell.word(), "ready");
        shell
    }

    fn send(&mut self, keys: &str) {
        self.writer.write_all(keys.as_bytes()).unwrap();
    }

    /// Waits until the shell has shown something new and then nothing for a while.
    fn settle(&self, before: usize) {
        let (mut shown, begun) = (before, Instant::now());
        while begun.elapsed() < Duration::from_secs(1) {
            std::thread::sleep(Duration::from_millis(60));
            let now = self.seen.lock().unwrap().len();
            if now == shown && now > before {
                return;
            }
            shown = now;
        }
    }

    /// Runs the typed command and returns the last word of the program.
    fn word(&mut self) -> String {
        let (path, begun) = (self.yard.path().join("word"), Instant::now());
        for turn in 0.. {
            // If Elvish shows a list of candidates, it needs the key again.
            if turn % 25 == 0 {
                self.send("\r");
            }
            if let Some(word) = std::fs::read_to_string(&path).ok().and_then(|text| Some(text.strip_suffix('|')?.to_owned())) {
                std::fs::remove_file(&path).unwrap();
                return word;
            }
            let seen = || String::from_utf8_lossy(&self.seen.lock().unwrap()).into_owned();
            assert!(begun.elapsed() < Duration::from_secs(30), "the program was not run: {}", seen());
            std::thread::sleep(Duration::from_millis(10));
        }
        unreachable!()
    }
}

impl Drop for Shell {
    fn drop(&mut self) {
        let _ = self.child.kill();
    }
}

/// Completes names without quotes and in both kinds of quotes, and runs the command. Every fourth name takes its turn in each way, the
/// others in one.
fn no_name_is_expanded(shell: &str, words: &[&str], source: &str) {
    if std::process::Command::new(shell).arg("--version").output().is_err() {
        eprintln!("{shell} is not installed");
        return;
    }
    let mut shell = Shell::begin(shell, words, source);
    let mut wrong = Vec::new();
    let quotes = ["", "'", "\""];
    for (index, name) in HOSTILE.iter().enumerate() {
        for quote in if index % 4 == 0 { &quotes[..] } else { &quotes[index % 3..=index % 3] } {
            shell.send(&format!("keen-notch survey hostile.csv -c {quote}{}", &name[..2]));
            shell.settle(0);
            let typed = shell.seen.lock().unwrap().len();
            shell.send("\t");
            shell.settle(typed);
            let word = shell.word();
            if word != *name {
                wrong.push((quote, name, word));
            }
        }
    }
    assert!(wrong.is_empty(), "{wrong:?}");
    assert!(!shell.yard.path().join("pwned").exists());
}

#[test]
fn no_shell_expands_a_name() {
    // Most of the time is spent waiting for the shells.
    std::thread::scope(|scope| {
        scope.spawn(|| no_name_is_expanded("bash", &["--norc", "--noprofile", "-i"], "source ./script"));
        scope.spawn(|| no_name_is_expanded("zsh", &["-f", "-i"], "autoload -Uz compinit; compinit -u -D; source ./script"));
        scope.spawn(|| no_name_is_expanded("fish", &["--no-config", "--interactive"], "source ./script"));
        scope.spawn(|| no_name_is_expanded("elvish", &["-norc"], "eval (slurp < script)"));
    });
}

#[test]
fn a_shell_is_offered_commands_columns_and_phrases() {
    let yard = Yard::with("parts.csv", "part_code;crew id;port\nGRP-1;7;x\n");
    let line =
        [("KEEN_NOTCH_COMPLETE", "bash"), ("KEEN_NOTCH_BEFORE", "keen-notch survey -c pa"), ("KEEN_NOTCH_AFTER", " parts.csv")];
    let output = yard.command(&["--", "keen-notch"]).envs(line).env("KEEN_NOTCH_BREAKS", " ").output().unwrap();
    assert_eq!(output.stdout, b"part_code\n", "the file comes after the cursor");
    assert!(offered(&yard, &["sur"]).contains(&"survey".to_owned()));
    assert_eq!(offered(&yard, &["carve", "parts.csv", "-c", "p"]), ["part_code", "port"]);
    let phrases = offered(&yard, &["carve", "parts.csv", "-p", "'no: trim then sect"]);
    assert_eq!(phrases[0], "no: trim then section 2 by \"-\"");
    assert!(offered(&yard, &["gauge", "x", "-p", "\"first 3 then upp"]).contains(&"first 3 then upper".to_owned()));
    assert!(offered(&yard, &["survey", "nothing.csv", "-c", "p"]).is_empty());
}

#[test]
fn scripts_for_shells() {
    let yard = Yard::new();
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        assert!(yard.out(&["completions", shell]).contains("keen-notch"), "{shell}");
    }
    let ran = yard.run(&["completions", "csh"]);
    assert!(ran.status == 2 && ran.stderr.contains("bash, elvish, fish"), "{}", ran.shown());
    // A real shell reads the script.
    let script = yard.out(&["completions", "bash"]);
    yard.write("script.bash", &script);
    let bash = std::process::Command::new("bash").args(["-n", "script.bash"]).current_dir(yard.path()).status().unwrap();
    assert!(bash.success());
}

#[test]
fn man_pages() {
    let yard = Yard::new();
    assert_eq!(yard.run(&["manual", "--dir", "man"]).status, 0);
    let names: Vec<String> = std::fs::read_dir(yard.path().join("man"))
        .unwrap()
        .map(|entry| entry.unwrap().file_name().into_string().unwrap())
        .collect();
    for page in ["keen-notch.1", "keen-notch-carve.1", "keen-notch-survey.1"] {
        assert!(names.contains(&page.to_owned()), "{names:?}");
    }
    assert!(yard.read("man/keen-notch-carve.1").contains("Add pieces to a table as new columns"));
}
