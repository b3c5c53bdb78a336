//! `--part` and `merge`: joined parts equal a single run.

use insta::assert_snapshot;

use super::compressed::gzip;
use super::yard::Yard;

const LIST: &str =
    "column = 'code'\n[piece.no]\ntake = 'after \"-\"'\ncheck = ['length 4', 'listed in \"sites.csv\"']\nwarn = ['digits']\n";

/// Rows with faults, line breaks inside, and empty lines between them.
fn rows(count: usize, end: &str) -> String {
    let row = |row: usize| match row % 97 {
        0..60 => format!("GRP-{row},East"),
        60..80 => format!("\"HN\n,G-{row}\",West"),
        80..90 => format!("É-{row},\n"),
        _ => format!("{row},East"),
    };
    let rows: Vec<String> = (0..count).map(row).collect();
    format!("code,site\n{}{end}", rows.join("\n"))
}

fn yard() -> Yard {
    let yard = Yard::new();
    yard.write("list.cutlist.toml", LIST);
    yard.write("sites.csv", format!("no\n{}", (0..9000).map(|no| format!("{no}\n")).collect::<String>()));
    yard
}

/// Carves files in one run and in `of` runs, and compares the outputs byte for byte.
fn compare(yard: &Yard, files: &[&str], of: usize, options: &[&str], ending: &str) {
    let carve = |name: &str, more: &[&str]| {
        let names = [
            ("-o", "out", ending),
            ("--faults", "faults", "csv"),
            ("--offcuts", "aside", ending),
            ("--summary", "sum", "json"),
        ];
        let names = names.map(|(option, what, ending)| (option, format!("{name}-{what}.{ending}")));
        let names = names.iter().flat_map(|(option, file)| [*option, file]).collect::<Vec<_>>();
        let run = yard.run(&[&["carve", "-q", "-l", "list.cutlist.toml"], files, &names, options, more].concat());
        assert_eq!(run.status, 0, "{}", run.shown());
    };
    carve("all", &[]);
    let parts: Vec<String> = (1..=of).map(|part| format!("{part}")).collect();
    parts.iter().for_each(|part| carve(part, &["--part", &format!("{part}/{of}")]));
    for what in [format!("out.{ending}"), "faults.csv".to_owned(), format!("aside.{ending}")] {
        let joined: String = parts.iter().map(|part| yard.read(&format!("{part}-{what}"))).collect();
        assert!(joined == yard.read(&format!("all-{what}")), "{what} of {files:?} in {of} parts");
    }
    let summaries: Vec<String> = parts.iter().rev().map(|part| format!("{part}-sum.json")).collect();
    let names: Vec<&str> = summaries.iter().map(String::as_str).collect();
    let merged = yard.run(&[&["merge", "-q"], &names[..]].concat());
    assert_eq!(merged.stdout, yard.read("all-sum.json"), "{}", merged.shown());
}

#[test]
fn parts_joined_are_the_whole_byte_for_byte() {
    let yard = yard();
    // A file without rows, files without a final line end, and one that cannot be divided.
    yard.write("a.csv", rows(40_000, ""));
    yard.write("b.csv", "code,site");
    yard.write("c.csv", rows(2_000, "\n"));
    yard.write("d.csv", rows(3, ""));
    yard.write("e.csv.gz", gzip(&["-c"], rows(300, "").as_bytes()));
    let all = ["a.csv", "b.csv", "c.csv", "d.csv", "e.csv.gz"];
    for of in [2, 5] {
        compare(&yard, &all, of, &[], "csv");
    }
    // More parts than chunks.
    compare(&yard, &["d.csv", "b.csv"], 9, &["--file-column", "from", "--faults-column", "wrong"], "tsv");
    let lines: String =
        rows(30_000, "").lines().skip(1).map(|line| format!("{{\"code\":\"{}\"}}\n", line.replace('"', ""))).collect();
    yard.write("a.jsonl", lines.trim_end());
    compare(&yard, &["a.jsonl", "a.jsonl"][..1], 4, &[], "jsonl");
    let lines: String = (0..40_000).map(|row| format!("{:<9}E\n", format!("G-{row}"))).collect();
    yard.write("a.fwf", format!("code     S\n{lines}"));
    compare(&yard, &["a.fwf"], 3, &["--widths", "1 to 9, 10 to 10", "--out-widths", "1 to 9, 10 to 10, 12 to 19"], "fwf");
}

