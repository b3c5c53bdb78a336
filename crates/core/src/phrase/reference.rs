//! The reference of all steps with examples that run. The `phrases` command, the documentation and error messages use it.

#[derive(Debug, Clone, Copy)]
pub struct Group {
    pub title: &'static str,
    /// A description; may be empty.
    pub about: &'static str,
    pub entries: &'static [Entry],
}

#[derive(Debug, Clone, Copy)]
pub struct Entry {
    pub word: &'static str,
    pub form: &'static str,
    pub gives: &'static str,
    pub examples: &'static [(&'static str, &'static str)],
}

const CODE: &str = "GRP-00041273-S7K2";
const REFERENCE: &str = "INSP 2025/11 WO:77120 (Ines Okafor) brake pad 3.25 mm";

const fn entry(
    word: &'static str,
    form: &'static str,
    gives: &'static str,
    examples: &'static [(&'static str, &'static str)],
) -> Entry {
    Entry { word, form, gives, examples }
}

pub const GROUPS: &[Group] = &[
    Group {
        title: "By position",
        about: "A position is 1, 2, 3 … from the left, -1, -2 … from the right, or last.",
        entries: &[
            entry("whole", "whole", "the value", &[(CODE, "whole")]),
            entry("first", "first 3", "a number of characters from the start", &[(CODE, "first 3")]),
            entry("last", "last 4", "a number of characters from the end", &[(CODE, "last 4")]),
            entry("char", "char 1", "one character", &[(CODE, "char 1"), (CODE, "char -1")]),
            entry(
                "chars",
                "chars 5 to 12",
                "from one position to another, inclusive",
                &[(CODE, "chars 5 to 12"), (CODE, "chars -4 to end")],
            ),
            entry("chars", "chars 5 for 8", "a number of characters from a position", &[(CODE, "chars 5 for 8")]),
            entry(
                "drop",
                "drop first 4",
                "the rest after dropping characters at one end",
                &[(CODE, "drop first 4"), (CODE, "drop last 5")],
            ),
        ],
    },
    Group {
        title: "By marker",
        about: "A marker is a text (optionally with \"any case\"), a /regular expression/, a class such as digits (one unbroken run), or any of \"-/\" (a single character). An ordinal can come before it: 2nd, last, 2nd last …",
        entries: &[
            entry(
                "before",
                r#"before "-""#,
                "the text before the marker",
                &[(CODE, r#"before "-""#), (CODE, r#"before last "-""#)],
            ),
            entry(
                "after",
                r#"after "-""#,
                "the text after the marker",
                &[(CODE, r#"after "-""#), (REFERENCE, r#"after "wo:" any case then before " ""#)],
            ),
            entry(
                "from",
                r#"from "S""#,
                "from the marker to the end, including the marker",
                &[(CODE, r#"from "S""#), (CODE, "from digits")],
            ),
            entry("through", r#"through 2nd "-""#, "up to the marker, including the marker", &[(CODE, r#"through 2nd "-""#)]),
            entry(
                "between",
                r#"between "(" and ")""#,
                "the text between two markers; the second marker is the next one after the first, unless it has an ordinal",
                &[(REFERENCE, r#"between "(" and ")""#), (CODE, r#"between 1st "-" and 2nd "-""#)],
            ),
            entry(
                "section",
                r#"section 2 by "-""#,
                "one part of the value, divided at the marker",
                &[(CODE, r#"section 2 by "-""#), (CODE, r#"section -1 by "-""#)],
            ),
            entry(
                "sections",
                r#"sections 1 to 2 by "-""#,
                "several parts, with the delimiters between them",
                &[(CODE, r#"sections 1 to 2 by "-""#)],
            ),
        ],
    },
    Group {
        title: "Numbers, runs and matches",
        about: "A number is digits, or digits . digits. A run is an unbroken sequence of one kind: letters, digits, spaces or punctuation.",
        entries: &[
            entry(
                "number",
                "number 2",
                "a number in the text",
                &[("pad 3.25 mm x 12", "number"), ("pad 3.25 mm x 12", "number last")],
            ),
            entry(
                "number",
                "number 1 signed",
                "with its sign, unless a letter or digit precedes the sign",
                &[("t -4.5 C, lot A-12", "number signed")],
            ),
            entry(
                "number",
                r#"number like "1,234.5""#,
                "a number with the thousands mark and decimal mark of the example, as a plain number",
                &[("net 1.204,50 kg", r#"number like "1.234,5""#)],
            ),
            entry(
                "number",
                r#"number like "-1,234.5" or "(1,234.5)""#,
                "a number with its sign, in the style of the examples",
                &[("net (1,204.50)", r#"number like "-1,234.5" or "(1,234.5)""#)],
            ),
            entry("run", "run 2", "an unbroken run of one kind, or of a class", &[(CODE, "run 2"), (CODE, "run 1 of digits")]),
            entry(
                "match",
                r"match /WO:(\d+)/ group 1",
                "the first match of a regular expression, or a group of it by number or name",
                &[(REFERENCE, r"match /\d+\/\d+/"), (REFERENCE, r"match /wo:(?<order>\d+)/i group order")],
            ),
        ],
    },
    Group {
        title: "About the text and its row",
        about: "These are never missing, except for the position of an absent marker.",
        entries: &[
            entry(
                "length",
                "length",
                "the number of characters; also length in bytes or length in codepoints",
                &[(CODE, "length"), ("Führung", "length in bytes")],
            ),
            entry(
                "position",
                r#"position of "-""#,
                "the position of a marker",
                &[(CODE, r#"position of "-""#), (CODE, r#"position of last "-""#)],
            ),
            entry("count", r#"count of "-""#, "the number of matches of a marker", &[(CODE, r#"count of "-""#)]),
            entry(
                "row",
                "row number",
                "the number of the row in its input, from 1, also in rows whose value is blank",
                &[(CODE, r#"row number then pad left to 4 with "0""#)],
            ),
            entry("whether", r#"whether starts with "GRP""#, "true or false", &[(CODE, r#"whether starts with "GRP""#)]),
        ],
    },
    Group {
        title: "By condition",
        about: "if passes the text on where a condition holds. Elsewhere its branch gives no result, and the branch after else is tried. Its result is no fallback. `if COLUMN: CONDITION` looks at another column.",
        entries: &[entry(
            "if",
            r#"if starts with "GRP" then last 4 else first 3"#,
            "by a condition; else follows only a branch that begins with if",
            &[
                (CODE, r#"if starts with "GRP" then last 4 else first 3"#),
                ("HNG-00512-A5", r#"if starts with "GRP" then last 4 else if (digits or blank) then "none" else first 3"#),
            ],
        )],
    },
    Group {
        title: "Several results at once",
        about: "Add joined with TEXT for a single cell, or columns = 3, columns = [\"kind\", \"serial\"], columns = \"auto\" or rows = true in a cut list. On the command line, a piece with several names, or with in rows, has several results. Later steps work on each result.",
        entries: &[
            entry(
                "sections",
                r#"sections by ";" skipping empty"#,
                "every section",
                &[("A;;B;", r#"sections by ";" skipping empty joined with "+""#)],
            ),
            entry("numbers", "numbers", "every number", &[(REFERENCE, r#"numbers joined with "; ""#)]),
            entry("runs", "runs of digits", "every run", &[(REFERENCE, r#"runs of digits joined with ",""#)]),
            entry(
                "matches",
                r"matches /[A-Z]+/",
                "every match, or a group of each",
                &[(CODE, r#"matches /[A-Z]+/ joined with " ""#)],
            ),
            entry(
                "groups",
                r"groups of /(?<family>[A-Z]+)-(?<serial>\d+)/",
                "every group of the first match, in order; an unused group is empty; the names of the groups can become columns",
                &[(CODE, r#"groups of /([A-Z]+)-(\d+)/ joined with "/""#)],
            ),
            entry(
                "joined",
                r#"numbers joined with "-""#,
                "all results in one text",
                &[("7 of 12", r#"numbers then pad left to 4 with "0" joined with "-""#)],
            ),
        ],
    },
    Group {
        title: "Finishes",
        about: "Steps that change the text.",
        entries: &[
            entry("trim", "trim", "without white space at the ends; also trim left, trim right", &[("  S7K2 ", "trim")]),
            entry("squeeze", "squeeze", "each run of white space as one space", &[("brake   pad", "squeeze")]),
            entry("upper", "upper", "in upper case", &[("grp-7ä", "upper")]),
            entry("lower", "lower", "in lower case", &[("ÅSA LIND", "lower")]),
            entry(
                "title",
                "title",
                "each word's first letter in upper case, the others in lower case",
                &[("INES okafor", "title")],
            ),
            entry(
                "keep",
                "keep digits",
                "only the characters of a class",
                &[(CODE, "keep digits"), (CODE, "keep letters and digits")],
            ),
            entry(
                "drop",
                "drop spaces",
                "without the characters of a class",
                &[("00 04 12", "drop spaces"), (CODE, r#"drop any of "-""#)],
            ),
            entry(
                "replace",
                r#"replace "/" with "-""#,
                "every match of a marker replaced by a text; in the text, $1 or ${name} is a group of a regular expression, and $$ a dollar",
                &[("2025/11", r#"replace "/" with "-""#), ("2025/11", r#"replace /(\d+)\/(\d+)/ with "$2.$1""#)],
            ),
            entry(
                "pad",
                r#"pad left to 6 with "0""#,
                "padded to a width; also pad right",
                &[("385", r#"pad left to 6 with "0""#)],
            ),
            entry(
                "clip",
                r#"clip to 10 with "…""#,
                "shortened to a width, including the mark",
                &[("brake pad, spare", r#"clip to 10 with "…""#)],
            ),
            entry("prefix", r#"prefix "WO-""#, "with a text in front", &[("77120", r#"prefix "WO-""#)]),
            entry("suffix", r#"suffix " mm""#, "with a text at the end", &[("3.25", r#"suffix " mm""#)]),
            entry(
                "plain",
                "plain number",
                "the number without leading zeros or trailing decimal zeros; like \"1.234,5\" may follow",
                &[("00041273", "plain number"), ("1.204,50", r#"plain number like "1.234,5""#)],
            ),
            entry(
                "add",
                "add check digit luhn",
                "with its check digit: at the end, and in an iban after the country; also gs1, isbn10, mod97, mod11-2, iban, verhoeff and damm; missing if there is none",
                &[("7992739871", "add check digit luhn"), ("316148410", "add check digit isbn10")],
            ),
            entry("plain", "plain digits", "decimal digits of any script as 0 to 9", &[("٠٤١", "plain digits")]),
            entry(
                "lookup",
                r#"lookup in "families.csv""#,
                "the second column of the row of a file whose first column is the text; or the columns of column \"code\" give \"name\"; the file is in the cut list's folder and has any input format; any case and no header may follow; missing if the text is not there",
                &[],
            ),
            entry(
                "lookup",
                r#"lookup "M" as "Male", "F" as "Female""#,
                "the result for the text; any case may follow; missing if the text is not there",
                &[
                    ("F", r#"lookup "M" as "Male", "F" as "Female""#),
                    ("x", r#"lookup "M" as "Male", "F" as "Female" any case or "unknown""#),
                ],
            ),
            entry(
                "date",
                r#"date "%d.%m.%Y""#,
                "a date in a strftime format, matched strictly, as ISO 8601, or in the format after as; two-digit years are 1969 to 2068, or 1930 to 2029 with from 1930",
                &[
                    ("03.11.2025", r#"date "%d.%m.%Y""#),
                    ("20251103", r#"date "%Y%m%d""#),
                    ("03.11.48", r#"date "%d.%m.%y" from 1930"#),
                    ("2025-11-03", r#"date "%Y-%m-%d" as "%d.%m.%Y""#),
                ],
            ),
        ],
    },
];

pub const CONDITIONS: Group = Group {
    title: "Conditions",
    about: "Conditions follow whether, and the keys check, warn, when and keep of a cut list. `not` negates a condition. Checks pass a blank value unless it is required. If a value has text but no result, its checks fail, unless the piece is optional. In when, whether and keep, a missing piece is the empty text: it is blank, and other conditions need `not` to hold.",
    entries: &[
        entry("required", "required", "the piece is not missing", &[(CODE, "whether required")]),
        entry("blank", "blank", "the text is empty or white space", &[("  ", "whether blank")]),
        entry(
            "length",
            "length 4 to 8",
            "4 to 8 characters; length 8 is exactly 8, and length 4 to has no maximum",
            &[(CODE, "whether length 17")],
        ),
        entry(
            "digits",
            "digits",
            "every character is in the class; join several classes with `and`",
            &[("00041273", "whether digits"), ("S7K2", "whether uppercase and digits")],
        ),
        entry("fits", "fits /[A-Z]{3}/", "the whole text matches a regular expression", &[("GRP", "whether fits /[A-Z]{3}/")]),
        entry("starts", r#"starts with "GRP""#, "begins with a marker", &[(CODE, r#"whether starts with "grp" any case"#)]),
        entry(
            "ends",
            r#"ends with "mm""#,
            "ends with a marker",
            &[(REFERENCE, r#"whether ends with "mm""#), (CODE, "whether ends with digits")],
        ),
        entry("contains", r#"contains "-""#, "contains a marker", &[(CODE, r#"whether contains "--""#)]),
        entry(
            "contains",
            r#"contains word "WO""#,
            "contains a text as a whole word",
            &[(REFERENCE, r#"whether contains word "WO""#)],
        ),
        entry(
            "one",
            r#"one of "A", "B""#,
            "equal to a text in the list; any case may follow",
            &[("RIG", r#"whether one of "RIG", "EL""#), ("rig", r#"whether one of "RIG", "EL" any case"#)],
        ),
        entry(
            "range",
            "range 1 to 999",
            "a number from the first to the second, compared exactly; leave out either for no limit",
            &[("00385", "whether range 1 to 999"), ("1000.5", "whether range to 1000")],
        ),
        entry(
            "range",
            "range 2020-01-01 to today",
            "a date in ISO 8601 from the first to the second, which can be today; leave out either for no limit",
            &[("2019-12-31", "whether range 2020-01-01 to 2025-12-31")],
        ),
        entry("date", r#"date "%Y-%m-%d""#, "a date in a strftime format", &[("2025-02-29", r#"whether date "%Y-%m-%d""#)]),
        entry("email", "email", "an address that mail systems accept", &[("ines..okafor@lift.skarn.example", "whether email")]),
        entry(
            "check",
            "check digit luhn",
            "the check digit is correct; also gs1, isbn10, mod97, mod11-2, iban, verhoeff and damm",
            &[("79927398713", "whether check digit luhn")],
        ),
        entry(
            "listed",
            r#"listed in "sites.csv""#,
            "equal to a value in the first column of a file, or in column \"site\"; the file is in the cut list's folder; any case and no header may follow",
            &[],
        ),
        entry("unique", "unique", "different from every earlier row; for check, warn and keep", &[]),
        entry(
            "same",
            "same as NAME",
            "equal to the row's value in another column, or to another piece; any case may follow; not for whether",
            &[],
        ),
        entry(
            "and",
            "length 17 and not contains \" \"",
            "both conditions hold; between two classes, `and` joins the classes",
            &[(CODE, "whether (length 17 and not contains \" \")")],
        ),
        entry(
            "or",
            "check digit isbn10 or check digit gs1",
            "one of the conditions holds; `and` binds closer, and parentheses group; inside a phrase, a combination needs parentheses",
            &[
                ("9783161484100", "whether (check digit isbn10 or check digit gs1)"),
                ("S7K2", "whether not (digits or letters)"),
            ],
        ),
    ],
};

/// The fields of a date format.
pub const DATE_FIELDS: &str = "%Y year, %y two-digit year, %m month, %d day, %b or %B month name, %j day of the year. %H %M %S time of day, %I and %p 12-hour clock, %f fraction of a second, %z offset from UTC, %a or %A day name. %e is a day padded with a space, %F is %Y-%m-%d, %T is %H:%M:%S, %% is a percent sign.";

/// Notes on classes, ordinals and quoting.
pub const NOTES: [(&str, &str); 3] = [
    (
        "Classes",
        "digits are 0 to 9. letters, uppercase and lowercase follow Unicode. alphanumeric is a letter or a digit. spaces is any white space. punctuation is every other character. any of \"-/\" is a - or a /. Join classes with `and`: letters and digits. As a marker, a class is one unbroken run, and any of is a single character.",
    ),
    (
        "Ordinals",
        "1st, 2nd, 3rd … count from the left, and last, 2nd last … from the right; so do 1, 2 … and -1, -2 …. The default is the first. Matches are counted over the whole text that reaches the step, and do not overlap.",
    ),
    ("Date fields", DATE_FIELDS),
];

/// All steps, in order.
///
/// ```
/// assert!(keen_notch_core::phrase::reference::entries().any(|entry| entry.word == "section"));
/// ```
pub fn entries() -> impl Iterator<Item = &'static Entry> {
    GROUPS.iter().flat_map(|group| group.entries)
}

const OTHER_NAMES: &[(&str, &str)] = &[
    ("left", "first"),
    ("right", "last"),
    ("start", "first"),
    ("character", "char"),
    ("characters", "chars"),
    ("part", "section"),
    ("parts", "sections"),
    ("split", "section"),
    ("field", "section"),
    ("skip", "drop"),
    ("remove", "drop"),
    ("all", "whole"),
    ("uppercase", "upper"),
    ("lowercase", "lower"),
    ("capitalize", "title"),
    ("strip", "trim"),
    ("fill", "pad"),
    ("until", "before"),
    ("regex", "match"),
    ("find", "match"),
    ("len", "length"),
    ("digits", "keep"),
    ("join", "joined"),
    ("truncate", "clip"),
    ("append", "suffix"),
    ("substitute", "replace"),
    ("row_number", "row"),
    ("rownum", "row"),
    ("line", "row"),
    ("map", "lookup"),
    ("switch", "lookup"),
    ("translate", "lookup"),
    ("recode", "lookup"),
];

/// The names of the classes of characters.
pub fn classes() -> impl Iterator<Item = &'static str> {
    super::parse::class_names()
}

/// The step or condition with another name in other languages, such as `left`.
pub fn synonym(word: &str) -> Option<&'static str> {
    let lower = word.to_lowercase();
    OTHER_NAMES.iter().find(|(other, _)| *other == lower).map(|(_, step)| *step)
}

/// The step with the most similar name.
///
/// ```
/// assert_eq!(keen_notch_core::phrase::reference::nearest_step("sectoin").map(|entry| entry.word), Some("section"));
/// ```
pub fn nearest_step(word: &str) -> Option<&'static Entry> {
    let lower = word.to_lowercase();
    let exact = entries().find(|entry| entry.word == lower);
    exact.or_else(|| {
        let meant = match synonym(word) {
            Some(step) => step,
            None => crate::words::nearest(word, entries().map(|entry| entry.word))?,
        };
        entries().find(|entry| entry.word == meant)
    })
}
