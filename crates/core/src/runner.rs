//! The usual way into the library: a cut list bound to columns, which takes batches of rows in order.
//!
//! Filters, comparisons with earlier rows, row numbers and counts are inside, so a caller cannot leave one out.

pub use crate::carving::{BindError, TooLarge};
pub use crate::column::Header;
pub use crate::phrase::ast::{ListSource, LookupSource};
pub use crate::program::{Files, List, ListTexts, LookupError, LookupTable, NoList, Setting};
pub use crate::text::unit::Unit;

use std::cell::RefCell;
use std::collections::BTreeSet;
use std::fmt;
use std::sync::Arc;

use crate::batch::{Column, Texts};
use crate::carving::{BatchResults, BatchRows, Carved, Carving, CheckName, Memory, TableRows, Totals};
use crate::check::unique_texts::StoreError;
use crate::check::{Violation, ViolationKind};
use crate::cutlist::CutList;
use crate::explain;
use crate::program::State;
use crate::summary::{self, Level, ListFile, RowOf, Summary};

/// A cut list bound to the columns of a table, with the state of the rows so far.
///
/// ```
/// use keen_notch_core::{Column, cutlist::CutList};
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
    carver: Carver,
    header: Header,
    checks: Vec<CheckName>,
    rules: Vec<String>,
    listed: Vec<ListFile>,
    name: String,
    memory: Memory,
    totals: Totals,
    results: BatchResults,
}

/// Carves batches for a [`Runner`], on any thread. [`Runner::take`] takes them in row order.
///
/// ```
/// use keen_notch_core::{Column, cutlist::CutList};
///
/// let list = CutList::parse("[piece.serial]\nof = 'code'\ntake = 'after \"-\"'\ncheck = 'unique'\n", 0)?;
/// let mut runner = list.bind(&["code"])?;
/// let batches = [["GRP-1", "HNG-2"], ["BRK-1", "TWR-3"]];
/// let carved = std::thread::scope(|scope| {
///     let threads = batches.map(|codes| {
///         let carver = runner.carver();
///         scope.spawn(move || carver.carve(vec![Column::of(codes)], 0))
///     });
///     threads.map(|thread| thread.join().expect("carving does not panic"))
/// });
/// for batch in carved {
///     runner.take(batch?)?;
/// }
/// assert_eq!(runner.finish().rows.with_faults, 1);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone)]
pub struct Carver {
    carving: Arc<Carving>,
    columns: usize,
}

/// A batch with its pieces, for [`Runner::take`].
///
/// ```
/// use keen_notch_core::{Column, cutlist::CutList};
///
/// let mut runner = CutList::parse("[piece.no]\ntake = 'after \"-\"'\n", 0)?.bind(&["code"])?;
/// let batch = runner.carver().carve(vec![Column::of(["GRP-1"])], 0)?;
/// assert_eq!(runner.take(batch)?.rows(), [1]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct CarvedBatch<'t> {
    of: Arc<Carving>,
    before: u64,
    count: u64,
    carved: Carved<TableRows<'t>>,
}

/// A piece of a [`Runner`].
///
/// ```
/// use keen_notch_core::cutlist::CutList;
///
/// let runner = CutList::parse("[piece.no]\ntake = 'last 3'\n", 0)?.bind(&["code"])?;
/// assert!(runner.piece("no").is_some() && runner.piece("serial").is_none());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct PieceId(pub(crate) usize);

/// The runner refused a batch. After [`PushError::Store`] the runner may have compared some of its rows; after the others it is as before.
///
/// ```
/// use keen_notch_core::{Column, cutlist::CutList};
///
/// let mut runner = CutList::parse("column = 'code'\n[piece.no]\ntake = 'last 3'\n", 0)?.bind(&["code", "depot"])?;
/// let error = runner.push(vec![Column::of(["GRP-001"])]).unwrap_err();
/// assert_eq!(error.to_string(), "number of columns: 1 in the batch, 2 in the table");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
#[non_exhaustive]
pub enum PushError {
    /// The batch has more rows than a `u32` can count.
    Rows,
    /// The batch was carved for another runner.
    OtherRunner,
    /// The batch was carved for another number of earlier rows, and its pieces have row numbers.
    RowNumbers { expected: u64, found: u64 },
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
            PushError::Rows => f.write_str("the batch has more than 4294967295 rows"),
            PushError::OtherRunner => f.write_str("the batch was carved for another runner"),
            PushError::RowNumbers { expected, found } => {
                write!(f, "the batch was carved after {found} rows, and comes after {expected}")
            }
            PushError::Columns { expected, found } => {
                write!(f, "number of columns: {found} in the batch, {expected} in the table")
            }
            PushError::Lengths => f.write_str("the columns of the batch have different numbers of values"),
            PushError::TooLarge(error) => error.fmt(f),
            PushError::Store(error) => error.fmt(f),
        }
    }
}

