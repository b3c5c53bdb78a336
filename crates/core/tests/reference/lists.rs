//! Compares random cut lists on random tables with the interpreter.

use std::sync::Arc;

use keen_notch_core::batch::{Batch, Column};
use keen_notch_core::carving::{BatchResults, Carving, Memory};
use keen_notch_core::column::{ColumnRef, Header};
use keen_notch_core::cutlist::CutList;
use keen_notch_core::program::{ListTexts, NoList, Setting};
use keen_notch_core::tally::Tally;
use keen_notch_core::text::unit::Unit;
use proptest::prelude::*;
use proptest::sample::{select, subsequence};

use crate::list::{Interpreter, Row};
use crate::{CONDITIONS, SEVERAL, steps, value};

const HEADER: [&str; 3] = ["x", "y", "z"];

/// Conditions that only lists support, and frequent ones.
const OF_LISTS: &[&str] = &[
    "unique",
    "not unique",
    "same as y",
    "not same as \"z\"",
    "required",
    "not required",
    "blank",
    "not blank",
    "one of \"a\", \"É\" any case",
    "ends with \"7\"",
    "contains word \"be\"",
    "listed in \"few.csv\"",
    "not listed in \"few.csv\" any case",
];

/// Forms of layouts. Their pieces are named after their letters.
const FORMS: &[&str] = &[
    "<a>-<b>",
    "<a 1 digits><b>",
    "<a 1 to 3 letters>[-<b digits>]",
    "<a>[-[<b 2 to 3>]]",
    "<b digits>.<a digits>",
    "<a letters><b>",
    "[A]<a 2>[<b 1 to 2 punctuation>]",
];

#[derive(Debug, Clone)]
struct Parts {
    pieces: Vec<String>,
    rest: String,
}

fn quoted(condition: &str) -> String {
    format!("\"{}\"", condition.replace('\\', "\\\\").replace('"', "\\\""))
}

fn conditions(most: usize) -> impl Strategy<Value = String> {
    let conditions = proptest::collection::vec(select([CONDITIONS, OF_LISTS].concat()), 0..=most);
    conditions.prop_map(|conditions| {
        // Another test covers length checks that exclude each other.
        let lengths = conditions.iter().filter(|condition| condition.contains("length")).count();
        let kept = conditions.iter().filter(|condition| lengths < 2 || !condition.contains("length"));
        kept.map(|condition| quoted(condition)).collect::<Vec<_>>().join(", ")
    })
}

/// The keys of a piece with a phrase, or built from earlier pieces.
fn piece() -> impl Strategy<Value = String> {
    let or = proptest::option::of(prop_oneof![steps(2), Just("\"none\"".to_owned())]);
    let one = (steps(3), or.clone()).prop_map(|(take, or)| {
        let or = or.map_or(String::new(), |or| format!(" or {or}"));
        format!("take = '''{take}{or}'''\n")
    });
    let several = (select(SEVERAL.to_vec()), or, 1..4_usize).prop_map(|(several, or, columns)| {
        let or = or.map_or(String::new(), |or| format!(" or {or}"));
        format!("take = '''{several}{or}'''\ncolumns = {columns}\n")
    });
    let built = subsequence(vec!["{y}", "-", "{z}", "{first}"], 2..4)
        .prop_map(|parts| format!("build = \"{}x{{y}}\"\n", parts.concat()));
    let source = prop_oneof![5 => one, 2 => several, 2 => built];
    let of = proptest::option::weighted(0.4, select(vec!["y", "z"]));
    let when = proptest::option::weighted(0.3, select(CONDITIONS.to_vec()));
    (source, of, when, conditions(3), conditions(2), proptest::bool::weighted(0.2)).prop_map(
        |(source, of, when, check, warn, optional)| {
            let is_taken = source.starts_with("take");
            let of = of.filter(|_| is_taken).map_or(String::new(), |of| format!("of = \"{of}\"\n"));
            let when = when.map_or(String::new(), |when| {
                let column = if is_taken { "" } else { "z: " };
                format!("when = {}\n", quoted(&format!("{column}{when}")))
            });
            let wants_text = ["\"required\"", "\"not blank\""].iter().any(|words| check.contains(words));
            let optional = if optional && !wants_text { "optional = true\n" } else { "" };
            format!("{source}{of}{when}check = [{check}]\nwarn = [{warn}]\n{optional}")
        },
    )
}

