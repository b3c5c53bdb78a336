//! `explain`: cut lists in words, and their effect on a row.

use insta::assert_snapshot;

use crate::yard::Yard;

fn demo() -> Yard {
    let yard = Yard::new();
    for name in ["parts.csv", "references.csv", "parts.cutlist.toml", "references.cutlist.toml"] {
        let path = format!("{}/demo/{name}", env!("CARGO_MANIFEST_DIR"));
        yard.write(name, std::fs::read(path).unwrap());
    }
    yard
}

#[test]
fn a_list_in_plain_words() {
    let yard = demo();
    assert_snapshot!(yard.out(&["explain", "parts.cutlist.toml"]) + "\n" + &yard.out(&["explain", "references.cutlist.toml"]));
}

#[test]
fn a_row_step_by_step() {
    let yard = demo();
    let row = yard.out(&["explain", "references.cutlist.toml", "references.csv", "--row", "22"]);
    assert_snapshot!(row);
    // Row 58 contains a line break, so later rows are one line further down.
    assert_eq!(yard.out(&["explain", "references.cutlist.toml", "references.csv", "--line", "23"]), row);
    let by_line = yard.out(&["explain", "references.cutlist.toml", "references.csv", "--line", "60"]);
    assert!(by_line.starts_with("row 58, line 59\n"), "{by_line}");
}

#[test]
fn built_and_missing_pieces_of_a_row() {
    assert_snapshot!(demo().out(&["explain", "parts.cutlist.toml", "parts.csv", "--row", "95"]));
}

#[test]
fn layouts_proofs_and_rows() {
    let yard = demo();
    let list = "[layout.part_code]
form = ['<family 3 uppercase>-<serial 8 digits>-<grade 4>', '<family 2 uppercase><serial 6 digits>']
[proof]
part_code = '{family}-{serial}-{grade}'
[rows]
keep = ['depot: one of \"Valley\", \"Summit\"']
unique = ['family', 'serial']
";
    yard.write("l.cutlist.toml", list);
    let explained = ["1", "36"].map(|row| yard.out(&["explain", "l.cutlist.toml", "parts.csv", "--row", row]));
    assert_snapshot!(yard.out(&["explain", "l.cutlist.toml"]) + "\n" + &explained.join("\n"));
}

#[test]
fn missing_rows() {
    let yard = demo();
    let said = [["--row", "201"], ["--row", "0"], ["--line", "1"], ["--line", "999"]]
        .map(|words| yard.run(&[["explain", "parts.cutlist.toml", "parts.csv"].as_slice(), &words].concat()))
        .map(|ran| format!("exit {}\n{}", ran.status, ran.stderr));
    assert_snapshot!(said.join("\n"));
}

#[test]
fn conditions_of_a_phrase_hold_or_not() {
    let yard = Yard::with("codes.csv", "code,kind\nGRP-0041-S7,new\nHNG-77-A5,old\n4128,old\n");
    let phrase = r#"part of code: if kind: one of "new" then "sell" else if (contains "-") then section 2 by "-""#;
    let of_row = |row: &str| yard.out(&["explain", "codes.csv", "-p", phrase, "--row", row]);
    let steps = |row: &str| -> Vec<String> {
        let lines = of_row(row).lines().map(str::to_owned).collect::<Vec<_>>();
        lines.into_iter().skip_while(|line| !line.starts_with(" 1 ")).collect()
    };
    assert_eq!(steps("1")[0], r#" 1 if kind: one of "new"  holds"#);
    assert!(of_row("1").ends_with("→ \"sell\"  filled\n"), "{}", of_row("1"));
    let [first, other, second, ..] = steps("2").try_into().unwrap_or_else(|lines| -> [String; 5] { panic!("{lines:?}") });
    assert_eq!(first, r#" 1 if kind: one of "new"  does not hold"#);
    assert_eq!(other, r#"   otherwise: if (contains "-") then section 2 by "-""#);
    assert_eq!(second, r#" 2 if (contains "-")      holds"#);
    assert!(of_row("3").ends_with("→ nothing  missing\n"), "{}", of_row("3"));
    let out = yard.run(&["check", "codes.csv", "-p", phrase, "--check", "part: required", "--rows", "1"]);
    assert!(
        out.shown().contains("`if kind: one of \"new\"` does not hold; the branch after `else` has no match either"),
        "{}",
        out.shown()
    );
}
