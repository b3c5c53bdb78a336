use insta::assert_snapshot;
use proptest::prelude::*;

use crate::yard::Yard;

const LIST: &str = "column = 'part_code'
[layout.part_code]
form = ['<family 3 uppercase>-<serial 8 digits>-<grade 4>']
[piece.site]
of = 'depot'
take = 'whole'
check = ['listed in \"sites.csv\" column \"site\"', 'unique']
warn = ['length 1 to 6']
[proof]
part_code = '{family}-{serial}-{grade}'
";
const TABLE: &str = "part_code,depot
GRP-00041273-S7K2,Valley
GRP-0004127O-S7K2,Summit
\"HNG-00000001-AB12\",Workshop
HNG-00000002-AB12,Valley
";

fn yard() -> Yard {
    let yard = Yard::with("a.csv", TABLE);
    yard.write("a.cutlist.toml", LIST);
    yard.write("sites.csv", "no,site\n1,Valley\n2,Summit\n3,Workshop\n");
    yard
}

#[test]
fn a_table_of_checks_with_rows() {
    let ran = yard().run(&["check", "a.csv", "-l", "a.cutlist.toml", "--rows", "2"]);
    assert_snapshot!(ran.shown());
}

#[test]
fn nothing_wrong_is_one_line_and_exit_0() {
    let yard = yard();
    let rows: String = (0..12_345).map(|n| format!("GRP-{n:08}-S7K2\n")).collect();
    yard.write("good.csv", format!("part_code\n{rows}"));
    let words = ["check", "good.csv", "--layout", "part_code: <family 3 uppercase>-<serial 8 digits>-<grade 4>"];
    let ran = yard.run(&words);
    assert_eq!((ran.status, ran.stdout.as_str()), (0, "good.csv: 12 345 rows: 1 check passed\n"), "{}", ran.stderr);
    yard.write("good.csv", format!("part_code\n{rows}GRP-0000000X-S7K2\n"));
    assert_eq!(yard.run(&words).status, 1);
}

#[test]
fn faults_offcuts_and_the_summary() {
    let yard = yard();
    let words = [
        "carve",
        "a.csv",
        "-l",
        "a.cutlist.toml",
        "-o",
        "out.csv",
        "--offcuts",
        "off.csv",
        "--faults",
        "f.csv",
        "--summary",
        "s.json",
    ];
    let ran = yard.run(&words);
    assert_eq!(ran.status, 0);
    let files = ["out.csv", "off.csv", "f.csv", "s.json"].map(|name| format!("=== {name}\n{}", yard.read(name)));
    assert_snapshot!(files.join("") + &ran.stderr);
    yard.run(&["carve", "a.csv", "-l", "a.cutlist.toml", "-q", "--faults", "f.jsonl", "-o", "out.csv"]);
    let lines: Vec<serde_json::Value> = yard.read("f.jsonl").lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    assert_eq!((lines.len(), &lines[0]["at"], &lines[0]["fault"]), (4, &12.into(), &"wrong-layout".into()));
}

#[test]
fn strict_leaves_no_output() {
    let yard = yard();
    let ran = yard.run(&["carve", "a.csv", "-l", "a.cutlist.toml", "-o", "out.csv", "--faults", "f.csv", "--strict"]);
    assert_eq!((ran.status, yard.names().contains(&"out.csv".to_owned())), (1, false));
    assert!(ran.stderr.ends_with("--strict: the run found faults, so out.csv was not written\n"), "{}", ran.stderr);
    assert_eq!(yard.read("f.csv").lines().count(), 5);
    yard.write("a.csv", "part_code,depot\nGRP-00041273-S7K2,Valley\n");
    assert_eq!(yard.run(&["carve", "a.csv", "-l", "a.cutlist.toml", "-o", "out.csv", "--strict"]).status, 0);
    assert!(yard.names().contains(&"out.csv".to_owned()));
}

#[test]
fn ragged_rows() {
    let yard = Yard::with("a.csv", "a,b,c\n1,2,3\n4\n5,6,7,8\n\n9,10,11\n");
    let take = ["carve", "a.csv", "-c", "a", "-p", "x: whole"];
    let kept = yard.run(&[take.as_slice(), &["--ragged", "keep", "--faults", "f.csv"]].concat());
    assert_eq!(kept.stdout, "a,b,c,x\n1,2,3,1\n4,,,4\n5,6,7,8,5\n\n9,10,11,9\n");
    assert!(
        yard.read("f.csv")
            .contains("3,4,,rows,ragged-row,fault,\"5,6,7,8\",,,as many cells as columns,\"it has 4 cells, not 3\"\n")
    );
    let aside = yard.run(&[take.as_slice(), &["--ragged", "set-aside", "--offcuts", "off.csv"]].concat());
    assert_eq!(aside.stdout, "a,b,c,x\n1,2,3,1\n\n9,10,11,9\n");
    assert_eq!(yard.read("off.csv"), "a,b,c,why\n4,\"rows: it has 1 cells, not 3\"\n5,6,7,8,\"rows: it has 4 cells, not 3\"\n");
    assert_snapshot!(yard.run(&[take.as_slice(), &["--ragged", "set-aside"]].concat()).shown());
}

