//! Pairs of keys and results, found by a hash of the key.
//!
//! A search in a large table mostly waits for memory. So [`Pairs::find_all`] runs many searches in passes, so that their waits overlap, and
//! the hash leads to short pairs without a second wait.

mod lines;
mod places;
mod records;

use std::hash::{BuildHasher as _, Hasher as _};
use std::sync::OnceLock;

use foldhash::fast::RandomState;

use lines::{Lines, SHORT};
use places::Places;
use records::Records;
pub(super) use records::{Pair, Record};

/// The batch size of [`Pairs::find_all`].
pub(super) const AT_A_TIME: usize = 64;

#[derive(Debug, Clone)]
pub(super) struct Pairs {
    records: Records,
    places: Places,
    /// `None` if too many pairs are long.
    lines: OnceLock<Option<Lines>>,
    count_long: usize,
    bytes: usize,
    hasher: RandomState,
}

impl Default for Pairs {
    fn default() -> Pairs {
        let (records, places, lines, hasher) = (Records::default(), Places::new(8, 0), OnceLock::new(), RandomState::default());
        Pairs { records, places, lines, count_long: 0, bytes: 0, hasher }
    }
}

impl Pairs {
    pub(super) fn count(&self) -> usize {
        self.records.count()
    }

    /// The size of the keys and results, in bytes.
    pub(super) fn bytes(&self) -> usize {
        self.bytes
    }

    /// The memory, in bytes.
    #[cfg(test)]
    pub(super) fn memory(&self) -> usize {
        self.records.memory() + self.places.memory() + self.lines().map_or(0, Lines::memory)
    }

    /// Adds a new key. `None` if the texts are too large.
    pub(super) fn add(&mut self, key: &[u8], result: &[u8]) -> Option<()> {
        let record = self.records.add(key, result)?;
        self.lines.take();
        let pair = Pair { key, result };
        self.bytes += pair.size();
        self.count_long += usize::from(pair.size() > SHORT);
        if self.count() > self.places.room() || !self.places.takes(record) {
            let mut places = Places::new(self.count(), self.records.end());
            self.records.iter().for_each(|(record, pair)| places.put(self.hash(pair.key), record));
            self.places = places;
        } else {
            self.places.put(self.hash(key), record);
        }
        Some(())
    }

    #[inline]
    fn lines(&self) -> Option<&Lines> {
        let are_short = || self.count_long * 8 <= self.count();
        self.lines.get_or_init(|| are_short().then(|| Lines::new(&self.records, |key| self.hash(key)))).as_ref()
    }

    #[inline]
    pub(super) fn hash(&self, key: &[u8]) -> u64 {
        let mut hasher = self.hasher.build_hasher();
        hasher.write(key);
        hasher.finish()
    }

    pub(super) fn pair(&self, record: Record) -> Option<Pair<'_>> {
        self.records.pair(record)
    }

    /// The records in insertion order.
    pub(super) fn records(&self) -> impl Iterator<Item = Record> {
        self.records.iter().map(|(record, _)| record)
    }

    /// The result of a key.
    pub(super) fn find(&self, key: &[u8]) -> Option<&[u8]> {
        self.places.find(&self.records, self.hash(key), |other| other == key)
    }

    /// Calls `see` with the index and the result of each key; unknown keys have an empty result. Takes the hashes of up to [`AT_A_TIME`]
    /// keys; `is_same` compares the key at an index.
    #[inline]
    pub(super) fn find_all(&self, hashes: &[u64], is_same: impl Fn(usize, &[u8]) -> bool, see: impl FnMut(usize, &[u8])) {
        let find = |index, hash| self.places.find(&self.records, hash, |key| is_same(index, key)).unwrap_or_default();
        match self.lines() {
            Some(lines) => lines.find_all(hashes, &is_same, find, see),
            None => self.places.find_all(&self.records, hashes, is_same, see),
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_key_has_its_own_result() {
        // Nearly all pairs are short, or most are long.
        each_key_of_up_to(5);
        each_key_of_up_to(40);
    }

    fn each_key_of_up_to(filler: usize) {
        let mut pairs = Pairs::default();
        let text = |key: usize| format!("{key}{}", "x".repeat(if key % 1000 == 7 { key } else { key % filler }));
        let keys: Vec<String> = (0..20_000).map(text).collect();
        for key in &keys {
            assert_eq!(pairs.find(key.as_bytes()), None, "{key}");
            pairs.add(key.as_bytes(), key.as_bytes().get(1..).unwrap_or_default()).unwrap();
        }
        assert_eq!(pairs.lines().is_some(), filler == 5);
        assert_eq!(pairs.count(), keys.len());
        let added: Vec<&[u8]> = pairs.records().map(|record| pairs.pair(record).unwrap().key).collect();
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
