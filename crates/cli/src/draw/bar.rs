//! Bars of block characters, which are legible without colour.

const EIGHTHS: [&str; 8] = ["▏", "▎", "▍", "▌", "▋", "▊", "▉", "█"];
const HEIGHTS: [&str; 8] = ["▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"];

/// A bar for `part` of `whole` in `width` columns. A part above zero is never empty, and an incomplete part never full.
pub fn lying(part: u64, whole: u64, width: usize) -> String {
    if part == 0 || whole == 0 {
        return String::new();
    }
    let all = width * 8;
    let eighths = (part as f64 / whole as f64 * all as f64).round() as usize;
    let eighths = if part >= whole { all } else { eighths.clamp(1, all - 1) };
    let rest = if eighths.is_multiple_of(8) { "" } else { EIGHTHS[eighths % 8 - 1] };
    "█".repeat(eighths / 8) + rest
}

/// A vertical bar for `part` of `whole` in one column.
pub fn standing(part: u64, whole: u64) -> &'static str {
    if part == 0 || whole == 0 {
        return " ";
    }
    if part >= whole {
        return "█";
    }
    HEIGHTS[((part as f64 / whole as f64 * 8.0) as usize).min(6)]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bars_distinguish_none_some_and_all() {
        for (part, whole, expected) in
            [(0, 0, ""), (0, 9, ""), (1, 10_000, "▏"), (9_999, 10_000, "███▉"), (10, 10, "████"), (1, 2, "██"), (5, 16, "█▎")]
        {
            assert_eq!(lying(part, whole, 4), expected, "{part} of {whole}");
        }
        for (part, whole, expected) in [(0, 9, " "), (1, 10_000, "▁"), (1, 2, "▅"), (9_999, 10_000, "▇"), (9, 9, "█")] {
            assert_eq!(standing(part, whole), expected, "{part} of {whole}");
        }
    }
}
