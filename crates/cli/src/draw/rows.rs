//! How rows are named: by their number, and by their input where there are several.

use keen_notch_core::sightings::Sightings;
use keen_notch_io::inputs::Inputs;
use keen_notch_io::source::Format;
use serde_json::{Value, json};

use super::visible;

/// `7`, or `7 of b.csv` where there are several inputs.
pub fn number(inputs: &Inputs, row: u64) -> String {
    let (input, number) = inputs.locate(row);
    let number = visible::grouped(number);
    if inputs.are_several() { format!("{number} of {}", inputs.name(input)) } else { number }
}

/// `row 7, line 9`; `row 7` where rows are on no lines.
pub fn on_line(number: &str, line: u64, format: &Format) -> String {
    if format.has_lines() { format!("row {number}, line {line}") } else { format!("row {number}") }
}

/// ` (row 7)`, ` (rows 7, 19 of a.csv, 3 of b.csv)`; nothing without rows.
pub fn in_brackets(inputs: &Inputs, rows: &[u64]) -> String {
    match rows {
        [] => String::new(),
        [only] => format!(" (row {})", number(inputs, *only)),
        _ => format!(" (rows {})", several(inputs, rows, ", ")),
    }
}

/// `row 17`, `rows 17, 44, 81 …`
pub fn in_words(inputs: &Inputs, seen: &Sightings) -> String {
    let more = if seen.count > seen.rows.len() as u64 { " …" } else { "" };
    format!("row{} {}{more}", if seen.count == 1 { "" } else { "s" }, several(inputs, &seen.rows, ", "))
}

/// `7, 19 of a.csv, 3 of b.csv`: each input is named after its last row.
pub fn several(inputs: &Inputs, rows: &[u64], between: &str) -> String {
    let mut words = Vec::new();
    for (index, row) in rows.iter().enumerate() {
        let (input, own) = inputs.locate(*row);
        let is_last = rows.get(index + 1).is_none_or(|next| inputs.locate(*next).0 != input);
        words.push(if is_last { number(inputs, *row) } else { visible::grouped(own) });
    }
    words.join(between)
}

/// A row for programs: its input, and its number there.
pub fn located(inputs: &Inputs, row: u64) -> Value {
    let (input, number) = inputs.locate(row);
    json!({ "file": inputs.name(input), "row": number })
}

/// Rows for programs.
pub fn located_all(inputs: &Inputs, rows: &[u64]) -> Value {
    rows.iter().map(|row| located(inputs, *row)).collect()
}
