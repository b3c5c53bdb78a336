//! `gauge`: the ruler.

use insta::assert_snapshot;

use crate::yard::Yard;

#[test]
fn a_code_on_the_ruler() {
    assert_snapshot!(Yard::new().out(&["gauge", "GRP-00041273-S7K2", "-p", "section 2 by \"-\""]));
}

#[test]
fn invisible_characters_are_shown_and_named() {
    // Wide characters, a letter of two code points, an emoji of three, and unusual spaces.
    let value = " Fu\u{308}hrung\u{a0}– 東京👩\u{200d}🚀\r\n\u{200b} ";
    assert_snapshot!(Yard::new().out(&["gauge", value, "-p", "chars 12 to 14"]));
}

#[test]
fn long_values_wrap() {
    let value = "INSP 2025/11 WO:77120 (Ines Okafor) brake pad 3.25 mm; ".repeat(4);
    let out = Yard::new().out(&["gauge", value.trim_end(), "-p", "chars 85 to 100"]);
    assert!(out.lines().all(|line| line.chars().count() <= 100), "{out}");
    assert_snapshot!(out.split("\n\n\n").next().unwrap());
}

#[test]
fn several_phrases_and_values() {
    let yard = Yard::new();
    let words = ["gauge", "S7K2  ", "", "-p", "last 4", "-p", "grade: trim then last 4", "-p", "char 9 or \"none\""];
    assert_snapshot!(yard.out(&words));
}

#[test]
fn values_of_a_file() {
    let yard = Yard::with("a.csv", "part_code,depot\nGRP-1,x\n\"HN\"\"G\",y\nSHV-3,z\n");
    let out = yard.out(&["gauge", "--file", "a.csv", "-c", "part_code", "--rows", "2", "-p", "first 3"]);
    assert!(!out.contains("SHV"));
    assert_snapshot!(out);
}

#[test]
fn an_invalid_phrase() {
    assert_snapshot!(Yard::new().run(&["gauge", "GRP", "-p", "chars 9 to 3"]).shown());
}

#[test]
fn a_long_text_shows_its_first_parts() {
    let yard = Yard::new();
    let text = (0..400).map(|n| format!("{n}-a; ")).collect::<String>();
    let shown = yard.out(&["gauge", &text]);
    assert!(shown.lines().count() < 100, "{shown}");
    for said in ["and so on; --all shows all of it", "more runs; --all shows all of them", "…"] {
        assert!(shown.contains(said), "{said} is not in\n{shown}");
    }
    let all = yard.out(&["gauge", &text, "--all"]);
    assert!(all.lines().count() > 200 && !all.contains("--all"), "{} lines", all.lines().count());
}

#[test]
fn two_values_are_compared() {
    let yard = Yard::new();
    let compared = |one: &str, other: &str| {
        let out = yard.out(&["gauge", one, other]);
        out.split(&format!("\n\n{one}  ")).next().unwrap_or_default().to_owned()
    };
    assert_snapshot!(
        [
            compared("GRP-00041273-S7K2", "GRP–0041273-S7K2x"),
            compared("2019-0385-RIG", "2019-0385-RIG "),
            compared("e\u{301}t", "ét"),
            compared("same", "same"),
        ]
        .join("\n\n")
    );
    // A phrase is shown on each value, without a comparison.
    assert!(yard.out(&["gauge", "GRP-1", "GRP-2", "-p", "first 3"]).starts_with("GRP-1"));
}

#[test]
fn values_of_standard_input_and_a_single_row() {
    let yard = Yard::new();
    yard.write("a.csv", "code\nGRP-1\n\"HNG\n2\"\nBRK-3\n");
    let first = |out: &str| out.lines().next().unwrap_or_default().to_owned();
    assert_eq!(first(&yard.out(&["gauge", "--file", "a.csv", "--row", "2"])), "row 2, code: HNG\u{240a}2  5 characters");
    let ran = yard.run(&["gauge", "--file", "a.csv", "--row", "4"]);
    assert_eq!((ran.status, ran.stderr.contains("a.csv has no row 4")), (2, true), "{}", ran.stderr);
    assert_eq!(first(&yard.run_on("GRP-1\r\n", &["gauge"]).stdout), "GRP-1  5 characters");
    let lines = yard.run_on("GRP-1\nGRP-2\n", &["gauge"]).stdout;
    assert!(lines.starts_with("the two values differ in 1 place") && lines.contains("\nline 2: GRP-2"), "{lines}");
    let ran = yard.run_on(b"GRP\xff".to_vec(), &["gauge"]);
    assert_eq!(
        (ran.status, ran.stderr.contains("line 1 of standard input is not UTF-8, from byte 4")),
        (2, true),
        "{}",
        ran.stderr
    );
}
