//! Outputs after a run, and after an interrupted run.

use std::io::Write;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use insta::assert_snapshot;

use crate::yard::{Yard, ignores};

const PARTS: &str = "part_code;site\nGRP-1;\"East\"\nHNG-22;West, far\n";
const CARVE: [&str; 4] = ["-c", "part_code", "-p", "no: after \"-\""];

#[test]
fn one_output_may_be_standard_output() {
    let yard = Yard::with("parts.csv", PARTS);
    yard.write("list.cutlist.toml", "column = 'part_code'\n[piece.no]\ntake = 'after \"-\"'\ncheck = 'length 1'\n");
    let carve = |words: &[&str]| yard.run(&[&["carve", "parts.csv", "-q", "-l", "list.cutlist.toml"], words].concat());
    assert_eq!(carve(&["-o", "-"]).stdout, "part_code;site;no\nGRP-1;\"East\";1\nHNG-22;West, far;22\n");
    let faults = carve(&["-o", "out.csv", "--faults", "-"]).stdout;
    assert!(faults.contains("too-long"), "{faults}");
    assert!(carve(&["-o", "out.csv", "--summary", "-"]).stdout.contains("\"written\": 2"));
    assert!(carve(&["-o", "out.csv", "--offcuts", "-"]).stdout.starts_with("part_code;site;why\nHNG-22"));
    let checked = yard.run(&["check", "parts.csv", "-l", "list.cutlist.toml", "--faults", "-"]);
    assert!(checked.stdout.contains("too-long") && checked.stderr.contains("1 of 2 rows with faults"), "{}", checked.shown());
    for words in [&["--faults", "-"][..], &["-o", "-", "--faults", "-"], &["-o", "x.csv", "--faults", "x.csv"]] {
        let refused = carve(words);
        assert_eq!(refused.status, 2, "{}", refused.shown());
    }
    assert!(!yard.names().iter().any(|name| name == "-"), "{:?}", yard.names());
}

#[test]
fn a_strict_run_counts_only_existing_outputs() {
    let yard = Yard::with("parts.csv", PARTS);
    yard.write("list.cutlist.toml", "column = 'part_code'\n[piece.no]\ntake = 'after \"-\"'\ncheck = 'length 1'\n");
    let ran = yard.run(&["carve", "parts.csv", "-l", "list.cutlist.toml", "--strict", "-o", "out.csv", "--summary", "s.json"]);
    assert_snapshot!(ran.shown());
    assert!(yard.read("s.json").contains("\"written\": 0"));
    assert!(!yard.names().contains(&"out.csv".to_owned()));
}

#[test]
fn the_name_of_an_output_sets_its_format() {
    let yard = Yard::with("parts.csv", "part_code,site\nGRP-1,\"a\tb\"\nHNG-22,c\td\n\"x,y\",\"q\"\"r\"\n");
    let carve = |out: &str| yard.run(&[&["carve", "parts.csv", "-q", "-o", out][..], &CARVE].concat());
    assert_eq!(carve("out.tsv").status, 0);
    assert_eq!(yard.read("out.tsv"), "part_code\tsite\tno\nGRP-1\t\"a\tb\"\t1\nHNG-22\t\"c\td\"\t22\n\"x,y\"\t\"q\"\"r\"\t\n");
    let back = yard.run(&["carve", "out.tsv", "-q", "-o", "back.csv", "-c", "no", "-p", "x: suffix \",\""]);
    assert_eq!((back.status, back.stderr.as_str()), (0, ""));
    assert_eq!(
        yard.read("back.csv"),
        "part_code,site,no,x\nGRP-1,\"a\tb\",1,\"1,\"\nHNG-22,\"c\td\",22,\"22,\"\n\"x,y\",\"q\"\"r\",,\n"
    );
    assert_eq!(carve("out.txt").status, 0);
    assert!(yard.read("out.txt").starts_with("part_code,site,no\nGRP-1,\"a\tb\",1\n"));
    assert_snapshot!(carve("rows.html").shown());
    assert_eq!(yard.names(), ["back.csv", "out.tsv", "out.txt", "parts.csv"]);
}

