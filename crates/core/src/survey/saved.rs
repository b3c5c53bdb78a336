//! Saved surveys: small, without the values of the column, and mergeable.
//!
//! Saving merges a survey into one with lower limits. Its state depends only on the set of rows, so merging before or after saving gives
//! the same result.

use std::collections::HashMap;

use serde::{Deserialize, Serialize};

use super::delimiters::Delimiters;
use super::lengths::Lengths;
use super::numbers::{Numbers, SavedNumbers};
use super::oddities::{Oddities, Oddity};
use super::quantities::Quantities;
use super::shapes::{SavedShapes, Shapes};
use super::values::{SavedValues, Values};
use super::{Encoder, Survey};
use crate::dates::{DateCounts, SavedDates};
use crate::sightings::Sightings;
use crate::summary::{Apart, Input, take_inputs};

/// Upper limit for all saved counts of rows and characters.
const MOST: usize = 1 << 48;

/// The version of the format. It increases when a key changes its meaning or disappears.
pub const VERSION: u32 = 1;

const VALUES: usize = 200;
/// Maximum number of separate shapes. A larger survey reaches it by halving its own limit, so both merge the same shapes.
const SHAPES: usize = 62;

/// The saved surveys of some columns. Rows are numbered over all inputs, from 1.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SavedSurvey {
    pub version: u32,
    pub kind: Kind,
    pub program: String,
    /// The surveyed pieces, one per line; empty for columns.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub asked: Vec<String>,
    /// The part of the inputs, for a survey with `--part`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub part: Option<crate::summary::Part>,
    /// The inputs in order.
    pub inputs: Vec<Input>,
    pub columns: Vec<SavedColumn>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    Survey,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SavedColumn {
    pub column: String,
    /// Its number among the columns of that name, from 1.
    #[serde(default = "first", skip_serializing_if = "is_first")]
    pub nth: usize,
    pub rows: u64,
    pub blank: Sightings,
    pub white_space_only: u64,
    pub lengths: Lengths,
    pub distinct: SavedValues,
    pub shapes: SavedShapes,
    pub odd: Vec<(Oddity, Sightings)>,
    /// `None` in older files.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub numbers: Option<SavedNumbers>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub dates: Option<SavedDates>,
}

impl SavedColumn {
    /// Saves the survey of a column. Example values are included only on request.
    pub fn new(column: &str, survey: &Survey, with_examples: bool) -> SavedColumn {
        let mut small = empty();
        small.merge(survey.clone());
        let quantities = small.quantities();
        SavedColumn {
            column: column.to_owned(),
            nth: first(),
            rows: small.rows,
            blank: small.blank,
            white_space_only: small.spaces_only,
            lengths: small.lengths,
            distinct: small.different.saved(),
            shapes: small.shapes.saved(with_examples),
            odd: small.oddities.all().map(|(oddity, seen)| (oddity, seen.clone())).collect(),
            numbers: Some(quantities.numbers.saved()),
            dates: Some(quantities.dates.saved()),
        }
    }

    fn is_sound(&self) -> bool {
        let of_shapes = self.shapes.one_by_one.iter().chain(&self.shapes.together);
        let widths = of_shapes.clone().flat_map(|shape| &shape.widths).all(|(least, most)| *least <= *most && *most < MOST);
        let mut counts = vec![self.white_space_only, self.shapes.others.count];
        counts.extend(of_shapes.map(|shape| shape.seen.count));
        counts.extend(self.odd.iter().map(|(_, seen)| seen.count));
        counts.extend(self.shapes.delimiters.counts());
        self.rows < MOST as u64
            && counts.iter().all(|count| *count <= self.rows)
            && self.blank.count.checked_add(self.lengths.values()) == Some(self.rows)
            && self.lengths.is_sound()
            && self.numbers.as_ref().is_none_or(|numbers| numbers.is_sound(self.rows))
            && self.dates.as_ref().is_none_or(|dates| dates.is_sound(self.rows))
            && widths
    }

