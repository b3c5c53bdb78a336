//! Which texts have been seen before, and in which row: what `unique` needs to know of all rows.

use std::collections::HashMap;
use std::hash::{BuildHasherDefault, Hasher};

use siphasher::sip128::{Hasher128, SipHasher13};

use crate::hashed::AsItIs;

/// The texts seen so far, with the row each was first seen in.
///
/// A text is kept as 88 bits of its hash (SipHash-1-3, 128 bits) and 40 bits of its row: 17 bytes a slot,
/// whatever its length. Two different texts among 20 million have the same 88 bits with a chance of one in a
/// million millions. The map is split, so that only a small part of it is ever doubled at once.
#[derive(Debug)]
pub struct Seen {
    maps: Vec<HashMap<u64, u64, BuildHasherDefault<AsItIs>>>,
}

/// Maps into which the texts are split.
const MAPS: usize = 256;
/// The bits that hold the row; above them stand the rest of the hash.
const ROW_BITS: u32 = 40;
const ROW_MASK: u64 = (1 << ROW_BITS) - 1;

impl Default for Seen {
    fn default() -> Seen {
        Seen { maps: (0..MAPS).map(|_| HashMap::default()).collect() }
    }
}

impl Seen {
    /// Notes that the texts, taken together, stand in `row`; gives the row they were seen in first, if that
    /// is another.
    pub fn note<'a>(&mut self, texts: impl IntoIterator<Item = &'a str>, row: u64) -> Option<u64> {
        let mut hasher = SipHasher13::new();
        for text in texts {
            hasher.write(text.as_bytes());
            // No text of UTF-8 holds this byte, so it keeps texts apart.
            hasher.write_u8(0xFF);
        }
        let hash = hasher.finish128();
        let rest = hash.h2 & !ROW_MASK;
        let map = &mut self.maps[(hash.h2 & (MAPS as u64 - 1)) as usize];
        // Texts that share 64 bits of the hash but not the others stand under the next free key.
        let mut key = hash.h1;
        loop {
            match map.get(&key) {
                None => {
                    map.insert(key, rest | (row & ROW_MASK));
                    return None;
                }
                Some(found) if found & !ROW_MASK == rest => return Some(found & ROW_MASK),
                Some(_) => key = key.wrapping_add(1),
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_row_is_remembered() {
        let mut seen = Seen::default();
        assert_eq!(seen.note(["a"], 1), None);
        assert_eq!(seen.note(["b"], 2), None);
        assert_eq!(seen.note(["a"], 3), Some(1));
        assert_eq!(seen.note(["a"], 4), Some(1));
        assert_eq!(seen.note(["a", "b"], 5), None);
        assert_eq!(seen.note(["ab", ""], 6), None);
        assert_eq!(seen.note(["a", "b"], 7), Some(5));
    }
}
