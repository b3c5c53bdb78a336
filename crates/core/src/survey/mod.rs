//! Surveys of columns: lengths, shapes, delimiters, positions and unusual characters.
//!
//! All limits depend only on the set of rows, so surveys of parts merge to the survey of the whole in any order ([`Survey::merge`]).
//! Memory does not grow with the number of rows.

#[cfg(feature = "cutlist")]
mod against;
mod delimiters;
#[cfg(feature = "cutlist")]
mod differences;
mod fine;
mod group;
mod kinds;
mod lengths;
mod number_counts;
mod numbers;
mod oddities;
mod positions;
mod quantities;
mod sample;
#[cfg(feature = "cutlist")]
mod saved;
mod shape;
mod shapes;
mod values;

use std::collections::HashSet;

pub use group::Group;
pub use lengths::Lengths;
#[doc(hidden)]
pub use number_counts::Extreme;
#[doc(hidden)]
pub use numbers::NumberBar;
pub use numbers::NumberDistribution;
pub use shape::Shape;
pub use values::{Count, FrequentValue};

#[cfg(feature = "cutlist")]
#[doc(hidden)]
pub use against::{Against, Change};
#[doc(hidden)]
pub use delimiters::Delimiter;
#[cfg(feature = "cutlist")]
pub use differences::differences;
#[cfg(feature = "cutlist")]
#[doc(hidden)]
pub use differences::{Difference, DifferentProperty};
#[doc(hidden)]
pub use fine::{FineRun, What, runs_of};
#[doc(hidden)]
pub use kinds::Kinds;
#[doc(hidden)]
pub use lengths::Bar;
#[doc(hidden)]
pub use oddities::Oddity;
#[doc(hidden)]
pub use positions::{Content, Position};
#[doc(hidden)]
pub use sample::{LONGEST as LONGEST_IN_SAMPLE, Row};
#[cfg(feature = "cutlist")]
#[doc(hidden)]
pub use saved::{Kind as SavedKind, SavedColumn, SavedSurvey, VERSION as SAVED_VERSION};
#[doc(hidden)]
pub use shape::ShapePart;

use fine::Encoder;
use oddities::Oddities;
use positions::Places;
use quantities::Quantities;
use sample::Sample;
use shapes::{Shapes, Slots};
use values::Values;

use crate::dates::DateCounts;
use crate::sightings::{ROWS, Sightings};
use crate::text::blank::is_blank;

/// The level of detail.
///
/// ```
/// use keen_notch_core::survey::{Depth, Survey};
///
/// let mut survey = Survey::new(Depth::Brief);
/// survey.observe(1, "GRP-1");
/// assert!(survey.positions().is_none());
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Depth {
    /// One line per column, without delimiters, positions and sample.
    Brief,
    /// A page per column.
    Full,
}

impl Depth {
    /// The memory of a column in bytes, without a limit.
    pub fn bytes(self) -> usize {
        match self {
            Depth::Brief => 2 << 20,
            Depth::Full => 25 << 20,
        }
    }
}

/// With little memory, a survey halves its limits up to this many times.
const MOST_HALVINGS: u32 = 3;

const ALLOCATION: usize = 16;
const SAMPLE: usize = 2000;
/// Positions are shown if at least this share of the values has one length.
const STEADY: f64 = 0.6;

/// The survey of a column.
///
/// ```
/// use keen_notch_core::survey::{Depth, Survey};
///
/// let (mut first, mut second) = (Survey::new(Depth::Full), Survey::new(Depth::Full));
/// first.observe(1, "GRP-00041273");
/// second.observe(2, "HNG-00760251");
/// second.observe(3, "");
/// first.merge(second);
/// assert_eq!((first.rows, first.blank.rows.as_slice()), (3, &[3][..]));
/// assert_eq!(first.groups()[0].shape.to_string(), "U3-d8");
/// ```
#[derive(Debug, Clone)]
pub struct Survey {
    pub rows: u64,
    /// Rows that are empty or white space.
    pub blank: Sightings,
    pub spaces_only: u64,
    /// The lengths of values with text, in characters.
    pub lengths: Lengths,
    different: Values,
    shapes: Shapes,
    oddities: Oddities,
    /// Numbers and dates of all values, unless `different` counts each value.
    quantities: Quantities,
    places: Option<Places>,
    sample: Option<Sample>,
    encoder: Encoder,
}

