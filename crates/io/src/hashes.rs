//! Files of hashes, by which `merge` or an engine compares the rows of a part.

use std::fmt::Write;
use std::ops::ControlFlow;

use keen_notch_core::batch::{Batch, Buffer};
use keen_notch_core::carving::RowComparison;
use keen_notch_core::check::unique_texts::Hash;
use keen_notch_core::column::Header;
use keen_notch_core::repeats::RowHash;

use crate::Error;
#[cfg(feature = "columnar")]
use crate::formats::columnar::hashes as arrow;
use crate::sink::Sink;
use crate::source::Reading;
use crate::source::input::Input;
use crate::table::Table;

const COLUMNS: [&str; 5] = ["row", "check", "hash", "new_for_piece", "new_for_row"];

/// Hashes to collect before they are written.
const MOST_HELD: usize = 4 << 10;

/// The format of a file of hashes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum HashFormat {
    /// Delimited text, with a line for each hash.
    Text,
    /// A stream of Arrow batches.
    #[cfg(feature = "columnar")]
    Arrow,
}

pub struct HashFile<'a> {
    out: &'a mut dyn Sink,
    format: HashFormat,
    hashes: Vec<RowHash>,
    bytes: Buffer,
}

impl<'a> HashFile<'a> {
    /// Starts a file.
    ///
    /// # Errors
    /// It cannot be written.
    pub fn new(out: &'a mut dyn Sink, format: HashFormat) -> Result<HashFile<'a>, Error> {
        let mut bytes = Buffer::default();
        match format {
            HashFormat::Text => bytes.extend(format!("{}\n", COLUMNS.join(",")).as_bytes()),
            #[cfg(feature = "columnar")]
            HashFormat::Arrow => arrow::begin(&COLUMNS, &mut bytes)?,
        }
        out.put(bytes.bytes())?;
        Ok(HashFile { out, format, hashes: Vec::new(), bytes })
    }

    /// Writes a hash with the number of its row in the part, from 1.
    ///
    /// # Errors
    /// The file cannot be written.
    pub fn write(&mut self, hash: &RowHash) -> Result<(), Error> {
        self.hashes.push(*hash);
        if self.hashes.len() >= MOST_HELD { self.flush() } else { Ok(()) }
    }

    fn flush(&mut self) -> Result<(), Error> {
        self.bytes.clear();
        match self.format {
            HashFormat::Text => {
                let mut lines = String::new();
                self.hashes.iter().for_each(|hash| push_line(hash, &mut lines));
                self.bytes.extend(lines.as_bytes());
            }
            #[cfg(feature = "columnar")]
            HashFormat::Arrow => arrow::push(&COLUMNS, &self.hashes, &mut self.bytes)?,
        }
        self.hashes.clear();
        self.out.put(self.bytes.bytes())
    }

    /// Writes the last hashes and the end.
    ///
    /// # Errors
    /// The file cannot be written.
    pub fn end(&mut self) -> Result<(), Error> {
        self.flush()?;
        self.bytes.clear();
        match self.format {
            HashFormat::Text => {}
            #[cfg(feature = "columnar")]
            HashFormat::Arrow => arrow::end(&mut self.bytes),
        }
        self.out.put(self.bytes.bytes())
    }
}

fn push_line(RowHash { row, comparison }: &RowHash, lines: &mut String) {
    let RowComparison { check, hash, new_for_piece, new_for_row } = comparison;
    let bits = hash.bits();
    let (for_piece, for_row) = (u8::from(*new_for_piece), u8::from(*new_for_row));
    // Writing to a string cannot fail.
    let _ = writeln!(lines, "{row},{check},{bits:032x},{for_piece},{for_row}");
}

/// Reads a text file of hashes, and calls `see` with several of them at a time, in the order of their rows. Returns their number.
///
/// # Errors
/// The file cannot be read, is no such file, or `see` fails.
pub fn read(input: &Input, mut see: impl FnMut(&[RowHash]) -> Result<(), Error>) -> Result<u64, Error> {
    let wrong = |why: String| {
        let help = "name the summaries of parts beside their files of hashes, unchanged".into();
        Error::BadFile { name: input.name(), why, help }
    };
    let mut table = Table::open(std::slice::from_ref(input), &Reading::default())?;
    if table.header != Header::Names(COLUMNS.map(str::to_owned).to_vec()) {
        return Err(wrong("it has other columns than a file of hashes".to_owned()));
    }
    let (mut hashes, mut count, mut outcome) = (Vec::new(), 0, Ok(()));
    table.each_batch(&[0, 1, 2, 3, 4], |before, batch| {
        hashes.clear();
        for row in 0..batch.rows {
            match parsed(batch, row) {
                Some(hash) => hashes.push(hash),
                None if outcome.is_ok() => outcome = Err(wrong(format!("row {} is no hash", before + row as u64 + 1))),
                None => {}
            }
        }
        count += hashes.len() as u64;
        if outcome.is_ok() {
            outcome = see(&hashes);
        }
        if outcome.is_ok() { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
    })?;
    outcome.map(|()| count)
}

fn parsed(batch: &Batch, row: usize) -> Option<RowHash> {
    let text = |column| batch.value(column, row);
    let is = |column| match text(column) {
        "0" => Some(false),
        "1" => Some(true),
        _ => None,
    };
    let hash = Hash::of_bits(u128::from_str_radix(text(2), 16).ok()?);
    let comparison = RowComparison { check: text(1).parse().ok()?, hash, new_for_piece: is(3)?, new_for_row: is(4)? };
    Some(RowHash { row: text(0).parse().ok()?, comparison })
}
