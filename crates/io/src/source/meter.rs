//! Progress counters of a run, for the progress display.

use std::io::{self, Read, Seek, SeekFrom};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};

use crate::formats::workbook::cells::Cells;
use crate::pool::lock;

#[derive(Debug, Default)]
pub struct Meter {
    bytes: AtomicU64,
    rows: AtomicU64,
    replaced: AtomicU64,
    imprecise: AtomicU64,
    undated: Mutex<Cells>,
}

impl Meter {
    /// Bytes read, before decoding.
    pub fn bytes(&self) -> u64 {
        self.bytes.load(Ordering::Relaxed)
    }

    pub fn rows(&self) -> u64 {
        self.rows.load(Ordering::Relaxed)
    }

    /// Invalid byte sequences read as U+FFFD.
    pub fn replaced(&self) -> u64 {
        self.replaced.load(Ordering::Relaxed)
    }

    pub fn add_replaced(&self) {
        self.replaced.fetch_add(1, Ordering::Relaxed);
    }

    /// Workbook numbers with more digits than workbooks store.
    pub fn imprecise(&self) -> u64 {
        self.imprecise.load(Ordering::Relaxed)
    }

    pub fn add_imprecise(&self, numbers: u64) {
        self.imprecise.fetch_add(numbers, Ordering::Relaxed);
    }

    /// Workbook numbers with a date format but no valid date.
    pub fn undated(&self) -> Cells {
        lock(&self.undated).clone()
    }

    pub fn add_undated(&self, cells: &Cells) {
        let mut undated = lock(&self.undated);
        undated.count += cells.count;
        if undated.first.is_empty() {
            undated.first.clone_from(&cells.first);
        }
    }

    pub fn add_bytes(&self, bytes: u64) {
        self.bytes.fetch_add(bytes, Ordering::Relaxed);
    }

    pub fn add_rows(&self, rows: u64) {
        self.rows.fetch_add(rows, Ordering::Relaxed);
    }

    /// Resets the counters for a second pass.
    pub fn restart(&self) {
        self.bytes.store(0, Ordering::Relaxed);
        self.rows.store(0, Ordering::Relaxed);
        self.replaced.store(0, Ordering::Relaxed);
        self.imprecise.store(0, Ordering::Relaxed);
        *lock(&self.undated) = Cells::default();
    }
}

pub struct MeteredReader<R> {
    pub reader: R,
    pub meter: Arc<Meter>,
}

impl<R: Seek> Seek for MeteredReader<R> {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        self.reader.seek(to)
    }
}

impl<R: Read> Read for MeteredReader<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.reader.read(buffer)?;
        self.meter.add_bytes(read as u64);
        Ok(read)
    }
}
