use keen_notch_core::gauge::Gauge;
use keen_notch_core::program::{BranchTrace, Trace, TracedText};

use super::ruler::Mark;
use super::style::{self, paint};
use super::visible;

const MOST_TEXT: usize = 60;

/// The result of a phrase: `→ "00041273"  filled`.
pub fn result(trace: &Trace) -> String {
    let state = if trace.state.is_filled() { style::TAKEN } else { style::LOOK };
    format!("→ {}  {}", texts(&trace.results), paint(state, trace.state))
}

/// The steps of each branch with their results, and why a branch failed. `phrase` is the text of the phrase. Not for a single step,
/// which the result shows.
pub fn draw(phrase: &str, trace: &Trace) -> Vec<String> {
    let steps = || trace.branches.iter().flat_map(|branch| &branch.steps);
    let why = |why: &String| paint(style::LOOK, format!("   {}", visible::value(why)));
    if trace.branches.len() == 1 && steps().count() <= 1 {
        return steps().filter_map(|step| step.why.as_ref()).map(why).collect();
    }
    let words = |span: &std::ops::Range<usize>| visible::value(phrase.get(span.clone()).unwrap_or(""));
    let widest = steps().map(|step| visible::width(&words(&step.span))).max().unwrap_or(0);
    let mut lines = Vec::new();
    let mut number = 0;
    for (index, branch) in trace.branches.iter().enumerate() {
        if index > 0 {
            let why = if branch.is_else { "otherwise" } else { "or, since that gave no result" };
            lines.push(paint(style::QUIET, format!("   {why}: {}", words(&branch.span))));
        }
        for step in &branch.steps {
            number += 1;
            let words = words(&step.span);
            let blanks = " ".repeat(widest - visible::width(&words));
            if step.is_condition {
                let holds = if step.after.is_empty() { paint(style::LOOK, "does not hold") } else { "holds".to_owned() };
                lines.push(format!("{number:>2} {words}{blanks}  {holds}"));
                continue;
            }
            let gave = if step.after.is_empty() { paint(style::LOOK, "nothing") } else { texts(&step.after) };
            lines.push(format!("{number:>2} {words}{blanks}  {} → {gave}", paint(style::QUIET, texts(&step.before))));
            lines.extend(step.why.as_ref().map(why));
        }
    }
    lines
}

/// A mark for each step of the successful branch: its output in the value.
pub fn marks<'a>(gauge: &Gauge, trace: &Trace, names: &'a [String]) -> Vec<Mark<'a>> {
    let before: usize = trace.branches.iter().rev().skip(1).map(|branch| branch.steps.len()).sum();
    let steps = trace.branches.last().map(|branch: &BranchTrace| branch.steps.as_slice()).unwrap_or_default();
    let marked = steps.iter().enumerate().filter_map(|(index, step)| {
        let marked = step.marked();
        let name = names.get(before + index)?;
        (!marked.is_empty()).then(|| Mark::taken(name, marked.iter().map(|bytes| gauge.covered(bytes)).collect()))
    });
    marked.collect()
}

pub fn names(trace: &Trace) -> Vec<String> {
    let count: usize = trace.branches.iter().map(|branch| branch.steps.len()).sum();
    (1..=count).map(|number| format!("step {number}")).collect()
}

fn texts(seen: &[TracedText]) -> String {
    if seen.is_empty() {
        return "nothing".to_owned();
    }
    // More are never shown.
    let shown = seen.iter().take(MOST_TEXT);
    let texts: Vec<_> = shown.map(|seen| format!("\"{}\"", visible::clipped_value(&seen.text, MOST_TEXT))).collect();
    visible::clipped(&texts.join(", "), MOST_TEXT)
}
