//! Operations on short texts, eight bytes at a time.

/// Whether a test holds for any 8-byte word of `bytes`. The last word overlaps the previous one; a shorter text is padded with zeros. The
/// test must search for bytes other than zero.
#[inline]
pub fn any_word(bytes: &[u8], test: impl Fn(u64) -> bool) -> bool {
    let (words, rest) = bytes.as_chunks::<8>();
    if words.iter().any(|word| test(u64::from_le_bytes(*word))) {
        return true;
    }
    if rest.is_empty() {
        return false;
    }
    let last = match (bytes.last_chunk::<8>(), rest.first_chunk::<4>(), rest.last_chunk::<4>()) {
        (Some(last), ..) => u64::from_le_bytes(*last),
        (None, Some(first), Some(last)) => u64::from(u32::from_le_bytes(*first)) | u64::from(u32::from_le_bytes(*last)) << 32,
        _ => rest.iter().fold(0, |word, byte| word << 8 | u64::from(*byte)),
    };
    test(last)
}

/// Number of words to examine before using a vectorised search, which has a higher start-up cost.
const SHORT: usize = 6;

/// The first position of either byte. Fast if that position is usually near the start.
///
/// ```
/// assert_eq!(keen_notch_core::text::bytes::position_of_two(b',', b'\n', b"GRP-1\nHNG-2,"), Some(5));
/// ```
#[inline]
pub fn position_of_two(one: u8, other: u8, bytes: &[u8]) -> Option<usize> {
    let (ones, others) = (eight(one), eight(other));
    first(
        bytes,
        |word| has(word, ones) | has(word, others),
        |byte| byte == one || byte == other,
        |rest| memchr::memchr2(one, other, rest),
    )
}

/// The first position where a test holds. The test for eight bytes returns the high bit of each matching byte, exact for the lowest one.
#[inline]
fn first(
    bytes: &[u8],
    of_eight: impl Fn(u64) -> u64,
    of_one: impl Fn(u8) -> bool,
    of_all: impl FnOnce(&[u8]) -> Option<usize>,
) -> Option<usize> {
    let mut rest = bytes;
    let mut at = 0;
    for _ in 0..SHORT {
        let Some((word, after)) = rest.split_first_chunk::<8>() else {
            return rest.iter().position(|byte| of_one(*byte)).map(|found| at + found);
        };
        let found = of_eight(u64::from_le_bytes(*word));
        if found != 0 {
            return Some(at + found.trailing_zeros() as usize / 8);
        }
        rest = after;
        at += 8;
    }
    of_all(rest).map(|found| at + found)
}

/// The high bit of each byte of a word.
pub const HIGH: u64 = 0x8080_8080_8080_8080;
const LOW: u64 = 0x0101_0101_0101_0101;

/// A word of eight copies of a byte.
pub const fn eight(byte: u8) -> u64 {
    LOW * byte as u64
}

/// Not zero exactly if a byte of a word equals the byte of `eight`. The lowest high bit marks the first match; higher bits can be wrong.
///
/// ```
/// use keen_notch_core::text::bytes::{any_word, eight, has};
///
/// assert!(any_word(b"GRP-00041273", |word| has(word, eight(b'-')) != 0));
/// ```
#[inline]
pub fn has(word: u64, eight: u64) -> u64 {
    let same = word ^ eight;
    same.wrapping_sub(LOW) & !same & HIGH
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn first_places() {
        for length in 0..80 {
            let mut bytes = vec![b'x'; length];
            assert_eq!(position_of_two(b',', b'\n', &bytes), None);
            for at in (0..length).rev() {
                bytes[at] = if at % 2 == 0 { b',' } else { b'\n' };
                assert_eq!(position_of_two(b',', b'\n', &bytes), Some(at));
                // A byte that differs in its lowest bit.
                bytes[at] = b',' + 1;
                assert_eq!(position_of_two(b',', b'\n', &bytes), (at + 1..length).next());
                bytes[at] = b',';
            }
        }
    }

    #[test]
    fn every_byte_is_looked_at() {
        for length in 0..30 {
            let mut bytes = vec![b'x'; length];
            assert!(!any_word(&bytes, |word| has(word, eight(b',')) != 0));
            for at in 0..length {
                bytes[at] = b',';
                assert!(any_word(&bytes, |word| has(word, eight(b',')) != 0), "{at} of {length}");
                bytes[at] = 0xFF;
                assert!(any_word(&bytes, |word| word & HIGH != 0) && !any_word(&bytes, |word| has(word, eight(b',')) != 0));
                bytes[at] = b'x';
            }
        }
    }
}
