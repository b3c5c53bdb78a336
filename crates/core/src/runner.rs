//! The usual way into the library: a cut list bound to columns, which takes batches of rows in order.
//!
//! Filters, comparisons with earlier rows, row numbers and counts are inside, so a caller cannot leave one out.

use std::cell::RefCell;
use std::collections::BTreeMap;
use std::fmt;
use std::sync::Arc;

use crate::batch::{Batch, Column, Texts};
use crate::carving::{BatchResults, BindError, Carving, CheckName, Memory, TooLarge};
use crate::check::unique_texts::StoreError;
use crate::check::{Violation, ViolationKind};
use crate::column::Header;
use crate::cutlist::CutList;
use crate::explain;
use crate::phrase::ast::ListSource;
use crate::program::{Setting, State};
use crate::sightings::Sightings;
use crate::summary::{self, Level, ListFile, RowOf, Summary};
use crate::tally::Tally;

/// A cut list bound to the columns of a table, with the state of the rows so far.
///
/// ```
/// use keen_notch_core::batch::Column;
/// use keen_notch_core::cutlist::CutList;
///
/// let list = CutList::parse(
///     "[piece.serial]\nof = 'code'\ntake = 'after \"-\"'\ncheck = 'unique'\n[rows]\nkeep = 'depot: not blank'",
///     0,
/// )?;
/// let mut runner = list.bind(&["code", "depot"])?;
/// let serial = runner.piece("serial").expect("the list has it");
/// let columns = vec![Column::of(["GRP-1", "HNG-2", "BRK-1"]), Column::of(["East", "", "West"])];
/// let output = runner.push(columns)?;
/// assert_eq!(output.rows(), [1, 3]);
/// assert_eq!((output.text(serial, 0), output.text(serial, 1)), (Some("1"), Some("1")));
/// let faults: Vec<_> = output.faults().map(|fault| (fault.row, fault.violation.detail)).collect();
/// assert_eq!(faults, [(3, "row 1 has it too".to_owned())]);
/// assert_eq!(runner.finish().rows.left_out, 1);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct Runner {
    carving: Carving,
    header: Header,
    checks: Vec<CheckName>,
    rules: Vec<String>,
    listed: Vec<ListFile>,
    name: String,
    results: BatchResults,
    memory: Memory,
    tallies: Vec<Tally>,
    checked: Vec<u64>,
    failed: Vec<Sightings>,
    rows: summary::Rows,
    batch: KeptBatch,
}

/// The kept rows of the last batch.
#[derive(Debug, Default)]
struct KeptBatch {
    numbers: Vec<u64>,
    columns: Vec<Column>,
}

impl KeptBatch {
    fn keep(&mut self, rows: &[u32]) {
        self.numbers = rows.iter().filter_map(|row| self.numbers.get(*row as usize).copied()).collect();
        self.columns.iter_mut().for_each(|column| column.keep(rows));
    }

    fn with<R>(&self, call: impl FnOnce(&Batch) -> R) -> R {
        let columns: Vec<Texts> = self.columns.iter().map(Column::texts).collect();
        call(&Batch { rows: self.numbers.len(), columns: &columns })
    }
}

/// A piece of a [`Runner`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct PieceId(usize);

/// Why a batch was not carved. After [`PushError::Store`] the runner may have compared some of its rows; after the others it is as before.
#[derive(Debug)]
#[non_exhaustive]
pub enum PushError {
    /// The batch has another number of columns than the table.
    Columns { expected: usize, found: usize },
    /// The columns have different numbers of values.
    Lengths,
    /// The results take too much memory. Push fewer rows at a time.
    TooLarge(TooLarge),
    /// The texts of earlier rows cannot be read or stored.
    Store(StoreError),
}

impl fmt::Display for PushError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            PushError::Columns { expected, found } => write!(f, "the batch has {found} columns, and the table {expected}"),
            PushError::Lengths => f.write_str("the columns of the batch have different numbers of values"),
            PushError::TooLarge(error) => error.fmt(f),
            PushError::Store(error) => error.fmt(f),
        }
    }
}

impl std::error::Error for PushError {}

