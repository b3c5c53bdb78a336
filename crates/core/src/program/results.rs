use std::ops::Range;

use super::certain::Certain;
use super::state::State;
use crate::batch::{Buffer, Forms, Span, Texts};
use crate::text::blank::is_blank;
use crate::text::characters::Form;

/// The results of a program for some values: one each, or several each in a flat list.
#[derive(Debug, Default)]
pub struct Results {
    pub(super) spans: Vec<Span>,
    /// Whether the spans refer to `buffer` instead of the text of the values.
    pub(super) is_made: bool,
    pub(super) buffer: Buffer,
    pub(super) forms: Forms,
    pub(super) offsets: Vec<u32>,
    pub(super) states: Vec<State>,
    /// The span in its value from which each result was made, if texts were made.
    pub(super) taken: Vec<Span>,
    /// The common width of all results in bytes, if the cut guarantees one.
    pub(super) width: Option<usize>,
    /// The guarantees of cuts and checks about the results.
    pub(super) certain: Certain,
    /// The results that they exclude, as ascending indices.
    pub(super) uncertain: Vec<u32>,
    pub(super) is_too_large: bool,
}

impl Results {
    pub fn rows(&self) -> usize {
        if self.offsets.is_empty() { self.spans.len() } else { self.offsets.len() - 1 }
    }

    #[inline]
    pub fn state(&self, row: usize) -> State {
        self.states.get(row).copied().unwrap_or_default()
    }

    pub fn are_filled(&self) -> bool {
        self.states.is_empty()
    }

    /// The rows without a complete result of the first branch, with their states.
    pub(crate) fn unfilled(&self) -> impl Iterator<Item = (usize, State)> {
        self.states.iter().copied().enumerate().filter(|(_, state)| !state.is_filled())
    }

    /// The results; `values` must be the texts that the program ran on.
    pub fn texts<'a>(&'a self, values: Texts<'a>) -> Texts<'a> {
        Texts { text: self.text(values.text), spans: &self.spans, forms: &self.forms }
    }

    pub(super) fn text<'a>(&'a self, values: &'a str) -> &'a str {
        if self.is_made { self.buffer.text() } else { values }
    }

    #[inline]
    pub fn items(&self, row: usize) -> Range<usize> {
        match (self.offsets.get(row), self.offsets.get(row + 1)) {
            _ if !self.state(row).is_there() => 0..0,
            (Some(start), Some(end)) => *start as usize..*end as usize,
            _ if self.offsets.is_empty() => row..row + 1,
            _ => 0..0,
        }
    }

    pub(crate) fn offsets(&self) -> &[u32] {
        &self.offsets
    }

    pub fn are_several(&self) -> bool {
        !self.offsets.is_empty()
    }

    /// Whether results are unchanged parts of their values.
    pub fn are_parts(&self) -> bool {
        !self.is_made
    }

    pub(crate) fn width(&self) -> Option<usize> {
        self.width
    }

    /// The guarantees about all filled results, and the results that they exclude, as ascending indices.
    pub(crate) fn certain(&self) -> (Certain, &[u32]) {
        (self.certain, &self.uncertain)
    }

    /// The number of results in other forms than plain.
    pub(crate) fn rough(&self) -> usize {
        self.forms.rough().count()
    }

    /// Notes a guarantee about all plain results except some, given as ascending indices. `except_blank` excludes blank results too.
    pub(crate) fn note_certain(&mut self, certain: Certain, values: Texts, except: &[u32], except_blank: bool) {
        self.uncertain.extend_from_slice(except);
        self.uncertain.extend(self.forms.rough().iter().map(|index| index as u32));
        if except_blank {
            let text = if self.is_made { self.buffer.text() } else { values.text }.as_bytes();
            // A plain blank text begins with white space, which sorts before all other printable characters.
            let may_be_blank = |span: &Span| !span.is_empty() & text.get(span.start as usize).is_none_or(|byte| *byte <= b' ');
            self.uncertain.extend((0..).zip(&self.spans).filter(|(_, span)| may_be_blank(span)).map(|(index, _)| index));
        }
        self.uncertain.sort_unstable();
        self.uncertain.dedup();
        self.certain = self.certain.and(certain);
    }

