//! The outline of a value: the lengths of its runs of letters and digits, and the characters between them.
//!
//! A correction for a look-alike is suggested only if the corrected value has an outline that many values share. Without that test,
//! `HNG0041B7` would become a code of digits beside values such as `HNG-00417-S7`.

use std::collections::BTreeMap;

/// Number of values whose outlines are kept for comparison, from the start of a run.
pub const SAMPLE: usize = 100;
/// An outline is common if at least this share of the values has it.
const MANY: f64 = 0.2;

/// `3-8-4` for `GRP-00041273-S7K2`.
pub fn outline(value: &str) -> String {
    let mut outline = String::with_capacity(value.len());
    let mut width = 0;
    let end = |width: &mut usize, outline: &mut String| match std::mem::take(width) {
        0 => {}
        // Most runs are short, and formatting takes longer than the rest.
        digit @ 1..=9 => outline.push(char::from(b'0' + digit as u8)),
        width => outline.push_str(&width.to_string()),
    };
    for c in value.chars() {
        if c.is_ascii_alphanumeric() || (!c.is_ascii() && c.is_alphanumeric()) {
            width += 1;
        } else {
            end(&mut width, &mut outline);
            outline.push(c);
        }
    }
    end(&mut width, &mut outline);
    outline
}

/// The outlines that at least a fifth of the values share.
pub fn of_many(sample: &[String]) -> Vec<String> {
    let mut counts: BTreeMap<String, usize> = BTreeMap::new();
    sample.iter().for_each(|value| *counts.entry(outline(value.trim())).or_default() += 1);
    let least = MANY * sample.len() as f64;
    counts.into_iter().filter(|(_, count)| *count as f64 >= least).map(|(outline, _)| outline).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn outlines() {
        assert_eq!(outline("GRP-00041273-S7K2"), "3-8-4");
        assert_eq!(outline("Führung 東京."), "7 2.");
        assert_eq!(outline(""), "");
        let values = ["A-1", "B-2", "C-3", "D/44", "E-5", "F-6"].map(str::to_owned);
        assert_eq!(of_many(&values), ["1-1"]);
    }
}