impl CutList {
    /// Binds the list to a table with columns of these names. Lists of values (`listed in`) are not available: see [`Runner::new`].
    ///
    /// # Errors
    /// A column or piece is unknown, or a phrase or check is invalid.
    pub fn bind(&self, columns: &[&str]) -> Result<Runner, BindError> {
        let header = Header::Names(columns.iter().map(|name| (*name).to_owned()).collect());
        Runner::new(self, header, &Setting::new(self.unit))
    }
}

impl Runner {
    /// Binds a list to a table; `setting` supplies the texts of `listed in`.
    ///
    /// # Errors
    /// A column or piece is unknown, or a phrase or check is invalid.
    pub fn new(list: &CutList, header: Header, setting: &Setting) -> Result<Runner, BindError> {
        let main = list.column.as_ref().map(|main| &main.column);
        let listed = RefCell::new(BTreeMap::new());
        let lists = |source: &ListSource| {
            let list = (setting.lists)(source)?;
            listed.borrow_mut().insert(source.clone(), Arc::clone(&list));
            Ok(list)
        };
        let carving = Carving::new(&list.wanted, main, &Setting { unit: setting.unit, lists: &lists }, &header)?;
        let checks = carving.checks();
        Ok(Runner {
            rules: explain::asked(&list.wanted, main, setting.unit),
            listed: listed.into_inner().iter().map(|(source, list)| ListFile::new(source, list)).collect(),
            name: "rows".to_owned(),
            results: BatchResults::default(),
            memory: Memory::default(),
            tallies: vec![Tally::default(); carving.count()],
            checked: vec![0; checks.len()],
            failed: vec![Sightings::default(); checks.len()],
            rows: summary::Rows::default(),
            batch: KeptBatch::default(),
            carving,
            header,
            checks,
        })
    }

    /// Names the input in the summary. By default it is `rows`.
    #[must_use]
    pub fn with_name(mut self, name: impl Into<String>) -> Runner {
        self.name = name.into();
        self
    }

    /// The piece with this name.
    pub fn piece(&self, name: &str) -> Option<PieceId> {
        (0..self.carving.count()).find(|piece| self.carving.name(*piece) == name).map(PieceId)
    }

    /// Carves and checks the next rows: a column for each column of the table, in order.
    ///
    /// # Errors
    /// The columns do not form a batch of the table, or its results take too much memory.
    pub fn push(&mut self, columns: Vec<Column>) -> Result<Output<'_>, PushError> {
        let count = columns.first().map_or(0, |column| column.texts().len());
        if columns.len() != self.header.count() {
            return Err(PushError::Columns { expected: self.header.count(), found: columns.len() });
        }
        if columns.iter().any(|column| column.texts().len() != count) {
            return Err(PushError::Lengths);
        }
        let (carving, results) = (&self.carving, &mut self.results);
        let before = self.rows.read;
        let mut batch = KeptBatch { numbers: (before + 1..=before + count as u64).collect(), columns };
        if let Some(kept) = batch.with(|batch| carving.select(batch, results).map(<[u32]>::to_vec)) {
            batch.keep(&kept);
        }
        batch.with(|batch| carving.run(batch, results)).map_err(PushError::TooLarge)?;
        if let Some(kept) = results.take_kept() {
            results.keep(&kept);
            batch.keep(&kept);
        }
        if carving.looks_back() {
            batch.with(|batch| carving.hash(batch, results));
            let numbers = &batch.numbers;
            carving.remember(results, numbers.len(), |row| numbers[row], &mut self.memory).map_err(PushError::Store)?;
            if let Some(kept) = results.take_kept() {
                results.keep(&kept);
                batch.keep(&kept);
            }
        }
        batch.with(|batch| carving.judge(batch, results, &mut self.tallies, &mut self.checked));
        let kept = batch.numbers.len() as u64;
        self.rows.read += count as u64;
        self.rows.kept += kept;
        self.rows.left_out += count as u64 - kept;
        self.rows.written += match carving.rows_piece() {
            None => kept,
            Some(piece) => (0..batch.numbers.len()).map(|row| results.piece(piece).items(row).len().max(1) as u64).sum(),
        };
        self.rows.with_faults += results.faulty().count() as u64;
        let mut last = None;
        for failure in results.failures_by_row() {
            // Several results of a row can fail one check, which is one failing row.
            if last.replace((failure.row, failure.check)) != Some((failure.row, failure.check)) {
                self.failed[failure.check as usize].note(batch.numbers[failure.row as usize]);
            }
        }
        self.batch = batch;
        Ok(Output { runner: self })
    }

    /// The summary of all rows. Summaries of consecutive parts merge with [`Summary::append`], unless the list compares rows.
    pub fn finish(self) -> Summary {
        let first_row = |row: &u64| RowOf { file: self.name.clone(), row: *row };
        Summary {
            version: summary::VERSION,
            program: env!("CARGO_PKG_VERSION").to_owned(),
            asked: self.rules,
            listed: self.listed,
            part: None,
            rows_compared: self.carving.looks_back(),
            inputs: vec![summary::Input { name: self.name.clone(), first_row: 1, rows: self.rows.read, stream: true }],
            rows: self.rows,
            pieces: self.carving.piece_counts(&self.tallies, &self.header),
            checks: summary::check_counts(&self.checks, &self.header, (&self.failed, &self.checked), first_row),
            replacements: 0,
        }
    }
}

