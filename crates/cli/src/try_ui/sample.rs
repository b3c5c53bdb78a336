//! The sample for `try`: the first rows of the table.

use std::ops::ControlFlow;

use keen_notch_core::batch::{Batch, Column, RowNumbers};
use keen_notch_core::column::Header;
use keen_notch_core::dates;
use keen_notch_core::survey::{Depth, Group, Members, Row, Survey};
use keen_notch_io::table::Table;
use keen_notch_io::view::View;

/// The maximum number of rows, and approximate size of their values in bytes.
const MOST_ROWS: usize = 2000;
const MOST_BYTES: usize = 8 << 20;
const MOST_SHAPES: usize = 9;
const MOST_RANKED: usize = 500;

pub struct Sample {
    pub header: Header,
    pub column: usize,
    pub is_all: bool,
    /// The shapes of its values, the most frequent first.
    pub shapes: Vec<String>,
    /// The delimiters of its values, the most frequent first.
    pub delimiters: Vec<String>,
    /// The formats of its dates, or the usual ones.
    pub dates: Vec<&'static str>,
    /// The tables in the folder of the cut list.
    pub files: Vec<String>,
    columns: Vec<Column<'static>>,
    numbers: Vec<u64>,
    shape_of: Vec<Option<usize>>,
}

impl Sample {
    /// Reads the first rows.
    ///
    /// # Errors
    /// The table cannot be read.
    pub fn read(table: &mut Table, column: usize) -> Result<Sample, keen_notch_io::Error> {
        let header = table.header.clone();
        let all: Vec<usize> = (0..header.count_with_paths()).collect();
        let mut sample = Sample::new(header, column);
        let mut bytes = 0;
        table.each_row(View::Columns(&all), |row| {
            let values = all.iter().map(|column| row.value(*column));
            // Reads one more row, to know whether there are more.
            sample.is_all = sample.rows() < MOST_ROWS && bytes < MOST_BYTES;
            if !sample.is_all {
                return ControlFlow::Break(());
            }
            bytes += values.clone().map(str::len).sum::<usize>();
            sample.push(row.number, values);
            ControlFlow::Continue(())
        })?;
        sample.survey();
        Ok(sample)
    }

    fn new(header: Header, column: usize) -> Sample {
        let columns = (0..header.count_with_paths()).map(|_| Column::default()).collect();
        let (shapes, delimiters, dates, files) = Default::default();
        Sample {
            header,
            column,
            is_all: true,
            shapes,
            delimiters,
            dates,
            files,
            columns,
            numbers: Vec::new(),
            shape_of: Vec::new(),
        }
    }

    fn push<'v>(&mut self, number: u64, values: impl Iterator<Item = &'v str>) {
        self.columns.iter_mut().zip(values).for_each(|(column, value)| column.push(value));
        self.numbers.push(number);
    }

    fn survey(&mut self) {
        let mut survey = Survey::new(Depth::Full);
        let values = self.columns[self.column].texts();
        self.numbers.iter().zip(values.iter()).for_each(|(number, value)| survey.observe(*number, value));
        let groups: Vec<Group> = survey.groups().into_iter().take(MOST_SHAPES).collect();
        let mut members: Vec<Members> = groups.iter().map(|group| survey.members(std::slice::from_ref(group))).collect();
        self.shape_of = values.iter().map(|value| members.iter_mut().position(|members| members.has(value))).collect();
        self.shapes = groups.iter().map(|group| group.shape.to_string()).collect();
        self.dates = dates::recognised(&survey.sample()).into_iter().map(|found| found.format).collect();
        self.dates.extend(dates::usual().filter(|format| !self.dates.contains(format)).collect::<Vec<_>>());
        let mut delimiters = survey.delimiters();
        delimiters.sort_by_key(|delimiter| std::cmp::Reverse(delimiter.values));
        self.delimiters = delimiters.into_iter().map(|delimiter| delimiter.character).collect();
    }

    pub fn rows(&self) -> usize {
        self.numbers.len()
    }

    pub fn row(&self, row: usize) -> (u64, &str) {
        (self.numbers.get(row).copied().unwrap_or_default(), self.columns[self.column].texts().get(row))
    }

    /// The index of the shape of a row, if the shape is a frequent one.
    pub fn shape_of(&self, row: usize) -> Option<usize> {
        self.shape_of.get(row).copied().flatten()
    }

    pub fn with_batch<T>(&self, see: impl FnOnce(&Batch) -> T) -> T {
        let columns: Vec<_> = self.columns.iter().map(Column::texts).collect();
        let numbers: Vec<u32> = self.numbers.iter().map(|number| u32::try_from(*number).unwrap_or(u32::MAX)).collect();
        see(&Batch { rows: self.rows(), columns: &columns, numbers: RowNumbers { before: 0, rows: &numbers } })
    }

    pub fn ranked(&self) -> Vec<Row> {
        let rows = (0..self.rows().min(MOST_RANKED)).map(|row| self.row(row));
        rows.map(|(row, value)| Row { row, value: value.to_owned() }).collect()
    }

    #[cfg(test)]
    pub fn of(title: &str, values: &[&str]) -> Sample {
        let mut sample = Sample::new(Header::Names(vec![title.to_owned()]), 0);
        (1..).zip(values).for_each(|(number, value)| sample.push(number, std::iter::once(*value)));
        sample.survey();
        sample
    }
}
