//! Which input a row of a run is of.

/// The inputs of a run in their order, and where the rows of each begin.
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
    starts: Starts,
}

/// For each input so far, the number of rows before it.
#[derive(Debug, Clone, Default)]
pub(crate) struct Starts(Vec<u64>);

impl Starts {
    /// The rows of an input begin after `before` rows of the run; so do those of inputs before it that had no rows.
    pub fn begin(&mut self, input: usize, before: u64) {
        self.0.resize((input + 1).max(self.0.len()), before);
    }

    /// The input of a row of the run, and its number there, both counted from the first: rows from 1, inputs from 0.
    pub fn locate(&self, row: u64) -> (usize, u64) {
        let input = self.0.partition_point(|before| *before < row).saturating_sub(1);
        (input, row - self.0.get(input).copied().unwrap_or_default())
    }
}

impl Inputs {
    /// Inputs of these names, none of which has begun.
    pub(crate) fn new(names: Vec<String>) -> Inputs {
        Inputs { names, starts: Starts::default() }
    }

    /// The rows of an input begin after `before` rows of the run.
    pub(crate) fn begin(&mut self, input: usize, before: u64) {
        self.starts.begin(input, before);
    }

    /// The input of a row of the run, and its number there, both counted from the first: rows from 1, inputs from 0.
    pub fn locate(&self, row: u64) -> (usize, u64) {
        self.starts.locate(row)
    }

    /// What an input is called.
    pub fn name(&self, input: usize) -> &str {
        self.names.get(input).map_or("", String::as_str)
    }

    /// What the inputs are called.
    pub fn names(&self) -> &[String] {
        &self.names
    }

    /// Whether a row must be named with its input.
    pub fn are_several(&self) -> bool {
        self.names.len() > 1
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn rows_are_found_in_their_inputs() {
        let mut inputs = Inputs::new(["a", "none", "b", "last"].map(str::to_owned).to_vec());
        inputs.begin(0, 0);
        inputs.begin(2, 3);
        inputs.begin(2, 5);
        inputs.begin(3, 9);
        let located = [1, 3, 4, 9, 10].map(|row| inputs.locate(row));
        assert_eq!(located, [(0, 1), (0, 3), (2, 1), (2, 6), (3, 1)]);
        assert_eq!(inputs.name(2), "b");
    }
}
