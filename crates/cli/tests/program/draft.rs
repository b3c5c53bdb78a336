use insta::assert_snapshot;

use crate::yard::Yard;

fn demo() -> Yard {
    let yard = Yard::new();
    yard.out(&["demo", "--dir", "."]);
    yard
}

#[test]
fn a_cut_list_from_codes() {
    assert_snapshot!(demo().out(&["draft", "parts.csv", "-c", "part_code"]));
}

#[test]
fn a_cut_list_from_free_text() {
    assert_snapshot!(demo().out(&["draft", "references.csv", "-c", "reference"]));
}

#[test]
fn a_draft_runs_and_gives_no_faults_but_those_it_announced() {
    let yard = demo();
    yard.write("odd.csv", "\"a 'b\",\"two\nlines\",#2\n\"x-1\",\"y\n1\",\"z'1\"\n\"x-2\",\"y\n2\",\"z'2\"\nx,y,z\n");
    let columns = [
        ("parts.csv", "part_code"),
        ("crew.csv", "crew_id"),
        ("crew.csv", "email"),
        ("references.csv", "reference"),
        ("parts.csv", "quantity"),
        ("parts.csv", "description"),
        ("odd.csv", "a 'b"),
        ("odd.csv", "\"two\nlines\""),
        ("odd.csv", "\"#2\""),
    ];
    for (index, (file, column)) in columns.into_iter().enumerate() {
        let list = format!("{index}.cutlist.toml");
        let drafted = yard.out(&["draft", file, "-c", column]);
        yard.out(&["draft", file, "-c", column, "--write", &list, "--quiet"]);
        assert_eq!(drafted, yard.read(&list));
        let ran = yard.run(&["check", file, "-l", &list, "--summary", "s.json"]);
        assert!(ran.status < 2, "{column}: {}", ran.shown());
        let summary: serde_json::Value = serde_json::from_str(&yard.read("s.json")).unwrap();
        for check in summary["checks"].as_array().unwrap() {
            let count = check["rows"].as_u64().unwrap();
            let called =
                if check["of"] == "proof" { "it".to_owned() } else { format!("`{}`", check["check"].as_str().unwrap()) };
            let announced = format!("# {count} row{} will not meet {called}", if count == 1 { "" } else { "s" });
            assert!(count == 0 || drafted.contains(&announced), "{column}: {announced} is not in\n{drafted}");
        }
    }
}

#[test]
fn other_readings_run_when_they_are_taken() {
    let yard = demo();
    let drafted = yard.out(&["draft", "parts.csv", "-c", "part_code"]);
    let start = drafted.find("# # 182 of 200 rows have it").unwrap();
    let layout: Vec<&str> = drafted[start..].lines().take(3).map(|line| &line[2..]).collect();
    yard.write("layout.cutlist.toml", layout.join("\n"));
    let ran = yard.run(&["check", "parts.csv", "-l", "layout.cutlist.toml"]);
    assert!(ran.stdout.contains("18 of 200 rows with faults"), "{}", ran.shown());
}

#[test]
fn an_existing_file_is_never_replaced() {
    let yard = demo();
    yard.write("mine.cutlist.toml", "work");
    let ran = yard.run(&["draft", "parts.csv", "-c", "part_code", "--write", "mine.cutlist.toml"]);
    assert_eq!(yard.read("mine.cutlist.toml"), "work");
    assert_snapshot!(ran.shown());
    let words = ["draft", "parts.csv", "-c", "part_code", "--want", "GRP-1 => 1", "--write", "new.cutlist.toml"];
    let ran = yard.run(&words);
    assert!(ran.stdout.is_empty() && ran.stderr.contains("new.cutlist.toml is written"), "{}", ran.shown());
    assert_snapshot!(yard.read("new.cutlist.toml"));
    assert_eq!(yard.run(&["check", "parts.csv", "-l", "new.cutlist.toml"]).status, 2, "a phrase alone checks nothing");
    yard.out(&["carve", "parts.csv", "-l", "new.cutlist.toml"]);
}

#[test]
fn phrases_from_examples() {
    let yard = demo();
    yard.write(
        "pairs.csv",
        "value,result\nINSP 2025/11 WO:77120 (Ines Okafor) brake pad 3.25 mm,Okafor\nCALL 2024/02 WO:5512 (Zoë Müller) relay 2 mm,Müller\n",
    );
    assert_snapshot!(yard.out(&["draft", "references.csv", "-c", "reference", "--want-file", "pairs.csv"]));
    let wanted = ["--want", "GRP-00041273-S7K2 => 41273", "--want", "HNG-00900001-AB12 => 900001"];
    let out = yard.out(&[&["draft", "parts.csv", "-c", "part_code"], &wanted[..]].concat());
    assert!(out.contains(" 1 section 2 by \"-\" then plain number\n"), "{out}");
    let out = yard.out(&["draft", "crew.csv", "-c", "depot", "--want", "Valley => VALLEY"]);
    assert_snapshot!(out);
    let wanted = ["--want", "Valley => VALLEY", "--want", "top => T"];
    assert_snapshot!("two kinds", yard.out(&[&["draft", "crew.csv", "-c", "depot"], &wanted[..]].concat()));
}

