//! How many different values there are: exactly up to a bound, then estimated.

use std::collections::HashSet;
use std::hash::{BuildHasher, BuildHasherDefault};

use foldhash::quality::FixedState;

use crate::hashed::AsItIs;

/// Counts different values by the smallest of their hashes.
///
/// As long as no more than `bound` different hashes were observed, their number is the count. After that the
/// `bound`-th smallest tells how dense they are, and so how many: the k minimum values of Bar-Yossef et al., "Counting
/// Distinct Elements in a Data Stream" (2002), with a standard error of 1/√(bound − 2). The smallest hashes of a whole
/// are the smallest of those of its parts, so parts can be merged.
#[derive(Debug, Clone)]
pub struct Distinct {
    bound: usize,
    /// The smallest hashes: at least `bound` of them, where there are that many, and at most twice as many.
    hashes: HashSet<u64, BuildHasherDefault<AsItIs>>,
    /// No hash beyond this is kept.
    highest: u64,
    hasher: FixedState,
}

/// How many different values there are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Count {
    /// Exactly this number.
    Exact(u64),
    /// An estimate.
    About(u64),
}

impl Distinct {
    /// A count that is exact up to `bound` values, and takes about 40 bytes for each of those.
    pub fn new(bound: usize) -> Distinct {
        Distinct { bound: bound.max(3), hashes: HashSet::default(), highest: u64::MAX, hasher: FixedState::default() }
    }

    /// Observes a value.
    #[inline]
    pub fn observe(&mut self, value: &str) {
        self.keep(self.hasher.hash_one(value.as_bytes()));
    }

    /// Adds the values of another count with the same bound.
    pub fn merge(&mut self, other: Distinct) {
        if other.highest < self.highest {
            self.highest = other.highest;
            self.hashes.retain(|hash| *hash <= other.highest);
        }
        other.hashes.into_iter().for_each(|hash| self.keep(hash));
    }

    #[inline]
    fn keep(&mut self, hash: u64) {
        if hash <= self.highest && self.hashes.insert(hash) && self.hashes.len() > 2 * self.bound {
            let highest = self.last_of_bound();
            self.highest = highest;
            self.hashes.retain(|hash| *hash <= highest);
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

    /// The standard error of an estimate, as a share of it.
    pub fn error(&self) -> f64 {
        1.0 / ((self.bound - 2) as f64).sqrt()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn exact_up_to_the_bound_and_near_beyond() {
        let mut distinct = Distinct::new(1000);
        for n in 0..1000 {
            distinct.observe(&n.to_string());
            distinct.observe(&(n / 2).to_string());
        }
        assert_eq!(distinct.count(), Count::Exact(1000));
        for n in 0..100_000 {
            distinct.observe(&n.to_string());
        }
        let Count::About(about) = distinct.count() else { panic!("it is an estimate") };
        let off = (about as f64 - 100_000.0).abs() / 100_000.0;
        assert!(off < 3.0 * distinct.error(), "{about}");
        assert!(distinct.hashes.len() <= 2000);
        let part = |from: usize, to: usize| {
            let mut part = Distinct::new(1000);
            (from..to).for_each(|n| part.observe(&n.to_string()));
            part
        };
        for parts in [[0, 300, 100_000], [0, 60_000, 100_000]] {
            let mut merged = part(parts[0], parts[1]);
            merged.merge(part(parts[1], parts[2]));
            assert_eq!(merged.count(), distinct.count());
        }
        let (mut none, mut once) = (Distinct::new(3), Distinct::new(3));
        ["a", "b", "c", "d", "e", "f", "g"].iter().for_each(|value| once.observe(value));
        none.merge(once.clone());
        assert_eq!((none.count(), once.hashes.len()), (once.count(), 3));
        let mut few = part(0, 500);
        few.merge(part(300, 1000));
        assert_eq!(few.count(), Count::Exact(1000));
    }
}