/// The kept rows of a batch with their pieces and faults. Rows are indices from 0 in the order of [`Output::rows`].
#[derive(Debug)]
pub struct Output<'r> {
    runner: &'r Runner,
}

/// A failed check of a row.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RowFault {
    /// The number of the row, from 1, over all batches.
    pub row: u64,
    /// The index of the check in [`Summary::checks`].
    pub check: usize,
    /// The target: a piece, `layout`, `proof` or `rows`.
    pub of: String,
    pub condition: String,
    pub level: Level,
    /// The failing text; empty if it is missing.
    pub result: String,
    pub violation: Violation,
}

impl Output<'_> {
    /// The numbers of the kept rows, from 1, over all batches.
    pub fn rows(&self) -> &[u64] {
        &self.runner.batch.numbers
    }

    /// The state of a piece in a row; `None` if there is no such row.
    pub fn state(&self, piece: PieceId, row: usize) -> Option<State> {
        (row < self.rows().len() && piece.0 < self.runner.carving.count())
            .then(|| self.runner.results.piece(piece.0).state(row))
    }

    /// The piece of a row, the first of several results; `None` if it is blank or missing, or if there is no such row.
    pub fn text(&self, piece: PieceId, row: usize) -> Option<&str> {
        self.texts(piece, row).next()
    }

    /// All results of a piece in a row.
    pub fn texts(&self, piece: PieceId, row: usize) -> impl Iterator<Item = &str> {
        let is_there = self.state(piece, row).is_some_and(State::is_there);
        let results = is_there.then(|| self.runner.results.piece(piece.0));
        let column = is_there.then(|| self.runner.carving.column(piece.0)).flatten();
        let values = column.and_then(|column| self.runner.batch.columns.get(column));
        let texts = results.map(|results| results.texts(values.map_or(Texts::NONE, Column::texts)));
        let items = results.map_or(0..0, |results| results.items(row));
        items.filter_map(move |item| texts.map(|texts| texts.get(item)))
    }

    /// The value of a column of the table in a row; empty if it does not exist.
    pub fn value(&self, column: usize, row: usize) -> &str {
        self.runner.batch.columns.get(column).map_or("", |column| column.texts().get(row))
    }

    /// The faults, by row. A warning is a fault of another level.
    pub fn faults(&self) -> impl Iterator<Item = RowFault> {
        let Runner { carving, results, checks, batch, .. } = self.runner;
        let columns: Vec<Texts> = batch.columns.iter().map(Column::texts).collect();
        results.failures().iter().filter_map(move |failure| {
            let (check, row) = (checks.get(failure.check as usize)?, *batch.numbers.get(failure.row as usize)?);
            let name = |row: u64| format!("row {row}");
            let batch = Batch { rows: batch.numbers.len(), columns: &columns };
            let fault = carving.fault(*failure, &batch, results, &name);
            let level = if check.only_warns { Level::Warning } else { Level::Fault };
            Some(RowFault {
                row,
                check: failure.check as usize,
                of: check.of.clone(),
                condition: check.words.clone(),
                level,
                result: fault.result,
                violation: fault.violation,
            })
        })
    }

    /// Whether a row has a fault. Warnings do not count.
    pub fn is_faulty(&self, row: usize) -> bool {
        row < self.rows().len() && self.runner.results.faulty().has(row)
    }
}

impl RowFault {
    /// The kind of the fault.
    pub fn kind(&self) -> ViolationKind {
        self.violation.kind
    }
}
