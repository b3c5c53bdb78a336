//! Pairs of keys and results, found by a hash of the key.
//!
//! A search in a large table mostly waits for memory. [`Pairs::find_all`] runs many searches in passes, so their waits overlap.

use std::hash::{BuildHasher as _, Hasher as _};
use std::hint::black_box;

use foldhash::fast::RandomState;

/// The batch size of [`Pairs::find_all`].
pub(super) const AT_A_TIME: usize = 64;
/// A size of this many bytes or more takes four more bytes.
const LONG: usize = 255;

#[derive(Debug, Clone)]
pub(super) struct Pairs {
    /// Each record: size of the key, size of the result, key, result.
    records: Vec<u8>,
    /// An open-addressing table with linear probing: a power of two, at most half full. A place holds 1 + the start of a record in its low
    /// bits, and bits of the hash above them; 0 is free.
    places: Vec<u32>,
    /// Mask of the low bits.
    of_record: u32,
    count: usize,
    bytes: usize,
    hasher: RandomState,
}

/// The start of a record, in bytes.
pub(super) type Record = u32;

impl Default for Pairs {
    fn default() -> Pairs {
        let (records, places, hasher) = (Vec::new(), vec![0; 16], RandomState::default());
        Pairs { records, places, of_record: 0xFF, count: 0, bytes: 0, hasher }
    }
}

impl Pairs {
    pub(super) fn count(&self) -> usize {
        self.count
    }

    /// The size of the keys and results, in bytes.
    pub(super) fn bytes(&self) -> usize {
        self.bytes
    }

    /// The memory, in bytes.
    #[cfg(test)]
    pub(super) fn memory(&self) -> usize {
        self.records.capacity() + self.places.capacity() * size_of::<u32>()
    }

    /// Adds a new key. `None` if the texts are too large.
    pub(super) fn add(&mut self, key: &[u8], result: &[u8]) -> Option<()> {
        let record = u32::try_from(self.records.len()).ok()?;
        u32::try_from(self.records.len() + 2 * (1 + size_of::<u32>()) + key.len() + result.len()).ok()?;
        let sizes = [key.len(), result.len()];
        self.records.extend(sizes.map(|size| size.min(LONG) as u8));
        for size in sizes.into_iter().filter(|size| *size >= LONG) {
            self.records.extend_from_slice(&(size as u32).to_le_bytes());
        }
        self.records.extend_from_slice(key);
        self.records.extend_from_slice(result);
        self.count += 1;
        self.bytes += key.len() + result.len();
        if self.count * 2 > self.places.len() || record >= self.of_record {
            self.place_again();
        } else {
            self.put(self.hash(key), record);
        }
        Some(())
    }

    fn place_again(&mut self) {
        let places = if self.count * 2 > self.places.len() { self.places.len() * 2 } else { self.places.len() };
        self.places = vec![0; places];
        while self.records.len() >= self.of_record as usize && self.of_record < u32::MAX {
            self.of_record = self.of_record << 1 | 1;
        }
        let mut next = 0;
        while let Some(pair) = self.parts(next) {
            let (hash, end) = (self.hash(pair.key), pair.end);
            self.put(hash, next);
            next = end;
        }
    }

    fn put(&mut self, hash: u64, record: Record) {
        let last = self.places.len() - 1;
        let mut at = hash as usize & last;
        while self.places[at] > 0 {
            at = (at + 1) & last;
        }
        self.places[at] = self.tag(hash) | (record + 1);
    }

    /// The bits of a hash that a place holds.
    #[inline]
    fn tag(&self, hash: u64) -> u32 {
        (hash >> 32) as u32 & !self.of_record
    }

    #[inline]
    pub(super) fn hash(&self, key: &[u8]) -> u64 {
        let mut hasher = self.hasher.build_hasher();
        hasher.write(key);
        hasher.finish()
    }

    /// The key and the result of a record.
    #[inline]
    pub(super) fn pair(&self, record: Record) -> Option<(&[u8], &[u8])> {
        self.parts(record).map(|parts| (parts.key, parts.result))
    }

