//! Evaluates a program on a column, step by step.
//!
//! Each step has a definition for one text. If a kernel exists, it runs over the whole column, and the definition runs over the texts
//! that are not plain. Only [`OpAt::cut`] and [`OpAt::finish`] make that choice.

mod several;

use self::several::join;
use super::condition::ConditionPlan;
use super::finish::Change;
use super::op::{BodyPlan, BranchPlan, CutOp, DescribeOp, FinishOp, Gate, Kernel, Op, OpAt, Program};
use super::pattern::Slots;
use super::results::Results;
use super::state::State;
use crate::batch::{Buffer, Forms, Mask, Span, Texts, simd};
use crate::phrase::Span as PhraseSpan;
use crate::text::characters::Form;
use crate::text::unit::Unit;

/// Reusable memory for runs.
#[derive(Debug, Default)]
pub struct Work {
    before: Vec<Span>,
    buffer: Buffer,
    text: String,
    slots: Slots,
    flags: Vec<State>,
    row_flags: Vec<State>,
    /// The values without a result so far, and those of a condition.
    rows: Vec<u32>,
    picked: Vec<Span>,
    picked_forms: Forms,
    /// The numbers of the rows of the values; empty for 1, 2, 3 and so on.
    row_numbers: Vec<u64>,
    other: Option<Box<(Results, Work)>>,
}

impl Work {
    pub(crate) fn with_most(&mut self, most: usize) -> &mut Work {
        self.buffer.set_most(most);
        self
    }

    /// Sets the numbers of the rows of the next values; without them, the rows are 1, 2, 3 and so on.
    pub fn set_row_numbers(&mut self, numbers: impl Iterator<Item = u64>) -> &mut Work {
        self.row_numbers.clear();
        self.row_numbers.extend(numbers);
        self
    }

    /// The memory of another branch, with the same limit.
    fn of_other(other: &mut Option<Box<(Results, Work)>>, most: usize) -> (&mut Results, &mut Work) {
        let (some, work) = &mut **other.get_or_insert_default();
        some.set_most(most);
        (some, work.with_most(most))
    }
}

/// An observer of the steps of a run. Without one, observing costs nothing.
pub(super) trait Observer {
    fn branch(&mut self, _span: &PhraseSpan, _is_else: bool) {}
    fn gate(&mut self, _span: &PhraseSpan, _is_open: bool) {}
    fn gave(&mut self, _at: &OpAt, _results: &Results, _values: Texts, _state: State) {}
    fn literal(&mut self, _text: &str) {}
    const LOOKS: bool;
}

struct Unobserved;
impl Observer for Unobserved {
    const LOOKS: bool = false;
}

impl Program {
    pub fn run(&self, values: Texts, work: &mut Work, out: &mut Results) {
        self.run_where(values, &[], work, out);
    }

    /// Runs the program. `closed` has the values that fail each gate.
    pub(crate) fn run_where(&self, values: Texts, closed: &[Mask], work: &mut Work, out: &mut Results) {
        self.run_observed(values, closed, work, out, &mut Unobserved);
    }

    /// Runs the program on the values at `rows`; the others are marked as not asked.
    pub(crate) fn run_on(&self, values: Texts, rows: &[u32], closed: &[Mask], work: &mut Work, out: &mut Results) {
        if rows.len() == values.len() {
            return self.run_where(values, closed, work, out);
        }
        let Work { picked, picked_forms, other, row_numbers, .. } = work;
        let (some, other_work) = Work::of_other(other, out.buffer.most());
        if self.numbers_rows {
            other_work.set_row_numbers(rows.iter().map(|row| number_of(row_numbers, *row as usize)));
        }
        let closed: Vec<Mask> = closed
            .iter()
            .map(|all| {
                let mut of_rows = Mask::default();
                of_rows.pick(all, rows);
                of_rows
            })
            .collect();
        self.run_where(pick(values, rows, picked, picked_forms), &closed, other_work, some);
        out.set_none(values.len(), State::NOT_ASKED);
        out.fill_in(some, rows, values, self.several);
    }

