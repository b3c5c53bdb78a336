//! Values that several branches of a phrase read as different dates.

use std::sync::Arc;

use crate::batch::Texts;
use crate::phrase::Phrase;
use crate::phrase::ast::{Body, StepKind};
use crate::program::{Program, Results, Work};
use crate::sightings::Sightings;
use crate::text::unit::Unit;

/// Observations about the branches of a phrase that read dates: two or more.
#[derive(Debug, Clone)]
pub struct DateBranches {
    branches: Arc<[(String, Program)]>,
    /// Values that two branches read as different dates.
    pub ambiguous: Sightings,
    pub value: String,
    /// The formats that read it, each with its date.
    pub readings: Vec<(String, String)>,
    /// The number of values that only this branch reads, by branch.
    pub only: Vec<u64>,
}

impl DateBranches {
    /// Observations for a phrase with at least two branches that end in `date`.
    pub fn new(phrase: &Phrase) -> Option<DateBranches> {
        let branches = phrase.branches.iter().filter_map(|branch| {
            let Body::Steps(steps) = &branch.body else { return None };
            let StepKind::Date { format, .. } = &steps.last()?.kind else { return None };
            let alone = Phrase::parse(phrase.source.get(branch.span.clone())?).ok()?;
            Some((format.text.clone(), Program::new(&alone, Unit::Characters).ok()?))
        });
        let branches: Arc<[_]> = branches.collect();
        let only = vec![0; branches.len()];
        (branches.len() > 1).then(|| DateBranches {
            branches,
            ambiguous: Sightings::default(),
            value: String::new(),
            readings: Vec::new(),
            only,
        })
    }

    pub fn formats(&self) -> impl Iterator<Item = &String> {
        self.branches.iter().map(|(format, _)| format)
    }

    pub fn append(&mut self, later: &DateBranches, offset: u64) {
        if self.ambiguous.count == 0 {
            (self.value, self.readings) = (later.value.clone(), later.readings.clone());
        }
        self.ambiguous.append(&later.ambiguous, offset);
        self.only.iter_mut().zip(&later.only).for_each(|(all, count)| *all += count);
    }

    pub fn observe(&mut self, values: Texts, results: &Results, number: &dyn Fn(usize) -> u64) {
        let mut work = Work::default();
        let read = |(_, program): &(String, Program)| {
            let mut results = Results::default();
            program.run(values, &mut work, &mut results);
            results
        };
        let read: Vec<Results> = self.branches.iter().map(read).collect();
        for row in (0..values.len()).filter(|row| results.state(*row).is_there()) {
            let date = |branch: usize| {
                let results = &read[branch];
                Some((branch, results.texts(values).get(results.items(row).next()?)))
            };
            let mut dates = (0..read.len()).filter_map(date);
            let Some((only, first)) = dates.next() else { continue };
            let (mut is_only, mut is_ambiguous) = (true, false);
            dates.for_each(|(_, date)| (is_only, is_ambiguous) = (false, is_ambiguous || date != first));
            if is_only {
                self.only[only] += 1;
            } else if is_ambiguous {
                if self.ambiguous.count == 0 {
                    self.value = values.get(row).to_owned();
                    let reading = |(branch, date): (usize, &str)| (self.branches[branch].0.clone(), date.to_owned());
                    self.readings = (0..read.len()).filter_map(date).map(reading).collect();
                }
                self.ambiguous.note(number(row));
            }
        }
    }
}
