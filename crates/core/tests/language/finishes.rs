//! Steps that change the text, units, and conditions: tables of value, phrase and result.

use crate::support::{cut, gives, holds};
use keen_notch_core::text::unit::Unit;

const CODE: &str = "GRP-00041273-S7K2";
const REFERENCE: &str = "INSP 2025/11 WO:77120 (Ines Okafor) brake pad 3.25 mm";

#[test]
fn keeping_dropping_replacing() {
    gives(&[
        (REFERENCE, "keep digits", "20251177120325"),
        (CODE, "keep digits", "0004127372"),
        (CODE, r#"keep digits and any of "-""#, "-00041273-72"),
        (CODE, "drop digits", "GRP--SK"),
        (CODE, r#"drop any of "-0""#, "GRP41273S7K2"),
        ("Führung 7", "keep letters", "Führung"),
        ("u\u{308}1", "drop letters", "1"),
        ("abc", "keep digits", ""),
        ("aB", "keep uppercase", "B"),
        ("aB", "keep lowercase", "a"),
        ("a-1 ·", "keep punctuation", "-·"),
        ("a-1 ·", "keep alphanumeric", "a1"),
        (CODE, r#"replace "-" with """#, "GRP00041273S7K2"),
        (CODE, r##"replace digits with "#""##, "GRP-#-S#K#"),
        (CODE, r#"replace "grp" any case with "X""#, "X-00041273-S7K2"),
        (CODE, r#"replace any of "-7" with "$1""#, "GRP$1000412$13$1S$1K2"),
        (CODE, r#"replace /(\d)(\d)/ with "$2$1""#, "GRP-00402137-S7K2"),
        (CODE, r#"replace /(?<head>^[A-Z]+)-/ with "${head}$$""#, "GRP$00041273-S7K2"),
        (CODE, r#"replace "x" with "y""#, CODE),
        ("-", r#"replace "-" with """#, ""),
    ]);
}

#[test]
fn tidying() {
    gives(&[
        ("brake   pad\t\n3", "squeeze", "brake pad 3"),
        (" a ", "squeeze", " a "),
        ("INES o'NEILL-zoë", "title", "Ines O'Neill-Zoë"),
        ("d’angelo", "title", "D’Angelo"),
        ("IT'S we'll I'VE", "title", "It's We'll I've"),
        ("brake pad, spare", r#"clip to 10 with "…""#, "brake pad…"),
        ("brake pad", r#"clip to 9 with "…""#, "brake pad"),
        ("brake pad", "clip to 5", "brake"),
        ("Fu\u{308}hrung", "clip to 2", "Fu\u{308}"),
        ("77120", r#"prefix "WO-" then suffix " mm""#, "WO-77120 mm"),
        ("", r#"prefix "WO-""#, ""),
        ("", r#"pad left to 6 with "0""#, ""),
        ("-", r#"pad left to 4 with "é""#, "ééé-"),
        (CODE, r#"section 2 by "-" then plain number"#, "41273"),
        ("F", r#"lookup "M" as "Male", "F" as "Female""#, "Female"),
        ("f", r#"lookup "M" as "Male", "F" as "Female""#, ""),
        ("É", r#"lookup "é" as "e" any case"#, "e"),
        (CODE, r#"sections by "-" then lookup "GRP" as "grip", "S7K2" as "x" joined with "+""#, "grip++x"),
        ("٠٤١ ４2½", "plain digits", "041 42½"),
        ("a-7 ٣½", "drop punctuation", "a7 ٣½"),
        ("a\u{3000}\u{3000}\u{e33} \t b", "squeeze", "a \u{3000}\u{e33} b"),
        ("1.204,50", r#"plain number like "1.234,5""#, "1204.5"),
        ("-1.204,50", r#"plain number like "1.234,5""#, "-1204.5"),
        ("1.204,50 kg", r#"plain number like "1.234,5""#, ""),
        ("(1.204,50)", r#"plain number like "1.234,5""#, ""),
        ("(1.204,50)", r#"plain number like "(1.234,5)""#, "-1204.5"),
        ("1.204,50-", r#"plain number like "1.234,5-""#, "-1204.5"),
        ("\u{2212}7", "plain number", "-7"),
        (" 7", "plain number", ""),
        ("0000000000000000000000000000000000000007.10", "plain number", "7.1"),
    ]);
}

#[test]
fn dates() {
    gives(&[
        ("20251103", r#"date "%Y%m%d""#, "2025-11-03"),
        ("20251341", r#"date "%Y%m%d""#, ""),
        ("2025113", r#"date "%Y%m%d""#, ""),
        ("251103", r#"date "%y%m%d""#, "2025-11-03"),
        ("3.11.2025", r#"date "%d.%m.%Y""#, "2025-11-03"),
        ("2025-11-03", r#"date "%Y-%m-%d""#, "2025-11-03"),
        ("2024-02-30", r#"date "%Y-%m-%d""#, ""),
        ("03 Nov 2025", r#"date "%d %b %Y""#, "2025-11-03"),
        ("2025-11-03 14:05", r#"date "%Y-%m-%d %H:%M""#, "2025-11-03T14:05:00"),
        ("2025-11-03 14:05 +0100", r#"date "%Y-%m-%d %H:%M %z""#, "2025-11-03T14:05:00+01:00"),
        ("2025-11-03 x", r#"date "%Y-%m-%d""#, ""),
        // Invalid dates in the right format.
        ("11/28/23", r#"date "%m/%d/%Y""#, ""),
        ("2008-005", r#"date "%d%m%Y""#, ""),
        ("-20251103", r#"date "%Y%m%d""#, ""),
        ("+2025-11-03", r#"date "%Y-%m-%d""#, ""),
        (" 2025-11- 3", r#"date "%Y-%m-%d""#, ""),
        ("2025-11- 3", r#"date "%Y-%m-%e""#, "2025-11-03"),
        ("3.11.5", r#"date "%d.%m.%y""#, ""),
        ("3.11.25", r#"date "%d.%m.%y""#, "2025-11-03"),
        ("0311 25", r#"date "%d%m %y""#, "2025-11-03"),
        ("311 25", r#"date "%d%m %y""#, ""),
        ("03 NOV 2025", r#"date "%d %b %Y""#, "2025-11-03"),
        ("11/3/25", r#"date "%D""#, "2025-11-03"),
        ("100%2025-11-03", r#"after "100" then date "%%%F""#, "2025-11-03"),
        // Two-digit years.
        ("03.11.29", r#"date "%d.%m.%y" from 1930"#, "2029-11-03"),
        ("03.11.30", r#"date "%d.%m.%y" from 1930"#, "1930-11-03"),
        ("03.11.68", r#"date "%d.%m.%y""#, "2068-11-03"),
        ("03.11.69", r#"date "%d.%m.%y""#, "1969-11-03"),
    ]);
}

#[test]
fn each_of_several_results_is_finished() {
    gives(&[
        ("a1b2", r#"runs of letters then upper joined with "-""#, "A-B"),
        ("a-;bc;d", r#"sections by ";" then char 2 joined with "|""#, "-|c|"),
        ("a;b", r#"sections by ";" then char 2 joined with "|""#, ""),
        ("a;b", r#"sections by ";" joined with "|" then upper"#, "A|B"),
    ]);
    holds(&[
        ("x", r#"numbers joined with "|" or "none""#, "none", "fallback"),
        ("7;12345", r#"sections by ";" then pad left to 3 with "0" joined with "|""#, "007|12345", "long"),
    ]);
}

#[test]
fn units() {
    // An é of two code points and three bytes; an ü of two bytes.
    for (value, phrase, unit, result, state) in [
        ("e\u{301}ü-7", "first 2", Unit::Codepoints, "e\u{301}", "filled"),
        ("e\u{301}ü-7", "length", Unit::Codepoints, "5", "filled"),
        ("e\u{301}ü-7", "length", Unit::Bytes, "7", "filled"),
        ("e\u{301}ü-7", r#"position of "-""#, Unit::Bytes, "6", "filled"),
        ("üx", "first 2", Unit::Bytes, "ü", "filled"),
        ("xü", "first 2", Unit::Bytes, "x", "short"),
        ("xü", "last 1", Unit::Bytes, "", "missing"),
        ("aé", "drop last 1", Unit::Bytes, "a", "short"),
        ("éa", "drop first 1", Unit::Bytes, "a", "short"),
        ("éa", "drop first 2", Unit::Bytes, "a", "filled"),
        ("aé", "drop last 2", Unit::Bytes, "a", "filled"),
        ("e\u{301}ü-7", "length in bytes", Unit::Characters, "7", "filled"),
        ("e\u{301}ü-7", "length in codepoints", Unit::Bytes, "5", "filled"),
        ("e\u{301}ü-7", "length in characters", Unit::Bytes, "4", "filled"),
        ("xüy", "chars 2 to 3", Unit::Bytes, "ü", "filled"),
        ("xüy", "chars 3 to 4", Unit::Bytes, "y", "short"),
        ("xü", r#"pad left to 5 with "0""#, Unit::Bytes, "00xü", "filled"),
        ("Zoe\u{301}-7", r#"before "e""#, Unit::Codepoints, "Zo", "filled"),
        ("Führung", "clip to 3", Unit::Bytes, "Fü", "filled"),
    ] {
        assert_eq!(cut(value, phrase, unit), (result.to_owned(), state.to_owned()), "{value} → {phrase}, {unit:?}");
    }
}

#[test]
fn conditions() {
    for (condition, holds_for, fails_for) in [
        ("required", vec!["x"], vec![""]),
        ("blank", vec!["", " \u{a0}"], vec!["x"]),
        ("not blank", vec!["x"], vec![""]),
        ("length 3", vec!["GRP", "Fu\u{308}h"], vec!["GR", "GRPX"]),
        ("length 2 to 3", vec!["GR", "GRP"], vec!["G", "GRPX"]),
        ("length 2 to", vec!["GR", "GRPX"], vec!["G"]),
        ("digits", vec!["0123"], vec!["", "12a", "٣"]),
        ("uppercase", vec!["ÄB"], vec!["Ab", "A1"]),
        ("digits and any of \"-\"", vec!["1-2"], vec!["1/2"]),
        (r"fits /[A-Z]{3}|x/", vec!["GRP", "x"], vec!["GRPS", "xx"]),
        (r"fits /a b # note/x", vec!["ab"], vec!["a b"]),
        ("starts with \"GRP\"", vec!["GRP-1"], vec!["grp-1", ""]),
        ("starts with \"grp\" any case", vec!["GRP-1"], vec!["xGRP"]),
        ("starts with \"e\"", vec!["ex"], vec!["e\u{301}x"]),
        ("starts with \"e\" any case", vec!["Ex"], vec!["E\u{301}x", "xe"]),
        ("ends with \"é\" any case", vec!["xÉ"], vec!["Éx"]),
        ("ends with \"\\n\" any case", vec!["a\n"], vec!["a\r\n"]),
        ("one of \"RIG\", \"straße\" any case", vec!["rig", "STRAßE"], vec!["ri", "strasse"]),
        ("starts with digits", vec!["1x"], vec!["x1"]),
        (r"starts with /\d\d/", vec!["12x"], vec!["1x2", "x12"]),
        ("ends with \"-\"", vec!["a-"], vec!["-a", "-\u{301}"]),
        ("ends with \"AA\" any case", vec!["aaa"], vec!["aab"]),
        ("ends with any of \"ab\"", vec!["xb"], vec!["bx"]),
        (r"ends with /\d/", vec!["x1"], vec!["1x"]),
        ("contains \"-\"", vec!["a-b"], vec!["ab"]),
        ("contains word \"WO\"", vec!["x WO:1", "WO", "TWO WO"], vec!["TWO", "WO1", "WOÄ", "e\u{301}WO"]),
        ("one of \"A\", \"B\"", vec!["A", "B"], vec!["a", "AB", ""]),
        ("not one of \"none\"", vec!["x"], vec!["none"]),
        ("range 1 to 999", vec!["1", "999.0", "0500"], vec!["0", "999.01", "x", ""]),
        ("range -1.5 to", vec!["-1.5", "7"], vec!["-1.51"]),
        ("range to 5", vec!["-9", "5"], vec!["6"]),
        ("date \"%Y-%m-%d\"", vec!["2024-02-29"], vec!["2025-02-29"]),
    ] {
        for (value, expected) in
            holds_for.iter().map(|value| (value, "true")).chain(fails_for.iter().map(|value| (value, "false")))
        {
            let (result, state) = cut(value, &format!("whether {condition}"), Unit::Characters);
            assert_eq!((result.as_str(), state.as_str()), (expected, "filled"), "{value:?} {condition}");
        }
    }
}