    pub fn survey(&self) -> Survey {
        let mut oddities = Oddities::default();
        self.odd.iter().for_each(|(oddity, seen)| oddities.add(*oddity, seen));
        Survey {
            rows: self.rows,
            blank: self.blank.clone(),
            spaces_only: self.white_space_only,
            lengths: self.lengths.clone(),
            different: Values::of_saved(&self.distinct, VALUES),
            shapes: Shapes::of_saved(&self.shapes, SHAPES),
            oddities,
            quantities: Quantities {
                numbers: self.numbers.as_ref().map_or_else(Numbers::wide, Numbers::of_saved),
                dates: self.dates.as_ref().map_or_else(DateCounts::of_years, DateCounts::of_saved),
            },
            ..empty()
        }
    }
}

fn first() -> usize {
    1
}

fn is_first(nth: &usize) -> bool {
    *nth == first()
}

fn empty() -> Survey {
    Survey {
        rows: 0,
        blank: Sightings::default(),
        spaces_only: 0,
        lengths: Lengths::default(),
        different: Values::new(VALUES),
        shapes: Shapes::new(SHAPES),
        oddities: Oddities::default(),
        quantities: Quantities::wide(),
        places: None,
        sample: None,
        encoder: Encoder::default(),
    }
}

impl SavedSurvey {
    /// The columns by their name, and their number among the columns of that name.
    pub fn by_name(&self) -> HashMap<(&str, usize), &SavedColumn> {
        self.columns.iter().map(|column| ((column.column.as_str(), column.nth), column)).collect()
    }

    /// Whether the counts are consistent. An edited file may not be.
    pub fn is_sound(&self) -> bool {
        self.columns.iter().all(SavedColumn::is_sound)
    }

    /// Adds the saved survey of the rows that follow.
    ///
    /// # Errors
    /// The tables or the versions differ.
    pub fn append(&mut self, later: SavedSurvey) -> Result<(), Apart> {
        if self.program != later.program {
            return Err(Apart::Programs(self.program.clone(), later.program));
        }
        Apart::if_asked_otherwise(&self.asked, &later.asked)?;
        let names = |of: &SavedSurvey| of.columns.iter().map(|column| column.column.clone()).collect::<Vec<_>>();
        Apart::if_others(&names(self), &names(&later))?;
        let before: u64 = self.inputs.iter().map(|input| input.rows).sum();
        take_inputs(&mut self.inputs, &later.inputs)?;
        for (column, of_later) in self.columns.iter_mut().zip(&later.columns) {
            let with_examples = column.shapes.has_examples() || of_later.shapes.has_examples();
            let mut all = column.survey();
            all.merge(of_later.shifted(before).survey());
            *column = SavedColumn { nth: column.nth, ..SavedColumn::new(&column.column, &all, with_examples) };
        }
        self.part = None;
        Ok(())
    }
}

impl SavedColumn {
    fn shifted(&self, before: u64) -> SavedColumn {
        let mut shifted = self.clone();
        let shift = |seen: &mut Sightings| seen.rows.iter_mut().for_each(|row| *row = row.saturating_add(before));
        shift(&mut shifted.blank);
        shifted.shapes.each_seen(shift);
        shifted.odd.iter_mut().for_each(|(_, seen)| shift(seen));
        shifted
    }
}

impl Delimiters {
    pub(super) fn each_seen(&mut self, mut see: impl FnMut(&mut Sightings)) {
        self.counts.values_mut().flat_map(|counts| counts.values_mut()).for_each(&mut see);
    }

