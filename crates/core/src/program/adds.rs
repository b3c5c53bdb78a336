//! The bytes that a program can add to its values.

use super::op::{BodyPlan, DescribeOp, FinishOp, Op, Program};
use super::pattern::Template;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct ByteSet([u64; 4]);

impl ByteSet {
    /// Whether the set contains a byte.
    pub fn has(&self, byte: u8) -> bool {
        self.0[usize::from(byte / 64)] >> (byte % 64) & 1 != 0
    }

    pub fn add(&mut self, text: &str) {
        text.bytes().for_each(|byte| self.0[usize::from(byte / 64)] |= 1 << (byte % 64));
    }

    fn add_range(&mut self, first: u8, last: u8) {
        (first..=last).for_each(|byte| self.0[usize::from(byte / 64)] |= 1 << (byte % 64));
    }

    pub fn join(&mut self, other: ByteSet) {
        self.0.iter_mut().zip(other.0).for_each(|(word, other)| *word |= other);
    }

    pub(super) fn may_be_rough(&self) -> bool {
        self.has(b'\r') || self.0[2] != 0 || self.0[3] != 0
    }
}

impl Program {
    /// The bytes that a result can have although its value does not.
    pub fn adds(&self) -> ByteSet {
        let mut added = ByteSet::default();
        for branch in &self.branches {
            match &branch.body {
                BodyPlan::Literal(text) => added.add(text),
                BodyPlan::Ops(ops) => ops.iter().for_each(|at| added.join(at.op.adds())),
            }
        }
        added
    }
}

impl Op {
    pub(super) fn adds(&self) -> ByteSet {
        let mut added = ByteSet::default();
        match self {
            Op::Cut(_) | Op::Spread(_) | Op::If(_) => {}
            Op::Join(with) => added.add(with),
            Op::Describe(DescribeOp::Whether(_)) => added.add("truefalse"),
            Op::Describe(_) | Op::RowNumber => added.add_range(b'0', b'9'),
            Op::Finish(finish) => match finish {
                FinishOp::Squeeze => added.add(" "),
                // Outside ASCII, changing the case can add any byte; in ASCII it adds letters.
                FinishOp::Upper | FinishOp::Lower | FinishOp::Title => {
                    added.add_range(b'A', b'Z');
                    added.add_range(b'a', b'z');
                }
                FinishOp::Filter { .. } => {}
                FinishOp::Replace { with, .. } => added.join(with.adds()),
                FinishOp::Pad { with: text, .. }
                | FinishOp::Clip { mark: text, .. }
                | FinishOp::Instead(text)
                | FinishOp::Prefix(text)
                | FinishOp::Suffix(text) => added.add(text),
                FinishOp::PlainDigits => added.add_range(b'0', b'9'),
                FinishOp::Lookup(table) => added.join(table.adds()),
                FinishOp::AddCheckDigit(_) => added.add("0123456789X"),
                FinishOp::PlainNumber(_) | FinishOp::Undress(_) => added.add("0123456789.-"),
                FinishOp::Date(date) => {
                    added.add("0123456789-T:.+Z");
                    if let Some(output) = date.output() {
                        // The names of months and days.
                        added.add_range(b'A', b'Z');
                        added.add_range(b'a', b'z');
                        added.add(output);
                        added.add(" ");
                    }
                }
            },
        }
        added
    }
}

impl Template {
    fn adds(&self) -> ByteSet {
        let mut added = ByteSet::default();
        self.texts().for_each(|text| added.add(text));
        added
    }
}
