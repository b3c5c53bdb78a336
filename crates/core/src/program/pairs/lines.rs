//! A copy of the short pairs, in lines of the processor's cache: a table with open addressing, and linear probing from line to line.

use std::hint::black_box;

use super::records::{Pair, Records};

/// The places of a line.
const PLACES: usize = 3;
/// The size of a short pair, in bytes.
pub(super) const SHORT: usize = 18;
/// The key size of a place for a longer pair.
const LONG: u8 = u8::MAX;

#[derive(Debug, Clone)]
pub(super) struct Lines(Vec<Line>);

/// The first free place ends the pairs of a line.
#[derive(Debug, Clone, Copy, Default)]
#[repr(align(64))]
struct Line {
    /// Some bits of the hash at each place; 0 is free.
    tags: [u8; PLACES],
    places: [Place; PLACES],
}

#[derive(Debug, Clone, Copy, Default)]
struct Place {
    /// Size of the key, or [`LONG`].
    key: u8,
    result: u8,
    /// The key and the result, if they are short.
    texts: [u8; SHORT],
}

impl Lines {
    /// The pairs of the records, in at most two fifths of the places.
    pub(super) fn new(records: &Records, hash: impl Fn(&[u8]) -> u64) -> Lines {
        let mut lines = Lines(vec![Line::default(); (records.count() * 5).div_ceil(PLACES * 2).max(1)]);
        for (_, pair) in records.iter() {
            let hash = hash(pair.key);
            let mut at = lines.first(hash);
            while let Some(line) = lines.0.get_mut(at) {
                if let Some(free) = line.tags.iter().position(|tag| *tag == 0) {
                    (line.tags[free], line.places[free]) = (tag(hash), Place::of(&pair));
                    break;
                }
                at = lines.after(at);
            }
        }
        lines
    }

    #[cfg(test)]
    pub(super) fn memory(&self) -> usize {
        self.0.capacity() * size_of::<Line>()
    }

    /// The line where the search for a hash starts.
    #[inline]
    fn first(&self, hash: u64) -> usize {
        (((hash >> 32) * self.0.len() as u64) >> 32) as usize
    }

    fn after(&self, line: usize) -> usize {
        if line + 1 < self.0.len() { line + 1 } else { 0 }
    }

    /// Calls `see` with the index and the result of each hash; unknown keys have an empty result. `find_long` searches the long pairs.
    #[inline]
    pub(super) fn find_all<'a>(
        &'a self,
        hashes: &[u64],
        is_same: impl Fn(usize, &[u8]) -> bool,
        find_long: impl Fn(usize, u64) -> &'a [u8],
        mut see: impl FnMut(usize, &[u8]),
    ) {
        let line = |hash: u64| self.0.get(self.first(hash));
        // Loads the lines into the cache before the branches that depend on them.
        let near = hashes.iter().filter_map(|hash| line(*hash));
        black_box(near.fold(0, |all, line| all ^ line.tags[0]));
        for (index, hash) in hashes.iter().enumerate() {
            let place = line(*hash).map(|line| line.likely(tag(*hash)));
            let result = match place.and_then(Place::pair) {
                Some(pair) if is_same(index, pair.key) => pair.result,
                _ => self.find(*hash, |key| is_same(index, key), || find_long(index, *hash)),
            };
            see(index, result);
        }
    }

    fn find<'a>(&'a self, hash: u64, is_same: impl Fn(&[u8]) -> bool, find_long: impl Fn() -> &'a [u8]) -> &'a [u8] {
        let mut at = self.first(hash);
        while let Some(line) = self.0.get(at) {
            for (other, place) in line.tags.iter().zip(&line.places) {
                if *other == 0 {
                    return &[];
                }
                if *other == tag(hash) {
                    match place.pair() {
                        None => return find_long(),
                        Some(pair) if is_same(pair.key) => return pair.result,
                        Some(_) => {}
                    }
                }
            }
            at = self.after(at);
        }
        &[]
    }
}

/// The bits of a hash that a line holds; never 0.
#[inline]
fn tag(hash: u64) -> u8 {
    hash as u8 | 1
}

impl Line {
    /// The first place with a tag, or the last place. It does not branch, since a branch could not be predicted.
    #[inline]
    fn likely(&self, tag: u8) -> &Place {
        let mut at = PLACES - 1;
        for place in (0..PLACES - 1).rev() {
            at = if self.tags[place] == tag { place } else { at };
        }
        &self.places[at]
    }
}

impl Place {
    fn of(pair: &Pair<'_>) -> Place {
        let mut texts = [0; SHORT];
        if pair.size() > SHORT {
            return Place { key: LONG, result: 0, texts };
        }
        texts.iter_mut().zip(pair.key.iter().chain(pair.result)).for_each(|(to, byte)| *to = *byte);
        Place { key: pair.key.len() as u8, result: pair.result.len() as u8, texts }
    }

    #[inline]
    fn pair(&self) -> Option<Pair<'_>> {
        let (key, rest) = self.texts.split_at_checked(self.key.into())?;
        Some(Pair { key, result: rest.get(..self.result.into())? })
    }
}
