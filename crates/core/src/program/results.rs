//! What came of a program for the values of a column.

use std::ops::Range;

use super::state::State;
use crate::batch::{Buffer, Forms, Span, Texts};
use crate::text::blank::is_blank;

/// The results of a program for each of some values: one each, or several, which are then listed value by value.
#[derive(Debug, Default)]
pub struct Results {
    /// Where each result is; empty where there is none.
    pub(super) spans: Vec<Span>,
    /// Whether that is in `buffer`, and not in the text of the values.
    pub(super) is_made: bool,
    pub(super) buffer: Buffer,
    /// What is known of the characters of each result.
    pub(super) forms: Forms,
    /// Where the results of each value begin among all, and where the last ones end; empty where each has one.
    pub(super) offsets: Vec<u32>,
    /// What became of each value; empty where all are filled.
    pub(super) states: Vec<State>,
    /// Where each result was last a part of its value, where texts were made of these.
    pub(super) taken: Vec<Span>,
    /// How wide all results are, in bytes, where the cut makes that sure.
    pub(super) width: Option<usize>,
    /// Whether all results that there are consist of digits (`true`), or none has one (`false`), where that is known.
    pub(super) are_digits: Option<bool>,
    /// Whether results are lacking, since they would be too large.
    pub(super) is_too_large: bool,
}

impl Results {
    /// The number of values.
    pub fn rows(&self) -> usize {
        if self.offsets.is_empty() { self.spans.len() } else { self.offsets.len() - 1 }
    }

    /// What became of a value.
    #[inline]
    pub fn state(&self, row: usize) -> State {
        self.states.get(row).copied().unwrap_or_default()
    }

    /// Whether all values gave exactly what was asked for.
    pub fn are_filled(&self) -> bool {
        self.states.is_empty()
    }

    /// The results, of values whose texts are these.
    pub fn texts<'a>(&'a self, values: Texts<'a>) -> Texts<'a> {
        Texts { text: self.text(values.text), spans: &self.spans, forms: &self.forms }
    }

    /// The text that the results are in.
    pub(super) fn text<'a>(&'a self, values: &'a str) -> &'a str {
        if self.is_made { self.buffer.text() } else { values }
    }

    /// The indices of the results of a value among all; none where it is missing.
    #[inline]
    pub fn items(&self, row: usize) -> Range<usize> {
        match (self.offsets.get(row), self.offsets.get(row + 1)) {
            _ if !self.state(row).is_there() => 0..0,
            (Some(start), Some(end)) => *start as usize..*end as usize,
            _ if self.offsets.is_empty() => row..row + 1,
            _ => 0..0,
        }
    }

    /// Where the results of each value begin among all, and where the last ones end; empty where each has one.
    pub(crate) fn offsets(&self) -> &[u32] {
        &self.offsets
    }

    /// What is known of the characters of each result.
    pub(crate) fn forms(&self) -> &Forms {
        &self.forms
    }

    /// Whether there may be several results of one value.
    pub fn are_several(&self) -> bool {
        !self.offsets.is_empty()
    }

    /// Whether results are parts of their values as they are.
    pub fn are_parts(&self) -> bool {
        !self.is_made
    }

    /// How wide all results are, in bytes, where that is known from the cut.
    pub(crate) fn width(&self) -> Option<usize> {
        self.width
    }

    /// Whether all results that there are consist of digits (`true`), or none has one (`false`), where that is known from
    /// the cut or from a check.
    pub(crate) fn are_digits(&self) -> Option<bool> {
        self.are_digits
    }

    /// Notes what a check has found of the digits of all results.
    pub(crate) fn note_digits(&mut self, are_digits: bool) {
        self.are_digits = Some(are_digits);
    }

    /// The byte range of a result in its value. `None` if the result is missing, or if its `text` differs from the value there.
    pub fn place(&self, row: usize, item: usize, values: Texts, text: &str) -> Option<Range<usize>> {
        let (value, span) = (values.spans.get(row)?, *self.sources().get(item)?);
        if span.is_empty() || span.start < value.start || span.end > value.end {
            return None;
        }
        let place = (span.start - value.start) as usize..(span.end - value.start) as usize;
        (!self.is_made || values.get(row).get(place.clone()) == Some(text)).then_some(place)
    }

