//! `carve -l`: cut lists on tables.

use insta::assert_snapshot;

use crate::yard::Yard;

const PARTS: &str = "part_code,depot\nGRP-00041273-S7K2,\"Workshop, east\"\nHNG-7,x\n";

/// A folder with the parts, an empty table and a cut list.
fn yard(list: &str) -> Yard {
    let yard = Yard::with("parts.csv", PARTS);
    yard.write("a.cutlist.toml", list);
    yard
}

fn carved(list: &str, words: &[&str]) -> String {
    yard(list).out(&[&["carve", "parts.csv", "-l", "a.cutlist.toml", "-q"], words].concat())
}

#[test]
fn a_list_alone_and_with_more_pieces() {
    let list = "column = 'part_code'\n[piece.family]\ntake = 'first 3'\n[piece.label]\nbuild = '{family}/{depot}'";
    assert_eq!(
        carved(list, &["-p", "last: last 1", "-p", "site of depot: first 4"]),
        "part_code,depot,family,label,last,site\n\
         GRP-00041273-S7K2,\"Workshop, east\",GRP,\"GRP/Workshop, east\",2,Work\n\
         HNG-7,x,HNG,HNG/x,7,x\n"
    );
    // The column of the command line overrides that of the list.
    assert_eq!(carved("column = 'part_code'\n[piece.a]\ntake = 'first 1'", &["-c", "depot", "--only-pieces"]), "a\nW\nx\n");
}

#[test]
fn only_some_of_the_original_columns() {
    let list = "column = 'part_code'\n[piece.n]\ntake = 'length'\n[piece.depot]\nof = 'depot'\ntake = 'upper'\nreplace = true";
    assert_eq!(
        carved(list, &["--columns", "#2,part_code"]),
        "depot,part_code,n\n\"WORKSHOP, EAST\",GRP-00041273-S7K2,17\nX,HNG-7,5\n"
    );
    assert_eq!(
        carved(list, &["--columns", "part_code"]),
        "part_code,n,depot\nGRP-00041273-S7K2,17,\"WORKSHOP, EAST\"\nHNG-7,5,X\n"
    );
    let ran = yard(list).run(&["carve", "parts.csv", "-l", "a.cutlist.toml", "--columns", "part_cod"]);
    assert_eq!((ran.status, ran.stderr.lines().next().unwrap()), (2, "error: no column part_cod"));
    let ran = yard(list).run(&["carve", "parts.csv", "-l", "a.cutlist.toml", "--columns", "depot,#2"]);
    assert_eq!((ran.status, ran.stderr.lines().next().unwrap()), (2, "error: --columns names depot twice"));
}

#[test]
fn header_cells_keep_their_quotes_when_columns_are_chosen() {
    let yard = Yard::with("a.csv", "\n\"a\",b,\"c\"\"d\"\n1,\"2\",3\n");
    let out = yard.out(&["carve", "a.csv", "-p", "x of b: whole", "--columns", "#3,a,b", "-q"]);
    assert_eq!(out, "\"c\"\"d\",\"a\",b,x\n3,1,\"2\",2\n");
}

#[test]
fn results_in_columns() {
    let list = |columns: &str| {
        format!(
            "column = 'part_code'\n[piece.part]\ntake = 'sections by \"-\"'\ncolumns = {columns}\n[piece.n]\ntake = 'length'"
        )
    };
    assert_eq!(carved(&list("\"auto\""), &["--only-pieces"]), "part_1,part_2,part_3,n\nGRP,00041273,S7K2,17\nHNG,7,,5\n");
    let ran = yard(&list("2")).run(&["carve", "parts.csv", "-l", "a.cutlist.toml"]);
    assert_snapshot!(ran.shown());
    let ran = yard(&list("\"auto\"")).run_on(PARTS, &["carve", "-l", "a.cutlist.toml"]);
    assert_snapshot!(ran.shown());
}

