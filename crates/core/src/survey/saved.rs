//! A survey as it is saved: small, without the values of the column, and such that those of parts can be merged to that of the whole.
//!
//! What is saved is a survey with lower limits, into which the survey that was made is merged. Since its state depends on the set of the rows
//! alone, it makes no difference whether parts are merged before they are saved, or after.

use serde::{Deserialize, Serialize};

use super::delimiters::Delimiters;
use super::lengths::Lengths;
use super::oddities::{Oddities, Oddity};
use super::shapes::{SavedShapes, Shapes};
use super::values::{SavedValues, Values};
use super::{Encoder, Survey};
use crate::sightings::Sightings;
use crate::summary::{Apart, Input, take_inputs};

/// Rows and characters beyond which nothing that was saved goes.
const MOST: usize = 1 << 48;

/// The version of what is saved: it grows when a key changes its meaning or goes.
pub const VERSION: u32 = 1;

/// Different values up to which their number is exact.
const VALUES: usize = 200;
/// Shapes that are counted one by one. It is one of the limits that a larger survey comes to by halving its own, so that both merge the
/// same shapes.
const SHAPES: usize = 62;

/// The surveys of some columns, saved. Rows are counted from 1 over all inputs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Saved {
    /// The [`VERSION`] of its keys.
    pub version: u32,
    /// That it is a survey.
    pub kind: Kind,
    /// The version of the program.
    pub program: String,
    /// The pieces that were surveyed, a line each; none where columns were.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub asked: Vec<String>,
    /// Which part of the inputs was read, where not all was.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub part: Option<crate::summary::Part>,
    /// What was read, in its order.
    pub inputs: Vec<Input>,
    /// The columns.
    pub columns: Vec<SavedColumn>,
}

/// What is saved.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// A survey.
    Survey,
}

/// The survey of a column, saved.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct SavedColumn {
    /// What it is called.
    pub column: String,
    /// The number of rows.
    pub rows: u64,
    /// Rows with nothing but white space.
    pub blank: Sightings,
    /// Of those, rows with white space.
    pub white_space_only: u64,
    /// How long values are.
    pub lengths: Lengths,
    /// How many different ones there are.
    pub distinct: SavedValues,
    /// Their shapes.
    pub shapes: SavedShapes,
    /// Invisible and look-alike characters and the like.
    pub odd: Vec<(Oddity, Sightings)>,
}

impl SavedColumn {
    /// What is saved of the survey of a column. Examples are values, which stay where they are unless they are asked for.
    pub fn new(column: &str, survey: &Survey, with_examples: bool) -> SavedColumn {
        let mut small = empty();
        small.merge(survey.clone());
        SavedColumn {
            column: column.to_owned(),
            rows: small.rows,
            blank: small.blank,
            white_space_only: small.spaces_only,
            lengths: small.lengths,
            distinct: small.different.saved(),
            shapes: small.shapes.saved(with_examples),
            odd: small.oddities.all().map(|(oddity, seen)| (oddity, seen.clone())).collect(),
        }
    }

    /// Whether its counts may be those of rows: nothing is counted more often than there are rows.
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
            && widths
    }

    /// The survey that was saved.
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
            ..empty()
        }
    }
}

/// An empty survey with the limits of what is saved.
fn empty() -> Survey {
    Survey {
        rows: 0,
        blank: Sightings::default(),
        spaces_only: 0,
        lengths: Lengths::default(),
        different: Values::new(VALUES),
        shapes: Shapes::new(SHAPES),
        oddities: Oddities::default(),
        places: None,
        sample: None,
        encoder: Encoder::default(),
    }
}

impl Saved {
    /// Whether it may have been saved: what was changed by hand may count more than there are rows.
    pub fn is_sound(&self) -> bool {
        self.columns.iter().all(SavedColumn::is_sound)
    }

    /// Adds what was saved of the rows that come after these.
    ///
    /// # Errors
    /// Where they are not of one table, or were made by different versions.
    pub fn append(&mut self, later: Saved) -> Result<(), Apart> {
        if self.program != later.program {
            return Err(Apart::Programs(self.program.clone(), later.program));
        }
        Apart::if_asked_otherwise(&self.asked, &later.asked)?;
        let names = |of: &Saved| of.columns.iter().map(|column| column.column.clone()).collect::<Vec<_>>();
        Apart::if_others(&names(self), &names(&later))?;
        let before: u64 = self.inputs.iter().map(|input| input.rows).sum();
        take_inputs(&mut self.inputs, &later.inputs)?;
        for (column, of_later) in self.columns.iter_mut().zip(&later.columns) {
            let with_examples = column.shapes.has_examples() || of_later.shapes.has_examples();
            let mut all = column.survey();
            all.merge(of_later.shifted(before).survey());
            *column = SavedColumn::new(&column.column, &all, with_examples);
        }
        self.part = None;
        Ok(())
    }
}

impl SavedColumn {
    /// The same with its row numbers raised by `before`.
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
    /// Calls `see` with all that was seen.
    pub(super) fn each_seen(&mut self, mut see: impl FnMut(&mut Sightings)) {
        self.counts.values_mut().flat_map(|counts| counts.values_mut()).for_each(&mut see);
    }

    /// How many values each was seen in.
    fn counts(&self) -> impl Iterator<Item = u64> {
        self.counts.values().flat_map(|counts| counts.values()).map(|seen| seen.count)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::super::Depth;
    use super::*;

    fn surveyed(first: u64, values: &[String], depth: Depth) -> Survey {
        let mut survey = Survey::new(depth);
        (first..).zip(values).for_each(|(row, value)| survey.observe(row, value));
        survey
    }

    fn saved(name: &str, values: &[String], depth: Depth) -> Saved {
        let survey = surveyed(1, values, depth);
        let rows = values.len() as u64;
        Saved {
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
        fn parts_that_were_saved_are_the_whole(
            values in proptest::collection::vec("[A-C]{0,3}[-/ é]{0,2}[0-9]{0,3}|[ \u{a0}]{0,2}|[a-z]{1,9}@[a-z]{1,9}", 0..600),
            at in (0.0..1.0, 0.0..1.0),
        ) {
            let cut = |share: f64| (values.len() as f64 * share) as usize;
            let (first, second) = (cut(at.0).min(cut(at.1)), cut(at.0).max(cut(at.1)));
            let mut merged = saved("stream", &values[..first], Depth::Full);
            for part in [&values[first..second], &values[second..]] {
                // What was saved is read again as it was.
                let text = serde_json::to_string(&saved("stream", part, Depth::Brief)).unwrap();
                merged.append(serde_json::from_str(&text).unwrap()).unwrap();
            }
            let whole = saved("stream", &values, Depth::Full);
            prop_assert_eq!(&merged, &whole);
            // It shows what a survey shows, as far as there is room.
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
    fn what_was_not_saved_so_is_read_without_harm() {
        let mut broken = saved("stream", &["GRP-1".to_owned()], Depth::Full);
        let column = &mut broken.columns[0];
        for key in ["", "ff", "84ff41", "8000ffffffffffffffff80", &"4101".repeat(300), "zz"] {
            column.shapes.one_by_one[0].key = key.to_owned();
            let survey = column.survey();
            assert!(survey.groups().len() < 3);
        }
        assert!(saved("stream", &["GRP-1".to_owned()], Depth::Full).is_sound());
        let changes: [fn(&mut SavedColumn); 4] = [
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
