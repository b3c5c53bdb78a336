//! A table that leads from the hash of a key to its record: with open addressing and linear probing.

use std::hint::black_box;

use super::AT_A_TIME;
use super::records::{Record, Records};

/// A power of two of places, at most half of them taken. A place holds 1 + the start of a record in its low bits, and bits of the hash
/// above them; 0 is free.
#[derive(Debug, Clone)]
pub(super) struct Places {
    places: Vec<u32>,
    /// Mask of the low bits.
    of_record: u32,
}

impl Places {
    /// Free places for a number of pairs, whose records end at `end`.
    pub(super) fn new(pairs: usize, end: usize) -> Places {
        let of_record = u32::try_from(end.next_power_of_two() * 2 - 1).unwrap_or(u32::MAX);
        Places { places: vec![0; (pairs * 2).next_power_of_two()], of_record }
    }

    /// The number of pairs that there is room for.
    pub(super) fn room(&self) -> usize {
        self.places.len() / 2
    }

    /// Whether the start of a record fits into a place.
    pub(super) fn takes(&self, record: Record) -> bool {
        record < self.of_record
    }

    #[cfg(test)]
    pub(super) fn memory(&self) -> usize {
        self.places.capacity() * size_of::<u32>()
    }

    /// Adds a key that is not there. One place must be free.
    pub(super) fn put(&mut self, hash: u64, record: Record) {
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

    /// The result of a key.
    pub(super) fn find<'a>(&self, records: &'a Records, hash: u64, is_same: impl Fn(&[u8]) -> bool) -> Option<&'a [u8]> {
        let (last, tag) = (self.places.len() - 1, self.tag(hash));
        let mut at = hash as usize & last;
        loop {
            let place = *self.places.get(at)?;
            let record = (place & self.of_record).checked_sub(1)?;
            if place & !self.of_record == tag
                && let Some(pair) = records.pair(record)
                && is_same(pair.key)
            {
                return Some(pair.result);
            }
            at = (at + 1) & last;
        }
    }

    /// Calls `see` with the index and the result of each hash; unknown keys have an empty result.
    #[inline]
    pub(super) fn find_all(
        &self,
        records: &Records,
        hashes: &[u64],
        is_same: impl Fn(usize, &[u8]) -> bool,
        mut see: impl FnMut(usize, &[u8]),
    ) {
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
        let near = likely.iter().take(hashes.len()).filter_map(|record| records.near(*record));
        black_box(near.fold(0, |all, bytes| all ^ bytes[0] ^ bytes[15]));
        for (index, (hash, likely)) in hashes.iter().zip(likely).enumerate() {
            let result = match likely.checked_sub(1).and_then(|record| records.pair(record)) {
                None => &[],
                Some(pair) if is_same(index, pair.key) => pair.result,
                // Two keys share the tag.
                Some(_) => self.find(records, *hash, |key| is_same(index, key)).unwrap_or_default(),
            };
            see(index, result);
        }
    }
}