    /// Where the parts of the values are that the results were made of; empty where one was made of something else.
    pub(crate) fn sources(&self) -> &[Span] {
        if self.is_made { &self.taken } else { &self.spans }
    }

    /// Keeps the results of some rows only.
    pub(crate) fn keep(&mut self, rows: &[u32]) {
        if !self.states.is_empty() {
            pick(&mut self.states, rows);
            if self.states.iter().all(|state| state.is_filled()) {
                self.states.clear();
            }
        }
        let mut items = Vec::new();
        let kept = match self.offsets.as_slice() {
            [] => rows,
            offsets => {
                let mut kept = vec![0];
                for row in rows {
                    let row = *row as usize;
                    items.extend(offsets[row]..offsets[row + 1]);
                    kept.push(items.len() as u32);
                }
                self.offsets = kept;
                &items
            }
        };
        pick(&mut self.spans, kept);
        if !self.taken.is_empty() {
            pick(&mut self.taken, kept);
        }
        let forms = std::mem::take(&mut self.forms);
        self.forms.pick(&forms, kept);
    }

    /// Makes all results the parts of their values that these spans say; empty where they are missing.
    pub(crate) fn set_parts(&mut self, values: Texts, spans: &[Span]) {
        self.begin(values);
        self.spans.clear();
        self.spans.extend_from_slice(spans);
        self.set_states(None);
        self.note_blank(values);
    }

    /// Tells results that are missing from those of values without text, which are blank.
    pub(super) fn note_blank(&mut self, values: Texts) {
        for (row, state) in self.states.iter_mut().enumerate().filter(|(_, state)| state.missing) {
            if is_blank(values.get(row)) {
                *state = State::BLANK;
            }
        }
    }

    /// Begins with the values themselves as the results.
    pub(super) fn begin(&mut self, values: Texts) {
        self.spans.clear();
        self.spans.extend_from_slice(values.spans);
        self.forms.copy_from(values.forms);
        self.is_made = false;
        self.offsets.clear();
        self.states.clear();
        self.taken.clear();
        (self.width, self.are_digits) = (None, None);
        self.is_too_large = false;
    }

    /// Makes some rows ones that were not asked, of rows with one result each.
    pub(crate) fn unset(&mut self, rows: &[u32]) {
        let count = self.spans.len();
        self.states.resize(count, State::default());
        for row in rows {
            (self.spans[*row as usize], self.states[*row as usize]) = (Span::default(), State::NOT_ASKED);
        }
    }

    /// Whether results are lacking, since all of them would take more bytes together than they may.
    pub fn are_too_large(&self) -> bool {
        self.is_too_large
    }

    /// How many bytes the results take beside their values: texts that were made, and where each of several is.
    pub(crate) fn made(&self) -> usize {
        let texts = if self.is_made { self.buffer.width() } else { 0 };
        let places = if self.are_several() { self.spans.len() * size_of::<Span>() } else { 0 };
        texts + places
    }

    /// Lets the results take no more than `most` bytes.
    pub(crate) fn set_most(&mut self, most: usize) {
        self.buffer.set_most(most);
    }

    /// Makes all results missing, since there is no room for them.
    pub(crate) fn set_too_large(&mut self) {
        self.set_none(self.rows(), State::MISSING);
        self.is_too_large = true;
    }

    /// Leaves `rows` rows without a result, in this state.
    pub(crate) fn set_none(&mut self, rows: usize, state: State) {
        self.begin(Texts { text: "", spans: &[], forms: &Forms::NONE });
        self.spans.resize(rows, Span::default());
        self.forms.clear(rows);
        self.states.resize(rows, state);
    }

