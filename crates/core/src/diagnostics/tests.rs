//! Tests of observations and hints.

use proptest::prelude::*;

use super::*;
use crate::batch::Column;
use crate::batch::formula::is_like_formula;
use crate::carving::{BatchResults, BatchRows, Carving, Memory, TableRows, Totals};
use crate::column::{ColumnRef, Header};
use crate::cutlist::CutList;
use crate::program::Setting;
use crate::text::unit::Unit;

fn observed(piece: Piece, values: &[&str], rows: usize) -> Diagnostics {
    let diagnostics = Diagnostics::new(std::slice::from_ref(&piece), &()).with_today("2025-11-25");
    observed_by(diagnostics, piece, values, rows)
}

/// Observes values in batches of `rows` rows. The results that may be formulas are compared with the definition.
fn observed_by(mut diagnostics: Diagnostics, piece: Piece, values: &[&str], rows: usize) -> Diagnostics {
    let wanted = crate::piece::Rules { pieces: vec![piece], ..crate::piece::Rules::default() };
    let setting = Setting::new(Unit::Characters);
    let carving = Carving::new(&wanted, Some(&ColumnRef::Number(1)), &setting, &Header::Unnamed(1)).unwrap();
    let mut looks = Vec::new();
    for (index, values) in values.chunks(rows).enumerate() {
        let column = Column::of(values.iter().copied());
        let rows_of_batch = TableRows::new(values.len() as u32, vec![Column::from(column.texts())]);
        let carved = carving.carve(rows_of_batch, BatchResults::default()).map_err(|refused| refused.error).unwrap();
        let compared = carving.compare_one(carved, 0, &mut Memory::default()).unwrap();
        let mut judged = carving.judge(compared, &mut Totals::new(&carving, 0));
        let (carved_rows, results) = judged.parts();
        let formulas = carved_rows.with_batch(|batch| carving.formulas(0, batch, results, false));
        let texts = results.piece(0).texts(column.texts());
        let by_definition = (0..texts.len()).filter(|at| is_like_formula(texts.get(*at)));
        assert_eq!(formulas.len(), by_definition.count());
        note_looks(column.texts(), &mut looks);
        let number = |row| (index * rows + row) as u64 + 1;
        let (values, results) = (column.texts(), judged.results().piece(0));
        diagnostics.observe(0, Observation { values, filled: values.filled(), looks: &looks, results, number: &number });
    }
    diagnostics
}

fn hints(piece: &str, values: &[&str]) -> Vec<String> {
    let piece = Piece::parse(&format!("p: {piece}"), 0).unwrap();
    observed(piece, values, 256)
        .hints(values.len() as u64, &[])
        .into_iter()
        .map(|hint| {
            let fix = match hint.fix {
                Fix::Piece { phrase, .. } => phrase,
                Fix::Words(text) => text,
                Fix::LookAtRow(row) => format!("look at row {row}"),
                Fix::DoubtTheCheck(row) => format!("doubt the check by row {row}"),
            };
            format!("{} {:?}: {fix}", hint.seen, hint.rows)
        })
        .collect()
}

