//! The inputs of a run.

use std::ops::Range;

use keen_notch_core::summary;

use crate::source::input::Input;

/// The inputs of a run in order, with the first row of each.
///
/// ```
/// use keen_notch_io::inputs::Inputs;
///
/// let inputs = Inputs::default();
/// assert!(!inputs.are_several());
/// assert_eq!(inputs.locate(7), (0, 7));
/// ```
#[derive(Debug, Clone, Default)]
pub struct Inputs {
    names: Vec<String>,
    streams: Vec<bool>,
    /// The values of the folders of each input, if they are columns.
    folders: Vec<Vec<String>>,
    starts: Starts,
    /// For a part: its inputs, and the number of rows to skip in the first one.
    part: Option<(Range<usize>, u64)>,
}

#[derive(Debug, Clone, Default)]
pub(crate) struct Starts(Vec<u64>);

impl Starts {
    /// Starts an input after `before` rows, and any earlier inputs without rows.
    pub fn begin(&mut self, input: usize, before: u64) {
        self.0.resize((input + 1).max(self.0.len()), before);
    }

    /// The input of a row of the run, from 0, and the number of the row in it, from 1.
    pub fn locate(&self, row: u64) -> (usize, u64) {
        let input = self.0.partition_point(|before| *before < row).saturating_sub(1);
        (input, row - self.0.get(input).copied().unwrap_or_default())
    }
}

/// A row in words; `place` is its input and its number there.
pub(crate) fn label((input, number): (usize, u64), names: &[String]) -> String {
    match names {
        [] | [_] => format!("row {number}"),
        names => format!("row {number} of {}", names.get(input).map_or("", String::as_str)),
    }
}

impl Inputs {
    pub(crate) fn new(inputs: &[Input]) -> Inputs {
        let names = inputs.iter().map(Input::name).collect();
        Inputs { names, streams: inputs.iter().map(Input::is_read_once).collect(), ..Inputs::default() }
    }

    /// Inputs with these consecutive rows.
    pub fn of_rows(rows: &[summary::Input]) -> Inputs {
        let mut inputs = Inputs {
            names: rows.iter().map(|input| input.name.clone()).collect(),
            streams: rows.iter().map(|input| input.stream).collect(),
            ..Inputs::default()
        };
        let mut before = 0;
        for (index, input) in rows.iter().enumerate() {
            inputs.begin(index, before);
            before += input.rows;
        }
        if let Some(first) = rows.first() {
            inputs.take_part(0..rows.len(), first.first_row.saturating_sub(1));
        }
        inputs
    }

    /// Adds the values of the folders of the next input.
    pub(crate) fn add_folders(&mut self, values: &[String]) {
        self.folders.push(values.to_vec());
    }

    /// The texts of [`OutColumn::OfInput`](keen_notch_core::carving::OutColumn::OfInput) in all inputs.
    pub(crate) fn texts(&self, text: usize) -> impl Iterator<Item = &str> {
        let names = self.names.iter().filter(move |_| text == 0);
        let values = self.folders.iter().filter_map(move |values| values.get(text.checked_sub(1)?));
        names.chain(values).map(String::as_str)
    }

    pub(crate) fn take_part(&mut self, inputs: Range<usize>, skipped: u64) {
        self.part = Some((inputs, skipped));
    }

    /// The rows of each input; `all` is the number of rows of the run.
    pub fn rows(&self, all: u64) -> Vec<summary::Input> {
        let start = |input: usize| self.starts.0.get(input).copied().unwrap_or(all);
        let rows = |input: usize| summary::Input {
            name: self.names[input].clone(),
            first_row: 1 + self.skipped(input),
            rows: start(input + 1) - start(input),
            stream: self.streams[input],
        };
        self.part.as_ref().map_or(0..self.names.len(), |(inputs, _)| inputs.clone()).map(rows).collect()
    }

    /// The first input that is read.
    pub(crate) fn first(&self) -> usize {
        self.part.as_ref().map_or(0, |(inputs, _)| inputs.start)
    }

    /// The rows of an input before those that are read.
    pub(crate) fn skipped(&self, input: usize) -> u64 {
        self.part.as_ref().filter(|(inputs, _)| inputs.start == input).map_or(0, |(_, skipped)| *skipped)
    }

    pub(crate) fn begin(&mut self, input: usize, before: u64) {
        self.starts.begin(input, before);
    }

    pub fn locate(&self, row: u64) -> (usize, u64) {
        let (input, number) = self.starts.locate(row);
        (input, number + self.skipped(input))
    }

    /// A row of the run in words: `row 7`, or `row 7 of b.csv` if there are several inputs.
    pub fn row_label(&self, row: u64) -> String {
        label(self.locate(row), &self.names)
    }

    pub fn name(&self, input: usize) -> &str {
        self.names.get(input).map_or("", String::as_str)
    }

    pub fn names(&self) -> &[String] {
        &self.names
    }

    /// Whether labels of rows must include the input.
    pub fn are_several(&self) -> bool {
        self.names.len() > 1
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_found_in_their_inputs() {
        let mut inputs =
            Inputs::new(&["a", "none", "b", "last"].map(|name| Input::Memory(name.to_owned(), b"".as_slice().into())));
        inputs.begin(0, 0);
        inputs.begin(2, 3);
        inputs.begin(2, 5);
        inputs.begin(3, 9);
        let located = [1, 3, 4, 9, 10].map(|row| inputs.locate(row));
        assert_eq!(located, [(0, 1), (0, 3), (2, 1), (2, 6), (3, 1)]);
        assert_eq!(inputs.name(2), "b");
        assert_eq!(inputs.rows(10).iter().map(|input| input.rows).collect::<Vec<_>>(), [3, 0, 6, 1]);
    }
}
