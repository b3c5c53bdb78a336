//! The verdict of a run: whether its checks passed, and the reasons for doubt.

use crate::summary::{CheckCounts, Level, Summary};

/// The outcome of the checks of a run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Verdict {
    /// Some rows have faults.
    Faults,
    /// Every check saw a value, all values passed, and no reason for doubt exists.
    Passed { checks: usize },
    /// No check failed, but that does not prove the rows right.
    Doubtful(Vec<Doubt>),
    /// The run has no checks.
    Unchecked,
}

/// A reason why a run without faults may not be right.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Doubt {
    /// The inputs have no rows.
    NoRows,
    /// Checks that compare rows of all parts, as indices. Another program compares them.
    Elsewhere(Vec<usize>),
    /// Checks without values, as indices into the checks of the summary.
    NoValues(Vec<usize>),
    /// Checks that only warn and failed, by their indices.
    Warnings(Vec<usize>),
    /// Unchecked pieces with missing results, as indices.
    Missing(Vec<usize>),
    /// Hints say that results may be wrong.
    Hints(usize),
}

impl Summary {
    /// The verdict of the run, which gave this number of hints.
    pub fn verdict(&self, hints: usize) -> Verdict {
        if self.rows.with_faults > 0 {
            return Verdict::Faults;
        }
        let asked = |check: &&CheckCounts| !check.implied;
        let checks = self.checks.iter().filter(asked).count();
        if checks == 0 {
            return Verdict::Unchecked;
        }
        if self.rows.read == 0 {
            return Verdict::Doubtful(vec![Doubt::NoRows]);
        }
        let all = |holds: &dyn Fn(&CheckCounts) -> bool| {
            self.checks.iter().enumerate().filter(|(_, check)| holds(check)).map(|(index, _)| index).collect::<Vec<_>>()
        };
        let is_checked = |name: &String| self.checks.iter().any(|check| check.of == *name);
        let pieces = self.pieces.iter().enumerate();
        let missing = pieces.filter(|(_, piece)| piece.tally.missing > 0 && !is_checked(&piece.name));
        let lists = [
            Doubt::Elsewhere(all(&|check| check.elsewhere)),
            Doubt::NoValues(all(&|check| !check.implied && check.checked == 0)),
            Doubt::Warnings(all(&|check| check.level == Level::Warning && check.rows > 0)),
            Doubt::Missing(missing.map(|(index, _)| index).collect()),
        ];
        let is_empty = |doubt: &Doubt| match doubt {
            Doubt::Elsewhere(list) | Doubt::NoValues(list) | Doubt::Warnings(list) | Doubt::Missing(list) => list.is_empty(),
            Doubt::NoRows | Doubt::Hints(_) => false,
        };
        let hints = (hints > 0).then_some(Doubt::Hints(hints));
        let doubts: Vec<Doubt> = lists.into_iter().filter(|doubt| !is_empty(doubt)).chain(hints).collect();
        if doubts.is_empty() { Verdict::Passed { checks } } else { Verdict::Doubtful(doubts) }
    }

    /// Whether an input has no rows, or a check had no value to look at.
    pub fn has_gaps(&self) -> bool {
        let is_idle = |check: &CheckCounts| !check.implied && check.checked == 0;
        self.inputs.iter().any(|input| input.rows == 0) || self.rows.read == 0 || self.checks.iter().any(is_idle)
    }
}
