//! `demo`: made-up data of a ropeway, and a short tour on it.

use std::collections::HashMap;
use std::fs;
use std::io::{self, Write};
use std::path::Path;

use clap::Parser;

use crate::args::{Args, DemoArgs};
use crate::console::Console;
use crate::draw::shell;
use crate::draw::style::{self, paint};
use crate::failure::Failure;

/// The data, by file name.
const DATA: [(&str, &str); 7] = [
    ("parts.csv", include_str!("../../demo/parts.csv")),
    ("crew.csv", include_str!("../../demo/crew.csv")),
    ("references.csv", include_str!("../../demo/references.csv")),
    ("parts.cutlist.toml", include_str!("../../demo/parts.cutlist.toml")),
    ("crew.cutlist.toml", include_str!("../../demo/crew.cutlist.toml")),
    ("references.cutlist.toml", include_str!("../../demo/references.cutlist.toml")),
    ("figures.cutlist.toml", include_str!("../../demo/figures.cutlist.toml")),
];

/// What the tour writes.
const OUTPUTS: [&str; 5] = ["crew-cut.csv", "parts-cut.csv", "parts-good.csv", "parts-offcuts.csv", "parts-faults.csv"];

/// The file that remembers what the demo wrote, so that it replaces nothing else.
const LIST: &str = "DEMO.txt";
const LIST_HEAD: &str = "Written by `keen-notch demo`, which replaces these files only while they are as it left them.";

/// One stop of the tour: why, and the words of the command; `DIR` is the demo's folder.
struct Stop {
    why: &'static str,
    words: &'static [&'static str],
}

const TOUR: &[Stop] = &[
    Stop {
        why: "A part code on the ruler: every position from both ends, and what divides it.",
        words: &["gauge", "GRP-00041273-S7K2"],
    },
    Stop {
        why: "The whole column, before any rule is written: its shapes, what divides it, what is at each position.",
        words: &["survey", "DIR/parts.csv", "-c", "part_code"],
    },
    Stop {
        why: "A first cut list for the crew numbers, with the evidence for every line and the rows that break it.",
        words: &["draft", "DIR/crew.csv", "-c", "crew_id"],
    },
    Stop {
        why: "Or show what is wanted, and a phrase is found for it. Row 111 would tell the best two apart.",
        words: &[
            "draft",
            "DIR/references.csv",
            "-c",
            "reference",
            "--want",
            "INSP 2025/11 WO:77120 (Ines Okafor) brake pad 3.25 mm => Okafor",
            "--want",
            "CALL 2024/02 WO:5512 (Zoë Müller) relay 2 mm => Müller",
        ],
    },
    Stop {
        why: "Three pieces of each part code. The summary counts the codes that do not fit.",
        words: &[
            "carve",
            "DIR/parts.csv",
            "-c",
            "part_code",
            "-p",
            "family: first 3",
            "-p",
            r#"serial: section 2 by "-""#,
            "-p",
            "grade: last 4",
        ],
    },
    Stop {
        why: "Row 17 ends in two spaces, so its last four characters are not the grade.",
        words: &["gauge", "HNG-00760251-N9P4  ", "-p", "last 4", "-p", "trim then last 4"],
    },
    Stop {
        why: "A slip is refused before a row is read, with the words at fault and the help.",
        words: &["carve", "DIR/parts.csv", "-c", "part_code", "-p", "family: chars 0 to 3"],
    },
    Stop {
        why: "Pieces that are used again go into a cut list. What this one does, in plain words:",
        words: &["explain", "DIR/crew.cutlist.toml"],
    },
    Stop {
        why: "Crew numbers by section, padded; mailboxes by marker, in lower case.",
        words: &["carve", "DIR/crew.csv", "-l", "DIR/crew.cutlist.toml", "-o", "DIR/crew-cut.csv"],
    },
    Stop {
        why: "Free text: an order number by regular expression, a name between brackets, sizes, all figures in columns.",
        words: &["carve", "DIR/references.csv", "-l", "DIR/references.cutlist.toml", "--only-pieces"],
    },
    Stop {
        why: "What that list does with row 22, step by step.",
        words: &["explain", "DIR/references.cutlist.toml", "DIR/references.csv", "--row", "22"],
    },
    Stop {
        why: "The same figures, a row for each.",
        words: &["carve", "DIR/references.csv", "-l", "DIR/figures.cutlist.toml"],
    },
    Stop {
        why: "Checks: which codes are wrong, where, and what the hints say.",
        words: &["check", "DIR/parts.csv", "-l", "DIR/parts.cutlist.toml", "--rows", "2"],
    },
    Stop {
        why: "A layout is a picture of the whole code; rows that do not fit are set aside, each with its reason.",
        words: &[
            "carve",
            "DIR/parts.csv",
            "--layout",
            "part_code: <family 3 uppercase>-<serial 8 digits>-<grade 4>",
            "-o",
            "DIR/parts-good.csv",
            "--offcuts",
            "DIR/parts-offcuts.csv",
            "--faults",
            "DIR/parts-faults.csv",
        ],
    },
    Stop {
        why: "A whole cut list into a file: all rows, the original columns untouched.",
        words: &["carve", "DIR/parts.csv", "-l", "DIR/parts.cutlist.toml", "-o", "DIR/parts-cut.csv"],
    },
];

