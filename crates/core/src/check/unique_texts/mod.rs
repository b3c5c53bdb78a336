//! Texts seen so far and their first rows, for `unique`.

mod filter;

use std::hash::Hasher;

use siphasher::sip128::{Hasher128, SipHasher13};

use self::filter::Filter;
use crate::text::blank::is_blank;

/// The hash of a text, or of several taken together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Hash(u64, u64);

impl Hash {
    pub const NOTHING: Hash = Hash(0, 0);
}

/// The texts seen so far, with the first row of each.
///
/// A text is kept as 88 bits of its hash (SipHash-1-3, 128 bits) and 40 bits of its row: 16 bytes a slot of an
/// open-addressed table, whatever its length. Two different texts among 20 million have the same 88 bits with a chance of
/// one in a million millions. The table is split by the hash, so that only a small part of it is ever doubled at once.
///
/// ```
/// use keen_notch_core::check::unique_texts::UniqueTexts;
///
/// let mut seen = UniqueTexts::default();
/// assert_eq!(seen.note(UniqueTexts::hash(["GRP", "1"]), 1)?, None);
/// assert_eq!(seen.note(UniqueTexts::hash(["GRP", "1"]), 9)?, Some(1), "row 1 had the same");
/// # Ok::<(), keen_notch_core::check::unique_texts::StoreError>(())
/// ```
///
/// A table that reaches its memory limit moves to a [`Store`], sorted, and a new table begins. From then on, a filter uses three quarters
/// of the memory. It recognises most new texts, so that the store is seldom read. The results are the same with any limit.
#[derive(Debug)]
pub struct UniqueTexts {
    shards: Vec<Shard>,
    /// The size of the table and its limit, in bytes.
    bytes: usize,
    most: usize,
    store: Option<Box<dyn Store>>,
    filter: Filter,
    asked: Vec<Entry>,
    recalled: Vec<Entry>,
}

/// An entry: 64 bits of the hash; then the other 24 bits and 40 bits of the row.
pub type Entry = (u64, u64);

pub type StoreError = Box<dyn std::error::Error + Send + Sync>;

/// Storage for entries beyond the memory limit.
pub trait Store: std::fmt::Debug + Send {
    /// Stores sorted entries. All entries in the store have different texts.
    ///
    /// # Errors
    /// The entries cannot be stored.
    fn keep(&mut self, entries: &mut dyn Iterator<Item = Entry>) -> Result<(), StoreError>;

    /// Adds the entries of some texts to `found`, in any order. `texts` are sorted entries without rows.
    ///
    /// # Errors
    /// The store cannot be read.
    fn find(&mut self, texts: &[Entry], found: &mut Vec<Entry>) -> Result<(), StoreError>;
}

/// The row of an entry if its hash has these bits.
pub fn row_of(entry: Entry, key: u64, rest: u64) -> Option<u64> {
    (entry.0 == key && entry.1 & !ROW_MASK == rest & !ROW_MASK).then_some(entry.1 & ROW_MASK)
}

#[derive(Debug, Default)]
struct Shard {
    /// Each slot holds 64 bits of the hash, then the rest and the row; the second number of a free slot is 0.
    slots: Vec<(u64, u64)>,
    count: usize,
}

const SHARDS: usize = 256;
/// Bits of a slot for the row; the rest of the hash is above them.
const ROW_BITS: u32 = 40;
const ROW_MASK: u64 = (1 << ROW_BITS) - 1;
const FEWEST_SLOTS: usize = 16;
/// With a filter, the table uses this fraction of the memory.
const TABLE_SHARE: usize = 4;

impl Default for UniqueTexts {
    fn default() -> UniqueTexts {
        UniqueTexts {
            shards: (0..SHARDS).map(|_| Shard::default()).collect(),
            bytes: 0,
            most: usize::MAX,
            store: None,
            filter: Filter::default(),
            asked: Vec::new(),
            recalled: Vec::new(),
        }
    }
}

