//! Changes of numbers and dates since a saved survey.

use super::{Change, NumberDistribution, Survey};
use crate::survey::Count;
use crate::survey::number_counts::NumberCounts;
use crate::survey::quantities::Quantities;

/// Significance level for the distance of two distributions: about 1 in 1000 (Smirnov 1948, for two samples).
const FAR_APART: f64 = 1.95;
/// Smaller distances are ignored.
const SAME: f64 = 0.1;
/// Whole numbers of which this share is distinct count rows. Later rows have other numbers.
const COUNTED: f64 = 0.95;

impl Survey {
    pub(super) fn number_changes(&self, before: &Survey) -> Vec<Change> {
        let (before, all) = (before.quantities(), self.quantities());
        let (Some(was), Some(now)) = (before.distribution(), all.distribution()) else { return Vec::new() };
        let (Some((_, was_counts)), Some((_, now_counts))) = (before.numbers.all(), all.numbers.all()) else {
            return Vec::new();
        };
        let (Count::Exact(distinct) | Count::About(distinct)) = self.distinct();
        let are_ids = now_counts.are_whole() && distinct as f64 >= COUNTED * self.values() as f64;
        let mut changes = Vec::new();
        let distance = distance(&was_counts, &now_counts);
        let (of_was, of_now) = (was.count as f64, now.count as f64);
        if !are_ids && distance >= SAME && distance > FAR_APART * ((of_was + of_now) / (of_was * of_now)).sqrt() {
            changes.push(Change::NumbersMoved {
                before: [was.quartiles[1], was.quartiles[2], was.quartiles[3]],
                now: now.clone(),
            });
        }
        // Only wide bins compare with those of the saved survey.
        let mut wide = Quantities::wide();
        wide.merge(&all);
        let far = |of: &NumberDistribution| of.far[0] + of.far[1];
        if !are_ids && far(&now) > 0 && wide.distribution().is_some_and(|wide| far(&wide) > 0) && far(&was) == 0 {
            changes.push(Change::FarNumbers(now));
        }
        changes
    }

    pub(super) fn date_changes(&self, before: &Survey) -> Vec<Change> {
        let (was, now) = (before.dates().recognised(), self.dates().recognised());
        if was.is_empty() {
            return Vec::new();
        }
        let is_new = |format: &str| was.iter().all(|known| known.format != format);
        now.into_iter().filter(|found| found.only > 0 && is_new(found.format)).map(Change::NewDateFormat).collect()
    }
}

/// The greatest difference between the shares of numbers up to any number, by wide bins.
fn distance(one: &NumberCounts, other: &NumberCounts) -> f64 {
    let [one, other] = [one, other].map(|counts| (counts.wide_bins(), counts.count() as f64));
    let bins: std::collections::BTreeSet<i32> = one.0.keys().chain(other.0.keys()).copied().collect();
    let (mut up_to, mut greatest) = ([0.0, 0.0], 0.0f64);
    for bin in bins {
        for (sum, (counts, all)) in up_to.iter_mut().zip([&one, &other]) {
            *sum += counts.get(&bin).copied().unwrap_or(0) as f64 / all.max(1.0);
        }
        greatest = greatest.max((up_to[0] - up_to[1]).abs());
    }
    greatest
}

#[cfg(test)]
mod tests {
    use super::super::SavedColumn;
    use super::*;

    fn changes(before: impl Iterator<Item = String>, now: impl Iterator<Item = String>) -> Vec<Change> {
        let survey = |values: Vec<String>| Survey::of_values(values.iter().map(String::as_str));
        let saved = SavedColumn::new("amount", &survey(before.collect()), false);
        let all = survey(now.collect()).against(&saved).changes;
        all.into_iter().filter(|change| ["numbers", "dates"].contains(&change.word())).collect()
    }

    #[test]
    fn numbers_that_moved_or_are_far() {
        let weights =
            |from: u64, times: f64| (from..from + 400).map(move |n| format!("{:.2}", (n * 7919 % 400) as f64 * times + 1.5));
        assert!(changes(weights(0, 0.1), weights(400, 0.1)).is_empty());
        let found = changes(weights(0, 0.1), weights(0, 0.2));
        assert!(matches!(&found[..], [Change::NumbersMoved { now, .. }] if now.quartiles[2] == 41.3), "{found:?}");
        let found = changes(weights(0, 0.1), weights(0, 0.1).chain(["99999".to_owned()]));
        assert!(matches!(&found[..], [Change::FarNumbers(now)] if now.far_above[0].first == 401), "{found:?}");
        // Numbers of rows grow.
        assert!(changes((1..400).map(|n| n.to_string()), (400..800).map(|n| n.to_string())).is_empty());
    }

    proptest::proptest! {
        #[test]
        fn the_same_values_have_not_changed(values in proptest::collection::vec(1u32..4000, 1..60), far in 1u32..400_000) {
            let values = || values.iter().chain([&far]).map(|value| format!("{:.1}", f64::from(*value) / 10.0));
            proptest::prop_assert!(changes(values(), values()).is_empty());
        }
    }

    #[test]
    fn a_new_format_of_dates() {
        let days = |format: fn(u64) -> String| (0..200).map(format);
        let day_first: fn(u64) -> String = |n| format!("{:02}/{:02}/2025", n % 28 + 1, n % 12 + 1);
        let month_first: fn(u64) -> String = |n| format!("{:02}/{:02}/2025", n % 12 + 1, n % 28 + 1);
        assert!(changes(days(day_first), days(day_first)).is_empty());
        let found = changes(days(day_first), days(month_first));
        assert!(matches!(&found[..], [Change::NewDateFormat(new)] if new.format == "%m/%d/%Y" && new.only > 0), "{found:?}");
    }
}
