//! Compiles a syntax tree into a plan, and finds errors beyond grammar.

use std::sync::Arc;

use super::class::ClassPlan;
use super::condition::ConditionPlan;
use super::date::DatePlan;
use super::lookup::LookupTable;
use super::matcher::Matcher;
use super::number::NumberPlan;
use super::op::{BodyPlan, BranchPlan, CutOp, DescribeOp, FinishOp, Gate, Op, OpAt, Program, SpreadOp};
use super::pattern::{self, PatternPlan, Template};
use super::setting::{NoList, Setting};
use super::straight::StraightPattern;
use crate::phrase::ast::{Body, Branch, Class, LookupPair, Marker, Occurrence, Phrase, Step, StepKind};
use crate::phrase::{ErrorKind, PhraseError};
use crate::text::blank::is_blank;
use crate::text::unit::Unit;

impl Program {
    /// Compiles a phrase. `unit` is the unit of its positions and widths.
    ///
    /// # Errors
    /// An invalid regular expression, group, example or date format, or `joined with` after a single result.
    pub fn new(phrase: &Phrase, unit: Unit) -> Result<Program, PhraseError> {
        Program::with(phrase, &Setting::new(unit))
    }

    /// Compiles a phrase that may refer to lists.
    ///
    /// # Errors
    /// The errors of [`Program::new`], or an unavailable list.
    pub fn with(phrase: &Phrase, setting: &Setting) -> Result<Program, PhraseError> {
        let program = Program::of_table(phrase, setting)?;
        match program.gates.first() {
            None => Ok(program),
            Some(gate) => Err(PhraseError {
                kind: ErrorKind::NotHere("if COLUMN"),
                span: gate.span.clone(),
                help: "it belongs in a piece of a table, which has other columns".to_owned(),
            }),
        }
    }

    /// Compiles a phrase that may also refer to other columns: see [`Program::gates`].
    ///
    /// # Errors
    /// As for [`Program::with`].
    pub fn of_table(phrase: &Phrase, setting: &Setting) -> Result<Program, PhraseError> {
        let mut gates = Vec::new();
        let branches = phrase.branches.iter().map(|branch| self::branch(branch, setting, &mut gates));
        let branches = branches.collect::<Result<Box<[_]>, _>>()?;
        let several = phrase.several_step().is_some();
        let numbers_rows = branches.iter().any(|branch| match &branch.body {
            BodyPlan::Ops(ops) => ops.iter().any(|at| matches!(at.op, Op::RowNumber)),
            BodyPlan::Literal(_) => false,
        });
        Ok(Program { branches, unit: setting.unit, several, numbers_rows, gates: gates.into() })
    }
}

pub(crate) fn refuse_several(phrase: &Phrase, help: &str) -> Result<(), PhraseError> {
    match phrase.several_step() {
        None => Ok(()),
        Some(step) => Err(PhraseError { kind: ErrorKind::SeveralLeft, span: step.span.clone(), help: help.to_owned() }),
    }
}

fn branch(branch: &Branch, setting: &Setting, gates: &mut Vec<Gate>) -> Result<BranchPlan, PhraseError> {
    let first_gate = gates.len();
    let body = match &branch.body {
        Body::Literal(text) => BodyPlan::Literal(text.clone()),
        Body::Steps(steps) => {
            check_several(steps)?;
            let mut ops = Vec::with_capacity(steps.len());
            for step in steps {
                if let StepKind::If { column: Some(column), condition } = &step.kind {
                    gates.push(Gate { span: step.span.clone(), column: column.clone(), condition: condition.clone() });
                    continue;
                }
                ops.push(OpAt::new(step.span.clone(), op(step, setting)?));
                ops.extend(undress(step)?);
            }
            BodyPlan::Ops(ops.into())
        }
    };
    Ok(BranchPlan { span: branch.span.clone(), body, is_else: branch.is_else, gates: first_gate..gates.len() })
}

/// Several results can arise once, and `joined with` needs them.
fn check_several(steps: &[Step]) -> Result<(), PhraseError> {
    let mut several = false;
    for step in steps {
        let (kind, help) = match (&step.kind, several) {
            (kind, true) if kind.gives_several() => {
                (ErrorKind::SeveralAgain, "join them first, with `joined with \" \"`".to_owned())
            }
            (StepKind::Joined(_), false) => (
                ErrorKind::NothingToJoin,
                "remove it, or begin with `sections by`, `numbers`, `runs` or `matches`, which give several results".to_owned(),
            ),
            (kind, _) => {
                several = (several || kind.gives_several()) && !matches!(kind, StepKind::Joined(_));
                continue;
            }
        };
        return Err(PhraseError { kind, span: step.span.clone(), help });
    }
    Ok(())
}

