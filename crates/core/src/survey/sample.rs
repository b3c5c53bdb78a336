//! A bounded sample of rows, spread over a column of any length.

use std::collections::BinaryHeap;
use std::hash::BuildHasher;

use foldhash::quality::FixedState;

/// Maximum size of a sampled value, in bytes; longer values are not codes.
pub const LONGEST: usize = 4096;

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Row {
    pub row: u64,
    pub value: String,
}

impl AsRef<str> for Row {
    fn as_ref(&self) -> &str {
        &self.value
    }
}

/// The rows whose numbers have the smallest hashes. Each row is equally likely, the same column gives the same sample, and samples of
/// parts merge to the sample of the whole.
#[derive(Debug, Clone)]
pub struct Sample {
    most: usize,
    width: usize,
    /// Entries with the hash of the row number, the largest first.
    kept: BinaryHeap<(u64, u64, String)>,
}

impl Sample {
    pub fn new(most: usize) -> Sample {
        Sample { most, width: 0, kept: BinaryHeap::new() }
    }

    /// Observes the value of a row. It must not be blank.
    pub fn observe(&mut self, row: u64, value: &str) {
        let hash = FixedState::default().hash_one(row);
        let is_beyond = self.kept.len() >= self.most && self.kept.peek().is_none_or(|(largest, ..)| hash >= *largest);
        if is_beyond || value.len() > LONGEST {
            return;
        }
        self.keep(hash, row, value.to_owned());
    }

    /// Adds a sample of the same size of other rows, with a common row numbering.
    pub fn merge(&mut self, other: Sample) {
        other.kept.into_iter().for_each(|(hash, row, value)| self.keep(hash, row, value));
    }

    fn keep(&mut self, hash: u64, row: u64, value: String) {
        self.width += value.len();
        self.kept.push((hash, row, value));
        if self.kept.len() > self.most
            && let Some((.., value)) = self.kept.pop()
        {
            self.width -= value.len();
        }
    }

    pub fn bytes(&self) -> usize {
        self.width + self.kept.capacity() * size_of::<(u64, u64, String)>()
    }

    pub fn rows(&self) -> Vec<Row> {
        let mut rows: Vec<Row> = self.kept.iter().map(|(_, row, value)| Row { row: *row, value: value.clone() }).collect();
        rows.sort_by_key(|row| row.row);
        rows
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_spread_and_parts_can_be_merged() {
        let (mut whole, mut parts) = (Sample::new(100), [Sample::new(100), Sample::new(100)]);
        for row in 1..=10_000 {
            whole.observe(row, "x");
            parts[usize::from(row % 7 < 3)].observe(row, "x");
        }
        let [mut merged, second] = parts;
        merged.merge(second);
        let rows = whole.rows();
        assert_eq!(merged.rows(), rows);
        assert_eq!(rows.len(), 100);
        let in_each_quarter = [0, 1, 2, 3].map(|quarter| rows.iter().filter(|row| (row.row - 1) / 2500 == quarter).count());
        assert!(in_each_quarter.iter().all(|count| (10..=40).contains(count)), "{in_each_quarter:?}");
    }
}
