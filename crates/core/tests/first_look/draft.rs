//! Drafts: phrases from examples, and cut lists from data.

use keen_notch_core::cutlist::CutList;
use keen_notch_core::draft::{
    Contradiction, DraftPiece, Example, Origin, Proposal, RankedPhrase, Reading, SearchResult, contradiction, differ, draft,
    fits, rank, search, search_with_kinds,
};
use keen_notch_core::phrase::Phrase;
use keen_notch_core::program::{Program, Scratch};
use keen_notch_core::survey::{Depth, Row, Survey};
use keen_notch_core::text::unit::Unit;
use proptest::prelude::*;

use crate::codes::part_codes;

fn examples(texts: &[&str]) -> Vec<Example> {
    texts.iter().map(|text| Example::parse(text).unwrap()).collect()
}

fn rows(values: &[&str]) -> Vec<Row> {
    values.iter().enumerate().map(|(index, value)| Row { row: index as u64 + 1, value: (*value).to_owned() }).collect()
}

fn ranked(texts: &[&str], values: &[&str]) -> Vec<RankedPhrase> {
    let examples = examples(texts);
    rank(&search(&examples).found, &examples, &rows(values))
}

fn cut(phrase: &str, value: &str) -> Option<String> {
    let plan = Program::new(&Phrase::parse(phrase).unwrap(), Unit::Characters).unwrap();
    let mut scratch = Scratch::default();
    let cut = plan.cut(value, &mut scratch);
    (!cut.state.missing).then(|| cut.text.to_owned())
}

const REFERENCES: [&str; 6] = [
    "INSP 2025/11 WO:77120 (Ines Okafor) brake pad 3.25 mm",
    "AUDIT 2020/12 WO:35723 (Signe Hale) grip jaw 15.67 mm",
    "AUDIT 2025/01 order 52218 (Leyla Sato) hanger bolt",
    "\"CALL\" WO:424497\nsee over (Tomas Marchetti) 7 mm",
    "CALL without an order, relay",
    "INSP 2021/05 WO:328018 (Maria Luisa Duarte) sheave liner 12 mm",
];

