use std::collections::{HashMap, HashSet};
use std::hash::{BuildHasher, BuildHasherDefault};

use foldhash::quality::FixedState;

use super::ALLOCATION;
use super::sample::Row;
use crate::hashed::AsItIs;

const LONGEST: usize = 200;

/// Counts distinct values by their smallest hashes.
///
/// Up to `bound` distinct hashes, the count is exact. Beyond that, the `bound`-th smallest hash gives an estimate: the k minimum values
/// of Bar-Yossef et al., "Counting Distinct Elements in a Data Stream" (2002), with a standard error of 1/√(bound − 2). The smallest
/// hashes of the whole are the smallest among those of the parts, so parts can be merged.
///
/// Frequencies are kept up to a fifth of `bound` distinct values.
#[derive(Debug, Clone)]
pub struct Values {
    bound: usize,
    /// The smallest hashes: at least `bound`, if there are that many, and at most twice as many.
    hashes: HashSet<u64, BuildHasherDefault<AsItIs>>,
    highest: u64,
    /// The frequency of each value by hash; `None` with too many values.
    seen: Option<Frequencies>,
    /// The frequencies when they became too many, until they are taken.
    dropped: Option<Frequencies>,
    width: usize,
    hasher: FixedState,
}

#[cfg(feature = "cutlist")]
const SAVED_SHIFT: u32 = 16;

#[cfg(feature = "cutlist")]
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct SavedValues {
    /// Whether there are more than were saved.
    pub more: bool,
    pub hashes: String,
}

type Frequencies = HashMap<u64, Frequency, BuildHasherDefault<AsItIs>>;

#[derive(Debug, Clone)]
pub struct Frequency {
    pub count: u64,
    pub first: u64,
    /// The value, shortened if long.
    pub text: Box<str>,
}

/// A number of distinct values.
///
/// ```
/// use keen_notch_core::survey::{Count, Survey};
///
/// let survey = Survey::of_values(["GRP-00041273", "HNG-00760251", "GRP-00041273", "?"]);
/// assert_eq!(survey.distinct(), Count::Exact(3));
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Count {
    Exact(u64),
    About(u64),
}

