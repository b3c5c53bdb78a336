//! The cost of each kind of step, in nanoseconds a value: the least and the median time, since the machine may be busy.
//!
//! Arguments are words; only phrases with all of them are measured.

use std::hint::black_box;
use std::sync::Arc;
use std::time::{Duration, Instant};

use keen_notch_core::batch::Column;
use keen_notch_core::phrase::Phrase;
use keen_notch_core::phrase::ast::LookupSource;
use keen_notch_core::program::{Files, NoList, Program, Results, Setting, Work};
use keen_notch_core::runner::LookupTable;
use keen_notch_core::text::unit::Unit;

/// Values of a column.
const VALUES: usize = 1000;
/// Times that each column is measured.
const ROUNDS: usize = 15;
/// How long a column is run each time.
const ROUND: Duration = Duration::from_millis(15);

const CODE: &str = "GRP-00041273-S7K2";
const REFERENCE: &str = "INSP 2025/11 WO:77120 (Ines Okafor) brake pad 3.25 mm";

/// Value and phrase of each measure.
const STEPS: &[(&str, &str)] = &[
    (CODE, "whole"),
    (CODE, "first 3"),
    (CODE, "chars 5 to 12"),
    ("Führung-00041273", "chars 5 to 12"),
    (CODE, "drop last 5"),
    (CODE, r#"section 2 by "-""#),
    (CODE, r#"section last by "-""#),
    (CODE, r#"before last "-""#),
    (REFERENCE, r#"after "WO:""#),
    (REFERENCE, r#"after "wo:" any case"#),
    (REFERENCE, r#"between "(" and ")""#),
    (REFERENCE, "after last spaces"),
    (REFERENCE, "number last"),
    ("net 1.204,50 kg", r#"number like "1.234,5""#),
    (REFERENCE, "run 5 of digits"),
    (REFERENCE, r"match /WO:(\d+)/ group 1"),
    (REFERENCE, r"match /WO:([0-9]+)/ group 1"),
    (REFERENCE, r"match /\d+\.\d+/"),
    (REFERENCE, r#"numbers joined with "; ""#),
    (CODE, "length"),
    (REFERENCE, r#"count of " ""#),
    (CODE, r#"whether starts with "GRP""#),
    (CODE, r"whether fits /[A-Z]{3}-[0-9]{8}-[A-Z0-9]{4}/"),
    (CODE, "trim"),
    (CODE, "lower"),
    ("grp-00041273", "lower"),
    (REFERENCE, "keep digits"),
    (CODE, r#"replace "-" with "/""#),
    ("0385", r#"pad left to 6 with "0""#),
    ("00041273", "plain number"),
    ("20251103", r#"date "%Y%m%d""#),
    (CODE, r#"section 4 by "-" or section 3 by "-""#),
];

const LOOKUP: &str = r#"lookup in "keys.csv""#;
/// Sizes of the table of a lookup, in keys.
const KEYS: [u64; 3] = [1000, 30_000, 1_000_000];
/// Lookups are measured with this many columns in turn, so that most keys are not in the cache of the processor.
const COLUMNS: usize = 500;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let wanted: Vec<String> = std::env::args().skip(1).collect();
    let is_wanted = |phrase: &str| wanted.iter().all(|word| phrase.contains(word.as_str()));
    println!("least   median   phrase");
    for (value, phrase) in STEPS.iter().filter(|(_, phrase)| is_wanted(phrase)) {
        let program = Program::new(&Phrase::parse(phrase)?, Unit::Characters)?;
        let beyond = if value.is_ascii() { "" } else { ", beyond ASCII" };
        measure(&program, &[Column::of(std::iter::repeat_n(*value, VALUES))], &format!("{phrase}{beyond}"));
    }
    for keys in KEYS.into_iter().filter(|_| is_wanted(LOOKUP)) {
        let mut table = LookupTable::new(false);
        (0..keys).try_for_each(|number| table.add(&key(number), &format!("F{}", number % 1000)))?;
        let program = Program::with(
            &Phrase::parse(LOOKUP)?,
            &Setting { files: &OneTable(Arc::new(table)), ..Setting::new(Unit::Characters) },
        )?;
        measure(&program, &columns_of(keys), &format!("{LOOKUP}, {keys} keys"));
    }
    Ok(())
}

fn measure(program: &Program, columns: &[Column<'static>], name: &str) {
    let (mut work, mut results) = (Work::default(), Results::default());
    let mut columns = columns.iter().cycle();
    let mut round = || {
        let (start, mut runs) = (Instant::now(), 0u32);
        while start.elapsed() < ROUND {
            columns.next().into_iter().for_each(|column| program.run(black_box(column.texts()), &mut work, &mut results));
            runs += 1;
        }
        start.elapsed().as_nanos() as f64 / f64::from(runs) / VALUES as f64
    };
    let mut times: Vec<f64> = (0..ROUNDS).map(|_| round()).collect();
    times.sort_by(f64::total_cmp);
    println!("{:6.1} {:7.1}    {name}", times[0], times[ROUNDS / 2]);
}

struct OneTable(Arc<LookupTable>);

impl Files for OneTable {
    fn lookup(&self, _: &LookupSource) -> Result<Arc<LookupTable>, NoList> {
        Ok(self.0.clone())
    }
}

fn key(number: u64) -> String {
    format!("GRP-{:08}", (number + 1) * 7919 % 99_999_989)
}

/// Columns of keys in random order (xorshift; Marsaglia: Xorshift RNGs, 2003).
fn columns_of(keys: u64) -> Vec<Column<'static>> {
    let mut random = 88_172_645_463_325_252u64;
    let mut next = || {
        random ^= random << 13;
        random ^= random >> 7;
        random ^= random << 17;
        key(random % keys)
    };
    (0..COLUMNS).map(|_| Column::of((0..VALUES).map(|_| next()).collect::<Vec<_>>().iter().map(String::as_str))).collect()
}