    pub(super) fn run_observed<O: Observer>(
        &self,
        values: Texts,
        closed: &[Mask],
        work: &mut Work,
        out: &mut Results,
        observer: &mut O,
    ) {
        let gates_of = |branch: &BranchPlan| closed.get(branch.gates.clone()).unwrap_or_default();
        let done = match self.branches.first() {
            Some(first) if gates_of(first).iter().all(Mask::is_none) => {
                first.run(values, self.unit, work, out, (observer, &self.gates));
                1
            }
            _ => {
                out.set_none(values.len(), State::MISSING);
                0
            }
        };
        for (index, branch) in self.branches.iter().enumerate().skip(done) {
            let gates = gates_of(branch);
            let Work { rows, picked, picked_forms, other, row_numbers, .. } = work;
            rows.clear();
            rows.extend((0..).zip(&out.states).filter(|(_, state)| state.missing).map(|(row, _): (u32, _)| row));
            if rows.is_empty() {
                break;
            }
            rows.retain(|row| !gates.iter().any(|closed| closed.has(*row as usize)));
            if rows.is_empty() {
                if O::LOOKS {
                    observer.branch(&branch.span, branch.is_else);
                    let of_gate = self.gates[branch.gates.clone()].iter().zip(gates);
                    of_gate.for_each(|(gate, closed)| observer.gate(&gate.span, !closed.has(0)));
                }
                continue;
            }
            let (some, other_work) = Work::of_other(other, out.buffer.most());
            if self.numbers_rows {
                other_work.set_row_numbers(rows.iter().map(|row| number_of(row_numbers, *row as usize)));
            }
            branch.run(pick(values, rows, picked, picked_forms), self.unit, other_work, some, (observer, &self.gates));
            if index > 0 && !branch.is_else {
                some.set_fallback();
            }
            out.fill_in(some, rows, values, self.several);
        }
        out.note_blank(values);
    }
}

fn number_of(row_numbers: &[u64], row: usize) -> u64 {
    row_numbers.get(row).copied().unwrap_or(row as u64 + 1)
}

fn pick<'a>(values: Texts<'a>, rows: &[u32], picked: &'a mut Vec<Span>, forms: &'a mut Forms) -> Texts<'a> {
    picked.clear();
    picked.extend(rows.iter().map(|row| values.spans[*row as usize]));
    forms.pick(values.forms, rows);
    Texts { text: values.text, spans: picked, forms }
}

impl BranchPlan {
    fn run<O: Observer>(
        &self,
        values: Texts,
        unit: Unit,
        work: &mut Work,
        out: &mut Results,
        (observer, gates): (&mut O, &[Gate]),
    ) {
        if O::LOOKS {
            observer.branch(&self.span, self.is_else);
            gates[self.gates.clone()].iter().for_each(|gate| observer.gate(&gate.span, true));
        }
        out.begin(values);
        work.flags.clear();
        work.row_flags.clear();
        match &self.body {
            BodyPlan::Literal(text) => {
                if O::LOOKS {
                    observer.literal(text);
                }
                out.set_literal(text);
            }
            BodyPlan::Ops(ops) => {
                for (index, at) in ops.iter().enumerate() {
                    at.run(index == 0, values, unit, work, out);
                    if O::LOOKS {
                        observer.gave(at, out, values, work.state_of_all());
                    }
                }
                if out.are_several() && !work.flags.is_empty() {
                    work.fold_flags(&out.offsets);
                }
                out.refine(values);
                let flags = if out.are_several() { &work.row_flags } else { &work.flags };
                out.set_states((!flags.is_empty()).then_some(flags));
            }
        }
    }
}

impl OpAt {
    /// Runs the step on the results so far. `is_first`: these are the values, of which even an empty one is a text.
    fn run(&self, is_first: bool, values: Texts, unit: Unit, work: &mut Work, out: &mut Results) {
        if !is_first {
            // A missing text stays missing; the known width no longer applies.
            out.width = None;
            out.forget_certain();
        }
        match &self.op {
            Op::Cut(cut) => self.cut(cut, (is_first, unit), values, work, out),
            Op::Spread(spread) => spread.run(values, work, out),
            Op::Join(with) => join(with, values, work, out),
            Op::Describe(tell) => tell.run(is_first, values, unit, work, out),
            Op::RowNumber => number_rows(is_first, work, out),
            Op::Finish(finish) => self.finish(finish, values, unit, work, out),
            Op::If(condition) => gate(condition, values, work, out),
        }
    }