/// Each part counts the invalid bytes of its own rows, and lists its own inputs, also those without a byte.
#[test]
fn parts_count_their_own_replaced_bytes_and_list_empty_inputs() {
    let yard = yard();
    let mut bytes = b"code,site\n".to_vec();
    for row in 0..60_000 {
        bytes.extend(format!("GRP-{row}").into_bytes());
        bytes.extend(if row % 3 == 0 { &b"\xFF\xC3,East\n"[..] } else { b",West\n" });
    }
    yard.write("a.csv", &bytes);
    yard.write("b.csv", b"code,site\nHNG-\xFF,East\n");
    for of in [2, 3, 7] {
        compare(&yard, &["a.csv", "b.csv"], of, &["--encoding-errors", "replace"], "csv");
    }
    let summary: serde_json::Value = serde_json::from_str(&yard.read("all-sum.json")).unwrap();
    assert_eq!(summary["replacements"], 40_001);
    // JSON Lines without a line, at each place: the first one has the columns of the others.
    yard.write("none.jsonl", "");
    yard.write("a.jsonl", (0..20_000).map(|row| format!("{{\"code\":\"G-{row}\"}}\n")).collect::<String>());
    for files in [["none.jsonl", "a.jsonl"], ["a.jsonl", "none.jsonl"]] {
        for of in [1, 2, 3] {
            compare(&yard, &files, of, &[], "jsonl");
        }
        let summary: serde_json::Value = serde_json::from_str(&yard.read("all-sum.json")).unwrap();
        assert_eq!(summary["inputs"].as_array().unwrap().len(), 2, "{summary}");
    }
    let ran = yard.run(&["carve", "none.jsonl", "none.jsonl", "-l", "list.cutlist.toml"]);
    assert!(ran.status == 3 && ran.stderr.starts_with("error: none.jsonl is empty"), "{}", ran.stderr);
}

