//! `survey`: what is in the columns of a table.

use insta::assert_snapshot;

use crate::yard::Yard;

fn demo() -> Yard {
    let yard = Yard::new();
    yard.out(&["demo", "--dir", "."]);
    yard
}

/// The page is at most 100 columns wide, however wide the terminal.
fn page(yard: &Yard, words: &[&str]) -> String {
    let out = yard.out(&[&["survey"], words].concat());
    assert!(out.lines().all(|line| line.chars().count() <= 101), "{out}");
    out
}

#[test]
fn all_columns_in_brief() {
    assert_snapshot!(page(&demo(), &["crew.csv"]));
}

#[test]
fn one_column_in_depth() {
    assert_snapshot!(page(&demo(), &["parts.csv", "-c", "part_code"]));
}

#[test]
fn wide_shapes_have_their_examples_below() {
    assert_snapshot!(page(&demo(), &["references.csv", "-c", "reference"]));
}

#[test]
fn the_rows_of_a_shape() {
    let yard = demo();
    for shape in ["U3-X8-X4", "U2-d8-X4", "U3-d6..7-X4", "U3-d8-X4␣1..2"] {
        let out = yard.out(&["survey", "parts.csv", "-c", "part_code", "--rows-of", shape]);
        let row = out.lines().nth(1).unwrap();
        assert!(out.starts_with("row,line,part_code\n") && row.split(',').count() == 3, "{out}");
    }
    assert_snapshot!(yard.out(&["survey", "parts.csv", "-c", "part_code", "--rows-of", "U3-X8-X4"]));
    assert_snapshot!(yard.run(&["survey", "parts.csv", "-c", "part_code", "--rows-of", "U3-d8-X5"]).shown());
    let ran = yard.run_on("a\n1\n", &["survey", "--rows-of", "d1"]);
    assert_eq!((ran.status, ran.stderr.contains("reading the input twice")), (2, true));
}

#[test]
fn the_first_rows_only() {
    let yard = demo();
    let out = page(&yard, &["parts.csv", "-c", "depot", "--sample", "20"]);
    assert!(out.contains("20: the first ones only, as requested"), "{out}");
    let out = page(&yard, &["parts.csv", "--sample", "999"]);
    assert!(out.contains("5 columns, 200 rows"), "a sample that is no less than all: {out}");
}

/// A survey of the kept rows is that of a table with only these rows.
#[test]
fn the_kept_rows_only() {
    let yard = demo();
    let keep = ["--keep", "part_code: starts with \"GRP\""];
    yard.out(&[&["carve", "parts.csv", "-q", "-o", "kept.csv"], &keep[..]].concat());
    let survey = |words: &[&str]| -> serde_json::Value {
        let mut found: serde_json::Value =
            serde_json::from_str(&yard.out(&[&["survey", "--to", "json"], words].concat())).unwrap();
        without_rows(&mut found);
        found
    };
    for more in [&[][..], &["-c", "part_code", "-c", "depot"], &["-c", "part_code", "-p", "grade: section 3 by \"-\""]] {
        for of in [&["--threads", "1"][..], &["--threads", "3"], &["--sample", "200"]] {
            let words = [more, of].concat();
            assert_eq!(survey(&[&["parts.csv"], &keep[..], &words].concat()), survey(&[&["kept.csv"], &words[..]].concat()));
        }
    }
    // It counts rows of the whole table, and notes the omitted rows.
    let out = yard.run(&[&["survey", "parts.csv", "-c", "part_code"], &keep[..]].concat());
    assert!(out.stderr.contains("--keep leaves out "), "{}", out.shown());
    let rows = yard.out(&[&["survey", "parts.csv", "-c", "part_code", "--rows-of", "U3-d8-X4"], &keep[..]].concat());
    let part_of = |row: usize| yard.read("parts.csv").lines().nth(row).unwrap().split(',').next().unwrap().to_owned();
    for row in rows.lines().skip(1) {
        let cells: Vec<&str> = row.split(',').collect();
        assert!(cells[2].starts_with("GRP") && part_of(cells[1].parse::<usize>().unwrap() - 1) == cells[2], "{row}");
    }
    let ran = yard.run(&["survey", "parts.csv", "--keep", "part_code: unique"]);
    assert_eq!((ran.status, ran.stderr.contains("cannot ask for `unique`")), (2, true));
}

