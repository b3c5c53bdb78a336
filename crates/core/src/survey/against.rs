//! Changes in a column since a saved survey, the most important first.

mod quantities;

use std::cmp::Reverse;
use std::collections::HashSet;

use super::delimiters::Delimiter;
use super::fine::What;
use super::group::{self, Group};
use super::oddities::Oddity;
use super::shape::{Shape, ShapePart};
use super::values::{Count, Values};
use super::{Bar, NumberDistribution, SavedColumn, Survey};
use crate::dates::RecognisedDates;
use crate::sightings::Sightings;

/// Significance level for shares of blank rows, in standard deviations: by chance once in 22 times.
const BLANKS_BY_CHANCE: f64 = 2.0;
/// Significance level for all other shares: by chance once in 370 times.
const BY_CHANCE: f64 = 3.0;
/// Smaller differences of shares are ignored.
const SAME: f64 = 0.01;

#[derive(Debug, Clone)]
pub struct Against {
    /// Rows, and values with text, in the saved survey.
    pub before: (u64, u64),
    pub now: (u64, u64),
    pub changes: Vec<Change>,
    /// Whether the saved survey lacks some shapes, so that a new shape may have existed before.
    pub shapes_were_not_all_kept: bool,
}

/// A change. Where something existed before, the number of rows or values is that of the saved survey.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub enum Change {
    NewShape(Group),
    NewOddity(Oddity, Sightings),
    Blanks {
        before: u64,
        now: Sightings,
    },
    NewValues {
        before: u64,
        now: u64,
        new: u64,
        rows: Vec<u64>,
    },
    Distinct {
        before: Count,
        now: Count,
    },
    NewDelimiter(Delimiter),
    /// A delimiter that divided the values steadily now gives other numbers of sections.
    Sections {
        character: String,
        /// The most frequent number of sections before, and the number of values with it.
        before: (usize, u64),
        now: (u64, Sightings),
    },
    Lengths {
        before: (usize, usize),
        now: (usize, usize),
        beyond: u64,
    },
    /// Values that only a format reads that did not occur before.
    NewDateFormat(RecognisedDates),
    /// Numbers far from the others, where there were none before.
    FarNumbers(NumberDistribution),
    NumbersMoved {
        /// The quartiles, within a fifth.
        before: [f64; 3],
        now: NumberDistribution,
    },
    OddityMoved {
        oddity: Oddity,
        before: u64,
        now: Sightings,
    },
    ShapeMoved {
        shape: Shape,
        before: u64,
        now: Sightings,
    },
    ShapeWent {
        shape: Shape,
        before: u64,
    },
}

impl Change {
    /// The stable word for output files.
    pub fn word(&self) -> &'static str {
        match self {
            Change::NewShape(_) => "new-shape",
            Change::NewOddity(..) | Change::OddityMoved { .. } => "odd",
            Change::Blanks { .. } => "blanks",
            Change::NewValues { .. } => "new-values",
            Change::Distinct { .. } => "distinct",
            Change::NewDelimiter(_) | Change::Sections { .. } => "delimiter",
            Change::Lengths { .. } => "length",
            Change::NewDateFormat(_) => "dates",
            Change::FarNumbers(_) | Change::NumbersMoved { .. } => "numbers",
            Change::ShapeMoved { .. } => "share",
            Change::ShapeWent { .. } => "shape-gone",
        }
    }

    fn rank(&self) -> u8 {
        match self {
            Change::NewShape(_) => 0,
            Change::NewOddity(..) => 1,
            Change::NewDateFormat(_) => 2,
            Change::Blanks { .. } => 3,
            Change::NewValues { .. } => 4,
            Change::FarNumbers(_) => 5,
            Change::NumbersMoved { .. } => 6,
            Change::NewDelimiter(_) => 7,
            Change::Sections { .. } => 8,
            Change::Lengths { .. } => 9,
            Change::OddityMoved { .. } => 10,
            Change::ShapeMoved { .. } => 11,
            Change::Distinct { .. } => 12,
            Change::ShapeWent { .. } => 13,
        }
    }

    pub fn size(&self) -> u64 {
        match self {
            Change::NewShape(group) => group.seen.count,
            Change::NewOddity(_, seen) => seen.count,
            Change::Blanks { before, now } => before.abs_diff(now.count),
            Change::NewValues { new, .. } => *new,
            Change::NewDelimiter(delimiter) => delimiter.values,
            Change::Sections { now: (_, others), .. } => others.count,
            Change::Lengths { beyond, .. } => *beyond,
            Change::OddityMoved { before, now, .. } | Change::ShapeMoved { before, now, .. } => before.abs_diff(now.count),
            Change::NewDateFormat(found) => found.only,
            Change::FarNumbers(numbers) => numbers.far[0] + numbers.far[1],
            Change::NumbersMoved { .. } | Change::Distinct { .. } => 0,
            Change::ShapeWent { before, .. } => *before,
        }
    }
}

