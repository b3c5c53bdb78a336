//! Phrases, conditions and layouts: on the first line, with values on the lines after it.

use keen_notch_core::batch::Column;
use keen_notch_core::column::ColumnRef;
use keen_notch_core::explain;
use keen_notch_core::layout::{Form, Layout, LayoutPlan};
use keen_notch_core::phrase::ast::{Condition, ConditionKind};
use keen_notch_core::phrase::{Phrase, PhraseError, Span};
use keen_notch_core::program::{ConditionPlan, Program, Results, Scratch, Setting, State, Work};
use keen_notch_core::text::unit::Unit;

/// What is read is written and read again with the same meaning, whether values are worked on together or by themselves; what is
/// refused is refused with a place in the phrase and with help.
pub fn phrase(data: &[u8]) {
    let Some((source, values)) = first_and_others(data) else { return };
    let Some(read) = read_or_refused(source, Phrase::parse(source)) else { return };
    let written = read.to_string();
    let again = Phrase::parse(&written).unwrap_or_else(|error| panic!("{written:?} of {source:?}: {error}"));
    assert_eq!(again.to_string(), written, "of {source:?}");
    let sentences = explain::phrase(&read);
    assert_eq!(sentences.len(), read.branches.len());
    assert!(sentences.iter().all(|sentence| sentence.ends_with('.')), "{sentences:?} of {source:?}");
    for unit in [Unit::Characters, Unit::Codepoints, Unit::Bytes] {
        let program = read_or_refused(source, Program::new(&read, unit));
        let again = Program::new(&again, unit);
        assert_eq!(program.is_some(), again.is_ok(), "{written:?} of {source:?}");
        let (Some(program), Ok(again)) = (program, again) else { continue };
        let apart: Vec<Outcome> = values.iter().map(|value| one(&program, value)).collect();
        let found = together(&program, &values);
        assert_eq!(found, together(&again, &values), "{written:?} of {source:?} on {values:?}");
        // Together they may be too large, which each by itself is not.
        assert!(found.is_none_or(|found| found == apart), "{source:?} on {values:?}: {apart:?}");
    }
}

/// What comes of a value.
type Outcome = (State, Vec<String>);

/// What comes of a value by itself.
fn one(program: &Program, value: &str) -> Outcome {
    let mut scratch = Scratch::default();
    let (state, texts) = {
        let cuts = program.cut_all(value, &mut scratch);
        (cuts.state, cuts.texts.iter().map(|text| (*text).to_owned()).collect::<Vec<_>>())
    };
    let trace = program.trace(value);
    assert_eq!(trace.state, state, "{value:?}");
    assert_eq!(trace.results.iter().map(|seen| &seen.text).collect::<Vec<_>>(), texts.iter().collect::<Vec<_>>(), "{value:?}");
    for seen in &trace.results {
        assert!(seen.in_value.clone().is_none_or(|range| value.get(range) == Some(&seen.text)), "{value:?}");
    }
    assert!(trace.taken.iter().all(|range| value.get(range.clone()).is_some()), "{value:?}");
    (state, texts)
}

/// What comes of values worked on together; none where it is too large.
fn together(program: &Program, values: &[&str]) -> Option<Vec<Outcome>> {
    let column = Column::of(values.iter().copied());
    let mut results = Results::default();
    // Each value by itself is row 1.
    let mut work = Work::default();
    work.set_row_numbers(values.iter().map(|_| 1));
    program.run(column.texts(), &mut work, &mut results);
    if results.are_too_large() {
        return None;
    }
    let texts = results.texts(column.texts());
    let outcome = |row| {
        let state = results.state(row);
        (state, results.items(row).map(|item| texts.get(item).to_owned()).collect())
    };
    Some((0..values.len()).map(outcome).collect())
}

