//! Steps with several results, and joining them.

use super::{Work, flag, made_instead};
use crate::batch::{Forms, Span, Texts};
use crate::program::op::SpreadOp;
use crate::program::results::Results;
use crate::program::state::State;
use crate::text::characters::Form;

impl SpreadOp {
    pub(super) fn run(&self, values: Texts, work: &mut Work, out: &mut Results) {
        let Work { before, slots, flags, row_flags, .. } = work;
        let text = if out.is_made { out.buffer.text() } else { values.text };
        std::mem::swap(before, &mut out.spans);
        out.spans.clear();
        out.offsets.clear();
        out.offsets.push(0);
        let mut forms = Forms::default();
        let most = out.buffer.most() / size_of::<Span>();
        for (row, span) in before.iter().enumerate() {
            let first = out.spans.len();
            let form = out.forms.of(row);
            self.parts(span.text(text), form, slots, |part| {
                if out.spans.len() < most {
                    out.spans.push(span.part(part.start, part.end));
                } else {
                    out.is_too_large = true;
                }
            });
            if out.spans[first..].iter().all(|span| span.is_empty()) {
                out.spans.truncate(first);
            }
            if !form.is_plain() {
                forms.grow(out.spans.len());
                (first..out.spans.len()).for_each(|item| forms.set(item, form));
            }
            out.offsets.push(out.spans.len() as u32);
        }
        forms.grow(out.spans.len());
        out.forms = forms;
        out.taken.clear();
        if out.is_made {
            // They are parts of made texts, no longer of the values.
            out.taken.resize(out.spans.len(), Span::default());
        }
        std::mem::swap(flags, row_flags);
        flags.clear();
    }
}

pub(super) fn join(with: &str, values: Texts, work: &mut Work, out: &mut Results) {
    let Work { before, buffer, flags, row_flags, .. } = work;
    if !flags.is_empty() {
        fold(flags, row_flags, &out.offsets);
    }
    std::mem::swap(flags, row_flags);
    row_flags.clear();
    let text = if out.is_made { out.buffer.text() } else { values.text };
    buffer.clear();
    std::mem::swap(before, &mut out.spans);
    out.spans.clear();
    let added = Form::of(with);
    let mut forms = Forms::default();
    forms.grow(out.offsets.len());
    let are_plain = out.forms.are_plain() && added.is_plain();
    let most = before.iter().map(|span| span.width() + with.len()).sum();
    if !buffer.has_room_for(most) {
        std::mem::swap(buffer, &mut out.buffer);
        return out.set_too_large();
    }
    let mut writer = buffer.writer(most);
    let (mut start, text) = (0, text.as_bytes());
    for row in 1..out.offsets.len() {
        let items = out.offsets[row - 1] as usize..out.offsets[row] as usize;
        let mut end = start;
        if before[items.clone()].iter().any(|span| !span.is_empty()) {
            for (index, span) in before[items.clone()].iter().enumerate() {
                if index > 0 {
                    writer.extend(with.as_bytes());
                    end += with.len();
                }
                writer.copy(text, *span);
                end += span.width();
            }
        }
        out.spans.push(Span::new(start, end));
        start = end;
        if are_plain {
            continue;
        }
        let is = |test: fn(Form) -> bool| test(added) && items.clone().all(|item| test(out.forms.of(item)));
        let form = if is(Form::is_plain) {
            Form::Plain
        } else if is(Form::is_simple) {
            Form::Simple
        } else {
            Form::Composite
        };
        forms.set(row - 1, form);
    }
    writer.finish();
    out.forms = forms;
    out.offsets.clear();
    out.taken.clear();
    made_instead(buffer, out);
}

impl Work {
    pub(super) fn fold_flags(&mut self, offsets: &[u32]) {
        fold(&self.flags, &mut self.row_flags, offsets);
    }
}

fn fold(flags: &[State], row_flags: &mut Vec<State>, offsets: &[u32]) {
    let rows = offsets.len().saturating_sub(1);
    for row in 0..rows {
        for state in &flags[offsets[row] as usize..offsets[row + 1] as usize] {
            if *state != State::default() {
                let flag = flag(row_flags, rows, row);
                flag.short |= state.short;
                flag.long |= state.long;
            }
        }
    }
}

impl Results {
    /// The same for several results: all are rewritten, value by value.
    pub(super) fn fill_in_several(&mut self, some: &Results, rows: &[u32], values: Texts) {
        let mut all = Results { is_made: true, offsets: vec![0], ..Results::default() };
        all.set_most(self.buffer.most());
        let mut rows = rows.iter().enumerate().peekable();
        for row in 0..values.len() {
            let (from, index) = match rows.next_if(|(_, of)| **of as usize == row) {
                Some((index, _)) => (some, index),
                None => (&*self, row),
            };
            let state = from.state(index);
            // A literal is one result for each value.
            let items = if from.are_several() || state.is_there() { from.items(index) } else { 0..0 };
            for item in items {
                let (span, start) = (from.spans[item], all.buffer.width());
                all.buffer.extend_within(span.bytes(from.text(values.text).as_bytes()));
                all.forms.grow(all.spans.len() + 1);
                all.forms.set(all.spans.len(), from.forms.of(item));
                all.spans.push(Span::new(start, all.buffer.width()));
                all.taken.push(if from.is_made { from.taken.get(item).copied().unwrap_or_default() } else { span });
            }
            all.states.push(state);
            all.offsets.push(all.spans.len() as u32);
        }
        if all.states.iter().all(|state| state.is_filled()) {
            all.states.clear();
        }
        all.is_too_large = self.is_too_large || all.buffer.is_full();
        *self = all;
    }
}
