//! The survey of a column, broken down by the values of another.

use std::collections::HashMap;

use keen_notch_core::batch::Batch;
use keen_notch_core::carving::BatchResults;
use keen_notch_core::survey::{Depth, Survey};

use super::Collector;
use crate::Error;
use crate::view::View;

/// A column with more values is refused.
pub const MOST_GROUPS: usize = 1_000;
/// The memory of a group, in bytes, without a limit for the run.
const BYTES: usize = 256 << 10;

/// The surveys of the rows with each value of a column.
#[derive(Debug)]
pub struct Groups {
    title: String,
    /// The places of the group and the value in the view.
    places: [usize; 2],
    /// The index of each group.
    places_of: HashMap<String, usize>,
    surveys: Vec<Survey>,
}

impl Groups {
    pub(super) fn new(title: &str, places: [usize; 2]) -> Groups {
        Groups { title: title.to_owned(), places, places_of: HashMap::new(), surveys: Vec::new() }
    }

    /// The groups, the largest first.
    pub fn by_size(self) -> Vec<(String, Survey)> {
        let mut surveys: Vec<Option<Survey>> = self.surveys.into_iter().map(Some).collect();
        let named = self.places_of.into_iter().filter_map(|(group, at)| Some((group, surveys.get_mut(at)?.take()?)));
        let mut all: Vec<(String, Survey)> = named.collect();
        all.sort_by(|(one, of_one), (other, of_other)| of_other.rows.cmp(&of_one.rows).then_with(|| one.cmp(other)));
        all
    }

    fn of(&mut self, value: &str) -> Result<&mut Survey, Error> {
        let at = match self.places_of.get(value) {
            Some(at) => *at,
            None if self.surveys.len() == MOST_GROUPS => {
                return Err(Error::TooManyGroups { column: self.title.clone(), limit: MOST_GROUPS });
            }
            None => {
                self.surveys.push(Survey::within(Depth::Brief, BYTES));
                self.places_of.insert(value.to_owned(), self.surveys.len() - 1);
                self.surveys.len() - 1
            }
        };
        Ok(&mut self.surveys[at])
    }
}

impl Collector for Groups {
    fn observe(
        &mut self,
        view: View,
        rows: usize,
        number: &dyn Fn(usize) -> u64,
        (batch, batch_results): (&Batch, &BatchResults),
    ) -> Result<(), Error> {
        let (groups, values) = {
            let [group, value] = self.places;
            (view.texts(group, batch, batch_results), view.texts(value, batch, batch_results))
        };
        for (row, (group, value)) in groups.iter().zip(values.iter()).enumerate().take(rows) {
            self.of(group)?.observe(number(row), value);
        }
        Ok(())
    }

    fn merge(&mut self, other: Groups) -> Result<(), Error> {
        other.by_size().into_iter().try_for_each(|(group, survey)| self.of(&group).map(|own| own.merge(survey)))
    }

    fn bytes(&self) -> usize {
        self.surveys.iter().map(Survey::bytes).sum()
    }
}
