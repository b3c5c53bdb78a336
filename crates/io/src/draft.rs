//! What drafting needs of a table: a survey with a sample, trying a cut list, and trying phrases.

use std::io;
use std::ops::ControlFlow;

use keen_notch_core::carving::Carving;
use keen_notch_core::draft::{Proved, Sample};
use keen_notch_core::program::{Program, Scratch};
use keen_notch_core::sightings::Sightings;
use keen_notch_core::survey::{Depth, Survey};

use crate::Error;
use crate::carve::{Job, Outs, carve};
use crate::columns::{self, Column};
use crate::record::Rooms;
use crate::table::Table;

/// Rows of a sample.
const SAMPLE: usize = 2000;
/// Rows on which phrases differ that are kept.
const DIFFERING: usize = 3;

/// Surveys a column and keeps a sample of it.
///
/// # Errors
/// Where the table cannot be read to its end.
pub fn look(table: &mut Table, column: usize) -> Result<(Survey, Sample), Error> {
    let mut survey = Survey::new(Depth::Full);
    let mut sample = Sample::new(SAMPLE);
    columns::each(table, &[column], |values| {
        for value in values.iter().flat_map(Column::values) {
            survey.see(survey.rows + 1, value);
            sample.see(survey.rows, value);
        }
    })?;
    Ok((survey, sample))
}

/// Tries a cut list that was drafted on all rows of a table.
///
/// # Errors
/// Where the table cannot be read to its end.
pub fn prove(table: &mut Table, carving: Carving) -> Result<Proved, Error> {
    let header = table.header.clone();
    let threads = std::thread::available_parallelism().map_or(1, usize::from);
    let job = Job::new(carving, &header, &[], 0).with_samples(keen_notch_core::sightings::ROWS).with_threads(threads);
    let mut outs = Outs { rows: &mut io::sink(), name: String::new(), offcuts: None, faults: None };
    let report = carve(table, &job, &mut outs)?;
    let rows = report.samples.iter().map(|sample| sample.row).collect();
    let checks = job.checks().iter().zip(report.checks);
    Ok(Proved {
        faulty: Sightings { count: report.counts.faulty, rows },
        checks: checks.map(|(check, seen)| (check.of.clone(), check.words.clone(), seen)).collect(),
        filled: report.tallies.iter().map(|tally| report.counts.rows.saturating_sub(tally.missing)).collect(),
    })
}

/// What phrases give of the rows of a table.
#[derive(Debug, Clone, Default)]
pub struct Tried {
    /// Rows read.
    pub rows: u64,
    /// How many rows each phrase gives a result for.
    pub gives: Vec<u64>,
    /// The first rows on which the phrases differ, those first on which the first two do.
    pub differing: Vec<Differing>,
}

/// A row on which phrases differ.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Differing {
    /// Its number, from 1.
    pub row: u64,
    /// Its value.
    pub value: String,
    /// What each phrase gives; `None` where it is missing.
    pub results: Vec<Option<String>>,
}

/// Tries phrases on all rows of a table.
///
/// # Errors
/// Where the table cannot be read to its end.
pub fn try_phrases(table: &mut Table, column: usize, plans: &[Program]) -> Result<Tried, Error> {
    let mut tried = Tried { gives: vec![0; plans.len()], ..Tried::default() };
    let mut rooms = Rooms::default();
    let mut scratch = Scratch::default();
    let mut others: Vec<Differing> = Vec::new();
    table.each_row(|record, _| {
        tried.rows += 1;
        record.prepare(column, &mut rooms);
        let value = record.value(column, &rooms);
        let mut results: Vec<Option<String>> = Vec::with_capacity(plans.len());
        for (plan, gives) in plans.iter().zip(&mut tried.gives) {
            scratch.clear();
            let cut = plan.cut(value, &mut scratch);
            *gives += u64::from(!cut.state.missing);
            results.push((!cut.state.missing).then(|| cut.text.to_owned()));
        }
        let is_new = |all: &[Differing]| all.len() < DIFFERING && all.iter().all(|known| known.results != results);
        if let [first, second, ..] = results.as_slice() {
            let same = results.iter().all(|result| result == first);
            if first != second && is_new(&tried.differing) {
                tried.differing.push(Differing { row: tried.rows, value: value.to_owned(), results });
            } else if first == second && !same && is_new(&others) {
                others.push(Differing { row: tried.rows, value: value.to_owned(), results });
            }
        }
        ControlFlow::Continue(())
    })?;
    // A row that every phrase gives something for tells more than one on which one of them has nothing.
    tried.differing.sort_by_key(|row| row.results.iter().filter(|result| result.is_none()).count());
    tried.differing.extend(others);
    Ok(tried)
}
