//! Texts of digits, and those with letters that look like some; and what the ends of a value tell at once.

use crate::text::look_alikes::digit_of;

/// What the bytes at the ends of a value tell: that it may be of digits, or may have spaces there. A value is worth a
/// look where both come to [`LOOK`] together: two digits, or a space. The last byte of a no-break space is one of those:
/// few values end in it, and in none of these.
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
/// What two ends come to, or more, that are worth a look.
pub const LOOK: u8 = 2;
const DIGIT: u8 = 1;
const SPACE: u8 = LOOK;

/// Digits, and letters which look like some.
pub const MAY_BE_DIGITS: [bool; 256] = {
    let mut table = [false; 256];
    let mut byte = 0u8;
    while byte < 128 {
        table[byte as usize] = byte.is_ascii_digit() || digit_of(byte as char).is_some();
        byte += 1;
    }
    table
};

/// The letter in a text that is digits but for letters which look like some.
pub fn digit_look_alike(text: &[u8]) -> Option<char> {
    let mut letter = None;
    let mut digits = 0;
    for byte in text {
        if byte.is_ascii_digit() {
            digits += 1;
        } else if MAY_BE_DIGITS[usize::from(*byte)] {
            letter.get_or_insert(char::from(*byte));
        } else {
            return None;
        }
    }
    letter.filter(|_| digits > text.len() - digits)
}
