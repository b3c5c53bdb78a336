//! Working out the rows of one part: their pieces, what is wrong with them, and the bytes that are written.

use keen_notch_core::carving::{Batch, CheckName, Fault, Memory, OutColumn, Workspace};
use keen_notch_core::check::{Violation, ViolationKind};
use keen_notch_core::hints::{Seen, Watcher};
use keen_notch_core::sightings::Sightings;
use keen_notch_core::tally::Tally;
use keen_notch_core::text::buffer::Buffer;
use keen_notch_core::text::characters::is_plain;

use super::header::Begin;
use super::written::Written;
use super::{Counts, FaultyRow, Job, Layout, PreviewCell};
use crate::Error;
use crate::gather::{Gathered, Needed, Next};
use crate::record::{Cells, Record, Rooms, push_cell};
use crate::table::{Line, Part, Ragged};

/// What came of a part. Its rows are counted from 1 within it.
pub struct Worked {
    /// What is written.
    pub bytes: Buffer,
    /// What is written of the rows that are set aside.
    pub aside: Buffer,
    /// Whether `bytes` ends in a line end: only the last row of an input may have none.
    pub ended: bool,
    /// Every fault, where they are asked for.
    pub faults: Vec<Found>,
    /// The first rows with faults, as many as are asked for.
    pub samples: Vec<FaultyRow>,
    /// The first output rows, as many as are asked for.
    pub preview: Vec<Vec<PreviewCell>>,
    /// The counts of each piece.
    pub tallies: Vec<Tally>,
    /// The counts of each check.
    pub checks: Vec<Sightings>,
    /// What the keen eye saw.
    pub watcher: Watcher,
    /// How many rows came to what.
    pub counts: Counts,
}

/// A fault, and where it is.
pub struct Found {
    /// The row.
    pub row: u64,
    /// The line it begins on, in its input.
    pub line: u64,
    /// What is wrong.
    pub fault: Fault,
    /// The value of the column it is about.
    pub value: String,
}

impl Worked {
    /// Nothing so far.
    pub fn new(job: &Job) -> Worked {
        Worked {
            bytes: Buffer::default(),
            aside: Buffer::default(),
            ended: true,
            faults: Vec::new(),
            samples: Vec::new(),
            preview: Vec::new(),
            tallies: vec![Tally::default(); job.carving.count()],
            checks: vec![Sightings::default(); job.checks.len()],
            watcher: job.watcher.clone(),
            counts: Counts::default(),
        }
    }

    /// Nothing again, with the room kept.
    pub fn clear(&mut self, job: &Job) {
        let (mut bytes, mut aside) = (std::mem::take(&mut self.bytes), std::mem::take(&mut self.aside));
        bytes.clear();
        aside.clear();
        *self = Worked { bytes, aside, ..Worked::new(job) };
    }
}

/// What the run asks for besides the rows.
#[derive(Debug, Clone, Copy)]
pub struct Asked {
    /// That rows with faults are set aside.
    pub offcuts: bool,
    /// Every fault.
    pub faults: bool,
}

/// Works out the rows of parts.
pub struct Rows<'j> {
    job: &'j Job,
    delimiter: u8,
    line_end: &'j str,
    asked: Asked,
    rooms: Rooms,
    work: Workspace,
    memory: Memory,
    /// What is wrong with the row at hand.
    found: Vec<Fault>,
    /// The byte of the part at hand up to which lines were counted, and the line there.
    counted: (usize, u64),
    batch: Batch,
}

