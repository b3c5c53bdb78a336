//! Carves values from memory: `cargo run -p keen-notch-core --example embed`.

use std::io::{self, Write};

use keen_notch_core::{Column, cutlist::CutList};

const LIST: &str = r#"
column = "part_code"

[piece.serial]
take  = 'section 2 by "-"'
check = ["digits", "length 8", "unique"]

[rows]
keep = 'depot: not blank'
"#;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    run(&mut io::stdout())
}

pub fn run(out: &mut impl Write) -> Result<(), Box<dyn std::error::Error>> {
    let mut runner = CutList::parse(LIST, 0)?.bind(&["part_code", "depot"])?;
    let serial = runner.piece("serial").ok_or("the list has no piece serial")?;
    let batches = [
        [["GRP-00041273-S7K2", "East"], ["HNG-0076025l-N9P4", "West"], ["BRK-00031122-A1B3", ""]],
        [["BRK", "East"], ["GRP-00041273-S7K2", "West"], ["TWR-00051007-C4D8", "East"]],
    ];
    for rows in batches {
        let columns = [0, 1].map(|column| Column::of(rows.iter().map(|row| row[column]))).to_vec();
        let output = runner.push(columns)?;
        for (index, row) in output.rows().iter().enumerate() {
            writeln!(out, "row {row}: {} gives {:?}", output.value(0, index), output.text(serial, index))?;
        }
        for fault in output.faults() {
            writeln!(out, "row {}: {} of {}: {}", fault.row, fault.condition, fault.of, fault.violation.detail)?;
        }
    }
    let summary = runner.finish();
    writeln!(out, "{} rows, {} left out, {} with faults", summary.rows.read, summary.rows.left_out, summary.rows.with_faults)?;
    Ok(())
}
