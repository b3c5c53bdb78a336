//! Duplicates among the rows of several parts. Their runs wrote hashes instead of comparing rows.

use crate::carving::{Memory, RowComparison};
use crate::check::Violation;
use crate::check::unique_texts::StoreError;
use crate::sightings::Sightings;
use crate::summary::{CheckCounts, Level, RowOf, Summary};

/// A hash with the number of its row in the whole table, from 1.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RowHash {
    pub row: u64,
    pub comparison: RowComparison,
}

/// A row with a text that an earlier row has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Repeated {
    pub row: u64,
    /// The index of the check in the summary.
    pub check: usize,
    /// The first row with the text.
    pub first: u64,
}

impl Repeated {
    /// The fault in words. `first` names the first row.
    pub fn violation(&self, check: &CheckCounts, first: &str) -> Violation {
        // A check of several columns has them after its word.
        Violation::not_unique(first, check.check.starts_with("unique:"))
    }
}

/// Compares the rows of all parts in order, and counts the duplicates.
///
/// ```
/// use keen_notch_core::carving::{Memory, RowComparison};
/// use keen_notch_core::check::unique_texts::UniqueTexts;
/// use keen_notch_core::cutlist::CutList;
/// use keen_notch_core::repeats::{Repeats, RowHash};
///
/// let list = CutList::parse("[piece.no]\ntake = 'last 3'\ncheck = 'unique'\n", 0)?;
/// let mut summary = list.bind(&["code"])?.finish();
/// summary.checks[0].elsewhere = true;
/// let mut repeats = Repeats::new(&summary, Memory::default());
/// let hash = |row, text| {
///     let comparison = RowComparison { check: 0, hash: UniqueTexts::hash([text]), new_for_piece: true, new_for_row: true };
///     RowHash { row, comparison }
/// };
/// let mut found = Vec::new();
/// repeats.compare(&[hash(1, "001"), hash(2, "002"), hash(3, "001")], |repeated| {
///     found.push((repeated.row, repeated.first));
/// })?;
/// assert_eq!(found, [(3, 1)]);
/// # Ok::<(), Box<dyn std::error::Error + Send + Sync>>(())
/// ```
#[derive(Debug)]
pub struct Repeats {
    memory: Memory,
    /// The checks of the summary; `None` for a check that compares no rows.
    checks: Vec<Option<RepeatedCheck>>,
    /// For each piece with such a check, by level: rows that fail no other check of the piece.
    pieces: Vec<(String, Level, u64)>,
    with_faults: u64,
    /// The counts that include the current row.
    row: u64,
    counted: Vec<Counted>,
}

#[derive(Debug)]
struct RepeatedCheck {
    level: Level,
    /// The index of its piece and level.
    piece: usize,
    rows: Sightings,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Counted {
    Check(usize),
    Piece(usize),
    Row,
}

impl Repeats {
    pub fn new(summary: &Summary, memory: Memory) -> Repeats {
        let mut pieces: Vec<(String, Level, u64)> = Vec::new();
        let mut of_check = |check: &CheckCounts| {
            let known = pieces.iter().position(|(name, level, _)| *name == check.of && *level == check.level);
            let piece = known.unwrap_or_else(|| {
                pieces.push((check.of.clone(), check.level, 0));
                pieces.len() - 1
            });
            RepeatedCheck { level: check.level, piece, rows: Sightings::default() }
        };
        let checks = summary.checks.iter().map(|check| check.elsewhere.then(|| of_check(check))).collect();
        Repeats { memory, checks, pieces, with_faults: 0, row: 0, counted: Vec::new() }
    }

    /// Compares the next hashes, in the order of their rows, and calls `see` with each duplicate. Hashes of other checks are ignored.
    ///
    /// # Errors
    /// A store fails.
    pub fn compare(&mut self, hashes: &[RowHash], mut see: impl FnMut(Repeated)) -> Result<(), StoreError> {
        // Each check that compares rows has its own memory.
        let mut count = 0;
        let number = |check: &Option<RepeatedCheck>| {
            count += usize::from(check.is_some());
            check.is_some().then(|| count - 1)
        };
        let numbers: Vec<Option<usize>> = self.checks.iter().map(number).collect();
        let numbered = |hash: &RowHash| Some((numbers.get(hash.comparison.check).copied().flatten()?, hash.comparison.hash));
        self.memory.recall(count, hashes.iter().filter_map(numbered))?;
        for of_row in hashes {
            let Some((number, hash)) = numbered(of_row) else { continue };
            if let Some(first) = self.memory.first_row(number, hash, of_row.row)? {
                see(Repeated { row: of_row.row, check: of_row.comparison.check, first });
                self.count(*of_row);
            }
        }
        Ok(())
    }

    fn count(&mut self, RowHash { row, comparison }: RowHash) {
        let RowComparison { check, new_for_piece, new_for_row, .. } = comparison;
        if row != self.row {
            self.row = row;
            self.counted.clear();
        }
        let is_first = |counted: &mut Vec<Counted>, what| {
            let is_first = !counted.contains(&what);
            if is_first {
                counted.push(what);
            }
            is_first
        };
        let Some(Some(RepeatedCheck { level, piece, rows })) = self.checks.get_mut(check) else { return };
        if is_first(&mut self.counted, Counted::Check(check)) {
            rows.note(row);
        }
        if new_for_piece && is_first(&mut self.counted, Counted::Piece(*piece)) {
            self.pieces[*piece].2 += 1;
        }
        if new_for_row && *level == Level::Fault && is_first(&mut self.counted, Counted::Row) {
            self.with_faults += 1;
        }
    }

    /// Adds the duplicates to the merged summary of the parts. `row_of` locates a row of the whole table.
    pub fn add_to(self, summary: &mut Summary, row_of: impl Fn(u64) -> RowOf) {
        for (check, found) in summary.checks.iter_mut().zip(self.checks) {
            let Some(found) = found else { continue };
            check.elsewhere = false;
            check.rows = found.rows.count;
            check.first_rows = found.rows.rows.into_iter().map(&row_of).collect();
        }
        for (name, level, rows) in self.pieces {
            for piece in summary.pieces.iter_mut().filter(|piece| piece.name == name) {
                match level {
                    Level::Fault => piece.tally.faulted += rows,
                    Level::Warning => piece.tally.warned += rows,
                }
            }
        }
        summary.rows.with_faults += self.with_faults;
        summary.rows_compared = true;
    }
}