fn parts() -> impl Strategy<Value = Parts> {
    let layout = proptest::option::weighted(0.5, proptest::collection::vec(select(FORMS.to_vec()), 1..4));
    let proof = proptest::option::weighted(0.3, select(vec!["{first}", "{first}-{y}", "{y}{z}"]));
    let of = select(vec!["x", "y", "first"]);
    let keep = proptest::collection::vec((of, select([CONDITIONS, &["unique", "not unique", "same as y"]].concat())), 0..3);
    let unique = proptest::option::weighted(0.3, subsequence(vec!["first", "y", "z"], 1..3));
    (proptest::collection::vec(piece(), 0..4), layout, proof, keep, unique).prop_map(|(pieces, layout, proof, keep, unique)| {
        let mut rest = String::new();
        if let Some(forms) = layout {
            // The piece is optional if a form lacks it.
            let forms: Vec<String> = forms.iter().map(|form| format!("'{form}'")).collect();
            rest += &format!("[layout.y]\nform = [{}]\n", forms.join(", "));
        }
        if let Some(proof) = proof {
            rest += &format!("[proof]\nz = \"{proof}\"\n");
        }
        let keep: Vec<String> = keep.iter().map(|(of, condition)| quoted(&format!("{of}: {condition}"))).collect();
        rest += &format!("[rows]\nkeep = [{}]\n", keep.join(", "));
        rest += &unique.map_or(String::new(), |of| format!("unique = {of:?}\n"));
        Parts { pieces, rest }
    })
}

fn list(parts: &Parts) -> String {
    let first = "[piece.first]\ntake = 'first 2 or last 1'\n";
    let pieces = parts.pieces.iter().enumerate().map(|(number, keys)| format!("[piece.p{number}]\n{keys}"));
    format!("column = \"x\"\n{first}{}{}", pieces.collect::<String>(), parts.rest)
}

fn carved(carving: &Carving, rows: &[Vec<String>], batch_size: usize) -> (Vec<Row>, Vec<Tally>) {
    let (mut all, mut tallies) = (Vec::new(), vec![Tally::default(); carving.count()]);
    let (mut batch_results, mut memory) = (BatchResults::default(), Memory::default());
    for (number, rows) in rows.chunks(batch_size).enumerate() {
        let mut columns: Vec<Column> =
            (0..HEADER.len()).map(|column| Column::of(rows.iter().map(|row| row[column].as_str()))).collect();
        let mut kept: Vec<usize> = (0..rows.len()).map(|row| number * batch_size + row).collect();
        let keep = |columns: &mut Vec<Column>, kept: &mut Vec<usize>, rows: &[u32]| {
            columns.iter_mut().for_each(|column| column.keep(rows));
            *kept = rows.iter().map(|row| kept[*row as usize]).collect();
        };
        let selected = with(&columns, kept.len(), |batch| carving.select(batch, &mut batch_results).map(<[u32]>::to_vec));
        if let Some(rows) = selected {
            keep(&mut columns, &mut kept, &rows);
        }
        with(&columns, kept.len(), |batch| carving.run(batch, &mut batch_results).unwrap());
        for looks_back in [false, true] {
            if looks_back && carving.looks_back() {
                with(&columns, kept.len(), |batch| carving.hash(batch, &mut batch_results));
                carving.remember(&mut batch_results, kept.len(), |row| kept[row] as u64 + 1, &mut memory).unwrap();
            }
            if let Some(rows) = batch_results.take_kept() {
                batch_results.keep(&rows);
                keep(&mut columns, &mut kept, &rows);
            }
        }
        with(&columns, kept.len(), |batch| {
            carving.judge(batch, &mut batch_results, &mut tallies, &mut []);
            let checks = carving.checks();
            let failures = batch_results.failures_by_row().to_vec();
            for (index, row) in kept.iter().enumerate() {
                let piece = |piece: usize| {
                    let results = batch_results.piece(piece);
                    let texts = carving.texts(piece, batch, &batch_results);
                    let texts =
                        results.items(index).map(|item| texts.get(item).to_owned()).filter(|_| results.state(index).is_there());
                    (texts.collect(), results.state(index).to_string())
                };
                let (mut failing, mut last, mut is_faulty) = (Vec::new(), None, false);
                for failure in failures.iter().filter(|failure| failure.row as usize == index) {
                    let check = &checks[failure.check as usize];
                    let words = check.piece.map_or("", |_| check.words.as_str());
                    // Several results may fail the same check.
                    if last.replace(failure.check) != Some(failure.check) {
                        failing.push(format!("{}: {words}", check.of));
                    }
                    is_faulty |= !check.only_warns;
                    // Every failure must have an explanation.
                    let fault = carving.fault(*failure, batch, &batch_results, &|row| format!("row {row}"));
                    assert!(!fault.violation.detail.is_empty() && !fault.violation.detail.contains("``"), "{fault:?}");
                }
                assert_eq!(batch_results.faulty().has(index), is_faulty);
                all.push(Row { row: *row, pieces: (0..carving.count()).map(piece).collect(), failing, is_faulty });
            }
        });
    }
    (all, tallies)
}

