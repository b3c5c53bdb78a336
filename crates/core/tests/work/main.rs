//! Work that grows with a value and no faster: every step, condition and layout, on long values of each kind that is hard.
//!
//! Work is instructions, which `valgrind` counts: they are the same on every machine, however busy it is. Where it is not installed
//! that is said, and the test passes. A debug build does too much besides: `cargo test --release -p keen-notch-core --test work`.
#![cfg(target_os = "linux")]
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::process::Command;

use keen_notch_core::batch::Column;
use keen_notch_core::column::ColumnRef;
use keen_notch_core::layout::{Form, Layout, LayoutPlan};
use keen_notch_core::phrase::ast::Condition;
use keen_notch_core::phrase::{Phrase, quoted, reference};
use keen_notch_core::program::{ConditionPlan, Program, Results, Setting, Work};
use keen_notch_core::text::unit::Unit;

/// What values are made of, over and over; and a part of that, which is in some of them a part of a character.
const KINDS: &[(&str, &str)] = &[
    ("🇸🇪", "🇸"),
    ("👩\u{200d}👩\u{200d}👧", "👩"),
    ("e\u{301}", "e"),
    ("\u{301}", "\u{301}"),
    ("\r\n", "\n"),
    ("-", "-"),
    ("7", "7"),
    (" ", " "),
    ("A", "A"),
];

/// The groups that work is counted in, with `{all}` for what a value is made of, and `{part}` for a part of it.
const GROUPS: &[(&str, &[&str])] = &[
    (
        "phrase",
        &[
            "whole",
            "first 40000",
            "last 40000",
            "char 40000",
            "char -40000",
            "chars 5 to 12",
            "chars -40000 to end",
            "chars 5 for 40000",
            "drop first 40000",
            "drop last 40000",
            "before {part}",
            "before last {part}",
            "after {all}",
            "after {part} any case",
            "from 2nd last {all}",
            "from last {part} any case",
            "through 9000th {all}",
            "through last digits",
            "after last spaces and punctuation",
            "before last any of {part}",
            "between {part} and {part}",
            "between {all} and last {all}",
            "section 2 by {part}",
            "section -9000 by {all}",
            "sections 2 to -2 by {all} skipping empty",
            "number",
            "number last signed",
            r#"number 9000 like "1,234.5""#,
            "run 2",
            "run -2 of any of {all}",
            r"match /.*[^A-Z]|[A-Z]/",
            r"match /(\w+)\W*$/ group 1",
            "length",
            "row number",
            "length in bytes",
            "length in codepoints",
            "position of last {part}",
            "count of {part}",
            "count of {all}",
            r"count of /.*[^A-Z]|[A-Z]/",
            r"count of /(?s:.)\b|\s/",
            "whether contains {part}",
            "if (contains {part} or digits) then last 4 else first 3",
        ],
    ),
    (
        "several",
        &[
            "sections by {part}",
            "sections by {all} skipping empty",
            r"sections by /.*[^A-Z]|[A-Z]/",
            "numbers",
            r#"numbers signed like "1,234.5""#,
            "runs",
            "runs of any of {all}",
            r"matches /.*[^A-Z]|[A-Z]/",
            r"groups of /(\w+)(\W*)$/",
            r"matches /(?:(\w)x*)+?$|(.)/ group 2",
            r"matches /\r?\n|\S/",
            r#"sections by {all} joined with "+""#,
            r#"runs then upper then trim joined with """#,
        ],
    ),
    (
        "finish",
        &[
            "trim",
            "trim left",
            "trim right",
            "squeeze",
            "upper",
            "lower",
            "title",
            "keep any of {all}",
            "keep letters",
            "drop any of {part}",
            "drop spaces",
            r#"replace {part} with "xy""#,
            r#"replace {all} with """#,
            r#"replace {part} any case with "-""#,
            r#"replace /.*[^A-Z7 -]|([A-Z7 -])/ with "<$1>""#,
            "pad left to 90000 with {all}",
            "pad right to 90000 with {part}",
            r#"clip to 40000 with "…""#,
            "prefix {part}",
            "suffix {part}",
            "plain number",
            r#"plain number like "1.234,5""#,
            r#"date "%d.%m.%Y""#,
            r#"date "%F%T""#,
            "add check digit luhn",
            "lookup \"x\" as {part}, \"y\" as {all} any case",
            r#"prefix "x" then lower then title then squeeze then trim"#,
        ],
    ),
    (
        "condition",
        &[
            "required",
            "blank",
            "(blank or length 3 and not contains {part})",
            "length 8",
            "digits",
            "letters and spaces and any of {all}",
            r"fits /[A-Z]{3}-\d+/",
            r"fits /(.*[^A-Z]|[A-Z])*/",
            "starts with {part}",
            "starts with {part} any case",
            "ends with {part}",
            "ends with {all} any case",
            r"ends with /\d+|x/",
            "contains {part}",
            r#"not contains "no""#,
            "contains word {part}",
            r#"one of "A", "b" any case"#,
            "range 1 to 999",
            "range -0.5 to",
            "range 2020-01-01 to",
            r#"date "%Y-%m-%d""#,
            "email",
            "check digit luhn",
            "check digit gs1",
            "check digit isbn10",
            "check digit mod97",
            "check digit mod11-2",
            "check digit iban",
            "check digit verhoeff",
            "check digit damm",
        ],
    ),
    (
        "layout",
        &[
            "<a><b>x",
            "<a>[x<b>]",
            "[<a>-][<b>-][<c>-]<d>",
            "<a 1 to 2000><b 1 to 2000>",
            "<a digits>-<b digits>",
            "<a any of \"-7A\"><b letters>",
            "<a>-<b>-<c>-<d>x",
            "[<a digits>[-<b digits>[-<c digits>]]]<d>",
        ],
    ),
];

