//! Carves values from memory: `cargo run -p keen-notch-core --example embed`.

use keen_notch_core::batch::{Batch, Column};
use keen_notch_core::carving::{BatchResults, Carving};
use keen_notch_core::column::Header;
use keen_notch_core::cutlist::CutList;
use keen_notch_core::program::Setting;
use keen_notch_core::tally::Tally;

const LIST: &str = r#"
[piece.serial]
take  = 'section 2 by "-"'
check = ["digits", "length 8"]
"#;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let list = CutList::parse(LIST, 0)?;
    let header = Header::Names(vec!["part_code".to_owned()]);
    let carving = Carving::new(&list.wanted, None, &Setting::new(list.unit), &header)?;
    let codes = Column::of(["GRP-00041273-S7K2", "HNG-0076025l-N9P4", "BRK"]);
    let batch = Batch { rows: 3, columns: &[codes.texts()] };
    let (mut batch_results, mut tallies) = (BatchResults::default(), vec![Tally::default(); carving.count()]);
    carving.run(&batch, &mut batch_results)?;
    carving.judge(&batch, &mut batch_results, &mut tallies, &mut []);
    for (code, serial) in codes.texts().iter().zip(carving.texts(0, &batch, &batch_results).iter()) {
        println!("{code}: {serial:?}");
    }
    for failure in batch_results.failures() {
        println!(
            "row {}: {}",
            failure.row + 1,
            carving.fault(*failure, &batch, &batch_results, &|row| format!("row {row}")).violation.detail
        );
    }
    println!("{} filled, {} missing, {} with faults", tallies[0].filled, tallies[0].missing, tallies[0].faulted);
    Ok(())
}
