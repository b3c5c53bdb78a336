//! Counting and finding characters.
//!
//! A character is an extended grapheme cluster (Unicode Standard Annex #29). In a *plain* text every
//! character is one byte, and everything here is arithmetic.

use std::ops::Range;

use unicode_segmentation::{GraphemeCursor, UnicodeSegmentation};

use super::bytes;

/// Whether every character of `text` is one byte.
///
/// ASCII alone is not enough: a carriage return and the line feed behind it are one character.
#[inline]
pub fn is_plain(text: &str) -> bool {
    !bytes::any_word(text.as_bytes(), |word| (word & bytes::HIGH) | bytes::has(word, bytes::eight(b'\r')) != 0)
}

/// The number of characters in `text`.
pub fn count(text: &str) -> usize {
    if is_plain(text) { text.len() } else { text.graphemes(true).count() }
}

/// The notch behind the first `n` characters, as a byte offset; the end of `text` if it has fewer.
pub fn notch(text: &str, n: usize) -> usize {
    if is_plain(text) {
        return n.min(text.len());
    }
    text.grapheme_indices(true).nth(n).map_or(text.len(), |(offset, _)| offset)
}

/// The notch before the last `n` characters, as a byte offset; 0 if `text` has fewer.
pub fn notch_from_end(text: &str, n: usize) -> usize {
    if is_plain(text) {
        return text.len().saturating_sub(n);
    }
    match n.checked_sub(1) {
        None => text.len(),
        Some(before) => text.grapheme_indices(true).rev().nth(before).map_or(0, |(offset, _)| offset),
    }
}

/// Whether a notch can stand at byte `offset`: at an end of `text` or between two of its characters.
pub fn is_notch(text: &str, offset: usize) -> bool {
    if offset == 0 || offset == text.len() {
        return true;
    }
    if !text.is_char_boundary(offset) {
        return false;
    }
    // The whole text is at hand, so the cursor never has to ask for more context.
    GraphemeCursor::new(offset, text.len(), true).is_boundary(text, 0).unwrap_or(true)
}

/// The bytes of the character that begins at the notch `at`; 0 at the end of `text`.
pub fn width_at(text: &str, at: usize) -> usize {
    text[at..].graphemes(true).next().map_or(0, str::len)
}

/// The byte range of each character, from left to right.
pub fn ranges(text: &str) -> impl Iterator<Item = Range<usize>> + '_ {
    text.grapheme_indices(true).map(|(offset, character)| offset..offset + character.len())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn characters_are_what_a_person_sees() {
        for (text, expected) in
            [("", 0), ("GRP-1", 5), ("Führung", 7), ("Fu\u{308}hrung", 7), ("a\r\nb", 3), ("👩\u{200d}🚀!", 2), ("東京", 2)]
        {
            assert_eq!(count(text), expected, "{text:?}");
            assert_eq!(ranges(text).count(), expected, "{text:?}");
        }
    }

    #[test]
    fn plain_texts() {
        for length in 0..20 {
            let text = "~\u{c}\u{e}x".repeat(5)[..length].to_owned();
            assert!(is_plain(&text));
            for at in 0..length {
                for odd in ["\r", "ü", "\u{80}"] {
                    assert!(!is_plain(&format!("{}{odd}{}", &text[..at], &text[at..])), "{odd:?} at {at} of {length}");
                }
            }
        }
    }

    #[test]
    fn notches_from_both_ends() {
        let text = "Fu\u{308}h";
        assert_eq!((notch(text, 2), notch(text, 9)), (4, 5));
        assert_eq!((notch_from_end(text, 2), notch_from_end(text, 0), notch_from_end(text, 9)), (1, 5, 0));
        assert!(is_notch(text, 4));
        assert!(!is_notch(text, 2), "between u and its diaeresis");
        assert!(!is_notch(text, 3), "inside a code point");
    }
}
