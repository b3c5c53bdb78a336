//! Why a program gives no result, in words.

use super::op::{BodyPlan, FinishOp, Op, OpAt, Program};

impl Program {
    /// Why the program gives no result for `value`, as a sentence without a full stop: the step of the first branch without a match.
    /// `phrase` is the text of the phrase.
    pub(crate) fn why_missing(&self, phrase: &str, value: &str) -> String {
        let trace = self.trace(value);
        let step = trace.branches.first().and_then(|branch| branch.steps.last());
        let Some(step) = step else { return "no result".to_owned() };
        let texts: Vec<String> = step.before.iter().map(|seen| crate::phrase::words::text(&seen.text)).collect();
        let texts = match texts.as_slice() {
            [] => "nothing".to_owned(),
            [only] => only.clone(),
            [first, ..] => format!("{first} and {} more", texts.len() - 1),
        };
        let words = phrase.get(step.span.clone()).unwrap_or_default().trim();
        let others = match trace.branches.len() {
            1 => "",
            2 => ", nor does what `or` says",
            _ => ", nor does any `or`",
        };
        match self.op_at(&step.span) {
            Some(Op::Finish(FinishOp::PlainNumber(_))) => format!("{texts} is not a number that `{words}` can read"),
            Some(Op::Finish(FinishOp::Date(_))) => format!("{texts} is not a date that `{words}` can read"),
            _ => format!("`{words}` has no match in {texts}{others}"),
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