    fn cut(&self, cut: &CutOp, (is_first, unit): (bool, Unit), values: Texts, work: &mut Work, out: &mut Results) {
        let text = if out.is_made { out.buffer.text() } else { values.text };
        let Work { before, slots, flags, .. } = work;
        let has_rough = !out.forms.are_plain();
        if has_rough || out.is_made {
            before.clone_from(&out.spans);
        }
        let Some(Kernel::Cut(kernel)) = &self.kernel else {
            for index in 0..out.spans.len() {
                define_cut(cut, is_first, unit, text, index, out.forms.of(index), slots, flags, &mut out.spans);
            }
            follow_taken(values, text, before, out.is_made, &out.spans, &mut out.taken);
            return;
        };
        kernel.cut(text.as_bytes(), &mut out.spans);
        // The definition below handles the other texts.
        let others = if kernel.holds_for_simple() { out.forms.composite() } else { out.forms.rough() };
        for index in others.iter() {
            out.spans[index] = before[index];
        }
        if let Some(width) = kernel.width() {
            // The result of a plain text is short if it is narrower than requested.
            let is_short = |span: &Span| !span.is_empty() & (span.width() < width);
            if out.spans.iter().fold(false, |any, span| any | (span.width() != width)) {
                let short = out.spans.iter().enumerate().filter(|(index, span)| is_short(span) && !others.has(*index));
                short.for_each(|(index, _)| flag(flags, out.spans.len(), index).short = true);
            } else if !has_rough {
                out.width = Some(width);
            }
        }
        out.certain = kernel.certain();
        out.uncertain.extend(others.iter().map(|index| index as u32));
        if has_rough {
            for index in others.iter() {
                let form = out.forms.of(index);
                let counted = if form.is_simple() && unit != Unit::Bytes {
                    kernel.cut_simple(text.as_bytes(), out.spans[index])
                } else {
                    None
                };
                if let Some((part, is_short)) = counted {
                    out.spans[index] = part;
                    if is_short {
                        flag(flags, out.spans.len(), index).short = true;
                    }
                } else {
                    define_cut(cut, is_first, unit, text, index, form, slots, flags, &mut out.spans);
                }
            }
        }
        follow_taken(values, text, before, out.is_made, &out.spans, &mut out.taken);
    }

    fn finish(&self, finish: &FinishOp, values: Texts, unit: Unit, work: &mut Work, out: &mut Results) {
        let Work { before, buffer, text: made, slots, flags, .. } = work;
        let text = if out.is_made { out.buffer.text() } else { values.text };
        buffer.clear();
        begin_making(before, &mut out.taken, out.is_made, &out.spans);
        let (count, most) = (out.spans.len(), buffer.most());
        let mut define = |index: usize, span: &mut Span, buffer: &mut Buffer, flags: &mut Vec<State>| {
            let reached = span.text(text);
            let start = buffer.width();
            if !reached.is_empty() {
                made.clear();
                let mut state = State::default();
                match finish.write(reached, (unit, out.forms.of(index)), slots, &mut state, (made, most)) {
                    Change::New => buffer.extend_within(made.as_bytes()),
                    Change::Same => buffer.extend_within(reached.as_bytes()),
                    Change::Missing => {}
                }
                if state != State::default() {
                    let flag = flag(flags, count, index);
                    flag.long |= state.long;
                    flag.short |= state.short;
                }
            }
            *span = Span::new(start, buffer.width());
        };
        match &self.kernel {
            Some(Kernel::Finish(kernel)) => {
                let mut next = 0;
                for index in out.forms.rough().iter().chain([count]) {
                    let plain = &mut out.spans[next..index];
                    if plain.iter().any(|span| kernel.is_long(*span)) {
                        let long = plain.iter().enumerate().filter(|(_, span)| kernel.is_long(**span));
                        long.for_each(|(place, _)| flag(flags, count, next + place).long = true);
                    }
                    kernel.write(text.as_bytes(), plain, buffer);
                    if let Some(span) = out.spans.get_mut(index) {
                        define(index, span, buffer, flags);
                    }
                    next = index + 1;
                }
            }
            _ => out.spans.iter_mut().enumerate().for_each(|(index, span)| define(index, span, buffer, flags)),
        }
        if self.op.adds().may_be_rough() {
            out.forms.forget(count);
        } else if matches!(finish, FinishOp::Upper | FinishOp::Lower | FinishOp::Title) {
            // Changing the case of one code point can give several, including combining marks.
            out.forms.forget_rough();
        }
        made_instead(buffer, out);
    }
}

