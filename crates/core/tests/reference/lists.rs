//! Compares random cut lists on random tables with the interpreter.

use std::sync::Arc;

use keen_notch_core::batch::Column;
use keen_notch_core::column::Header;
use keen_notch_core::cutlist::CutList;
use keen_notch_core::phrase::ast::{ListSource, LookupSource};
use keen_notch_core::program::{Files, List, ListTexts, LookupTable, NoList, Setting};
use keen_notch_core::runner::Runner;
use keen_notch_core::summary::{Level, Summary};
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
    "same as y any case",
    "same as first",
    "same as z or digits",
    "not (same as z or blank)",
    "not same as first and starts with letters",
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
    let lookup = proptest::option::weighted(0.1, Just(r#" then lookup in "few.csv""#));
    let one = (steps(3), lookup, or.clone()).prop_map(|(take, lookup, or)| {
        let or = or.map_or(String::new(), |or| format!(" or {or}"));
        format!("take = '''{take}{}{or}'''\n", lookup.unwrap_or_default())
    });
    let column = proptest::option::of(select(vec!["y: ", "z: "]));
    let by_condition =
        (column, select(CONDITIONS.to_vec()), steps(2), steps(2)).prop_map(|(column, condition, then, other)| {
            format!("take = '''if {}({condition}) then {then} else {other}'''\n", column.unwrap_or_default())
        });
    let several = (select(SEVERAL.to_vec()), or.clone(), 1..4_usize).prop_map(|(several, or, columns)| {
        let or = or.map_or(String::new(), |or| format!(" or {or}"));
        format!("take = '''{several}{or}'''\ncolumns = {columns}\n")
    });
    let named = (select(SEVERAL.to_vec()), proptest::option::of(steps(2)), or.clone()).prop_map(|(several, then, or)| {
        let then = then.map_or(String::new(), |then| format!(" then {then}"));
        let or = or.map_or(String::new(), |or| format!(" or {or}"));
        format!("take = '''{several}{then}{or}'''\ncolumns = [NAMES]\n")
    });
    let built = subsequence(vec!["{y}", "-", "{z}", "{first}"], 2..4)
        .prop_map(|parts| format!("build = \"{}x{{y}}\"\n", parts.concat()));
    let source = prop_oneof![5 => one, 2 => by_condition, 2 => several, 2 => named, 2 => built];
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
            let wants_text =
                ["\"required\"", "\"not blank", "\"not (same as z or blank)"].iter().any(|words| check.contains(words));
            let optional = if optional && !wants_text { "optional = true\n" } else { "" };
            format!("{source}{of}{when}check = [{check}]\nwarn = [{warn}]\n{optional}")
        },
    )
}

fn parts() -> impl Strategy<Value = Parts> {
    let layout = proptest::option::weighted(0.5, proptest::collection::vec(select(FORMS.to_vec()), 1..4));
    let proof = proptest::option::weighted(0.3, select(vec!["{first}", "{first}-{y}", "{y}{z}"]));
    let of = select(vec!["x", "y", "first"]);
    let keep = proptest::collection::vec(
        (of, select([CONDITIONS, &["unique", "not unique", "same as y", "same as first or same as z"]].concat())),
        0..3,
    );
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
    let pieces = parts.pieces.iter().enumerate().map(|(number, keys)| {
        let checks = format!("[piece.p{number}.b{number}]\ncheck = ['digits', 'same as first']\nwarn = 'unique'\n");
        let checks = if keys.contains("NAMES") { checks } else { String::new() };
        format!("[piece.p{number}]\n{}{checks}", keys.replace("NAMES", &format!("'a{number}', 'b{number}'")))
    });
    format!("column = \"x\"\n{first}{}{}", pieces.collect::<String>(), parts.rest)
}