#[test]
fn runs_over_several_files_and_streams_are_merged() {
    let yard = yard();
    for (name, count) in [("a.csv", 50), ("b.csv", 3), ("c.csv", 200)] {
        yard.write(name, rows(count, "\n"));
    }
    let check = |files: &[&str], summary: &str| {
        yard.run(&[&["check", "-q", "-l", "list.cutlist.toml", "--summary", summary], files].concat());
    };
    check(&["a.csv", "b.csv"], "ab.json");
    check(&["c.csv"], "c.json.gz");
    check(&["a.csv", "b.csv", "c.csv"], "abc.json");
    let merged = yard.run(&["merge", "ab.json", "c.json.gz", "-o", "merged.json"]);
    assert_eq!(yard.read("merged.json"), yard.read("abc.json"));
    assert_snapshot!(merged.shown());
    // A pipe continues where the previous one ended.
    let pipe = |text: &str, summary: &str| {
        yard.run_on(text, &["carve", "-q", "-l", "list.cutlist.toml", "--summary", summary]);
    };
    let (whole, head) = (rows(150, "\n"), "code,site\n");
    let at = whole.match_indices('\n').filter(|(at, _)| whole[at + 1..].starts_with("GRP")).nth(70).map_or(0, |(at, _)| at + 1);
    pipe(&whole, "whole.json");
    pipe(&whole[..at], "first.json");
    pipe(&format!("{head}{}", &whole[at..]), "second.json");
    assert_eq!(yard.run(&["merge", "-q", "first.json", "second.json"]).stdout, yard.read("whole.json"));
    // The many faults of one row are written early and still belong to their own file.
    yard.write("long.csv", format!("code,site\nGRP-{},East\n", "x".repeat(900_000)));
    yard.run(&["check", "-q", "a.csv", "long.csv", "-l", "list.cutlist.toml", "--faults", "faults.jsonl"]);
    assert_eq!(yard.read("faults.jsonl").matches(r#"{"file":"long.csv","row":1,"#).count(), 3);
}

#[test]
fn saved_surveys_are_merged() {
    let yard = yard();
    yard.write("a.csv", rows(40_000, ""));
    yard.write("b.csv", rows(500, "\n"));
    let survey = |words: &[&str], saved: &str| {
        let ran = yard.run(&[&["survey", "-q", "--save", saved], words].concat());
        assert_eq!(ran.status, 0, "{}", ran.shown());
        ran
    };
    for options in [&[][..], &["-c", "code"], &["-c", "code", "-p", "no: after \"-\""], &["--with-examples"]] {
        let all = |words: &[&'static str]| [&["a.csv", "b.csv"], words, options].concat();
        survey(&all(&[]), "whole.json");
        for (part, saved) in [("1/3", "1.json"), ("2/3", "2.json"), ("3/3", "3.json")] {
            survey(&all(&["--part", part]), saved);
        }
        let merged = yard.run(&["merge", "-q", "3.json", "1.json", "2.json"]);
        assert!(merged.stdout == yard.read("whole.json"), "{options:?}: {}", merged.stderr);
        let shows_values = yard.read("whole.json").contains("GRP-0");
        assert_eq!(shows_values, options.contains(&"--with-examples"), "{options:?}");
    }
    survey(&["a.csv"], "a.json");
    survey(&["b.csv"], "b.json");
    let shown = yard.run(&["merge", "a.json", "b.json", "-o", "all.json"]);
    assert_snapshot!(shown.shown());
    yard.run(&["check", "-q", "b.csv", "-l", "list.cutlist.toml", "--summary", "s.json"]);
    survey(&["b.csv", "-c", "site"], "site.json");
    survey(&["b.csv", "-c", "code", "-p", "part: first 1"], "piece.json");
    yard.write("broken.json", yard.read("b.json").replace("\"rows\":500,\"blank\"", "\"rows\":5,\"blank\""));
    let pairs = [
        ["a.json", "a.json"],
        ["a.json", "s.json"],
        ["a.json", "site.json"],
        ["site.json", "piece.json"],
        ["a.json", "broken.json"],
    ];
    let refused: Vec<String> = pairs.iter().map(|[one, other]| yard.run(&["merge", one, other]).shown()).collect();
    assert_snapshot!(refused.join("\n"));
    assert_eq!(yard.run(&["survey", "a.csv", "--save", "x.json", "--sample", "5"]).status, 2);
}

#[test]
fn parts_of_different_runs_are_refused() {
    let yard = yard();
    yard.write("a.csv", rows(5, "\n"));
    yard.write("b.csv", rows(4, "\n"));
    let carve = |words: &[&str], summary: &str| {
        let run = yard.run(&[&["carve", "-q", "-o", "-", "--summary", summary], words].concat());
        assert_eq!(run.status, 0, "{}", run.shown());
    };
    let list = ["-l", "list.cutlist.toml"];
    carve(&[&["a.csv"], &list[..]].concat(), "a.json");
    carve(&[&["a.csv", "--part", "2/3"], &list[..]].concat(), "part.json");
    carve(&["b.csv", "-c", "site", "-p", "no: first 1"], "other.json");
    carve(&["b.csv", "-c", "code", "-l", "list.cutlist.toml", "-p", "no2: first 1"], "more.json");
    yard.write("sites.csv", "no\n1\n2\n");
    carve(&[&["b.csv"], &list[..]].concat(), "listed.json");
    yard.write("old.json", "{\"version\": 2}");
    yard.write("new.json", yard.read("a.json").replace("\"program\": \"", "\"program\": \"9."));
    let refused = |words: &[&str]| {
        let run = yard.run(words);
        assert_eq!(run.status, 2);
        run.shown()
    };
    let version = concat!("version ", env!("CARGO_PKG_VERSION"));
    let refusals: Vec<String> = [
        &["a.json", "other.json"][..],
        &["a.json", "more.json"],
        &["a.json", "listed.json"],
        &["a.json", "a.json"],
        &["a.json", "part.json"],
        &["part.json"],
        &["part.json", "part.json"],
        &["a.json", "old.json"],
        &["a.json", "new.json"],
        &["a.json", "a.csv"],
    ]
    .iter()
    .map(|words| {
        refused(&[&["merge"], *words].concat())
            .replace(version, "version V")
            .replace(concat!("9.", env!("CARGO_PKG_VERSION")), "9.V")
    })
    .collect();
    assert_snapshot!(refusals.join("\n"));
    yard.write("auto.cutlist.toml", "[piece.no]\ntake = 'runs of digits'\ncolumns = 'auto'\n");
    let part = ["carve", "a.csv", "-c", "code", "--part", "1/2"];
    let refusals: Vec<String> = [
        &["carve", "-c", "code", "-p", "no: first 1", "--part", "1/2"][..],
        &["carve", "a.csv", "-c", "code", "-p", "no: first 1", "--part", "3/2"],
        &[&part, &["-p", "no: first 1", "--check", "no: unique"][..]].concat(),
        &[&part, &["-l", "auto.cutlist.toml"][..]].concat(),
        &[&part, &["-p", "no: first 1", "--to", "sqlite:yard.db", "--table", "codes", "--replace"][..]].concat(),
    ]
    .iter()
    .map(|words| refused(words))
    .collect();
    assert_snapshot!(refusals.join("\n"));
}

const UNIQUE: &str = "column = 'code'\n[piece.no]\ntake = 'runs of digits'\ncolumns = 3\ncheck = ['unique', 'not one of \"7\"']\n\
    [piece.site]\nof = 'site'\ntake = 'whole'\nreplace = true\nwarn = ['unique', 'length 4']\n[rows]\nunique = ['code', 'site']\n";

/// The duplicates among faults, without what `merge` does not know: the line, the value and the result.
fn duplicates(faults: &str) -> Vec<serde_json::Value> {
    let parsed = |line: &str| -> serde_json::Value { serde_json::from_str(line).unwrap() };
    let mut rows: Vec<serde_json::Value> = faults.lines().map(parsed).filter(|row| row["fault"] == "not-unique").collect();
    for row in rows.iter_mut().filter_map(|row| row.as_object_mut()) {
        ["line", "value", "result"].iter().for_each(|key| drop(row.remove(*key)));
    }
    rows
}

#[test]
fn merge_finds_duplicates_across_parts() {
    let yard = yard();
    yard.write("unique.cutlist.toml", UNIQUE);
    let row = |row: usize| format!("GRP-{}+{},S{}\n", row * row % 3_001, row % 89, row % 500);
    let rows = |range: std::ops::Range<usize>| format!("code,site\n{}", range.map(row).collect::<String>());
    yard.write("a.csv", rows(0..6_000));
    yard.write("b.csv", rows(4_000..5_000));
    yard.write("none.csv", "code,site\n");
    let run = |words: &[&str]| {
        let ran = yard.run(&[words, &["-q"]].concat());
        assert!(ran.status <= 1, "{}", ran.shown());
    };
    let of_rows = ["a.csv", "none.csv", "b.csv", "-l", "unique.cutlist.toml"];
    run(&[&["carve"], &of_rows[..], &["-o", "whole.csv", "--summary", "whole.json", "--faults", "whole-faults.jsonl"]].concat());
    let wanted = duplicates(&yard.read("whole-faults.jsonl"));
    assert!(
        wanted.len() > 3_000 && wanted.iter().any(|row| row["detail"].to_string().contains("of a.csv has it too")),
        "{}",
        wanted.len()
    );
    for (command, of, ending) in [("carve", 1, "json"), ("carve", 4, "json.gz"), ("check", 7, "json")] {
        let mut summaries = Vec::new();
        for part in 1..=of {
            let (part_of, summary) = (format!("{part}/{of}"), format!("{part}-of-{of}.{ending}"));
            let out = format!("{part}-of-{of}.csv");
            let out = if command == "carve" { &["-o", &out][..] } else { &[] };
            run(&[&[command], &of_rows[..], &["--part", &part_of, "--summary", &summary], out].concat());
            summaries.push(summary);
        }
        let summaries: Vec<&str> = summaries.iter().rev().map(String::as_str).collect();
        // With little memory, `merge` uses temporary files.
        run(&[&["merge"], &summaries[..], &["-o", "merged.json", "--faults", "repeats.jsonl", "--memory", "32K"]].concat());
        assert!(yard.read("merged.json") == yard.read("whole.json"), "{command} {of}: {}", yard.read("merged.json"));
        assert!(duplicates(&yard.read("repeats.jsonl")) == wanted, "{command} {of}");
        if command == "carve" {
            let joined: String = (1..=of).map(|part| yard.read(&format!("{part}-of-{of}.csv"))).collect();
            assert!(joined == yard.read("whole.csv"), "{of}");
        }
    }
    let refused = |words: &[&str]| {
        let ran = yard.run(words);
        assert!(ran.status >= 2, "{}", ran.shown());
        ran.stderr
    };
    let part = ["carve", "a.csv", "-l", "unique.cutlist.toml", "--part", "1/2", "-o", "x.csv"];
    yard.write("keep.cutlist.toml", "[piece.no]\nof = 'code'\ntake = 'last 1'\n[rows]\nkeep = ['no: unique']\n");
    let mut refusals: Vec<String> = [
        &[&part[..], &["--summary", "-"]].concat(),
        &[&part[..], &["--summary", "x.json", "--offcuts", "off.csv"]].concat(),
        &[&part[..], &["--summary", "x.json", "--strict"]].concat(),
        &[&part[..], &["--summary", "x.json", "--faults-column", "wrong"]].concat(),
        &["carve", "a.csv", "-l", "keep.cutlist.toml", "--part", "1/2", "--summary", "x.json"].to_vec(),
        &["merge", "whole.json", "--faults", "repeats.jsonl"].to_vec(),
    ]
    .map(|words| refused(words))
    .to_vec();
    let hashes = yard.read("1-of-7.hashes.csv");
    for broken in [hashes.replace(",0,", ",?,"), hashes.lines().next().unwrap().to_owned() + "\n", "code\n".to_owned()] {
        yard.write("1-of-7.hashes.csv", broken);
        let summaries: Vec<String> = (1..=7).map(|part| format!("{part}-of-7.json")).collect();
        refusals.push(refused(&[&["merge"], &summaries.iter().map(String::as_str).collect::<Vec<_>>()[..]].concat()));
    }
    std::fs::remove_file(yard.path().join("1-of-4.hashes.csv.gz")).unwrap();
    refusals.push(refused(&["merge", "1-of-4.json.gz", "2-of-4.json.gz", "3-of-4.json.gz", "4-of-4.json.gz"]));
    assert_snapshot!(refusals.join("\n"));
    // A run over some rows never says that all checks passed.
    yard.write("small.csv", "code,site\nGRP-1,Hall\n");
    let ran = yard.run(&["check", "small.csv", "-l", "unique.cutlist.toml", "--part", "1/1", "--summary", "small.json"]);
    assert!(ran.stdout.contains("must still be compared in all rows") && ran.status == 0, "{}", ran.shown());
    // Nor does a run with other faults, in its table or after it.
    yard.write("small.csv", "code,site\nGRP-7,Hall\n");
    for (command, more) in [("check", &[][..]), ("carve", &["-o", "x.csv"])] {
        let words = [command, "small.csv", "-l", "unique.cutlist.toml", "--part", "1/1", "--summary", "small.json"];
        let shown = yard.run(&[&words[..], more].concat()).shown();
        let about = |words: &str| shown.split_whitespace().collect::<Vec<_>>().join(" ").contains(words);
        assert!(about("1 row with faults") || about("1 of 1 row with faults"), "{shown}");
        assert!(about("must still be compared in all rows"), "{shown}");
        assert!(command == "carve" || about("unique 1 not compared yet"), "{shown}");
    }
}