/// Runs the command.
pub fn run(args: &DemoArgs, console: &Console) -> Result<(), Failure> {
    write_data(&args.dir)?;
    let folder = args.dir.display().to_string();
    let mut out = anstream::stdout();
    writeln!(out, "The registers of Skarn Ropeway are in {folder}, with cut lists for them. All of it is made up.")?;
    let console = Console { shows_tables: true, notes_in_line: true, ..console.clone() };
    for stop in TOUR {
        let words: Vec<String> = stop.words.iter().map(|word| word.replace("DIR/", &format!("{folder}/"))).collect();
        let command = words.iter().map(|word| shell::quoted(word)).collect::<Vec<_>>().join(" ");
        writeln!(out, "\n{}\n{} keen-notch {command}", paint(style::HEAD, stop.why), paint(style::QUIET, "$"))?;
        let parsed = Args::try_parse_from(std::iter::once("keen-notch".to_owned()).chain(words));
        let parsed = parsed.map_err(|error| Failure::usage(format!("the tour cannot go on: {error}"), "report this"))?;
        // A failure is part of the tour, and so are faults that a check finds.
        if let Err(failure) = super::run(&parsed.command, &console) {
            failure.report(&console);
        }
    }
    remember(&args.dir)?;
    writeln!(
        out,
        "\nNow yours: {} one of your values, then {} its column; {} shows how phrases are written.",
        paint(style::TAKEN, "gauge"),
        paint(style::TAKEN, "carve"),
        paint(style::TAKEN, "phrases")
    )?;
    Ok(())
}

/// Writes the data, unless that would replace what the demo has not written.
fn write_data(folder: &Path) -> Result<(), Failure> {
    let failed = |path: &Path, source: io::Error| {
        Failure::from(keen_notch_io::Error::Write { name: path.display().to_string(), source })
    };
    let known = remembered(folder);
    for name in DATA.iter().map(|(name, _)| *name).chain(OUTPUTS) {
        let path = folder.join(name);
        let own = match fs::read(&path) {
            Ok(bytes) => known.get(name) == Some(&fingerprint(&bytes)),
            Err(error) => error.kind() == io::ErrorKind::NotFound,
        };
        if !own {
            return Err(Failure::file(
                format!("{} is there already, and it is not as the demo left it", path.display()),
                "nothing was written; move the file away, or name another folder: keen-notch demo --dir DIR",
            ));
        }
    }
    fs::create_dir_all(folder).map_err(|error| failed(folder, error))?;
    for (name, text) in DATA {
        let path = folder.join(name);
        fs::write(&path, text).map_err(|error| failed(&path, error))?;
    }
    remember(folder)
}

/// Writes down what each of the demo's files holds now.
fn remember(folder: &Path) -> Result<(), Failure> {
    let mut list = format!("{LIST_HEAD}\n");
    for name in DATA.iter().map(|(name, _)| *name).chain(OUTPUTS) {
        if let Ok(bytes) = fs::read(folder.join(name)) {
            list += &format!("{:016x} {name}\n", fingerprint(&bytes));
        }
    }
    let path = folder.join(LIST);
    fs::write(&path, list).map_err(|source| keen_notch_io::Error::Write { name: path.display().to_string(), source }.into())
}

/// What the demo's files held when it left them, by name.
fn remembered(folder: &Path) -> HashMap<String, u64> {
    let list = fs::read_to_string(folder.join(LIST)).unwrap_or_default();
    let files = list.lines().skip(1).filter_map(|line| line.split_once(' '));
    files.filter_map(|(print, name)| Some((name.to_owned(), u64::from_str_radix(print, 16).ok()?))).collect()
}

/// FNV-1a (Fowler, Noll and Vo), 64 bits: enough to see that a file was changed, the same everywhere.
fn fingerprint(bytes: &[u8]) -> u64 {
    bytes.iter().fold(0xcbf2_9ce4_8422_2325, |hash, byte| (hash ^ u64::from(*byte)).wrapping_mul(0x100_0000_01b3))
}
