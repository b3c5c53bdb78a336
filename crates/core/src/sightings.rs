/// Number of rows to remember.
pub const ROWS: usize = 5;

/// A count with the first rows.
///
/// ```
/// use keen_notch_core::sightings::Sightings;
///
/// let mut seen = Sightings::default();
/// (1..=9).for_each(|row| seen.note(row));
/// assert_eq!((seen.count, seen.rows), (9, vec![1, 2, 3, 4, 5]));
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
#[cfg_attr(feature = "cutlist", derive(serde::Serialize, serde::Deserialize))]
pub struct Sightings {
    pub count: u64,
    pub rows: Vec<u64>,
}

impl Sightings {
    pub fn note(&mut self, row: u64) {
        self.count += 1;
        if self.rows.len() < ROWS {
            self.rows.push(row);
        }
    }

    /// Adds a count of later rows, whose numbers start after `offset`.
    pub fn append(&mut self, later: &Sightings, offset: u64) {
        self.count += later.count;
        let left = ROWS.saturating_sub(self.rows.len());
        self.rows.extend(later.rows.iter().take(left).map(|row| row + offset));
    }

    pub fn add(&mut self, other: &Sightings) {
        self.count += other.count;
        self.rows.extend_from_slice(&other.rows);
        self.rows.sort_unstable();
        self.rows.dedup();
        self.rows.truncate(ROWS);
    }
}

/// Whether counts add up to at most `most`.
#[cfg(feature = "cutlist")]
pub(crate) fn are_within(mut counts: impl Iterator<Item = u64>, most: u64) -> bool {
    counts.try_fold(0u64, |all, count| all.checked_add(count)).is_some_and(|all| all <= most)
}

/// The item at a rank, from 1, of items in order with their counts.
pub(crate) fn at_rank<T>(items: impl IntoIterator<Item = (T, u64)>, rank: u64) -> Option<T> {
    let mut before = 0;
    let mut from_rank = items.into_iter().skip_while(|(_, count)| {
        before += count;
        before < rank
    });
    from_rank.next().map(|(item, _)| item)
}