/// A value that many rows have.
///
/// ```
/// use keen_notch_core::survey::{Count, Survey};
///
/// let survey = Survey::of_values(["GRP-00041273", "HNG-00760251", "GRP-00041273", "?"]);
/// let first = &survey.frequent(1)[0];
/// assert_eq!((first.value.as_str(), first.rows, first.first), ("GRP-00041273", Count::Exact(2), 1));
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FrequentValue {
    /// The value, shortened if long.
    pub value: String,
    pub rows: Count,
    /// The first row with it; for an estimate, the first one in the sample.
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
            dropped: None,
            width: 0,
            hasher: FixedState::default(),
        }
    }

    #[inline]
    pub fn observe(&mut self, row: u64, value: &str) {
        let hash = self.hasher.hash_one(value.as_bytes());
        self.keep(hash);
        if self.seen.is_some() {
            self.count_of(hash, row, 1, || clipped(value).into());
            self.drop_too_many();
        }
    }

    /// Adds the values of other rows, with the same bound.
    pub fn merge(&mut self, other: Values) {
        if other.highest < self.highest {
            self.highest = other.highest;
            self.hashes.retain(|hash| *hash <= other.highest);
        }
        other.hashes.into_iter().for_each(|hash| self.keep(hash));
        match other.seen {
            None => self.drop_seen(),
            Some(seen) => {
                seen.into_iter().for_each(|(hash, seen)| self.count_of(hash, seen.first, seen.count, || seen.text));
                self.drop_too_many();
            }
        }
    }

    pub fn bytes(&self) -> usize {
        let seen =
            self.seen.as_ref().map_or(0, |seen| seen.capacity() * size_of::<(u64, Frequency)>() + seen.len() * ALLOCATION);
        self.hashes.capacity() * size_of::<u64>() + seen + self.width
    }

    /// The saved form: 48 bits of the smallest hashes.
    #[cfg(feature = "cutlist")]
    pub fn saved(&self) -> SavedValues {
        let mut all: Vec<u64> = self.hashes.iter().map(|hash| hash >> SAVED_SHIFT).collect();
        all.sort_unstable();
        all.dedup();
        let more = all.len() > self.bound || self.highest != u64::MAX;
        all.truncate(self.bound);
        SavedValues { more, hashes: all.iter().map(|hash| format!("{hash:012x}")).collect() }
    }

    #[cfg(feature = "cutlist")]
    pub fn hashes(&self) -> impl Iterator<Item = u64> {
        self.hashes.iter().copied()
    }

    #[cfg(feature = "cutlist")]
    pub fn has_saved(&self, hash: u64) -> bool {
        self.hashes.contains(&(hash >> SAVED_SHIFT << SAVED_SHIFT))
    }

    /// The first row with the value of a hash, if frequencies are kept.
    #[cfg(feature = "cutlist")]
    pub fn first_row(&self, hash: u64) -> Option<u64> {
        self.seen.as_ref()?.get(&hash).map(|seen| seen.first)
    }

    /// Restores saved values with this bound.
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

    fn count_of(&mut self, hash: u64, row: u64, count: u64, text: impl FnOnce() -> Box<str>) {
        let Some(all) = &mut self.seen else { return };
        let width = &mut self.width;
        let seen = all.entry(hash).or_insert_with(|| {
            let text = text();
            *width += text.len();
            Frequency { count: 0, first: row, text }
        });
        seen.count += count;
        seen.first = seen.first.min(row);
    }

    fn drop_too_many(&mut self) {
        if self.seen.as_ref().is_some_and(|seen| seen.len() > self.bound.div_ceil(5)) {
            self.drop_seen();
        }
    }

    fn drop_seen(&mut self) {
        if let Some(seen) = self.seen.take() {
            (self.dropped, self.width) = (Some(seen), 0);
        }
    }

    /// The frequencies, if they became too many since the last call.
    pub fn take_dropped(&mut self) -> impl Iterator<Item = Frequency> + use<> {
        self.dropped.take().into_iter().flatten().map(|(_, seen)| seen)
    }

    /// The frequencies, if they are kept.
    pub fn seen(&self) -> impl Iterator<Item = &Frequency> {
        self.seen.iter().flat_map(HashMap::values)
    }

    fn last_of_bound(&self) -> u64 {
        let mut all: Vec<u64> = self.hashes.iter().copied().collect();
        *all.select_nth_unstable(self.bound - 1).1
    }

    pub fn count(&self) -> Count {
        if self.hashes.len() < self.bound || (self.hashes.len() == self.bound && self.highest == u64::MAX) {
            return Count::Exact(self.hashes.len() as u64);
        }
        let density = (self.last_of_bound() as f64 + 1.0) / (u64::MAX as f64 + 1.0);
        Count::About(((self.bound - 1) as f64 / density).round() as u64)
    }

    pub fn error(&self) -> f64 {
        1.0 / ((self.bound - 2) as f64).sqrt()
    }

    pub fn counts_each(&self) -> bool {
        self.seen.is_some()
    }

    /// The most frequent values; the earlier first row decides ties. `None` if frequencies are not kept.
    pub fn top(&self, most: usize) -> Option<Vec<FrequentValue>> {
        let seen = self.seen.as_ref()?.values();
        let mut seen: Vec<_> =
            seen.map(|seen| RankedValue { count: seen.count, first: seen.first, value: &seen.text }).collect();
        rank(&mut seen, most);
        let value = |seen: RankedValue| FrequentValue {
            value: seen.value.to_owned(),
            rows: Count::Exact(seen.count),
            first: seen.first,
        };
        Some(seen.into_iter().map(value).collect())
    }
}

/// Minimum rows of a value in a sample for an estimate; fewer may be chance.
const LEAST_DRAWN: u64 = 10;

/// The most frequent values of a sample, with estimates of their rows among `values`.
pub fn top_of_sample(sample: &[Row], values: u64, most: usize) -> Vec<FrequentValue> {
    let mut counts: HashMap<&str, (u64, u64)> = HashMap::new();
    for Row { row, value } in sample {
        let (count, first) = counts.entry(value).or_insert((0, *row));
        (*count, *first) = (*count + 1, (*first).min(*row));
    }
    let seen = counts.into_iter().filter(|(_, (count, _))| *count >= LEAST_DRAWN);
    let estimate = |count: u64| (count as f64 / sample.len() as f64 * values as f64).round() as u64;
    let mut seen: Vec<_> = seen.map(|(value, (count, first))| RankedValue { count, first, value }).collect();
    rank(&mut seen, most);
    let value = |seen: RankedValue| FrequentValue {
        value: clipped(seen.value).to_owned(),
        rows: Count::About(estimate(seen.count)),
        first: seen.first,
    };
    seen.into_iter().map(value).collect()
}

struct RankedValue<'v> {
    count: u64,
    first: u64,
    value: &'v str,
}

fn rank(seen: &mut Vec<RankedValue>, most: usize) {
    seen.sort_unstable_by_key(|seen| (std::cmp::Reverse(seen.count), seen.first));
    seen.truncate(most);
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
        let frequent = |value: &str, rows, first| FrequentValue { value: value.to_owned(), rows, first };
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
