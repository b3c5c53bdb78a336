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