    #[inline]
    fn parts(&self, record: Record) -> Option<Parts<'_>> {
        let rest = self.records.get(record as usize..)?;
        let (sizes, mut rest) = rest.split_first_chunk::<2>()?;
        let mut sizes = sizes.map(usize::from);
        for size in &mut sizes {
            if *size == LONG {
                let (long, others) = rest.split_first_chunk::<4>()?;
                (*size, rest) = (u32::from_le_bytes(*long) as usize, others);
            }
        }
        let (key, rest) = rest.split_at_checked(sizes[0])?;
        let (result, rest) = rest.split_at_checked(sizes[1])?;
        Some(Parts { key, result, end: (self.records.len() - rest.len()) as Record })
    }

    /// The records in insertion order.
    pub(super) fn records(&self) -> impl Iterator<Item = Record> {
        std::iter::successors(Some(0), |record| Some(self.parts(*record)?.end)).take(self.count)
    }

    /// The record of a key.
    pub(super) fn find(&self, key: &[u8]) -> Option<Record> {
        self.find_from(self.hash(key), |other| other == key)
    }

    fn find_from(&self, hash: u64, is_same: impl Fn(&[u8]) -> bool) -> Option<Record> {
        let (last, tag) = (self.places.len() - 1, self.tag(hash));
        let mut at = hash as usize & last;
        loop {
            let place = *self.places.get(at)?;
            let record = (place & self.of_record).checked_sub(1)?;
            if place & !self.of_record == tag && self.pair(record).is_some_and(|(key, _)| is_same(key)) {
                return Some(record);
            }
            at = (at + 1) & last;
        }
    }

    /// Calls `see` with the index and the result of each key; unknown keys have an empty result. Takes the hashes of up to [`AT_A_TIME`]
    /// keys; `is_same` compares the key at an index.
    #[inline]
    pub(super) fn find_all(&self, hashes: &[u64], is_same: impl Fn(usize, &[u8]) -> bool, mut see: impl FnMut(usize, &[u8])) {
        let mut likely = [0; AT_A_TIME];
        let last = self.places.len() - 1;
        // Loads the places into the cache before the branches that depend on them, and later the records.
        let near = hashes.iter().filter_map(|hash| self.places.get(*hash as usize & last));
        black_box(near.fold(0, |all, place| all ^ place));
        for (hash, likely) in hashes.iter().zip(&mut likely) {
            let (tag, mut at) = (self.tag(*hash), *hash as usize & last);
            while let Some(place) = self.places.get(at)
                && *place > 0
            {
                if place & !self.of_record == tag {
                    *likely = place & self.of_record;
                    break;
                }
                at = (at + 1) & last;
            }
        }
        let records = likely.iter().take(hashes.len());
        let near = records.filter_map(|record| self.records.get(*record as usize..)?.first_chunk::<16>());
        black_box(near.fold(0u8, |all, bytes| all ^ bytes[0] ^ bytes[15]));
        for (index, (hash, likely)) in hashes.iter().zip(likely).enumerate() {
            let pair = likely.checked_sub(1).and_then(|record| self.pair(record));
            let result = match pair {
                None => &[],
                Some((key, result)) if is_same(index, key) => result,
                // Two keys share the tag.
                Some(_) => {
                    let record = self.find_from(*hash, |key| is_same(index, key));
                    record.and_then(|record| self.pair(record)).map_or(&[][..], |(_, result)| result)
                }
            };
            see(index, result);
        }
    }
}

/// Compares two keys, without a function call for 8 to 16 bytes.
#[inline]
pub(super) fn are_same(one: &[u8], other: &[u8]) -> bool {
    let ends = |key: &[u8]| Some((*key.first_chunk::<8>()?, *key.last_chunk::<8>()?));
    match (ends(one), ends(other)) {
        (Some(of_one), Some(of_other)) if one.len() <= 16 => one.len() == other.len() && of_one == of_other,
        _ => one == other,
    }
}

struct Parts<'a> {
    key: &'a [u8],
    result: &'a [u8],
    /// The byte after the record.
    end: Record,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_key_has_its_own_result() {
        let mut pairs = Pairs::default();
        let text = |key: usize| format!("{key}{}", "x".repeat(if key % 1000 == 7 { key } else { key % 40 }));
        let keys: Vec<String> = (0..20_000).map(text).collect();
        for key in &keys {
            assert_eq!(pairs.find(key.as_bytes()), None);
            pairs.add(key.as_bytes(), key.as_bytes().get(1..).unwrap_or_default()).unwrap();
        }
        assert_eq!(pairs.count(), keys.len());
        let added: Vec<&[u8]> = pairs.records().map(|record| pairs.pair(record).unwrap().0).collect();
        assert!(added.into_iter().eq(keys.iter().map(String::as_bytes)));
        let wanted: Vec<String> = (0..30_000).map(text).collect();
        for (chunk, texts) in wanted.chunks(AT_A_TIME).enumerate() {
            let hashes: Vec<u64> = texts.iter().map(|text| pairs.hash(text.as_bytes())).collect();
            let mut seen = 0;
            pairs.find_all(
                &hashes,
                |index, key| key == texts[index].as_bytes(),
                |index, result| {
                    let is_there = chunk * AT_A_TIME + index < keys.len();
                    assert_eq!(result, if is_there { &texts[index].as_bytes()[1..] } else { &[] }, "{}", texts[index]);
                    seen += 1;
                },
            );
            assert_eq!(seen, texts.len());
        }
    }
}
