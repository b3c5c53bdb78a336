/// A set of rows of a batch, a bit for each row (a selection vector, as a bitmap).
///
/// ```
/// use keen_notch_core::batch::Mask;
///
/// let mut mask = Mask::default();
/// mask.clear(100);
/// mask.set(70);
/// assert!(mask.has(70) && mask.iter().eq([70]));
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Mask {
    words: Vec<u64>,
}

impl Mask {
    pub const NONE: Mask = Mask { words: Vec::new() };

    pub fn clear(&mut self, rows: usize) {
        self.words.clear();
        self.words.resize(rows.div_ceil(64), 0);
    }

    pub fn fill(&mut self, rows: usize) {
        self.clear(rows);
        self.words.fill(u64::MAX);
        if let (Some(last), 1..) = (self.words.last_mut(), rows % 64) {
            *last = (1 << (rows % 64)) - 1;
        }
    }

    /// Makes room for `rows` rows; the new ones are not in the set.
    pub fn grow(&mut self, rows: usize) {
        let words = rows.div_ceil(64);
        if self.words.len() < words {
            self.words.resize(words, 0);
        }
    }

    pub fn copy_from(&mut self, other: &Mask) {
        self.words.clear();
        self.words.extend_from_slice(&other.words);
    }

    /// Adds a row. There must be room for it.
    #[inline]
    pub fn set(&mut self, row: usize) {
        if let Some(word) = self.words.get_mut(row / 64) {
            *word |= 1 << (row % 64);
        }
    }

    #[inline]
    pub fn unset(&mut self, row: usize) {
        if let Some(word) = self.words.get_mut(row / 64) {
            *word &= !(1 << (row % 64));
        }
    }

    #[inline]
    pub fn has(&self, row: usize) -> bool {
        self.words.get(row / 64).is_some_and(|word| word >> (row % 64) & 1 != 0)
    }

    #[inline]
    pub fn is_none(&self) -> bool {
        self.words.iter().all(|word| *word == 0)
    }

    pub fn count(&self) -> usize {
        self.words.iter().map(|word| word.count_ones() as usize).sum()
    }

    pub fn add(&mut self, other: &Mask) {
        self.grow(other.words.len() * 64);
        self.words.iter_mut().zip(&other.words).for_each(|(word, other)| *word |= other);
    }

    pub fn iter(&self) -> Rows<'_> {
        Rows { words: &self.words, word: 0, rest: self.words.first().copied().unwrap_or(0) }
    }

    /// Takes the membership of the rows at `rows`, in that order.
    pub fn pick(&mut self, from: &Mask, rows: &[u32]) {
        self.clear(rows.len());
        if !from.is_none() {
            rows.iter().enumerate().filter(|(_, row)| from.has(**row as usize)).for_each(|(index, _)| self.set(index));
        }
    }
}

pub struct Rows<'m> {
    words: &'m [u64],
    word: usize,
    rest: u64,
}

impl Iterator for Rows<'_> {
    type Item = usize;

    #[inline]
    fn next(&mut self) -> Option<usize> {
        while self.rest == 0 {
            self.word += 1;
            self.rest = *self.words.get(self.word)?;
        }
        let bit = self.rest.trailing_zeros() as usize;
        self.rest &= self.rest - 1;
        Some(self.word * 64 + bit)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_in_the_set_or_not() {
        let mut mask = Mask::default();
        mask.clear(130);
        assert!(mask.is_none());
        [0, 63, 64, 129].into_iter().for_each(|row| mask.set(row));
        assert_eq!((mask.iter().collect::<Vec<_>>(), mask.count()), (vec![0, 63, 64, 129], 4));
        assert!(mask.has(64) && !mask.has(65) && !mask.has(9999));
        let mut picked = Mask::default();
        picked.pick(&mask, &[1, 63, 64, 100]);
        assert_eq!(picked.iter().collect::<Vec<_>>(), [1, 2]);
        mask.fill(70);
        mask.unset(3);
        assert_eq!((mask.count(), mask.has(69), mask.has(70), mask.has(3)), (69, true, false, false));
    }
}
