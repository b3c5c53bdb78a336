//! Labels of rows: the number, and the input if there are several.

use keen_notch_core::sightings::Sightings;
use keen_notch_io::inputs::Inputs;
use keen_notch_io::source::Format;
use serde_json::{Value, json};

use super::visible;

/// `7`, or `7 of b.csv` with several inputs.
pub fn number(inputs: &Inputs, row: u64) -> String {
    let (input, number) = inputs.locate(row);
    let number = visible::grouped(number);
    if inputs.are_several() { format!("{number} of {}", inputs.name(input)) } else { number }
}

/// `row 7, line 9`, or `row 7` without lines.
pub fn on_line(number: &str, line: u64, format: &Format) -> String {
    if format.kind().has_lines { format!("row {number}, line {line}") } else { format!("row {number}") }
}

/// ` (row 7)`, ` (rows 7, 19 of a.csv, 3 of b.csv)`; empty without rows.
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

fn several(inputs: &Inputs, rows: &[u64], between: &str) -> String {
    let located = |row: &u64| {
        let (input, number) = inputs.locate(*row);
        (inputs.name(input), number)
    };
    of_inputs(&rows.iter().map(located).collect::<Vec<_>>(), inputs.are_several(), between)
}

/// `7, 19 of a.csv, 3 of b.csv`: with several inputs, each follows its last row.
pub fn of_inputs(rows: &[(&str, u64)], are_several: bool, between: &str) -> String {
    let mut words = Vec::new();
    for (index, (input, number)) in rows.iter().enumerate() {
        let is_last = rows.get(index + 1).is_none_or(|(next, _)| next != input);
        let of = if are_several && is_last { format!(" of {input}") } else { String::new() };
        words.push(visible::grouped(*number) + &of);
    }
    words.join(between)
}

pub fn located(inputs: &Inputs, row: u64) -> Value {
    let (input, number) = inputs.locate(row);
    json!({ "file": inputs.name(input), "row": number })
}

pub fn located_all(inputs: &Inputs, rows: &[u64]) -> Value {
    rows.iter().map(|row| located(inputs, *row)).collect()
}
