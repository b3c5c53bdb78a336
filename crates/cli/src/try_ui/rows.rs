//! The first rows of the table, for the list of columns and the tried column.

use std::cell::RefCell;
use std::collections::BTreeMap;
use std::ops::ControlFlow;
use std::rc::Rc;

use keen_notch_core::batch::{Batch, Column, RowNumbers};
use keen_notch_core::column::Header;
use keen_notch_core::survey::{Depth, Survey};
use keen_notch_io::table::Table;
use keen_notch_io::view::View;

/// The maximum number of rows, and approximate size of their values in bytes.
const MOST_ROWS: usize = 2000;
const MOST_BYTES: usize = 8 << 20;

pub struct Rows {
    pub header: Header,
    /// Whether the table has no further rows.
    pub is_all: bool,
    columns: Vec<Column<'static>>,
    numbers: Vec<u64>,
    looked_at: RefCell<BTreeMap<usize, Rc<Looks>>>,
}

/// The figures of a column in the list of columns.
#[derive(Debug)]
pub struct Looks {
    pub blanks: u64,
    /// Its shapes with the numbers of their values, the most frequent first.
    pub shapes: Vec<(String, u64)>,
}

impl Rows {
    /// Reads the first rows.
    ///
    /// # Errors
    /// The table cannot be read.
    pub fn read(table: &mut Table) -> Result<Rows, keen_notch_io::Error> {
        let mut rows = Rows::new(table.header.clone());
        let all: Vec<usize> = (0..rows.header.count_with_paths()).collect();
        let mut bytes = 0;
        table.each_row(View::Columns(&all), |row| {
            let values = all.iter().map(|column| row.value(*column));
            // Reads one more row, to know whether there are more.
            rows.is_all = rows.count() < MOST_ROWS && bytes < MOST_BYTES;
            if !rows.is_all {
                return ControlFlow::Break(());
            }
            bytes += values.clone().map(str::len).sum::<usize>();
            rows.push(row.number, values);
            ControlFlow::Continue(())
        })?;
        Ok(rows)
    }

    pub fn new(header: Header) -> Rows {
        let columns = (0..header.count_with_paths()).map(|_| Column::default()).collect();
        Rows { header, is_all: true, columns, numbers: Vec::new(), looked_at: RefCell::default() }
    }

    pub fn push<'v>(&mut self, number: u64, values: impl Iterator<Item = &'v str>) {
        self.columns.iter_mut().zip(values).for_each(|(column, value)| column.push(value));
        self.numbers.push(number);
    }

    pub fn count(&self) -> usize {
        self.numbers.len()
    }

    /// The number of a row in the table, from 1.
    pub fn number(&self, row: usize) -> u64 {
        self.numbers.get(row).copied().unwrap_or_default()
    }

    pub fn value(&self, column: usize, row: usize) -> &str {
        self.columns[column].texts().get(row)
    }

    pub fn survey(&self, column: usize) -> Survey {
        let mut survey = Survey::new(Depth::Full);
        let values = self.columns[column].texts();
        self.numbers.iter().zip(values.iter()).for_each(|(number, value)| survey.observe(*number, value));
        survey
    }

    /// Surveys a column when it is first shown: a table can have thousands.
    pub fn looks(&self, column: usize) -> Rc<Looks> {
        let look = || {
            let survey = self.survey(column);
            let shapes = survey.groups().iter().map(|group| (group.shape.to_string(), group.seen.count)).collect();
            Rc::new(Looks { blanks: survey.blank.count, shapes })
        };
        Rc::clone(self.looked_at.borrow_mut().entry(column).or_insert_with(look))
    }

    pub fn with_batch<T>(&self, see: impl FnOnce(&Batch) -> T) -> T {
        let columns: Vec<_> = self.columns.iter().map(Column::texts).collect();
        let numbers: Vec<u32> = self.numbers.iter().map(|number| u32::try_from(*number).unwrap_or(u32::MAX)).collect();
        see(&Batch { rows: self.count(), columns: &columns, numbers: RowNumbers { before: 0, rows: &numbers } })
    }
}
