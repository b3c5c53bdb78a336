//! Counting and finding characters.
//!
//! A character is an extended grapheme cluster (Unicode Standard Annex #29). In a *plain* text every character is one byte, so all
//! positions are arithmetic.

use std::ops::Range;

use unicode_segmentation::{GraphemeCursor, UnicodeSegmentation};

use super::bytes;

/// Whether every character of `text` is one byte.
///
/// ASCII alone is not sufficient: a carriage return and a line feed form one character.
#[inline]
pub fn is_plain(text: &str) -> bool {
    if text.len() > LONG {
        return text.is_ascii() && memchr::memchr(b'\r', text.as_bytes()).is_none();
    }
    !bytes::any_word(text.as_bytes(), |word| (word & bytes::HIGH) | bytes::has(word, bytes::eight(b'\r')) != 0)
}

/// Beyond this size in bytes, two vectorised searches are faster than one pass by words.
const LONG: usize = 256;

/// Whether a code point with this first byte is simple: beside other simple code points, it is always a character by itself.
///
/// These are ASCII without the carriage return, U+0080 to U+02FF, Greek, the first part of Cyrillic, and U+4000 to U+9FFF. They contain
/// no combining marks, joiners, prepended marks, Hangul syllables or regional indicators, which all other rules of Unicode Standard Annex
/// #29 require. A test checks each code point.
const STANDS_ALONE: [bool; 256] = {
    let mut table = [false; 256];
    let mut byte = 0;
    while byte < 256 {
        table[byte] = match byte as u8 {
            b'\r' => false,
            0..0x80 | 0xC2..=0xCB | 0xCE..=0xCF | 0xD0..=0xD1 | 0xE4..=0xE9 => true,
            _ => false,
        };
        byte += 1;
    }
    table
};

#[inline]
fn stands_alone(byte: u8) -> bool {
    STANDS_ALONE[usize::from(byte)]
}

#[inline]
fn code_point_width(lead: u8) -> usize {
    match lead {
        0..0xC0 => 1,
        0xC0..0xE0 => 2,
        0xE0..0xF0 => 3,
        _ => 4,
    }
}

/// The start of the code point that ends at byte `end`, which must not be the first.
#[inline]
fn code_point_before(bytes: &[u8], end: usize) -> usize {
    let mut at = end.saturating_sub(1);
    while at > 0 && bytes[at] & 0xC0 == 0x80 {
        at -= 1;
    }
    at
}

/// The form of a text, which decides how characters are found.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Form {
    Plain,
    /// Every code point is a character by itself.
    Simple,
    Composite,
}

impl Form {
    pub fn of(text: &str) -> Form {
        if is_plain(text) {
            return Form::Plain;
        }
        if text.bytes().all(Form::may_be_simple) { Form::Simple } else { Form::Composite }
    }

    /// Whether a text with this byte can be simple. A text is simple if all its bytes can be.
    #[inline]
    pub fn may_be_simple(byte: u8) -> bool {
        stands_alone(byte) || byte & 0xC0 == 0x80
    }

    #[inline]
    pub fn is_plain(self) -> bool {
        self == Form::Plain
    }

    /// Whether every code point is a character by itself. Then each end of a code point is a notch.
    #[inline]
    pub fn is_simple(self) -> bool {
        self != Form::Composite
    }
}

/// The number of characters in `text`.
///
/// ```
/// assert_eq!(keen_notch_core::text::characters::count("e\u{301}-1"), 3);
/// ```
pub fn count(text: &str) -> usize {
    if is_plain(text) { text.len() } else { ranges(text).count() }
}

/// The notch after the first `n` characters, as a byte offset; the end of `text` if it has fewer.
pub(crate) fn notch(text: &str, n: usize) -> usize {
    let mut at = 0;
    for _ in 0..n {
        match width_at(text, at) {
            0 => break,
            width => at += width,
        }
    }
    at
}

/// The notch before the last `n` characters, as a byte offset; 0 if `text` has fewer.
pub(crate) fn notch_from_end(text: &str, n: usize) -> usize {
    let bytes = text.as_bytes();
    let (mut end, mut looks_back) = (text.len(), 0);
    for done in 0..n {
        if end == 0 {
            break;
        }
        let start = code_point_before(bytes, end);
        end = if stands_alone(bytes[start]) && (start == 0 || stands_alone(bytes[code_point_before(bytes, start)])) {
            start
        } else if looks_back < MOST_LOOKS_BACK {
            looks_back += 1;
            end - text[..end].graphemes(true).next_back().map_or(end, str::len)
        } else {
            // Finding a character from its end may require all text before it, as with flags; finding all of them is faster.
            let before = &text[..end];
            return notch(before, ranges(before).count().saturating_sub(n - done));
        };
    }
    end
}