fn with<R>(columns: &[Column], rows: usize, call: impl FnOnce(&Batch) -> R) -> R {
    let texts: Vec<_> = columns.iter().map(Column::texts).collect();
    call(&Batch { rows, columns: &texts })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(debug_assertions) { 400 } else { 20_000 }))]

    #[test]
    fn lists_on_tables_equal_rows_one_by_one(
        parts in parts(), rows in proptest::collection::vec(proptest::collection::vec(value(), 3), 1..40), batch_size in 1..50_usize,
    ) {
        let text = list(&parts);
        let list = CutList::parse(&text, 0).unwrap_or_else(|error| panic!("{error}\n{text}"));
        let setting = Setting {
            unit: Unit::Characters,
            lists: &|source| match source.file.as_str() {
                "few.csv" => Ok(Arc::new(ListTexts { texts: ["A", "be", "é"].map(Box::from).into(), header: None })),
                _ => Err(NoList { reason: String::new(), help: String::new() }),
            },
        };
        let header = Header::Names(HEADER.map(str::to_owned).to_vec());
        let main = ColumnRef::Name("x".to_owned());
        let carving = Carving::new(&list.wanted, Some(&main), &setting, &header).unwrap_or_else(|error| panic!("{error}\n{text}"));
        let mut interpreter = Interpreter::new(&list, &HEADER);
        let expected: Vec<Row> = rows.iter().enumerate().filter_map(|(row, cells)| interpreter.row(row, cells)).collect();
        let (found, tallies) = carved(&carving, &rows, batch_size);
        for (found, expected) in found.iter().zip(&expected) {
            prop_assert_eq!(found, expected, "{}\n{:?}", text, rows[found.row]);
        }
        prop_assert_eq!(found.len(), expected.len(), "{}", text);
        // The counts match the rows.
        for (piece, tally) in tallies.iter().enumerate() {
            let count = |of: &str| expected.iter().filter(|row| row.pieces[piece].1.split(", ").any(|state| state == of)).count() as u64;
            let counted = (tally.filled, tally.short, tally.long, tally.blank, tally.missing, tally.not_asked, tally.fallback);
            let states = ["filled", "short", "long", "blank", "missing", "not asked", "fallback"].map(count);
            prop_assert_eq!(counted, states.into(), "{}", text);
        }
    }
}
