//! Texts of digits, and those with letters that look like some; and what the ends of a value tell at once.

use crate::text::look_alikes::digit_of;

/// What the bytes at the ends of a value tell: that it may be of digits, or may have spaces there. The last byte of a
/// no-break space is one of those: few values end in it, and in none of these.
pub const ENDS: [u8; 256] = {
    let mut table = [0; 256];
    let mut digit = b'0';
    while digit <= b'9' {
        table[digit as usize] = DIGIT;
        digit += 1;
    }
    table[b' ' as usize] = SPACE;
    table[b'\t' as usize] = SPACE;
    table[0xA0] = SPACE;
    table[0xC2] = SPACE;
    table
};
/// A digit.
pub const DIGIT: u8 = 1;
/// What may be a space.
pub const SPACE: u8 = 2;

/// Digits, and letters which look like some.
pub const MAY_BE_DIGITS: [bool; 256] = table(b"0123456789OoQlIiZzSsB");

const fn table(bytes: &[u8]) -> [bool; 256] {
    let mut table = [false; 256];
    let mut at = 0;
    while at < bytes.len() {
        table[bytes[at] as usize] = true;
        at += 1;
    }
    table
}

/// The letter in a text that is digits but for letters which look like some.
pub fn digit_look_alike(text: &str) -> Option<char> {
    let mut letter = None;
    let (mut digits, mut letters) = (0, 0);
    for c in text.chars() {
        if c.is_ascii_digit() {
            digits += 1;
        } else {
            digit_of(c)?;
            letters += 1;
            letter.get_or_insert(c);
        }
    }
    letter.filter(|_| digits > letters)
}
