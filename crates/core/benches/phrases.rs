//! What each kind of step costs, on columns of the design's values: `cargo bench -p keen-notch-core`. A column has 1000
//! values, so that microseconds of a column are nanoseconds of a value.
#![allow(missing_docs, clippy::unwrap_used, reason = "criterion's macros write undocumented functions")]

use std::hint::black_box;

use criterion::{Criterion, criterion_group, criterion_main};
use keen_notch_core::batch::Column;
use keen_notch_core::phrase::Phrase;
use keen_notch_core::program::{Program, Results, Work};
use keen_notch_core::text::unit::Unit;

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

fn phrases(criterion: &mut Criterion) {
    for (value, phrase) in STEPS {
        let program = Program::new(&Phrase::parse(phrase).unwrap(), Unit::Characters).unwrap();
        let column = Column::of(std::iter::repeat_n(*value, 1000));
        let (mut work, mut results) = (Work::default(), Results::default());
        let name = if value.is_ascii() { (*phrase).to_owned() } else { format!("{phrase} of text beyond ASCII") };
        // A slash would make a folder of the name.
        criterion.bench_function(&name.replace('/', "∕"), |bencher| {
            bencher.iter(|| program.run(black_box(column.texts()), &mut work, &mut results));
        });
    }
}

criterion_group! {
    name = benches;
    config = Criterion::default()
        .warm_up_time(std::time::Duration::from_millis(100))
        .measurement_time(std::time::Duration::from_millis(300))
        .sample_size(30);
    targets = phrases
}
criterion_main!(benches);
