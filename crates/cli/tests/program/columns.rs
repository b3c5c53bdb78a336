//! `--columns`: original columns under other names, in every format.

use crate::yard::Yard;

const TABLE: &str = "code,\"net, kg\",a=b,depot\nGRP-1,3,x,E\nHNG-2,4,\"y\",W\n";

fn carved(words: &[&str]) -> String {
    Yard::with("a.csv", TABLE).out(&[&["carve", "a.csv", "-q"], words].concat())
}

#[test]
fn names_order_and_quotes() {
    assert_eq!(carved(&["--columns", "depot, part = code,\"net, kg\""]), "depot,part,\"net, kg\"\nE,GRP-1,3\nW,HNG-2,4\n");
    // Cells keep their quotes, new names get them.
    assert_eq!(carved(&["--columns", "a=b,\"x, y\"=#1"]), "a=b,\"x, y\"\nx,GRP-1\n\"y\",HNG-2\n");
    assert_eq!(carved(&["--columns", "code=depot,depot=code"]), "code,depot\nE,GRP-1\nW,HNG-2\n");
    assert_eq!(
        carved(&["--columns", "part=code,\"net, kg\",\"a=b\",depot", "-p", "f of code: first 1"]),
        "part,\"net, kg\",a=b,depot,f\nGRP-1,3,x,E,G\nHNG-2,4,\"y\",W,H\n"
    );
    assert_eq!(carved(&["--without", "\"net, kg\",a=b"]), "code,depot\nGRP-1,E\nHNG-2,W\n");
}

#[test]
fn every_format_has_the_new_names() {
    let yard = Yard::with("a.csv", TABLE);
    for format in ["csv", "tsv", "jsonl", "xlsx", "parquet", "arrow"] {
        let (first, second) = (format!("first.{format}"), format!("second.{format}"));
        yard.out(&["carve", "a.csv", "-q", "-o", &first, "--columns", "code,depot"]);
        // From the format to itself, where columns are copied.
        yard.out(&["carve", &first, "-q", "-o", &second, "--columns", "part=code,depot", "-p", "no of code: last 1"]);
        let text = yard.out(&["carve", &second, "-q", "--to", "csv"]);
        assert_eq!(text, "part,depot,no\nGRP-1,E,1\nHNG-2,W,2\n", "{format}");
    }
    yard.write("a.fwf", "code   depot\nGRP-1  E\nHNG-2  W\n");
    let renamed = ["carve", "a.fwf", "-q", "--columns", "part=code,depot"];
    let fixed = yard.out(&[&renamed[..], &["--widths", "1 to 6, 8 to 12"]].concat());
    assert_eq!(fixed, "part   depot\nGRP-1  E\nHNG-2  W\n");
    let ran = yard.run(&[&renamed[..], &["--widths", "code 1 to 6, depot 8 to 12"]].concat());
    assert!(ran.status == 2 && ran.stderr.contains("the text has no line with names"), "{}", ran.shown());
}

#[test]
fn names_that_cannot_be_given() {
    for (words, message) in [
        (&["--columns", "f=code", "-p", "f of code: first 1"][..], "error: two columns of the output would have the name f"),
        (&["--columns", "depot=code,depot"], "error: two columns of the output would have the name depot"),
        (&["--columns", "=code"], "error: --columns gives code no name"),
        (&["--columns", "x=cod"], "error: no column cod"),
        (&["--columns", "x=code,code"], "error: --columns names code twice"),
        (&["--columns", "x=#1", "--no-header"], "error: --columns gives the name x, and the output has no header"),
    ] {
        let ran = Yard::with("a.csv", TABLE).run(&[&["carve", "a.csv", "-q"], words].concat());
        assert_eq!((ran.status, ran.stderr.lines().next().unwrap_or_default()), (2, message));
    }
    let list = "[piece.code]\nof = 'code'\ntake = 'lower'\nreplace = true\n";
    let yard = Yard::with("a.csv", TABLE);
    yard.write("a.cutlist.toml", list);
    let ran = yard.run(&["carve", "a.csv", "-l", "a.cutlist.toml", "--columns", "x=code"]);
    assert_eq!(ran.stderr.lines().next().unwrap(), "error: --columns renames code, but a piece replaces code");
    // With --out-header yes, the names have a place.
    assert_eq!(carved(&["--no-header", "--out-header", "yes", "--columns", "x=#1"]), "x\ncode\nGRP-1\nHNG-2\n");
}
