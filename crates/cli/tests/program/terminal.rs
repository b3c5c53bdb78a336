//! The program in a pseudo-terminal of a real size.

use std::io::Read;
use std::num::NonZero;
use std::time::{Duration, Instant};

use portable_pty::{CommandBuilder, PtySize, native_pty_system};

use crate::yard::Yard;

struct TerminalOutput {
    status: u32,
    signal: Option<String>,
    /// All bytes written to the terminal.
    raw: String,
    /// The lines on a screen that is high enough for all of them.
    lines: Vec<String>,
}

/// The program at a terminal with colours.
pub fn command(yard: &Yard, words: &[&str], environment: &[(&str, &str)]) -> CommandBuilder {
    let mut command = CommandBuilder::new(env!("CARGO_BIN_EXE_keen-notch"));
    command.args(words);
    command.cwd(yard.path());
    command.env("TERM", "xterm-256color");
    command.env_remove("NO_COLOR");
    command.env_remove("COLUMNS");
    environment.iter().for_each(|(name, value)| command.env(name, value));
    command
}

/// Runs the program at a terminal of this width. Types `typed` after the first output.
fn at_terminal(yard: &Yard, columns: u16, words: &[&str], environment: &[(&str, &str)], typed: &str) -> TerminalOutput {
    let size = PtySize { rows: 40, cols: columns, pixel_width: 0, pixel_height: 0 };
    let pair = native_pty_system().openpty(size).unwrap();
    let mut child = pair.slave.spawn_command(command(yard, words, environment)).unwrap();
    drop(pair.slave);
    let mut reader = pair.master.try_clone_reader().unwrap();
    let mut writer = pair.master.take_writer().unwrap();
    let mut bytes = Vec::new();
    let mut buffer = [0; 4096];
    let mut typed = Some(typed).filter(|typed| !typed.is_empty());
    // When the program has ended, reading from its terminal ends, on some systems with an error.
    while let Ok(count) = reader.read(&mut buffer) {
        if count == 0 {
            break;
        }
        bytes.extend_from_slice(&buffer[..count]);
        if let Some(typed) = typed.take() {
            writer.write_all(typed.as_bytes()).unwrap();
        }
    }
    let ended = child.wait().unwrap();
    let (status, signal) = (ended.exit_code(), ended.signal().map(str::to_owned));
    let mut screen = vt100::Parser::new(NonZero::new(2000).unwrap(), NonZero::new(columns).unwrap(), 0);
    screen.process(&bytes);
    let lines: Vec<String> = screen.screen().rows(0, columns).map(|line| line.trim_end().to_owned()).collect();
    let last = lines.iter().rposition(|line| !line.is_empty()).map_or(0, |last| last + 1);
    TerminalOutput { status, signal, raw: String::from_utf8_lossy(&bytes).into_owned(), lines: lines[..last].to_vec() }
}

fn demo() -> Yard {
    let yard = Yard::new();
    yard.out(&["demo", "--dir", "."]);
    yard
}

fn written(seen: &TerminalOutput) -> Vec<String> {
    // Progress is overwritten and disappears.
    let last = |line: &str| line.trim_end_matches('\r').rsplit('\r').next().unwrap_or_default().to_owned();
    seen.raw.lines().map(|line| anstream::adapter::strip_str(&last(line)).to_string().trim_end().to_owned()).collect()
}

#[test]
fn the_first_rows_and_those_worth_a_look() {
    let yard = demo();
    let words = ["carve", "parts.csv", "-c", "part_code", "-p", "family: first 3", "-p", "serial: section 2 by \"-\""];
    let seen = at_terminal(&yard, 80, &words, &[], "");
    assert_eq!(seen.status, 0, "{}", seen.raw);
    let place = |what: &str| {
        let found = seen.lines.iter().position(|line| line.starts_with(what));
        found.unwrap_or_else(|| panic!("{what} is not in\n{}", seen.lines.join("\n")))
    };
    assert!(place("part_code") < place("GRP-00041273-S7K2"));
    assert!(place("10 of 200 rows shown") < place("rows that need attention, a few of each kind"));
    assert!(seen.lines[place("71    missing")].ends_with("missing"), "{}", seen.lines.join("\n"));
    assert!(place("71    missing") < place("To get them all, add -o OUT.csv"));
    assert!(place("To get them all") < place("family"), "the summary comes last");
    assert!(seen.raw.contains("\u{1b}[38;5;28m"), "what is taken is green");
    let plain = at_terminal(&yard, 80, &words, &[("NO_COLOR", "1")], "");
    assert!(!plain.raw.contains('\u{1b}'), "{:?}", plain.raw);
    assert_eq!(plain.lines, seen.lines, "colours say nothing that words do not");
}

