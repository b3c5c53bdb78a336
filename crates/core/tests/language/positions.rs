//! Positions and sections: tables of value, phrase and result.

use crate::support::holds;

const CODE: &str = "GRP-00041273-S7K2";

#[test]
fn positions() {
    holds(&[
        (CODE, "whole", CODE, "filled"),
        ("", "whole", "", "blank"),
        (CODE, "first 3", "GRP", "filled"),
        ("GR", "first 3", "GR", "short"),
        (CODE, "last 4", "S7K2", "filled"),
        ("K2", "last 4", "K2", "short"),
        (CODE, "char 1", "G", "filled"),
        (CODE, "char -1", "2", "filled"),
        (CODE, "char last", "2", "filled"),
        (CODE, "char 17", "2", "filled"),
        (CODE, "char 18", "", "missing"),
        (CODE, "char -18", "", "missing"),
        (CODE, "chars 5 to 12", "00041273", "filled"),
        (CODE, "chars 5 for 8", "00041273", "filled"),
        (CODE, "chars -4 to -1", "S7K2", "filled"),
        (CODE, "chars -4 to end", "S7K2", "filled"),
        (CODE, "chars 14 to end", "S7K2", "filled"),
        (CODE, "chars 14 to last", "S7K2", "filled"),
        (CODE, "chars 5 to -6", "00041273", "filled"),
        (CODE, "chars 14 to 40", "S7K2", "short"),
        (CODE, "chars 14 for 27", "S7K2", "short"),
        (CODE, "chars -4 for 9", "S7K2", "short"),
        (CODE, "chars 40 to 44", "", "missing"),
        (CODE, "chars 18 to end", "", "missing"),
        (CODE, "chars 5 for 1000000000", "00041273-S7K2", "short"),
        ("ABC", "chars -5 to 2", "AB", "short"),
        ("ABC", "chars -5 for 2", "", "missing"),
        ("ABC", "chars 3 to -3", "", "missing"),
        (CODE, "drop first 4", "00041273-S7K2", "filled"),
        (CODE, "drop last 5", "GRP-00041273", "filled"),
        ("GRP-", "drop first 4", "", "missing"),
        ("GRP", "drop last 4", "", "missing"),
    ]);
}

