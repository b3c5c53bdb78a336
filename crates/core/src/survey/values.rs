//! How many different values there are, and how often each comes: exactly up to a bound, then estimated.

use std::collections::{HashMap, HashSet};
use std::hash::{BuildHasher, BuildHasherDefault};

use foldhash::quality::FixedState;

use super::ALLOCATION;
use super::sample::Row;
use crate::hashed::AsItIs;

/// The bytes that are kept of a value to be shown.
const LONGEST: usize = 200;

/// Counts different values by the smallest of their hashes.
///
/// As long as no more than `bound` different hashes were observed, their number is the count. After that the `bound`-th
/// smallest tells how dense they are, and so how many: the k minimum values of Bar-Yossef et al., "Counting Distinct
/// Elements in a Data Stream" (2002), with a standard error of 1/√(bound − 2). The smallest hashes of a whole are the
/// smallest of those of its parts, so parts can be merged.
///
/// How often each value comes is known as long as there are no more than a fifth of `bound`.
#[derive(Debug, Clone)]
pub struct Values {
    bound: usize,
    /// The smallest hashes: at least `bound` of them, where there are that many, and at most twice as many.
    hashes: HashSet<u64, BuildHasherDefault<AsItIs>>,
    /// No hash beyond this is kept.
    highest: u64,
    /// How often each value came, by its hash; none once there are too many.
    seen: Option<HashMap<u64, Seen, BuildHasherDefault<AsItIs>>>,
    /// The bytes of their texts.
    width: usize,
    hasher: FixedState,
}

/// Bits of a hash that are not saved.
#[cfg(feature = "cutlist")]
const SAVED_SHIFT: u32 = 16;

/// How many different values there are, as it is saved.
#[cfg(feature = "cutlist")]
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct SavedValues {
    /// Whether there are more than are saved.
    pub more: bool,
    /// The smallest hashes of values, one after the other, each in 12 hexadecimal digits.
    pub hashes: String,
}

/// How often a value came.
#[derive(Debug, Clone)]
struct Seen {
    count: u64,
    first: u64,
    /// Its text, cut off where it is long.
    text: Box<str>,
}

/// How many different values there are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Count {
    /// Exactly this number.
    Exact(u64),
    /// An estimate.
    About(u64),
}

/// A value that comes often.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Frequent {
    /// The value, cut off where it is long.
    pub value: String,
    /// The number of rows with it.
    pub rows: Count,
    /// The first row with it, or the first of those that were drawn for an estimate.
    pub first: u64,
}

impl Values {
    /// A count that is exact up to `bound` values.
    pub fn new(bound: usize) -> Values {
        Values {
            bound: bound.max(3),
            hashes: HashSet::default(),
            highest: u64::MAX,
            seen: Some(HashMap::default()),
            width: 0,
            hasher: FixedState::default(),
        }
    }

    /// Observes the value of a row.
    #[inline]
    pub fn observe(&mut self, row: u64, value: &str) {
        let hash = self.hasher.hash_one(value.as_bytes());
        self.keep(hash);
        if self.seen.is_some() {
            self.count_of(hash, row, 1, || clipped(value).into());
        }
    }

    /// Adds the values of other rows, counted up to the same bound.
    pub fn merge(&mut self, other: Values) {
        if other.highest < self.highest {
            self.highest = other.highest;
            self.hashes.retain(|hash| *hash <= other.highest);
        }
        other.hashes.into_iter().for_each(|hash| self.keep(hash));
        match other.seen {
            None => (self.seen, self.width) = (None, 0),
            Some(seen) => {
                seen.into_iter().for_each(|(hash, seen)| self.count_of(hash, seen.first, seen.count, || seen.text));
            }
        }
    }

    /// Estimated memory in bytes.
    pub fn bytes(&self) -> usize {
        let seen = self.seen.as_ref().map_or(0, |seen| seen.capacity() * size_of::<(u64, Seen)>() + seen.len() * ALLOCATION);
        self.hashes.capacity() * size_of::<u64>() + seen + self.width
    }