/// Whether two shares differ significantly and noticeably: a two-proportion z-test with a pooled share (for example Agresti, "Categorical
/// Data Analysis", 3rd edition, section 3.2). The caller handles shares that were zero.
pub(super) fn has_moved(before: (u64, u64), now: (u64, u64)) -> bool {
    differ(before, now, BY_CHANCE)
}

fn differ((before, of_before): (u64, u64), (now, of_now): (u64, u64), by_chance: f64) -> bool {
    if of_before == 0 || of_now == 0 {
        return false;
    }
    let [before, of_before, now, of_now] = [before, of_before, now, of_now].map(|count| count as f64);
    let difference = (before / of_before - now / of_now).abs();
    let all = (before + now) / (of_before + of_now);
    let deviation = (all * (1.0 - all) * (1.0 / of_before + 1.0 / of_now)).sqrt();
    difference >= SAME && difference > by_chance * deviation
}

/// The shape without lengths that already varied; another such length is not a new shape.
fn loosened(shape: &Shape) -> Shape {
    let part = |part: &ShapePart| match part.least == part.most || matches!(part.what, What::Character(_)) {
        true => part.clone(),
        false => ShapePart { least: 1, most: usize::MAX, ..part.clone() },
    };
    Shape { parts: shape.parts.iter().map(part).collect() }
}

impl Survey {
    /// The changes since a saved survey.
    ///
    /// ```
    /// use keen_notch_core::survey::{Change, Depth, SavedColumn, Survey};
    ///
    /// let survey = |values: &[&str]| {
    ///     let mut survey = Survey::new(Depth::Full);
    ///     (1..).zip(values).for_each(|(row, value)| survey.observe(row, value));
    ///     survey
    /// };
    /// let before = SavedColumn::new("part_code", &survey(&["GRP-1", "HNG-2"]), false);
    /// let against = survey(&["GRP-3", "GRP/4"]).against(&before);
    /// assert!(matches!(&against.changes[0], Change::NewShape(group) if group.seen.rows == [2]));
    /// ```
    pub fn against(&self, saved: &SavedColumn) -> Against {
        let before = saved.survey();
        let mut changes = self.shape_changes(&before);
        changes.extend(self.oddity_changes(&before));
        let blanks = (before.blank.count, self.blank.count);
        if differ((blanks.0, before.rows), (blanks.1, self.rows), BLANKS_BY_CHANCE)
            || (blanks.0 == 0 && blanks.1 > 0 && before.rows > 0)
        {
            changes.push(Change::Blanks { before: blanks.0, now: self.blank.clone() });
        }
        changes.extend(self.value_changes(&before));
        changes.extend(self.number_changes(&before));
        changes.extend(self.date_changes(&before));
        changes.extend(self.delimiter_changes(&before));
        changes.extend(self.length_changes(&before));
        changes.sort_by_key(|change| (change.rank(), Reverse(change.size())));
        Against {
            before: (before.rows, before.values()),
            now: (self.rows, self.values()),
            changes,
            shapes_were_not_all_kept: before.other_shapes().count > 0,
        }
    }

