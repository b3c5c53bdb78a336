//! The output and counts of a run do not depend on the number of threads or the size of reads.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use keen_notch_core::cutlist::CutList;
use keen_notch_core::summary::Part;
use keen_notch_fuzz::page;
use keen_notch_fuzz::run::{Ran, Way, input, run};
use keen_notch_io::source::input::Input;
use keen_notch_io::source::{Ragged, Reading};
use proptest::prelude::*;

const LIST: &str = r#"
[piece.head]
take  = 'first 2 then upper or "a,b"'
check = ["not digits", "length 2"]

[piece.tail]
take  = 'section 2 by "-"'
check = ["required"]
warn  = ["digits"]

[piece.parts]
take = 'sections by "-"'
rows = true

[rows]
keep = ['head: not starts with "7"']
"#;

/// With a comparison with earlier rows.
const LOOKING_BACK: &str = r#"
[piece.head]
take  = 'first 2'
check = ["unique"]
"#;

const SWIFT: &str = r#"
[piece.head]
take  = 'first 2'
check = ["letters", "length 2"]

[piece.tail]
take  = 'after "-" then upper or "a,b"'
warn  = ["not digits"]

[piece.middle]
of    = "y"
take  = 'section 1 by "-" then pad left to 3 with "0"'
check = ["required"]

[piece.front]
of   = "y"
take = 'before "-"'

[piece.number]
of   = "y"
take = 'number last'
"#;

const ALL_KINDS: &str = r#"
[layout.y]
form = ["<code 1 to 2 letters>-<rest>", "<only digits>"]

[piece.taken]
when = 'y: not blank'
take = 'whole'
warn = ["length 2 to 4", "fits /[a-c-]+/", "starts with letters", 'ends with "-"']

[piece.other]
take  = 'after "-" or before "c" or match /b(.)/ group 1 or "none"'
check = ['not one of "none"', 'same as z', 'contains any of "-7"', 'contains word "a"']

[piece.built]
build = "{taken}/{other},{y}"
check = ["unique", "not email"]

[piece.several]
take    = 'sections by "-" skipping empty then upper'
columns = 2
check   = ["required", "uppercase and digits"]

[piece.joined]
of    = "y"
take  = 'numbers then pad left to 3 with "0" joined with "+" or length'
check = ['range 1 to 99', 'not check digit luhn', 'date "%Y-%m-%d"']

[piece.finished]
of   = "z"
take = 'trim then squeeze then lower then replace /[a-b]+/ with "<$0>" then clip to 4 with "…"'

[proof]
x = "{taken}"

[rows]
keep   = ['y: not starts with "7"', 'joined: not one of "007"']
unique = ["other", "z"]
"#;

/// Comparisons with earlier rows under `keep`, between other conditions.
const LEFT_OUT: &str = r#"
[piece.head]
take  = 'first 2'
check = ["unique", "not same as z"]

[rows]
keep = ['y: not blank', 'x: unique', 'head: not digits', 'z: unique']
"#;

const A_ROW_EACH: &str = r#"
[piece.runs]
of    = "y"
take  = 'runs then suffix "," or "-"'
rows  = true
check = ["length 2 to 3"]
"#;

/// Unusual rows: quotes, line ends in quotes, too few and too many cells.
fn table() -> impl Strategy<Value = String> {
    let cell = prop_oneof![
        4 => "[a-c7 é-]{0,4}",
        2 => "[a,\"\r\n-]{0,5}".prop_map(|text| format!("\"{}\"", text.replace('"', "\"\""))),
        1 => "[a-z]\"[a-z]{0,2}",
    ];
    let row = proptest::collection::vec(cell, 1..5);
    // Some tables have more rows than a batch.
    let times = prop_oneof![3 => Just(1), 1 => 9..17_usize];
    let rows = (proptest::collection::vec(row, 1..40), times).prop_map(|(rows, times)| vec![rows; times].concat());
    (rows, proptest::bool::ANY, proptest::bool::ANY).prop_map(|(rows, crlf, last_end)| {
        let line_end = if crlf { "\r\n" } else { "\n" };
        let rows = std::iter::once("x,y,z".to_owned()).chain(rows.iter().map(|cells| cells.join(",")));
        format!("{}{}", rows.collect::<Vec<_>>().join(line_end), if last_end { line_end } else { "" })
    })
}

