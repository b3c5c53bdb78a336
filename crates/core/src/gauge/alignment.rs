//! The characters of two values, side by side.

use std::ops::Range;

use crate::text::characters;

/// With more pairs of characters, the part between the common ends is not aligned.
const MOST_PAIRS: usize = 1 << 22;

/// A character of two values, or of one of them: its bytes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AlignedPair {
    pub first: Option<Range<usize>>,
    pub second: Option<Range<usize>>,
    pub is_same: bool,
}

/// Aligns two values with the fewest differences: characters that are replaced, added or left out (Wagner, Fischer: The string-to-string
/// correction problem, JACM 1974).
///
/// ```
/// use keen_notch_core::gauge::align;
///
/// let all = align("GRP-007", "GRP–07");
/// let different: Vec<_> = all.iter().filter(|pair| !pair.is_same).map(|pair| (pair.first.clone(), pair.second.clone())).collect();
/// assert_eq!(different, [(Some(3..4), Some(3..6)), (Some(4..5), None)]);
/// ```
pub fn align(first: &str, second: &str) -> Vec<AlignedPair> {
    let [ones, others] = [first, second].map(|text| characters::ranges(text).collect::<Vec<_>>());
    let are_same = |one: &Range<usize>, other: &Range<usize>| first[one.clone()] == second[other.clone()];
    let both = |(one, other): (&Range<usize>, &Range<usize>)| are_same(one, other);
    let start = ones.iter().zip(&others).take_while(|pair| both(*pair)).count();
    let (middle, others_middle) = (&ones[start..], &others[start..]);
    let end = middle.iter().rev().zip(others_middle.iter().rev()).take_while(|pair| both(*pair)).count();
    let (middle, after) = middle.split_at(middle.len() - end);
    let (others_middle, others_after) = others_middle.split_at(others_middle.len() - end);
    let pair = |one: Option<&Range<usize>>, other: Option<&Range<usize>>| AlignedPair {
        first: one.cloned(),
        second: other.cloned(),
        is_same: one.zip(other).is_some_and(both),
    };
    let mut all: Vec<AlignedPair> =
        ones.iter().zip(&others).take(start).map(|(one, other)| pair(Some(one), Some(other))).collect();
    let (rows, columns) = (middle.len() + 1, others_middle.len() + 1);
    if rows.saturating_mul(columns) > MOST_PAIRS {
        let count = rows.max(columns) - 1;
        all.extend((0..count).map(|index| AlignedPair { is_same: false, ..pair(middle.get(index), others_middle.get(index)) }));
    } else {
        let costs = costs(middle, others_middle, are_same);
        let (mut row, mut column) = (0, 0);
        while row + 1 < rows || column + 1 < columns {
            let (one, other) = (middle.get(row), others_middle.get(column));
            let cost = |row: usize, column: usize| costs.get(row * columns + column).copied().unwrap_or(u32::MAX);
            let replaced = cost(row + 1, column + 1).saturating_add(u32::from(!one.zip(other).is_some_and(both)));
            let here = cost(row, column);
            if one.is_some() && other.is_some() && replaced == here {
                all.push(pair(one, other));
                (row, column) = (row + 1, column + 1);
            } else if one.is_some() && cost(row + 1, column).saturating_add(1) == here {
                all.push(pair(one, None));
                row += 1;
            } else {
                all.push(pair(None, other));
                column += 1;
            }
        }
    }
    all.extend(after.iter().zip(others_after).map(|(one, other)| pair(Some(one), Some(other))));
    all
}

/// The fewest differences from each pair of characters to the ends, row by row.
fn costs(ones: &[Range<usize>], others: &[Range<usize>], are_same: impl Fn(&Range<usize>, &Range<usize>) -> bool) -> Vec<u32> {
    let columns = others.len() + 1;
    let mut costs = vec![0; (ones.len() + 1) * columns];
    for row in (0..=ones.len()).rev() {
        for column in (0..columns).rev() {
            let at = row * columns + column;
            costs[at] = match (ones.get(row), others.get(column)) {
                (None, None) => 0,
                (Some(_), None) => costs[at + columns] + 1,
                (None, Some(_)) => costs[at + 1] + 1,
                (Some(one), Some(other)) => {
                    let replaced = costs[at + columns + 1] + u32::from(!are_same(one, other));
                    replaced.min(costs[at + columns] + 1).min(costs[at + 1] + 1)
                }
            };
        }
    }
    costs
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn long_values_without_common_ends() {
        let (one, other) = ("ab".repeat(3000), "cd".repeat(2000));
        let all = align(&one, &other);
        assert_eq!((all.len(), all.iter().filter(|pair| pair.second.is_none()).count()), (6000, 2000));
    }

    proptest! {
        /// Both values are complete and in order, and the number of differences is the edit distance.
        #[test]
        fn alignments_are_complete_and_short(one in "[abcé-]{0,12}", other in "[abcé-]{0,12}") {
            let all = align(&one, &other);
            let [first, second] = [
                all.iter().filter_map(|pair| pair.first.clone()).map(|bytes| &one[bytes]).collect::<String>(),
                all.iter().filter_map(|pair| pair.second.clone()).map(|bytes| &other[bytes]).collect::<String>(),
            ];
            prop_assert_eq!((&first, &second), (&one, &other));
            let different = all.iter().filter(|pair| !pair.is_same).count();
            prop_assert_eq!(different, strsim::levenshtein(&one, &other));
        }
    }
}
