//! The verdict: all checks passed, checks without values, and doubtful results.

use insta::assert_snapshot;

use crate::yard::Yard;

const LIST: &str = "column = 'part_code'
[piece.serial]
take = 'run 1 of digits'
check = ['required', 'length 2', 'digits']
[piece.grade]
when = 'contains \"/\"'
take = 'after \"/\"'
check = 'letters'
";

/// The output of `check` for a table, with the exit status of `--fail-on empty`.
fn checked(rows: &str, list: &str) -> String {
    let yard = Yard::with("parts.csv", rows);
    yard.write("list.cutlist.toml", list);
    let words = ["check", "parts.csv", "-l", "list.cutlist.toml"];
    let ran = yard.run(&words);
    let failing = yard.run(&[&words[..], &["--fail-on", "empty"]].concat());
    assert_eq!(failing.stdout, ran.stdout);
    format!("{} (with --fail-on empty: {})\n{}", ran.status, failing.status, ran.stdout)
}

#[test]
fn the_verdict_depends_on_the_checked_values() {
    let all = [
        ("every check looked at a value", checked("part_code\nGRP-11/A\nGRP-12/B\n", LIST)),
        ("no rows", checked("part_code\n", LIST)),
        ("a condition that never holds", checked("part_code\nGRP-11\nGRP-12\n", LIST)),
        ("a column of blanks", checked("part_code,x\n ,1\n,2\n\u{3000},3\n", &LIST.replace("'required', ", ""))),
        (
            "a hint",
            checked("part_code\nGRP-11\n GRP-12\n", "column = 'part_code'\n[piece.a]\ntake = 'first 3'\ncheck = 'length 3'"),
        ),
        ("a warning", checked("part_code\nGRP-11/A\n", &format!("{LIST}warn = 'length 3'\n"))),
        (
            "a piece without a check",
            checked("part_code\nGRP-11/A\nGRP-12\n", &format!("{LIST}[piece.x]\ntake = 'after \"/\"'")),
        ),
        ("faults", checked("part_code\nGRP-1/A\n \n", LIST)),
    ];
    assert_snapshot!(all.map(|(what, said)| format!("## {what}: exit {said}")).join("\n"));
}

#[test]
fn inputs_without_rows_are_named_first() {
    let yard = Yard::with("a.csv", "part_code\nGRP-11/A\n");
    yard.write("b.csv", "part_code\n");
    yard.write("list.cutlist.toml", LIST);
    let ran = yard.run(&["check", "a.csv", "b.csv", "-l", "list.cutlist.toml"]);
    assert_eq!((ran.status, ran.stdout.as_str()), (0, "b.csv has no rows\na.csv, b.csv: 1 row: all 4 checks passed\n"));
    let words = ["carve", "a.csv", "b.csv", "-l", "list.cutlist.toml", "-o", "cut.csv", "--fail-on", "empty"];
    let ran = yard.run(&words);
    assert!(ran.status == 1 && ran.stderr.ends_with("all 4 checks passed\n"), "{}", ran.shown());
    assert_eq!(yard.read("cut.csv"), "part_code,serial,grade\nGRP-11/A,11,A\n", "the output is written all the same");
    let report = ["report", "b.csv", "-l", "list.cutlist.toml", "-o", "page.html"];
    assert_eq!(yard.run(&report).status, 0);
    assert_eq!(yard.run(&[&report[..], &["--fail-on", "empty"]].concat()).status, 1);
    assert!(yard.read("page.html").contains("No check failed, but the input has no rows"));
}

#[test]
fn numbers_in_another_style_are_not_cut() {
    let yard = Yard::with("prices.csv", "price\n\"5,6kg\"\n\"1,234.50\"\nv1.10.2\n1.2e3\n77120\u{200d}\n");
    let piece = ["-c", "price", "-p", "p: number like \"1,234.5\"", "--check", "p: range 0 to 10000"];
    assert_eq!(
        yard.out(&[&["carve", "prices.csv", "-q", "--only-pieces"], &piece[..]].concat()),
        "p\n\"\"\n1234.50\n\"\"\n\"\"\n\"\"\n"
    );
    let ran = yard.run(&[&["check", "prices.csv"], &piece[..]].concat());
    assert_snapshot!(ran.shown());
}

#[test]
fn ambiguous_dates_are_counted() {
    let yard = Yard::with("days.csv", "day\n03/04/2024\n31/01/2024\n01/31/2024\n05/05/2024\n");
    let ran = yard.run(&["carve", "days.csv", "-c", "day", "-p", "d: date \"%d/%m/%Y\" or date \"%m/%d/%Y\"", "-o", "cut.csv"]);
    assert_snapshot!(ran.stderr);
}

#[test]
fn a_list_without_a_header() {
    let yard = Yard::with("a.csv", "depot\nEast\nWest\nEast\n");
    yard.write("sites.txt", "East\nWest\n");
    let check = |condition: &str| yard.run(&["check", "a.csv", "-c", "depot", "--check", condition]);
    assert_snapshot!(check("listed in \"sites.txt\"").shown());
    let ran = check("listed in \"sites.txt\" no header");
    assert_eq!((ran.status, ran.stdout.as_str()), (0, "a.csv: 3 rows: 1 check passed\n"), "{}", ran.shown());
    assert_eq!(check("listed in \"sites.txt\" any case no header").status, 0);
    assert_eq!(check("listed in \"sites.txt\" column \"#1\" no header any case").status, 0);
    let named = check("listed in \"sites.txt\" column \"site\" no header");
    assert!(named.status == 2 && named.stderr.contains("site"), "{}", named.shown());
}
