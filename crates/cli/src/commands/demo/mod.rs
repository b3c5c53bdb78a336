//! `demo`: sample data of a made-up ropeway, one example of the main job, and a tour.

#[cfg(feature = "sqlite")]
mod database;
mod november;

use std::collections::HashMap;
use std::fs;
use std::io::{self, Write};
use std::path::Path;

use clap::Parser;
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats;
use keen_notch_io::sink;

use crate::args::{Args, DemoArgs};
use crate::console::{self, Console};
use crate::draw::rerun;
use crate::draw::style::{self, paint};
use crate::failure::Failure;

const DATA: [(&str, &[u8]); 9] = [
    ("parts.csv", include_bytes!("../../../demo/parts.csv")),
    ("crew.csv", include_bytes!("../../../demo/crew.csv")),
    ("crew-december.csv", include_bytes!("../../../demo/crew-december.csv")),
    ("references.csv", include_bytes!("../../../demo/references.csv")),
    ("register.xlsx", include_bytes!("../../../demo/register.xlsx")),
    ("parts.cutlist.toml", include_bytes!("../../../demo/parts.cutlist.toml")),
    ("crew.cutlist.toml", include_bytes!("../../../demo/crew.cutlist.toml")),
    ("references.cutlist.toml", include_bytes!("../../../demo/references.cutlist.toml")),
    ("figures.cutlist.toml", include_bytes!("../../../demo/figures.cutlist.toml")),
];

#[cfg(feature = "sqlite")]
const OUTPUTS: [&str; 4] = ["parts-cut.csv", "parts.html", november::NAME, database::NAME];
#[cfg(not(feature = "sqlite"))]
const OUTPUTS: [&str; 3] = ["parts-cut.csv", "parts.html", november::NAME];

/// The file that records what the demo wrote, so that it replaces no other files.
const LIST: &str = "DEMO.txt";
const LIST_HEAD: &str = "Written by `keen-notch demo`, which replaces these files only while they are as it left them.";

/// A stop of the tour: its purpose, the words of its command, and further commands with their uses. `DIR` is the demo's folder.
struct Stop {
    shows: &'static str,
    words: &'static [&'static str],
    go_on: &'static [Next],
}

type Next = (&'static [&'static str], &'static str);

