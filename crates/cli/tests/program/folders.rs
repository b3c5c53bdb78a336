//! Folders, patterns and files of names as inputs.

use std::fs;

use super::yard::Yard;

fn yard() -> Yard {
    let yard = Yard::new();
    for folder in ["day/2025-11-01", "day/2025-11-02", "day/.hidden", "mixed", "none", "logs"] {
        fs::create_dir_all(yard.path().join(folder)).unwrap();
    }
    yard.write("day/2025-11-01/a.csv", "code\nGRP-1\n");
    yard.write("day/2025-11-01/_SUCCESS", "");
    yard.write("day/2025-11-02/a.csv", "code\nGRP-2\n");
    yard.write("day/.hidden/a.csv", "code\nGRP-9\n");
    yard.write("day/notes.md", "# Notes\n");
    yard.write("mixed/a.csv", "code\nGRP-3\n");
    yard.write("mixed/b.tsv", "code\nGRP-4\n");
    yard.write("logs/a.log", "code\nGRP-5\n");
    yard
}

#[test]
fn a_folder_a_pattern_and_a_file_of_names_stand_for_files() {
    let yard = yard();
    let carve = |words: &[&str]| {
        let ran = yard.run(&[&["carve"], words, &["-c", "code", "-p", "no: last 1", "--file-column", "from", "-q"]].concat());
        assert_eq!(ran.status, 0, "{}", ran.shown());
        ran
    };
    let both = "code,no,from\nGRP-1,1,day/2025-11-01/a.csv\nGRP-2,2,day/2025-11-02/a.csv\n";
    let ran = carve(&["day"]);
    let rows =
        |out: &str| -> Vec<String> { out.lines().map(|line| line.split([',', '\t']).next().unwrap().to_owned()).collect() };
    assert_eq!((rows(&ran.stdout), ran.stderr.as_str()), (rows(both), "day: 1 file with other endings left out\n"));
    assert_eq!(rows(&carve(&["day/*/a.csv"]).stdout), ["code", "GRP-1", "GRP-2"]);
    assert_eq!(rows(&carve(&["day/**/a.csv"]).stdout).len(), 3);
    // A file with the characters of a pattern in its name is that file.
    yard.write("a[1].csv", "code\nGRP-6\n");
    assert_eq!(rows(&carve(&["a[1].csv"]).stdout), ["code", "GRP-6"]);
    yard.write("names.txt", "mixed/a.csv\n\nday/2025-11-02\n");
    assert_eq!(rows(&carve(&["--files-from", "names.txt"]).stdout), ["code", "GRP-3", "GRP-2"]);
    let piped = yard.run_on("mixed/a.csv\n", &["survey", "--files-from", "-", "-c", "code"]);
    assert!(piped.stdout.starts_with("code of mixed/a.csv"), "{}", piped.shown());
    // A named format chooses the files; without such endings, all are read as it.
    assert_eq!(rows(&carve(&["mixed", "--from", "tsv"]).stdout), ["code", "GRP-4"]);
    assert_eq!(rows(&carve(&["logs", "--from", "csv"]).stdout), ["code", "GRP-5"]);
}

#[test]
fn folders_without_a_table_are_refused_with_their_endings() {
    let yard = yard();
    let cases = ["mixed", "none", "logs", "day/*.parquet", "day/[", "gone"].map(|path| {
        let ran = yard.run(&["survey", path]);
        assert!(ran.status > 1 && ran.stdout.is_empty(), "{}", ran.shown());
        ran.stderr
    });
    insta::assert_snapshot!(cases.join("\n"));
    yard.write("empty.txt", "\n");
    assert_eq!(
        yard.run(&["survey", "--files-from", "empty.txt"]).stderr,
        "error: empty.txt names no file\nhelp: write a name on each line\n"
    );
}

/// Files in folders such as `depot=North`, in a format, and the same rows in one delimited file.
fn partitioned(ending: &str) -> Yard {
    let yard = Yard::new();
    let (mut names, mut all) = (Vec::new(), "part_code,note,depot,day\n".to_owned());
    for (depot, day) in [("East", "2025-11-01"), ("East", "2025-11-02"), ("a%2Cb", "2025-11-01")] {
        let folder = format!("parts/depot={depot}/day={day}");
        fs::create_dir_all(yard.path().join(&folder)).unwrap();
        let rows = ["GRP-1,spare", "HNG-22,"].map(|row| format!("{row} {day}"));
        yard.write("rows.csv", format!("part_code,note\n{}\n", rows.join("\n")));
        let name = format!("{folder}/rows.{ending}");
        let ran = yard.run(&["carve", "rows.csv", "-o", &name, "-q"]);
        assert_eq!(ran.status, 0, "{}", ran.shown());
        names.push(name);
        let depot = if depot.contains('%') { "\"a,b\"" } else { depot };
        all += &rows.map(|row| format!("{row},{depot},{day}\n")).concat();
    }
    yard.write("all.csv", &all);
    yard
}