impl std::error::Error for PushError {}

struct NotGiven;

impl NotGiven {
    fn error(source: &ListSource) -> NoList {
        let reason = format!("the texts of {} are not given", source.file);
        NoList { reason, help: "supply them with `Runner::new`".to_owned() }
    }
}

impl Files for NotGiven {
    fn list(&self, source: &ListSource) -> Result<List, NoList> {
        Err(NotGiven::error(source))
    }

    fn lookup(&self, source: &LookupSource) -> Result<Arc<LookupTable>, NoList> {
        Err(NotGiven::error(&source.keys))
    }
}

/// Files with a record of what was read.
struct RecordedFiles<'a> {
    files: &'a dyn Files,
    read: RefCell<BTreeSet<ListFile>>,
}

impl Files for RecordedFiles<'_> {
    fn list(&self, source: &ListSource) -> Result<List, NoList> {
        let list = self.files.list(source)?;
        self.read.borrow_mut().insert(ListFile::new(source, &list));
        Ok(list)
    }

    fn lookup(&self, source: &LookupSource) -> Result<Arc<LookupTable>, NoList> {
        let table = self.files.lookup(source)?;
        self.read.borrow_mut().insert(ListFile::of_lookup(source, &table));
        Ok(table)
    }
}

impl CutList {
    /// Binds the list to a table with columns of these names. Files (`listed in`, `lookup in`) are not available: see [`Runner::new`].
    ///
    /// # Errors
    /// A column or piece is unknown, or a phrase or check is invalid.
    pub fn bind(&self, columns: &[&str]) -> Result<Runner, BindError> {
        let header = Header::Names(columns.iter().map(|name| (*name).to_owned()).collect());
        Runner::new(self, header, &Setting { files: &NotGiven, ..Setting::new(self.unit) })
    }
}

impl Runner {
    /// Binds a list to a table; `setting` supplies the files that its phrases name.
    ///
    /// # Errors
    /// A column or piece is unknown, or a phrase or check is invalid.
    pub fn new(list: &CutList, header: Header, setting: &Setting) -> Result<Runner, BindError> {
        let main = list.column.as_ref().map(|main| &main.column);
        let files = RecordedFiles { files: setting.files, read: RefCell::default() };
        let asked_today = RefCell::new(None);
        let today = || {
            let today = (setting.today)();
            asked_today.borrow_mut().clone_from(&today);
            today
        };
        let carving = Carving::new(&list.wanted, main, &Setting { files: &files, today: &today, ..*setting }, &header)?;
        let checks = carving.checks();
        let mut rules = explain::asked(&list.wanted, main, setting.unit);
        rules.extend(asked_today.into_inner().as_deref().map(explain::today));
        Ok(Runner {
            rules,
            listed: files.read.into_inner().into_iter().collect(),
            name: "rows".to_owned(),
            memory: Memory::default(),
            totals: Totals::new(&carving, checks.len()),
            results: BatchResults::default(),
            carver: Carver { carving: Arc::new(carving), columns: header.count() },
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
        let carving = &self.carver.carving;
        (0..carving.count()).find(|piece| carving.name(*piece) == name).map(PieceId)
    }

    /// Carves and checks the next rows: a column for each column of the table, in order.
    ///
    /// # Errors
    /// The columns do not form a batch of the table, or its results take too much memory.
    pub fn push<'t>(&mut self, columns: Vec<Column<'t>>) -> Result<Output<'_, 't>, PushError> {
        let spare = std::mem::take(&mut self.results);
        let carved = self.carver.carve_into(columns, self.totals.rows.read, spare)?;
        self.take(carved)
    }

    /// Carves batches on other threads.
    pub fn carver(&self) -> Carver {
        self.carver.clone()
    }

    #[cfg(feature = "arrow")]
    pub(crate) fn bound(&self) -> (&Carving, &Header) {
        (&self.carver.carving, &self.header)
    }

    /// Compares the next batch with the earlier rows and checks it. Take all batches in row order.
    ///
    /// # Errors
    /// The batch belongs to another runner, or the texts of earlier rows cannot be read or stored.
    pub fn take<'t>(
        &mut self,
        CarvedBatch { of, before: rows_before, count, carved }: CarvedBatch<'t>,
    ) -> Result<Output<'_, 't>, PushError> {
        let carving = &*self.carver.carving;
        if !Arc::ptr_eq(&of, &self.carver.carving) {
            return Err(PushError::OtherRunner);
        }
        let before = self.totals.rows.read;
        if carving.numbers_rows() && rows_before != before {
            return Err(PushError::RowNumbers { expected: before, found: rows_before });
        }
        let compared = carving.compare_one(carved, before, &mut self.memory).map_err(PushError::Store)?;
        let mut part = Totals::new(carving, self.checks.len());
        let mut judged = carving.judge(compared, &mut part);
        let (rows, results) = judged.parts();
        results.failures_by_row();
        let numbers: Vec<u64> = rows.numbers().iter().map(|number| before + u64::from(*number)).collect();
        let kept = numbers.len() as u64;
        part.rows.read = count;
        part.rows.kept = kept;
        part.rows.written = match carving.rows_piece() {
            None => kept,
            Some(piece) => (0..numbers.len()).map(|row| results.piece(piece).items(row).len().max(1) as u64).sum(),
        };
        self.totals.append(&part);
        let (rows, results) = judged.into_parts();
        self.results = results;
        Ok(Output { runner: self, numbers, rows })
    }