/// The most work that twice the value may be: where it grows with the square, it is four times as much. It is a little more than
/// twice where an engine takes another way for longer texts.
const MOST: f64 = 2.6;

/// Does all of a group, or one case of it, on one value of about `bytes` bytes.
fn do_group(group: &str, case: Option<usize>, (all, part): (&str, &str), bytes: usize) {
    let value = all.repeat(bytes / all.len());
    let column = Column::of([value.as_str()]);
    let (_, cases) = GROUPS.iter().find(|(name, _)| *name == group).unwrap();
    for (_, case) in cases.iter().enumerate().filter(|(index, _)| case.is_none_or(|case| case == *index)) {
        let case = case.replace("{all}", &quoted(all)).replace("{part}", &quoted(part));
        match group {
            "layout" => {
                let forms = vec![Form::parse(&case).unwrap()];
                let layout = Layout { column: ColumnRef::Number(1), column_span: 0..0, forms, origin: 0 };
                let _ = LayoutPlan::new(&layout).fit(&value);
            }
            "condition" => {
                let plan = ConditionPlan::new(&Condition::parse(&case).unwrap(), &Setting::new(Unit::Characters)).unwrap();
                if !plan.holds(&value) {
                    plan.violation(&value);
                }
            }
            _ => {
                let program = Program::new(&Phrase::parse(&case).unwrap(), Unit::Characters).unwrap();
                program.run(column.texts(), &mut Work::default(), &mut Results::default());
            }
        }
    }
}

/// What the test runs under `valgrind`: a group, the number of a case in it or `all`, that of a kind, and a size.
#[test]
fn worker() {
    let Ok(asked) = std::env::var("WORK") else { return };
    let [group, case, kind, bytes] = asked.split(' ').collect::<Vec<_>>()[..] else { panic!("{asked}") };
    do_group(group, case.parse().ok(), KINDS[kind.parse::<usize>().unwrap()], bytes.parse().unwrap());
}

/// How many times as many instructions a group, or one case of it, takes for a value that is twice as long; and how many a byte.
fn growth(group: &str, case: Option<usize>, kind: usize) -> (f64, f64) {
    let [nothing, half, whole] = [0, 64 << 10, 128 << 10].map(|bytes| instructions(group, case, kind, bytes));
    ((whole - nothing) / (half - nothing), (whole - nothing) / f64::from(128 << 10))
}

/// The instructions that a group takes, or one case of it.
fn instructions(group: &str, case: Option<usize>, kind: usize, bytes: usize) -> f64 {
    let mut command = Command::new("valgrind");
    command.args(["--tool=cachegrind", "--cache-sim=no", "--cachegrind-out-file=/dev/null"]);
    command.arg(std::env::current_exe().unwrap()).args(["--exact", "worker", "--test-threads=1"]);
    let case = case.map_or("all".to_owned(), |case| case.to_string());
    let ran = command.env("WORK", format!("{group} {case} {kind} {bytes}")).output().unwrap();
    let said = String::from_utf8_lossy(&ran.stderr);
    assert!(ran.status.success(), "{}{said}", String::from_utf8_lossy(&ran.stdout));
    let count = said.lines().find_map(|line| line.split_once("I   refs:").or(line.split_once("I refs:")));
    count.unwrap_or_else(|| panic!("{said}")).1.trim().replace(',', "").parse().unwrap()
}

#[test]
fn work_grows_with_a_value_and_no_faster() {
    if cfg!(debug_assertions) {
        eprintln!("skipped: work is counted in release builds");
        return;
    }
    if !Command::new("valgrind").arg("--version").output().is_ok_and(|output| output.status.success()) {
        eprintln!("skipped: valgrind is not installed");
        return;
    }
    let all: Vec<(&str, usize)> =
        GROUPS.iter().flat_map(|(group, _)| (0..KINDS.len()).map(move |kind| (*group, kind))).collect();
    let threads = std::thread::available_parallelism().map_or(1, usize::from);
    std::thread::scope(|scope| {
        for thread in 0..threads {
            let mine = all.iter().skip(thread).step_by(threads);
            scope.spawn(move || {
                for (group, kind) in mine {
                    let (times, each) = growth(group, None, *kind);
                    let words = format!("{group} on {:?}: {times:.2} times the work", KINDS[*kind].0);
                    eprintln!("{words}, {each:.0} instructions a byte");
                    if times >= MOST {
                        let cases = GROUPS.iter().find(|(name, _)| name == group).unwrap().1;
                        for (index, case) in cases.iter().enumerate() {
                            let (times, each) = growth(group, Some(index), *kind);
                            eprintln!("  {case}: {times:.2} times the work, {each:.0} instructions a byte");
                        }
                        panic!("{words} for twice the value");
                    }
                }
            });
        }
    });
}

#[test]
fn every_step_and_condition_is_among_them() {
    let all: Vec<&str> = GROUPS.iter().flat_map(|(_, cases)| cases.iter().copied()).collect();
    // What these ask is not in the text alone.
    for entry in reference::entries().filter(|entry| !matches!(entry.word, "listed" | "unique" | "same")) {
        let word = entry.word;
        assert!(all.iter().any(|case| case.starts_with(word) || case.contains(&format!(" {word} "))), "{word}");
    }
}