#[test]
fn invalid_examples_and_columns() {
    let yard = demo();
    let draft = |words: &[&str]| yard.run(&[&["draft", "parts.csv", "-c", "part_code"], words].concat()).shown();
    assert_snapshot!("no arrow", draft(&["--want", "GRP-1 = 1"]));
    assert_snapshot!("a foreign character", draft(&["--want", "GRP-00041273 => 41X273"]));
    assert_snapshot!("a contradiction", draft(&["--want", "GRP-1 => G", "--want", "GRP-1 => P"]));
    yard.write("pairs.csv", "value,result\nGRP-1,1\nGRP-2,\n");
    assert_snapshot!("a pair in a file", draft(&["--want-file", "pairs.csv"]));
    yard.write("pairs.csv", "code,wanted\nGRP-1,1\n");
    assert_snapshot!("no pairs in a file", draft(&["--want-file", "pairs.csv"]));
    yard.write("blank.csv", "a,b\n,1\n ,2\n");
    assert_snapshot!("nothing but blanks", yard.run(&["draft", "blank.csv", "-c", "a"]).shown());
    assert_snapshot!("standard input", yard.run_on("a\n1\n", &["draft", "-"]).shown());
}

#[test]
fn results_that_no_value_contains_are_looked_up() {
    let yard = demo();
    let words = [
        "draft",
        "parts.csv",
        "-c",
        "part_code",
        "--want",
        "GRP-00041273-S7K2 => grip",
        "--want",
        "HNG-66428519-A5DA => hanger",
    ];
    let out = yard.out(&words);
    let phrase = r#"section 1 by "-" then lookup "GRP" as "grip", "HNG" as "hanger""#;
    let head =
        "No cut of the values gives all results (GRP-00041273-S7K2 => grip: \"i\" cannot come from the value),\nso these";
    assert!(out.starts_with(head) && out.contains(&format!("\n 1 {phrase}\n")), "{out}");
    yard.out(&[&words[..], &["--write", "names.cutlist.toml", "--quiet"]].concat());
    let cut = yard.out(&["carve", "parts.csv", "-l", "names.cutlist.toml", "-q"]);
    assert_eq!(cut.lines().filter(|line| line.ends_with(",grip") || line.ends_with(",hanger")).count(), 45);
    // A single example shows no table.
    let ran = yard.run(&["draft", "parts.csv", "-c", "part_code", "--want", "GRP-00041273-S7K2 => grip"]);
    assert!(ran.status == 2 && ran.stderr.contains("to look results up, give an example of each"), "{}", ran.stderr);
}

#[test]
fn examples_of_several_columns_give_a_piece_that_joins_them() {
    let yard = demo();
    let words = ["draft", "crew.csv", "--want", "name=Signe Lindqvist; crew_id=2019-0385-RIG => LINDQVIST19"];
    assert_snapshot!(yard.out(&words));
    let ran = yard.run(&[&words[..], &["--write", "j.cutlist.toml"]].concat());
    // The printed command has been tried, and gives the wanted result.
    let command = ran.stderr.lines().find_map(|line| line.split_once("To add the pieces: keen-notch ")).unwrap().1;
    let cut = yard.paste(command);
    assert!(
        cut.status == 0 && cut.stdout.contains("Signe.Lindqvist@lift.skarn.example,Midway,LINDQVIST19\n"),
        "{}",
        cut.stdout
    );
    assert_snapshot!(yard.read("j.cutlist.toml"));
    // The same from a file, where a second example decides.
    yard.write("wanted.csv", "crew_id,name,result\n2019-0385-RIG,Signe Lindqvist,Sig-RIG\n2020-1-IT,Bram Sato,Bra-IT\n");
    let out = yard.out(&["draft", "crew.csv", "--want-file", "wanted.csv"]);
    assert!(out.contains("after last \"-\"") && out.contains("build \"{name_part}-{crew_id_part}\""), "{out}");
    // One named column is the column of the draft.
    let out = yard.out(&["draft", "crew.csv", "--want", "depot=Valley => VALLEY"]);
    assert!(out.contains("rows of depot:\n\n 1 upper"), "{out}");
    let refused = |words: &[&str]| yard.run(&[&["draft", "crew.csv"], words].concat());
    let cases = [
        refused(&["--want", "depot=Valley; name=Ines => X", "--want", "depot=Valley => X"]),
        refused(&["--want", "depot=Valley; name=Ines => Bram7"]),
        refused(&["--want", "depot=Valley; depot=Ines => Val"]),
        refused(&["--want", "depot=Valley; name=Ines => Val", "--want", "Valley => Val"]),
    ];
    assert_snapshot!(cases.map(|ran| ran.stderr).join("\n"));
}

/// A phrase that holds on the whole column comes before a part of a number and before a constant.
#[test]
fn phrases_that_hold_on_the_column_come_first() {
    let yard = demo();
    yard.write("dates.csv", "d\n02.08.2016 a\n14.11.2019 b\n03.01.2020 a\n30.12.2021 b\n");
    for (file, column, want, phrase) in [
        ("parts.csv", "part_code", "GRP-00041273-S7K2 => 41273", "section 2 by \"-\" then plain number"),
        ("references.csv", "reference", "INSP 2025/11 WO:77120 (Ines Okafor) brake pad 3.25 mm => 3.25", "number last"),
        ("dates.csv", "d", "02.08.2016 a => 2016-08-02", "before \" \" then date \"%d.%m.%Y\""),
    ] {
        let out = yard.out(&["draft", file, "-c", column, "--want", want]);
        assert!(out.contains(&format!("\n 1 {phrase}\n")), "{out}");
    }
}
