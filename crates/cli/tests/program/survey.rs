//! `survey`: what is in the columns of a table.

use insta::assert_snapshot;

use crate::yard::Yard;

fn demo() -> Yard {
    let yard = Yard::new();
    yard.out(&["demo", "--dir", "."]);
    yard
}

/// Everything is at most 100 columns wide, however wide the terminal.
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
    assert!(out.contains("20: the first ones only, as asked"), "{out}");
    let out = page(&yard, &["parts.csv", "--sample", "999"]);
    assert!(out.contains("5 columns, 200 rows"), "a sample that is no less than all: {out}");
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
