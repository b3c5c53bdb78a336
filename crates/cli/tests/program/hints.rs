//! Each hint has a command that runs, and a fix that improves rows and harms none.

use crate::yard::{Yard, words};

/// The commands after the hints of a run, one per line.
fn commands(said: &str) -> Vec<String> {
    said.lines().filter_map(|line| line.strip_prefix("      keen-notch ")).map(str::to_owned).collect()
}

fn demo() -> Yard {
    let yard = Yard::new();
    assert_eq!(yard.run(&["demo", "--dir", "."]).status, 0);
    yard
}

/// Runs on the demo's data and other data, which give hints.
fn runs(yard: &Yard) -> Vec<String> {
    yard.write("odd, names.csv", {
        let codes = (0..60).map(|n| format!("GRP-{n:05}-S{},{}.{}0,5;0{n:04};03.11.{:02}\n", n % 7, n, n % 10, 20 + n % 8));
        let odd = "GRP-0O041-S1,1.000,5;00412;03.11.21\nHNG–00041–S2,7,25;00413;03.11.22\nHNG0041BS3,8,25;414;03.11.23\ngrp-00042-S1 ,n/a;00415;03.11.66\n";
        format!("code of part;amount;number;day\n{}{odd}", codes.map(|line| line.replacen(',', ";", 1)).collect::<String>())
            .replace("S1,", "S1;").replace("S2,", "S2;").replace("S3,", "S3;").replace("S1 ,", "S1 ;")
    });
    yard.write("list.cutlist.toml", "column = 'code of part'\n[reading]\ndelimiter = ';'\n[piece.\"the no\"]\ntake = 'section 2 by \"-\"'\n[piece.head]\ntake = 'before \"GRP-\" or after \"GRP-\"'\n");
    yard.write(
        "one.csv",
        (1..=60).map(|n| format!("ABC-{n:04}\n")).collect::<String>().replacen("ABC-0001", "code", 1) + "A-1\n",
    );
    let odd = "carve 'odd, names.csv' -o out.csv";
    [
        "carve parts.csv -c part_code -p 'family: first 3' -p 'serial: section 2 by \"-\"' -p 'grade: last 4' -o out.csv",
        "check parts.csv -l parts.cutlist.toml",
        "check one.csv --layout 'code: <family 3 uppercase>-<serial 4 digits>'",
        "carve crew.csv -l crew.cutlist.toml -o out.csv",
        "carve references.csv -l references.cutlist.toml -o out.csv",
        "carve references.csv -l figures.cutlist.toml -o out.csv",
        "carve references.csv -c reference -p 'order: after \"WO:\" then number' -p 'size: number last' -o out.csv",
        &format!("{odd} -l list.cutlist.toml -c 'code of part' -p 'end: last 2'"),
        &format!("{odd} --delimiter ';' -p 'sum of amount: plain number' -p 'euros of amount: number' -p 'day of day: date \"%d.%m.%y\"'"),
        &format!("{odd} --delimiter ';' -p 'no of number: whole'"),
    ]
    .map(str::to_owned)
    .to_vec()
}

fn said(yard: &Yard, line: &str) -> String {
    let ran = yard.paste(line);
    format!("{}{}", ran.stdout, ran.stderr)
}

#[test]
fn every_hint_is_a_command_that_runs_when_it_is_pasted() {
    let yard = demo();
    let mut count = 0;
    for run in runs(&yard) {
        for command in commands(&said(&yard, &run)) {
            let given = words(&command);
            let pasted = yard.paste(&command);
            assert_eq!(pasted.status, 0, "{command}\n{}", pasted.shown());
            let row = given.iter().position(|word| word == "--row").map(|at| &given[at + 1]).unwrap();
            assert!(pasted.stdout.starts_with(&format!("row {row}, ")), "{command}\n{}", pasted.shown());
            count += 1;
        }
    }
    assert!(count >= 15, "{count} commands");
}

/// A fix changes only rows with a missing result or a look-alike. Every changed row then has a result that matches the width or the kinds
/// of characters in the unchanged rows.
#[test]
fn every_fix_brings_rows_in_line_and_none_out() {
    let yard = demo();
    let mut fixes = 0;
    for run in runs(&yard) {
        for command in commands(&said(&yard, &run)) {
            let given = words(&command);
            let Some(fix) = given.iter().position(|word| word == "-p").map(|at| given[at + 1].clone()) else { continue };
            // A row to look at is explained with the same phrase.
            if given.iter().any(|word| word == "-l" || word == "-c") {
                continue;
            }
            let (declared, _) = fix.split_once(": ").unwrap();
            let name = declared.split(" of ").next().unwrap().trim_matches('"');
            let options: Vec<&str> = match given.iter().position(|word| word == "--delimiter") {
                Some(at) => vec!["--delimiter", &given[at + 1]],
                None => Vec::new(),
            };
            let fixed = yard.out(&[&["carve", &given[1], "-q", "--only-pieces", "-p", &fix][..], &options].concat());
            let mut as_before = words(&run);
            if as_before[0] == "carve" {
                as_before.push("--only-pieces".to_owned());
            }
            let before = yard.read_or(&yard.run(&as_before.iter().map(String::as_str).collect::<Vec<_>>()), "out.csv");
            if before.is_empty() {
                continue;
            }
            let delimiter = options.get(1).copied().unwrap_or(",").chars().next().unwrap();
            let column = before.lines().next().unwrap().split(delimiter).position(|title| title.trim_matches('"') == name);
            let Some(column) = column else { continue };
            let old: Vec<&str> = before.lines().skip(1).map(|line| line.split(delimiter).nth(column).unwrap_or("")).collect();
            let new: Vec<&str> = fixed.lines().skip(1).map(|line| line.trim_matches('"')).collect();
            assert_eq!(old.len(), new.len(), "{command}");
            let changed: Vec<(&&str, &&str)> = old.iter().zip(&new).filter(|(old, new)| old != new).collect();
            let kinds = |text: &str| (text.contains(|c: char| c.is_ascii_digit()), text.contains(char::is_alphabetic));
            let kept: Vec<_> = old.iter().zip(&new).filter(|(old, new)| old == new).map(|(old, _)| kinds(old)).collect();
            assert!(!changed.is_empty(), "{command} changes nothing");
            for (old, new) in changed {
                assert!(!new.is_empty(), "{command}: {old} is lost");
                let is_date = new.len() == 10 && old.len() == 10 && old.get(4..5) == Some("-");
                assert!(is_date || kept.contains(&kinds(new)) || kept.is_empty(), "{command}: {old} → {new}");
            }
            fixes += 1;
        }
    }
    assert!(fixes >= 6, "{fixes} fixes");
}
