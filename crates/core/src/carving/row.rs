//! Working out the pieces of one row.

use super::asked::{Asked, Memory};
use super::bind::Carving;
use crate::check::Violation;
use crate::layout::{Fit, LayoutPlan, Room};
use crate::piece::Shape;
use crate::program::{Held, Outcome, Program, Scratch, State};

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
    /// The search that it begins with, among those that several pieces begin with.
    pub(super) search: Option<usize>,
}

impl PiecePlan {
    /// The columns it looks at.
    pub(super) fn used_columns(&self) -> Vec<usize> {
        let mut used: Vec<usize> = match &self.body {
            PieceBody::Take { column, .. } | PieceBody::Field { column, .. } => vec![*column],
            PieceBody::Build(parts) => parts
                .iter()
                .filter_map(|part| if let BuildPlan::Column(column) = part { Some(*column) } else { None })
                .collect(),
        };
        used.extend(self.when.as_ref().map(|when| when.column));
        used.extend(self.when.as_ref().and_then(|when| when.asked.column()));
        used.extend(self.checks.iter().filter_map(|check| check.asked.column()));
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
    Take {
        column: usize,
        plan: Program,
    },
    /// A piece of a layout, both by their numbers.
    Field {
        column: usize,
        layout: usize,
        field: usize,
    },
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
    pub(super) asked: Asked,
}

/// A layout and the column it describes.
#[derive(Debug)]
pub(super) struct BoundLayout {
    pub(super) column: usize,
    pub(super) plan: LayoutPlan,
    pub(super) words: String,
}

/// A text that must make a column's value again.
#[derive(Debug)]
pub(super) struct ProofPlan {
    pub(super) column: usize,
    pub(super) parts: Vec<BuildPlan>,
    pub(super) words: String,
}

/// A condition on a piece or a column that a row must meet to be kept.
#[derive(Debug)]
pub(super) struct KeepPlan {
    pub(super) of: BuildPlan,
    pub(super) asked: Asked,
}

/// A condition that a piece must meet.
#[derive(Debug)]
pub(super) struct CheckPlan {
    pub(super) asked: Asked,
    /// Whether it is asked of a missing piece too.
    pub(super) asks_missing: bool,
    pub(super) only_warns: bool,
    /// The words it was written in.
    pub(super) words: String,
}

/// Room for what is worked out of a row, reused from row to row.
#[derive(Debug, Default)]
pub struct Workspace {
    pub(super) scratch: Scratch,
    pub(super) outcomes: Vec<Outcome>,
    /// What became of each layout.
    pub(super) fits: Vec<Result<Fit, Violation>>,
    room: Room,
}

impl Workspace {
    /// What became of a piece.
    pub fn state(&self, piece: usize) -> State {
        self.outcomes[piece].state
    }

    /// Why the value of the layout `layout` has none of its forms; `None` where it has one.
    pub fn layout_violation(&self, layout: usize) -> Option<&Violation> {
        self.fits.get(layout)?.as_ref().err()
    }

    /// Where the first result of a piece stands in its value, in bytes; `None` where it was made or is missing.
    pub fn place(&self, piece: usize) -> Option<std::ops::Range<usize>> {
        match self.outcomes[piece].held(0, &self.scratch) {
            Some(Held::Value(start, end)) => Some(start..end),
            _ => None,
        }
    }

    /// The number of results of a piece.
    pub fn count(&self, piece: usize) -> usize {
        self.outcomes[piece].count()
    }
}

impl Carving {
    /// Works out all pieces of a row. `value` gives the value of a column of the row by its index; `plain` says
    /// that all of them are known to be plain texts (see [`crate::text::characters::is_plain`]).
    pub fn run<'v>(&self, value: &impl Fn(usize) -> &'v str, plain: bool, work: &mut Workspace) {
        work.scratch.clear();
        work.outcomes.resize(self.pieces.len(), Outcome::MISSING);
        work.fits.clear();
        for layout in &self.layouts {
            work.fits.push(layout.plan.fit(value(layout.column), &mut work.room));
        }
        for &index in &self.order {
            let piece = &self.pieces[index];
            let holds = piece.when.as_ref().is_none_or(|when| when.asked.holds_in_row(value(when.column), value));
            work.outcomes[index] = match &piece.body {
                _ if !holds => Outcome::MISSING,
                PieceBody::Take { column, plan } if plain => plan.run_plain(value(*column), &mut work.scratch),
                PieceBody::Take { column, plan } => plan.run(value(*column), &mut work.scratch),
                PieceBody::Field { layout, field, .. } => match &work.fits[*layout] {
                    Ok(Fit { fields, .. }) => {
                        fields[*field].as_ref().map_or(Outcome::MISSING, |range| Outcome::cut(range.clone()))
                    }
                    Err(_) => Outcome::MISSING,
                },
                PieceBody::Build(parts) => self.build(parts, value, work),
            };
        }
    }

    /// A result of a piece, from 0; empty where it is missing. `value` is the one the row was run with.
    pub fn text<'a, 'v: 'a>(
        &'a self,
        piece: usize,
        result: usize,
        value: &impl Fn(usize) -> &'v str,
        work: &'a Workspace,
    ) -> &'a str {
        let Some(held) = work.outcomes[piece].held(result, &work.scratch) else { return "" };
        match (&self.pieces[piece].body, held) {
            (PieceBody::Take { column, plan }, held) => plan.text(held, value(*column), &work.scratch),
            (PieceBody::Field { column, .. }, Held::Value(start, end)) => &value(*column)[start..end],
            (PieceBody::Build(_), Held::Made(start, end)) => &work.scratch.made[start..end],
            (PieceBody::Field { .. } | PieceBody::Build(_), _) => "",
        }
    }

    /// Whether the row that was worked out is kept. `row` is its number, from 1.
    pub fn keeps<'v>(&self, value: &impl Fn(usize) -> &'v str, work: &Workspace, row: u64, memory: &mut Memory) -> bool {
        self.keep.iter().all(|keep| keep.asked.violation(self.part_text(&keep.of, value, work), value, row, memory).is_none())
    }

    /// The text of a piece or a column.
    pub(super) fn part_text<'a, 'v: 'a>(
        &'a self,
        part: &'a BuildPlan,
        value: &impl Fn(usize) -> &'v str,
        work: &'a Workspace,
    ) -> &'a str {
        match part {
            BuildPlan::Text(text) => text,
            BuildPlan::Piece(piece) => self.text(*piece, 0, value, work),
            BuildPlan::Column(column) => value(*column),
        }
    }

    /// Builds a text: missing where all it is built of is blank, short where some of that is.
    pub(super) fn build<'v>(&self, parts: &[BuildPlan], value: &impl Fn(usize) -> &'v str, work: &mut Workspace) -> Outcome {
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
                    (Some(Held::Value(from, to)), PieceBody::Take { column, .. } | PieceBody::Field { column, .. }) => {
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
