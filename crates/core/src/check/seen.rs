//! Which texts have been seen before, and in which row: what `unique` needs to know of all rows.

use std::hash::Hasher;

use siphasher::sip128::{Hasher128, SipHasher13};

use crate::text::blank::is_blank;

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
/// assert_eq!(seen.note(Seen::hash(["GRP", "1"]), 1)?, None);
/// assert_eq!(seen.note(Seen::hash(["GRP", "1"]), 9)?, Some(1), "row 1 had the same");
/// # Ok::<(), keen_notch_core::check::seen::StoreError>(())
/// ```
///
/// Where it would take more memory than it may, what it holds goes to a [`Store`], and it begins anew: whatever the memory, the same
/// texts are told to be the same.
#[derive(Debug)]
pub struct Seen {
    shards: Vec<Shard>,
    /// The bytes of the table, and the most that it may take.
    bytes: usize,
    most: usize,
    store: Option<Box<dyn Store>>,
}

/// What of a text is kept: 64 bits of its hash; and the other 24 bits of it, above 40 bits of its row.
pub type Entry = (u64, u64);

/// Why something could not be kept, or found again.
pub type StoreError = Box<dyn std::error::Error + Send + Sync>;

/// Keeps what memory has no space for.
pub trait Store: std::fmt::Debug + Send {
    /// Keeps entries, which are sorted, and of which no two differ in their rows only; nor do any from those kept before.
    ///
    /// # Errors
    /// Where they cannot be kept.
    fn keep(&mut self, entries: &[Entry]) -> Result<(), StoreError>;

    /// Finds the entry of these bits of a hash, if there is one: [`row_of`] tells which it is.
    ///
    /// # Errors
    /// Where what was kept cannot be read.
    fn find(&mut self, key: u64, rest: u64) -> Result<Option<Entry>, StoreError>;
}