fn without_rows(of: &mut serde_json::Value) {
    match of {
        serde_json::Value::Object(members) => {
            members.retain(|key, _| !key.contains("row") && key != "inputs");
            members.values_mut().for_each(without_rows);
        }
        serde_json::Value::Array(items) => items.iter_mut().for_each(without_rows),
        _ => {}
    }
}

#[test]
fn a_survey_for_programs() {
    let yard = Yard::with("a.csv", "code,n\nGRP-1,\nGRP-2,7\nhng-3 ,\n");
    let out = yard.out(&["survey", "a.csv", "-c", "code", "--to", "json"]);
    assert_snapshot!(out);
    let brief: serde_json::Value = serde_json::from_str(&yard.out(&["survey", "a.csv", "--to", "json"])).unwrap();
    assert_eq!(brief["columns"][1]["blank"], 2);
    assert!(brief["columns"][0].get("positions").is_none());
}

#[test]
fn columns_with_next_to_nothing_in_them() {
    let yard = Yard::with("a.csv", "blank,one,same\n,,x\n,7,x\n  ,,x\n");
    assert_snapshot!(page(&yard, &["a.csv", "-c", "blank", "-c", "one", "-c", "same"]));
    yard.write("b.csv", "a,b\n");
    assert_snapshot!(page(&yard, &["b.csv"]));
}

#[test]
fn the_most_frequent_values() {
    // Few distinct values: all of them, first of all.
    let depots = page(&demo(), &["parts.csv", "-c", "depot"]);
    assert_snapshot!(depots.split("\n\n").nth(2).unwrap());
    // Many: the most frequent.
    let many: String = (1..=400).map(|n| if n % 5 == 0 { "n/a\n".to_owned() } else { format!("C-{n}\n") }).collect();
    let yard = Yard::with("many.csv", format!("code\n{many}"));
    let out = page(&yard, &["many.csv"]);
    assert_snapshot!(out.split("most frequent values\n").nth(1).unwrap().split("\n\n").next().unwrap());
    // More than are counted: estimates, labelled as such.
    let more: String = (1..=250_000).map(|n| if n % 5 == 0 { "n/a\n".to_owned() } else { format!("C-{n}\n") }).collect();
    yard.write("more.csv", format!("code\n{more}"));
    let out = page(&yard, &["more.csv"]);
    let (_, frequent) = out.split_once("most frequent values\n").unwrap();
    assert!(
        frequent.contains("these are estimates") && frequent.contains("n/a     ~ 49") && frequent.contains("such as row "),
        "{frequent}"
    );
    // Too many to count, and none of them frequent.
    let none: String = (1..=30_000).map(|n| format!("C-{n}\n")).collect();
    yard.write("none.csv", format!("code\n{none}"));
    let out = page(&yard, &["none.csv"]);
    assert!(out.contains("no value is in 1 of 200 rows of a sample"), "{out}");
}

#[test]
fn pieces_are_surveyed_as_the_columns_they_would_make() {
    let yard = demo();
    let pieces = ["-c", "part_code", "-p", "serial: section 2 by \"-\" then keep digits", "-p", "place of depot: lower"];
    yard.out(&[&["carve", "parts.csv", "-o", "cut.csv", "-q"], &pieces[..]].concat());
    let of_columns = page(&yard, &["cut.csv", "-c", "serial", "-c", "place"]);
    let of_pieces = page(&yard, &[&["parts.csv"], &pieces[..]].concat());
    assert_eq!(of_pieces.replace("parts.csv", "cut.csv").replace(": blank, missing or not asked", ""), of_columns);
    let serial = ["-c", "part_code", "-p", pieces[3], "--rows-of", "d6"];
    let rows = yard.out(&[&["survey", "parts.csv"], &serial[..]].concat());
    assert_eq!(rows, yard.out(&["survey", "cut.csv", "-c", "serial", "--rows-of", "d6"]));
    let ran = yard.run(&["survey", "parts.csv", "-c", "part_code", "-c", "depot", "-p", "a: first 3"]);
    assert_eq!((ran.status, ran.stderr.contains("NAME of COLUMN: PHRASE")), (2, true), "{}", ran.shown());
}

#[test]
fn rows_of_several_files_are_named_with_their_file() {
    let yard = Yard::with("a.csv", "code\nGRP-1\nGRP-2\n");
    yard.write("b.csv", "code\nHNG-3\n\"\"\nhng\n");
    assert_snapshot!(page(&yard, &["a.csv", "b.csv"]));
    let found = yard.out(&["survey", "a.csv", "b.csv", "--rows-of", "U3-d1"]);
    assert_eq!(found, "file,row,line,code\na.csv,1,2,GRP-1\na.csv,2,3,GRP-2\nb.csv,1,2,HNG-3\n");
    let json = yard.out(&["survey", "a.csv", "b.csv", "--to", "json"]);
    let json: serde_json::Value = serde_json::from_str(&json).unwrap();
    assert_eq!(json["columns"][0]["blank_first_rows"], serde_json::json!([{"file": "b.csv", "row": 2}]));
}

