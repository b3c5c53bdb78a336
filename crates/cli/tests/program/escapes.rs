//! No terminal escape sequence from outside reaches a terminal.

use keen_notch_core::text::names::is_terminal_control;

use crate::yard::Yard;

/// Sequences that clear a screen, set a title or hide text, in C0 and C1, and direction marks.
const ESCAPES: &str = "\u{1b}[2J\u{1b}]0;title\u{7}\u{1b}[8m\u{9b}3J\u{202e}\u{2066}";

/// Whether a text has no terminal controls except line ends and the program's own styles.
fn holds_nothing(shown: &str) -> bool {
    let own = ["m", "1m", "0m", "22m", "39m", "38;5;243m", "38;5;196m", "38;5;28m", "38;5;30m", "38;5;164m"];
    let mut rest = String::new();
    let mut parts = shown.split("\u{1b}[");
    rest += parts.next().unwrap_or_default();
    for part in parts {
        match own.iter().find_map(|own| part.strip_prefix(own)) {
            Some(after) => rest += after,
            None => return false,
        }
    }
    !rest.chars().any(|c| is_terminal_control(c) && c != '\n' && c != '\t')
}

#[test]
fn no_escape_reaches_a_terminal_from_anywhere() {
    let name = format!("a{ESCAPES}b");
    let yard = Yard::new();
    let (table, list) = (format!("{name}.csv"), format!("{name}.cutlist.toml"));
    let rows: String = (0..30).map(|n| format!("G{ESCAPES}P-{n},x{ESCAPES}\n")).collect();
    yard.write(&table, format!("{name},other{ESCAPES}\n{rows}"));
    let key: String =
        name.chars().map(|c| if is_terminal_control(c) { format!("\\u{:04X}", u32::from(c)) } else { c.to_string() }).collect();
    let list_text = |take: &str| {
        format!(
            "title = \"{key}\"\ncolumn = \"{key}\"\n[piece.\"{key}\"]\ntake = '{take}'\ncheck = [\"digits\", \"one of \\\"{key}\\\"\"]\n\
             [piece.built]\nbuild = \"{key}{{{key}}}\"\nwarn = 'length 3'\n"
        )
    };
    yard.write(&list, list_text("after \"-\""));
    yard.write("wrong.cutlist.toml", list_text(&format!("aftr {ESCAPES}")).replace(&key, "x"));
    yard.write("broken.csv", format!("{name},b\n1,2,{ESCAPES}\n"));
    yard.write(&format!("{name}2.csv"), b"a\n\xFF\n".as_slice());
    let (piece, check) = (format!("p{ESCAPES} of #1: after \"-\""), format!("p{ESCAPES}: length 3"));
    let (want, shape) = (format!("G{ESCAPES}P-7 => 7"), format!("U{ESCAPES}"));
    let (folder, output) = (format!("demo{ESCAPES}"), format!("out{ESCAPES}.csv"));
    let missing = format!("missing{ESCAPES}.csv");
    let wrong = format!("--wrong{ESCAPES}");
    let commands: Vec<Vec<&str>> = vec![
        vec!["survey", &table],
        vec!["survey", &table, "-c", "#1"],
        vec!["survey", &table, "-c", "#1", "--to", "json"],
        vec!["survey", &table, "-c", "#1", "-p", &piece],
        vec!["survey", &table, "-c", "#1", "--rows-of", &shape],
        vec!["survey", &missing],
        vec!["gauge", &name, "-p", &piece],
        vec!["gauge", &name, "-p", &name],
        vec!["gauge", "--file", &table, "-c", "#1"],
        vec!["draft", &table, "-c", "#1"],
        vec!["draft", &table, "-c", "#1", "--want", &want],
        vec!["draft", &table, "-c", "#1", "--want", &name],
        vec!["draft", &table, "-c", "#1", "--write", &output],
        vec!["carve", &table, "-l", &list, "-o", &output, "--faults", "faults.csv"],
        vec!["carve", &table, "-l", &list, "-o", &output, "--strict"],
        vec!["carve", &table, "-p", &piece, "--check", &check, "-o", "o.csv", "--summary", "/dev/stdout"],
        vec!["carve", &table, "-c", &wrong, "-p", "x: whole", "-o", "o.csv"],
        vec!["carve", &table, "-p", &name, "-o", "o.csv"],
        vec!["carve", &table, "-l", "wrong.cutlist.toml"],
        vec!["carve", &table, "-l", &missing],
        vec!["carve", "broken.csv", "-p", "x of #1: whole", "-o", "o.csv"],
        vec!["check", &table, "-l", &list, "--rows", "2"],
        vec!["check", &table, "--layout", &name],
        vec!["explain", &list],
        vec!["explain", &list, &table, "--row", "2"],
        vec!["phrases", &name],
        vec!["demo", "--dir", &folder],
        vec!["demo", "--dir", &folder],
        vec!["manual", &folder],
        vec![&name],
        vec!["carve", &wrong],
        vec!["survey", &table, "--sample", &name],
    ];
    for words in commands {
        for color in ["always", "never"] {
            let ran = yard.run(&[&words[..], &["--color", color]].concat());
            assert!(holds_nothing(&ran.stdout), "{words:?}:\n{:?}", ran.stdout);
            assert!(holds_nothing(&ran.stderr), "{words:?}:\n{:?}", ran.stderr);
        }
    }
    let not_utf8 = yard.run(&["survey", &format!("{name}2.csv")]);
    assert!(holds_nothing(&not_utf8.stderr) && not_utf8.status == 3);
    // Files and pipes get the data unchanged.
    let carved = yard.run(&["carve", &table, "-q", "-p", "x of #2: whole", "-o", "-"]);
    assert!(carved.stdout.contains(ESCAPES));
    let ran = yard.run(&["report", &table, "-p", "x of #1: whole", "--check", "x: length 3", "-o", "page.html"]);
    assert_eq!(ran.status, 0, "{}", ran.shown());
    let page = yard.read("page.html");
    assert!(holds_nothing(&page) && page.contains("␛[2J"), "{page}");
}
