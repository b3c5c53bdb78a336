//! How rows are named: by their number, and by their input where there are several.

use keen_notch_io::carve::Report;

/// `7`, or `7 of b.csv` where there are several inputs.
pub fn number(report: &Report, row: u64) -> String {
    let (input, number) = report.locate(row);
    match report.inputs.as_slice() {
        [] | [_] => number.to_string(),
        inputs => format!("{number} of {}", inputs.get(input).map_or("", |(name, _)| name.as_str())),
    }
}

/// ` (row 7)`, ` (rows 7, 19 of a.csv, 3 of b.csv)`; nothing without rows.
pub fn in_brackets(report: &Report, rows: &[u64]) -> String {
    match rows {
        [] => String::new(),
        [only] => format!(" (row {})", number(report, *only)),
        _ => format!(" (rows {})", several(report, rows, ", ")),
    }
}

/// `7, 19 of a.csv, 3 of b.csv`: each input is named after its last row.
pub fn several(report: &Report, rows: &[u64], between: &str) -> String {
    let mut words = Vec::new();
    for (index, row) in rows.iter().enumerate() {
        let is_last = rows.get(index + 1).is_none_or(|next| report.locate(*next).0 != report.locate(*row).0);
        words.push(if is_last { number(report, *row) } else { report.locate(*row).1.to_string() });
    }
    words.join(between)
}