const TOUR: [Stop; 6] = [
    Stop {
        shows: "1. Measure. A part code on the ruler: every position, and the delimiters.",
        words: &["gauge", "GRP-00041273-S7K2", "-p", r#"section 2 by "-""#],
        go_on: &[
            (&["survey", "DIR/parts.csv", "-c", "part_code"], "survey the whole column: shapes, positions, odd characters"),
            (&["phrases", "section"], "explain the steps with sections"),
        ],
    },
    Stop {
        shows: "2. Draft. Give the result for one value, and the draft finds the phrase.",
        words: &["draft", "DIR/crew.csv", "-c", "crew_id", "--want", "2019-0385-RIG => 385"],
        go_on: &[
            (&["draft", "DIR/crew.csv", "-c", "crew_id"], "draft a cut list from the data alone"),
            (&["explain", "DIR/crew.cutlist.toml"], "explain a cut list in words"),
        ],
    },
    Stop {
        shows: "3. Carve. A cut list adds five columns to every row, and counts the values that do not fit.",
        words: &["carve", "DIR/parts.csv", "-l", "DIR/parts.cutlist.toml", "-o", "DIR/parts-cut.csv"],
        go_on: &[
            (
                &["carve", "DIR/references.csv", "-l", "DIR/references.cutlist.toml"],
                "get names, orders and sizes out of free text",
            ),
            (&["carve", "DIR/references.csv", "-l", "DIR/figures.cutlist.toml"], "write one row for every figure"),
            (&["explain", "DIR/parts.cutlist.toml", "DIR/parts.csv", "--row", "71"], "explain one row step by step"),
            (
                &["carve", "DIR/register.xlsx", "-l", "DIR/parts.cutlist.toml", "-o", "DIR/register-cut.xlsx"],
                "read and write a workbook",
            ),
            #[cfg(feature = "sqlite")]
            (
                &["check", "--from", "sqlite:DIR/ropeway.db", "--table", "crew", "-l", "DIR/crew.cutlist.toml"],
                "check a database table",
            ),
        ],
    },
    Stop {
        shows: "4. Check. The crew numbers that break a rule, with the reason.",
        words: &["check", "DIR/crew.csv", "-l", "DIR/crew.cutlist.toml"],
        go_on: &[
            (
                &["check", "DIR/parts.csv", "-l", "DIR/parts.cutlist.toml", "--rows", "3"],
                "check the parts, and show rows with faults",
            ),
            (
                &["check", "DIR/parts.csv", "--layout", "part_code: <family 3 uppercase>-<serial 8 digits>-<grade 4>"],
                "check the layout of the whole code",
            ),
        ],
    },
    Stop {
        shows: "5. Share. One page for the colleague who corrects the codes.",
        words: &["report", "DIR/parts.csv", "-l", "DIR/parts.cutlist.toml", "-o", "DIR/parts.html"],
        go_on: &[(&["report", "DIR/crew.csv", "-l", "DIR/crew.cutlist.toml", "--to", "json"], "get the same content as JSON")],
    },
    Stop {
        shows: "6. Next month. The changes in the register since the saved survey.",
        words: &["survey", "DIR/crew-december.csv", "--against", "DIR/crew-november.json"],
        go_on: &[(&["check", "DIR/crew-december.csv", "-l", "DIR/crew.cutlist.toml"], "run the checks on the new register")],
    },
];

const MAIN: [Stop; 1] = [Stop {
    shows: "Two phrases cut two new columns out of part_code:",
    words: &["carve", "DIR/parts.csv", "-c", "part_code", "-p", "family: first 3", "-p", "grade: last 4"],
    go_on: &[
        (&["try", "DIR/parts.csv", "-c", "part_code"], "your own phrases"),
        (&["check", "DIR/parts.csv", "-l", "DIR/parts.cutlist.toml"], "values that break a rule"),
        (&["report", "DIR/parts.csv", "-l", "DIR/parts.cutlist.toml", "-o", "DIR/report.html"], "a page to share"),
        (&["demo", "--all"], "the whole tour"),
    ],
}];

pub fn run(args: &DemoArgs, console: &Console) -> Result<(), Failure> {
    let replaced = write_data(&args.dir)?;
    #[cfg(feature = "sqlite")]
    database::write(&args.dir)?;
    november::write(&args.dir)?;
    let folder = args.dir.display().to_string();
    let mut out = console::out();
    let fill = |words: &str| textwrap::fill(words, console.width);
    let words = format!("The sample data is in {folder}: tables of a made-up ropeway, and cut lists.");
    writeln!(out, "{}", fill(&words))?;
    if !replaced.is_empty() {
        writeln!(out, "{}", fill(&format!("Replaced files of an earlier demo: {}.", replaced.join(", "))))?;
    }
    let console = Console { shows_tables: true, notes_in_line: true, ..console.clone() };
    for Stop { shows, words, go_on } in if args.all { &TOUR[..] } else { &MAIN[..] } {
        writeln!(out, "\n{}\n{} {}", paint(style::HEAD, fill(shows)), paint(style::QUIET, "$"), command(words, &folder))?;
        let words = in_folder(words, &folder);
        let parsed = Args::try_parse_from(std::iter::once("keen-notch".to_owned()).chain(words));
        let parsed = parsed.map_err(|error| Failure::usage(format!("the tour cannot go on: {error}"), "report this"))?;
        super::run(&parsed.command, &console)?;
        remember(&args.dir)?;
        writeln!(out, "\nGo on")?;
        for (words, shows) in *go_on {
            // The tour has long commands.
            let between = if args.all { "\n      " } else { "   " };
            let (command, shows) = (paint(style::TAKEN, command(words, &folder)), paint(style::QUIET, format!("# {shows}")));
            writeln!(out, "  {command}{between}{shows}")?;
        }
    }
    writeln!(out, "\nWith a file of your own: {}", paint(style::TAKEN, "keen-notch survey FILE"))?;
    writeln!(out, "Recipes with their outputs: {}", paint(style::TAKEN, "docs/cookbook.md"))?;
    Ok(())
}

fn in_folder(words: &[&str], folder: &str) -> Vec<String> {
    words.iter().map(|word| word.replace("DIR/", &format!("{folder}/"))).collect()
}

fn command(words: &[&str], folder: &str) -> String {
    rerun::command(&in_folder(words, folder))
}

/// Writes the data, unless that would replace foreign files. Returns the names of the files that it replaced, and of those that the tour
/// will replace.
fn write_data(folder: &Path) -> Result<Vec<&'static str>, Failure> {
    let failed = |path: &Path, source: io::Error| {
        Failure::from(keen_notch_io::Error::Write { name: path.display().to_string(), source, is_half_written: false })
    };
    let known = remembered(folder);
    let mut replaced = Vec::new();
    for name in DATA.iter().map(|(name, _)| *name).chain(OUTPUTS) {
        let path = folder.join(name);
        let own = match fs::read(&path) {
            Ok(bytes) => {
                replaced.push(name);
                known.get(name) == Some(&fingerprint(&bytes))
            }
            Err(error) => error.kind() == io::ErrorKind::NotFound,
        };
        if !own {
            return Err(Failure::file(
                format!("{} already exists and differs from the demo's file", path.display()),
                "move the file, or name another folder: keen-notch demo --dir DIR",
            ));
        }
    }
    fs::create_dir_all(folder).map_err(|error| failed(folder, error))?;
    let prints = DATA.map(|(name, bytes)| (name, fingerprint(bytes)));
    let left = OUTPUTS.iter().filter_map(|name| Some((*name, *known.get(*name)?)));
    let list = list(prints.into_iter().chain(left));
    write(folder, DATA.into_iter().chain([(LIST, list.as_bytes())]))?;
    Ok(replaced)
}

