//! `report`: a page to share.

use super::yard::Yard;

const LIST: &str = "title = 'Parts & <codes>'\ncolumn = 'part_code'\n[piece.family]\ntake = 'first 3'\ncheck = ['uppercase']\n\
                    [piece.serial]\ntake = 'section 2 by \"-\"'\ncheck = ['required', 'length 8']\nwarn = ['digits']\n";

fn yard() -> Yard {
    let yard = Yard::new();
    let row = |row: usize| match row {
        3 => "<script>alert(1)</script>,\"a\nb\"\n".to_owned(),
        5 => "\u{1b}[31mGRP-1,East\n".to_owned(),
        _ if row % 20 == 7 => format!("grp-{:08}-S7K2,West\n", row * 7919),
        _ => format!("GRP-{:08}-S7K2,East\n", row * 7919),
    };
    yard.write("a.csv", format!("part_code,depot\n{}", (0..300).map(row).collect::<String>()));
    yard.write("list.cutlist.toml", LIST);
    yard
}

fn report(yard: &Yard, words: &[&str]) -> String {
    let ran = yard.run(&[&["report", "a.csv", "-l", "list.cutlist.toml", "-q"], words].concat());
    assert_eq!(ran.status, 0, "{}", ran.shown());
    ran.stdout
}

#[test]
fn the_page_shows_the_faults_and_escapes_all_data() {
    let yard = yard();
    let ran = yard.run(&["report", "a.csv", "-l", "list.cutlist.toml", "-o", "page.html"]);
    assert_eq!(ran.stderr, "a.csv: 17 of 300 rows with faults (5.7 %), in page.html\n");
    let page = yard.read("page.html");
    for there in [
        "<title>Parts &amp; &lt;codes&gt;</title>",
        "17 of 300 rows with faults (5.7 %)",
        "&lt;script&gt;alert(1)&lt;/script&gt;",
        "character 1 is the letter g; an upper-case letter was expected",
        "<span class=\"wrong\">g</span><span class=\"piece\">rp</span>-00055433-S7K2",
        "SHA-256 ",
        "Divide the text at every",
        "prefers-color-scheme: dark",
    ] {
        assert!(page.contains(there), "{there}");
    }
    assert!(!page.contains("<script>alert") && !page.contains('\u{1b}'), "data is text");
    // One script and one style, both in the page; nothing is loaded.
    assert_eq!((page.matches("<script>").count(), page.matches("<style>").count()), (1, 1));
    assert!(!page.contains("http://") && !page.contains("https://") && !page.contains("src=") && !page.contains("@import"));
    assert!(page.len() < 200_000, "{} bytes", page.len());
}

#[test]
fn json_has_the_same_and_rows_are_capped() {
    let yard = yard();
    let json: serde_json::Value = serde_json::from_str(&report(&yard, &["--to", "json", "--rows", "4"])).unwrap();
    assert_eq!(json["verdict"], "17 of 300 rows with faults (5.7 %)");
    let uppercase = &json["faults"][0];
    assert_eq!((uppercase["rows"].as_array().unwrap().len(), uppercase["results"][0]["count"].as_u64()), (4, Some(15)));
    assert_eq!(uppercase["rows"][0]["row"], 4);
    // Each check has its own rows, however many rows fail the check before.
    let words =
        |faults: &serde_json::Value| json["summary"]["checks"][faults["check"].as_u64().unwrap() as usize]["check"].clone();
    let length = json["faults"].as_array().unwrap().iter().find(|faults| words(faults) == "length 8").unwrap();
    assert_eq!(length["rows"][0]["value"][0]["text"], "␛[31mGRP-", "{length}");
    assert_eq!(json["summary"]["rows"]["with_faults"], 17);
    assert_eq!(json["columns"][0]["shapes"][0]["shape"], "U3-d8-U1d1U1d1");
    report(&yard, &["-o", "page.json"]);
    let named: serde_json::Value = serde_json::from_str(&yard.read("page.json")).unwrap();
    assert_eq!(named["version"], 2);
    assert!(report(&yard, &["--to", "html", "--rows", "4"]).contains("The first 4 of 17 rows"));
}

