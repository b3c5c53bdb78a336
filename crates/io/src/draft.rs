//! Evidence for drafts: runs of cut lists and phrases on all rows.

use std::io;
use std::ops::ControlFlow;

use keen_notch_core::carving::Carving;
use keen_notch_core::draft::Evidence;
use keen_notch_core::program::{Program, Results, Work};
use keen_notch_core::sightings::Sightings;

use crate::Error;
use crate::carve::{Job, Outs, carve};
use crate::sink::Stream;
use crate::table::Table;

const MOST_DIFFERING: usize = 3;

/// Runs a drafted cut list on all rows.
///
/// # Errors
/// The table cannot be read.
pub fn prove(table: &mut Table, carving: Carving, threads: usize) -> Result<Evidence, Error> {
    let header = table.header.clone();
    let job = Job::new(carving, &header, &[], 0).with_samples(keen_notch_core::sightings::ROWS).with_threads(threads);
    let mut nowhere = Stream::new("nowhere", io::sink());
    let mut outs = Outs::of_rows(&mut nowhere);
    let report = carve(table, &job, &mut outs)?;
    let rows = report.samples.iter().map(|sample| sample.row).collect();
    let checks = job.checks().iter().zip(report.totals.failed);
    Ok(Evidence {
        faulty: Sightings { count: report.totals.rows.with_faults, rows },
        checks: checks.map(|(check, seen)| (check.of.clone(), check.words.clone(), seen)).collect(),
        filled: report.totals.pieces.iter().map(|tally| tally.there(report.totals.rows.read)).collect(),
    })
}

#[derive(Debug, Clone, Default)]
pub struct PhraseTrials {
    pub rows: u64,
    pub gives: Vec<u64>,
    /// The first rows on which the phrases differ; rows that distinguish the first two phrases come first.
    pub differing: Vec<Differing>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Differing {
    pub row: u64,
    pub value: String,
    /// The result of each phrase; `None` if it is missing.
    pub results: Vec<Option<String>>,
}

/// Runs phrases on all rows.
///
/// # Errors
/// The table cannot be read.
pub fn try_phrases(table: &mut Table, column: usize, plans: &[Program]) -> Result<PhraseTrials, Error> {
    let mut tried = PhraseTrials { gives: vec![0; plans.len()], ..PhraseTrials::default() };
    let (mut work, mut all_results) = (Work::default(), Vec::new());
    all_results.resize_with(plans.len(), Results::default);
    let mut others: Vec<Differing> = Vec::new();
    table.each_batch(&[column], |before, batch| {
        let values = batch.column(column);
        for ((plan, results), gives) in plans.iter().zip(&mut all_results).zip(&mut tried.gives) {
            plan.run(values, &mut work, results);
            *gives += (0..batch.rows).filter(|row| results.state(*row).is_there()).count() as u64;
        }
        tried.rows += batch.rows as u64;
        for row in 0..batch.rows {
            let of = |results: &Results| {
                let item = results.items(row).next();
                item.map(|item| results.texts(values).get(item).to_owned())
            };
            let same = all_results.windows(2).all(|two| of(&two[0]) == of(&two[1]));
            if same || (tried.differing.len() >= MOST_DIFFERING && others.len() >= MOST_DIFFERING) {
                continue;
            }
            let results: Vec<Option<String>> = all_results.iter().map(of).collect();
            let is_new = |all: &[Differing]| all.len() < MOST_DIFFERING && all.iter().all(|known| known.results != results);
            let found =
                || Differing { row: before + row as u64 + 1, value: values.get(row).to_owned(), results: results.clone() };
            if let [first, second, ..] = results.as_slice() {
                if first != second && is_new(&tried.differing) {
                    tried.differing.push(found());
                } else if first == second && is_new(&others) {
                    others.push(found());
                }
            }
        }
        ControlFlow::Continue(())
    })?;
    // A row with a result from every phrase is more informative.
    tried.differing.sort_by_key(|row| row.results.iter().filter(|result| result.is_none()).count());
    tried.differing.extend(others);
    Ok(tried)
}