/// Maximum number of characters of several code points to find from their ends.
const MOST_LOOKS_BACK: usize = 8;

/// The first code point of the last character: a letter, even with marks after it.
pub(crate) fn last_base(text: &str) -> Option<char> {
    text[notch_from_end(text, 1)..].chars().next()
}

/// Whether byte `offset` is a notch: an end of `text`, or a boundary between characters.
#[inline]
pub(crate) fn is_notch(text: &str, offset: usize) -> bool {
    is_surely_notch(text, offset).unwrap_or_else(|| is_boundary(text, offset))
}

/// Whether byte `offset` is certainly a notch, or certainly not, judging by the neighbouring code points.
#[inline]
pub(crate) fn is_surely_notch(text: &str, offset: usize) -> Option<bool> {
    if offset == 0 || offset == text.len() {
        return Some(true);
    }
    if !text.is_char_boundary(offset) {
        return Some(false);
    }
    let bytes = text.as_bytes();
    (stands_alone(bytes[offset]) && stands_alone(bytes[code_point_before(bytes, offset)])).then_some(true)
}

/// The first notch at or after byte `offset`; `from` is a notch at or before it.
pub(crate) fn notch_from(text: &str, from: usize, offset: usize) -> usize {
    let mut at = from;
    while at < offset {
        match width_at(text, at) {
            0 => break,
            width => at += width,
        }
    }
    at
}

#[cold]
fn is_boundary(text: &str, offset: usize) -> bool {
    GraphemeCursor::new(offset, text.len(), true).is_boundary(text, 0).unwrap_or(true)
}

#[inline]
pub(crate) fn width_at(text: &str, at: usize) -> usize {
    let bytes = text.as_bytes();
    let Some(lead) = bytes.get(at) else { return 0 };
    let width = code_point_width(*lead);
    if stands_alone(*lead) && bytes.get(at + width).is_none_or(|next| stands_alone(*next)) {
        return width;
    }
    text[at..].graphemes(true).next().map_or(0, str::len)
}

/// The byte range of each character.
///
/// ```
/// let ranges = keen_notch_core::text::characters::ranges("é1");
/// assert!(ranges.eq([0..2, 2..3]));
/// ```
pub fn ranges(text: &str) -> impl Iterator<Item = Range<usize>> + '_ {
    let mut at = 0;
    std::iter::from_fn(move || {
        let start = at;
        at += width_at(text, at);
        (at > start).then_some(start..at)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn characters_are_grapheme_clusters() {
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
    fn simple_code_points() {
        let all = ('\0'..=char::MAX).filter(|c| stands_alone(c.encode_utf8(&mut [0; 4]).as_bytes()[0]));
        let mut count = 0;
        for c in all {
            // Between these neighbours, only the rule "a boundary everywhere else" can apply.
            let text = format!("x{c}{c}\u{e9}{c}東{c}Ω\u{a9}{c}");
            assert_eq!(text.graphemes(true).count(), text.chars().count(), "U+{:04X}", u32::from(c));
            count += 1;
        }
        assert_eq!(count, 127 + 0x280 + 0x80 + 0x80 + 0x6000);
    }

    proptest::proptest! {
        #[test]
        fn characters_are_those_of_the_standard(text in "([aé東Я\r\n -]|\u{301}|\u{200d}|👩|🚀|🇩|\u{e33}|\u{600}|각|\u{1161}|क|\u{94d}){0,12}") {
            let expected: Vec<usize> = text.grapheme_indices(true).map(|(at, _)| at).chain([text.len()]).collect();
            let found: Vec<usize> = ranges(&text).map(|range| range.start).chain([text.len()]).collect();
            proptest::prop_assert_eq!(&found, &expected);
            for n in 0..expected.len() + 1 {
                proptest::prop_assert_eq!(notch(&text, n), expected[n.min(expected.len() - 1)]);
                proptest::prop_assert_eq!(notch_from_end(&text, n), expected[(expected.len() - 1).saturating_sub(n)]);
            }
            for offset in 0..=text.len() {
                proptest::prop_assert_eq!(is_notch(&text, offset), expected.contains(&offset));
                for from in expected.iter().filter(|from| **from <= offset) {
                    proptest::prop_assert_eq!(Some(&notch_from(&text, *from, offset)), expected.iter().find(|at| **at >= offset));
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
