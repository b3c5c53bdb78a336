//! Invalid phrases: the message, the wrong words and the help.

use keen_notch_core::phrase::ast::Condition;
use keen_notch_core::phrase::{ErrorKind, Phrase, PhraseError, reference};
use keen_notch_core::program::{Program, Scratch};
use keen_notch_core::text::unit::Unit;

#[test]
fn invalid_phrases() {
    for (phrase, at_fault, message, help) in [
        ("chars 0 to 3", "0", "positions start at 1", "write `chars 1 to 3`: the first is 1"),
        ("whether digits or letters", "letters", "`letters` is not a step", "write `whether (digits or letters)`"),
        (
            "whether digits and length 3 then upper",
            "and",
            "`then` or `or` was expected, not `and`",
            "write `whether (digits and length 3) then upper`",
        ),
        (
            "whether digits and leters",
            "leters",
            "a class such as `digits` was expected, not `leters`",
            "write `whether digits and letters`",
        ),
        ("whether (digits", "", "`)`, `and` or `or` is missing at the end", "write `whether (digits)`"),
        (
            "whether (digits then upper",
            "then",
            "`)`, `and` or `or` was expected, not `then`",
            "write `whether (digits) then upper`",
        ),
        (r#"date "%d.%m.%Y" as "yyyy-mm""#, "\"yyyy-mm\"", "the date format cannot be used", r#"write `as "%Y-%m"`"#),
        (r#"date "%d.%m.%Y" as "%Y %H""#, "\"%Y %H\"", "the date format cannot be used", r#"write it like `as "%d.%m.%Y"`"#),
        (r#"date "%Y" as"#, "", "the format of the result in quotes is missing at the end", "as \"%d.%m.%Y\""),
        ("lookup in ", "", "the file in quotes is missing at the end", "lookup in \"families.csv\""),
        ("whether range 2020-02-30 to", "2020-02-30", "a date that exists was expected, not `2020-02-30`", "write it like"),
        ("whether range 2020-01-01 to 5", "5", "a date was expected, not `5`", "write both ends as dates"),
        (
            "whether range 2021-01-01 to 2020-01-01",
            "2021-01-01 to 2020-01-01",
            "the range runs backwards",
            "write `whether range 2020-01-01 to 2021-01-01`",
        ),
        (
            "if digits or letters then first 3",
            "letters",
            "`letters` is not a step",
            "write `if (digits or letters) then first 3`",
        ),
        (
            "first 3 else last 3",
            "else",
            "`then` or `or` was expected, not `else`",
            "write `first 3 or last 3`; `else` follows only",
        ),
        ("if kind: digits then first 3", "if kind: digits", "`if COLUMN` cannot test a single text", "it belongs in a piece"),
        ("whether digits)", ")", "`then` or `or` was expected, not `)`", "remove it; parentheses group conditions"),
        ("char 0", "0", "positions start at 1", "write `char 1`: the first is 1"),
        (r#"section 0 by "-""#, "0", "positions start at 1", r#"write `section 1 by "-"`: the first is 1"#),
        (r#"section 2 by "-"#, "\"-", "a text opened with \" is not closed", r#"close it: `"-"`"#),
        (r#"section 2 by "\x""#, r"\x", r"`\x` is not an escape in a text", r"a backslash itself is `\\`"),
        (r#"section 2 by "\u{110000}""#, r"\u{110000}", r"`\u{110000}` is not an escape in a text", r"`\u{2013}`"),
        ("section 2 by “-”", "“", "the typographic quote “ does not open a text", "write straight quotes: `\"-\"`"),
        ("secton 2 by \"-\"", "secton", "`secton` is not a step", "did you mean `section`? It is written `section 2 by \"-\"`"),
        ("left 3", "left", "`left` is not a step", "write `first 3`"),
        ("banana", "banana", "`banana` is not a step", "a step is a word such as `first 3`"),
        ("first 0", "0", "a width of 0", "write `first 1` or more"),
        ("chars 5 for 0", "0", "a width of 0", "write `chars 5 for 1` or more"),
        (r#"pad left to 0 with "0""#, "0", "a width of 0", r#"write `pad left to 1 with "0"` or more"#),
        ("first -3", "-3", "a width is a number of characters, counted from 1", "write `first 3`"),
        ("first", "", "a number of characters is missing at the end", "write it like `first 3`"),
        ("first three", "three", "a number of characters was expected, not `three`", "write `first 3`"),
        ("chars 9 to 3", "9 to 3", "the range runs backwards", "write `chars 3 to 9`"),
        ("chars -1 to -4", "-1 to -4", "the range runs backwards", "write `chars -4 to -1`"),
        (r#"sections 3 to 2 by "-""#, "3 to 2", "the range runs backwards", r#"write `sections 2 to 3 by "-"`"#),
        ("chars 5 12", "12", "`to` or `for` was expected, not `12`", "write `chars 5 to 12`"),
        ("first 99999999999999999999", "99999999999999999999", "the number is too large", "write 1000000000 or less"),
        (r#"after 1000000001st "-""#, "1000000001st", "the number is too large", "write 1000000000 or less"),
        (r#"pad left to 1000000 with "0""#, "1000000", "the number is too large", "write 100000 or less"),
        (r#"section 2 "-""#, r#""-""#, r#"`by` was expected, not `"-"`"#, r#"write `section 2 by "-"`"#),
        ("section 2", "", "`by` is missing at the end", r#"write `section 2 by "-"`"#),
        ("section 2 by -", "-", "a marker in quotes was expected, not `-`", r#"write `section 2 by "-"`"#),
        (r#"section 2 by """#, r#""""#, "the marker is empty", r#"write `section 2 by "-"`"#),
        (r#"pad left to 6 with """#, r#""""#, "the padding is empty", r#"write `pad left to 6 with "0"`"#),
        ("pad left to 6", "", "`with` and the padding is missing at the end", r#"write `pad left to 6 with "0"`"#),
        ("pad to 6", "to", "`left` or `right` was expected, not `to`", r#"write `pad left to 6 with "0"`"#),
        ("drop 4", "4", "`first`, `last` or a class was expected, not `4`", "write `drop first 4`"),
        ("first 3 upper", "upper", "`then` or `or` was expected, not `upper`", "write `first 3 then upper`"),
        ("first 3, upper", ",", "`then` or `or` was expected, not `,`", "write `first 3 then upper`"),
        (r#"first 3 "x""#, r#""x""#, r#"`then` or `or` was expected, not `"x"`"#, r#"write `first 3 or "x"`"#),
        (r#""x" then upper"#, "then upper", "a step after a literal text", "write the complete text"),
        ("first 3 then", "", "a step is missing at the end", "write a step, such as"),
        ("first 3 or or whole", "or", "`or` is not a step", "write a step before and after it"),
        ("", "", "the phrase is empty", "write a step, such as"),
        (
            r#"before first "-""#,
            "first",
            "an ordinal in figures, or a marker was expected, not `first`",
            r#"write `before 1st "-"`"#,
        ),
        (r#"after 0 "-""#, "0", "positions start at 1", r#"write `after 1 "-"`: the first is 1"#),
        (r#"count of 2nd "a""#, "2nd", "a marker without an ordinal was expected, not `2nd`", r#"write `count of "a"`"#),
        (
            r#"whether starts with last "a""#,
            "last",
            "a marker without an ordinal was expected, not `last`",
            r#"write `whether starts with "a"`"#,
        ),
        (r#"date "%d.%m.%Y" from 1930"#, r#""%d.%m.%Y" from 1930"#, "the date format cannot be used", "%y two-digit year"),
        (r#"date "%d.%m.%y" from -5"#, "-5", "a year from 1 to 9900 was expected, not `-5`", "for years from 1930 to 2029"),
        ("length in feet", "feet", "`bytes`, `codepoints` or `characters` was expected, not `feet`", "`length in bytes`"),
        (r#"whether one of "a" any"#, "", "`case` is missing at the end", r#"write `whether one of "a" any case`"#),
        (r#"after 0th "-""#, "0th", "positions start at 1", r#"write `after 1st "-"`"#),
        ("before", "", "a marker in quotes is missing at the end", r#"write `before "-"`"#),
        ("before digit", "digit", "a marker in quotes was expected, not `digit`", "did you mean `digits`?"),
        ("before WO", "WO", "a marker in quotes was expected, not `WO`", "write `before \"WO\"`"),
        (
            r#"between "(" ")""#,
            r#"")""#,
            r#"`and` and the second marker was expected, not `")"`"#,
            r#"write `between "(" and ")"`"#,
        ),
        ("match /a", "/a", "a regular expression is not closed", "close it: `/a/`"),
        ("match /a/q", "q", "an unknown flag after a regular expression", "the flags are i"),
        ("match \"a\"", "\"a\"", "a regular expression between slashes was expected, not `\"a\"`", "write `match /a/`"),
        ("match /a(b/", "(", "the regular expression cannot be read", "correct the pattern"),
        (r"match /a(b)/ group 2", "2", "the regular expression has no group 2", "it has 1"),
        (r"match /a(?<n>b)/ group m", "m", "the regular expression has no group m", "it has n"),
        (r#"replace /a(b)/ with "$2""#, r#""$2""#, "the regular expression has no group 2", "it has 1"),
        (
            "match /(\\w{900}){900}/",
            "/(\\w{900}){900}/",
            "the regular expression is too large: it would compile to more than 10 MiB",
            "fewer repetitions",
        ),
        ("before /x*/", "/x*/", "the regular expression can match the empty text", "`+` instead of `*`"),
        (r#"number like "abc""#, r#""abc""#, "this is not an example of a number", r#"`like "1,234.5"`"#),
        (r#"number like "1.23.4""#, r#""1.23.4""#, "this is not an example of a number", "write one number"),
        (r#"date "%Y-%q""#, r#""%Y-%q""#, "the date format cannot be used", "%m month"),
        (r#"date "%Y-%m""#, r#""%Y-%m""#, "the date format cannot be used", "%d day"),
        (r#"clip to 2 with "...""#, r#"clip to 2 with "...""#, "the mark does not fit in the width", "clip to 3"),
        ("whole joined with \"-\"", "joined with \"-\"", "`joined with` needs several results", "`numbers`"),
        ("numbers then runs", "runs", "the phrase already gives several results", "join them first"),
        ("keep digit", "digit", "a class such as `digits` was expected, not `digit`", "write `keep digits`"),
        ("whether unikue", "unikue", "`unikue` is not a condition", "did you mean `unique`?"),
        ("whether unique", "unique", "`unique` cannot test a single text", "`check`"),
        ("whether length 8 to 4", "8 to 4", "the range runs backwards", "write `whether length 4 to 8`"),
        ("whether range 9 to 1.5", "9 to 1.5", "the range runs backwards", "write `whether range 1.5 to 9`"),
        ("whether range to", "", "a number at one end is missing at the end", "`range to 999`"),
        (r#"whether one of "A" "B""#, r#""B""#, r#"a comma between the texts was expected, not `"B"`"#, r#"one of "A", "B""#),
        ("whether check digit lun", "lun", "the name of a check digit was expected, not `lun`", "luhn, gs1"),
        (
            r#"lookup "M" as "Male" "F" as "Female""#,
            r#""F""#,
            "a comma between the pairs was expected, not `\"F\"`",
            r#""Male", "F""#,
        ),
        (r#"lookup "M" as """#, r#""M" as """#, "a result of `lookup` is empty", "leave this pair out"),
        (r#"lookup " " as "x""#, r#"" " as "x""#, "a key of `lookup` is blank", "leave this pair out"),
        (r#"lookup "s" as "a", "S" as "b" any case"#, r#""S" as "b""#, "`lookup` has two results for \"S\"", "keep one"),
        (r#"lookup in "f.csv" column give "x""#, "give", "the column in quotes was expected, not `give`", "write"),
        (r#"lookup in "f.csv""#, r#"lookup in "f.csv""#, "f.csv is not available here", "piece of a table"),
        (r"groups of /[A-Z]+/", "/[A-Z]+/", "the regular expression has no group", "parentheses"),
        (r#"groups of "A""#, r#""A""#, "a regular expression between slashes was expected, not `\"A\"`", "groups of /"),
        ("section 2 by \"-\" skipping", "", "`empty` is missing at the end", "skipping empty"),
    ] {
        let error = Phrase::parse(phrase).and_then(|phrase| Program::new(&phrase, Unit::Characters)).expect_err(phrase);
        let found = (&phrase[error.span.clone()], error.kind.to_string());
        assert_eq!(found, (at_fault, message.to_owned()), "{phrase}");
        assert!(error.help.contains(help), "{phrase}: {} does not hold {help}", error.help);
    }
}

#[test]
fn a_suggested_phrase_is_valid() {
    for phrase in ["chars 0 to 3", "chars 9 to 3", "section 2", r#"section 2 "-""#, "first 3 upper", "drop 4", "pad left to 6"]
    {
        let error = Phrase::parse(phrase).expect_err(phrase);
        let offered = error.help.split('`').nth(1).unwrap_or_default();
        assert!(Phrase::parse(offered).is_ok(), "{phrase}: {}", error.help);
    }
}

#[test]
fn every_form_and_example_of_the_reference_can_be_run() {
    for entry in reference::entries() {
        let examples = entry.examples.iter().map(|(value, phrase)| (*value, *phrase));
        for (value, phrase) in examples.chain([("GRP-00041273-S7K2", entry.form)]) {
            let plan = Phrase::parse(phrase).and_then(|phrase| Program::new(&phrase, Unit::Characters));
            let plan = match plan {
                Ok(plan) => plan,
                // The form that names a file.
                Err(PhraseError { kind: ErrorKind::NoList(_), .. }) if phrase.contains("lookup in") => continue,
                Err(error) => panic!("{phrase}: {error}"),
            };
            if phrase != entry.form {
                assert!(!plan.cut(value, &mut Scratch::default()).state.missing, "{phrase} gives nothing of {value}");
            }
        }
        assert!(entry.form.starts_with(entry.word) || entry.word == "joined");
    }
    for entry in reference::CONDITIONS.entries {
        Condition::parse(entry.form).unwrap_or_else(|error| panic!("{}: {error}", entry.form));
        for (_, phrase) in entry.examples {
            let plan = Phrase::parse(phrase).and_then(|phrase| Program::new(&phrase, Unit::Characters));
            plan.unwrap_or_else(|error| panic!("{phrase}: {error}"));
        }
        assert!(entry.form.starts_with(entry.word) || entry.form.contains(&format!(" {} ", entry.word)), "{}", entry.form);
    }
}

/// Common first guesses lead to a valid suggestion in the user's words.
#[test]
fn wrong_guesses_lead_to_the_answer() {
    for (guess, answer) in [
        (r#"join "; ""#, r#"joined with "; ""#),
        (r#"numbers then join "; ""#, r#"numbers joined with "; ""#),
        ("concat family crew_no", r#"build "{family}{crew_no}""#),
        ("concat(family, crew_no)", r#"build "{family}{crew_no}""#),
        ("family + crew_no", r#"build "{family}{crew_no}""#),
        (r#"contains "x""#, r#"whether contains "x""#),
        (r#"starts with "GRP" any case"#, r#"whether starts with "GRP" any case"#),
        ("substring 5 8", "chars 5 for 8"),
        ("substring(code, 5, 8)", "chars 5 for 8"),
        ("mid(part_code, 5, 8)", "chars 5 for 8"),
        ("substring 5 to 12", "chars 5 to 12"),
        ("left 3", "first 3"),
        ("left(code, 3)", "first 3"),
        ("right 4 then upper case", "last 4 then upper"),
        (r#"split "-""#, r#"sections by "-""#),
        (r#"split("-")[2]"#, r#"section 2 by "-""#),
        (r#"split by - 2"#, r#"section 2 by "-""#),
        ("between - and -", r#"between "-" and "-""#),
        ("between ( and )", r#"between "(" and ")""#),
        ("chars 5-12", "chars 5 to 12"),
        ("characters 5 until 12", "chars 5 to 12"),
        ("first three", "first 3"),
        ("the first three characters", "first 3"),
        ("take the last four digits", "last 4"),
        (r"regex /WO:(\d+)/", r"match /WO:(\d+)/"),
        (r#"regex "WO:\\d+""#, r"match /WO:\\d+/"),
        ("strip", "trim"),
        ("ltrim", "trim left"),
        ("strip then first 3", "trim then first 3"),
        ("zero pad 6", r#"pad left to 6 with "0""#),
        ("number then zero pad to 6", r#"number then pad left to 6 with "0""#),
        ("zfill 6", r#"pad left to 6 with "0""#),
        (r#"lpad 6 "x""#, r#"pad left to 6 with "x""#),
        ("is number", "whether digits"),
        ("is empty", "whether blank"),
        (r#"remove "-""#, r#"replace "-" with """#),
        ("remove digits", "drop digits"),
        (r#"replace "a" by "b""#, r#"replace "a" with "b""#),
        ("only digits", "keep digits"),
        ("last word", "section last by spaces"),
        (r#"everything after "-""#, r#"after "-""#),
        ("after the second -", r#"after 2nd "-""#),
        ("case when digits then \"n\" else first 3 end", "if digits then \"n\" else first 3"),
        ("map \"M\" to \"Male\"", r#"lookup "M" as "Male""#),
        (r#"switch "M" -> "Male", "F" -> "Female""#, r#"lookup "M" as "Male", "F" as "Female""#),
        (r#"case "M": "Male", "F": "Female""#, r#"lookup "M" as "Male", "F" as "Female""#),
        (r#"first 3 then replace with table "families.csv""#, r#"first 3 then lookup in "families.csv""#),
        (r#"lookup "families.csv""#, r#"lookup in "families.csv""#),
        (r#"lookup "M" "Male""#, r#"lookup "M" as "Male""#),
        (r#"map from "families.csv""#, r#"lookup in "families.csv""#),
        ("if digits then \"n\" elif letters then \"l\"", "if digits then \"n\" else if letters then \"l\""),
        ("if digits then \"n\" otherwise first 3", "if digits then \"n\" else first 3"),
        (r"capture /([A-Z]+)-(\d+)/", r"groups of /([A-Z]+)-(\d+)/"),
        ("row_number()", "row number"),
        ("line number", "row number"),
        ("calculate check digit luhn", "add check digit luhn"),
        ("date \"%d.%m.%Y\" to \"%Y\"", "date \"%d.%m.%Y\" as \"%Y\""),
    ] {
        let error = Phrase::parse(guess).expect_err(guess);
        assert_eq!(error.help, format!("write `{answer}`"), "{guess}");
    }
    for (guess, answer) in [
        ("is integer", "digits"),
        ("not empty", "required"),
        (r#"= "RIG""#, r#"one of "RIG""#),
        (r#"in ("RIG", "OPS")"#, r#"one of "RIG", "OPS""#),
        (r"matches /\d+/", r"fits /\d+/"),
        ("between 1 and 9", "range 1 to 9"),
        (">= 5", "range 5 to"),
        ("length = 8", "length 8"),
        ("8 characters", "length 8"),
        ("min length 3", "length 3 to"),
        ("max length 8", "length 0 to 8"),
        ("length 4-8", "length 4 to 8"),
        (r#"begins with "GRP""#, r#"starts with "GRP""#),
        ("must be an email", "email"),
        ("no duplicates", "unique"),
        ("digits && length 3", "digits and length 3"),
        ("digits || blank", "digits or blank"),
        ("since 2020-01-01", "range 2020-01-01 to"),
        ("not in the future", "range to today"),
    ] {
        let error = Condition::parse(guess).expect_err(guess);
        assert_eq!(error.help, format!("write `{answer}`"), "{guess}");
    }
    // The help offers three conditions for numbers.
    for guess in ["number", "is number", "must be numeric", "decimal"] {
        let help = Condition::parse(guess).expect_err(guess).help;
        let answers: Vec<&str> = help.split('`').skip(1).step_by(2).collect();
        assert_eq!(answers.len(), 3, "{help}");
        answers.iter().for_each(|answer| assert!(Condition::parse(answer).is_ok(), "{answer}"));
    }
}