    /// The buffer of made texts, empty, and the spans and the states to be filled in for `rows` rows.
    pub(crate) fn make(&mut self, rows: usize) -> Made<'_> {
        self.begin(Texts { text: "", spans: &[], forms: &Forms::NONE });
        self.is_made = true;
        self.buffer.clear();
        self.forms.clear(rows);
        Made { buffer: &mut self.buffer, spans: &mut self.spans, states: &mut self.states, forms: &mut self.forms }
    }

    /// Works out what became of each row of the results of one branch. `flags` say what became of each row beside what
    /// can be seen by its results; none where nothing did.
    pub(super) fn set_states(&mut self, flags: Option<&[State]>) {
        self.is_too_large |= self.is_made && self.buffer.is_full();
        self.states.clear();
        if self.offsets.is_empty() {
            let any_missing = self.spans.iter().fold(false, |any, span| any | span.is_empty());
            if !any_missing && flags.is_none() {
                return;
            }
        }
        let rows = self.rows();
        for row in 0..rows {
            let is_missing = match (self.offsets.get(row), self.offsets.get(row + 1)) {
                (Some(start), Some(end)) => self.spans[*start as usize..*end as usize].iter().all(|span| span.is_empty()),
                _ => self.spans[row].is_empty(),
            };
            let flags = || flags.and_then(|flags| flags.get(row)).copied().unwrap_or_default();
            self.states.push(if is_missing { State::MISSING } else { flags() });
        }
        if self.states.iter().all(|state| state.is_filled()) {
            self.states.clear();
        }
    }
}

/// Texts being made for some rows.
pub(crate) struct Made<'r> {
    pub(crate) buffer: &'r mut Buffer,
    pub(crate) spans: &'r mut Vec<Span>,
    pub(crate) states: &'r mut Vec<State>,
    pub(crate) forms: &'r mut Forms,
}

/// Keeps some of the things, by their indices, which rise.
fn pick<T: Copy>(of: &mut Vec<T>, kept: &[u32]) {
    for (place, index) in kept.iter().enumerate() {
        of[place] = of[*index as usize];
    }
    of.truncate(kept.len());
}

#[cfg(test)]
mod tests {
    use crate::batch::Column;
    use crate::phrase::Phrase;
    use crate::program::{Program, Results, Work};
    use crate::text::unit::Unit;

    #[test]
    fn results_that_are_too_large_together_are_left_out_and_that_is_said() {
        let (wide, most) = (10_000, 100_000);
        let doubled = " then replace \"7\" with \"77\"".repeat(13);
        let phrases = [
            format!("pad left to {wide} with \"0\""),
            format!("prefix \"-\" then pad right to {wide} with \"0\" or \"none\""),
            format!("prefix \"é\" then pad right to {wide} with \"é\""),
            format!("sections by \"-\" then pad left to {wide} with \"0\" joined with \"+\""),
            format!("match /x/ or pad left to {wide} with \"0\""),
            format!("whole{doubled}"),
            format!("pad left to {wide} with \"7\" then matches /7/ joined with \"\""),
        ];
        for phrase in phrases {
            let program = Program::new(&Phrase::parse(&phrase).unwrap(), Unit::Characters).unwrap();
            let (mut work, mut results) = (Work::default(), Results::default());
            let several = phrase.contains("matches");
            for (rows, expected) in [(1, false), (if several { 3 } else { 20 }, true), (1, false)] {
                let values = Column::of(vec!["7"; rows]);
                results.set_most(most);
                program.run(values.texts(), work.with_most(most), &mut results);
                assert_eq!(results.are_too_large(), expected, "{rows} rows of {phrase}");
                assert!(results.made() <= most + wide, "{} of {phrase}", results.made());
            }
        }
        // One text that would be far too large by itself is not made.
        for phrase in
            ["whole then pad left to 100000 with \"0\"", "replace /7/ with \"7777777777\" then replace /7/ with \"$0$0$0$0\""]
        {
            let program = Program::new(&Phrase::parse(phrase).unwrap(), Unit::Characters).unwrap();
            let (mut work, mut results) = (Work::default(), Results::default());
            let values = Column::of(vec!["7777777777"; 1]);
            results.set_most(200);
            program.run(values.texts(), work.with_most(200), &mut results);
            assert!(results.are_too_large(), "{phrase}");
        }
    }
}
