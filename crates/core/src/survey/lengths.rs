//! Lengths of values in characters.

use crate::sightings::at_rank;

/// Lengths up to this limit are counted separately; longer ones by powers of two.
const EACH: usize = 4096;

/// The lengths of values, in characters.
///
/// ```
/// use keen_notch_core::survey::Survey;
///
/// let survey = Survey::of_values(["GRP-00041273", "HNG-00760251", "GRP-00041273", "?"]);
/// assert_eq!((survey.lengths.range(), survey.lengths.commonest()), (Some((1, 12)), Some((12, 3))));
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
#[cfg_attr(feature = "cutlist", derive(serde::Serialize, serde::Deserialize))]
pub struct Lengths {
    counts: Vec<u64>,
    /// Index n counts lengths from 2ⁿ to 2ⁿ⁺¹ − 1 beyond [`EACH`].
    longer: Vec<u64>,
    least: usize,
    most: usize,
    values: u64,
}

/// A bar of the histogram.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Bar {
    pub from: usize,
    pub to: usize,
    pub count: u64,
}

impl Lengths {
    #[inline]
    pub fn observe(&mut self, length: usize) {
        if self.values == 0 {
            (self.least, self.most) = (length, length);
        }
        self.values += 1;
        self.least = self.least.min(length);
        self.most = self.most.max(length);
        if length <= EACH {
            if self.counts.len() <= length {
                self.counts.resize(length + 1, 0);
            }
            self.counts[length] += 1;
        } else {
            let power = length.ilog2() as usize;
            if self.longer.len() <= power {
                self.longer.resize(power + 1, 0);
            }
            self.longer[power] += 1;
        }
    }

    pub(super) fn bytes(&self) -> usize {
        (self.counts.capacity() + self.longer.capacity()) * size_of::<u64>()
    }

    pub fn merge(&mut self, other: &Lengths) {
        if other.values == 0 {
            return;
        }
        (self.least, self.most) = match self.values {
            0 => (other.least, other.most),
            _ => (self.least.min(other.least), self.most.max(other.most)),
        };
        self.values += other.values;
        for (counts, others) in [(&mut self.counts, &other.counts), (&mut self.longer, &other.longer)] {
            counts.resize(counts.len().max(others.len()), 0);
            counts.iter_mut().zip(others).for_each(|(count, other)| *count += other);
        }
    }

    #[cfg(feature = "cutlist")]
    pub(super) fn values(&self) -> u64 {
        self.values
    }

    #[cfg(feature = "cutlist")]
    pub(super) fn is_sound(&self) -> bool {
        let all = self.counts.iter().chain(&self.longer).try_fold(0_u64, |all, count| all.checked_add(*count));
        all == Some(self.values) && self.counts.len() <= EACH + 1 && self.longer.len() <= 63 && self.least <= self.most
    }

    /// The shortest and longest length; `None` without values.
    pub fn range(&self) -> Option<(usize, usize)> {
        (self.values > 0).then_some((self.least, self.most))
    }

    /// The median length. Beyond 4096 characters, the power of two below it.
    pub fn median(&self) -> Option<usize> {
        at_rank(self.all().map(|bar| (bar.from, bar.count)), self.values.div_ceil(2)).filter(|_| self.values > 0)
    }

    /// The most frequent length and its count; the longer one in a tie.
    pub fn commonest(&self) -> Option<(usize, u64)> {
        self.all().filter(|bar| bar.from == bar.to).max_by_key(|bar| bar.count).map(|bar| (bar.from, bar.count))
    }

    /// The histogram with at most `most` bars: one per length if possible, otherwise of equal width.
    pub fn bars(&self, most: usize) -> Vec<Bar> {
        let all: Vec<Bar> = self.all().collect();
        let (Some(first), Some(last)) = (all.first(), all.last()) else { return Vec::new() };
        if all.len() <= most {
            return all;
        }
        let width = (last.to + 1 - first.from).div_ceil(most.max(1));
        let mut bars: Vec<Bar> = Vec::new();
        for bar in &all {
            let from = first.from + (bar.from - first.from) / width * width;
            match bars.last_mut() {
                Some(into) if into.from == from => into.count += bar.count,
                _ => bars.push(Bar { from, to: from + width - 1, count: bar.count }),
            }
            if let Some(into) = bars.last_mut() {
                into.to = into.to.max(bar.to);
            }
        }
        bars
    }

    fn all(&self) -> impl Iterator<Item = Bar> + '_ {
        let each = self.counts.iter().enumerate().map(|(length, count)| Bar { from: length, to: length, count: *count });
        let longer = self.longer.iter().enumerate();
        let longer = longer.map(|(power, count)| Bar { from: 1 << power, to: (2 << power) - 1, count: *count });
        each.chain(longer).filter(|bar| bar.count > 0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lengths_are_counted() {
        let mut lengths = Lengths::default();
        assert_eq!((lengths.range(), lengths.median(), lengths.bars(5)), (None, None, Vec::new()));
        for length in [17, 17, 17, 12, 19, 17] {
            lengths.observe(length);
        }
        assert_eq!((lengths.range(), lengths.median(), lengths.commonest()), (Some((12, 19)), Some(17), Some((17, 4))));
        let counts: Vec<_> = lengths.bars(5).iter().map(|bar| (bar.from, bar.to, bar.count)).collect();
        assert_eq!(counts, [(12, 12, 1), (17, 17, 4), (19, 19, 1)]);
        let counts: Vec<_> = lengths.bars(2).iter().map(|bar| (bar.from, bar.to, bar.count)).collect();
        assert_eq!(counts, [(12, 15, 1), (16, 19, 5)]);
        lengths.observe(1 << 30);
        assert_eq!(lengths.range(), Some((12, 1 << 30)));
        assert_eq!(lengths.bars(3).iter().map(|bar| bar.count).sum::<u64>(), 7);
    }
}