    pub(super) fn forget_certain(&mut self) {
        self.certain = Certain::default();
        self.uncertain.clear();
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

    /// The spans of the values from which results were made; empty for other results.
    pub(crate) fn sources(&self) -> &[Span] {
        if self.is_made { &self.taken } else { &self.spans }
    }

    pub(crate) fn keep(&mut self, rows: &[u32]) {
        if !self.uncertain.is_empty() {
            self.forget_certain();
        }
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

    pub(crate) fn set_parts(&mut self, values: Texts, spans: &[Span]) {
        self.begin(values);
        self.spans.clear();
        self.spans.extend_from_slice(spans);
        self.set_states(None);
        self.note_blank(values);
    }

    /// Sets one of several results of each value, from 0. It is missing where there are fewer results, or where it is empty.
    pub(crate) fn set_result_of(&mut self, several: &Results, number: usize, values: Texts) {
        self.begin(values);
        if several.are_plain_parts() {
            return self.set_plain_part(several, number);
        }
        self.is_made = several.is_made;
        self.buffer.clear();
        let text = several.text(values.text).as_bytes();
        self.taken.resize(if several.is_made { values.len() } else { 0 }, Span::default());
        for row in 0..values.len() {
            let item = several.items(row).nth(number);
            let span = item.map_or(Span::default(), |item| several.spans[item]);
            self.forms.set(row, item.map_or(Form::Plain, |item| several.forms.of(item)));
            self.spans[row] = match (self.is_made, item) {
                (true, Some(item)) => {
                    let start = self.buffer.width();
                    self.buffer.extend_within(span.bytes(text));
                    self.taken[row] = several.taken.get(item).copied().unwrap_or_default();
                    Span::new(start, self.buffer.width())
                }
                _ => span,
            };
            let state = several.state(row);
            let state = if span.is_empty() && state.is_there() { State::MISSING } else { state };
            if !state.is_filled() && self.states.is_empty() {
                self.states.resize(values.len(), State::default());
            }
            if let Some(place) = self.states.get_mut(row) {
                *place = state;
            }
        }
        self.is_too_large = several.is_too_large || self.buffer.is_full();
    }

    /// Whether they are several plain parts of each value, with the usual state.
    fn are_plain_parts(&self) -> bool {
        !self.is_made && self.are_several() && self.are_filled() && self.forms.are_plain()
    }

    // A separate function, so that the loop keeps its variables in registers.
    #[inline(never)]
    fn set_plain_part(&mut self, several: &Results, number: usize) {
        let mut is_missing = false;
        for (span, items) in self.spans.iter_mut().zip(several.offsets.windows(2)) {
            let item = items[0] as usize + number;
            let part = if item < items[1] as usize { several.spans.get(item) } else { None };
            *span = part.copied().unwrap_or_default();
            is_missing |= span.is_empty();
        }
        self.forms.clear(self.spans.len());
        self.is_too_large = several.is_too_large;
        if is_missing {
            let state = |span: &Span| if span.is_empty() { State::MISSING } else { State::default() };
            self.states.extend(self.spans.iter().map(state));
        }
    }

    pub(super) fn note_blank(&mut self, values: Texts) {
        for (row, state) in self.states.iter_mut().enumerate().filter(|(_, state)| state.missing) {
            if is_blank(values.get(row)) {
                *state = State::BLANK;
            }
        }
    }

    pub(super) fn begin(&mut self, values: Texts) {
        self.spans.clear();
        self.spans.extend_from_slice(values.spans);
        self.forms.copy_from(values.forms);
        self.is_made = false;
        self.offsets.clear();
        self.states.clear();
        self.taken.clear();
        self.width = None;
        self.forget_certain();
        self.is_too_large = false;
    }

    pub(crate) fn unset(&mut self, rows: &[u32]) {
        let count = self.spans.len();
        self.states.resize(count, State::default());
        for row in rows {
            (self.spans[*row as usize], self.states[*row as usize]) = (Span::default(), State::NOT_ASKED);
        }
    }

    /// Whether results were dropped because of the limit on their size.
    pub fn are_too_large(&self) -> bool {
        self.is_too_large
    }

    pub(crate) fn memory(&self) -> usize {
        let texts = if self.is_made { self.buffer.width() } else { 0 };
        let places = if self.are_several() { self.spans.len() * size_of::<Span>() } else { 0 };
        texts + places
    }

    pub(crate) fn set_most(&mut self, most: usize) {
        self.buffer.set_most(most);
    }

    pub(crate) fn set_too_large(&mut self) {
        self.set_none(self.rows(), State::MISSING);
        self.is_too_large = true;
    }

    pub(crate) fn set_none(&mut self, rows: usize, state: State) {
        self.begin(Texts { text: "", spans: &[], forms: &Forms::NONE });
        self.spans.resize(rows, Span::default());
        self.forms.clear(rows);
        self.states.resize(rows, state);
    }

    /// The empty text buffer, and the spans and states to fill for `rows` rows.
    pub(crate) fn make(&mut self, rows: usize) -> TextBuilder<'_> {
        self.begin(Texts { text: "", spans: &[], forms: &Forms::NONE });
        self.is_made = true;
        self.buffer.clear();
        self.forms.clear(rows);
        TextBuilder { buffer: &mut self.buffer, spans: &mut self.spans, states: &mut self.states, forms: &mut self.forms }
    }

    /// Computes the state of each row of a branch. `flags` holds states that the results do not show; it may be empty.
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

pub(crate) struct TextBuilder<'r> {
    pub(crate) buffer: &'r mut Buffer,
    pub(crate) spans: &'r mut Vec<Span>,
    pub(crate) states: &'r mut Vec<State>,
    pub(crate) forms: &'r mut Forms,
}

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
    fn results_beyond_the_limit_are_dropped_and_reported() {
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
                assert!(results.memory() <= most + wide, "{} of {phrase}", results.memory());
            }
        }
        // A single text that is far too large is not built.
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