impl Survey {
    /// The survey of these values, as rows from 1.
    ///
    /// ```
    /// use keen_notch_core::survey::Survey;
    ///
    /// let survey = Survey::of_values(["GRP-00041273", "HNG-00760251", ""]);
    /// assert_eq!((survey.rows, survey.blank.count), (3, 1));
    /// assert_eq!(survey.groups()[0].shape.to_string(), "U3-d8");
    /// ```
    pub fn of_values<'v>(values: impl IntoIterator<Item = &'v str>) -> Survey {
        let mut survey = Survey::new(Depth::Full);
        (1..).zip(values).for_each(|(row, value)| survey.observe(row, value));
        survey
    }

    pub fn new(depth: Depth) -> Survey {
        Survey::within(depth, usize::MAX)
    }

    /// An empty survey for about `bytes` of memory. With less memory it keeps fewer values and shapes, down to an eighth.
    pub fn within(depth: Depth, bytes: usize) -> Survey {
        let (values, shapes) = match depth {
            Depth::Brief => (10_000, 500),
            Depth::Full => (100_000, 8_000),
        };
        let halvings = (0..MOST_HALVINGS).find(|halvings| depth.bytes() >> halvings <= bytes).unwrap_or(MOST_HALVINGS);
        let (values, shapes) = (values >> halvings, shapes >> halvings);
        Survey {
            rows: 0,
            blank: Sightings::default(),
            spaces_only: 0,
            lengths: Lengths::default(),
            different: Values::new(values),
            shapes: Shapes::new(shapes),
            oddities: Oddities::default(),
            quantities: Quantities::default(),
            places: (depth == Depth::Full).then(Places::default),
            sample: (depth == Depth::Full).then(|| Sample::new(SAMPLE >> halvings)),
            encoder: Encoder::default(),
        }
    }

    /// Observes the value of a row. Row numbers must not decrease.
    #[inline]
    pub fn observe(&mut self, row: u64, value: &str) {
        self.rows += 1;
        if is_blank(value) {
            self.blank.note(row);
            self.spaces_only += u64::from(!value.is_empty());
            return;
        }
        if !self.different.counts_each() {
            self.quantities.observe(row, value, 1);
        }
        self.different.observe(row, value);
        self.different.take_dropped().for_each(|seen| self.quantities.observe(seen.first, &seen.text, seen.count));
        let glance = self.encoder.encode(value);
        self.lengths.observe(glance.length);
        if glance.odd {
            self.oddities.look(row, value);
        }
        self.shapes.observe(row, value, glance, self.encoder.key());
        if let Some(places) = &mut self.places {
            places.observe(row, value, glance.length, glance.plain);
        }
        if let Some(sample) = &mut self.sample {
            sample.observe(row, value);
        }
    }

    /// Observes `rows` empty values, starting at row `first`.
    pub fn observe_empty(&mut self, first: u64, rows: usize) {
        self.rows += rows as u64;
        self.blank.append(&Sightings { count: rows as u64, rows: (first..).take(rows.min(ROWS)).collect() }, 0);
    }

    pub fn bytes(&self) -> usize {
        let places = self.places.as_ref().map_or(0, Places::bytes);
        let sample = self.sample.as_ref().map_or(0, Sample::bytes);
        let counted = self.different.bytes() + self.quantities.bytes();
        size_of::<Survey>() + counted + self.shapes.bytes() + self.lengths.bytes() + places + sample
    }

    /// Adds a survey of other rows of the column, with the same depth and a common row numbering. The result equals a survey of all rows,
    /// for any parts in any order.
    pub fn merge(&mut self, other: Survey) {
        self.rows += other.rows;
        self.blank.add(&other.blank);
        self.spaces_only += other.spaces_only;
        self.quantities.merge(&other.quantities);
        if !self.different.counts_each() {
            other.different.seen().for_each(|seen| self.quantities.observe(seen.first, &seen.text, seen.count));
        }
        self.different.merge(other.different);
        self.different.take_dropped().for_each(|seen| self.quantities.observe(seen.first, &seen.text, seen.count));
        self.lengths.merge(&other.lengths);
        self.oddities.merge(&other.oddities);
        self.shapes.merge(other.shapes);
        if let (Some(places), Some(others)) = (&mut self.places, other.places) {
            places.merge(others);
        }
        if let (Some(sample), Some(others)) = (&mut self.sample, other.sample) {
            sample.merge(others);
        }
    }

    pub fn values(&self) -> u64 {
        self.rows - self.blank.count
    }

    /// The number of distinct values with text.
    pub fn distinct(&self) -> Count {
        match self.different.count() {
            Count::About(count) => Count::About(count.min(self.values())),
            exact => exact,
        }
    }

    /// The standard error of [`Count::About`], as a share.
    pub fn distinct_error(&self) -> f64 {
        self.different.error()
    }

    /// Whether the frequency of each value is known, because there are few enough distinct values.
    pub fn counts_each(&self) -> bool {
        self.different.counts_each()
    }

    /// The `most` most frequent values. With too many distinct values, estimates from a sample of the rows; then empty for a brief
    /// survey.
    pub fn frequent(&self, most: usize) -> Vec<FrequentValue> {
        self.different.top(most).unwrap_or_else(|| values::top_of_sample(&self.sample(), self.values(), most))
    }

    /// Rows spread over the column, in order: at most 2000, with values of up to 4096 bytes. Empty for a brief survey.
    pub fn sample(&self) -> Vec<Row> {
        self.sample.as_ref().map(Sample::rows).unwrap_or_default()
    }

    pub fn groups(&self) -> Vec<Group> {
        group::groups(&self.shapes)
    }

    pub fn fine_groups(&self) -> Vec<Group> {
        group::each(&self.shapes)
    }

    /// Values whose shapes were dropped because they have too many parts.
    pub fn other_shapes(&self) -> &Sightings {
        &self.shapes.others
    }

    /// Whether some fine shapes are counted together because of the limit.
    pub fn shapes_overflowed(&self) -> bool {
        !self.shapes.merged().is_empty()
    }

    /// Invisible characters, look-alikes and unexpected spaces, with their rows.
    pub fn oddities(&self) -> Vec<(Oddity, Sightings)> {
        self.oddities.all().map(|(oddity, seen)| (oddity, seen.clone())).collect()
    }

    /// The distribution of the numbers, if most values are numbers and not dates.
    pub fn numbers(&self) -> Option<NumberDistribution> {
        self.quantities().distribution()
    }

    /// The dates, by format.
    pub fn dates(&self) -> DateCounts {
        self.quantities().dates
    }

    fn quantities(&self) -> Quantities {
        let mut quantities = self.quantities.clone();
        self.different.seen().for_each(|seen| quantities.observe(seen.first, &seen.text, seen.count));
        quantities
    }

    pub fn delimiters(&self) -> Vec<Delimiter> {
        self.shapes.delimiters().all(self.values())
    }

    /// The characters at each position of values with the most frequent length, if most values have that length and it is more than one.
    /// `None` for a brief survey.
    pub fn positions(&self) -> Option<(usize, Vec<Position>)> {
        let (length, count) = self.lengths.commonest()?;
        if length < 2 || (count as f64) < STEADY * self.values() as f64 {
            return None;
        }
        let positions = self.places.as_ref()?.positions(length);
        (!positions.is_empty()).then_some((length, positions))
    }

    /// Prepares a search for the values of some groups.
    pub fn members(&self, groups: &[Group]) -> Members {
        let keys = groups.iter().flat_map(|group| group.keys.iter().cloned());
        Members { keys: keys.collect(), encoder: Encoder::default(), slots: Slots::default() }
    }
}

/// Decides whether values belong to some groups.
///
/// ```
/// use keen_notch_core::survey::{Depth, Survey};
///
/// let mut survey = Survey::new(Depth::Full);
/// (1..).zip(["GRP-1", "HNG-2", "n/a"]).for_each(|(row, value)| survey.observe(row, value));
/// let mut members = survey.members(&survey.groups()[..1]);
/// assert!(members.has("BRK-3") && !members.has("n/a"));
/// ```
#[derive(Debug)]
pub struct Members {
    keys: HashSet<Box<[u8]>>,
    encoder: Encoder,
    slots: Slots,
}

impl Members {
    pub fn has(&mut self, value: &str) -> bool {
        if is_blank(value) {
            return false;
        }
        self.encoder.encode(value);
        self.slots.read(self.encoder.key());
        self.keys.contains(self.encoder.key()) || self.keys.contains(self.slots.key.as_slice())
    }
}
