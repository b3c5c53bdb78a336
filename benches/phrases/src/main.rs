//! What each kind of step costs, in nanoseconds a value. Arguments are words: only phrases with all of them are measured. A column has 1000 values and is run for a fifth of a second, several times; the least and the middle time
//! are shown, since the machine may be busy with other things.

use std::hint::black_box;
use std::time::{Duration, Instant};

use keen_notch_core::batch::Column;
use keen_notch_core::phrase::Phrase;
use keen_notch_core::program::{Program, Results, Work};
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

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let wanted: Vec<String> = std::env::args().skip(1).collect();
    println!("least   middle   phrase");
    for (value, phrase) in STEPS.iter().filter(|(_, phrase)| wanted.iter().all(|word| phrase.contains(word.as_str()))) {
        let program = Program::new(&Phrase::parse(phrase)?, Unit::Characters)?;
        let column = Column::of(std::iter::repeat_n(*value, VALUES));
        let (mut work, mut results) = (Work::default(), Results::default());
        let mut round = || {
            let (start, mut runs) = (Instant::now(), 0u32);
            while start.elapsed() < ROUND {
                program.run(black_box(column.texts()), &mut work, &mut results);
                runs += 1;
            }
            start.elapsed().as_nanos() as f64 / f64::from(runs) / VALUES as f64
        };
        let mut times: Vec<f64> = (0..ROUNDS).map(|_| round()).collect();
        times.sort_by(f64::total_cmp);
        let beyond = if value.is_ascii() { "" } else { ", beyond ASCII" };
        println!("{:6.1} {:7.1}    {phrase}{beyond}", times[0], times[ROUNDS / 2]);
    }
    Ok(())
}