    /// The summary of all rows. Summaries of consecutive parts merge with [`Summary::append`], unless the list compares rows.
    pub fn finish(self) -> Summary {
        let first_row = |row: &u64| RowOf { file: self.name.clone(), row: *row };
        let carving = &self.carver.carving;
        Summary {
            version: summary::VERSION,
            program: env!("CARGO_PKG_VERSION").to_owned(),
            asked: self.rules,
            listed: self.listed,
            part: None,
            hashes: None,
            rows_compared: carving.looks_back(),
            inputs: vec![summary::Input { name: self.name.clone(), first_row: 1, rows: self.totals.rows.read, stream: true }],
            rows: self.totals.rows,
            pieces: carving.piece_counts(&self.totals, &self.header),
            checks: summary::check_counts(&self.checks, &self.header, &self.totals, first_row),
            replacements: 0,
        }
    }
}

impl Carver {
    /// Carves some rows: a column for each column of the table, in order. `before` is the number of earlier rows. It matters only for
    /// `row number`.
    ///
    /// # Errors
    /// The columns do not form a batch of the table, or its results take too much memory.
    pub fn carve<'t>(&self, columns: Vec<Column<'t>>, before: u64) -> Result<CarvedBatch<'t>, PushError> {
        self.carve_into(columns, before, BatchResults::default())
    }

    fn carve_into<'t>(&self, columns: Vec<Column<'t>>, before: u64, spare: BatchResults) -> Result<CarvedBatch<'t>, PushError> {
        let count = columns.first().map_or(0, |column| column.texts().len());
        if columns.len() != self.columns {
            return Err(PushError::Columns { expected: self.columns, found: columns.len() });
        }
        if columns.iter().any(|column| column.texts().len() != count) {
            return Err(PushError::Lengths);
        }
        let rows = TableRows::new(u32::try_from(count).map_err(|_| PushError::Rows)?, columns).after(before);
        let carved = self.carving.carve(rows, spare).map_err(|refused| PushError::TooLarge(refused.error))?;
        Ok(CarvedBatch { of: Arc::clone(&self.carving), before, count: count as u64, carved })
    }
}