/// A separate operation removes the marks from a number found by example.
fn undress(step: &Step) -> Result<Option<OpAt>, PhraseError> {
    let style = match &step.kind {
        StepKind::Number { style, .. } | StepKind::AllNumbers(style) if !style.like.is_empty() => style,
        _ => return Ok(None),
    };
    Ok(Some(OpAt::new(step.span.clone(), Op::Finish(FinishOp::Undress(NumberPlan::new(style)?)))))
}

fn lookup_of(pairs: &[LookupPair], any_case: bool) -> Result<LookupTable, PhraseError> {
    let mut table = LookupTable::new(any_case);
    for LookupPair { key, result, span } in pairs {
        let refused = |kind, help: &str| PhraseError { kind, span: span.clone(), help: help.to_owned() };
        if is_blank(key) {
            return Err(refused(ErrorKind::EmptyKey, "blank values are never looked up; leave this pair out"));
        }
        if result.is_empty() {
            let help = "leave this pair out, so that its text is missing; `or \"\"` then accepts it";
            return Err(refused(ErrorKind::EmptyResult, help));
        }
        if table.add(key, result).is_err() {
            return Err(refused(ErrorKind::TwoResults(key.clone()), "keep one of the pairs"));
        }
    }
    Ok(table)
}

#[allow(clippy::too_many_lines, reason = "a table of the steps")]
fn op(step: &Step, setting: &Setting) -> Result<Op, PhraseError> {
    let unit = setting.unit;
    let matcher = |marker: &Marker| Matcher::new(marker, unit);
    let run_of = |class: &Class| Matcher::new(&Marker::Run(class.clone()), unit);
    let cut = |op| Ok(Op::Cut(op));
    let finish = |op| Ok(Op::Finish(op));
    let up_to = |Occurrence { nth, marker }: &Occurrence, with_it| {
        Ok(Op::Cut(CutOp::UpTo { nth: *nth, marker: matcher(marker)?, with_it }))
    };
    let onward = |Occurrence { nth, marker }: &Occurrence, with_it| {
        Ok(Op::Cut(CutOp::Onward { nth: *nth, marker: matcher(marker)?, with_it }))
    };
    match &step.kind {
        StepKind::Whole => cut(CutOp::Whole),
        StepKind::First(n) => cut(CutOp::First(*n)),
        StepKind::Last(n) => cut(CutOp::Last(*n)),
        StepKind::Char(position) => cut(CutOp::Char(*position)),
        StepKind::CharsTo(range) => cut(CutOp::CharsTo(*range)),
        StepKind::CharsFor { from, width } => cut(CutOp::CharsFor { from: *from, width: *width }),
        StepKind::DropFirst(n) => cut(CutOp::DropFirst(*n)),
        StepKind::DropLast(n) => cut(CutOp::DropLast(*n)),
        StepKind::Before(occurrence) => up_to(occurrence, false),
        StepKind::Through(occurrence) => up_to(occurrence, true),
        StepKind::After(occurrence) => onward(occurrence, false),
        StepKind::From(occurrence) => onward(occurrence, true),
        StepKind::Between { first, second, nth } => {
            cut(CutOp::Between { first: first.nth, open: matcher(&first.marker)?, second: *nth, close: matcher(second)? })
        }
        StepKind::Sections { range, by } => {
            cut(CutOp::Sections { range: *range, by: matcher(&by.marker)?, skipping_empty: by.skipping_empty })
        }
        StepKind::AllSections(by) => {
            Ok(Op::Spread(SpreadOp::Sections { by: matcher(&by.marker)?, skipping_empty: by.skipping_empty }))
        }
        StepKind::Number { which, style } => cut(CutOp::Number { which: *which, style: NumberPlan::new(style)? }),
        StepKind::AllNumbers(style) => Ok(Op::Spread(SpreadOp::Numbers(NumberPlan::new(style)?))),
        StepKind::Run { which, of: None } => cut(CutOp::Run(*which)),
        StepKind::Run { which, of: Some(class) } => cut(CutOp::RunOf { which: *which, class: run_of(class)? }),
        StepKind::AllRuns(None) => Ok(Op::Spread(SpreadOp::Runs)),
        StepKind::AllRuns(Some(class)) => Ok(Op::Spread(SpreadOp::RunsOf(run_of(class)?))),
        StepKind::Match(pattern) => cut(CutOp::Match(Box::new(PatternPlan::new(pattern)?))),
        StepKind::AllGroups(regex) => {
            let compiled = pattern::compile(regex)?;
            let count = compiled.group_count();
            if count == 0 {
                let help = "put parentheses around each part that you want".to_owned();
                return Err(PhraseError { kind: ErrorKind::NoGroups, span: regex.span.clone(), help });
            }
            Ok(Op::Spread(SpreadOp::Groups { compiled: Box::new(compiled), straight: StraightPattern::new(regex), count }))
        }
        StepKind::AllMatches(pattern) => Ok(Op::Spread(SpreadOp::Matches(Box::new(PatternPlan::new(pattern)?)))),
        StepKind::Length(unit) => Ok(Op::Describe(DescribeOp::Length(*unit))),
        StepKind::PositionOf(Occurrence { nth, marker }) => {
            Ok(Op::Describe(DescribeOp::PositionOf { nth: *nth, marker: matcher(marker)? }))
        }
        StepKind::CountOf(marker) => Ok(Op::Describe(DescribeOp::CountOf(matcher(marker)?))),
        StepKind::RowNumber => Ok(Op::RowNumber),
        StepKind::Whether(condition) => {
            Ok(Op::Describe(DescribeOp::Whether(Box::new(ConditionPlan::new(condition, setting)?))))
        }
        StepKind::If { condition, .. } => Ok(Op::If(Box::new(ConditionPlan::new(condition, setting)?))),
        StepKind::Joined(with) => Ok(Op::Join(with.clone())),
        StepKind::Trim(sides) => cut(CutOp::Trim(*sides)),
        StepKind::Squeeze => finish(FinishOp::Squeeze),
        StepKind::Upper => finish(FinishOp::Upper),
        StepKind::Lower => finish(FinishOp::Lower),
        StepKind::Title => finish(FinishOp::Title),
        StepKind::Keep(class) => finish(FinishOp::Filter { class: Box::new(ClassPlan::new(class)), keep: true }),
        StepKind::DropClass(class) => finish(FinishOp::Filter { class: Box::new(ClassPlan::new(class)), keep: false }),
        StepKind::Replace { marker, with, with_span } => {
            let matcher = matcher(marker)?;
            let with = match (marker, matcher.regex()) {
                (Marker::Regex(_), Some(compiled)) => Template::with_groups(with, with_span, compiled)?,
                _ => Template::text(with),
            };
            finish(FinishOp::Replace { marker: matcher, with })
        }
        StepKind::Pad { side, width, with } => finish(FinishOp::Pad { side: *side, width: *width, with: with.clone() }),
        StepKind::Clip { width, mark } => {
            let mark_width = unit.count(mark);
            if mark_width > *width {
                let help = format!("clip to {mark_width} at least, or take a shorter mark");
                return Err(PhraseError { kind: ErrorKind::MarkTooWide, span: step.span.clone(), help });
            }
            finish(FinishOp::Clip { width: *width, mark: mark.clone(), mark_width })
        }
        StepKind::Text(text) => finish(FinishOp::Instead(text.clone())),
        StepKind::Prefix(text) => finish(FinishOp::Prefix(text.clone())),
        StepKind::Suffix(text) => finish(FinishOp::Suffix(text.clone())),
        StepKind::PlainDigits => finish(FinishOp::PlainDigits),
        StepKind::AddCheckDigit(algorithm) => finish(FinishOp::AddCheckDigit(*algorithm)),
        StepKind::LookupIn(source) => match setting.files.lookup(source) {
            Ok(table) => finish(FinishOp::Lookup(table)),
            Err(NoList { reason, help }) => Err(PhraseError { kind: ErrorKind::NoList(reason), span: step.span.clone(), help }),
        },
        StepKind::LookupPairs { pairs, any_case } => finish(FinishOp::Lookup(Arc::new(lookup_of(pairs, *any_case)?))),
        StepKind::PlainNumber(like) => {
            finish(FinishOp::PlainNumber(if like.is_empty() { None } else { Some(NumberPlan::whole(like)?) }))
        }
        StepKind::Date { format, output } => {
            let date = DatePlan::new(format)?;
            finish(FinishOp::Date(Box::new(match output {
                Some(output) => date.with_output(output)?,
                None => date,
            })))
        }
    }
}