#[test]
fn tables_fit_the_terminal() {
    let yard = demo();
    yard.write(
        "wide.cutlist.toml",
        "column = 'part_code'\n".to_owned()
            + &(1..=9)
                .map(|n| {
                    format!("[piece.piece_of_the_code_{n}]\ntake = 'section 1 by \"-\"'\ncheck = ['length 3', 'uppercase']\n")
                })
                .collect::<String>(),
    );
    let wanted = "INSP 2025/11 WO:77120 (Ines Okafor) brake pad 3.25 mm => Okafor";
    let commands: [&[&str]; 20] = [
        &["gauge", "--file", "references.csv", "-c", "reference", "--rows", "2"],
        &["phrases"],
        &["phrases", "section"],
        &["phrases", "date"],
        &["draft", "crew.csv", "-c", "crew_id"],
        &["draft", "references.csv", "-c", "reference", "--want", wanted],
        &["explain", "crew.cutlist.toml"],
        &["survey", "parts.csv", "-c", "part_code", "--rows-of", "U3-X8-X4"],
        &["demo", "--dir", "."],
        &["gauge", "GRP-00041273-S7K2", "-p", "section 2 by \"-\""],
        &["survey", "crew.csv"],
        &["survey", "parts.csv", "-c", "part_code"],
        &["survey", "references.csv", "-c", "reference"],
        &["survey", "parts.csv", "-c", "part_code", "-p", "family: first 3", "--fine"],
        &["carve", "references.csv", "-l", "references.cutlist.toml"],
        &["carve", "references.csv", "-l", "references.cutlist.toml", "--only-pieces"],
        &["carve", "parts.csv", "-l", "wide.cutlist.toml"],
        &["check", "parts.csv", "-l", "wide.cutlist.toml", "--rows", "3"],
        &["check", "parts.csv", "-l", "parts.cutlist.toml", "--rows", "5"],
        &["explain", "references.cutlist.toml", "references.csv", "--row", "22"],
    ];
    for columns in [80, 100] {
        for words in commands {
            let seen = at_terminal(&yard, columns, words, &[], "");
            assert!(seen.status < 2, "{words:?}\n{}", seen.raw);
            for line in written(&seen) {
                // Commands to paste, steps with results, and comments of drafts are never wrapped.
                let may_be_wide = line.starts_with("      ")
                    || line.starts_with("$ ")
                    || line.contains(" → ")
                    || (words[0] == "draft" && line.starts_with('#'))
                    || line.trim_start().starts_with("--want ")
                    || line.starts_with("  keen-notch ");
                let width = unicode_width::UnicodeWidthStr::width(line.as_str());
                assert!(may_be_wide || width <= usize::from(columns), "{words:?} on {columns}: {width} columns\n{line}");
            }
        }
    }
}

#[test]
fn columns_that_do_not_fit_are_named() {
    let yard = demo();
    let seen = at_terminal(&yard, 80, &["carve", "references.csv", "-l", "references.cutlist.toml", "--only-pieces"], &[], "");
    assert!(seen.lines[0].starts_with("order    person"), "{}", seen.lines.join("\n"));
    let hidden = seen.lines.iter().find(|line| line.starts_with("10 of 200 rows shown")).unwrap();
    assert_eq!(hidden, "10 of 200 rows shown, without the columns figure_1, figure_2, figure_3, figure_4");
    // On a wide terminal, nothing is left out.
    let seen = at_terminal(&yard, 200, &["carve", "references.csv", "-l", "references.cutlist.toml"], &[], "");
    assert!(seen.lines.iter().any(|line| line == "10 of 200 rows shown"), "{}", seen.lines.join("\n"));
}

