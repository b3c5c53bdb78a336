//! Texts of digits, and those with letters that look like some.

use crate::text::look_alikes::digit_of;

/// Digits.
pub const DIGITS: [bool; 256] = table(b"0123456789");
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
