//! Why a program gives no result, in words.

use super::op::{BodyPlan, FinishOp, Op, OpAt, Program};
use super::{StepTrace, Trace};

impl Program {
    /// Why the program gave no result, as a sentence without a full stop: the step of the first branch without a match,
    /// and all date formats if each branch ends at one. `phrase` is the text of the phrase.
    pub(crate) fn why_missing(&self, phrase: &str, trace: &Trace) -> String {
        let mut steps = trace.branches.iter().filter_map(|branch| branch.steps.last());
        let Some(step) = steps.next() else { return "no result".to_owned() };
        let words = |step: &StepTrace| phrase.get(step.span.clone()).unwrap_or_default().trim();
        let texts: Vec<String> = step.before.iter().map(|seen| crate::phrase::words::text(&seen.text)).collect();
        let texts = match texts.as_slice() {
            [] => "nothing".to_owned(),
            [only] => only.clone(),
            [first, ..] => format!("{first} and {} more", texts.len() - 1),
        };
        let is_date = |step: &StepTrace| matches!(self.op_at(&step.span), Some(Op::Finish(FinishOp::Date(_))));
        let reads_same = |other: &StepTrace| {
            is_date(other) && other.before.iter().map(|seen| &seen.text).eq(step.before.iter().map(|seen| &seen.text))
        };
        if is_date(step) && trace.branches.len() > 1 && steps.clone().all(reads_same) {
            let mut formats: Vec<String> = [step].into_iter().chain(steps).map(|step| format!("`{}`", words(step))).collect();
            let last = formats.pop().unwrap_or_default();
            return format!("{texts} is not a date that {} or {last} can read", formats.join(", "));
        }
        let others = match trace.branches.len() {
            1 => "",
            _ if trace.branches.iter().any(|branch| branch.is_else) => "; the branch after `else` has no match either",
            2 => "; the branch after `or` has no match either",
            _ => "; the branches after `or` have no match either",
        };
        match self.op_at(&step.span) {
            Some(Op::Finish(FinishOp::PlainNumber(_))) => {
                format!("{texts} is not a number that `{}` can read{others}", words(step))
            }
            Some(Op::Finish(FinishOp::Date(_))) => format!("{texts} is not a date that `{}` can read{others}", words(step)),
            Some(Op::Finish(FinishOp::Lookup(_))) => match &step.why {
                Some(why) => format!("{why}{others}"),
                None => format!("`{}` has none of {texts}{others}", words(step)),
            },
            Some(Op::If(_)) => format!("`{}` does not hold for {texts}{others}", words(step)),
            // A gate is no operation.
            None => format!("`{}` does not hold{others}", words(step)),
            _ => format!("`{}` has no match in {texts}{others}", words(step)),
        }
    }

    fn op_at(&self, span: &crate::phrase::Span) -> Option<&Op> {
        let ops = self.branches.iter().filter_map(|branch| match &branch.body {
            BodyPlan::Ops(ops) => Some(&**ops),
            BodyPlan::Literal(_) => None,
        });
        ops.flatten().find(|at: &&OpAt| at.span == *span).map(|at| &at.op)
    }
}