#[allow(clippy::too_many_arguments, reason = "the parts of the step that are borrowed apart")]
fn define_cut(
    cut: &CutOp,
    is_first: bool,
    unit: Unit,
    text: &str,
    index: usize,
    form: Form,
    slots: &mut Slots,
    flags: &mut Vec<State>,
    spans: &mut [Span],
) {
    let count = spans.len();
    let span = &mut spans[index];
    if span.is_empty() && !is_first {
        return;
    }
    let mut state = State::default();
    let part = cut.part(span.text(text), unit, form, slots, &mut state);
    if state.short {
        flag(flags, count, index).short = true;
    }
    *span = part.map_or(Span::default(), |part| span.part(part.start, part.end));
}

/// Replaces each text by the number of its row.
fn number_rows(is_first: bool, work: &mut Work, out: &mut Results) {
    let Work { buffer, row_numbers, .. } = work;
    buffer.clear();
    let mut digits = itoa::Buffer::new();
    for row in 0..out.rows() {
        let number = digits.format(number_of(row_numbers, row)).as_bytes();
        for item in out.items(row) {
            let start = buffer.width();
            if is_first || !out.spans[item].is_empty() {
                buffer.extend_within(number);
            }
            out.spans[item] = Span::new(start, buffer.width());
        }
    }
    out.taken.clear();
    let count = out.spans.len();
    out.forms.clear(count);
    made_instead(buffer, out);
}

/// Empties the texts that fail the condition.
fn gate(condition: &ConditionPlan, values: Texts, work: &mut Work, out: &mut Results) {
    work.rows.clear();
    condition.note_failing(out.texts(values), None, true, &mut work.rows);
    for item in &work.rows {
        out.spans[*item as usize] = Span::default();
        if let Some(taken) = out.taken.get_mut(*item as usize) {
            *taken = Span::default();
        }
    }
}

/// If a made text is still an unchanged part of its value, so is a part of it.
fn follow_taken(values: Texts, text: &str, before: &[Span], is_made: bool, after: &[Span], taken: &mut [Span]) {
    if !is_made {
        return;
    }
    for ((taken, before), after) in taken.iter_mut().zip(before).zip(after) {
        let is_same = !after.is_empty() && taken.text(values.text) == before.text(text);
        let part = |at: u32| (at - before.start) as usize;
        *taken = if is_same { taken.part(part(after.start), part(after.end)) } else { Span::default() };
    }
}

fn flag(flags: &mut Vec<State>, count: usize, index: usize) -> &mut State {
    if flags.len() < count {
        flags.resize(count, State::default());
    }
    &mut flags[index]
}

/// Remembers the results as parts of their values before texts are made from them.
fn begin_making(before: &mut Vec<Span>, taken: &mut Vec<Span>, is_made: bool, spans: &[Span]) {
    before.clear();
    if !is_made {
        taken.clear();
        taken.extend_from_slice(spans);
    }
}

fn made_instead(buffer: &mut Buffer, out: &mut Results) {
    std::mem::swap(buffer, &mut out.buffer);
    out.is_made = true;
    out.is_too_large |= out.buffer.is_full();
}

