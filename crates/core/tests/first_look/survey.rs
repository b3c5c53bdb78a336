//! Surveys: tables of expected results, and properties of every column.

use keen_notch_core::survey::{Content, Count, Depth, Kinds, Survey, runs_of};
use proptest::prelude::*;

use crate::codes::{dice, part_codes};

fn surveyed<'a>(values: impl IntoIterator<Item = &'a str>) -> Survey {
    let mut survey = Survey::new(Depth::Full);
    for (index, value) in values.into_iter().enumerate() {
        survey.observe(index as u64 + 1, value);
    }
    survey
}

fn shapes(survey: &Survey) -> Vec<String> {
    survey.groups().iter().map(|group| format!("{} {}", group.seen.count, group.shape)).collect()
}

#[test]
fn part_codes_with_forty_irregular_ones() {
    let codes = part_codes();
    let survey = surveyed(codes.iter().map(String::as_str));
    assert_eq!(
        shapes(&survey),
        ["9960 U3-d8-X4", "8 U3-d8-X4␣␣", "8 U3-d8", "8 U2-d8-X4", "8 U3–d8-X4", "8 U3-X8-X4"],
        "the main shape, and every kind of irregularity with its count"
    );
    assert_eq!(survey.groups()[1].seen.rows, [7, 1257, 2507, 3757, 5007]);
    let delimiters = survey.delimiters();
    assert_eq!(delimiters[0].character, "-");
    let sections: Vec<_> = delimiters[0].sections.iter().map(|(sections, seen)| (*sections, seen.count)).collect();
    assert_eq!(sections, [(3, 9984), (2, 16)]);
    let (length, positions) = survey.positions().unwrap();
    assert_eq!(length, 17);
    let contents = |position: usize| -> Vec<_> {
        positions[position - 1].contents.iter().map(|(contents, seen)| (contents.clone(), seen.count)).collect()
    };
    let dash = |text: &str, count| (Content::Character(text.to_owned()), count);
    assert_eq!(contents(4), [dash("-", 9968), dash("–", 8)]);
    assert_eq!(contents(13), [dash("-", 9976)]);
    assert_eq!(contents(1), [(Content::Kind(Kinds::UPPER), 9976)]);
    for position in 5..=12 {
        let letter = &positions[position - 1].contents[1];
        assert_eq!((&letter.0, letter.1.count), (&Content::Kind(Kinds::UPPER), 1), "one O at each");
    }
    let odd: Vec<_> = survey.oddities().iter().map(|(oddity, seen)| format!("{oddity} {}", seen.count)).collect();
    assert_eq!(odd, ["space at the end 8", "en dash (U+2013), which looks like \"-\" 8"]);
}

#[test]
fn shapes_of_other_columns() {
    let owned = |values: Vec<&'static str>, times: usize| values.repeat(times);
    for (values, expected) in [
        (owned(vec!["RIG", "IT", "HYDR", "OPS"], 20), vec!["80 U2..4"]),
        (owned(vec!["2019-0385-RIG", "2020-0386-HYDRA"], 30), vec!["60 d4-d4-U3..5"]),
        // Two populations with one skeleton stay separate.
        (owned(vec!["GRP-1234", "2019-RIG"], 30), vec!["30 U3-d4", "30 d4-U3"]),
        (owned(vec!["Okafor", "Hale", "Lindqvist"], 30), vec!["90 U1L3..8"]),
        (vec!["", "  ", "A"], vec!["1 U1"]),
        (vec![""], vec![]),
        (vec!["a b"], vec!["1 L1 L1"]),
    ] {
        assert_eq!(shapes(&surveyed(values.clone())), expected, "{values:?}");
    }
    let survey = surveyed(["", "  ", "A"]);
    assert_eq!((survey.values(), survey.blank.count, survey.spaces_only), (1, 2, 1));
}

#[test]
fn many_shapes_stay_in_bounds_and_positions_are_known() {
    // Random hexadecimal identifiers exceed the limit on shapes.
    let code = |n: u64| {
        let hex = format!("{:016x}{:016x}", dice(n), dice(n + 500_000));
        format!("{}-{}-4{}-{}", &hex[..8], &hex[8..12], &hex[12..15], &hex[15..31])
    };
    let codes: Vec<String> = (0..40_000).map(code).chain(["short".to_owned()]).collect();
    let survey = surveyed(codes.iter().map(String::as_str));
    let groups = survey.groups();
    assert_eq!(groups.iter().map(|group| group.seen.count).sum::<u64>() + survey.other_shapes().count, 40_001);
    assert!(groups.len() < 30, "{}", groups.len());
    assert_eq!(groups[0].shape.to_string(), "x8-x4-x4-x16");
    let (length, positions) = survey.positions().unwrap();
    assert_eq!(length, 35);
    assert_eq!(positions[8].contents.len(), 1, "always a hyphen");
    assert_eq!(positions[14].contents[0].0, Content::Character("4".to_owned()), "always 4");
    let Count::Exact(distinct) = survey.distinct() else { panic!("few enough to be counted") };
    assert_eq!(distinct, 40_001);
    let mut members = survey.members(&groups[..1]);
    assert_eq!(codes.iter().filter(|code| members.has(code)).count() as u64, groups[0].seen.count);
}

proptest! {
    #[test]
    fn every_value_is_in_one_group_whose_shape_it_has(
        values in proptest::collection::vec("[aB7é –\t.-]{0,7}|[A-C]{3}-[0-9]{1,3}", 1..60)
    ) {
        let survey = surveyed(values.iter().map(String::as_str));
        let groups = survey.groups();
        prop_assert_eq!(groups.iter().map(|group| group.seen.count).sum::<u64>(), survey.values());
        let fine = survey.fine_groups();
        prop_assert_eq!(fine.iter().map(|group| group.seen.count).sum::<u64>(), survey.values());
        let mut members: Vec<_> = groups.iter().map(|group| survey.members(std::slice::from_ref(group))).collect();
        for value in &values {
            let of: Vec<usize> = (0..groups.len()).filter(|index| members[*index].has(value)).collect();
            prop_assert_eq!(of.len(), usize::from(!value.trim().is_empty()), "{:?} is in {:?}", value, of);
            for index in of {
                prop_assert!(groups[index].shape.has(&runs_of(value)), "{:?} has {}", value, groups[index].shape);
            }
        }
    }
}
