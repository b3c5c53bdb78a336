//! A program on one value, as a column of one.

use super::op::Program;
use super::results::Results;
use super::run::{Observer, Work};
use super::state::State;
use crate::batch::{Forms, Mask, Span, Texts};
use crate::text::characters::Form;

/// The result for one value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Cut<'a> {
    pub text: &'a str,
    pub state: State,
}

/// Several results for one value.
#[derive(Debug)]
pub struct Cuts<'a> {
    pub texts: Vec<&'a str>,
    pub state: State,
}

#[derive(Debug, Default)]
pub struct Scratch {
    work: Work,
    pub(super) results: Results,
    forms: Forms,
}

impl Scratch {
    /// The memory for the value of the row with this number.
    pub(super) fn of_row(number: u64) -> Scratch {
        let mut scratch = Scratch::default();
        scratch.work.set_row_numbers(std::iter::once(number));
        scratch
    }
}

impl Program {
    /// Runs the program on `value` and returns the first result.
    ///
    /// ```
    /// use keen_notch_core::{phrase::Phrase, program::{Program, Scratch}, text::unit::Unit};
    ///
    /// let program = Program::new(&Phrase::parse("last 4")?, Unit::Characters)?;
    /// assert_eq!(program.cut("GRP-00041273-S7K2", &mut Scratch::default()).text, "S7K2");
    /// # Ok::<(), keen_notch_core::phrase::PhraseError>(())
    /// ```
    pub fn cut<'a>(&self, value: &'a str, scratch: &'a mut Scratch) -> Cut<'a> {
        let Cuts { texts, state } = self.cut_all(value, scratch);
        Cut { text: texts.first().copied().unwrap_or_default(), state }
    }

    /// Runs the program on `value` and returns all results.
    ///
    /// ```
    /// use keen_notch_core::{phrase::Phrase, program::{Program, Scratch}, text::unit::Unit};
    ///
    /// let program = Program::new(&Phrase::parse("sections by \"-\"")?, Unit::Characters)?;
    /// assert_eq!(program.cut_all("GRP-00041273", &mut Scratch::default()).texts, ["GRP", "00041273"]);
    /// # Ok::<(), keen_notch_core::phrase::PhraseError>(())
    /// ```
    pub fn cut_all<'a>(&self, value: &'a str, scratch: &'a mut Scratch) -> Cuts<'a> {
        self.run_one(value, scratch, |program, values, work, results| program.run(values, work, results));
        let results = &scratch.results;
        let text = results.text(value);
        let texts = results.items(0).map(|item| results.spans[item].text(text));
        Cuts { texts: texts.collect(), state: results.state(0) }
    }

    pub(super) fn observe_one<O: Observer>(&self, value: &str, closed: &[Mask], scratch: &mut Scratch, observer: &mut O) {
        self.run_one(value, scratch, |program, values, work, results| {
            program.run_observed(values, closed, work, results, observer);
        });
    }

    fn run_one(&self, value: &str, scratch: &mut Scratch, run: impl FnOnce(&Program, Texts, &mut Work, &mut Results)) {
        let Scratch { work, results, forms } = scratch;
        forms.clear(1);
        forms.set(0, Form::of(value));
        run(self, Texts { text: value, spans: &[Span::new(0, value.len())], forms }, work, results);
    }
}