fn write<'b>(folder: &Path, files: impl Iterator<Item = (&'static str, &'b [u8])>) -> Result<(), Failure> {
    let known = RunFiles::default();
    let mut sinks = Vec::new();
    for (name, bytes) in files {
        let mut sink = formats::create(&folder.join(name), &known)?;
        sink.put(bytes)?;
        sinks.push(sink);
    }
    Ok(sink::commit_all(sinks)?)
}

fn list(prints: impl Iterator<Item = (&'static str, u64)>) -> String {
    std::iter::once(format!("{LIST_HEAD}\n")).chain(prints.map(|(name, print)| format!("{print:016x} {name}\n"))).collect()
}

fn remember(folder: &Path) -> Result<(), Failure> {
    let names = DATA.iter().map(|(name, _)| *name).chain(OUTPUTS);
    let prints = names.filter_map(|name| Some((name, fingerprint(&fs::read(folder.join(name)).ok()?))));
    write(folder, std::iter::once((LIST, list(prints).as_bytes())))
}

fn remembered(folder: &Path) -> HashMap<String, u64> {
    let list = fs::read_to_string(folder.join(LIST)).unwrap_or_default();
    let files = list.lines().skip(1).filter_map(|line| line.split_once(' '));
    files.filter_map(|(print, name)| Some((name.to_owned(), u64::from_str_radix(print, 16).ok()?))).collect()
}

/// FNV-1a (Fowler, Noll and Vo), 64 bits: sufficient to detect changes, on every machine.
fn fingerprint(bytes: &[u8]) -> u64 {
    bytes.iter().fold(0xcbf2_9ce4_8422_2325, |hash, byte| (hash ^ u64::from(*byte)).wrapping_mul(0x100_0000_01b3))
}
