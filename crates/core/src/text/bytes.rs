//! Looking at the bytes of short texts eight at a time.

/// Whether a test holds of any word of eight bytes that together make up `bytes`. A text whose length is no
/// multiple of eight is made up of words that overlap, one shorter than eight of one that is filled up with zeros: so
/// the test is one that asks for any byte of some kind, which zero is not.
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

/// The high bit of each byte of a word.
pub const HIGH: u64 = 0x8080_8080_8080_8080;
const LOW: u64 = 0x0101_0101_0101_0101;

/// A word of eight times the same byte.
pub const fn eight(byte: u8) -> u64 {
    LOW * byte as u64
}

/// Not zero if and only if one of the bytes of a word is the one that `eight` was made of.
#[inline]
pub fn has(word: u64, eight: u64) -> u64 {
    let same = word ^ eight;
    same.wrapping_sub(LOW) & !same & HIGH
}

#[cfg(test)]
mod tests {
    use super::*;

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
