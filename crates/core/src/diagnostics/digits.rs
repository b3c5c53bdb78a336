//! Detection of digits, of letters that look like digits, and of values that deserve a closer look.

use crate::text::look_alikes::digit_of;

/// A score for the first and last byte of a value: a digit counts 1 and white space 2. If both scores reach [`LOOK`] together, the value
/// may consist of digits or have spaces at an end.
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
/// The sum of scores that requires a closer look.
pub const LOOK: u8 = 2;
const DIGIT: u8 = 1;
const SPACE: u8 = LOOK;

pub const MAY_BE_DIGITS: [bool; 256] = {
    let mut table = [false; 256];
    let mut byte = 0u8;
    while byte < 128 {
        table[byte as usize] = byte.is_ascii_digit() || digit_of(byte as char).is_some();
        byte += 1;
    }
    table
};

/// The letter that looks like a digit in a text that otherwise consists of digits.
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
