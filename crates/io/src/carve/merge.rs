//! Merges the results of chunks in row order.

use keen_notch_core::batch::Buffer;
use keen_notch_core::carving::{CheckName, Totals};
use keen_notch_core::column::Header;
use keen_notch_core::diagnostics::{Diagnostics, FailedCheck, Focus};
use keen_notch_core::repeats::RowHash;
use keen_notch_core::sightings::Sightings;

use super::chunk_result::{ChunkResult, SampleCounts};
use super::{Failing, FaultyRow, Job, MOST_ODD_KEPT, MOST_ROWS_OF_KIND, Odd, OddRow, Outs, Report};
use crate::Error;
use crate::encode::Encoder;
use crate::faults::FaultRow;
use crate::inputs::Inputs;
use crate::sink::Reserved;

pub struct Merger<'m, 'o> {
    job: &'m Job,
    outs: &'m mut Outs<'o>,
    encoder: &'m dyn Encoder,
    report: Report,
    sampled: SampleCounts,
    diagnostics: Diagnostics,
    ended: bool,
    last: usize,
    /// The title of the column of each check.
    columns: Vec<String>,
}

impl<'m, 'o> Merger<'m, 'o> {
    pub fn new(
        job: &'m Job,
        outs: &'m mut Outs<'o>,
        (encoder, aside): (&'m dyn Encoder, &dyn Encoder),
        (inputs, header): (Inputs, &Header),
        (has_head, has_head_aside): (bool, bool),
    ) -> Result<Merger<'m, 'o>, Error> {
        let report = Report {
            inputs,
            totals: Totals::new(&job.carving, job.checks.len()),
            failing: vec![Failing::default(); job.checks.len()],
            formulas: vec![Sightings::default(); job.written().len()],
            ..Report::default()
        };
        let sampled = SampleCounts::new(job);
        let column = |check: &CheckName| check.column.map_or(String::new(), |column| header.title(column));
        let columns = job.checks.iter().map(column).collect();
        let diagnostics = job.diagnostics.clone();
        let mut merger = Merger { job, outs, encoder, report, sampled, diagnostics, ended: true, last: 0, columns };
        let mut head = Buffer::default();
        if job.shape.is_written && has_head {
            merger.ended = encoder.begin(&mut head);
        }
        merger.outs.rows.put(head.bytes())?;
        if let Some(offcuts) = merger.outs.offcuts.as_mut().filter(|_| has_head_aside) {
            let mut head = Buffer::default();
            aside.begin(&mut head);
            offcuts.put(head.bytes())?;
        }
        Ok(merger)
    }

    /// Sets what later chunks should observe of each piece.
    pub fn set_focus(&self, focus: &mut [Focus]) {
        focus.iter_mut().zip(self.diagnostics.focus()).for_each(|(of_piece, focus)| *of_piece = focus);
    }

    /// Takes the results of the next chunk. Returns the room for its rows, if they can be written in any order.
    ///
    /// # Errors
    /// An output cannot be written.
    pub fn take(&mut self, part: &ChunkResult) -> Result<Option<Reserved>, Error> {
        let mut reserved = None;
        if part.bytes.width() > 0 {
            if !self.ended && !part.goes_on {
                self.outs.rows.put(self.encoder.line_end())?;
            }
            reserved = self.outs.rows.reserve(part.bytes.width())?;
            if reserved.is_none() {
                self.outs.rows.put(part.bytes.bytes())?;
            }
            self.ended = self.encoder.is_complete(part.bytes.bytes());
            self.last = part.input;
        }
        if let Some(offcuts) = &mut self.outs.offcuts {
            offcuts.put(part.aside.bytes())?;
        }
        let report = &mut self.report;
        let before = report.totals.rows.read;
        report.inputs.begin(part.input, before);
        for found in &part.faults {
            if let Some(file) = &mut self.outs.faults {
                let (input, number) = report.inputs.locate(before + found.row);
                let check = &self.job.checks[found.fault.check];
                file.write(&FaultRow {
                    file: report.inputs.name(input),
                    row: number,
                    line: Some(found.line),
                    column: &self.columns[found.fault.check],
                    piece: &check.of,
                    only_warns: check.only_warns,
                    value: &found.value,
                    result: &found.fault.result,
                    check: &check.words,
                    violation: &found.fault.violation,
                })?;
            }
        }
        if let Some(file) = &mut self.outs.hashes {
            for hash in &part.hashes {
                file.write(&RowHash { row: before + hash.row, ..*hash })?;
            }
            report.hashes += part.hashes.len() as u64;
        }
        for sample in &part.samples {
            let checks = || sample.faults.iter().map(|(fault, _)| fault.check);
            if self.sampled.wants(self.job, report.samples.len(), checks()) {
                self.sampled.note(checks());
                report.samples.push(FaultyRow { row: before + sample.row, ..sample.clone() });
            }
        }
        let shown = self.job.preview - report.preview.len();
        report.preview.extend(part.preview.iter().take(shown).cloned());
        for odd in &part.odd {
            if report.odd.iter().filter(|known| known.why == odd.why).count() < MOST_ODD_KEPT {
                report.odd.push(OddRow { row: before + odd.row, ..odd.clone() });
            }
        }
        report.totals.append(&part.totals);
        report.formulas.iter_mut().zip(&part.formulas).for_each(|(all, seen)| all.append(seen, before));
        report.failing.iter_mut().zip(&part.failing).for_each(|(all, failing)| all.append(failing));
        self.diagnostics.append(&part.diagnostics, before);
        Ok(reserved)
    }

    pub fn finish(mut self) -> Result<Report, Error> {
        // The rows of a further input start on a new line, so the outputs of parts join to that of one run.
        if !self.ended && self.last + 1 < self.report.inputs.names().len() {
            self.outs.rows.put(self.encoder.line_end())?;
        }
        if let Some(file) = &mut self.outs.faults {
            file.end()?;
        }
        if let Some(file) = &mut self.outs.hashes {
            file.end()?;
        }
        let mut shown: Vec<OddRow> = Vec::new();
        for why in Odd::ALL {
            let is_new = |odd: &&OddRow| odd.why == why && shown.iter().all(|known| known.row != odd.row);
            let of_kind: Vec<OddRow> = self.report.odd.iter().filter(is_new).take(MOST_ROWS_OF_KIND).cloned().collect();
            shown.extend(of_kind);
        }
        self.report.odd = shown;
        let checks = self.job.checks.iter().zip(&self.report.totals.failed);
        let checks: Vec<_> = checks.map(|(check, seen)| FailedCheck { of: &check.of, words: &check.words, seen }).collect();
        self.report.hints = self.diagnostics.hints(self.report.totals.rows.read, &checks);
        Ok(self.report)
    }
}