impl DescribeOp {
    fn run(&self, is_first: bool, values: Texts, unit: Unit, work: &mut Work, out: &mut Results) {
        let Work { buffer, text: changed, .. } = work;
        let text = if out.is_made { out.buffer.text() } else { values.text };
        buffer.clear();
        for (index, span) in out.spans.iter_mut().enumerate() {
            let start = buffer.width();
            if is_first || !span.is_empty() {
                changed.clear();
                if self.write(span.text(text), unit, out.forms.of(index), changed) != Change::Missing {
                    buffer.extend(changed.as_bytes());
                }
            }
            *span = Span::new(start, buffer.width());
        }
        out.taken.clear();
        let count = out.spans.len();
        out.forms.clear(count);
        made_instead(buffer, out);
    }
}

impl Work {
    fn state_of_all(&self) -> State {
        self.flags.iter().chain(&self.row_flags).fold(State::default(), |all, state| State {
            short: all.short | state.short,
            long: all.long | state.long,
            ..all
        })
    }
}

impl Results {
    /// Checks again which results are plain: a part of a value is more often plain than the value.
    fn refine(&mut self, values: Texts) {
        if self.forms.are_plain() {
            return;
        }
        let mut rough = std::mem::take(&mut self.forms);
        let text = self.text(values.text).as_bytes();
        for (item, span) in self.spans.iter().enumerate() {
            if !rough.of(item).is_plain() && simd::is_plain(text, *span) {
                rough.set(item, Form::Plain);
            }
        }
        self.forms = rough;
    }

    fn set_literal(&mut self, text: &str) {
        self.buffer.clear();
        self.buffer.extend(text.as_bytes());
        self.is_made = true;
        self.spans.fill(Span::new(0, text.len()));
        let count = self.spans.len();
        if Form::of(text).is_plain() { self.forms.clear(count) } else { self.forms.forget(count) }
    }

    fn set_fallback(&mut self) {
        let rows = self.rows();
        self.states.resize(rows, State::default());
        self.states.iter_mut().filter(|state| !state.missing).for_each(|state| state.fallback = true);
    }

    /// Inserts the results of another branch, or of some values only.
    fn fill_in(&mut self, some: &mut Results, rows: &[u32], values: Texts, several: bool) {
        if rows.len() == values.len() && !several {
            some.is_too_large |= self.is_too_large;
            std::mem::swap(self, some);
            return;
        }
        self.states.resize(values.len(), State::default());
        self.width = None;
        self.forget_certain();
        self.is_too_large |= some.is_too_large;
        if several {
            return self.fill_in_several(some, rows, values);
        }
        if some.is_made || self.is_made {
            self.make_own(values);
        }
        let texts = some.texts(values);
        for (index, row) in rows.iter().enumerate() {
            let row = *row as usize;
            self.states[row] = some.state(index);
            let span = texts.spans[index];
            self.spans[row] = if self.is_made {
                let start = self.buffer.width();
                self.buffer.extend_within(span.bytes(texts.text.as_bytes()));
                self.taken[row] = if some.is_made { some.taken.get(index).copied().unwrap_or_default() } else { span };
                Span::new(start, self.buffer.width())
            } else {
                span
            };
            self.forms.set(row, texts.forms.of(index));
        }
        self.is_too_large |= self.is_made && self.buffer.is_full();
        if self.states.iter().all(|state| state.is_filled()) {
            self.states.clear();
        }
    }

    /// Copies results that are parts of their values to the buffer.
    fn make_own(&mut self, values: Texts) {
        if !self.is_made {
            self.taken.clone_from(&self.spans);
            self.buffer.clear();
            for span in &mut self.spans {
                let start = self.buffer.width();
                self.buffer.extend_within(span.bytes(values.text.as_bytes()));
                *span = Span::new(start, self.buffer.width());
            }
            self.is_made = true;
        }
        self.taken.resize(self.spans.len(), Span::default());
    }

    pub(crate) fn quote(&mut self, items: &[u32], values: Texts) {
        self.make_own(values);
        self.width = None;
        self.forget_certain();
        let mut text = b"'".to_vec();
        for item in items {
            let span = &mut self.spans[*item as usize];
            text.truncate(1);
            text.extend_from_slice(span.bytes(self.buffer.bytes()));
            let start = self.buffer.width();
            self.buffer.extend(&text);
            *span = Span::new(start, self.buffer.width());
        }
    }
}
