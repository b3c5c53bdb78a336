use super::steps::BatchRows;
use crate::batch::{Batch, Column, RowNumbers, Texts};

/// Rows of a table, numbered from 1.
#[derive(Debug, Default)]
pub struct TableRows<'t> {
    /// The number of rows of the table before these.
    before: u64,
    numbers: Vec<u32>,
    columns: Vec<Column<'t>>,
}

impl<'t> TableRows<'t> {
    /// The first `rows` values of each column.
    pub fn new(rows: u32, columns: Vec<Column<'t>>) -> TableRows<'t> {
        TableRows { before: 0, numbers: (1..=rows).collect(), columns }
    }

    /// The rows of a batch, without copying their texts.
    pub fn of(batch: &Batch<'t>) -> TableRows<'t> {
        TableRows::new(batch.rows as u32, batch.columns.iter().map(|column| Column::from(*column)).collect())
    }

    /// The same rows after `before` rows of their table.
    #[must_use]
    pub fn after(self, before: u64) -> TableRows<'t> {
        TableRows { before, ..self }
    }

    /// The numbers of the rows, from 1 in the batch.
    pub fn numbers(&self) -> &[u32] {
        &self.numbers
    }

    pub fn columns(&self) -> &[Column<'t>] {
        &self.columns
    }
}

impl BatchRows for TableRows<'_> {
    fn keep(&mut self, rows: &[u32]) {
        self.numbers = rows.iter().filter_map(|row| self.numbers.get(*row as usize).copied()).collect();
        self.columns.iter_mut().for_each(|column| column.keep(rows));
    }

    fn count(&self) -> usize {
        self.numbers.len()
    }

    fn with_batch<R>(&self, call: impl FnOnce(&Batch) -> R) -> R {
        let columns: Vec<Texts> = self.columns.iter().map(Column::texts).collect();
        let numbers = RowNumbers { before: self.before, rows: &self.numbers };
        call(&Batch { rows: self.numbers.len(), columns: &columns, numbers })
    }

    fn number(&self, row: usize) -> u64 {
        self.numbers.get(row).copied().unwrap_or_default().into()
    }
}