    fn shape_changes(&self, before: &Survey) -> Vec<Change> {
        let known: Vec<(Group, Shape)> =
            before.groups().into_iter().map(|group| (group.clone(), loosened(&group.shape))).collect();
        let mut counts: Vec<Sightings> = vec![Sightings::default(); known.len()];
        let mut new: HashSet<Box<[u8]>> = HashSet::new();
        for member in self.fine_groups() {
            match known.iter().position(|(_, shape)| shape.has_shape(&member.shape)) {
                Some(place) => counts[place].add(&member.seen),
                None => new.extend(member.keys),
            }
        }
        if before.values() == 0 {
            return Vec::new();
        }
        let mut changes: Vec<Change> = group::groups(&self.shapes.only(&new)).into_iter().map(Change::NewShape).collect();
        for ((group, _), now) in known.into_iter().zip(counts) {
            let was = group.seen.count;
            if now.count == 0 && self.values() > 0 {
                changes.push(Change::ShapeWent { shape: group.shape, before: was });
            } else if has_moved((was, before.values()), (now.count, self.values())) {
                changes.push(Change::ShapeMoved { shape: group.shape, before: was, now });
            }
        }
        changes
    }

    fn oddity_changes(&self, before: &Survey) -> Vec<Change> {
        let known = before.oddities();
        let change = |(oddity, now): (Oddity, Sightings)| match known.iter().find(|(known, _)| *known == oddity) {
            None if before.rows > 0 => Some(Change::NewOddity(oddity, now)),
            Some((_, was)) if has_moved((was.count, before.values()), (now.count, self.values())) => {
                Some(Change::OddityMoved { oddity, before: was.count, now })
            }
            _ => None,
        };
        self.oddities().into_iter().filter_map(change).collect()
    }

    fn value_changes(&self, before: &Survey) -> Option<Change> {
        if before.values() == 0 || self.values() == 0 {
            return None;
        }
        let (was, now) = (before.distinct(), self.distinct());
        if let Count::Exact(was) = was {
            // A column in which most values repeat has a fixed set of values.
            let (new, rows) = self.different.beyond(&before.different);
            if was.saturating_mul(2) <= before.values() {
                let (Count::Exact(now) | Count::About(now)) = now;
                return (new > 0).then_some(Change::NewValues { before: was, now, new, rows });
            }
        }
        let share = |count: Count, of: u64| {
            let (Count::Exact(count) | Count::About(count)) = count;
            count as f64 / of as f64
        };
        let difference = (share(was, before.values()) - share(now, self.values())).abs();
        // Twice the rows do not have twice the distinct values, so only large differences matter.
        (difference > 0.25).then_some(Change::Distinct { before: was, now })
    }

    fn delimiter_changes(&self, before: &Survey) -> Vec<Change> {
        if before.values() == 0 {
            return Vec::new();
        }
        let known = before.delimiters();
        let change = |delimiter: Delimiter| {
            let Some(was) = known.iter().find(|known| known.character == delimiter.character) else {
                // Shapes and unusual characters cover white space.
                let is_space = delimiter.character.chars().all(char::is_whitespace);
                return (!is_space).then_some(Change::NewDelimiter(delimiter));
            };
            let (sections, usual) = was.sections.first().map(|(sections, seen)| (*sections, seen.count))?;
            let now = delimiter.sections.iter().find(|(count, _)| *count == sections).map_or(0, |(_, seen)| seen.count);
            let mut others = Sightings::default();
            delimiter.sections.iter().filter(|(count, _)| *count != sections).for_each(|(_, seen)| others.add(seen));
            let has_moved = has_moved((usual, before.values()), (now, self.values()));
            has_moved.then_some(Change::Sections {
                character: delimiter.character,
                before: (sections, usual),
                now: (now, others),
            })
        };
        self.delimiters().into_iter().filter_map(change).collect()
    }

    fn length_changes(&self, before: &Survey) -> Option<Change> {
        let (was, now) = (before.lengths.range()?, self.lengths.range()?);
        let beyond = |bar: &Bar| bar.to < was.0 || bar.from > was.1;
        let beyond = self.lengths.bars(usize::MAX).iter().filter(|bar| beyond(bar)).map(|bar| bar.count).sum();
        (now.0 < was.0 || now.1 > was.1).then_some(Change::Lengths { before: was, now, beyond })
    }
}

impl Values {
    /// The number of values, among those with kept hashes, that are not in `before`; and the first rows of some.
    fn beyond(&self, before: &Values) -> (u64, Vec<u64>) {
        let new: Vec<u64> = self.hashes().filter(|hash| !before.has_saved(*hash)).collect();
        let mut rows: Vec<u64> = new.iter().filter_map(|hash| self.first_row(*hash)).collect();
        rows.sort_unstable();
        rows.truncate(crate::sightings::ROWS);
        (new.len() as u64, rows)
    }
}