/// All outputs of a run, or its error.
fn everything(inputs: &[Input], list: &str, sets_aside: bool, way: Way) -> String {
    let ragged = if sets_aside { Ragged::SetAside } else { Ragged::Keep };
    let list = CutList::parse(list, 0).unwrap();
    let ran = run(inputs, &list, &Reading { ragged, ..Reading::default() }, way).unwrap().unwrap();
    format!("{:?}\n{}", ran.report, [ran.rows, ran.offcuts, ran.faults].join("\n"))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(debug_assertions) { 16 } else { 400 }))]

    #[test]
    fn threads_and_parts_do_not_show(first in table(), second in table(), sets_aside in proptest::bool::ANY) {
        let inputs = [input("a.csv", &first), input("b.csv", &second)];
        let way = |stride, threads| Way { stride: Some(stride), threads, ..Way::default() };
        for originals in [&[2, 0][..], &[]] {
            let [parted, whole] = [way(16, 2), way(1 << 20, 1)]
                .map(|way| everything(&inputs, SWIFT, sets_aside, Way { originals: Some(originals), ..way }));
            prop_assert_eq!(parted, whole, "with {:?}", originals);
        }
        for list in [LIST, LOOKING_BACK, SWIFT, ALL_KINDS, LEFT_OUT, A_ROW_EACH] {
            let whole = everything(&inputs, list, sets_aside, way(1 << 20, 1));
            for (stride, threads) in [(16, 1), (16, 2), (16, 5), (1 << 20, 3)] {
                let parted = everything(&inputs, list, sets_aside, way(stride, threads));
                prop_assert_eq!(&parted, &whole, "{} bytes at a time on {} threads", stride, threads);
            }
        }
    }

    #[test]
    fn parts_joined_are_the_whole(
        first in table(),
        second in table(),
        sets_aside in proptest::bool::ANY,
        of in 1..9_u32,
        stride in prop_oneof![Just(16_usize), Just(64), Just(1 << 20)],
    ) {
        let inputs = [input("a.csv", &first), input("b.csv", "x,y,z"), input("c.csv", &second)];
        let reading = Reading { ragged: if sets_aside { Ragged::SetAside } else { Ragged::Keep }, ..Reading::default() };
        for list in [LIST, SWIFT, A_ROW_EACH] {
            let list = CutList::parse(list, 0).unwrap();
            let ran = |part| {
                let way = Way { stride: Some(stride), threads: 1, part, ..Way::default() };
                run(&inputs, &list, &reading, way).unwrap().unwrap()
            };
            let whole = ran(None);
            let parts: Vec<Ran> = (1..=of).map(|number| ran(Some(Part { number, of }))).collect();
            for of_run in [|ran: &Ran| ran.rows.clone(), |ran: &Ran| ran.offcuts.clone(), |ran: &Ran| ran.faults.clone()] {
                prop_assert_eq!(parts.iter().map(of_run).collect::<String>(), of_run(&whole), "in {} parts", of);
            }
            let rows = |ran: &Ran| ran.report.as_ref().map(|report| report.totals.rows.read).unwrap_or_default();
            prop_assert_eq!(parts.iter().map(rows).sum::<u64>(), rows(&whole));
        }
    }

    #[test]
    fn a_threaded_survey_equals_one_row_by_row(first in table(), second in table()) {
        let inputs = [input("a.csv", &first), input("b.csv", &second)];
        let surveyed = |stride, most, threads| page(&inputs, Some(&[2, 0, 2]), stride, most, threads);
        // A survey with a row limit goes row by row.
        let by_row = surveyed(1 << 20, Some(u64::MAX), 1);
        for (stride, threads) in [(16, 1), (16, 3), (1 << 20, 2)] {
            prop_assert_eq!(&surveyed(stride, None, threads), &by_row, "{} bytes at a time", stride);
        }
    }
}

/// Hints compare with the first values of all inputs, even if the first input is small.
#[test]
fn a_small_input_before_a_large_one_reads_like_parts() {
    let first = "x,y,z\n\nb77\n\néaé7\naéé7\n\n\n\"\"\n-,\n-,\na";
    let rows = "é77\n7,\"\"\n\"\"\n \n-\na\n\"\"\néé7\n7\na\n\"\"\n\"\"\n,7\n-\n,7\n7aa\n\"\"\n";
    let second = format!("x,y,z\n{}", rows.repeat(12));
    let inputs = [input("a.csv", first), input("b.csv", second)];
    let [whole, parted] = [1 << 20, 16]
        .map(|stride| everything(&inputs, ALL_KINDS, false, Way { stride: Some(stride), threads: 1, ..Way::default() }));
    assert!(parted == whole);
}