    /// The number of different values, as it is saved: by 48 bits of their smallest hashes.
    #[cfg(feature = "cutlist")]
    pub fn saved(&self) -> SavedValues {
        let mut all: Vec<u64> = self.hashes.iter().map(|hash| hash >> SAVED_SHIFT).collect();
        all.sort_unstable();
        all.dedup();
        let more = all.len() > self.bound || self.highest != u64::MAX;
        all.truncate(self.bound);
        SavedValues { more, hashes: all.iter().map(|hash| format!("{hash:012x}")).collect() }
    }

    /// The hashes that are kept.
    #[cfg(feature = "cutlist")]
    pub fn hashes(&self) -> impl Iterator<Item = u64> {
        self.hashes.iter().copied()
    }

    /// Whether a value of this hash was among those that were saved.
    #[cfg(feature = "cutlist")]
    pub fn has_saved(&self, hash: u64) -> bool {
        self.hashes.contains(&(hash >> SAVED_SHIFT << SAVED_SHIFT))
    }

    /// The first row with the value of a hash, where each is counted.
    #[cfg(feature = "cutlist")]
    pub fn first_row(&self, hash: u64) -> Option<u64> {
        self.seen.as_ref()?.get(&hash).map(|seen| seen.first)
    }

    /// What was saved, counted up to this bound.
    #[cfg(feature = "cutlist")]
    pub fn of_saved(saved: &SavedValues, bound: usize) -> Values {
        let mut values = Values { seen: None, ..Values::new(bound) };
        let digits = saved.hashes.as_bytes().chunks_exact(12);
        let hashes = digits.filter_map(|digits| u64::from_str_radix(std::str::from_utf8(digits).ok()?, 16).ok());
        values.hashes = hashes.map(|hash| hash << SAVED_SHIFT).take(bound).collect();
        if saved.more {
            values.highest = values.hashes.iter().copied().max().unwrap_or_default();
        }
        values
    }

    #[inline]
    fn keep(&mut self, hash: u64) {
        if hash <= self.highest && self.hashes.insert(hash) && self.hashes.len() > 2 * self.bound {
            let highest = self.last_of_bound();
            self.highest = highest;
            self.hashes.retain(|hash| *hash <= highest);
        }
    }

    /// Adds rows of a value to its count, unless there are too many values for that.
    fn count_of(&mut self, hash: u64, row: u64, count: u64, text: impl FnOnce() -> Box<str>) {
        let Some(all) = &mut self.seen else { return };
        let width = &mut self.width;
        let seen = all.entry(hash).or_insert_with(|| {
            let text = text();
            *width += text.len();
            Seen { count: 0, first: row, text }
        });
        seen.count += count;
        seen.first = seen.first.min(row);
        if all.len() > self.bound.div_ceil(5) {
            (self.seen, self.width) = (None, 0);
        }
    }

    /// The largest of the `bound` smallest hashes, of which there are that many.
    fn last_of_bound(&self) -> u64 {
        let mut all: Vec<u64> = self.hashes.iter().copied().collect();
        *all.select_nth_unstable(self.bound - 1).1
    }

    /// The number of different values.
    pub fn count(&self) -> Count {
        if self.hashes.len() < self.bound || (self.hashes.len() == self.bound && self.highest == u64::MAX) {
            return Count::Exact(self.hashes.len() as u64);
        }
        let density = (self.last_of_bound() as f64 + 1.0) / (u64::MAX as f64 + 1.0);
        Count::About(((self.bound - 1) as f64 / density).round() as u64)
    }

    /// The standard error of an estimate of the number of different values, as a share of it.
    pub fn error(&self) -> f64 {
        1.0 / ((self.bound - 2) as f64).sqrt()
    }

    /// Whether how often each value came is known.
    pub fn counts_each(&self) -> bool {
        self.seen.is_some()
    }

    /// The most frequent values, the first row deciding between those that are as frequent. `None` where there are too many
    /// different values to count each.
    pub fn top(&self, most: usize) -> Option<Vec<Frequent>> {
        let seen = self.seen.as_ref()?.values().map(|seen| (seen.count, seen.first, &*seen.text));
        Some(
            ranked(seen.collect(), most)
                .into_iter()
                .map(|(count, first, text)| Frequent { value: text.to_owned(), rows: Count::Exact(count), first })
                .collect(),
        )
    }
}

/// Rows of a sample that a value must have for an estimate of its rows: with fewer, chance decides.
const LEAST_DRAWN: u64 = 10;