#[cfg(test)]
mod tests {
    use super::super::Depth;
    use super::*;

    fn survey(values: impl IntoIterator<Item = String>) -> Survey {
        let mut survey = Survey::new(Depth::Full);
        (1..).zip(values).for_each(|(row, value)| survey.observe(row, &value));
        survey
    }

    fn against(before: impl IntoIterator<Item = String>, now: impl IntoIterator<Item = String>) -> Against {
        survey(now).against(&SavedColumn::new("code", &survey(before), false))
    }

    fn codes(from: u64, to: u64) -> impl Iterator<Item = String> {
        (from..to).map(|n| format!("GRP-{:05}-{}", n * 7919 % 99_991, ["A1", "B2", "7C"][n as usize % 3]))
    }

    #[test]
    fn the_same_kind_of_values_is_nothing_new() {
        for (before, now) in
            [(codes(0, 900), codes(900, 1800)), (codes(0, 30), codes(30, 4000)), (codes(0, 4000), codes(7, 60))]
        {
            let found = against(before, now);
            assert!(found.changes.is_empty(), "{:?}", found.changes);
        }
        let names = |from: u64| (from..from + 500).map(|n| format!("{}@skarn.example", "a".repeat(n as usize * 31 % 17 + 3)));
        assert!(against(names(0), names(700)).changes.is_empty());
        assert!(against([], codes(0, 9)).changes.is_empty() && against(codes(0, 9), []).changes.is_empty());
    }

    #[test]
    fn changes_have_rows_the_worst_first() {
        let now = codes(900, 1800).enumerate().map(|(row, code)| match row {
            3 | 7 => code.replace('-', "/"),
            11..200 => String::new(),
            300 => code + " ",
            400 => format!("{code}\u{a0}"),
            _ => code,
        });
        let found = against(codes(0, 900), now).changes;
        assert!(
            matches!(&found[0], Change::NewShape(group) if group.seen.rows == [4, 8] && group.shape.to_string() == "U3/d5/U1d1"),
            "{found:?}"
        );
        let has = |is: &dyn Fn(&Change) -> bool| assert!(found.iter().any(is), "{found:?}");
        has(&|change| matches!(change, Change::NewShape(group) if group.seen.rows == [301]));
        has(&|change| matches!(change, Change::NewOddity(Oddity::SpaceAtEnd, seen) if seen.rows == [301, 401]));
        has(&|change| matches!(change, Change::Blanks { before: 0, now } if now.count == 189));
        has(&|change| matches!(change, Change::NewDelimiter(delimiter) if delimiter.character == "/"));
        has(&|change| matches!(change, Change::Lengths { before: (12, 12), now: (12, 13), beyond: 2 }));
    }

    #[test]
    fn changed_shares_values_and_shapes() {
        let mixed = |two: usize, of: usize| {
            (0..of).map(move |n| if n < two { "North-7".to_owned() } else { ["East", "West"][n % 2].to_owned() })
        };
        let found = against(mixed(100, 1000), mixed(400, 1000)).changes;
        assert!(matches!(&found[..], [.., Change::ShapeMoved { .. }, Change::ShapeMoved { .. }]), "{found:?}");
        assert!(against(mixed(100, 1000), mixed(105, 1000)).changes.is_empty());
        let found = against(mixed(100, 1000), mixed(0, 1000)).changes;
        assert!(matches!(&found[..], [.., Change::ShapeWent { before: 100, .. }]), "{found:?}");
        let three = mixed(0, 999).chain(["Nort".to_owned()]);
        let found = against(mixed(0, 1000), three).changes;
        assert!(matches!(&found[..], [Change::NewValues { before: 2, now: 3, new: 1, rows }] if *rows == [1000]), "{found:?}");
        let ids = |step: u64| (0..1000).map(move |n| format!("{:06}", n / step * step));
        let found = against(ids(1), ids(10)).changes;
        assert!(matches!(&found[..], [Change::Distinct { .. }]), "{found:?}");
    }
}