#[test]
fn sections() {
    holds(&[
        (CODE, r#"section 2 by "-""#, "00041273", "filled"),
        (CODE, r#"section -1 by "-""#, "S7K2", "filled"),
        (CODE, r#"section last by "-""#, "S7K2", "filled"),
        (CODE, r#"section -3 by "-""#, "GRP", "filled"),
        (CODE, r#"section -4 by "-""#, "", "missing"),
        (CODE, r#"section 4 by "-""#, "", "missing"),
        (CODE, r#"sections 1 to 2 by "-""#, "GRP-00041273", "filled"),
        (CODE, r#"sections 2 to 3 by "-""#, "00041273-S7K2", "filled"),
        (CODE, r#"sections 2 to 9 by "-""#, "00041273-S7K2", "short"),
        (CODE, r#"sections -9 to -2 by "-""#, "GRP-00041273", "short"),
        (CODE, r#"sections 2 to end by "-""#, "00041273-S7K2", "filled"),
        (CODE, r#"sections -2 to last by "-""#, "00041273-S7K2", "filled"),
        (CODE, r#"sections 4 to end by "-""#, "", "missing"),
        (CODE, r#"section 2nd last by "-""#, "00041273", "filled"),
        (CODE, r#"sections 2nd to last by "-""#, "00041273-S7K2", "filled"),
        (CODE, "char 2nd last", "K", "filled"),
        (CODE, "number 2nd", "7", "filled"),
        (CODE, "run 3rd last of digits", "00041273", "filled"),
        ("ABC", "chars -5 to end", "ABC", "filled"),
        ("MECH", r#"section 1 by "-""#, "MECH", "filled"),
        ("MECH", r#"section 2 by "-" or whole"#, "MECH", "fallback"),
        ("MECH", r#"section 2 by "-" or "none""#, "none", "fallback"),
        ("A--B", r#"section 2 by "-""#, "", "missing"),
        ("A--B", r#"section 3 by "-""#, "B", "filled"),
        ("A--B", r#"section 2 by "--""#, "B", "filled"),
        ("A---B", r#"section 2 by "--""#, "-B", "filled"),
        ("Zoe\u{301}-7", r#"section 1 by "e""#, "Zoe\u{301}-7", "filled"),
        ("Zoe\u{301}e7", r#"section 2 by "e""#, "7", "filled"),
        ("a–b", r#"section 2 by "\u{2013}""#, "b", "filled"),
    ]);
}

#[test]
fn finishes() {
    holds(&[
        ("S7K2  ", "last 4", "K2  ", "filled"),
        ("S7K2  ", "trim then last 4", "S7K2", "filled"),
        (" \u{a0}x ", "trim left", "x ", "filled"),
        (" x\u{a0} ", "trim right", " x", "filled"),
        ("   ", "trim", "", "blank"),
        ("  \u{301}a \u{301} ", "trim", " \u{301}a \u{301}", "filled"),
        ("   ", "trim left", "", "blank"),
        ("   ", "trim right or \"\"", "", "fallback"),
        ("Führung-7a", "upper", "FÜHRUNG-7A", "filled"),
        ("straße", "upper then first 6", "STRASS", "filled"),
        ("ÅSA LIND", "lower", "åsa lind", "filled"),
        ("ΟΔΟΣ", "lower", "οδος", "filled"),
        ("385", r#"pad left to 6 with "0""#, "000385", "filled"),
        ("385", r#"pad right to 6 with ".""#, "385...", "filled"),
        ("385", r#"pad left to 6 with "ab""#, "aba385", "filled"),
        ("123456", r#"pad left to 6 with "0""#, "123456", "filled"),
        ("1234567", r#"pad left to 6 with "0""#, "1234567", "long"),
        ("Fü", r#"pad left to 3 with "·""#, "·Fü", "filled"),
        ("ab-cd", r#"upper then section 2 by "-" then lower then pad left to 4 with "X" then chars 2 to 3"#, "Xc", "filled"),
    ]);
}

#[test]
fn branches() {
    holds(&[
        ("AB", "first 3 then pad left to 1 with \"0\"", "AB", "short, long"),
        ("AB", "char 9 or first 3", "AB", "short, fallback"),
        ("AB", "char 9 or char 8", "", "missing"),
        ("AB", "char 9 or char 8 or \"\"", "", "fallback"),
        ("", "first 3 or 'blank'", "blank", "fallback"),
        ("AB", "\"fixed\"", "fixed", "filled"),
        // Texts of a failed branch must not leak into the next one.
        ("ab", "upper then char 3 or whole", "ab", "fallback"),
        ("AB", "first 9 then drop first 2 or whole", "AB", "fallback"),
    ]);
}

#[test]
fn a_character_is_a_grapheme_cluster() {
    holds(&[
        ("Führung-7", "first 3", "Füh", "filled"),
        ("Fu\u{308}hrung-7", "first 3", "Fu\u{308}h", "filled"),
        ("Fu\u{308}hrung-7", "chars 2 to 3", "u\u{308}h", "filled"),
        ("Fu\u{308}hrung-7", "char 2", "u\u{308}", "filled"),
        ("Fu\u{308}", "last 3", "Fu\u{308}", "short"),
        ("👩\u{200d}🚀東京", "last 2", "東京", "filled"),
        ("👩\u{200d}🚀東京", "drop last 2", "👩\u{200d}🚀", "filled"),
        ("a\r\nb", "char 2", "\r\n", "filled"),
        ("a\r\nb", "drop first 2", "b", "filled"),
    ]);
}