impl UniqueTexts {
    /// A memory of about `most` bytes, with a store for the rest.
    pub fn with_store(most: usize, store: Box<dyn Store>) -> UniqueTexts {
        UniqueTexts { most, store: Some(store), ..UniqueTexts::default() }
    }

    pub fn hash<'a>(texts: impl IntoIterator<Item = &'a str>) -> Hash {
        let mut hasher = SipHasher13::new();
        let mut is_nothing = true;
        for text in texts {
            is_nothing &= is_blank(text);
            hasher.write(text.as_bytes());
            // This byte never occurs in UTF-8, so it separates the texts.
            hasher.write_u8(0xFF);
        }
        let hash = hasher.finish128();
        match Hash(hash.h1, hash.h2) {
            _ if is_nothing => Hash::NOTHING,
            Hash::NOTHING => Hash(0, 1),
            hash => hash,
        }
    }

    /// Prefetches the slots of hashes together, so that the memory accesses overlap.
    pub fn prepare(&self, hashes: &[Hash]) {
        let slot = |hash: &Hash| {
            let slots = &self.shards[hash.shard()].slots;
            slots.get(hash.0 as usize & slots.len().wrapping_sub(1)).map_or(0, |slot| slot.1)
        };
        std::hint::black_box(hashes.iter().fold(0, |all, hash| all ^ slot(hash)));
    }

    /// Prefetches the next texts from the store, in store order. Optional: otherwise [`UniqueTexts::note`] reads the store once for each text.
    ///
    /// # Errors
    /// The store fails.
    pub fn recall(&mut self, hashes: impl Iterator<Item = Hash>) -> Result<(), StoreError> {
        self.forget_recalled();
        let Some(store) = self.store.as_mut().filter(|_| !self.filter.is_none()) else { return Ok(()) };
        let texts = hashes.filter(|hash| self.filter.may_have(hash.0)).map(Hash::text);
        self.asked.extend(texts);
        self.asked.sort_unstable();
        self.asked.dedup();
        store.find(&self.asked, &mut self.recalled)?;
        self.recalled.sort_unstable();
        Ok(())
    }

    fn forget_recalled(&mut self) {
        self.asked.clear();
        self.recalled.clear();
    }

    /// Records a hash in `row`, from 1. Returns the first row with the hash if that is an earlier row.
    ///
    /// # Errors
    /// The store fails.
    pub fn note(&mut self, hash: Hash, row: u64) -> Result<Option<u64>, StoreError> {
        let (key, rest) = hash.text();
        let shard = &self.shards[hash.shard()];
        if shard.is_full() {
            if self.bytes + shard.next_bytes() > self.most && self.bytes > 0 && self.store.is_some() {
                self.store_all()?;
            }
            self.bytes += self.shards[hash.shard()].double();
        }
        let Some(slot) = self.shards[hash.shard()].find(key, rest) else { return Ok(None) };
        if slot.1 != 0 {
            return Ok(Some(slot.1 & ROW_MASK));
        }
        if let Some(store) = &mut self.store
            && self.filter.may_have(key)
        {
            if self.asked.binary_search(&(key, rest)).is_err() {
                self.asked.clear();
                self.recalled.clear();
                self.asked.push((key, rest));
                store.find(&self.asked, &mut self.recalled)?;
            }
            let first = self.recalled.partition_point(|entry| entry.0 < key);
            let of_key = self.recalled[first..].iter().take_while(|entry| entry.0 == key);
            if let Some(row) = of_key.copied().find_map(|entry| row_of(entry, key, rest)) {
                return Ok(Some(row));
            }
        }
        *slot = (key, rest | (row & ROW_MASK));
        self.shards[hash.shard()].count += 1;
        Ok(None)
    }

    fn store_all(&mut self) -> Result<(), StoreError> {
        self.forget_recalled();
        if self.filter.is_none() {
            self.filter = Filter::of(self.most / TABLE_SHARE * (TABLE_SHARE - 1));
            self.most /= TABLE_SHARE;
        }
        self.bytes = 0;
        let UniqueTexts { shards, filter, store: Some(store), .. } = self else { return Ok(()) };
        if shards.iter().all(|shard| shard.count == 0) {
            return Ok(());
        }
        // Shards split the key range, so that sorting them one by one sorts all entries without a copy.
        let mut entries = shards.iter_mut().flat_map(|shard| {
            let mut entries = std::mem::take(shard).slots;
            entries.retain(|slot| slot.1 != 0);
            entries.sort_unstable();
            entries.iter().for_each(|entry| filter.add(entry.0));
            entries
        });
        store.keep(&mut entries)
    }
}