#[test]
fn emoji_do_not_shift_columns() {
    let yard = Yard::with(
        "e.csv",
        "code,name\nA-1,plain\nB-2,👩\u{200d}🚀 astro\nC-3,❤\u{fe0f} heart\nD-4,東京\nE-5,1\u{fe0f}\u{20e3} key\n",
    );
    let seen = at_terminal(
        &yard,
        80,
        &["carve", "e.csv", "-c", "name", "-p", "all: whole then suffix \"|\""],
        &[("NO_COLOR", "1")],
        "",
    );
    // On a terminal that draws every code point separately, the last column is still aligned.
    let head = seen.lines[0].find("all").unwrap();
    for line in &seen.lines[2..7] {
        let columns: Vec<(usize, char)> = line
            .chars()
            .scan(0, |column, c| {
                let at = *column;
                *column += unicode_width::UnicodeWidthChar::width(c).unwrap_or(0);
                Some((at, c))
            })
            .collect();
        let starts: Vec<usize> =
            columns.windows(2).filter(|pair| pair[0].1 == ' ' && pair[1].1 != ' ').map(|pair| pair[1].0).collect();
        assert!(starts.contains(&head), "{line:?}: {starts:?} has not {head}");
    }
}

#[test]
fn what_is_typed_is_read_to_its_end() {
    let yard = Yard::new();
    let words = ["carve", "-c", "code", "-p", "n: after \"-\""];
    let seen = at_terminal(&yard, 80, &words, &[], "code\nA-1\nB-22\n\u{4}");
    assert_eq!(seen.status, 0, "{}", seen.raw);
    assert!(seen.lines[0].starts_with("reading standard input from the terminal; end it with Ctrl-D"), "{}", seen.raw);
    assert!(seen.lines.iter().any(|line| line == "B-22   22"), "{}", seen.lines.join("\n"));
    // After Ctrl-C, the shell sees a program that was ended by a signal.
    let seen = at_terminal(&yard, 80, &words, &[], "code\nA-1\n\u{3}");
    assert_eq!(seen.signal.as_deref(), Some("Interrupt"), "{}", seen.raw);
}

#[test]
fn progress_appears_and_disappears() {
    let yard = Yard::new();
    let rows: String = (0..400_000).map(|n| format!("GRP-{n:08}-S7K2,{n}\n")).collect();
    yard.write("long.csv", format!("code,n\n{rows}"));
    let begun = Instant::now();
    let words = [
        "carve",
        "long.csv",
        "-c",
        "code",
        "-p",
        "serial: section 2 by \"-\" then plain number",
        "--threads",
        "1",
        "-o",
        "out.csv",
    ];
    let seen = at_terminal(&yard, 80, &words, &[], "");
    assert_eq!(seen.status, 0, "{}", seen.raw);
    let was_slow = begun.elapsed() > Duration::from_secs(2);
    assert!(!was_slow || seen.raw.contains("left"), "a run of seconds says how far it is");
    assert!(!seen.lines.iter().any(|line| line.contains(" left") || line.contains("% ")), "{}", seen.lines.join("\n"));
    assert!(seen.lines.last().unwrap().ends_with("long.csv: 400 000 rows, written to out.csv"), "{}", seen.lines.join("\n"));
    assert_eq!(yard.names(), ["long.csv", "out.csv"]);
}

#[test]
fn a_terminal_gets_no_escape_by_any_name() {
    let yard = Yard::with("parts.csv", "code\nGRP\u{1b}[2J\u{202e}-1\n");
    for device in ["-", "/dev/stdout", "/dev/stderr", "/dev/tty", "/dev/fd/1", "/proc/self/fd/2"] {
        let seen = at_terminal(&yard, 80, &["carve", "parts.csv", "-p", "no: after \"-\"", "-q", "-o", device], &[], "");
        assert!(seen.raw.contains("GRP␛[2J▯-1,1") && !seen.raw.contains("\u{1b}[2J"), "{device}: {:?}", seen.raw);
    }
}
