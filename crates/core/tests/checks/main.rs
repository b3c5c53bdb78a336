//! Properties of check digits, layouts, exact numbers and the memory of rows.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

mod dates;
mod elsewhere;

use std::cmp::Ordering;
use std::collections::HashMap;

use keen_notch_core::check::check_digit::check;
use keen_notch_core::check::email;
use keen_notch_core::check::unique_texts::UniqueTexts;
use keen_notch_core::decimal;
use keen_notch_core::layout::{Layout, LayoutPlan};
use keen_notch_core::phrase::ast::{CheckDigit, Condition};
use keen_notch_core::program::{ConditionPlan, Setting};
use keen_notch_core::text::characters;
use keen_notch_core::text::unit::Unit;
use proptest::prelude::*;

proptest! {
    #[test]
    fn one_check_digit_of_ten_is_good(
        body in "[0-9]{1,18}",
        algorithm in proptest::sample::select(vec![CheckDigit::Luhn, CheckDigit::Gs1, CheckDigit::Verhoeff, CheckDigit::Damm]),
    ) {
        let good = (0..10).filter(|digit| check(algorithm, &format!("{body}{digit}")).is_ok()).count();
        prop_assert_eq!(good, 1);
    }

    #[test]
    fn one_check_digit_of_eleven_is_good(body in "[0-9]{9}") {
        for algorithm in [CheckDigit::Isbn10, CheckDigit::Mod112] {
            let good = "0123456789X".chars().filter(|last| check(algorithm, &format!("{body}{last}")).is_ok()).count();
            prop_assert_eq!(good, 1, "{:?}", algorithm);
        }
    }

    #[test]
    fn no_text_makes_a_check_panic(text in "\\PC{0,12}|[0-9X]{0,12}|[A-Z]{2}[0-9]{0,30}") {
        for algorithm in [
            CheckDigit::Luhn, CheckDigit::Gs1, CheckDigit::Isbn10, CheckDigit::Mod97, CheckDigit::Mod112, CheckDigit::Iban,
            CheckDigit::Verhoeff, CheckDigit::Damm,
        ] {
            let _ = check(algorithm, &text);
        }
        if let Err(wrong) = email::check(&text) {
            prop_assert!(wrong.at.is_none_or(|at| (1..=characters::count(&text) + 1).contains(&at)), "{:?}", wrong);
        }
    }

    #[test]
    fn numbers_compare_as_integers_do(left in -100_000i64..100_000, right in -100_000i64..100_000, zeros in "0{0,3}", places in 0usize..4) {
        // The same numbers with a decimal point and insignificant zeros.
        let written = |n: i64| {
            let digits = format!("{:0width$}", n.abs(), width = places + 1);
            let (whole, decimals) = digits.split_at(digits.len() - places);
            let point = if places == 0 { String::new() } else { format!(".{decimals}{zeros}") };
            format!("{}{zeros}{whole}{point}", if n < 0 { "-" } else { "" })
        };
        prop_assert_eq!(decimal::compare(&written(left), &written(right)), Some(left.cmp(&right)));
        let mut plain = String::new();
        prop_assert!(decimal::write_plain(&written(left), &mut plain));
        prop_assert_eq!(decimal::compare(&plain, &written(left)), Some(Ordering::Equal));
        prop_assert!(plain.len() <= written(left).len());
    }

    #[test]
    fn joined_fields_are_parsed_again(
        family in "[A-Z]{3}", serial in "[0-9]{1,9}", grade in "[A-Z0-9]{2,4}", note in "[a-z é-]{1,6}", graded in proptest::bool::ANY,
    ) {
        let layout = Layout::parse("x: <family 3 uppercase>-<serial digits>[/<grade 2 to 4 uppercase and digits>] <note>", 0).unwrap();
        let value = if graded { format!("{family}-{serial}/{grade} {note}") } else { format!("{family}-{serial} {note}") };
        let fit = LayoutPlan::new(&layout).fit(&value).unwrap();
        let fields: Vec<_> = fit.iter().map(|range| range.clone().map(|range| value[range].to_owned())).collect();
        prop_assert_eq!(fields, vec![Some(family), Some(serial), graded.then_some(grade), Some(note)]);
    }

    #[test]
    fn a_layout_mismatch_names_its_position(value in "[A-C1-3–-]{0,10}") {
        let layout = Layout::parse("x: <a 2 to 3 uppercase>-<b digits>[-<c 1>]", 0).unwrap();
        let plan = LayoutPlan::new(&layout);
        if let Err(violation) = plan.fit(&value) {
            let at = violation.at.unwrap();
            prop_assert!((1..=characters::count(&value) + 1).contains(&at));
            // The text before that character could still become a valid code.
            let fits_so_far: String = value.chars().take(at - 1).collect();
            let completed = ["", "A", "AA", "AA-1", "A-1", "-1", "1"].iter().any(|rest| plan.fit(&format!("{fits_so_far}{rest}")).is_ok());
            prop_assert!(completed, "{} of {}", fits_so_far, value);
        }
    }

    #[test]
    fn the_first_row_of_each_text_is_remembered(texts in proptest::collection::vec("[a-c]{1,2}", 0..60)) {
        let (mut seen, mut first) = (UniqueTexts::default(), HashMap::new());
        for (row, text) in texts.iter().enumerate() {
            let row = row as u64 + 1;
            let expected = first.get(text).copied();
            first.entry(text.clone()).or_insert(row);
            prop_assert_eq!(seen.note(UniqueTexts::hash([text.as_str()]), row).unwrap(), expected);
        }
    }

    #[test]
    fn a_violation_points_into_its_value(text in "[A-C0-9 é–-]{1,8}", negated in proptest::bool::ANY) {
        for condition in ["digits", "uppercase and digits", "length 3 to 4", "one of \"A\", \"B\"", "range 1 to 5", "email", "check digit luhn", "starts with \"A\""] {
            let words = if negated { format!("not {condition}") } else { condition.to_owned() };
            let plan = ConditionPlan::new(&Condition::parse(&words).unwrap(), &Setting::new(Unit::Characters)).unwrap();
            if !plan.holds(&text) {
                let violation = plan.violation(&text);
                prop_assert!(!violation.detail.is_empty());
                prop_assert!(violation.at.is_none_or(|at| (1..=characters::count(&text)).contains(&at)), "{} {:?}", words, violation);
            }
        }
    }
}