#[test]
fn a_row_a_result() {
    let list =
        "column = 'part_code'\n[piece.part]\ntake = 'sections by \"-\" then lower'\nrows = true\n[piece.n]\ntake = 'length'";
    let yard = yard(list);
    // The last row has no line end, so earlier copies need one.
    yard.write("parts.csv", PARTS.trim_end().to_owned() + "\n,y");
    let ran = yard.run(&["carve", "parts.csv", "-l", "a.cutlist.toml"]);
    assert_snapshot!(ran.shown());
    yard.write("parts.csv", "part_code,depot\r\nA-B,x");
    assert_eq!(
        yard.out(&["carve", "parts.csv", "-l", "a.cutlist.toml", "-q"]),
        "part_code,depot,part,n\r\nA-B,x,a,3\r\nA-B,x,b,3"
    );
}

#[test]
fn a_piece_in_place_of_its_column() {
    let list =
        "[piece.part_code]\nof = 'part_code'\ntake = 'lower'\nreplace = true\n[piece.n]\nof = 'part_code'\ntake = 'length'";
    assert_eq!(carved(list, &[]), "part_code,depot,n\ngrp-00041273-s7k2,\"Workshop, east\",17\nhng-7,x,5\n");
}

#[test]
fn quotes_and_slashes_need_no_shell() {
    let yard = Yard::with("a.csv", "x\n\"o'neill \"\"jr\"\" a/b\"\n");
    let list = r#"
[piece.before_apostrophe]
take = '''before "'"'''
[piece.in_quotes]
take = 'between "\"" and "\""'
[piece.after_slash]
take = 'match /\/(.)/ group 1'
"#;
    yard.write("a.cutlist.toml", list);
    assert_eq!(
        yard.out(&["carve", "a.csv", "-l", "a.cutlist.toml", "-q", "--only-pieces"]),
        "before_apostrophe,in_quotes,after_slash\no,jr,b\n"
    );
}

#[test]
fn unusable_lists() {
    let said: Vec<String> = [
        "column = 'part_code'\n\n[piece.family]\ntak = 'first 3'\n",
        "column = 'part_cod'\n[piece.family]\ntake = 'first 3'\n",
        "column = 'part_code'\n[piece.family]\ntake = \"section 2 by \\\"-\\\" then uper\"\n",
        "column = 'part_code'\n[piece.family]\ntake = 'first 3'\n[layout.part_code]\nform = ['<a 3 digit>']\n",
        "[piece.family\n",
    ]
    .iter()
    .map(|list| {
        let ran = yard(list).run(&["carve", "parts.csv", "-l", "a.cutlist.toml"]);
        assert_eq!(ran.stdout, "");
        format!("exit {}\n{}", ran.status, ran.stderr)
    })
    .collect();
    assert_snapshot!(said.join("\n"));
    let ran = yard("").run(&["carve", "parts.csv", "-l", "b.cutlist.toml"]);
    assert_snapshot!(ran.shown());
}

#[test]
fn several_results_need_a_place() {
    assert_snapshot!(yard("").run(&["carve", "parts.csv", "-c", "depot", "-p", "n: numbers"]).shown());
}

#[test]
fn a_list_sets_how_its_files_are_read() {
    let yard = Yard::new();
    yard.write("parts.csv", b"GRP-1|F\xfchrung\nHNG-2|x|y\n");
    yard.write(
        "list.cutlist.toml",
        "column = '#1'\n[reading]\ndelimiter = '|'\nencoding = 'windows-1252'\nheader = false\nragged = 'keep'\n[piece.no]\ntake = 'last 1'\n",
    );
    let out = yard.out(&["carve", "parts.csv", "-l", "list.cutlist.toml", "-q"]);
    assert_eq!(out, "GRP-1|Führung|1\nHNG-2|x|y|2\n");
    let explained = yard.out(&["explain", "list.cutlist.toml", "parts.csv", "--row", "2"]);
    assert!(explained.contains("\"2\""), "{explained}");
    // The command line overrides the list.
    let ran = yard.run(&["carve", "parts.csv", "-l", "list.cutlist.toml", "-q", "--ragged", "stop"]);
    assert_eq!(ran.status, 3, "{}", ran.shown());
    yard.write("list.cutlist.toml", "[reading]\nragged = 'set-aside'\n[piece.no]\nof = '#1'\ntake = 'last 1'\n");
    let ran = yard.run(&["carve", "parts.csv", "-l", "list.cutlist.toml", "-q"]);
    assert!(ran.status == 2 && ran.stderr.contains("add --offcuts FILE"), "{}", ran.shown());
}

