//! Blank texts: empty or white space.

/// Whether a text is empty or white space (Unicode property White_Space).
///
/// ```
/// use keen_notch_core::text::blank::is_blank;
///
/// assert!(is_blank("") && is_blank(" \u{3000}\t"));
/// // A space that carries a mark is another character.
/// assert!(!is_blank("\u{3000}\u{e33}"));
/// ```
#[inline]
pub fn is_blank(text: &str) -> bool {
    // The first byte decides for nearly every text.
    match text.as_bytes().first() {
        Some(b'!'..0x80) => false,
        _ => text.chars().all(char::is_whitespace),
    }
}