/// The rows of a check are its first ones, also where a later row was kept for another check.
#[test]
fn first_rows_are_the_first_and_rows_are_shown_with_all_their_faults() {
    let yard = Yard::new();
    // The family fails in every row, and the serial from row 31.
    let row = |row: usize| format!("grp-{:08}{}\n", row, if row > 30 { "x" } else { "" });
    yard.write("a.csv", format!("part_code\n{}", (1..=40).map(row).collect::<String>()));
    yard.write("list.cutlist.toml", LIST);
    let json: serde_json::Value = serde_json::from_str(&report(&yard, &["--to", "json", "--rows", "5"])).unwrap();
    let rows = |faults: &serde_json::Value| -> Vec<u64> {
        faults["rows"].as_array().unwrap().iter().map(|row| row["row"].as_u64().unwrap()).collect()
    };
    let all: Vec<Vec<u64>> = json["faults"].as_array().unwrap().iter().map(rows).collect();
    assert_eq!(all, [vec![1, 2, 3, 4, 5], vec![31, 32, 33, 34, 35], vec![31, 32, 33, 34, 35]]);
    assert_eq!(rows(&json), [1, 2, 3, 4, 5]);
    // Behind the first values of a check are the others.
    let page = report(&yard, &["--to", "html", "--rows", "40"]);
    let of_row = page.split_once("id=\"rows\"").unwrap().1;
    let of_row = of_row.split("<tr>").find(|row| row.contains("00000031x")).unwrap();
    for words in ["family: <code>uppercase</code>", "serial: <code>length 8</code>", "serial: <code>digits</code>", "(warns)"] {
        assert!(of_row.contains(words), "{words}: {of_row}");
    }
    let yard = Yard::new();
    let rows = (0..130).map(|row| format!("GRP-{row:08}x\n")).collect::<String>();
    yard.write("a.csv", format!("part_code\n{rows}GRP-1\nGRP-1\n"));
    yard.write("list.cutlist.toml", LIST);
    let page = report(&yard, &["--to", "html"]);
    assert!(page.contains("<summary>and 119 other values, in 119 rows</summary>"), "{page}");
    assert!(page.contains("00000000x</code>") && page.contains("31 more values"));
}

/// 200 000 faults of long values, and as many rows as can be asked for.
#[test]
fn a_page_of_many_faults_is_small() {
    let yard = Yard::new();
    let row = |row: usize| format!("grp-{row:08}&<{}>-{}\n", "x<".repeat(row % 150), "é".repeat(row % 90));
    yard.write("a.csv", format!("part_code\n{}", (0..20_000).map(row).collect::<String>()));
    yard.write("list.cutlist.toml", LIST);
    let checks: Vec<String> = (1..=9).map(|n| format!("family: one of \"{n}\"")).collect();
    let checks: Vec<&str> = checks.iter().flat_map(|check| ["--check", check]).collect();
    let page = report(&yard, &[&["--to", "html", "--rows", "1000"], &checks[..]].concat());
    assert!(page.len() < 2_000_000, "{} bytes", page.len());
    assert!(page.contains("20 000 of 20 000 rows with faults"));
}

#[test]
fn a_long_value_is_shown_around_the_error() {
    let yard = Yard::new();
    let long = |middle: &str| format!("{}{middle}{}", "7".repeat(400_000), "8".repeat(500_000));
    yard.write("a.csv", format!("code,depot\n{},East\n{},East\n", long("x"), "é".repeat(300_000)));
    let words = ["report", "a.csv", "-c", "code", "-p", "no: whole", "--check", "no: digits", "-q"];
    let page = yard.out(&words);
    assert!(page.len() < 60_000, "{} bytes", page.len());
    assert!(page.contains("77</span><span class=\"wrong\">x</span><span class=\"piece\">88"), "{page}");
}