impl<'j> Rows<'j> {
    /// Ready for any part of the table.
    pub fn new(job: &'j Job, begin: &'j Begin, asked: Asked) -> Rows<'j> {
        Rows {
            job,
            delimiter: begin.delimiter,
            line_end: &begin.preamble.line_end,
            asked,
            rooms: Rooms::default(),
            work: Workspace::default(),
            memory: Memory::default(),
            found: Vec::new(),
            counted: (0, 0),
            batch: Batch::default(),
        }
    }

    /// Works out a part. `before` is the number of rows before it, where anything is asked of these. The room that
    /// `gathered` has is used.
    ///
    /// # Errors
    /// Where the part is not UTF-8, or a row has another number of cells than there are columns.
    pub fn work(&mut self, part: &Part, before: u64, gathered: &mut Gathered, worked: &mut Worked) -> Result<(), Error> {
        self.counted = (0, part.first_line());
        let text = part.text()?;
        let mut room = Cells::default();
        gathered.begin(part, text, self.job.has_short_way);
        let cells = if self.job.layout == Layout::CellByCell { self.job.originals.as_slice() } else { &[] };
        let needed = Needed { columns: part.columns(), values: &self.job.used, cells };
        loop {
            // The first rows are shown, and go the long way.
            let together = self.job.has_short_way && worked.preview.len() >= self.job.preview;
            match gathered.next(part, text, together.then_some(needed), &mut room)? {
                Some(Next::Rows) => self.rows_together(gathered, part, text, worked),
                Some(Next::Line(line)) => self.line_of(line, part, before, worked),
                None => return Ok(()),
            }
        }
    }

    fn line_of(&mut self, line: Line, part: &Part, before: u64, worked: &mut Worked) {
        match line {
            Line::Row(record, at) | Line::Ragged(record, at) => self.row(&record, part, at, before, worked),
            // A line that is no row is kept where the lines are kept.
            Line::Blank(record) if matches!(self.job.layout, Layout::Appended(_)) => {
                worked.bytes.extend(record.line_end.as_bytes());
            }
            Line::Blank(_) => {}
        }
    }

    /// The short way: the rows that were gathered.
    // Compiled by itself: what its loops need then stays in registers.
    #[inline(never)]
    fn rows_together(&mut self, gathered: &mut Gathered, part: &Part, text: &str, worked: &mut Worked) {
        let mut batch = std::mem::take(&mut self.batch);
        let first = worked.counts.rows + 1;
        worked.counts.rows += gathered.rows().len() as u64;
        let carving = &self.job.carving;
        carving.run_batch(gathered.values(text), &mut batch, &mut worked.tallies);
        if worked.watcher.count() > 0 {
            gathered.note_looks(text, &self.job.used);
            for (piece, results) in batch.pieces().iter().enumerate() {
                let Some(column) = carving.column(piece) else { continue };
                let values = &gathered.values(text).columns[column];
                worked.watcher.see_many(piece, first, Seen { text, values, looks: gathered.looks(column), results });
            }
        }
        let written = Written::new(self.job, self.delimiter, gathered, text, &batch);
        let rows = gathered.rows();
        let (mut cells, mut faults, mut written_to, mut set_aside) = (Cells::default(), batch.faults(), 0, 0);
        while let Some((index, _)) = faults.first() {
            let (of_row, rest) = faults.split_at(faults.partition_point(|(row, _)| row == index));
            faults = rest;
            self.found.clear();
            self.found.extend(of_row.iter().map(|(_, fault)| fault.clone()));
            let index = *index as usize;
            let at = rows[index].raw.start as usize;
            let record = Record::read(text, at, self.delimiter, &mut cells);
            if self.is_set_aside(&record, first + index as u64, part, at, worked) {
                written.write(&rows[written_to..index], written_to, &mut worked.bytes);
                written_to = index + 1;
                set_aside += 1;
            }
        }
        written.write(&rows[written_to..], written_to, &mut worked.bytes);
        let kept = rows.len() as u64 - set_aside;
        worked.counts.rows_kept += kept;
        worked.counts.rows_out += kept;
        worked.ended = true;
        drop(written);
        self.batch = batch;
    }

    fn row(&mut self, record: &Record, part: &Part, at: usize, before: u64, worked: &mut Worked) {
        // The room is put aside, so that values can be read from it while everything else is at work.
        let mut rooms = std::mem::take(&mut self.rooms);
        self.job.used.iter().for_each(|column| record.prepare(*column, &mut rooms));
        self.row_of(record, &|column| record.value(column, &rooms), (part, at, before), worked);
        self.rooms = rooms;
    }

    /// The long way: one row, which begins at byte `at` of a part with so many rows before it.
    fn row_of<'v>(
        &mut self,
        record: &Record<'v>,
        value: &impl Fn(usize) -> &'v str,
        (part, at, before): (&Part, usize, u64),
        worked: &mut Worked,
    ) {
        worked.counts.rows += 1;
        let row = worked.counts.rows;
        let carving = &self.job.carving;
        self.found.clear();
        let is_ragged = record.count() != part.columns();
        if is_ragged && part.ragged() == Ragged::SetAside {
            self.found.push(ragged(record, part, self.job));
        } else {
            carving.run(value, is_plain(record.raw), &mut self.work);
            if !carving.keeps(value, &self.work, before + row, &mut self.memory) {
                worked.counts.left_out += 1;
                return;
            }
            for piece in 0..worked.watcher.count() {
                if let Some(column) = carving.column(piece) {
                    let text = carving.text(piece, 0, value, &self.work);
                    worked.watcher.see(piece, row, value(column), text, self.work.state(piece));
                }
            }
            carving.judge(value, &mut self.work, before + row, &mut self.memory, &mut worked.tallies, &mut self.found);
            if is_ragged {
                self.found.push(ragged(record, part, self.job));
            }
        }
        if self.is_set_aside(record, row, part, at, worked) {
            return;
        }
        let copies = carving.rows_piece().map_or(1, |piece| self.work.count(piece).max(1));
        for copy in 0..copies {
            // The last row of an input may have no line end; between two of its copies there is one.
            if copy > 0 && !worked.ended && self.job.layout != Layout::Nothing {
                worked.bytes.extend(self.line_end.as_bytes());
            }
            self.row_copy(record, value, part.columns(), copy, &mut worked.bytes);
            if worked.preview.len() < self.job.preview {
                worked.preview.push(self.preview(record, value, copy));
            }
            if self.job.layout != Layout::Nothing {
                worked.bytes.extend(record.line_end.as_bytes());
            }
            worked.ended = !record.line_end.is_empty();
        }
        worked.counts.rows_kept += 1;
        worked.counts.rows_out += copies as u64;
    }

    /// Notes down what is wrong with the row at hand. Whether it is set aside for that, and so not written.
    fn is_set_aside(&mut self, record: &Record, row: u64, part: &Part, at: usize, worked: &mut Worked) -> bool {
        if self.found.is_empty() {
            return false;
        }
        let line = self.line(part, at);
        self.note_faults(record, row, line, worked);
        let is_faulty = self.found.iter().any(|fault| !self.job.checks[fault.check].only_warns);
        worked.counts.faulty += u64::from(is_faulty);
        if is_faulty && self.asked.offcuts {
            worked.counts.set_aside += 1;
            self.set_aside(record, &mut worked.aside);
        }
        is_faulty && self.asked.offcuts
    }

    /// The line that byte `at` of the part is on; bytes are asked for from left to right.
    fn line(&mut self, part: &Part, at: usize) -> u64 {
        let (from, line) = self.counted;
        self.counted = (at, line + crate::block::lines(&part.bytes()[from..at]));
        self.counted.1
    }

    /// Counts the faults of the row at hand, and notes them down.
    fn note_faults(&self, record: &Record, row: u64, line: u64, worked: &mut Worked) {
        let mut last = None;
        for fault in &self.found {
            if last.replace(fault.check) != Some(fault.check) {
                worked.checks[fault.check].note(row);
            }
            if fault.violation.kind == ViolationKind::WrongLayout {
                worked.watcher.see_layout(row, &fault.result, &fault.violation);
            }
            if self.asked.faults {
                let value = self.value_of(record, &self.job.checks[fault.check]);
                worked.faults.push(Found { row, line, fault: fault.clone(), value });
            }
        }
        if worked.samples.len() < self.job.samples {
            let faults = self.found.iter().map(|fault| (fault.clone(), self.value_of(record, &self.job.checks[fault.check])));
            worked.samples.push(FaultyRow { row, line, faults: faults.collect() });
        }
    }

    /// The value of the column that a check is about; the whole row where it is about no column.
    fn value_of(&self, record: &Record, check: &CheckName) -> String {
        check.column.map_or_else(|| record.raw.to_owned(), |column| record.owned_value(column))
    }

    /// Writes the row as it is, and why it is set aside.
    fn set_aside(&self, record: &Record, aside: &mut Buffer) {
        aside.extend(record.raw.as_bytes());
        aside.push(self.delimiter);
        let faults = self.found.iter().filter(|fault| !self.job.checks[fault.check].only_warns);
        let why = faults.map(|fault| format!("{}: {}", self.job.checks[fault.check].of, fault.violation.detail));
        push_cell(aside, why.collect::<Vec<_>>().join("; ").as_bytes(), self.delimiter);
        aside.extend(if record.line_end.is_empty() { self.line_end } else { record.line_end }.as_bytes());
    }

    /// Writes the row, with the result `copy` of the piece that gets a row a result.
    fn row_copy<'v>(
        &self,
        record: &Record<'v>,
        value: &impl Fn(usize) -> &'v str,
        table_columns: usize,
        copy: usize,
        out: &mut Buffer,
    ) {
        let start = out.width();
        let columns = match self.job.layout {
            Layout::Nothing => return,
            Layout::Appended(count) => {
                out.extend(record.raw.as_bytes());
                // A row that is too short is filled up, so that the pieces stand in their columns.
                for _ in record.count()..table_columns {
                    out.push(self.delimiter);
                }
                &self.job.columns[self.job.columns.len() - count..]
            }
            Layout::CellByCell => &self.job.columns,
        };
        for (index, column) in columns.iter().enumerate() {
            if index > 0 || matches!(self.job.layout, Layout::Appended(_)) {
                out.push(self.delimiter);
            }
            match column {
                OutColumn::Original(index) => out.extend(record.raw_cell(*index).as_bytes()),
                OutColumn::Piece { piece, result } => {
                    push_cell(out, self.piece_text(value, *piece, *result, copy).as_bytes(), self.delimiter)
                }
            }
        }
        if self.job.layout == Layout::CellByCell && self.job.keeps_all {
            // Cells beyond the last column have no place, but must not be lost.
            for index in table_columns..record.count() {
                out.push(self.delimiter);
                out.extend(record.raw_cell(index).as_bytes());
            }
        }
        if self.job.columns.len() == 1 && out.width() == start {
            // A line with nothing on it would be no row to most readers.
            out.extend(b"\"\"");
        }
    }

    fn piece_text<'a, 'v: 'a>(
        &'a self,
        value: &impl Fn(usize) -> &'v str,
        piece: usize,
        result: usize,
        copy: usize,
    ) -> &'a str {
        let carving = &self.job.carving;
        let result = if carving.rows_piece() == Some(piece) { copy } else { result };
        carving.text(piece, result, value, &self.work)
    }

    fn preview<'v>(&self, record: &Record<'v>, value: &impl Fn(usize) -> &'v str, copy: usize) -> Vec<PreviewCell> {
        let cell = |column: &OutColumn| match column {
            OutColumn::Original(index) => PreviewCell { text: record.owned_value(*index), state: None },
            OutColumn::Piece { piece, result } => {
                let text = self.piece_text(value, *piece, *result, copy).to_owned();
                PreviewCell { text, state: Some(self.work.state(*piece)) }
            }
        };
        self.job.columns.iter().map(cell).collect()
    }
}

/// The fault of a row with another number of cells than there are columns.
fn ragged(record: &Record, part: &Part, job: &Job) -> Fault {
    let detail = format!("it has {} cells, not {}", record.count(), part.columns());
    let violation = Violation::new(ViolationKind::Ragged, detail);
    Fault { check: job.checks.len() - 1, result: String::new(), place: None, violation }
}
