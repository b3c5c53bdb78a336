//! Suggestions for misspelt words, and readable numbers.

/// The most similar candidate, if it is similar enough.
///
/// Measured by the Damerau–Levenshtein distance, case set aside: at most one edit for words of up to
/// four characters, two for up to eight, three beyond.
///
/// ```
/// assert_eq!(keen_notch_core::words::nearest("secton", ["section", "first"]), Some("section"));
/// ```
pub fn nearest<'a>(word: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let lower = word.to_lowercase();
    let allowed = match lower.chars().count() {
        0..=4 => 1,
        5..=8 => 2,
        _ => 3,
    };
    candidates
        .into_iter()
        .map(|candidate| (strsim::damerau_levenshtein(&lower, &candidate.to_lowercase()), candidate))
        .filter(|(distance, _)| *distance <= allowed)
        .min_by_key(|(distance, _)| *distance)
        .map(|(_, candidate)| candidate)
}

/// A number with spaces between thousands.
///
/// ```
/// assert_eq!(keen_notch_core::words::grouped(1_234_567), "1 234 567");
/// ```
pub fn grouped(n: u64) -> String {
    let digits = n.to_string();
    let mut shown = String::new();
    for (index, digit) in digits.chars().enumerate() {
        if index > 0 && (digits.len() - index).is_multiple_of(3) {
            shown.push(' ');
        }
        shown.push(digit);
    }
    shown
}

/// A count and a noun, in the plural for other counts than 1.
///
/// ```
/// assert_eq!(keen_notch_core::words::counted(1, "row"), "1 row");
/// assert_eq!(keen_notch_core::words::counted(2, "row"), "2 rows");
/// ```
pub fn counted(count: u64, thing: &str) -> String {
    format!("{} {thing}{}", grouped(count), if count == 1 { "" } else { "s" })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nearest_word() {
        let steps = ["section", "sections", "first", "last"];
        assert_eq!(nearest("secton", steps), Some("section"));
        assert_eq!(nearest("FRIST", steps), Some("first"));
        assert_eq!(nearest("banana", steps), None);
        assert_eq!(nearest("", steps), None);
    }
}
