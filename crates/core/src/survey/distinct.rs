//! How many different values there are: exactly up to a bound, then estimated.

use std::collections::{BinaryHeap, HashSet};
use std::hash::{BuildHasher, BuildHasherDefault};

use foldhash::quality::FixedState;

use crate::hashed::AsItIs;

/// Counts different values by the smallest of their hashes.
///
/// As long as no more than `bound` different hashes were seen, their number is the count. Behind that the
/// `bound`-th smallest tells how dense they lie, and so how many there are: the k minimum values of Bar-Yossef
/// et al., "Counting Distinct Elements in a Data Stream" (2002), with a standard error of 1/√(bound − 2).
#[derive(Debug, Clone)]
pub struct Distinct {
    bound: usize,
    smallest: HashSet<u64, BuildHasherDefault<AsItIs>>,
    largest_first: BinaryHeap<u64>,
    hasher: FixedState,
    full: bool,
}

/// How many different values there are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Count {
    /// So many.
    Exact(u64),
    /// About so many.
    About(u64),
}

impl Distinct {
    /// A count that is exact up to `bound` values, and takes about 30 bytes for each of those.
    pub fn new(bound: usize) -> Distinct {
        Distinct {
            bound: bound.max(3),
            smallest: HashSet::default(),
            largest_first: BinaryHeap::new(),
            hasher: FixedState::default(),
            full: false,
        }
    }

    /// Sees a value.
    #[inline]
    pub fn see(&mut self, value: &str) {
        let hash = self.hasher.hash_one(value.as_bytes());
        if self.full && self.largest_first.peek().is_some_and(|largest| hash >= *largest) {
            return;
        }
        self.keep(hash);
    }

    fn keep(&mut self, hash: u64) {
        if !self.smallest.insert(hash) {
            return;
        }
        self.largest_first.push(hash);
        if self.largest_first.len() > self.bound {
            self.full = true;
            if let Some(largest) = self.largest_first.pop() {
                self.smallest.remove(&largest);
            }
        }
    }

    /// How many there are.
    pub fn count(&self) -> Count {
        match self.largest_first.peek() {
            Some(largest) if self.full => {
                let density = (*largest as f64 + 1.0) / (u64::MAX as f64 + 1.0);
                Count::About(((self.bound - 1) as f64 / density).round() as u64)
            }
            _ => Count::Exact(self.largest_first.len() as u64),
        }
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
            distinct.see(&n.to_string());
            distinct.see(&(n / 2).to_string());
        }
        assert_eq!(distinct.count(), Count::Exact(1000));
        for n in 0..100_000 {
            distinct.see(&n.to_string());
        }
        let Count::About(about) = distinct.count() else { panic!("it is an estimate") };
        let off = (about as f64 - 100_000.0).abs() / 100_000.0;
        assert!(off < 3.0 * distinct.error(), "{about}");
        assert_eq!(distinct.smallest.len(), 1000);
    }
}