#[test]
fn folders_with_names_and_values_are_columns_in_every_format() {
    for ending in ["csv", "tsv", "jsonl", "json", "parquet", "arrow", "xlsx"] {
        let yard = partitioned(ending);
        let list =
            "[reading]\npartitions = true\n[piece.depot]\ntake = 'whole then upper'\nreplace = true\ncheck = 'letters'\n";
        yard.write("depots.cutlist.toml", list);
        for words in [
            &["-c", "part_code", "-p", "no: last 1", "-p", "month from day: chars 6 to 7"][..],
            &["-c", "day", "-p", "month: chars 6 to 7", "--columns", "day, code=part_code, place=depot"],
            &["--keep", "depot: one of \"a,b\"", "--without", "note"],
            &["-c", "note", "-p", "year: run 2 of digits", "--faults-column", "wrong", "--check", "year: required"],
            &["-l", "depots.cutlist.toml", "-c", "depot", "--offcuts", "off.csv"],
        ] {
            let carve = |from: &[&str]| {
                let ran = yard.run_on(yard.read("all.csv"), &[&["carve"], from, &["--to", "csv", "-q"], words].concat());
                assert_eq!(ran.status, 0, "{ending}: {}", ran.shown());
                // Offcuts say which file each row is from.
                let off = if words.contains(&"--offcuts") { yard.read("off.csv") } else { String::new() };
                let off = off.lines().map(|line| line.split(',').take(5).collect::<Vec<_>>().join(",") + "\n");
                (ran.stdout, off.collect::<String>())
            };
            // A list with `partitions` also reads a stream that has the columns already.
            let (from, whole) = match words.contains(&"-l") {
                true => (&["parts"][..], "-"),
                false => (&["parts", "--partitions"][..], "all.csv"),
            };
            assert_eq!(carve(from), carve(&[whole]), "{ending}, {words:?}");
        }
    }
}

#[test]
fn columns_of_folders_are_texts_and_parts_join() {
    let yard = partitioned("csv");
    let to = |name: &str| {
        let ran = yard.run(&["carve", "parts", "--partitions", "-c", "day", "-p", "year: first 4", "-o", name, "-q"]);
        assert_eq!(ran.status, 0, "{}", ran.shown());
    };
    to("cut.jsonl");
    let first = r#"{"part_code":"GRP-1","note":"spare 2025-11-01","depot":"East","day":"2025-11-01","year":"2025"}"#;
    assert_eq!(yard.read("cut.jsonl").lines().next(), Some(first));
    to("cut.csv");
    let joined: String = ["1/2", "2/2"]
        .map(|part| {
            let ran = yard.run(&["carve", "parts", "--partitions", "-c", "day", "-p", "year: first 4", "--part", part, "-q"]);
            ran.stdout
        })
        .concat();
    assert_eq!(joined, yard.read("cut.csv"));
    let widths = "part_code 1 to 6, note 8 to 24, depot 26 to 28, day 30 to 39, year 41 to 44";
    let fixed = |widths: &str| {
        let rows = ["carve", "parts", "--partitions", "-c", "day", "-p", "year: first 4", "-q"];
        yard.run(&[&rows[..], &["--to", "fwf", "--out-widths", widths]].concat())
    };
    let narrow = fixed(widths);
    assert!(narrow.status == 2 && narrow.stderr.contains("the name of a folder is wider than its place"), "{}", narrow.shown());
    let ran = fixed(&widths.replace("28", "29"));
    assert!(ran.stdout.contains("GRP-1  spare 2025-11-01  East2025-11-01 2025\n"), "{}", ran.shown());
    let survey = yard.run(&["survey", "parts", "--partitions", "-c", "depot"]);
    assert!(survey.stdout.contains("a,b") && survey.status == 0, "{}", survey.shown());
}

#[test]
fn files_without_the_same_folders_are_refused() {
    let yard = Yard::new();
    for folder in ["a/depot=East", "a/day=1", "b/depot=East", "b/other", "c/code=x", "d/depot=East/depot=West"] {
        fs::create_dir_all(yard.path().join(folder)).unwrap();
        yard.write(&format!("{folder}/rows.csv"), "code\nGRP-1\n");
    }
    let refused = ["a", "b", "c", "d"].map(|folder| {
        let ran = yard.run(&["survey", folder, "--partitions"]);
        assert!(ran.status == 3 && ran.stdout.is_empty(), "{}", ran.shown());
        ran.stderr
    });
    let piped = yard.run_on("code\nGRP-1\n", &["survey", "--partitions"]).stderr;
    insta::assert_snapshot!(refused.join("\n") + "\n" + &piped);
}