impl Hash {
    /// The hash with these bits.
    pub fn of_bits(bits: u128) -> Hash {
        Hash((bits >> 64) as u64, bits as u64)
    }

    pub fn bits(self) -> u128 {
        u128::from(self.0) << 64 | u128::from(self.1)
    }

    fn shard(self) -> usize {
        (self.0 >> (u64::BITS - SHARDS.ilog2())) as usize
    }

    fn text(self) -> Entry {
        (self.0, self.1 & !ROW_MASK)
    }
}

impl Shard {
    fn is_full(&self) -> bool {
        self.count >= self.slots.len() / 8 * 7
    }

    fn next_bytes(&self) -> usize {
        self.slots.len().max(FEWEST_SLOTS) * size_of::<Entry>()
    }

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

    fn double(&mut self) -> usize {
        let before = self.slots.len();
        let slots = vec![(0, 0); (before * 2).max(FEWEST_SLOTS)];
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
        let mut seen = UniqueTexts::default();
        let mut note = |texts: &[&str], row| seen.note(UniqueTexts::hash(texts.iter().copied()), row).unwrap();
        assert_eq!(note(&["a"], 1), None);
        assert_eq!(note(&["b"], 2), None);
        assert_eq!(note(&["a"], 3), Some(1));
        assert_eq!(note(&["a"], 4), Some(1));
        assert_eq!(note(&["a", "b"], 5), None);
        assert_eq!(note(&["ab", ""], 6), None);
        assert_eq!(note(&["a", "b"], 7), Some(5));
        assert_eq!(UniqueTexts::hash(["", ""]), Hash::NOTHING);
    }

    #[derive(Debug, Default)]
    struct Kept(std::collections::BTreeMap<(u64, u64), Entry>);

    impl Store for Kept {
        fn keep(&mut self, entries: &mut dyn Iterator<Item = Entry>) -> Result<(), StoreError> {
            let entries: Vec<Entry> = entries.collect();
            assert!(entries.is_sorted() && !entries.is_empty());
            for entry in entries {
                assert!(self.0.insert((entry.0, entry.1 & !ROW_MASK), entry).is_none(), "kept twice");
            }
            Ok(())
        }

        fn find(&mut self, texts: &[Entry], found: &mut Vec<Entry>) -> Result<(), StoreError> {
            assert!(texts.is_sorted());
            found.extend(texts.iter().filter_map(|text| self.0.get(text)));
            Ok(())
        }
    }

    #[test]
    fn many_texts_are_distinguished_with_any_memory() {
        for mut seen in [
            UniqueTexts::default(),
            UniqueTexts::with_store(1 << 16, Box::new(Kept::default())),
            UniqueTexts::with_store(0, Box::new(Kept::default())),
        ] {
            let mut known = std::collections::HashMap::new();
            let text = |row: u64| (row * row % 30_011).to_string();
            for row in 1..40_000u64 {
                // Prefetches half of the texts.
                if row % 2_000 == 1 {
                    seen.recall((row..row + 1_000).map(|row| UniqueTexts::hash([text(row).as_str()]))).unwrap();
                }
                let text = text(row);
                let first = known.get(&text).copied();
                assert_eq!(seen.note(UniqueTexts::hash([text.as_str()]), row).unwrap(), first);
                known.entry(text).or_insert(row);
                assert!(seen.bytes <= seen.most.saturating_add(SHARDS * FEWEST_SLOTS * 16), "{} of {}", seen.bytes, seen.most);
            }
        }
    }
}