/// The row of an entry if it is of a text with these bits of its hash.
pub fn row_of(entry: Entry, key: u64, rest: u64) -> Option<u64> {
    (entry.0 == key && entry.1 & !ROW_MASK == rest & !ROW_MASK).then_some(entry.1 & ROW_MASK)
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
/// The slots of a part that has any.
const FEWEST: usize = 16;

impl Default for Seen {
    fn default() -> Seen {
        Seen { shards: (0..SHARDS).map(|_| Shard::default()).collect(), bytes: 0, most: usize::MAX, store: None }
    }
}

impl Seen {
    /// Takes no more than `most` bytes, about, and leaves the rest to a store.
    pub fn with_store(most: usize, store: Box<dyn Store>) -> Seen {
        Seen { most, store: Some(store), ..Seen::default() }
    }

    /// The hash of texts, taken together.
    pub fn hash<'a>(texts: impl IntoIterator<Item = &'a str>) -> Hash {
        let mut hasher = SipHasher13::new();
        let mut is_nothing = true;
        for text in texts {
            is_nothing &= is_blank(text);
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
    ///
    /// # Errors
    /// Where the store has one.
    pub fn note(&mut self, hash: Hash, row: u64) -> Result<Option<u64>, StoreError> {
        let rest = hash.1 & !ROW_MASK;
        let shard = &mut self.shards[hash.shard()];
        if shard.is_full() {
            if self.bytes + shard.next_bytes() > self.most && self.bytes > 0 && self.store.is_some() {
                self.store_all()?;
            }
            self.bytes += self.shards[hash.shard()].double();
        }
        let Some(slot) = self.shards[hash.shard()].find(hash.0, rest) else { return Ok(None) };
        if slot.1 != 0 {
            return Ok(Some(slot.1 & ROW_MASK));
        }
        if let Some(store) = &mut self.store
            && let Some(found) = store.find(hash.0, rest)?
        {
            return Ok(Some(found.1 & ROW_MASK));
        }
        *slot = (hash.0, rest | (row & ROW_MASK));
        self.shards[hash.shard()].count += 1;
        Ok(None)
    }

    /// Has the store keep all there is.
    fn store_all(&mut self) -> Result<(), StoreError> {
        let mut entries: Vec<Entry> = Vec::with_capacity(self.shards.iter().map(|shard| shard.count).sum());
        for shard in &mut self.shards {
            entries.extend(std::mem::take(shard).slots.into_iter().filter(|slot| slot.1 != 0));
        }
        self.bytes = 0;
        if entries.is_empty() {
            return Ok(());
        }
        entries.sort_unstable();
        self.store.as_mut().map_or(Ok(()), |store| store.keep(&entries))
    }
}

impl Hash {
    /// Its bits.
    pub fn bits(self) -> u128 {
        u128::from(self.0) << 64 | u128::from(self.1)
    }

    fn shard(self) -> usize {
        (self.1 & (SHARDS as u64 - 1)) as usize
    }
}

impl Shard {
    /// Whether it must be doubled before another text is noted.
    fn is_full(&self) -> bool {
        self.count >= self.slots.len() / 8 * 7
    }

    /// The bytes that doubling adds.
    fn next_bytes(&self) -> usize {
        self.slots.len().max(FEWEST) * size_of::<Entry>()
    }

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

    /// Doubles the slots; gives the bytes that this adds.
    fn double(&mut self) -> usize {
        let before = self.slots.len();
        let slots = vec![(0, 0); (before * 2).max(FEWEST)];
        for slot in std::mem::replace(&mut self.slots, slots).into_iter().filter(|slot| slot.1 != 0) {
            if let Some(place) = self.find(slot.0, slot.1 & !ROW_MASK) {
                *place = slot;
            }
        }
        (self.slots.len() - before) * size_of::<Entry>()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_row_is_remembered() {
        let mut seen = Seen::default();
        let mut note = |texts: &[&str], row| seen.note(Seen::hash(texts.iter().copied()), row).unwrap();
        assert_eq!(note(&["a"], 1), None);
        assert_eq!(note(&["b"], 2), None);
        assert_eq!(note(&["a"], 3), Some(1));
        assert_eq!(note(&["a"], 4), Some(1));
        assert_eq!(note(&["a", "b"], 5), None);
        assert_eq!(note(&["ab", ""], 6), None);
        assert_eq!(note(&["a", "b"], 7), Some(5));
        assert_eq!(Seen::hash(["", ""]), Hash::NOTHING);
    }

    /// Keeps all there is, in memory.
    #[derive(Debug, Default)]
    struct Kept(std::collections::BTreeMap<(u64, u64), Entry>, usize);

    impl Store for Kept {
        fn keep(&mut self, entries: &[Entry]) -> Result<(), StoreError> {
            assert!(entries.is_sorted() && !entries.is_empty());
            self.1 = self.1.max(entries.len());
            for entry in entries {
                assert!(self.0.insert((entry.0, entry.1 & !ROW_MASK), *entry).is_none(), "kept twice");
            }
            Ok(())
        }

        fn find(&mut self, key: u64, rest: u64) -> Result<Option<Entry>, StoreError> {
            Ok(self.0.get(&(key, rest)).copied())
        }
    }

    #[test]
    fn many_texts_are_told_apart_whatever_the_memory() {
        for mut seen in [
            Seen::default(),
            Seen::with_store(1 << 16, Box::new(Kept::default())),
            Seen::with_store(0, Box::new(Kept::default())),
        ] {
            let mut known = std::collections::HashMap::new();
            for row in 1..40_000u64 {
                let text = (row * row % 30_011).to_string();
                let first = known.get(&text).copied();
                assert_eq!(seen.note(Seen::hash([text.as_str()]), row).unwrap(), first);
                known.entry(text).or_insert(row);
                assert!(seen.bytes <= seen.most.saturating_add(SHARDS * FEWEST * 16), "{} of {}", seen.bytes, seen.most);
            }
        }
    }
}
