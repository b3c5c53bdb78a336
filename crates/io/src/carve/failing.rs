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

    /// The `most` most frequent texts.
    pub fn top(&self, most: usize) -> FailingTexts<'_> {
        let mut texts: Vec<(&str, u64)> = self.counts.iter().map(|(text, count)| (&**text, *count)).collect();
        texts.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
        let more = texts.len().saturating_sub(most) as u64;
        let other_rows = self.others + texts.iter().skip(most).map(|(_, count)| count).sum::<u64>();
        texts.truncate(most);
        FailingTexts { texts, other_texts: more, are_counted: self.others == 0, other_rows }
    }
}

/// The most frequent failing texts of a check.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FailingTexts<'a> {
    /// The texts with the numbers of their rows, the earlier text first in a tie.
    pub texts: Vec<(&'a str, u64)>,
    /// The number of other texts; at least, unless they are all counted.
    pub other_texts: u64,
    pub are_counted: bool,
    /// The number of rows with other texts.
    pub other_rows: u64,
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
        let top = failing.top(2);
        assert_eq!((top.texts, top.other_texts, top.are_counted, top.other_rows), (vec![("c", 3), ("b", 2)], 2, true, 2));
        (0..3000).for_each(|n| failing.note(&n.to_string()));
        let top = failing.top(1);
        assert_eq!((top.texts, top.other_texts, top.are_counted, top.other_rows), (vec![("c", 3)], 1999, false, 3004));
    }
}