fn carved(mut runner: Runner, list: &CutList, rows: &[Vec<String>], batch_size: usize) -> (Vec<Row>, Summary) {
    let pieces: Vec<_> = list.wanted.pieces.iter().map(|piece| runner.piece(&piece.name).unwrap()).collect();
    let mut all = Vec::new();
    for rows in rows.chunks(batch_size) {
        let columns = (0..HEADER.len()).map(|column| Column::of(rows.iter().map(|row| row[column].as_str()))).collect();
        let output = runner.push(columns).unwrap();
        let faults: Vec<_> = output.faults().collect();
        for (index, row) in output.rows().iter().enumerate() {
            let piece = |piece| {
                let texts = output.texts(piece, index).map(str::to_owned).collect();
                (texts, output.state(piece, index).unwrap().to_string())
            };
            let (mut failing, mut last, mut is_faulty) = (Vec::new(), None, false);
            for fault in faults.iter().filter(|fault| fault.row == *row) {
                let words = if ["layout", "proof", "rows"].contains(&&*fault.of) { "" } else { &fault.condition };
                // Several results may fail the same check.
                if last.replace(fault.check) != Some(fault.check) {
                    failing.push(format!("{}: {words}", fault.of));
                }
                is_faulty |= fault.level == Level::Fault;
                // Every failure must have an explanation.
                assert!(!fault.violation.detail.is_empty() && !fault.violation.detail.contains("``"), "{fault:?}");
            }
            assert_eq!(output.is_faulty(index), is_faulty);
            all.push(Row { row: *row as usize - 1, pieces: pieces.iter().map(|id| piece(*id)).collect(), failing, is_faulty });
        }
    }
    (all, runner.finish())
}

/// The rows of `few.csv`, for the interpreter too.
pub const FEW: [(&str, &str); 3] = [("A", "x1"), ("be", "A"), ("é", "Ü-")];

struct Few;

impl Files for Few {
    fn list(&self, _source: &ListSource) -> Result<List, NoList> {
        Ok(Arc::new(ListTexts { texts: FEW.map(|(key, _)| Box::from(key)).into(), header: None }))
    }

    fn lookup(&self, source: &LookupSource) -> Result<Arc<LookupTable>, NoList> {
        let mut table = LookupTable::of_file(source, None);
        FEW.iter().for_each(|(key, result)| table.add(key, result).unwrap());
        Ok(Arc::new(table))
    }
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
            today: &|| None,
            files: &Few,
        };
        let header = Header::Names(HEADER.map(str::to_owned).to_vec());
        let runner = Runner::new(&list, header, &setting).unwrap_or_else(|error| panic!("{error}\n{text}"));
        let mut interpreter = Interpreter::new(&list, &HEADER);
        let expected: Vec<Row> = rows.iter().enumerate().filter_map(|(row, cells)| interpreter.row(row, cells)).collect();
        let (found, summary) = carved(runner, &list, &rows, batch_size);
        for (found, expected) in found.iter().zip(&expected) {
            prop_assert_eq!(found, expected, "{}\n{:?}", text, rows[found.row]);
        }
        prop_assert_eq!(found.len(), expected.len(), "{}", text);
        // The counts match the rows.
        for counts in &summary.pieces {
            let (tally, name) = (&counts.tally, &counts.name);
            let piece = list.wanted.pieces.iter().position(|piece| piece.name == *name).unwrap();
            let count = |of: &str| expected.iter().filter(|row| row.pieces[piece].1.split(", ").any(|state| state == of)).count() as u64;
            let counted = (tally.filled, tally.short, tally.long, tally.blank, tally.missing, tally.not_asked, tally.fallback);
            let states = ["filled", "short", "long", "blank", "missing", "not asked", "fallback"].map(count);
            prop_assert_eq!(counted, states.into(), "{}", text);
        }
        let failing = |of: &str, check: &str| expected.iter().filter(|row| row.failing.contains(&format!("{of}: {check}"))).count();
        for check in summary.checks.iter().filter(|check| !["layout", "proof", "rows"].contains(&&*check.of)) {
            prop_assert_eq!(check.rows as usize, failing(&check.of, &check.check), "{}: {}", text, check.check);
        }
        let rows = summary.rows;
        prop_assert_eq!((rows.read, rows.kept, rows.left_out), (rows.read, expected.len() as u64, rows.read - rows.kept));
        prop_assert_eq!(rows.with_faults as usize, expected.iter().filter(|row| row.is_faulty).count());
    }
}