/// The most frequent values of a sample, with an estimate of how many of `values` rows have each.
pub fn top_of_sample(sample: &[Row], values: u64, most: usize) -> Vec<Frequent> {
    let mut counts: HashMap<&str, (u64, u64)> = HashMap::new();
    for Row { row, value } in sample {
        let (count, first) = counts.entry(value).or_insert((0, *row));
        (*count, *first) = (*count + 1, (*first).min(*row));
    }
    let seen = counts.into_iter().filter(|(_, (count, _))| *count >= LEAST_DRAWN);
    let estimate = |count: u64| (count as f64 / sample.len() as f64 * values as f64).round() as u64;
    ranked(seen.map(|(value, (count, first))| (count, first, value)).collect(), most)
        .into_iter()
        .map(|(count, first, value)| Frequent { value: clipped(value).to_owned(), rows: Count::About(estimate(count)), first })
        .collect()
}

fn ranked(mut seen: Vec<(u64, u64, &str)>, most: usize) -> Vec<(u64, u64, &str)> {
    seen.sort_unstable_by_key(|(count, first, _)| (std::cmp::Reverse(*count), *first));
    seen.truncate(most);
    seen
}

fn clipped(value: &str) -> &str {
    &value[..value.floor_char_boundary(LONGEST)]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn exact_up_to_the_bound_and_near_beyond() {
        let mut values = Values::new(1000);
        for n in 0..1000 {
            values.observe(n, &n.to_string());
            values.observe(n, &(n / 2).to_string());
        }
        assert_eq!(values.count(), Count::Exact(1000));
        for n in 0..100_000 {
            values.observe(n, &n.to_string());
        }
        let Count::About(about) = values.count() else { panic!("it is an estimate") };
        let off = (about as f64 - 100_000.0).abs() / 100_000.0;
        assert!(off < 3.0 * values.error(), "{about}");
        assert!(values.hashes.len() <= 2000);
        let part = |from: u64, to: u64| {
            let mut part = Values::new(1000);
            (from..to).for_each(|n| part.observe(n, &n.to_string()));
            part
        };
        for parts in [[0, 300, 100_000], [0, 60_000, 100_000]] {
            let mut merged = part(parts[0], parts[1]);
            merged.merge(part(parts[1], parts[2]));
            assert_eq!(merged.count(), values.count());
        }
        let (mut none, mut once) = (Values::new(3), Values::new(3));
        (1..).zip(["a", "b", "c", "d", "e", "f", "g"]).for_each(|(row, value)| once.observe(row, value));
        none.merge(once.clone());
        assert_eq!((none.count(), once.hashes.len()), (once.count(), 3));
        let mut few = part(0, 500);
        few.merge(part(300, 1000));
        assert_eq!(few.count(), Count::Exact(1000));
    }

    #[test]
    fn the_most_frequent_values_of_all_rows_or_of_a_sample() {
        let frequent = |value: &str, rows, first| Frequent { value: value.to_owned(), rows, first };
        let (mut first, mut second) = (Values::new(25), Values::new(25));
        (1..).zip(["b", "a", "b", "c"]).for_each(|(row, value)| first.observe(row, value));
        (5..).zip(["c", "a", "c"]).for_each(|(row, value)| second.observe(row, value));
        for (mut merged, other) in [(first.clone(), second.clone()), (second, first)] {
            merged.merge(other);
            let top = merged.top(2).expect("few values");
            assert_eq!(top, [frequent("c", Count::Exact(3), 4), frequent("b", Count::Exact(2), 1)]);
            (10..12).for_each(|n| merged.observe(n, &n.to_string()));
            assert_eq!(merged.top(1), Some(vec![frequent("c", Count::Exact(3), 4)]), "five values");
            merged.observe(12, "the sixth");
            assert_eq!((merged.top(2), merged.count()), (None, Count::Exact(6)));
        }
        let row = |row: u64| Row { row, value: if row.is_multiple_of(4) { "n/a".to_owned() } else { row.to_string() } };
        let sample: Vec<Row> = (1..=80).map(row).collect();
        assert_eq!(top_of_sample(&sample, 8000, 5), [frequent("n/a", Count::About(2000), 4)]);
    }
}