#[test]
fn rows_of_several_inputs_are_named_by_their_own() {
    let yard = Yard::new();
    yard.write("a.csv", "code,site\nGRP-1,East\nGRP-22,West\n");
    yard.write("b, new.csv", "code,site\nHNG-1,East\nGRP-1,West\nHNG-5,East\n");
    yard.write("list.cutlist.toml", "column = 'code'\n[piece.no]\ntake = 'after \"-\"'\ncheck = ['unique', 'length 1']\n");
    let all = |words: &[&str]| yard.run(&[words, &["a.csv", "b, new.csv", "-l", "list.cutlist.toml"]].concat());
    assert_snapshot!(all(&["check", "--rows", "3", "--summary", "s.json", "--faults", "f.csv"]).shown());
    assert_snapshot!(yard.read("f.csv"));
    assert!(yard.read("s.json").replace(char::is_whitespace, "").contains(r#"{"file":"b,new.csv","row":1}"#));
    for threads in ["1", "2"] {
        let carved = all(&["carve", "-q", "--threads", threads, "--file-column", "from", "--offcuts", "aside.csv", "-o", "-"]);
        assert_eq!(carved.stdout, "code,site,from,no\nGRP-1,East,a.csv,1\nHNG-5,East,\"b, new.csv\",5\n", "{}", carved.shown());
        assert_snapshot!("rows set aside of several inputs", yard.read("aside.csv"));
    }
    let only = all(&["carve", "-q", "--file-column", "from", "--columns", "site", "-o", "-"]);
    assert!(only.stdout.starts_with("site,from,no\nEast,a.csv,1\n"), "{}", only.shown());
    assert_eq!(all(&["carve", "--file-column", "site"]).status, 2);
}

#[test]
fn files_of_a_run_can_have_different_delimiters() {
    let yard = Yard::new();
    yard.write("a.csv", "code,note\nGRP-1,\"x, y\"\nHNG-2,\"tab\there\"\n");
    yard.write("b.tsv", "code\tnote\n\nTWR-3\tx, y\nTWR-4\t\"a \"\"b\"\"\"\nTWR-5\ta\tb,c");
    yard.write("c.txt", "sep=;\r\ncode;note\r\nSTA-6;1,5\r\n");
    let words = ["-c", "code", "-p", "n: after \"-\"", "-p", "m of note: trim", "--ragged", "keep", "-q"];
    let carved = |files: &[&str], more: &[&str]| yard.out(&[&["carve"], files, &words[..], more].concat());
    assert_eq!(
        carved(&["a.csv", "b.tsv", "c.txt"], &[]),
        "code,note,n,m\nGRP-1,\"x, y\",1,\"x, y\"\nHNG-2,\"tab\there\",2,tab\there\nTWR-3,\"x, y\",3,\"x, y\"\n\
         TWR-4,\"a \"\"b\"\"\",4,\"a \"\"b\"\"\"\nTWR-5,a,5,a,\"b,c\"\nSTA-6,\"1,5\",6,\"1,5\"\r\n"
    );
    assert_eq!(
        carved(&["b.tsv", "a.csv"], &["--columns", "note"]),
        "note\tn\tm\nx, y\t3\tx, y\n\"a \"\"b\"\"\"\t4\t\"a \"\"b\"\"\"\na\t5\ta\n\"x, y\"\t1\tx, y\n\"tab\there\"\t2\t\"tab\there\"\n"
    );
    // Offcuts keep the first delimiter as well. `--delimiter` applies to every input.
    let strict = ["--check", "code: starts with \"GRP\"", "--offcuts", "off.csv", "-o", "cut.csv"];
    yard.run(&[&["carve", "a.csv", "b.tsv"], &words[..], &strict].concat());
    assert_eq!(
        yard.read("off.csv"),
        "code,note,why\nHNG-2,\"tab\there\",\"a.csv, line 3: code: it does not start with “GRP”\"\n\
         TWR-3,\"x, y\",\"b.tsv, line 3: code: it does not start with “GRP”\"\n\
         TWR-4,\"a \"\"b\"\"\",\"b.tsv, line 4: code: it does not start with “GRP”\"\n\
         TWR-5,a,\"b,c\",\"b.tsv, line 5: code: it does not start with “GRP”; rows: it has 3 cells, not 2\"\n"
    );
    let given = yard.run(&["carve", "a.csv", "b.tsv", "--delimiter", ",", "-c", "code", "-p", "n: after \"-\""]).stderr;
    assert!(given.starts_with("error: b.tsv and a.csv have different columns: "), "{given}");
}

#[test]
fn a_guessed_delimiter_is_reported() {
    let yard = Yard::with("parts.csv", PARTS);
    assert_snapshot!(yard.run(&[&["carve", "parts.csv"][..], &CARVE].concat()).shown());
    let said = yard.run(&["survey", "parts.csv", "--delimiter", ";"]);
    assert_eq!(said.stderr, "");
    let ran = yard.run_on("a|b\n1|2\n", &["carve", "-q", "-c", "b", "-p", "c: whole"]);
    assert_eq!((ran.stdout.as_str(), ran.stderr.as_str()), ("a|b|c\n1|2|2\n", ""));
}

#[test]
fn an_interrupted_run_leaves_no_files() {
    for (signal, number) in [("INT", 2), ("TERM", 15), ("HUP", 1)] {
        if ignores(number) {
            continue;
        }
        let yard = Yard::new();
        let mut child = Command::new(assert_cmd::cargo::cargo_bin("keen-notch"))
            .current_dir(yard.path())
            .args(["carve", "-", "-p", "a: first 1", "-o", "out.csv", "--summary", "s.json", "--faults", "f.csv"])
            .stdin(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        // The input never ends, and neither does the run.
        let mut rows = child.stdin.take().unwrap();
        rows.write_all(b"code\nGRP-1\n").unwrap();
        let begun = Instant::now();
        while yard.names().len() < 3 && begun.elapsed() < Duration::from_secs(20) {
            std::thread::sleep(Duration::from_millis(20));
        }
        assert_eq!(yard.names().len(), 3, "three outputs are being written: {:?}", yard.names());
        assert!(Command::new("kill").args([&format!("-{signal}"), &child.id().to_string()]).status().unwrap().success());
        let status = child.wait().unwrap();
        assert_eq!(std::os::unix::process::ExitStatusExt::signal(&status), Some(number as i32), "{signal}");
        assert_eq!(yard.names(), Vec::<String>::new(), "{signal}");
    }
}

#[test]
fn delimited_text_is_written_as_it_is_asked_for() {
    let yard = Yard::with("parts.csv", "part_code,site\nGRP-1,\"a;b\"\nHNG-2,\n");
    let words =
        ["carve", "parts.csv", "-q", "-c", "part_code", "-p", "no: after \"-\"", "-p", "x: whole then suffix \"\\\";\""];
    let out = |more: &[&str]| yard.out(&[&words[..], more].concat());
    for (more, written) in [
        (&["--out-delimiter", ";"][..], "part_code;site;no;x\nGRP-1;\"a;b\";1;\"GRP-1\"\";\"\nHNG-2;;2;\"HNG-2\"\";\"\n"),
        (
            &["--out-delimiter", "tab", "--to", "psv"],
            "part_code\tsite\tno\tx\nGRP-1\t\"a;b\"\t1\t\"GRP-1\"\";\"\nHNG-2\t\t2\t\"HNG-2\"\";\"\n",
        ),
        (&["--out-header", "no"], "GRP-1,\"a;b\",1,\"GRP-1\"\";\"\nHNG-2,,2,\"HNG-2\"\";\"\n"),
        (&["--out-bom"], "\u{feff}part_code,site,no,x\nGRP-1,\"a;b\",1,\"GRP-1\"\";\"\nHNG-2,,2,\"HNG-2\"\";\"\n"),
        (
            &["--quote-all"],
            "\"part_code\",\"site\",\"no\",\"x\"\n\"GRP-1\",\"a;b\",\"1\",\"GRP-1\"\";\"\n\"HNG-2\",\"\",\"2\",\"HNG-2\"\";\"\n",
        ),
        (&["--quote-all", "--only-pieces", "--out-header", "no"], "\"1\",\"GRP-1\"\";\"\n\"2\",\"HNG-2\"\";\"\n"),
    ] {
        assert_eq!(out(more), written, "{more:?}");
    }
    yard.write("bare.csv", "GRP-1,East\n");
    let bare = ["carve", "bare.csv", "--no-header", "-q", "-c", "#1", "-p", "no: after \"-\"", "--out-header", "yes"];
    assert_eq!(yard.out(&bare), "#1,#2,no\nGRP-1,East,1\n");
    // Objects that become delimited text accept the same options.
    yard.write("parts.jsonl", "{\"part_code\":\"GRP-1\"}\n");
    let objects = ["carve", "parts.jsonl", "-q", "-c", "part_code", "-p", "no: after \"-\"", "--to", "tsv", "--quote-all"];
    assert_eq!(yard.out(&objects), "\"part_code\"\t\"no\"\n\"GRP-1\"\t\"1\"\n");
    // Options without effect, or invalid ones, are errors.
    let refused = [
        yard.run(&[&words[..], &["--quote-all", "-o", "out.jsonl"]].concat()),
        yard.run(&[&words[..], &["--out-delimiter", ";;"]].concat()),
        yard.run(&["survey", "parts.jsonl", "--delimiter", ";"]),
        yard.run(&["carve", "parts.jsonl", "-q", "-c", "part_code", "-p", "no: after \"-\"", "--out-bom"]),
    ];
    assert_snapshot!(refused.iter().map(|ran| ran.shown()).collect::<Vec<_>>().join("\n"));
}

#[test]
fn new_cells_are_quoted_like_the_others() {
    let yard = Yard::with("all.csv", "\"part_code\",\"site\"\r\n\"GRP-1\",\"East\"\r\n\"HNG\",\"\"\r\n");
    let words = ["-q", "-c", "part_code", "-p", "no: after \"-\""];
    assert_eq!(
        yard.out(&[&["carve", "all.csv"], &words[..]].concat()),
        "\"part_code\",\"site\",\"no\"\r\n\"GRP-1\",\"East\",\"1\"\r\n\"HNG\",\"\",\"\"\r\n"
    );
    // A single column, also with blanks; and tables with some unquoted cells.
    assert_eq!(yard.out(&[&["carve", "all.csv", "--only-pieces"], &words[..]].concat()), "\"no\"\r\n\"1\"\r\n\"\"\r\n");
    yard.write("some.csv", "\"part_code\",\"site\"\n\"GRP-1\",7\n");
    assert_eq!(yard.out(&[&["carve", "some.csv"], &words[..]].concat()), "\"part_code\",\"site\",no\n\"GRP-1\",7,1\n");
}

#[test]
fn a_column_lists_the_faults_of_each_row() {
    let yard = Yard::new();
    yard.write("a.csv", "code,site\nGRP-1,East\nGRP-22-3,\"W \"\"x\"\"\"\nX,\nGRP-4,N,more\n");
    let list = "column = 'code'\n[reading]\nragged = 'keep'\n[piece.no]\ntake = 'runs of digits'\nrows = true\n\
                check = ['length 1', 'unique']\nwarn = ['range 1 to 3']\n";
    yard.write("list.cutlist.toml", list);
    let carve = |words: &[&str]| {
        let run = yard.run(&[&["carve", "a.csv", "-q", "-l", "list.cutlist.toml", "--faults-column", "wrong"], words].concat());
        assert_eq!(run.status, 0, "{}", run.shown());
        run.stdout
    };
    assert_snapshot!(carve(&["--to", "csv", "-o", "-"]));
    let lines = carve(&["--to", "jsonl", "-o", "-"]);
    assert_snapshot!(lines);
    // Nested types hold the same, and convert back to the same JSON.
    for format in ["parquet", "arrow"] {
        let name = format!("wrong.{format}");
        carve(&["-o", &name]);
        let again = yard.run(&[
            "carve",
            &name,
            "-q",
            "-c",
            "site",
            "-p",
            "x: first 1",
            "--without",
            "code",
            "--to",
            "jsonl",
            "-o",
            "-",
        ]);
        let wrong = |lines: &str| -> Vec<serde_json::Value> {
            let line = |line: &str| serde_json::from_str::<serde_json::Value>(line).unwrap()["wrong"].clone();
            lines.lines().map(line).collect()
        };
        assert_eq!(wrong(&again.stdout), wrong(&lines), "{}", again.shown());
    }
    // Rows set aside are not in the output.
    let kept = carve(&["--offcuts", "aside.csv", "-o", "-"]);
    assert_eq!(kept, "code,site,no,wrong\nGRP-1,East,1,\n");
    let refused =
        |words: &[&str]| assert_snapshot!(yard.run(&[&["carve", "a.csv", "-l", "list.cutlist.toml"], words].concat()).shown());
    refused(&["--faults-column", "site", "-o", "-"]);
    refused(&["--faults-column", "wrong", "--to", "fwf", "-o", "-"]);
}

#[test]
fn rows_can_be_compared_by_another_program() {
    let yard = Yard::new();
    yard.write("a.csv", "code,site\nGRP-1,East\nGRP-2-2,\nX,East\nHNG-1,East\n");
    let list =
        "column = 'code'\n[piece.no]\ntake = 'runs of digits'\nrows = true\ncheck = ['length 1', 'unique']\noptional = true\n";
    yard.write("list.cutlist.toml", format!("{list}[rows]\nunique = ['site']\n"));
    let carve = |words: &[&str]| {
        let run = yard.run(&[&["carve", "a.csv", "-q", "-l", "list.cutlist.toml", "--compare-column", "by"], words].concat());
        assert_eq!(run.status, 0, "{}", run.shown());
        run.stdout
    };
    let lines = carve(&["--to", "jsonl", "-o", "-", "--summary", "s.json", "--strict"]);
    assert_snapshot!(lines);
    let summary = yard.read("s.json");
    assert_eq!(summary.matches("\"elsewhere\": true").count(), 2, "{summary}");
    // The other formats have the same hashes: as text, and in Parquet lists as binary, which are read as text.
    let cells = carve(&["--to", "csv", "-o", "-"]);
    let hashes = |text: &str| {
        let words = text.split(|c: char| !c.is_ascii_hexdigit()).filter(|word| word.len() == 32);
        words.map(str::to_owned).collect::<Vec<_>>()
    };
    assert_eq!((hashes(&cells).len(), hashes(&cells)), (9, hashes(&lines)));
    carve(&["-o", "by.parquet"]);
    let again = yard.run(&[
        "carve",
        "by.parquet",
        "-q",
        "-c",
        "code",
        "-p",
        "x: first 1",
        "--without",
        "by",
        "--to",
        "jsonl",
        "-o",
        "-",
    ]);
    assert_eq!(again.stdout.lines().count(), 5, "{}", again.shown());
    for keep in ["unique", "not unique"] {
        yard.write(
            "keep.cutlist.toml",
            format!("column = 'code'\n[piece.no]\ntake = 'first 3'\n[rows]\nkeep = ['no: {keep}']\n"),
        );
        let refused = yard.run(&["carve", "a.csv", "-l", "keep.cutlist.toml", "--compare-column", "by"]);
        assert!(refused.status == 2 && refused.stderr.contains("depends on other rows"), "{}", refused.shown());
    }
}
