//! A bounded number of rows, spread evenly over a column of any length.

/// A row of the sample.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Row {
    /// Its number, from 1.
    pub row: u64,
    /// Its value.
    pub value: String,
}

/// Rows kept at even distances, which double whenever there are too many. The same column gives the same
/// sample.
#[derive(Debug, Clone)]
pub struct Sample {
    most: usize,
    distance: u64,
    kept: Vec<Row>,
    /// Values seen that are not blank.
    seen: u64,
}

/// The longest value that is kept, in bytes: longer ones are no codes.
const LONGEST: usize = 4096;

impl Sample {
    /// Keeps at least half of so many rows, if there are that many, and no more.
    pub fn new(most: usize) -> Sample {
        Sample { most: most.max(2), distance: 1, kept: Vec::new(), seen: 0 }
    }

    /// Sees the value of a row. Blank ones are passed over.
    pub fn see(&mut self, row: u64, value: &str) {
        if value.chars().all(char::is_whitespace) || value.len() > LONGEST {
            return;
        }
        self.seen += 1;
        if (self.seen - 1).is_multiple_of(self.distance) {
            self.kept.push(Row { row, value: value.to_owned() });
            if self.kept.len() > self.most {
                let mut index = 0;
                self.kept.retain(|_| {
                    index += 1;
                    index % 2 == 1
                });
                self.distance *= 2;
            }
        }
    }

    /// The rows, from the first to the last.
    pub fn rows(&self) -> &[Row] {
        &self.kept
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_spread_evenly() {
        let mut sample = Sample::new(10);
        (1..=1000).for_each(|row| sample.see(row, if row % 2 == 0 { " " } else { "x" }));
        let rows: Vec<u64> = sample.rows().iter().map(|row| row.row).collect();
        assert_eq!(rows, [1, 129, 257, 385, 513, 641, 769, 897]);
    }
}