#[test]
fn numbers_and_dates_have_a_distribution() {
    let yard = Yard::new();
    let row = |n: usize| {
        let weight = if n == 77 { "9,999.5".to_owned() } else { format!("{}.{}", n * 7919 % 40 + 3, n % 10) };
        let day =
            if n == 30 { "05.01.2262".replace("2262", "2062") } else { format!("{:02}.{:02}.2025", n % 28 + 1, n % 3 + 9) };
        format!("\"{weight}\",{day}\n")
    };
    yard.write("a.csv", &("weight,tested\n".to_owned() + &(1..=200).map(row).collect::<String>()));
    let section = |column: &str, from: &str| {
        let out = page(&yard, &["a.csv", "-c", column]);
        let lines: Vec<&str> = out.lines().skip_while(|line| *line != from).take_while(|line| !line.is_empty()).collect();
        let today = lines.iter().find_map(|line| line.split("today, ").nth(1)?.split(':').next()).unwrap_or("-");
        lines.join("\n").replace(today, "TODAY")
    };
    assert_snapshot!([section("weight", "numbers"), section("tested", "dates")].join("\n\n"));
    let json: serde_json::Value =
        serde_json::from_str(&yard.out(&["survey", "a.csv", "-c", "weight", "--to", "json"])).unwrap();
    let numbers = &json["columns"][0]["numbers"];
    assert_eq!((numbers["like"].as_str(), numbers["far"][0]["first_row"]["row"].as_u64()), (Some("1,234.5"), Some(77)));
}

#[test]
fn a_column_by_the_values_of_another() {
    let yard = Yard::new();
    let row = |n: usize| {
        let depot = ["Valley", "Midway", "\"Summit, upper\""][n % 3];
        let code = if n % 9 == 2 { format!("GRP/{n:05}") } else { format!("HNG-{n:05}") };
        format!("{},{depot}\n", if n % 12 == 3 { "" } else { &code })
    };
    yard.write("a.csv", &("part_code,home depot\n".to_owned() + &(0..360).map(row).collect::<String>()));
    assert_snapshot!(page(&yard, &["a.csv", "-c", "part_code", "--by", "home depot"]));
    // Pieces, on either side, and kept rows.
    let family = page(&yard, &["a.csv", "-c", "part_code", "-p", "family: first 3", "--by", "family"]);
    assert!(family.starts_with("part_code by family, of a.csv: 360 rows, 3 groups\n"), "{family}");
    let number =
        page(&yard, &["a.csv", "-p", "no of part_code: last 5", "--by", "home depot", "--keep", "part_code: not blank"]);
    assert!(number.starts_with("no by home depot, of a.csv: 330 rows, 3 groups\n"), "{number}");
    let one = yard.out(&["survey", "a.csv", "-c", "part_code", "--by", "home depot", "--to", "json", "--threads", "1"]);
    let json: serde_json::Value = serde_json::from_str(&one).unwrap();
    let summit = json["groups"].as_array().unwrap().iter().find(|group| group["group"] == "Summit, upper").unwrap();
    assert_eq!(summit["shapes"].as_array().unwrap().iter().map(|shape| shape["values"].as_u64().unwrap()).sum::<u64>(), 120);
    assert_eq!(summit["differences"][0]["shape"], "U3-d5");
    for words in [
        &["--by", "home depot"][..],
        &["-c", "part_code", "--by", "depot"],
        &["-p", "a of part_code: first 1", "-p", "b of part_code: last 1", "--by", "home depot"],
    ] {
        let ran = yard.run(&[&["survey", "a.csv"], words].concat());
        assert_eq!((ran.status, ran.stderr.contains("help: ")), (2, true), "{}", ran.stderr);
    }
    yard.write("ids.csv", &("id,x\n".to_owned() + &(0..1001).map(|n| format!("{n},1\n")).collect::<String>()));
    let ran = yard.run(&["survey", "ids.csv", "-c", "x", "--by", "id"]);
    assert!(ran.status != 0 && ran.stderr.contains("id has more than 1000 different values"), "{}", ran.stderr);
}
