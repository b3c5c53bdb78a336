//! Working out the pieces of one row.

use super::bind::Carving;
use crate::piece::Shape;
use crate::plan::{ConditionPlan, Held, Outcome, Plan, Scratch, State};
use crate::tally::Tally;

/// A piece made ready.
#[derive(Debug)]
pub(super) struct PiecePlan {
    pub(super) name: String,
    pub(super) body: PieceBody,
    pub(super) when: Option<WhenPlan>,
    pub(super) shape: Shape,
    /// The column whose place it takes.
    pub(super) replaces: Option<usize>,
    pub(super) checks: Vec<CheckPlan>,
}

impl PiecePlan {
    /// The columns it looks at.
    pub(super) fn used_columns(&self) -> Vec<usize> {
        let mut used: Vec<usize> = match &self.body {
            PieceBody::Take { column, .. } => vec![*column],
            PieceBody::Build(parts) => parts
                .iter()
                .filter_map(|part| if let BuildPlan::Column(column) = part { Some(*column) } else { None })
                .collect(),
        };
        used.extend(self.when.as_ref().map(|when| when.column));
        used
    }

    /// How many columns of the output it fills.
    pub(super) fn columns(&self) -> usize {
        match self.shape {
            Shape::Columns(columns) => columns,
            // How many it will be is not known before the data has been read.
            Shape::AutoColumns | Shape::One | Shape::Rows => 1,
        }
    }
}

/// Where the text of a piece comes from.
#[derive(Debug)]
pub(super) enum PieceBody {
    Take { column: usize, plan: Plan },
    Build(Vec<BuildPlan>),
}

/// A part of a built text.
#[derive(Debug)]
pub(super) enum BuildPlan {
    Text(String),
    Piece(usize),
    Column(usize),
}

/// The condition under which a piece is taken.
#[derive(Debug)]
pub(super) struct WhenPlan {
    pub(super) column: usize,
    pub(super) condition: ConditionPlan,
}

/// A condition that a piece must meet.
#[derive(Debug)]
pub(super) struct CheckPlan {
    pub(super) plan: ConditionPlan,
    /// Whether it is asked of a missing piece too.
    pub(super) asks_missing: bool,
    pub(super) only_warns: bool,
}

/// Room for what is worked out of a row, reused from row to row.
#[derive(Debug, Default)]
pub struct Workspace {
    scratch: Scratch,
    outcomes: Vec<Outcome>,
}

impl Workspace {
    /// What became of a piece.
    pub fn state(&self, piece: usize) -> State {
        self.outcomes[piece].state
    }

    /// The number of results of a piece.
    pub fn count(&self, piece: usize) -> usize {
        self.outcomes[piece].count()
    }
}

impl Carving {
    /// Works out all pieces of a row. `value` gives the value of a column of the row by its index.
    pub fn run<'v>(&self, value: &impl Fn(usize) -> &'v str, work: &mut Workspace) {
        work.scratch.clear();
        work.outcomes.resize(self.pieces.len(), Outcome::MISSING);
        for &index in &self.order {
            let piece = &self.pieces[index];
            let holds = piece.when.as_ref().is_none_or(|when| when.condition.holds(value(when.column)));
            work.outcomes[index] = match &piece.body {
                _ if !holds => Outcome::MISSING,
                PieceBody::Take { column, plan } => plan.run(value(*column), &mut work.scratch),
                PieceBody::Build(parts) => self.build(parts, value, work),
            };
        }
    }

    /// A result of a piece, from 0; empty where it is missing. `value` is the one the row was run with.
    pub fn text<'a>(&'a self, piece: usize, result: usize, value: &impl Fn(usize) -> &'a str, work: &'a Workspace) -> &'a str {
        let Some(held) = work.outcomes[piece].held(result, &work.scratch) else { return "" };
        match (&self.pieces[piece].body, held) {
            (PieceBody::Take { column, plan }, held) => plan.text(held, value(*column), &work.scratch),
            (PieceBody::Build(_), Held::Made(start, end)) => &work.scratch.made[start..end],
            (PieceBody::Build(_), _) => "",
        }
    }

    /// Counts what became of the row's pieces, and asks their checks.
    pub fn count_row<'a>(&'a self, value: &impl Fn(usize) -> &'a str, work: &'a Workspace, tallies: &mut [Tally]) {
        for (index, (piece, tally)) in self.pieces.iter().zip(tallies).enumerate() {
            let outcome = &work.outcomes[index];
            tally.count(outcome.state);
            let too_many = matches!(piece.shape, Shape::Columns(columns) if outcome.count() > columns);
            let results = outcome.count().max(1);
            let fails = |check: &&CheckPlan| {
                (0..results).any(|result| {
                    let text = self.text(index, result, value, work);
                    (check.asks_missing || !text.is_empty()) && !check.plan.holds(text)
                })
            };
            tally.faulted +=
                u64::from(too_many || piece.checks.iter().filter(|check| !check.only_warns).any(|check| fails(&check)));
            tally.warned += u64::from(piece.checks.iter().filter(|check| check.only_warns).any(|check| fails(&check)));
        }
    }

    /// Builds a text: missing where all it is built of is blank, short where some of that is.
    fn build<'v>(&self, parts: &[BuildPlan], value: &impl Fn(usize) -> &'v str, work: &mut Workspace) -> Outcome {
        let start = work.scratch.made.len();
        let (mut there, mut blank) = (0, 0);
        for part in parts {
            let before = work.scratch.made.len();
            match part {
                BuildPlan::Text(text) => {
                    work.scratch.made.push_str(text);
                    continue;
                }
                BuildPlan::Column(column) => work.scratch.made.push_str(value(*column)),
                BuildPlan::Piece(piece) => match (work.outcomes[*piece].held(0, &work.scratch), &self.pieces[*piece].body) {
                    (Some(Held::Made(from, to)), _) => work.scratch.made.extend_from_within(from..to),
                    (Some(Held::Value(from, to)), PieceBody::Take { column, .. }) => {
                        work.scratch.made.push_str(&value(*column)[from..to]);
                    }
                    (Some(held), PieceBody::Take { plan, .. }) => plan.push_literal(held, &mut work.scratch),
                    _ => {}
                },
            }
            if work.scratch.made.len() > before {
                there += 1;
            } else {
                blank += 1;
            }
        }
        if there == 0 && blank > 0 || work.scratch.made.len() == start {
            work.scratch.made.truncate(start);
            return Outcome::MISSING;
        }
        Outcome::made(start, work.scratch.made.len(), State { short: blank > 0, ..State::default() })
    }
}
