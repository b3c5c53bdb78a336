//! A first day with an unknown file: an export with semicolons in an old encoding and mistakes in some rows. The path from the first look
//! to offcuts finds exactly those mistakes.

use std::collections::BTreeMap;

use crate::yard::Yard;

const LIST: &str = r#"
title  = "Tickets"
column = "Ticket"

[reading]
delimiter = ";"
encoding  = "windows-1252"

[piece.year]
take  = 'trim then upper then chars 2 for 2 then prefix "20"'
check = "range 2019 to 2025"

[piece.no]
take  = 'between "-" and "/"'
check = ["digits", "length 4"]

[piece.asset_kind]
of    = "Asset"
take  = "first 3"
check = 'one of "CBL", "TWR", "MOT"'

[piece.asset_no]
of    = "Asset"
take  = "run 1 of digits"
check = "length 3"

[piece.amount]
of    = "Amount"
take  = 'plain number like "1.234,5"'
check = "range 0 to 10000"

[piece.day]
of    = "Date"
take  = 'date "%d.%m.%y"'
check = "required"

[piece.mail]
of     = "Mail"
take   = "whole"
hidden = true
check  = "email"
"#;

/// Mistakes by row and column, and the piece whose check finds each; `None` if the list allows it.
const SLIPS: [(usize, usize, &str, Option<&str>); 13] = [
    (5, 0, "T21-0123", Some("no")),
    (10, 0, "T2l-0456/B", Some("year")),
    (18, 0, " T22-0457/C", None),
    (31, 0, "t23-0999/a", None),
    (42, 0, "", None),
    (56, 1, "CBL1O3-07", Some("asset_no")),
    (60, 1, "CAB103-07", Some("asset_kind")),
    (89, 2, "n/a", Some("amount")),
    (100, 2, "1,204.50", Some("amount")),
    (121, 3, "31.02.24", Some("day")),
    (122, 3, "2024-05-01", Some("day")),
    (141, 4, "tor.berg@lift..skarn.example", Some("mail")),
    (142, 4, "liv holm@lift.skarn.example", Some("mail")),
];

