//! The tried column: its first values, and the words for completions.

use std::rc::Rc;

use keen_notch_core::survey::{Group, Members, Row};

use super::rows::Rows;

const MOST_SHAPES: usize = 9;
const MOST_RANKED: usize = 500;

pub struct Sample {
    pub rows: Rc<Rows>,
    pub column: usize,
    /// The shapes of its values, the most frequent first.
    pub shapes: Vec<String>,
    /// The delimiters of its values, the most frequent first.
    pub delimiters: Vec<String>,
    /// The tables in the folder of the cut list.
    pub files: Vec<String>,
    shape_of: Vec<Option<usize>>,
}

impl Sample {
    pub fn new(rows: Rc<Rows>, column: usize, files: Vec<String>) -> Sample {
        let survey = rows.survey(column);
        let groups: Vec<Group> = survey.groups().into_iter().take(MOST_SHAPES).collect();
        let mut members: Vec<Members> = groups.iter().map(|group| survey.members(std::slice::from_ref(group))).collect();
        let values = (0..rows.count()).map(|row| rows.value(column, row));
        let shape_of = values.map(|value| members.iter_mut().position(|members| members.has(value))).collect();
        let shapes = groups.iter().map(|group| group.shape.to_string()).collect();
        let mut delimiters = survey.delimiters();
        delimiters.sort_by_key(|delimiter| std::cmp::Reverse(delimiter.values));
        let delimiters = delimiters.into_iter().map(|delimiter| delimiter.character).collect();
        Sample { rows, column, shapes, delimiters, files, shape_of }
    }

    pub fn title(&self) -> String {
        self.rows.header.title(self.column)
    }

    pub fn rows(&self) -> usize {
        self.rows.count()
    }

    /// The number of a row in the table, from 1, and its value.
    pub fn row(&self, row: usize) -> (u64, &str) {
        (self.rows.number(row), self.rows.value(self.column, row))
    }

    /// The index of the shape of a row, if the shape is a frequent one.
    pub fn shape_of(&self, row: usize) -> Option<usize> {
        self.shape_of.get(row).copied().flatten()
    }

    pub fn ranked(&self) -> Vec<Row> {
        let rows = (0..self.rows().min(MOST_RANKED)).map(|row| self.row(row));
        rows.map(|(row, value)| Row { row, value: value.to_owned() }).collect()
    }
}
