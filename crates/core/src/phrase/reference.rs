//! The steps of the language, with an example of each that can be run: the one list that the reference, the
//! documents and the parser's advice are taken from.

/// A part of the reference.
#[derive(Debug, Clone, Copy)]
pub struct Group {
    /// What the steps of it have in common.
    pub title: &'static str,
    /// A line or two about them all; may be empty.
    pub about: &'static str,
    /// Its entries.
    pub entries: &'static [Entry],
}

/// A step, in one or more of its forms.
#[derive(Debug, Clone, Copy)]
pub struct Entry {
    /// The word it begins with.
    pub word: &'static str,
    /// How it is written.
    pub form: &'static str,
    /// What it gives.
    pub gives: &'static str,
    /// Values and phrases to show it with.
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

/// The reference, in the order in which it is shown.
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
                "from one position to another, both included",
                &[(CODE, "chars 5 to 12"), (CODE, "chars -4 to end")],
            ),
            entry("chars", "chars 5 for 8", "a number of characters from a position on", &[(CODE, "chars 5 for 8")]),
            entry(
                "drop",
                "drop first 4",
                "the rest, without a number of characters at an end",
                &[(CODE, "drop first 4"), (CODE, "drop last 5")],
            ),
        ],
    },
    Group {
        title: "By marker",
        about: "A marker is a text (\"any case\" may follow), a /regular expression/, a class such as digits (one unbroken run of it), \
                or any of \"-/\" (one of those characters). Which one may come before it: 2nd, last, 2nd last …",
        entries: &[
            entry("before", r#"before "-""#, "up to the marker", &[(CODE, r#"before "-""#), (CODE, r#"before last "-""#)]),
            entry(
                "after",
                r#"after "-""#,
                "everything after the marker",
                &[(CODE, r#"after "-""#), (REFERENCE, r#"after "wo:" any case then before " ""#)],
            ),
            entry(
                "from",
                r#"from "S""#,
                "from the marker to the end, with it",
                &[(CODE, r#"from "S""#), (CODE, "from digits")],
            ),
            entry("through", r#"through 2nd "-""#, "up to the marker, with it", &[(CODE, r#"through 2nd "-""#)]),
            entry(
                "between",
                r#"between "(" and ")""#,
                "what is between two markers; the second is the next one after the first, or with an ordinal counted like any other",
                &[(REFERENCE, r#"between "(" and ")""#), (CODE, r#"between 1st "-" and 2nd "-""#)],
            ),
            entry(
                "section",
                r#"section 2 by "-""#,
                "one part of the value as the marker divides it",
                &[(CODE, r#"section 2 by "-""#), (CODE, r#"section -1 by "-""#)],
            ),
            entry(
                "sections",
                r#"sections 1 to 2 by "-""#,
                "several parts, with what is between them",
                &[(CODE, r#"sections 1 to 2 by "-""#)],
            ),
        ],
    },
    Group {
        title: "Numbers, runs and matches",
        about: "A number is digits, or digits . digits. A run is unbroken and of one kind: letters, digits, spaces or punctuation.",
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
                "with its sign, where no letter or digit comes before it",
                &[("t -4.5 C, lot A-12", "number signed")],
            ),
            entry(
                "number",
                r#"number like "1,234.5""#,
                "a plain number, its thousands mark and decimal mark as the example shows them",
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
        title: "About the text",
        about: "These are never missing, but for a position whose marker is not there.",
        entries: &[
            entry(
                "length",
                "length",
                "how many characters; length in bytes or in codepoints for the two other lengths",
                &[(CODE, "length"), ("Führung", "length in bytes")],
            ),
            entry(
                "position",
                r#"position of "-""#,
                "where a marker is",
                &[(CODE, r#"position of "-""#), (CODE, r#"position of last "-""#)],
            ),
            entry("count", r#"count of "-""#, "how often a marker occurs", &[(CODE, r#"count of "-""#)]),
            entry("whether", r#"whether starts with "GRP""#, "true or false", &[(CODE, r#"whether starts with "GRP""#)]),
        ],
    },
    Group {
        title: "Several results at once",
        about: "They end in joined with TEXT (one cell); or the piece of a cut list says columns = 3, columns = \"auto\" or rows = true. \
                A step after it then works on each result.",
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
                "joined",
                r#"numbers joined with "-""#,
                "all of them in one text",
                &[("7 of 12", r#"numbers then pad left to 4 with "0" joined with "-""#)],
            ),
        ],
    },
    Group {
        title: "Finishes",
        about: "Steps that change the text.",
        entries: &[
            entry("trim", "trim", "without the white space at its ends; trim left, trim right", &[("  S7K2 ", "trim")]),
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
                "a text wherever a marker is; $1 or ${name} in it is a group of a regular expression, $$ a dollar",
                &[("2025/11", r#"replace "/" with "-""#), ("2025/11", r#"replace /(\d+)\/(\d+)/ with "$2.$1""#)],
            ),
            entry(
                "pad",
                r#"pad left to 6 with "0""#,
                "filled up to a width; pad right",
                &[("385", r#"pad left to 6 with "0""#)],
            ),
            entry(
                "clip",
                r#"clip to 10 with "…""#,
                "cut off at a width; the mark counts in it",
                &[("brake pad, spare", r#"clip to 10 with "…""#)],
            ),
            entry("prefix", r#"prefix "WO-""#, "with a text before it", &[("77120", r#"prefix "WO-""#)]),
            entry("suffix", r#"suffix " mm""#, "with a text after it", &[("3.25", r#"suffix " mm""#)]),
            entry(
                "plain",
                "plain number",
                "the number without leading zeros and without zeros at the end of its decimals; like \"1.234,5\" may follow",
                &[("00041273", "plain number"), ("1.204,50", r#"plain number like "1.234,5""#)],
            ),
            entry("plain", "plain digits", "decimal digits of any script as 0 to 9", &[("٠٤١", "plain digits")]),
            entry(
                "date",
                r#"date "%d.%m.%Y""#,
                "a date read by a strftime format, strictly, as ISO 8601; years of two digits are 1969 to 2068, or from 1930 to 2029 with from 1930",
                &[
                    ("03.11.2025", r#"date "%d.%m.%Y""#),
                    ("20251103", r#"date "%Y%m%d""#),
                    ("03.11.48", r#"date "%d.%m.%y" from 1930"#),
                ],
            ),
        ],
    },
];

/// The conditions, each with examples that ask it.
pub const CONDITIONS: Group = Group {
    title: "Conditions",
    about: "For whether, and in a cut list for check, warn, when and the rows to keep. `not` may come before any of them. \
            A check passes a blank value unless it is required; a value with text of which nothing came is a fault, \
            unless the piece is optional. To when, whether and keep, a piece that is not there is the empty text: it is blank, \
            and nothing else holds of it without `not`.",
    entries: &[
        entry("required", "required", "the piece is not missing", &[(CODE, "whether required")]),
        entry("blank", "blank", "there is nothing but white space", &[("  ", "whether blank")]),
        entry(
            "length",
            "length 4 to 8",
            "from 4 to 8 characters; length 8 for exactly 8, length 4 to for no upper end",
            &[(CODE, "whether length 17")],
        ),
        entry(
            "digits",
            "digits",
            "every character is of the class; several classes are joined with `and`",
            &[("00041273", "whether digits"), ("S7K2", "whether uppercase and digits")],
        ),
        entry("fits", "fits /[A-Z]{3}/", "the whole text fits a regular expression", &[("GRP", "whether fits /[A-Z]{3}/")]),
        entry("starts", r#"starts with "GRP""#, "it begins with a marker", &[(CODE, r#"whether starts with "grp" any case"#)]),
        entry(
            "ends",
            r#"ends with "mm""#,
            "it ends with a marker",
            &[(REFERENCE, r#"whether ends with "mm""#), (CODE, "whether ends with digits")],
        ),
        entry("contains", r#"contains "-""#, "a marker is in it", &[(CODE, r#"whether contains "--""#)]),
        entry(
            "contains",
            r#"contains word "WO""#,
            "a text is in it, not inside a longer word",
            &[(REFERENCE, r#"whether contains word "WO""#)],
        ),
        entry(
            "one",
            r#"one of "A", "B""#,
            "it is one of these texts; any case may follow",
            &[("RIG", r#"whether one of "RIG", "EL""#), ("rig", r#"whether one of "RIG", "EL" any case"#)],
        ),
        entry(
            "range",
            "range 1 to 999",
            "a number within these, compared exactly; either end may be left open",
            &[("00385", "whether range 1 to 999"), ("1000.5", "whether range to 1000")],
        ),
        entry("date", r#"date "%Y-%m-%d""#, "a date of a strftime format", &[("2025-02-29", r#"whether date "%Y-%m-%d""#)]),
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
            "it is in the first column of a file, or in column \"site\"; from the cut list's folder; any case may follow",
            &[],
        ),
        entry("unique", "unique", "no row before it has the same; in check and warn, and for the rows to keep", &[]),
        entry("same", "same as COLUMN", "it is what the row has in another column; everywhere but in whether", &[]),
    ],
};

/// The fields of a date format.
pub const DATE_FIELDS: &str = "%Y year, %y year of two digits, %m month, %d day, %b or %B month's name, %j day of the year, \
    %H %M %S time of day, %I and %p hour of twelve, %f fraction of a second, %z offset from UTC, %a or %A day's name; \
    %e is a day with a space for a missing digit, %F is %Y-%m-%d, %T is %H:%M:%S, %% is a percent sign";

/// What steps and conditions have in common: a title, and what is to be known.
pub const NOTES: [(&str, &str); 3] = [
    (
        "Classes",
        "digits are 0 to 9; letters, uppercase and lowercase are those of Unicode; alphanumeric is a letter or a digit; spaces is any \
         white space; punctuation is every character that is none of letter, digit or space; any of \"-/\" is one of these \
         characters. Several are joined with `and`: letters and digits. As a marker, a class is one unbroken run of it, and any \
         of is one character.",
    ),
    (
        "Which one of several",
        "1st, 2nd, 3rd … from the left, and last, 2nd last … from the right; or 1, 2 … and -1, -2 …. Left out, it is the first. \
         Places are counted over the whole text that reaches the step, and do not overlap.",
    ),
    ("Date fields", DATE_FIELDS),
];

/// Every step, in order.
///
/// ```
/// assert!(keen_notch_core::phrase::reference::entries().any(|entry| entry.word == "section"));
/// ```
pub fn entries() -> impl Iterator<Item = &'static Entry> {
    GROUPS.iter().flat_map(|group| group.entries)
}

/// Words that people try first for a step that has another name here.
const ALSO_SAID: &[(&str, &str)] = &[
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
];

/// The step that `word` was probably meant to be.
///
/// ```
/// assert_eq!(keen_notch_core::phrase::reference::nearest_step("sectoin").map(|entry| entry.word), Some("section"));
/// ```
pub fn nearest_step(word: &str) -> Option<&'static Entry> {
    let lower = word.to_lowercase();
    let exact = entries().find(|entry| entry.word == lower);
    exact.or_else(|| {
        let meant = match ALSO_SAID.iter().find(|(said, _)| *said == lower) {
            Some((_, step)) => step,
            None => crate::words::nearest(word, entries().map(|entry| entry.word))?,
        };
        entries().find(|entry| entry.word == meant)
    })
}