#[test]
fn unusable_lists_of_values() {
    let yard = yard();
    let said: Vec<String> = [("sites.csv", "no,site\n"), ("sites.csv", "no,place\n1,x\n"), ("sites.csv", "")]
        .iter()
        .map(|(name, content)| {
            yard.write(name, content);
            let ran = yard.run(&["check", "a.csv", "-l", "a.cutlist.toml"]);
            format!("exit {}\n{}", ran.status, ran.stderr)
        })
        .collect();
    std::fs::remove_file(yard.path().join("sites.csv")).unwrap();
    let missing = yard.run(&["check", "a.csv", "-l", "a.cutlist.toml"]);
    yard.write("b.cutlist.toml", "[piece.a]\nof = 'depot'\ntake = 'whole'\n");
    let nothing = yard.run(&["check", "a.csv", "-l", "b.cutlist.toml"]);
    assert_snapshot!(said.join("\n") + "\n" + &missing.shown() + "\n" + &nothing.shown());
}

#[test]
fn rows_left_out_are_counted() {
    let yard = yard();
    yard.write(
        "k.cutlist.toml",
        "column = 'part_code'\n[piece.family]\ntake = 'first 3'\n[rows]\nkeep = ['depot: one of \"Valley\"']\n",
    );
    let ran = yard.run(&["carve", "a.csv", "-l", "k.cutlist.toml"]);
    assert_eq!(ran.stdout, "part_code,depot,family\nGRP-00041273-S7K2,Valley,GRP\nHNG-00000002-AB12,Valley,HNG\n");
    assert!(ran.stderr.ends_with("a.csv: 4 rows, 2 left out, 2 written\n"), "{}", ran.stderr);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn rows_in_the_output_offcuts_and_left_out_are_the_rows_read(
        rows in proptest::collection::vec(("[A-C]{0,2}[0-9x]{0,2}", "[a-c]?"), 0..30),
    ) {
        let text: String = rows.iter().map(|(code, site)| format!("{code},{site}\n")).collect();
        let yard = Yard::with("a.csv", format!("code,site\n{text}"));
        yard.write("l.cutlist.toml", "column = 'code'\n[piece.n]\ntake = 'keep digits'\ncheck = ['length 2', 'unique']\n[rows]\nkeep = ['site: not one of \"b\"']\n");
        let words = ["carve", "a.csv", "-l", "l.cutlist.toml", "-o", "out.csv", "--offcuts", "off.csv", "--summary", "s.json", "-q"];
        prop_assert_eq!(yard.run(&words).status, 0);
        let summary: serde_json::Value = serde_json::from_str(&yard.read("s.json")).unwrap();
        let count = |key: &str| summary["rows"][key].as_u64().unwrap();
        let lines = |name: &str| yard.read(name).lines().count() as u64 - 1;
        prop_assert_eq!(count("read"), rows.len() as u64);
        prop_assert_eq!((lines("out.csv"), lines("off.csv")), (count("written"), count("set_aside")));
        prop_assert_eq!(lines("out.csv") + lines("off.csv") + count("left_out"), count("read"));
        prop_assert_eq!(count("left_out"), rows.iter().filter(|(_, site)| site == "b").count() as u64);
    }
}

#[test]
fn the_summary_names_the_day_that_was_today() {
    let yard = Yard::with("made.csv", "made\n2019-12-31\n2020-06-01T10:00:00\n9999-12-31\n");
    let ran =
        yard.run(&["check", "made.csv", "--check", "made: range 2020-01-01 to today", "--summary", "s.json", "--rows", "2"]);
    assert!(ran.shown().contains("it is before 2020-01-01") && ran.shown().contains("it is after 2"), "{}", ran.shown());
    assert!(ran.shown().contains("2 of 3 rows with faults"), "{}", ran.shown());
    let summary = yard.read("s.json");
    let today = date_of_today();
    assert!(summary.contains(&format!("\"Today is {today}.\"")), "{summary}");
}

/// The date of this computer, from another program.
fn date_of_today() -> String {
    let date = std::process::Command::new("date").arg("+%F").output().unwrap();
    String::from_utf8(date.stdout).unwrap().trim().to_owned()
}