#[test]
fn rules_on_the_command_line() {
    let yard = Yard::with("parts.csv", "part_code,crew id,site\nGRP-1,2019-7,East\nHNG-22,2020-8,West\n,x,East\n");
    let carve = |words: &[&str]| yard.out(&[&["carve", "parts.csv", "-q", "-c", "part_code"], words].concat());
    let both = ["-p", "no: after \"-\"", "-p", "label: build \"{no}/{crew id}\""];
    assert_eq!(carve(&[&["--only-pieces"][..], &both].concat()), "no,label\n1,1/2019-7\n22,22/2020-8\n,/x\n");
    assert_eq!(
        carve(&["--without", "site,#2", "-p", "a when site: one of \"East\": first 3", "-p", "b when contains \"22\": last 2"]),
        "part_code,a,b\nGRP-1,GRP,\nHNG-22,,22\n,,\n"
    );
    assert_snapshot!(
        yard.run(&["check", "parts.csv", "-c", "part_code", "--check", "length 5", "--check", "site: one of \"East\""]).shown()
    );
    let piece = ["check", "parts.csv", "-p", "no of part_code: after \"-\"", "--check", "no: length 1"];
    let ran = yard.run(&piece);
    assert!(ran.status == 1 && ran.stdout.contains("no   part_code   length 1   2         1 "), "{}", ran.shown());
    let wrong = yard.run(&["check", "parts.csv", "--check", "sit: digits"]);
    assert_snapshot!(wrong.shown());
    assert_eq!(yard.run(&["check", "parts.csv"]).status, 2);
    let explained = yard.run(&["explain", "parts.csv", "-c", "part_code", "-p", "no: after \"-\"", "--row", "2"]);
    assert_snapshot!(explained.shown());
}

#[test]
fn several_lists_together() {
    let yard = Yard::with("parts.csv", "part_code,crew_id\nGRP-1,2019-7\n");
    std::fs::create_dir(yard.path().join("lists")).unwrap();
    yard.write("lists/years.csv", "year\n2019\n");
    yard.write(
        "parts.cutlist.toml",
        "column = 'part_code'\n[piece.no]\ntake = 'after \"-\"'\n[layout.part_code]\nform = '<family>-<n digits>'\n",
    );
    yard.write("lists/crew.cutlist.toml", "column = 'crew_id'\n[piece.year]\ntake = 'first 4'\ncheck = 'listed in \"years.csv\"'\n[layout.crew_id]\nform = '<y 4 digits>-<k>'\n");
    let both = ["-l", "parts.cutlist.toml", "-l", "lists/crew.cutlist.toml"];
    let out = yard.out(&[&["carve", "parts.csv", "-q"][..], &both].concat());
    assert_eq!(out, "part_code,crew_id,family,n,no,y,k,year\nGRP-1,2019-7,GRP,1,1,2019,7,2019\n");
    assert!(yard.out(&[&["check", "parts.csv"][..], &both].concat()).contains("1 row: all 3 checks passed"));
    yard.write("bytes.cutlist.toml", "unit = 'bytes'\n[piece.a]\nof = 'crew_id'\ntake = 'length'\n");
    let ran = yard.run(&["carve", "parts.csv", "-l", "parts.cutlist.toml", "-l", "bytes.cutlist.toml"]);
    assert!(ran.status == 2 && ran.stderr.contains("another unit"), "{}", ran.shown());
}

#[test]
fn a_list_of_rows_works_beside_pieces() {
    let yard = Yard::with("parts.csv", "code\nGRP-1\n\"\"\nHNG-2\n");
    yard.write("rows.cutlist.toml", "column = 'code'\n[rows]\nkeep = 'code: starts with \"GRP\"'\n");
    let words = ["carve", "parts.csv", "-l", "rows.cutlist.toml"];
    assert_eq!(yard.out(&[&words[..], &["-p", "family: first 3", "-q"]].concat()), "code,family\nGRP-1,GRP\n");
    assert_eq!(yard.out(&[&words[..], &["-q"]].concat()), "code\nGRP-1\n");
}
