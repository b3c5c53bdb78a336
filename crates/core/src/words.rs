//! The nearest right word for a wrong one.

/// The candidate most like `word`, if any is like enough to be worth offering.
///
/// Measured by the Damerau–Levenshtein distance, case set aside: at most one edit for words of up to
/// four characters, two for up to eight, three beyond.
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
