//! `row number` with several inputs, filters, parts and threads.

use crate::yard::Yard;

#[test]
fn row_numbers_are_those_of_each_input() {
    let yard = Yard::with("a.csv", "code,depot\n7,x\n,y\n9,z\n");
    yard.write("b.csv", "code,depot\n4,w\n");
    let piece = "no: row number then pad left to 2 with \"0\"";
    let carve = |words: &[&str]| yard.out(&[&["carve", "a.csv", "-q", "--only-pieces", "-p", piece], words].concat());
    assert_eq!(carve(&[]), "no\n01\n02\n03\n");
    assert_eq!(carve(&["b.csv"]), "no\n01\n02\n03\n01\n");
    // Omitted rows count.
    assert_eq!(carve(&["--keep", "code: not blank"]), "no\n01\n03\n");
    let either = "no of code: if digits then whole else row number";
    assert_eq!(yard.out(&["carve", "a.csv", "-q", "--only-pieces", "-p", either]), "no\n7\n2\n9\n");
    let explained = yard.out(&["explain", "a.csv", "--row", "3", "-p", piece]);
    assert!(explained.contains("→ \"03\"  filled"), "{explained}");
    assert!(yard.out(&["gauge", "--file", "a.csv", "-c", "code", "--rows", "2", "-p", "row number"]).contains("→ \"2\""));
}

#[test]
fn row_numbers_are_the_same_for_parts_and_threads() {
    let rows: String = (1..30_000).map(|row| format!("{row},\"depot\n{}\"\n", row % 7)).collect();
    let yard = Yard::with("a.csv", format!("code,depot\n{rows}"));
    let list = "[piece.no]\nof = 'code'\ntake = 'row number'\ncheck = ['same as code', 'unique']\n";
    yard.write("a.cutlist.toml", list);
    for threads in ["1", "2", "5"] {
        let ran = yard.run(&["check", "a.csv", "-l", "a.cutlist.toml", "--threads", threads]);
        assert_eq!(ran.status, 0, "{}", ran.shown());
    }
    for part in ["1/3", "2/3", "3/3"] {
        let ran =
            yard.run(&["check", "a.csv", "-c", "code", "-p", "no: row number", "--check", "no: same as code", "--part", part]);
        assert_eq!(ran.status, 0, "{}", ran.shown());
    }
}