/// The export: 300 tickets with the mistakes.
fn export() -> Vec<u8> {
    let pick = |all: &[&'static str], n: usize| all[n % all.len()];
    let row = |n: usize| -> Vec<String> {
        let amount = format!("{}.{:03},{:02}", 1 + n % 9, n * 37 % 1000, n % 100);
        vec![
            format!("T{}-{:04}/{}", 19 + n % 7, n * 131 % 10_000, pick(&["A", "B", "C"], n)),
            format!("{}{}-{:02}", pick(&["CBL", "TWR", "MOT"], n / 2), 100 + n, 1 + n % 99),
            if n.is_multiple_of(4) { amount[2..].to_owned() } else { amount },
            format!("{:02}.{:02}.{:02}", 1 + n % 28, 1 + n % 12, 19 + n % 7),
            format!("{}.{}@lift.skarn.example", pick(&["ida", "tor", "åsa", "mats"], n), pick(&["holm", "berg"], n / 3)),
            pick(&["Kärn", "Vale", "Summit"], n).to_owned(),
        ]
    };
    let mut rows: Vec<Vec<String>> = (1..=300).map(row).collect();
    SLIPS.iter().for_each(|(row, column, value, _)| rows[row - 1][*column] = (*value).to_owned());
    let lines = rows.iter().map(|cells| cells.join(";") + "\r\n");
    let text = format!("Ticket;Asset;Amount ;Date;Mail;Depot\r\n{}", lines.collect::<String>());
    // In windows-1252, each of these characters is the byte of its code point.
    text.chars().map(|c| u8::try_from(u32::from(c)).unwrap()).collect()
}

#[test]
fn from_the_first_look_to_rows_set_aside() {
    let yard = Yard::with("tickets.csv", export());
    // Look: problems are reported with suggestions.
    let ran = yard.run(&["survey", "tickets.csv"]);
    assert_eq!(ran.status, 3, "{}", ran.shown());
    assert!(ran.stderr.contains("is not UTF-8") && ran.stderr.contains("--encoding windows-1252"), "{}", ran.stderr);
    let page = yard.run(&["survey", "tickets.csv", "--encoding", "windows-1252"]);
    assert!(
        page.stdout.contains("6 columns, 300 rows") && page.stderr.contains("assumed delimiter: \";\""),
        "{}",
        page.shown()
    );
    let next = page.stdout.lines().find_map(|line| line.strip_prefix("A column in depth: keen-notch ")).unwrap();
    assert_eq!(yard.paste(next).status, 0, "{next}");
    // Draft: the list contains the reading options and runs as printed.
    let ran =
        yard.run(&["draft", "tickets.csv", "--encoding", "windows-1252", "-c", "Ticket", "--write", "draft.cutlist.toml"]);
    for (before, file) in [("To see its faults: keen-notch ", ""), ("Next month's file: keen-notch ", "tickets.csv")] {
        let next = ran.stderr.split(before).nth(1).and_then(|rest| rest.lines().next()).unwrap();
        let checked = yard.paste(&next.replace("FILE", file));
        assert_eq!(checked.status, 1, "{}", checked.shown());
    }
    let wanted = ["draft", "tickets.csv", "--encoding", "windows-1252", "-c", "Amount", "--want", "2.074,02 => 2074.02"];
    let phrases = yard.out(&wanted);
    assert!(phrases.contains("1 plain number like \"1.234,5\""), "{phrases}");
    // Carve: exactly the mistakes that the list checks are found.
    yard.write("tickets.cutlist.toml", LIST);
    let words = [
        "carve",
        "tickets.csv",
        "-l",
        "tickets.cutlist.toml",
        "-o",
        "cut.csv",
        "--offcuts",
        "aside.csv",
        "--faults",
        "faults.csv",
    ];
    let ran = yard.run(&words);
    let expected: BTreeMap<usize, &str> = SLIPS.iter().filter_map(|(row, _, _, piece)| Some((*row, (*piece)?))).collect();
    let faults = yard.read("faults.csv");
    let reported: BTreeMap<usize, &str> = faults
        .lines()
        .skip(1)
        .map(|line| line.split(',').collect::<Vec<_>>())
        .map(|cells| (cells[1].parse().unwrap(), cells[4]))
        .collect();
    assert_eq!(reported, expected, "{faults}");
    assert!(ran.stderr.contains("10 rows with faults, set aside in aside.csv"), "{}", ran.stderr);
    let (cut, aside) = (yard.read("cut.csv"), yard.read("aside.csv"));
    assert_eq!((cut.lines().count(), aside.lines().count()), (291, 11));
    assert_eq!(cut.lines().next(), Some("Ticket;Asset;Amount ;Date;Mail;Depot;year;no;asset_kind;asset_no;amount;day"));
    // The mistakes that the list allows came through, tidied.
    let piece =
        |row: &str| cut.lines().find(|line| line.starts_with(row)).unwrap().split(';').skip(6).take(2).collect::<Vec<_>>();
    assert_eq!((piece(" T22-0457/C"), piece("t23-0999/a")), (vec!["2022", "0457"], vec!["2023", "0999"]));
    // Next month: the corrected rows pass.
    let right: String = cut.lines().map(|line| line.split(';').take(6).collect::<Vec<_>>().join(";") + "\n").collect();
    let bytes: Vec<u8> = right.chars().map(|c| u8::try_from(u32::from(c)).unwrap()).collect();
    yard.write("next.csv", bytes);
    let ran = yard.run(&["check", "next.csv", "-l", "tickets.cutlist.toml"]);
    assert_eq!((ran.status, ran.stdout.as_str()), (0, "next.csv: 290 rows: all 8 checks passed\n"), "{}", ran.shown());
}
