//! Markers, numbers, runs and matches: tables of value, phrase and result.

use crate::support::{gives, holds};

const CODE: &str = "GRP-00041273-S7K2";
const REFERENCE: &str = "INSP 2025/11 WO:77120 (Ines Okafor) brake pad 3.25 mm";

#[test]
fn before_after_from_through() {
    gives(&[
        (CODE, r#"before "-""#, "GRP"),
        (CODE, r#"before last "-""#, "GRP-00041273"),
        (CODE, r#"before 2nd last "-""#, "GRP"),
        (CODE, r#"before 3rd "-""#, ""),
        (CODE, r#"before "G""#, ""),
        (CODE, r#"after "-""#, "00041273-S7K2"),
        (CODE, r#"after 2nd "-""#, "S7K2"),
        (CODE, r#"after 2nd last "-""#, "00041273-S7K2"),
        (CODE, r#"after "2""#, "73-S7K2"),
        (CODE, r#"after last "2""#, ""),
        (CODE, r#"from "S""#, "S7K2"),
        (CODE, r#"through 2nd "-""#, "GRP-00041273-"),
        (CODE, "from digits", "00041273-S7K2"),
        (CODE, "before digits", "GRP-"),
        (CODE, "after digits", "-S7K2"),
        (CODE, "after last letters", "2"),
        (CODE, "after letters and digits", "-00041273-S7K2"),
        (CODE, r#"before any of "47""#, "GRP-000"),
        (CODE, r#"before "grp""#, ""),
        (CODE, r#"through "grp-" any case"#, "GRP-"),
        (CODE, r"before /\d+-/", "GRP-"),
        (CODE, r"after /[a-z]/i", "RP-00041273-S7K2"),
        (REFERENCE, r#"after "wo:" any case then before " ""#, "77120"),
        (REFERENCE, r#"from "WO:" then first 8"#, "WO:77120"),
        ("Straße STRASSE", r#"after "STRASSE" any case"#, ""),
        ("ÄPFEL äpfel x", r#"after last "Äpfel" any case"#, " x"),
        ("aaa", r#"after "aa""#, "a"),
        ("aaaa", r#"before last "aa""#, "aa"),
        ("aaa", r#"before last "aa""#, ""),
        ("Zoe\u{301}e", r#"before "e""#, "Zoe\u{301}"),
        ("a\u{301}1b2", "before digits", "a\u{301}"),
        ("x 7\u{20e3} 8", "from digits", "8"),
        ("Führung 東京 7", "after letters", " 東京 7"),
        ("ÅSA LIND@Lift.Skarn.Example", r#"before "@" then lower"#, "åsa lind"),
        ("a\tb\u{a0}c", "after last spaces", "c"),
        // An ordinal can be written as an ordinal or as a position.
        (CODE, r#"after 2 "-""#, "S7K2"),
        (CODE, r#"before -1 "-""#, "GRP-00041273"),
        (CODE, r#"between 1 "-" and last "-""#, "00041273"),
        (CODE, r#"position of -1 "-""#, "13"),
        // Matches in any case consist of whole characters.
        ("👩\u{200d}👧", r#"count of "👩" any case"#, "0"),
        ("É\u{323}é", r#"before "É" any case"#, "É\u{323}"),
        ("ae\u{301}", r"position of /\u{301}/", "2"),
    ]);
    holds(&[
        ("Noor", r#"before " " or "no space""#, "no space", "fallback"),
        ("x", r#"number like "1,234.5" or "0""#, "0", "fallback"),
        ("x", r#"number like "-1,234.5" or "(none)""#, "(none)", "fallback"),
    ]);
}

#[test]
fn between() {
    gives(&[
        ("AUDIT (Noor Hale) relay", r#"between "(" and ")""#, "Noor Hale"),
        (CODE, r#"between 1st "-" and 2nd "-""#, "00041273"),
        (CODE, r#"between "-" and "-""#, "00041273"),
        (CODE, r#"between 2nd "-" and 1st "-""#, ""),
        (CODE, r#"between 1st "-" and last "-""#, "00041273"),
        (CODE, r#"between "-" and "x""#, ""),
        (CODE, r#"between letters and letters"#, "-00041273-"),
        (CODE, r#"between "-" any case and digits"#, ""),
        (CODE, r"between /\d{4}/ and /\d$/", "1273-S7K"),
        ("()", r#"between "(" and ")""#, ""),
        (")x(y)", r#"between "(" and ")""#, "y"),
        (")x(y)", r#"between "(" and 1st ")""#, ""),
        (REFERENCE, r#"between "(" and ")" then after last " " or whole"#, "Okafor"),
    ]);
}

#[test]
fn sections_by_any_marker() {
    gives(&[
        (CODE, r#"section 2 by any of "-7""#, "000412"),
        (CODE, r#"section 3 by any of "-7""#, "3"),
        ("brake  pad\u{a0}3", "section 2 by spaces", "pad"),
        ("brake  pad\u{a0}3", "section -1 by spaces", "3"),
        ("1x2X3", r#"section 3 by "x" any case"#, "3"),
        ("a1b22c", r"section 3 by /\d+/", "c"),
        ("A;;B;", r#"section 2 by ";" skipping empty"#, "B"),
        ("A;;B;", r#"section -1 by ";" skipping empty"#, "B"),
        ("A;;B;;C", r#"sections 1 to 2 by ";" skipping empty"#, "A;;B"),
        (";;", r#"section 1 by ";" skipping empty"#, ""),
        ("A;;B;", r#"sections by ";" skipping empty joined with "+""#, "A+B"),
        ("A;;B;", r#"sections by ";" joined with "+""#, "A++B+"),
        (";", r#"sections by ";" joined with "+""#, ""),
    ]);
    holds(&[("A;;B", r#"sections 2 to 5 by ";" skipping empty"#, "B", "short")]);
}

#[test]
fn numbers() {
    gives(&[
        ("pad 3.25 mm x 12", "number", "3.25"),
        ("pad 3.25 mm x 12", "number 2", "12"),
        ("pad 3.25 mm x 12", "number last", "12"),
        ("pad 3.25 mm x 12", "number 3", ""),
        (REFERENCE, r#"numbers joined with "; ""#, "2025; 11; 77120; 3.25"),
        (REFERENCE, "number last", "3.25"),
        (REFERENCE, "number -2", "77120"),
        ("v1.2.3", r#"numbers joined with "|""#, "1.2|3"),
        ("3.", "number", "3"),
        ("no figures", "number", ""),
        ("net 1.204,50 kg", r#"number like "1.234,5""#, "1204.50"),
        ("net 1.204,50 kg", r#"number like "1.234,5" then plain number"#, "1204.5"),
        ("net 1.204,50 kg", "number", "1.204"),
        ("net 1,204.50 kg", r#"number like "1,234.5""#, "1204.50"),
        ("1 204,5 and 12", r#"numbers like "1 234,5" joined with "|""#, "1204.5|12"),
        ("1\u{202f}204,5", r#"number like "1 234,5""#, "1204.5"),
        ("12345678.5", r#"number like "1,234.5""#, "12345678.5"),
        // `like` matches a whole number or no number.
        ("1,2045", r#"number like "1,234.5""#, ""),
        ("1234,567", r#"number like "1,234""#, ""),
        ("1.5", r#"number like "1234""#, ""),
        ("5,6kg", r#"number like "1,234.5""#, ""),
        ("USD 1,234.50", r#"number like "1.234,5""#, ""),
        ("v1.10.2", r#"number like "1,234.5""#, ""),
        ("1.2e3", r#"number like "1,234.5""#, ""),
        ("1.2E-3, 7", r#"numbers like "1,234.5" joined with "|""#, "7"),
        ("1,,234", r#"number like "1,234.5""#, ""),
        ("1_000", r#"number like "1,234.5""#, ""),
        ("1\u{a0}234", r#"number like "1,234.5""#, ""),
        ("12 34 567,8", r#"number like "1 234,5""#, ""),
        ("1 of 12", r#"numbers like "1 234,5" joined with "|""#, "1|12"),
        ("5,6 or 1,234 or 7", r#"number 2 like "1,234.5""#, "7"),
        // A digit with a joiner or a mark invalidates the whole number.
        ("77120\u{200d}", "number", ""),
        ("77120\u{200d}", r#"number like "1,234.5""#, ""),
        ("7\u{301}7120 5", "number", "5"),
        ("77\u{200d}120", "numbers joined with \"|\"", ""),
        ("1.5\u{301} 3", "numbers joined with \"|\"", "3"),
        ("\u{600}77", "number", ""),
        // Signs by one or several examples.
        ("(1,234.5)", r#"number like "(1,234.5)""#, "-1234.5"),
        ("1,234.5", r#"number like "(1,234.5)""#, "1234.5"),
        ("1,234.5-", r#"number like "1,234.5-""#, "-1234.5"),
        ("1,234.5+", r#"number like "1,234.5-""#, "1234.5"),
        ("-5, 6-, (7), 8", r#"numbers like "-1,234.5" or "(1,234.5)" or "1,234.5-" joined with "|""#, "-5|-6|-7|8"),
        ("-5, (7)", r#"numbers signed like "(1,234.5)" joined with "|""#, "-5|-7"),
        ("-5-", r#"number like "-1,234.5" or "1,234.5-""#, ""),
        ("5-A", r#"number like "1,234.5-""#, "5"),
        ("5-\u{600}7", r#"number like "1,234.5-""#, "5"),
        ("\u{600}7-5", r#"numbers signed joined with "|""#, "5"),
        ("(5 kg)", r#"number like "(1,234.5)""#, "5"),
        ("\u{2212}4.5", "number signed", "\u{2212}4.5"),
        ("\u{2212}4.5", r#"number signed like "1,234.5""#, "-4.5"),
        ("A\u{2212}4", r#"number signed like "1,234.5""#, "4"),
        ("2,5 kg", r#"number like "1234,5""#, "2.5"),
        ("t -4.5 C, lot A-12", r#"numbers signed joined with "|""#, "-4.5|12"),
        ("+4 -4 5-3 A-1 é-2", r#"numbers signed joined with "|""#, "+4|-4|5|3|1|2"),
        ("e\u{301}-5", "number signed", "5"),
        ("12\u{301} 7", r#"numbers joined with ",""#, "7"),
        ("12\u{200d}", "number", ""),
        ("1\u{2003}204", r#"number like "1 234""#, "1204"),
        ("(-1.234,5)", r#"number signed like "1.234,5""#, "-1234.5"),
        ("+7", r#"number like "1234" signed"#, "7"),
        ("7\u{fe0f}\u{20e3} 8", "number", "8"),
        ("7 of 12", r#"numbers then pad left to 4 with "0" joined with "-""#, "0007-0012"),
    ]);
}

#[test]
fn runs_and_matches() {
    gives(&[
        (CODE, "run 2", "-"),
        (CODE, "run 1 of digits", "00041273"),
        (CODE, "run 2 of digits", "7"),
        (CODE, "run -1 of letters", "K"),
        (CODE, "run 3 of letters and digits", "S7K2"),
        (CODE, "run 9", ""),
        ("aé\u{301}-- 12", r#"runs joined with "|""#, "aé\u{301}|--| |12"),
        (REFERENCE, r#"runs of digits joined with ",""#, "2025,11,77120,3,25"),
        (REFERENCE, r"match /WO:(\d+)/ group 1", "77120"),
        (REFERENCE, r"match /wo:(?<order>\d+)/i group order", "77120"),
        (REFERENCE, r"match /\d{4}\/\d\d/", "2025/11"),
        (REFERENCE, r"match /(x)?WO/ group 1", ""),
        (REFERENCE, r"match /x*/", ""),
        (REFERENCE, r#"matches /\b([A-Z])\w/ group 1 joined with """#, "IWIO"),
        ("aXbX", r#"matches /x?/i joined with "|""#, "X|X"),
        ("ab\ncd", r#"matches /^./m joined with """#, "ac"),
        ("a\nb", "match /a.b/s", "a\nb"),
        ("it's \"/x/\"", r#"match /'s "(\/x)/ group 1"#, "/x"),
    ]);
}

#[test]
fn about_the_text() {
    gives(&[
        (CODE, "length", "17"),
        ("Fu\u{308}", "length", "2"),
        ("", "length", "0"),
        (CODE, r#"position of "-""#, "4"),
        (CODE, r#"position of last "-""#, "13"),
        ("東京-7", r#"position of "-""#, "3"),
        (CODE, r#"position of "x""#, ""),
        (REFERENCE, r#"position of "WO:""#, "14"),
        (CODE, r#"count of "-""#, "2"),
        (CODE, r#"count of "x""#, "0"),
        (REFERENCE, r#"count of " ""#, "8"),
        (CODE, "count of digits", "3"),
        (CODE, r#"section 2 by "-" then length"#, "8"),
        (CODE, r#"whether starts with "GRP""#, "true"),
        (REFERENCE, r#"whether contains "2025""#, "true"),
        ("", "whether blank", "true"),
    ]);
}

#[test]
fn a_hostile_value_takes_linear_time() {
    // A pattern that takes backtracking engines exponential time, and a megabyte of matching text.
    let value = "a".repeat(1 << 20) + "!";
    gives(&[
        (&value, r"match /^(a+)+$/", ""),
        (&value, r#"whether contains word "a""#, "false"),
        (&value, r#"count of "a""#, "1048576"),
    ]);
    let value = "e\u{301}".repeat(1 << 18);
    gives(&[(&value, r#"count of "e""#, "0"), (&value, "count of letters", "1"), (&value, "run 2", "")]);
}