/// What is read is written and read again as the same, and holds of the same values.
pub fn condition(data: &[u8]) {
    let Some((source, values)) = first_and_others(data) else { return };
    let Some(read) = read_or_refused(source, Condition::parse(source)) else { return };
    let written = read.to_string();
    let again = Condition::parse(&written).unwrap_or_else(|error| panic!("{written:?} of {source:?}: {error}"));
    assert_eq!(again.to_string(), written, "of {source:?}");
    assert!(!explain::condition(&read).is_empty());
    let setting = Setting::new(Unit::Characters);
    let plan = read_or_refused(source, ConditionPlan::new(&read, &setting));
    let plan_again = ConditionPlan::new(&again, &setting);
    assert_eq!(plan.is_some(), plan_again.is_ok(), "{written:?} of {source:?}");
    let (Some(plan), Ok(plan_again)) = (plan, plan_again) else { return };
    // What these ask of a text is not in the text.
    let is_of_others = read.any(&|kind| matches!(kind, ConditionKind::Unique | ConditionKind::SameAs { .. }));
    for value in values.into_iter().filter(|_| !is_of_others) {
        assert_eq!(plan.holds(value), plan_again.holds(value), "{written:?} of {source:?}: {value:?}");
        // By itself and among steps, it is the same.
        let whether = if read.parts().is_empty() { format!("whether {written}") } else { format!("whether ({written})") };
        if let Ok(program) = Phrase::parse(&whether).and_then(|phrase| Program::new(&phrase, Unit::Characters)) {
            let mut scratch = Scratch::default();
            let said = program.cut(value, &mut scratch).text.to_owned();
            assert_eq!(said, plan.holds(value).to_string(), "{whether:?}: {value:?}");
        }
        if !plan.holds(value) {
            plan.violation(value);
        }
    }
}

/// A form is written and read again as the same; of a value that has it, its fields are parts, in their order.
pub fn layout(data: &[u8]) {
    let Some((source, values)) = first_and_others(data) else { return };
    let form = match Form::parse(source) {
        Ok(form) => form,
        Err(error) => return refused(source, &error.span, &error.help),
    };
    let written = form.to_string();
    let again = Form::parse(&written).unwrap_or_else(|error| panic!("{written:?} of {source:?}: {error}"));
    assert_eq!(again.items, form.items, "{written:?} of {source:?}");
    let layout = |form| Layout { column: ColumnRef::Number(1), column_span: 0..0, forms: vec![form], origin: 0 };
    let (layout, again) = (layout(form), layout(again));
    let names = layout.names();
    let (plan, again) = (LayoutPlan::new(&layout), LayoutPlan::new(&again));
    for value in &values {
        match plan.fit(value) {
            Ok(fields) => {
                assert_eq!(fields.len(), names.len());
                let ranges: Vec<_> = fields.iter().flatten().cloned().collect();
                assert!(ranges.iter().all(|range| value.get(range.clone()).is_some()), "{source:?}: {value:?}");
                assert!(ranges.is_sorted_by(|a, b| a.end <= b.start), "{source:?}: {value:?} has {ranges:?}");
                assert_eq!(again.fit(value).as_ref(), Ok(&fields), "{source:?}: {value:?}");
            }
            Err(violation) => {
                assert!(!violation.detail.is_empty(), "{source:?}: {value:?}");
                assert!(again.fit(value).is_err(), "{source:?}: {value:?}");
            }
        }
    }
}

/// The first line of a text, and the others; none where it is no text.
pub(crate) fn first_and_others(data: &[u8]) -> Option<(&str, Vec<&str>)> {
    let mut lines = str::from_utf8(data).ok()?.split('\n');
    Some((lines.next()?, lines.collect()))
}

/// What was read; what was refused was refused as it should be.
fn read_or_refused<T>(source: &str, read: Result<T, PhraseError>) -> Option<T> {
    read.map_err(|error| refused(source, &error.span, &error.help)).ok()
}

/// An error points into the text, and says what to do.
pub(crate) fn refused(source: &str, span: &Span, help: &str) {
    assert!(source.get(span.clone()).is_some(), "{span:?} is no part of {source:?}");
    assert!(!help.trim().is_empty(), "there is no help for {source:?} at {span:?}");
}