#[test]
fn serial_numbers_without_their_zeros() {
    let odd = ["SHV-47476125", "HNG–00041758–U7JA", "GRP-0056034O-54T4", "HNG--00303833-73P8", "x"];
    let codes = [&["GRP-00041273-S7K2"; 120][..], &odd[..]].concat();
    let found = ranked(&["GRP-00041273-S7K2 => 41273", "HNG-00900001-AB12 => 900001"], &codes);
    for code in codes {
        assert_eq!(cut(&found[0].phrase, code), cut(r#"section 2 by "-" then plain number"#, code), "{code}");
    }
}

#[test]
fn surnames_in_brackets_and_the_row_that_decides() {
    let wanted = [
        "INSP 2025/11 WO:77120 (Ines Okafor) brake pad 3.25 mm => Okafor",
        "CALL 2024/02 WO:5512 (Zoë Müller) relay 2 mm => Müller",
    ];
    let values = [&REFERENCES[..], &[REFERENCES[1]; 60][..]].concat();
    let found = ranked(&wanted, &values);
    let expected = ["Okafor", "Hale", "Sato", "Marchetti"];
    for (index, surname) in expected.iter().enumerate() {
        assert_eq!(found[0].result(index), Some(*surname), "{}", found[0].phrase);
    }
    assert_eq!(found[0].result(4), None);
    println!("{:?}", found.iter().map(|f| (&f.phrase, f.result(3))).collect::<Vec<_>>());
    assert_eq!(differ(&found[0], &found[1]), Some(5), "the name of three words tells the first two apart");
    let decided = ranked(&[&wanted[..], &[&format!("{} => Duarte", REFERENCES[5])]].concat(), &values);
    assert_eq!(decided[0].phrase, r#"between "(" and ")" then after last " ""#);
}

#[test]
fn examples_of_every_kind() {
    for (wanted, value, expected) in [
        (vec!["ines.okafor@lift.skarn.example => Ines"], "bram.sato@lift.skarn.example", "Bram"),
        (vec!["ines.okafor@lift.skarn.example => OKAFOR"], "bram.sato@lift.skarn.example", "SATO"),
        (vec!["ines.okafor@lift.skarn.example => lift"], "bram.sato@yard.skarn.example", "yard"),
        (vec!["GRP-0041 => grp", "HNG-0042 => hng"], "SHV-1", "shv"),
        (vec!["2019-385-RIG => 000385", "2020-41-IT => 000041"], "2021-7225-OPS", "007225"),
        (vec!["WO:77120 => Order 77120", "WO:512 => Order 512"], "WO:9", "Order 9"),
        (vec!["pad 3.25 mm => 3.25", "relay 2 mm => 2"], "bolt 12.5 mm", "12.5"),
        (vec!["GRP 0041/7 => 00417", "HNG 11/42 => 1142"], "SHV 3/3", "33"),
        (vec!["  GRP  => GRP", "HNG  => HNG"], " SHV ", "SHV"),
        (vec!["2.374,74 => 2374.74", "846,72 => 846.72"], "1.000.000,50", "1000000.5"),
        (vec!["net 1,204.50 kg => 1204.50", "net 88.25 kg => 88.25"], "net 3,000.75 kg", "3000.75"),
        (vec!["02.08.2016 => 2016-08-02"], "17.12.2020", "2020-12-17"),
        (vec!["02.08.2016 => 2016/08/02", "17.12.2020 => 2020/12/17"], "31.01.1999", "1999/01/31"),
        (vec!["INSP 02.08.2016 x => 02.08.16"], "CALL 17.12.2020 y", "17.12.20"),
        (vec!["1'204.5 => 1204.5", "88.25 => 88.25"], "12'345'678.5", "12345678.5"),
    ] {
        let found = search(&examples(&wanted)).found;
        assert!(!found.is_empty(), "{wanted:?}");
        assert_eq!(cut(&found[0].phrase, value).as_deref(), Some(expected), "{wanted:?}: {}", found[0].phrase);
        assert_eq!(found, search(&examples(&wanted)).found, "the same examples give the same phrases");
    }
}

#[test]
fn examples_that_contradict_each_other() {
    for (wanted, expected) in [
        (vec!["A-1 => A", "B-2 => 2"], Contradiction::Pairs(vec![(0, 1)])),
        (vec!["GRP-1 => G", "GRP-1 => P"], Contradiction::Pairs(vec![(0, 1)])),
        (vec!["GRP-17-x => 17", "HNG-18-y => y", "SHV-19-z => 19"], Contradiction::OddOneOut(1, "number".to_owned())),
        (vec!["GRP-1734 => 1734", "HNG-1234 => 4321"], Contradiction::Alone(vec![1])),
    ] {
        assert!(search(&examples(&wanted)).found.is_empty(), "{wanted:?}");
        match (contradiction(&examples(&wanted)), expected) {
            (Contradiction::OddOneOut(odd, phrase), Contradiction::OddOneOut(expected, _)) => {
                assert_eq!(odd, expected);
                assert!(fits(&phrase, &examples(&[wanted[0], wanted[2]])), "{phrase}");
            }
            (found, expected) => assert_eq!(found, expected, "{wanted:?}"),
        }
    }
}

#[test]
fn phrases_for_values_of_several_kinds() {
    for (wanted, tried) in [
        (vec!["GRP-1-S7K2 => S7K2", "HNG-2 => HNG", "GRP-3-N9 => N9"], vec![("GRP-44-AB", "AB"), ("HNG-5", "HNG")]),
        (vec!["041-7 => 7", "A.19 => A", "B.20 => B", "042-8 => 8"], vec![("C.1", "C"), ("199-6", "6")]),
        (
            vec!["GRP-17-x => 17", "HNG-18-y => y", "SHV-19-z => SHV", "SHV-29-y => SHV", "HNG-18-z => z", "GRP-18-y => 18"],
            vec![("GRP-99-q", "99"), ("HNG-1-w", "w"), ("SHV-2-v", "SHV")],
        ),
        (vec!["12345678 => 1234", "00-12345 => 12345"], vec![("87654321", "8765"), ("11-1", "1")]),
    ] {
        let SearchResult { found, are_of_kinds, .. } = search_with_kinds(&examples(&wanted));
        assert!(are_of_kinds, "{wanted:?}");
        let best = &found.first().unwrap_or_else(|| panic!("{wanted:?}")).phrase;
        assert!(found.iter().all(|found| fits(&found.phrase, &examples(&wanted))), "{wanted:?}");
        for (value, expected) in tried {
            assert_eq!(cut(best, value).as_deref(), Some(expected), "{wanted:?}: {best}");
        }
    }
    let same_value = examples(&["GRP-1 => G", "GRP-1 => P"]);
    assert!(search_with_kinds(&same_value).found.is_empty(), "nothing tells them apart");
    assert!(!search_with_kinds(&examples(&["GRP-1 => GRP"])).are_of_kinds);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// The search finds a phrase for the results of any phrase.
    #[test]
    fn traces_equal_runs(
        phrase in prop::sample::select(vec![
            r#"section 2 by "-""#, "first 3 then lower", "last 2", r#"after last "-""#, "number then plain number",
            r#"before "-" then pad left to 6 with "0""#, r#"between "-" and "/" then title"#, "keep digits",
        ]),
        values in proptest::collection::vec("[A-Z]{2,4}-[0-9]{3,5}/[a-z]{2,5}-[A-Z0-9]{3}", 2..4),
    ) {
        let examples: Vec<Example> = values
            .iter()
            .filter_map(|value| Some(Example { value: value.clone(), result: cut(phrase, value)? }))
            .filter(|example| !example.result.is_empty())
            .collect();
        prop_assume!(!examples.is_empty());
        let found = search(&examples).found;
        prop_assert!(!found.is_empty(), "{:?}", examples);
        for found in found {
            prop_assert!(fits(&found.phrase, &examples), "{} on {:?}", found.phrase, examples);
        }
    }
}

fn readings(values: &[String]) -> Vec<Reading> {
    let mut survey = Survey::new(Depth::Full);
    for (index, value) in values.iter().enumerate() {
        survey.observe(index as u64 + 1, value);
    }
    let origin =
        Origin { input: "a.csv".to_owned(), column: "code".to_owned(), columns: vec!["code".to_owned()], ..Origin::default() };
    let draft = draft(origin, &survey).unwrap();
    for index in 0..draft.readings.len() {
        let list = draft.trial().list(index);
        CutList::parse(&list, 0).unwrap_or_else(|error| panic!("{error}\n{list}"));
    }
    draft.readings
}

/// The pieces of the first reading, and the forms of layouts.
fn drafted(values: &[String]) -> (Vec<DraftPiece>, Vec<String>) {
    let readings = readings(values);
    let mut pieces = Vec::new();
    let mut forms = Vec::new();
    // Another test covers the reading of dates.
    for reading in readings.iter().filter(|reading| !reading.heading.starts_with("As dates")) {
        match &reading.proposal {
            Proposal::Pieces { pieces: found, .. } if pieces.is_empty() => pieces.clone_from(found),
            Proposal::Pieces { .. } => {}
            Proposal::Layout(form) => forms.push(form.clone()),
        }
    }
    (pieces, forms)
}

fn shown(pieces: &[DraftPiece]) -> Vec<String> {
    pieces.iter().map(|piece| format!("{}: {} [{}]", piece.name, piece.take, piece.checks().join(", "))).collect()
}

#[test]
fn cut_lists_from_data() {
    let repeated =
        |values: &[&str]| -> Vec<String> { values.iter().cycle().take(60).map(|value| (*value).to_owned()).collect() };
    let codes = repeated(&["GRP-00041273-S7K2", "HNG-90470384-DUX5", "SHV-75866125-7H63", "BRK-75866111-RN6H"]);
    let crew = repeated(&["2019-0385-RIG", "2023-5510-OPS", "2004-7225-IT", "2011-6520-RESCU"]);
    for (values, pieces, form) in [
        (
            codes,
            vec![
                r#"part_1: section 1 by "-" [required, uppercase, length 3]"#,
                r#"part_2: section 2 by "-" [required, digits, length 8]"#,
                r#"part_3: section 3 by "-" [required, uppercase and digits, length 4]"#,
            ],
            Some("<part_1 3 uppercase>-<part_2 8 digits>-<part_3 4 uppercase and digits>"),
        ),
        (
            crew,
            vec![
                r#"year: section 1 by "-" [required, digits, length 4]"#,
                r#"part_2: section 2 by "-" [required, digits, length 4]"#,
                r#"part_3: section 3 by "-" [required, uppercase, length 2 to 5]"#,
            ],
            Some("<year 4 digits>-<part_2 4 digits>-<part_3 2 to 5 uppercase>"),
        ),
        (
            repeated(&["GRP00041", "HNG11942", "SHV77043"]),
            vec!["part_1: first 3 [required, uppercase, length 3]", "part_2: chars 4 for 5 [required, digits, length 5]"],
            Some("<part_1 3 uppercase><part_2 5 digits>"),
        ),
        (
            repeated(&["A1", "AB12", "ABC12345"]),
            vec!["part_1: run 1 of letters [required, uppercase, length 1 to 3]", "part_2: run 1 of digits [required, digits]"],
            Some("<part_1 1 to 3 uppercase><part_2 digits>"),
        ),
        (
            repeated(&["aa_DJ", "de_CH", "de_AT.UTF-8", "ca_ES@latin"]),
            vec![
                r#"part_1: section 1 by "_" [required, lowercase, length 2]"#,
                r#"part_2: section 2 by "_" then before any of ".@" or section 2 by "_" [required, uppercase, length 2]"#,
                r#"part_3: section 2 by "_" then after "." [length 5]"#,
                r#"part_4: section 2 by "_" then after "@" [lowercase, length 5]"#,
            ],
            None,
        ),
        (
            repeated(&["ines.okafor@lift.skarn.example", "bram.sato@lift.skarn.example"]),
            vec!["mailbox: before \"@\" [required]", "domain: after \"@\" [required, length 18]"],
            Some("<mailbox 9 to 11>@<domain 18>"),
        ),
        (repeated(&["12", "7", "119"]), vec!["part_1: whole [required, digits, length 1 to 3]"], None),
        (repeated(&["grip jaw of the old kind", "relay", "door seal"]), vec!["part_1: whole [required]"], None),
        (
            vec!["GRP-0041".to_owned()],
            vec![
                r#"part_1: section 1 by "-" [required, uppercase, length 3]"#,
                r#"part_2: section 2 by "-" [required, digits, length 4]"#,
            ],
            Some("<part_1 3 uppercase>-<part_2 4 digits>"),
        ),
    ] {
        let (found, forms) = drafted(&values);
        assert_eq!(shown(&found), pieces, "{}", values[0]);
        if let Some(form) = form {
            assert_eq!(forms, [form]);
        }
    }
}

#[test]
fn part_codes_with_forty_irregular_ones() {
    let (pieces, forms) = drafted(&part_codes());
    let expected = [
        r#"part_1: section 1 by "-" [required, uppercase, length 3]"#,
        r#"part_2: section 2 by "-" [required, digits, length 8]"#,
        r#"part_3: section 3 by "-" [required, uppercase and digits, length 4]"#,
    ];
    assert_eq!(shown(&pieces), expected);
    assert_eq!(forms, ["<part_1 3 uppercase>-<part_2 8 digits>-<part_3 4 uppercase and digits>"]);
}

#[test]
fn dates_are_named_where_their_order_is_plain() {
    let dates = |write: &dyn Fn(u32, u32, u32) -> String| -> Vec<String> {
        (0..60).map(|n| write(2019 + n % 5, 1 + n % 12, 1 + n % 28)).collect()
    };
    for (values, names) in [
        (dates(&|y, m, d| format!("{y}-{m:02}-{d:02}")), vec!["year", "month", "day"]),
        (dates(&|y, m, d| format!("{d:02}.{m:02}.{y}")), vec!["day", "month", "year"]),
        (dates(&|y, m, d| format!("{m}/{d}/{y}")), vec!["month", "day", "year"]),
        (dates(&|y, m, _| format!("{m:02}/{m:02}/{y}")), vec!["part_1", "part_2", "year"]),
    ] {
        let (pieces, _) = drafted(&values);
        let found: Vec<_> = pieces.iter().map(|piece| piece.name.as_str()).collect();
        assert_eq!(found, names, "{}", values[0]);
    }
}

#[test]
fn empty_parts_are_not_pieces() {
    for value in ["<>", "()", "@.", "a()b", "@lift.example"] {
        let values = vec![value.to_owned(); 21];
        let (pieces, _) = drafted(&values);
        assert!(!pieces.is_empty(), "{value}");
        for piece in &pieces {
            assert!(values.iter().any(|value| cut(&piece.take, value).is_some()), "{} of {value}", piece.take);
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(150))]

    /// Every draft parses, and no piece of any reading is empty everywhere.
    #[test]
    fn every_draft_can_be_run(
        parts in proptest::collection::vec("[A-Z]{1,3}|[0-9]{1,4}|[a-z]{1,5}|[-_./:@ ,'\"(){}<>+~]|é|–", 1..7),
        more in proptest::collection::vec("[A-Z]{1,3}[-./ ]?[0-9]{0,3}[(@:]?[a-z]{0,3}[)]?|([a-c]=[0-9]{0,2}[;&]){1,3}", 0..30),
        times in 1..40usize,
    ) {
        let value = parts.concat();
        let values: Vec<String> = std::iter::repeat_n(value, times).chain(more).collect();
        prop_assume!(values.iter().any(|value| !value.trim().is_empty()));
        let readings = readings(&values);
        prop_assert!(!readings.is_empty());
        for reading in readings {
            let Proposal::Pieces { pieces, .. } = reading.proposal else { continue };
            prop_assert!(!pieces.is_empty());
            for piece in pieces {
                let reached = values.iter().filter_map(|value| cut(&piece.take, value)).count();
                prop_assert!(reached > 0, "{} gives nothing of {:?}", piece.take, values);
            }
        }
    }
}

#[test]
fn addresses_in_brackets_and_values_by_key() {
    let people: Vec<String> =
        (0..40).map(|n| format!("Ines {} <ines.{n}+rig@lift.skarn.example>", ["Lind", "Sato"][n % 2])).collect();
    let takes = |values: &[String]| drafted(values).0.into_iter().map(|piece| piece.take).collect::<Vec<_>>();
    assert_eq!(takes(&people)[1..], [r#"between "<" and ">" then before "@""#, r#"between "<" and ">" then after "@""#][..]);
    let keys: Vec<String> =
        (0..40).map(|n| if n % 2 == 0 { format!("qty={n};no={n}") } else { format!("no={n};qty={n}") }).collect();
    let all = readings(&keys);
    assert!(all.len() == 1 && all[0].heading.starts_with("By key: all 40 sampled values"), "no reading by position: {all:?}");
}

/// The sample of a survey cannot show that all rows have the same length; the counts of all rows can.
#[test]
fn a_reading_by_position_counts_the_lengths_of_all_rows() {
    for (longer, share) in [("", "all"), ("0", "most")] {
        let mut survey = Survey::new(Depth::Full);
        (10..60).for_each(|row| survey.observe(row, &format!("GRP-000{row}-S{row}K")));
        survey.observe(60, &format!("GRP-00060-S60K{longer}"));
        let draft = draft(Origin::default(), &survey).unwrap();
        let by_position = draft.readings.iter().find(|reading| reading.heading.contains("by position")).unwrap();
        assert!(by_position.heading.contains(&format!("{share} values have the same length")), "{}", by_position.heading);
    }
}

#[test]
fn a_column_of_dates_is_read_as_dates_first() {
    let list = |values: &[&str]| keen_notch_core::draft::draft_of_values("day", values.iter().copied()).unwrap();
    assert!(list(&["02.08.2016", "31.12.2019", "05.01.2020"]).contains("take  = 'date \"%d.%m.%Y\"'\ncheck = ['required']"));
    // Two kinds of dates.
    let both = list(&["02.08.2016", "2019-12-31", "05.01.2020", "2020-01-31"]);
    assert!(both.contains("take  = 'date \"%Y-%m-%d\" or date \"%d.%m.%Y\"'"), "{both}");
    assert!(!list(&["GRP-00041273", "HNG-66428519"]).contains("date"));
}