#[test]
fn what_is_observed() {
    let many = |value: &'static str, odd: &'static str| std::iter::repeat_n(value, 99).chain([odd]).collect::<Vec<_>>();
    for (piece, values, expected) in [
        (
            "last 4",
            vec!["GRP-S7K2", "GRP-S7K2  ", "  GRP-S7K2"],
            vec!["1 value with spaces at an end, and `last 4` counts them for p [2]: trim then last 4"],
        ),
        ("trim then last 4", vec!["GRP-S7K2", "GRP-S7K2  "], vec![]),
        (
            r#"section 2 by "-""#,
            vec!["A-1", "A–2", "A–3", "A−4"],
            vec![
                r#"2 values have en dash (U+2013) instead of the marker "-" of p [2, 3]: section 2 by "-" or replace "\u{2013}" with "-" then section 2 by "-""#,
                r#"1 value has minus sign (U+2212) instead of the marker "-" of p [4]: section 2 by "-" or replace "\u{2212}" with "-" then section 2 by "-""#,
            ],
        ),
        (
            r#"after "-""#,
            many("A-0041", "A-0O41"),
            vec![r#"1 value has the letter O in p where the other 99 have digits [100]: after "-" then replace "O" with "0""#],
        ),
        (
            r#"after "-" or "none""#,
            many("A-0041", "A-0O41"),
            vec![
                r#"1 value has the letter O in p where the other 99 have digits [100]: after "-" then replace "O" with "0" or "none""#,
            ],
        ),
        (
            r#"after "WO:""#,
            vec!["WO:a", "wo:b"],
            vec![r#"the marker "WO:" of p is written in another case in 1 value [2]: after "WO:" or after "WO:" any case"#],
        ),
        (
            "whole",
            vec!["00412", "10413", "00414", "412"],
            vec![
                r#"1 value of the column of p may have lost its leading zeros: most have 5 digits [4]: pad left to 5 with "0" then whole"#,
            ],
        ),
        // A phrase that pads them itself, or takes them from the right, is right without.
        ("pad left to 5 with \"0\" then first 3", vec!["00412", "10413", "00414", "412"], vec![]),
        ("last 2", vec!["00412", "10413", "00414", "412"], vec![]),
        ("char 3 then upper", many("abc", "ab"), vec!["p is missing in only 1 of 100 rows [100]: look at row 100"]),
        ("first 3", many("abc", "ab"), vec!["p is short in only 1 of 100 rows [100]: look at row 100"]),
        ("first 3", vec!["S1B", "abc", "IOU"], vec![]),
        // A value unlike the others is not a code with a look-alike.
        ("chars 3 to 6", many("A-0041-7", "A0B417"), vec![]),
        (r#"section 2 by "-""#, many("A-0041-7", "A–2"), vec!["p is missing in only 1 of 100 rows [100]: look at row 100"]),
        (
            "first 4",
            [many("0041", "0O41"), vec!["none"]].concat(),
            vec![
                r#"1 value has the letter O in p where the other 99 have digits [100]: first 4 then replace /^([0-9]*)O([0-9]*)$/ with "${1}0$2""#,
            ],
        ),
        (
            "whole",
            vec!["00412", "10413", "00414", "412", "n/a"],
            vec![
                "1 value of the column of p may have lost its leading zeros: most have 5 digits [4]: fix the data: pad these values with zeros to 5 digits",
            ],
        ),
        (
            "number",
            vec!["1,234.56 EUR", "7", "12,34,567", "3.11.2025"],
            vec![
                r#"p takes only a part of the number in 2 values, such as "12" of "12,34,567" [3, 4]: look at row 3"#,
                r#"p takes only a part of the number in 1 value, such as "1" of "1,234.56 EUR" [1]: number like "1,234.5""#,
            ],
        ),
        (
            "number then pad left to 9 with \"0\"",
            vec!["1.234,56", "7"],
            vec![r#"p takes only a part of the number in 1 value, such as "1.234" of "1.234,56" [1]: look at row 1"#],
        ),
        (
            "number",
            vec!["pad 3 200 mm", "v1.10.2", "3.25", "1.2e3", "2025/11", "size 3, new"],
            vec![r#"p takes only a part of the number in 3 values, such as "3" of "pad 3 200 mm" [1, 2, 4]: look at row 1"#],
        ),
        (
            "numbers joined with \";\"",
            vec!["4 and 12 345 and 6,7", "7"],
            vec![r#"p takes only a part of the number in 1 value, such as "12" of "4 and 12 345 and 6,7" [1]: look at row 1"#],
        ),
        (
            r#"number like "1.234,5""#,
            vec!["1 234,5", "1,234.56", "-7", "(8)", "9-", "WO-12", "1.5", "n/a"],
            vec![
                r#"p takes only a part of the number in 1 value, such as "1" of "1 234,5" [1]: look at row 1"#,
                r#"p is missing in 2 values with a number in another style, such as "1,234.56" [2, 7]: look at row 2"#,
                r#"p leaves out the sign of the number in 1 value, such as "-7" [3]: number like "1.234,5" signed"#,
                r#"p leaves out the sign of the number in 1 value, such as "9-" [5]: look at row 5"#,
                r#"p leaves out the sign of the number in 1 value, such as "(8)" [4]: look at row 4"#,
            ],
        ),
        (
            r#"number like "-1,234.5" or "(1,234.5)""#,
            vec!["-1,234.5", "(7)", "8-"],
            vec![r#"p leaves out the sign of the number in 1 value, such as "8-" [3]: look at row 3"#],
        ),
        (
            "number",
            vec!["t -4 C", "-4.5"],
            vec![r#"p leaves out the sign of the number in 1 value, such as "-4.5" [2]: number signed"#],
        ),
        ("trim then plain number or \"0\"", vec!["1.234,56", "7"], vec![]),
        (
            "plain number",
            vec!["1.234,56", "2.000", "7,5", "n/a"],
            vec![
                r#"p is missing in 2 values that have marks for thousands or decimals, such as "1.234,56" [1, 3]: look at row 1"#,
            ],
        ),
        (
            "date \"%d.%m.%y\"",
            vec!["03.11.25", "03.11.48"],
            vec![r#"p gives dates after today for 1 value [2]: date "%d.%m.%y" from 1926"#],
        ),
        (
            r#"date "%d/%m/%Y" or date "%m/%d/%Y" or "none""#,
            vec!["03/04/2024", "05/05/2024", "31/01/2024", "01/31/2024", "02/01/2024", "x", "30/01/2024"],
            vec![
                r#"2 values of p are read as the first of two dates, such as "03/04/2024" (2024-04-03 by "%d/%m/%Y", 2024-03-04 by "%m/%d/%Y"); only "%d/%m/%Y" reads 2 other values, only "%m/%d/%Y" reads 1 other value [1, 5]: look at row 1"#,
            ],
        ),
        (
            "date \"%Y-%m-%d\"",
            vec!["2025-11-24", "2025-11-25", "2025-11-26"],
            vec!["p gives dates after today for 1 value [3]: look at row 3"],
        ),
    ] {
        assert_eq!(hints(piece, &values), expected, "{piece}");
    }
}

#[test]
fn the_fixes_that_are_offered_can_be_pasted() {
    for hint in [hints(r#"section 2 by "-""#, &["A–2"]), hints("last 4", &["GRP  "])].concat() {
        let (_, help) = hint.split_once("]: ").unwrap();
        assert!(Piece::parse(&format!("p: {help}"), 0).is_ok(), "{help}");
    }
}

#[test]
fn a_layout_rejects_a_look_alike() {
    let layout = crate::layout::Layout::parse("x: <family 3 uppercase>-<serial 8 digits>-<grade 4>", 0).unwrap();
    let (plan, mut fits, mut diagnostics) = (LayoutPlan::new(&layout), LayoutFits::default(), Diagnostics::default());
    let column = Column::of(["GRP-0004127O-S7K2", "GRP–00041270-S7K2", "GR-1"]);
    plan.fit_all(column.texts(), &mut fits);
    diagnostics.observe_layout(&plan, &fits, column.texts(), &|row| row as u64 + 1);
    let hints: Vec<_> = diagnostics.hints(3, &[]).into_iter().map(|hint| (hint.seen, hint.rows)).collect();
    assert_eq!(
        hints,
        [
            ("1 value has the letter O where the layout wants a digit".to_owned(), vec![1]),
            ("1 value has en dash (U+2013) where the layout wants \"-\"".to_owned(), vec![2]),
        ]
    );
}

#[test]
fn a_check_that_nearly_all_rows_fail_comes_first() {
    let seen = Sightings { count: 19, rows: vec![1, 2] };
    let hints = Diagnostics::default().hints(20, &[FailedCheck { of: "serial", words: "length 9", seen: &seen }]);
    assert_eq!(hints[0].seen, "19 of 20 rows do not meet `length 9` of serial");
}

fn texts() -> impl Strategy<Value = Vec<String>> {
    let kind = prop_oneof![
        3 => Just("[0-9OSB]{0,5}|[ 0-9aOSl-]{0,20}|[0-9]{15,18}"),
        1 => Just("[0-9]{0,18}"),
        1 => Just("[A-Z]{0,5}"),
        1 => Just("[A-Z]{1,3}-[0-9O]{1,3}"),
        1 => Just("[a(-]?[0-9]{1,4}[., -][0-9]{1,3}[).,a-]?[0-9]{0,3}"),
    ];
    kind.prop_flat_map(|kind| proptest::collection::vec(kind, 1..150))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn many_rows_are_observed_as_one_by_one(texts in texts()) {
        let texts: Vec<&str> = texts.iter().map(String::as_str).collect();
        let phrases = ["whole", "first 4", r#"after "-""#, r#"before "-" or "none""#, "match /-([0-9]+)/ group 1", "number", r#"numbers joined with "|""#, "plain number", r#"number like "1,234.5""#,
            r#"first 3 then pad left to 4 with "0""#];
        let checks = ["", r#""digits""#, r#""uppercase""#, r#""uppercase and digits""#, r#""not digits""#];
        for (phrase, check) in phrases.iter().flat_map(|phrase| checks.map(|check| (phrase, check))) {
            let list = CutList::parse(&format!("[piece.p]\ntake = '{phrase}'\ncheck = [{check}]\n"), 0).unwrap();
            let [piece] = list.wanted.pieces.as_slice() else { panic!("one piece") };
            let one_by_one = observed(piece.clone(), &texts, 1);
            let together = observed(piece.clone(), &texts, 100);
            prop_assert_eq!(format!("{:?}", together), format!("{:?}", one_by_one), "{} {}", phrase, check);
        }
    }

    #[test]
    fn what_the_start_of_a_run_settles_leads_to_no_hint(first in texts(), later in texts()) {
        let texts: Vec<&str> = first.iter().cycle().take(100).chain(&later).map(String::as_str).collect();
        for phrase in ["whole", "last 4", r#"section 2 by "-""#, r#"after "-""#, "number last", "match /[0-9O]+/"] {
            let piece = Piece::parse(&format!("p: {phrase}"), 0).unwrap();
            let all = observed(piece.clone(), &texts, 64);
            let mut start = Diagnostics::new(std::slice::from_ref(&piece), &()).with_today("2025-11-25");
            start.append(&observed(piece.clone(), &texts[..100], 64), 0);
            let mut rest = Diagnostics::new(std::slice::from_ref(&piece), &()).with_today("2025-11-25");
            rest.set_focus(&start.focus().collect::<Vec<_>>());
            start.append(&observed_by(rest, piece, &texts[100..], 64), 100);
            let rows = texts.len() as u64;
            prop_assert_eq!(start.hints(rows, &[]), all.hints(rows, &[]), "{}", phrase);
        }
    }
}
