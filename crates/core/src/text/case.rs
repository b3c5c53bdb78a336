//! Case folding.

use std::borrow::Cow;

/// The text in folded case, by Unicode's simple case folding. Regular expressions with the flag i use the same folding.
///
/// ```
/// assert_eq!(keen_notch_core::text::case::fold("RIG-Ü"), keen_notch_core::text::case::fold("rig-ü"));
/// ```
pub fn fold(text: &str) -> Cow<'_, str> {
    if text.is_ascii() {
        let has_upper = text.bytes().any(|byte| byte.is_ascii_uppercase());
        return if has_upper { Cow::Owned(text.to_ascii_lowercase()) } else { Cow::Borrowed(text) };
    }
    let single = |mut chars: &mut dyn Iterator<Item = char>| chars.next().filter(|_| (&mut chars).next().is_none());
    let fold = |c: char| match c {
        // Its upper case is the I of another letter.
        'ı' => c,
        _ => single(&mut c.to_uppercase()).and_then(|upper| single(&mut upper.to_lowercase())).unwrap_or(c),
    };
    Cow::Owned(text.chars().map(fold).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    proptest::proptest! {
        #[test]
        fn folds_as_regular_expressions_do(one: char, other in "[a-zA-Zß-ÿſKıİςσΣµμẞß]") {
            for (one, other) in [(one.to_string(), other.clone()), (other.clone(), other.to_uppercase()), (other.to_lowercase(), other)] {
                let regex = regex::Regex::new(&format!("^(?i:{})$", regex::escape(&one))).unwrap();
                proptest::prop_assert_eq!(regex.is_match(&other), fold(&one) == fold(&other), "{} {}", one, other);
            }
        }
    }
}
