use indexmap::IndexMap;

const MOST: usize = 2000;

#[derive(Debug, Clone, Default)]
pub struct Failing {
    counts: IndexMap<Box<str>, u64>,
    others: u64,
}

impl Failing {
    pub fn note(&mut self, text: &str) {
        self.add(text, 1);
    }

    pub fn append(&mut self, later: &Failing) {
        later.counts.iter().for_each(|(text, count)| self.add(text, *count));
        self.others += later.others;
    }

    fn add(&mut self, text: &str, count: u64) {
        if let Some(all) = self.counts.get_mut(text) {
            *all += count;
        } else if self.counts.len() < MOST {
            self.counts.insert(text.into(), count);
        } else {
            self.others += count;
        }
    }

    /// The most frequent texts with their counts, the earlier one first in a tie, and the number of rows with other texts.
    pub fn top(&self, most: usize) -> (Vec<(&str, u64)>, u64) {
        let mut all: Vec<(&str, u64)> = self.counts.iter().map(|(text, count)| (&**text, *count)).collect();
        all.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
        let others = self.others + all.iter().skip(most).map(|(_, count)| count).sum::<u64>();
        all.truncate(most);
        (all, others)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_most_frequent_come_first_and_nothing_is_lost() {
        let mut failing = Failing::default();
        let mut later = Failing::default();
        ["b", "a", "b", "c"].iter().for_each(|text| failing.note(text));
        ["c", "c", "d"].iter().for_each(|text| later.note(text));
        failing.append(&later);
        assert_eq!(failing.top(2), (vec![("c", 3), ("b", 2)], 2));
        (0..3000).for_each(|n| failing.note(&n.to_string()));
        assert_eq!(failing.top(1), (vec![("c", 3)], 3004));
    }
}