#[test]
fn changes_are_a_section() {
    let yard = yard();
    yard.write("b.csv", yard.read("a.csv").replace("grp-", "GRP-").replace("<script>alert(1)</script>", "GRP-00000001-S7K2"));
    yard.out(&["survey", "b.csv", "--save", "b.json", "-q"]);
    yard.run(&["check", "b.csv", "-l", "list.cutlist.toml", "--summary", "checked.json", "-q"]);
    let page = report(&yard, &["--to", "html", "--against", "b.json", "--against", "checked.json"]);
    for there in
        ["Since b.json", "new shape L3-d8-U1d1U1d1: 15 values", "Since checked.json", "uppercase: 17 rows now, 1 before"]
    {
        assert!(page.contains(there), "{there}");
    }
    let place = |text: &str| page.find(text).unwrap_or_default();
    assert!(place("<h2 id=\"new\">") < place("<h2 id=\"faults\">"), "what is new comes first");
}

#[test]
fn columns_show_numbers_dates_and_look_alike_characters() {
    let yard = Yard::new();
    let row = |n: usize| {
        let code = if n == 7 { "GRP\u{2011}07" } else { "GRP-07" };
        format!("{code},{},2025-{:02}-11\n", n * 7919 % 90 + 10, n % 3 + 9)
    };
    yard.write("a.csv", &("code,qty,made\n".to_owned() + &(1..=90).map(row).collect::<String>()));
    let pieces = ["code", "qty", "made"].map(|name| format!("p_{name} of {name}: whole"));
    let words = pieces.iter().flat_map(|piece| ["-p", piece]);
    let words: Vec<&str> = ["report", "a.csv", "-q", "--to", "html"].into_iter().chain(words).collect();
    let page = yard.out(&words);
    for there in [
        "100 % of the values are numbers: least 10, first quartile 32, median 54, third quartile 77, greatest 99",
        "Distribution of qty: 10 to 19: 10",
        "date &quot;%Y-%m-%d&quot; reads 100 % of the values, from 2025-09-11 to 2025-11-11",
        "Distribution of made: 2025-09: 30, 2025-10: 30, 2025-11: 30",
        "U3<span class=\"odd\" title=\"U+2011\">\u{2011}</span>d2",
    ] {
        assert!(page.contains(there), "{there}");
    }
}

#[test]
fn reports_without_faults_or_checks_and_invalid_requests() {
    let yard = yard();
    yard.write("good.csv", "part_code,depot\nGRP-00000001-S7K2,East\n");
    let verdict = |words: &[&str]| {
        let json: serde_json::Value =
            serde_json::from_str(&yard.out(&[&["report", "--to", "json", "-q"], words].concat())).unwrap();
        json["verdict"].as_str().unwrap().to_owned()
    };
    assert_eq!(verdict(&["good.csv", "-l", "list.cutlist.toml"]), "All 4 checks passed");
    assert_eq!(verdict(&["good.csv", "-c", "part_code", "-p", "x: first 1"]), "No checks ran: the pieces have none");
    let missing = ["a.csv", "-c", "part_code", "-p", "x: after \"-\"", "-p", "y: first 1", "--check", "y: length 1"];
    assert_eq!(
        verdict(&missing),
        "No check failed, but x (1 row) is missing and has no check; the hints say that results may be wrong"
    );
    yard.write("none.csv", "part_code,depot\n");
    assert_eq!(verdict(&["none.csv", "-l", "list.cutlist.toml"]), "No check failed, but the input has no rows");
    let refused = yard.run_on("part_code\nGRP\n", &["report", "-l", "list.cutlist.toml", "-o", "x.html"]);
    assert!(refused.status == 2 && refused.stderr.contains("standard input is read only once"), "{}", refused.shown());
    assert_eq!(yard.run(&["report", "a.csv", "-l", "list.cutlist.toml", "-o", "a.csv"]).status, 2);
}
