//! Putting together what came of the parts, in their order.

use std::io;

use keen_notch_core::column::Header;
use keen_notch_core::hints::Watcher;
use keen_notch_core::sightings::Sightings;
use keen_notch_core::tally::Tally;
use keen_notch_core::text::buffer::Buffer;

use super::header::Begin;
use super::rows::Worked;
use super::{FaultyRow, Job, Outs, Report};
use crate::Error;

/// Writes the outputs and counts.
pub struct Merger<'m, 'o> {
    job: &'m Job,
    outs: &'m mut Outs<'o>,
    line_end: &'m str,
    report: Report,
    watcher: Watcher,
    /// Whether what was written last ends in a line end.
    ended: bool,
}

impl<'m, 'o> Merger<'m, 'o> {
    /// Begins the outputs.
    ///
    /// # Errors
    /// Where one cannot be written.
    pub fn new(job: &'m Job, outs: &'m mut Outs<'o>, begin: &'m Begin, header: &Header) -> Result<Merger<'m, 'o>, Error> {
        let report = Report {
            tallies: vec![Tally::default(); job.carving.count()],
            checks: vec![Sightings::default(); job.checks.len()],
            ..Report::default()
        };
        let line_end = begin.preamble.line_end.as_str();
        let mut merger = Merger { job, outs, line_end, report, watcher: job.watcher.clone(), ended: true };
        let mut head = Buffer::default();
        merger.ended = begin.header(header, &mut head);
        merger.write(head.bytes())?;
        if let Some(offcuts) = &mut merger.outs.offcuts {
            let mut head = Buffer::default();
            begin.offcuts_header(header, &mut head);
            offcuts.put(head.bytes())?;
        }
        Ok(merger)
    }

    /// Rows so far.
    pub fn rows(&self) -> u64 {
        self.report.counts.rows
    }

    /// Takes what came of the next part.
    ///
    /// # Errors
    /// Where an output cannot be written.
    pub fn take(&mut self, worked: &Worked) -> Result<(), Error> {
        if worked.bytes.width() > 0 {
            if !self.ended {
                self.write(self.line_end.as_bytes())?;
            }
            self.write(worked.bytes.bytes())?;
            self.ended = worked.ended;
        }
        if let Some(offcuts) = &mut self.outs.offcuts {
            offcuts.put(worked.aside.bytes())?;
        }
        let report = &mut self.report;
        let before = report.counts.rows;
        for found in &worked.faults {
            if let Some(file) = &mut self.outs.faults {
                file.write(before + found.row, found.line, &self.job.checks[found.fault.check], &found.fault, &found.value)?;
            }
        }
        for sample in worked.samples.iter().take(self.job.samples - report.samples.len()) {
            report.samples.push(FaultyRow { row: before + sample.row, ..sample.clone() });
        }
        let shown = self.job.preview - report.preview.len();
        report.preview.extend(worked.preview.iter().take(shown).cloned());
        report.tallies.iter_mut().zip(&worked.tallies).for_each(|(all, tally)| all.add(tally));
        report.checks.iter_mut().zip(&worked.checks).for_each(|(all, seen)| all.append(seen, before));
        self.watcher.append(&worked.watcher, before);
        report.counts.add(&worked.counts);
        Ok(())
    }

    fn write(&mut self, bytes: &[u8]) -> Result<(), Error> {
        self.outs.rows.write_all(bytes).map_err(|source| self.failed(source))
    }

    fn failed(&self, source: io::Error) -> Error {
        Error::Write { name: self.outs.name.clone(), source }
    }

    /// Ends the outputs, and gives the report.
    ///
    /// # Errors
    /// Where the rows cannot be written to their end.
    pub fn finish(mut self) -> Result<Report, Error> {
        self.outs.rows.flush().map_err(|source| self.failed(source))?;
        let checks = self.job.checks.iter().zip(&self.report.checks);
        let checks: Vec<_> = checks.map(|(check, seen)| (check.of.clone(), check.words.clone(), seen.clone())).collect();
        self.report.hints = self.watcher.hints(self.report.counts.rows, &checks);
        Ok(self.report)
    }
}
