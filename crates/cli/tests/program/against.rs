//! Changes since a saved survey or summary.

use insta::assert_snapshot;

use super::yard::Yard;

const LIST: &str = "column = 'part_code'\n[piece.family]\ntake = 'first 3'\ncheck = ['uppercase']\n[piece.serial]\n\
                    take = 'section 2 by \"-\"'\ncheck = ['required', 'length 8']\nwarn = ['digits']\n";

/// Codes and depots of 400 rows, optionally with a third column.
fn rows(change: impl Fn(usize, String, &'static str) -> String, third: &str) -> String {
    let depots = ["East", "West", "Summit"];
    let row = |row: usize| change(row, format!("GRP-{:08}-S7K{}", row * 7919 % 99_999_989, row % 10), depots[row % 3]) + "\n";
    format!("part_code,depot{third}\n{}", (0..400).map(row).collect::<String>())
}

fn november(_: usize, code: String, depot: &str) -> String {
    format!("{code},{depot}")
}

/// Slashes for hyphens, blank depots, a new depot, a no-break space, and lowercase families.
fn december(row: usize, code: String, depot: &str) -> String {
    match row {
        _ if row % 40 == 3 => format!("{},{depot},1.5", code.replace('-', "/")),
        _ if row % 11 == 2 => format!("{code},,1.5"),
        100 => format!("{code},Harbour,1.5"),
        205 => format!("{code}\u{a0},{depot},1.5"),
        _ if row % 50 == 7 => format!("{},{depot},1.5", code.to_lowercase()),
        _ => format!("{code},{depot},1.5"),
    }
}

fn yard() -> Yard {
    let yard = Yard::new();
    yard.write("list.cutlist.toml", LIST);
    yard.write("november.csv", rows(november, ""));
    yard.write("december.csv", rows(december, ",weight"));
    yard.out(&["survey", "november.csv", "--save", "november.json", "-q"]);
    yard.run(&["check", "november.csv", "-l", "list.cutlist.toml", "--summary", "checked.json", "-q"]);
    yard
}

#[test]
fn a_survey_lists_changes_the_worst_first() {
    let yard = yard();
    let survey = |words: &[&str]| yard.run(&[&["survey", "december.csv", "--against", "november.json"], words].concat());
    assert_snapshot!(survey(&["--fail-on", "new-shape", "--fail-on", "blanks 8%", "--fail-on", "odd 5%"]).shown());
    assert_snapshot!(survey(&["-c", "depot", "--to", "json"]).shown());
    // The same rows have no changes, nor do similar ones.
    yard.write("more.csv", rows(|row, code, depot| november(row, code.replace("GRP", "HNG"), depot), ""));
    for same in ["november.csv", "more.csv"] {
        let ran = yard.run(&["survey", same, "--against", "november.json", "--fail-on", "any"]);
        assert_eq!(ran.stdout, format!("{same}: 400 rows, no changes since november.json\n"), "{}", ran.shown());
        assert_eq!(ran.status, 0);
    }
    // A condition ends the run with 1 if the change exceeds its share.
    for (fail_on, status) in [
        ("any", 1),
        ("column", 1),
        ("new-values", 1),
        ("delimiter", 1),
        ("length", 1),
        ("blanks 9.5%", 0),
        ("new-shape 2.4%", 1),
        ("new-shape 2.5%", 0),
        ("distinct", 0),
    ] {
        assert_eq!(survey(&["--fail-on", fail_on]).status, status, "{fail_on}");
    }
    // The same run can save a survey again.
    assert_eq!(survey(&["--save", "december.json", "-q"]).status, 0);
    assert_eq!(yard.run(&["survey", "december.csv", "--against", "december.json", "--fail-on", "any"]).status, 0);
}

#[test]
fn a_check_shows_earlier_counts() {
    let yard = yard();
    let check = |list: &str, then: &str| yard.run(&["check", "december.csv", "-l", list, "--against", then]);
    assert_snapshot!(check("list.cutlist.toml", "checked.json").shown());
    yard.write("other.cutlist.toml", LIST.replace("'uppercase'", "'length 3'"));
    let other = check("other.cutlist.toml", "checked.json").stdout;
    assert!(other.contains("not asked") && other.contains("no longer checked: family: uppercase"), "{other}");
    // The faults of a good file, compared with those of a bad one.
    yard.run(&["check", "december.csv", "-l", "list.cutlist.toml", "--summary", "then.json", "-q"]);
    let good = yard.run(&["check", "november.csv", "-l", "list.cutlist.toml", "--against", "then.json"]);
    assert_snapshot!(good.shown());
}

#[test]
fn incomparable_columns_are_refused() {
    let yard = yard();
    yard.out(&["survey", "november.csv", "-c", "part_code", "-p", "no: first 3", "--save", "pieces.json", "-q"]);
    let refused: Vec<String> = [
        &["survey", "december.csv", "--against", "checked.json"][..],
        &["survey", "december.csv", "--against", "pieces.json"],
        &["survey", "december.csv", "--against", "december.csv"],
        &["survey", "december.csv", "--fail-on", "any"],
        &["survey", "december.csv", "--against", "november.json", "--fail-on", "blank"],
        &["survey", "december.csv", "--against", "november.json", "--fail-on", "blanks lots"],
        &["check", "december.csv", "-l", "list.cutlist.toml", "--against", "november.json"],
    ]
    .iter()
    .map(|words| {
        let ran = yard.run(words);
        assert_eq!(ran.status, 2, "{}", ran.shown());
        ran.stderr
    })
    .collect();
    assert_snapshot!(refused.join("\n"));
}

#[test]
fn columns_of_one_name_are_compared_each_with_its_own() {
    let yard = Yard::new();
    yard.write("a.csv", "code,code,depot\n1,GRP,x\n2,HNG,y\n");
    yard.write("b.csv", "code,code,depot\n1,GRP,x\n2,HNG/1,y\n");
    yard.write("c.csv", "code,depot\n1,x\n2,y\n");
    let saved = yard.out(&["survey", "a.csv", "--save", "a.json"]);
    assert!(saved.contains("-c '#1'"), "a doubled name names no column: {saved}");
    let against = |words: &[&str]| yard.out(&[&["survey"], words, &["--against", "a.json"]].concat());
    assert_eq!(against(&["a.csv"]), "a.csv: 2 rows, no changes since a.json\n");
    for words in [&["b.csv"][..], &["b.csv", "-c", "#2"]] {
        let out = against(words);
        assert!(
            out.starts_with("code (number 2 of that name)  2 rows before, 2 now\n  new shape U3/d1: 1 value (row 2)"),
            "{out}"
        );
    }
    yard.write("d.csv", "site\nx\n");
    assert!(against(&["d.csv"]).ends_with("\nd.csv: 1 row, compared with a.json\n"), "no column is the same");
    assert!(against(&["c.csv"]).starts_with("the column code (number 2 of that name) is gone\n"));
}
