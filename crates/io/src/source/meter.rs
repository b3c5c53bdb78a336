//! Progress counters of a run, for the progress display.

use std::io::{self, Read, Seek, SeekFrom};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};

use crate::pool::lock;

/// Cells of a workbook: their number, and the names of the first ones, such as `C2`.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct CellNames {
    pub count: u64,
    pub first: Vec<String>,
}

impl CellNames {
    const MOST: usize = 3;

    /// Lists a counted cell.
    pub fn list(&mut self, name: impl FnOnce() -> String) {
        if self.first.len() < CellNames::MOST {
            self.first.push(name());
        }
    }
}

#[derive(Debug, Default)]
pub struct Meter {
    bytes: AtomicU64,
    rows: AtomicU64,
    replaced: AtomicU64,
    imprecise: AtomicU64,
    undated: Mutex<CellNames>,
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

    pub fn set_replaced(&self, replaced: u64) {
        self.replaced.store(replaced, Ordering::Relaxed);
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
    pub fn undated(&self) -> CellNames {
        lock(&self.undated).clone()
    }

    pub fn add_undated(&self, cells: &CellNames) {
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
        *lock(&self.undated) = CellNames::default();
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