    fn counts(&self) -> impl Iterator<Item = u64> {
        self.counts.values().flat_map(|counts| counts.values()).map(|seen| seen.count)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::super::Depth;
    use super::super::numbers::SavedStyle;
    use super::*;

    fn surveyed(first: u64, values: &[String], depth: Depth) -> Survey {
        let mut survey = Survey::new(depth);
        (first..).zip(values).for_each(|(row, value)| survey.observe(row, value));
        survey
    }

    fn saved(name: &str, values: &[String], depth: Depth) -> SavedSurvey {
        let survey = surveyed(1, values, depth);
        let rows = values.len() as u64;
        SavedSurvey {
            version: VERSION,
            kind: Kind::Survey,
            program: "1".to_owned(),
            asked: Vec::new(),
            part: None,
            inputs: vec![Input { name: name.to_owned(), first_row: 1, rows, stream: true }],
            columns: vec![SavedColumn::new("code", &survey, false)],
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]
        #[test]
        fn saved_parts_equal_the_whole(
            values in proptest::collection::vec("[A-C]{0,3}[-/ é]{0,2}[0-9]{0,3}|[ \u{a0}]{0,2}|[a-z]{1,9}@[a-z]{1,9}", 0..600),
            at in (0.0..1.0, 0.0..1.0),
        ) {
            let cut = |share: f64| (values.len() as f64 * share) as usize;
            let (first, second) = (cut(at.0).min(cut(at.1)), cut(at.0).max(cut(at.1)));
            let mut merged = saved("stream", &values[..first], Depth::Full);
            for part in [&values[first..second], &values[second..]] {
                // Reading returns what was saved.
                let text = serde_json::to_string(&saved("stream", part, Depth::Brief)).unwrap();
                merged.append(serde_json::from_str(&text).unwrap()).unwrap();
            }
            let whole = saved("stream", &values, Depth::Full);
            prop_assert_eq!(&merged, &whole);
            // It shows the same as the survey, within its limits.
            let (small, large) = (whole.columns[0].survey(), surveyed(1, &values, Depth::Full));
            prop_assert_eq!((small.rows, &small.blank, small.lengths.range()), (large.rows, &large.blank, large.lengths.range()));
            prop_assert_eq!(small.oddities(), large.oddities());
            prop_assert_eq!(small.delimiters(), large.delimiters());
            let count = |survey: &Survey| survey.groups().iter().map(|group| group.seen.count).sum::<u64>() + survey.other_shapes().count;
            prop_assert_eq!(count(&small), large.values());
            prop_assert!(serde_json::to_string(&whole).unwrap().len() < 60_000);
        }
    }

    #[test]
    fn it_is_small_and_holds_no_values() {
        let values: Vec<String> =
            (0..20_000).map(|n| format!("GRP-{:08}-S{}K{}", n * 7919 % 100_000_007, n % 10, n % 7)).collect();
        let text = serde_json::to_string(&saved("parts.csv", &values, Depth::Full)).unwrap();
        assert!(text.len() < 5_000, "{} bytes a column", text.len());
        assert!(!values.iter().any(|value| text.contains(value.as_str())));
        let survey = surveyed(1, &values, Depth::Full);
        let with_examples = serde_json::to_string(&SavedColumn::new("code", &survey, true)).unwrap();
        assert!(with_examples.contains(&values[0]));
    }

    #[test]
    fn edited_saved_surveys_are_harmless() {
        let mut broken = saved("stream", &["GRP-1".to_owned()], Depth::Full);
        let column = &mut broken.columns[0];
        for key in ["", "ff", "84ff41", "8000ffffffffffffffff80", &"4101".repeat(300), "zz"] {
            column.shapes.one_by_one[0].key = key.to_owned();
            let survey = column.survey();
            assert!(survey.groups().len() < 3);
        }
        assert!(saved("stream", &["GRP-1".to_owned()], Depth::Full).is_sound());
        let changes: [fn(&mut SavedColumn); 7] = [
            |column| column.dates.as_mut().unwrap().formats.push((vec!["%Y-%m-%d".to_owned()], 2)),
            |column| column.dates.as_mut().unwrap().values = 2,
            |column| {
                column
                    .numbers
                    .as_mut()
                    .unwrap()
                    .styles
                    .push(SavedStyle { bins: vec![(1, u64::MAX), (2, 7)], ..SavedStyle::default() })
            },
            |column| column.rows = 0,
            |column| column.blank.count = u64::MAX,
            |column| column.shapes.others.count = 7,
            |column| column.shapes.one_by_one[0].widths = vec![(3, usize::MAX)],
        ];
        for change in changes {
            let mut broken = saved("stream", &["GRP-1".to_owned()], Depth::Full);
            change(&mut broken.columns[0]);
            assert!(!broken.is_sound());
        }
    }
}
