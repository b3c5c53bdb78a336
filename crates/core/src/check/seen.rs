//! Which texts have been seen before, and in which row: what `unique` needs to know of all rows.

use std::hash::Hasher;

use siphasher::sip128::{Hasher128, SipHasher13};

/// The hash of a text, or of several taken together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Hash(u64, u64);

impl Hash {
    /// What stands for texts with nothing in them.
    pub const NOTHING: Hash = Hash(0, 0);
}

/// The texts seen so far, with the row each was first seen in.
///
/// A text is kept as 88 bits of its hash (SipHash-1-3, 128 bits) and 40 bits of its row: 16 bytes a slot of an
/// open-addressed table, whatever its length. Two different texts among 20 million have the same 88 bits with a chance of
/// one in a million millions. The table is split by the hash, so that only a small part of it is ever doubled at once.
///
/// ```
/// use keen_notch_core::check::seen::Seen;
///
/// let mut seen = Seen::default();
/// assert_eq!(seen.note(Seen::hash(["GRP", "1"]), 1), None);
/// assert_eq!(seen.note(Seen::hash(["GRP", "1"]), 9), Some(1), "row 1 had the same");
/// ```
#[derive(Debug)]
pub struct Seen {
    shards: Vec<Shard>,
}

/// A part of the table: linear probing in a power of two of slots.
#[derive(Debug, Default)]
struct Shard {
    /// 64 bits of the hash, then the rest of it and the row; the latter is 0 where the slot is free.
    slots: Vec<(u64, u64)>,
    count: usize,
}

/// Parts into which the texts are split.
const SHARDS: usize = 256;
/// The bits that hold the row; above them is the rest of the hash.
const ROW_BITS: u32 = 40;
const ROW_MASK: u64 = (1 << ROW_BITS) - 1;

impl Default for Seen {
    fn default() -> Seen {
        Seen { shards: (0..SHARDS).map(|_| Shard::default()).collect() }
    }
}

impl Seen {
    /// The hash of texts, taken together.
    pub fn hash<'a>(texts: impl IntoIterator<Item = &'a str>) -> Hash {
        let mut hasher = SipHasher13::new();
        let mut is_nothing = true;
        for text in texts {
            is_nothing &= text.is_empty();
            hasher.write(text.as_bytes());
            // No text of UTF-8 holds this byte, so it keeps texts apart.
            hasher.write_u8(0xFF);
        }
        let hash = hasher.finish128();
        match Hash(hash.h1, hash.h2) {
            _ if is_nothing => Hash::NOTHING,
            Hash::NOTHING => Hash(0, 1),
            hash => hash,
        }
    }

    /// Fetches the slots that hashes will be looked for at, all at once: one after the other, each would wait for memory.
    pub fn prepare(&self, hashes: &[Hash]) {
        let slot = |hash: &Hash| {
            let slots = &self.shards[hash.shard()].slots;
            slots.get(hash.0 as usize & slots.len().wrapping_sub(1)).map_or(0, |slot| slot.1)
        };
        std::hint::black_box(hashes.iter().fold(0, |all, hash| all ^ slot(hash)));
    }

    /// Notes that texts of this hash are in `row`, which is counted from 1; gives the row they were seen in first, if that
    /// is another.
    pub fn note(&mut self, hash: Hash, row: u64) -> Option<u64> {
        let shard = &mut self.shards[hash.shard()];
        if shard.count >= shard.slots.len() / 8 * 7 {
            shard.double();
        }
        let rest = hash.1 & !ROW_MASK;
        let slot = shard.find(hash.0, rest)?;
        match slot.1 {
            0 => {
                *slot = (hash.0, rest | (row & ROW_MASK));
                shard.count += 1;
                None
            }
            found => Some(found & ROW_MASK),
        }
    }
}

impl Hash {
    fn shard(self) -> usize {
        (self.1 & (SHARDS as u64 - 1)) as usize
    }
}

impl Shard {
    /// The slot of a text, or the free one where it belongs. There is a free one.
    fn find(&mut self, key: u64, rest: u64) -> Option<&mut (u64, u64)> {
        let mask = self.slots.len().wrapping_sub(1);
        let mut at = key as usize & mask;
        loop {
            let slot = self.slots.get(at)?;
            if slot.1 == 0 || (slot.0 == key && slot.1 & !ROW_MASK == rest) {
                return self.slots.get_mut(at);
            }
            at = (at + 1) & mask;
        }
    }

    fn double(&mut self) {
        let slots = vec![(0, 0); (self.slots.len() * 2).max(16)];
        for slot in std::mem::replace(&mut self.slots, slots).into_iter().filter(|slot| slot.1 != 0) {
            if let Some(place) = self.find(slot.0, slot.1 & !ROW_MASK) {
                *place = slot;
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
        let mut note = |texts: &[&str], row| seen.note(Seen::hash(texts.iter().copied()), row);
        assert_eq!(note(&["a"], 1), None);
        assert_eq!(note(&["b"], 2), None);
        assert_eq!(note(&["a"], 3), Some(1));
        assert_eq!(note(&["a"], 4), Some(1));
        assert_eq!(note(&["a", "b"], 5), None);
        assert_eq!(note(&["ab", ""], 6), None);
        assert_eq!(note(&["a", "b"], 7), Some(5));
        assert_eq!(Seen::hash(["", ""]), Hash::NOTHING);
    }

    #[test]
    fn many_texts_are_told_apart() {
        let (mut seen, mut known) = (Seen::default(), std::collections::HashMap::new());
        for row in 1..40_000u64 {
            let text = (row * row % 30_011).to_string();
            let first = known.get(&text).copied();
            assert_eq!(seen.note(Seen::hash([text.as_str()]), row), first);
            known.entry(text).or_insert(row);
        }
    }
}
