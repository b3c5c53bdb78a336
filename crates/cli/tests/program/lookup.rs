//! `lookup in`: tables of keys and results in files.

use insta::assert_snapshot;

use crate::yard::Yard;

const PARTS: &str = "part_code\nGRP-1\nHNG-2\ngrp-3\nGRX-4\n";
const FAMILIES: &str = "code,name\nGRP,grip\nHNG,\"hanger, long\"\nBRK,\n";

fn yard() -> Yard {
    let yard = Yard::with("parts.csv", PARTS);
    yard.write("families.csv", FAMILIES);
    yard
}

fn names(yard: &Yard, lookup: &str) -> String {
    let piece = format!("name: before \"-\" then {lookup} or \"unknown\"");
    yard.out(&["carve", "parts.csv", "-q", "--only-pieces", "-o", "-", "-p", &piece]).replace('\n', " ")
}

#[test]
fn columns_case_and_headers() {
    let yard = yard();
    assert_eq!(names(&yard, "lookup in \"families.csv\""), "name grip \"hanger, long\" unknown unknown ");
    assert_eq!(names(&yard, "lookup in \"families.csv\" any case"), "name grip \"hanger, long\" grip unknown ");
    yard.write("reversed.tsv", "name\tid\tcode\ngrip\t7\tGRP\nhanger\t8\tHNG\n");
    let by = |words: &str| names(&yard, &format!("lookup in \"reversed.tsv\" {words}"));
    assert_eq!(by("column \"code\" give \"name\""), "name grip hanger unknown unknown ");
    assert_eq!(by("give \"name\" column \"#3\" any case"), "name grip hanger grip unknown ");
    assert_eq!(by("column \"code\""), "name 7 8 unknown unknown ");
    yard.write("plain.txt", "GRP,grip\nHNG,hanger\nGRP,grip\n");
    assert_eq!(names(&yard, "lookup in \"plain.txt\" no header"), "name grip hanger unknown unknown ");
    assert_eq!(names(&yard, "lookup in \"plain.txt\""), "name grip hanger unknown unknown ");
}

#[test]
fn files_of_every_format() {
    let yard = yard();
    for name in ["f.jsonl", "f.xlsx", "f.parquet", "f.arrow", "f.csv.gz"] {
        yard.out(&["carve", "families.csv", "-q", "-o", name]);
        assert_eq!(names(&yard, &format!("lookup in \"{name}\"")), "name grip \"hanger, long\" unknown unknown ", "{name}");
    }
}

#[test]
fn tables_that_cannot_be_used() {
    let yard = yard();
    let refused = |name: &str, text: &str, words: &str| {
        yard.write(name, text);
        let piece = format!("n: lookup in \"{name}\"{words}");
        yard.run(&["carve", "parts.csv", "-o", "out.csv", "-p", &piece]).stderr
    };
    assert_snapshot!(
        [
            refused("one.csv", "code\nGRP\n", ""),
            refused("two.csv", "code,name\nGRP,grip\n\"H\n\",x\nGRP,group\n", ""),
            refused("case.csv", "code,name\nGRP,grip\ngrp,group\n", " any case"),
            refused("blank.csv", "code,name\nGRP,grip\n ,x\n", ""),
            refused("none.csv", "code,name\n", ""),
            refused("families.csv", FAMILIES, " give \"nam\""),
            refused("families.csv", FAMILIES, " column \"name\""),
            refused("../families.csv", FAMILIES, ""),
            refused("out.csv", FAMILIES, ""),
        ]
        .join("\n")
    );
}

#[test]
fn texts_that_are_not_found() {
    let yard = yard();
    let list =
        "column = 'part_code'\n[piece.name]\ntake = 'before \"-\" then lookup in \"families.csv\"'\ncheck = 'required'\n";
    yard.write("a.cutlist.toml", list);
    yard.write("parts.csv", format!("{PARTS}BRK-5\nZZZZZZ-6\ncode-7\n"));
    let check = yard.run(&["check", "parts.csv", "-l", "a.cutlist.toml"]);
    let faults = yard.run(&["check", "parts.csv", "-l", "a.cutlist.toml", "-q", "--faults", "-"]).stdout;
    let explain = yard.run(&["explain", "a.cutlist.toml", "parts.csv", "--row", "4"]);
    assert_snapshot!(format!("{}\n{faults}\n{}", check.shown(), explain.shown()));
}

#[test]
fn a_hint_says_how_most_texts_would_be_found() {
    let yard = yard();
    let hints = |values: &[&str], table: &str| {
        yard.write("v.csv", format!("v\n{}\n", values.join("\n")));
        yard.write("t.csv", table);
        let stderr = yard.run(&["carve", "v.csv", "-o", "-", "-p", "n of v: lookup in \"t.csv\" or \"?\""]).stderr;
        let hints = stderr.find("hint:").map_or("", |at| &stderr[at..]);
        hints.lines().filter(|line| !line.starts_with("v.csv")).collect::<Vec<_>>().join("\n")
    };
    let zeros = "k,r\n007,a\n012,b\n113,c\n";
    assert_snapshot!(
        [
            hints(&["GRP ", " HNG", "GRP", "x"], FAMILIES),
            hints(&["grp", "hng", "GRP", "x"], FAMILIES),
            hints(&["7", "12", "113"], zeros),
            hints(&["00007", "0012", "13"], "k,r\n7,a\n12,b\n13,c\n"),
            hints(&["q", "k", "113"], zeros),
            // Neither change finds most of them.
            hints(&["q", "w", "GRP "], FAMILIES),
        ]
        .join("\n--\n")
    );
}

#[test]
fn parts_with_other_tables_do_not_merge() {
    let yard = yard();
    let carve = |summary: &str| {
        let piece = "n: lookup \"x\" as \"y\" or before \"-\" then lookup in \"families.csv\"";
        yard.out(&["carve", "parts.csv", "-q", "-o", "out.csv", "--summary", summary, "-p", piece]);
    };
    carve("a.json");
    yard.write("families.csv", FAMILIES.replace("grip", "clamp"));
    carve("b.json");
    let stderr = yard.run(&["merge", "a.json", "b.json"]).stderr;
    assert!(stderr.starts_with("error: b.json comes from a run with other values in families.csv than a.json"), "{stderr}");
}