/// The kept rows of a batch with their pieces and faults. Rows are indices from 0 in the order of [`Output::rows`].
///
/// ```
/// use keen_notch_core::{Column, cutlist::CutList};
///
/// let mut runner = CutList::parse("[piece.no]\ntake = 'numbers'\ncolumns = 2\n", 0)?.bind(&["code"])?;
/// let no = runner.piece("no").expect("the list has it");
/// let output = runner.push(vec![Column::of(["GRP-1-22", "HNG"])])?;
/// assert_eq!(output.texts(no, 0).collect::<Vec<_>>(), ["1", "22"]);
/// assert_eq!((output.text(no, 0), output.text(no, 1)), (Some("1"), None));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct Output<'r, 't> {
    runner: &'r Runner,
    numbers: Vec<u64>,
    rows: TableRows<'t>,
}

/// A failed check of a row.
///
/// ```
/// use keen_notch_core::{Column, cutlist::CutList};
///
/// let mut runner = CutList::parse("[piece.no]\ntake = 'last 3'\ncheck = 'digits'\n", 0)?.bind(&["code"])?;
/// let output = runner.push(vec![Column::of(["GRP-001", "GRP-0o2"])])?;
/// let faults: Vec<_> = output.faults().map(|fault| (fault.row, fault.of, fault.condition, fault.result)).collect();
/// assert_eq!(faults, [(2, "no".to_owned(), "digits".to_owned(), "0o2".to_owned())]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
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

impl Output<'_, '_> {
    #[cfg(feature = "arrow")]
    pub(crate) fn bound(&self) -> (&Carving, &Header) {
        self.runner.bound()
    }

    /// The numbers of the kept rows, from 1 in the batch.
    #[cfg(feature = "arrow")]
    pub(crate) fn numbers_in_batch(&self) -> &[u32] {
        self.rows.numbers()
    }

    /// The numbers of the kept rows, from 1, over all batches.
    pub fn rows(&self) -> &[u64] {
        &self.numbers
    }

    /// The state of a piece in a row; `None` if there is no such row.
    pub fn state(&self, piece: PieceId, row: usize) -> Option<State> {
        let results = &self.runner.results;
        (row < self.numbers.len() && piece.0 < self.runner.carver.carving.count()).then(|| results.piece(piece.0).state(row))
    }

    /// The piece of a row, the first of several results; `None` if it is blank or missing, or if there is no such row.
    pub fn text(&self, piece: PieceId, row: usize) -> Option<&str> {
        self.texts(piece, row).next()
    }

    /// All results of a piece in a row.
    pub fn texts(&self, piece: PieceId, row: usize) -> impl Iterator<Item = &str> {
        let is_there = self.state(piece, row).is_some_and(State::is_there);
        let results = is_there.then(|| self.runner.results.piece(piece.0));
        let column = is_there.then(|| self.runner.carver.carving.column(piece.0)).flatten();
        let values = column.and_then(|column| self.rows.columns().get(column));
        let texts = results.map(|results| results.texts(values.map_or(Texts::NONE, Column::texts)));
        let items = results.map_or(0..0, |results| results.items(row));
        items.filter_map(move |item| texts.map(|texts| texts.get(item)))
    }

    /// The value of a column of the table in a row; empty if it does not exist.
    pub fn value(&self, column: usize, row: usize) -> &str {
        self.rows.columns().get(column).map_or("", |column| column.texts().get(row))
    }

    /// The faults, by row. A warning is a fault of another level.
    pub fn faults(&self) -> impl Iterator<Item = RowFault> {
        let (carving, checks, numbers) = (&self.runner.carver.carving, &self.runner.checks, &self.numbers);
        let (rows, results) = (&self.rows, &self.runner.results);
        results.failures().iter().filter_map(move |failure| {
            let (check, row) = (checks.get(failure.check as usize)?, *numbers.get(failure.row as usize)?);
            let name = |row: u64| format!("row {row}");
            let fault = rows.with_batch(|batch| carving.fault(*failure, batch, results, &name));
            Some(RowFault {
                row,
                check: failure.check as usize,
                of: check.of.clone(),
                condition: check.words.clone(),
                level: if check.only_warns { Level::Warning } else { Level::Fault },
                result: fault.result,
                violation: fault.violation,
            })
        })
    }

    /// Whether a row has a fault. Warnings do not count.
    pub fn is_faulty(&self, row: usize) -> bool {
        row < self.numbers.len() && self.runner.results.faulty().has(row)
    }
}

impl RowFault {
    /// The kind of the fault.
    pub fn kind(&self) -> ViolationKind {
        self.violation.kind
    }
}
