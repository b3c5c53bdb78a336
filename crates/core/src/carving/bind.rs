//! Binds pieces to the columns of a table. All errors of a list are found here, before a row is read.

use std::cell::Cell;
use std::collections::{BTreeSet, HashMap, HashSet};
use std::fmt;

use super::Carving;
use super::condition::{BoundCondition, Test};
use super::judge::CheckOf;
use super::memory::{Together, UniqueCheck};
use super::plans::{
    AsksMissing, BoundLayout, BuildPlan, CheckPlan, GatePlan, KeepPlan, PieceBody, PiecePlan, ProofPlan, WhenPlan,
};
use crate::column::{ColumnRef, Header};
use crate::layout::{Layout, LayoutPlan};
use crate::phrase::Span;
use crate::phrase::ast::{Condition, ConditionKind};
use crate::piece::{BuildPart, Check, Keep, OutputForm, Piece, Proof, Rules, Source};
use crate::program::{ByteSet, ConditionPlan, Gate, Program, RegexesTogether, Setting, refuse_several};
use crate::text_error::TextError;

/// Why a cut list does not fit a table.
///
/// ```
/// use keen_notch_core::cutlist::CutList;
///
/// let error = CutList::parse("[piece.no]\nof = 'cod'\ntake = 'first 3'\n", 0)?.bind(&["code"]).unwrap_err();
/// assert_eq!(error.to_string(), "no column cod; did you mean code? The columns are code");
/// # Ok::<(), keen_notch_core::TextError>(())
/// ```
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct BindError {
    /// The index of the text that declares the piece, as given by the reader.
    pub origin: usize,
    pub error: TextError,
}

impl fmt::Display for BindError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.error.fmt(f)
    }
}

impl std::error::Error for BindError {
    fn source(&self) -> Option<&(dyn std::error::Error + 'static)> {
        Some(&self.error)
    }
}

impl Carving {
    /// Binds pieces to the columns of a table. `main` is the default source column; without it, the only column of the table.
    ///
    /// # Errors
    /// A column or piece is unknown, a name occurs twice, built pieces form a circle, or a phrase is invalid.
    pub fn new(wanted: &Rules, main: Option<&ColumnRef>, setting: &Setting, header: &Header) -> Result<Carving, BindError> {
        let pieces = &wanted.pieces;
        let names = pieces.iter().enumerate().rev().map(|(index, piece)| (piece.name.as_str(), index)).collect();
        let binder = Binder { wanted, pieces, main, setting, header, names, uniques: Cell::new(0) };
        binder.check_names()?;
        let _counted = RegexesTogether::begin();
        let mut carving = Carving {
            order: binder.order()?,
            pieces: pieces.iter().map(|piece| binder.piece(piece)).collect::<Result<Vec<_>, _>>()?,
            layouts: binder.layouts()?,
            proofs: binder.proofs()?,
            keep: binder.keep()?,
            unique: binder.unique_together()?,
            uniques: binder.uniques.get(),
            unique_checks: Vec::new(),
            is_compared_elsewhere: false,
            places: Vec::new(),
            check_list: Vec::new(),
        };
        carving.number_checks();
        carving.note_origins();
        binder.check_columns(&carving)?;
        Ok(carving)
    }

    pub(super) fn number_checks(&mut self) {
        self.check_list = self.list_checks();
        self.unique_checks.clear();
        for (number, check) in self.check_list.iter().enumerate() {
            let unique = match *check {
                CheckOf::Piece { piece, number } => {
                    let condition = &self.pieces[piece].checks[number].condition;
                    condition.unique().map(|number| (number, Some(piece), condition.negated))
                }
                CheckOf::Together => Some((self.uniques - 1, None, false)),
                CheckOf::Type(_)
                | CheckOf::Found(_)
                | CheckOf::Columns { .. }
                | CheckOf::Layout(_)
                | CheckOf::Proof(_)
                | CheckOf::Fits(_) => None,
            };
            let asked = unique.map(|(asked, piece, negated)| UniqueCheck { check: number, number: asked, piece, negated });
            self.unique_checks.extend(asked);
        }
    }

    fn note_origins(&mut self) {
        for index in self.order.clone() {
            let (mut adds, mut sources) = (ByteSet::default(), BTreeSet::new());
            match &self.pieces[index].body {
                PieceBody::Take { program, column, .. } => {
                    adds = program.adds();
                    sources.insert(*column);
                }
                PieceBody::Field { column, .. } => drop(sources.insert(*column)),
                PieceBody::Part { column, of, .. } => {
                    adds.join(self.pieces[*of].adds);
                    sources.insert(*column);
                }
                PieceBody::Build(parts) => {
                    for part in parts {
                        match part {
                            BuildPlan::Text(text) => adds.add(text),
                            BuildPlan::Piece(piece) => {
                                adds.join(self.pieces[*piece].adds);
                                sources.extend(&self.pieces[*piece].sources);
                            }
                            BuildPlan::Column(column) => drop(sources.insert(*column)),
                        }
                    }
                }
            }
            self.pieces[index].adds = adds;
            self.pieces[index].sources = sources.into_iter().collect();
        }
    }
}

struct Binder<'a> {
    wanted: &'a Rules,
    pieces: &'a [Piece],
    main: Option<&'a ColumnRef>,
    setting: &'a Setting<'a>,
    header: &'a Header,
    names: HashMap<&'a str, usize>,
    uniques: Cell<usize>,
}

fn lengths_agree(checks: &[Check]) -> Result<(), BindError> {
    let lengths = checks.iter().filter_map(|check| match check.condition.kind {
        ConditionKind::Length { from, to } if !check.condition.negated => Some((check, from, to.unwrap_or(usize::MAX))),
        _ => None,
    });
    let lengths: Vec<_> = lengths.collect();
    for (index, (check, from, to)) in lengths.iter().enumerate() {
        if let Some((other, ..)) = lengths[..index].iter().find(|(_, other_from, other_to)| from > other_to || other_from > to)
        {
            let help = format!("keep this or `{}`", other.words);
            let error = TextError::new("no text can have both lengths", check.span.clone(), help);
            return Err(BindError { origin: check.origin, error });
        }
    }
    Ok(())
}

/// The effect of a missing piece. Most checks need a text; they share one fault for a missing piece, at the highest level among them,
/// unless a check at that level tests presence itself.
fn asks_missing(piece: &Piece) -> AsksMissing {
    // A value outside its layout is a fault of the layout, and an optional part may be absent.
    if piece.optional || matches!(piece.source, Source::Field { .. }) {
        return AsksMissing::No;
    }
    let (warns, faults): (Vec<&Check>, Vec<&Check>) = piece.checks.iter().partition(|check| check.only_warns);
    let (gravest, asks) = if faults.is_empty() { (warns, AsksMissing::Warns) } else { (faults, AsksMissing::Faults) };
    let is_asked = gravest.is_empty() || gravest.iter().any(|check| check.condition.is_about_absence());
    if is_asked { AsksMissing::No } else { asks }
}

fn unbound(piece: &Piece, error: TextError) -> BindError {
    BindError { origin: piece.origin, error }
}

impl Binder<'_> {
    fn check_names(&self) -> Result<(), BindError> {
        let titles: HashSet<&String> = self.header.names().unwrap_or_default().iter().collect();
        for (index, piece) in self.pieces.iter().enumerate() {
            let refused = |message: String, help: &str| Err(unbound(piece, TextError::new(message, piece.span.clone(), help)));
            if self.names.get(piece.name.as_str()) != Some(&index) {
                return refused(format!("two pieces have the name {}", piece.name), "give each piece a name of its own");
            }
            let is_column = titles.contains(&piece.name);
            if is_column && !piece.replace && !piece.hidden {
                let help = format!(
                    "use another name, such as {}_cut; in a cut list, `replace = true` lets it replace the column",
                    piece.name
                );
                return refused(format!("the piece {} has the name of a column of the table", piece.name), &help);
            }
        }
        let mut with_rows = self.pieces.iter().filter(|piece| piece.shape == OutputForm::Rows);
        if let (Some(first), Some(second)) = (with_rows.next(), with_rows.next()) {
            let message = format!("{} and {} both want an output row for each result", first.name, second.name);
            let help = "keep it in one of them, and give the other `columns` or `joined with`";
            return Err(unbound(second, TextError::new(message, second.span.clone(), help)));
        }
        Ok(())
    }

    fn check_columns(&self, carving: &Carving) -> Result<(), BindError> {
        let Some((piece, title)) = carving.doubled_title(self.header) else { return Ok(()) };
        let piece = &self.pieces[piece];
        let message = format!("two columns of the output would have the name {title}");
        Err(unbound(piece, TextError::new(message, piece.span.clone(), "use another name for the piece")))
    }

    fn piece(&self, piece: &Piece) -> Result<PiecePlan, BindError> {
        let refused = |error| unbound(piece, error);
        let body = match &piece.source {
            Source::Take { of, of_span, phrase, phrase_at } => {
                if piece.shape == OutputForm::One {
                    let help = if piece.on_command_line {
                        "add `joined with \" \"`, give each result a name (`kind, serial: …`), or an output row (`NAME in rows: …`)"
                    } else {
                        "add `joined with \" \"`, or say `columns = [\"kind\", \"serial\"]`, `columns = \"auto\"` or `rows = true`"
                    };
                    refuse_several(phrase, help).map_err(|error| refused(phrase_at.error(error)))?;
                }
                let program = Program::of_table(phrase, self.setting).map_err(|error| refused(phrase_at.error(error)))?;
                let gates = program.gates().iter().map(|gate| self.gate(gate).map_err(|error| refused(phrase_at.error(error))));
                let gates = gates.collect::<Result<Vec<_>, _>>()?;
                // A phrase without the value has a value in every row, so any column does.
                let column = match (of.as_ref().or(self.main), program.reads_value()) {
                    (None, false) => 0,
                    _ => self.find(of.as_ref(), of_span).map_err(|error| refused(self.or_piece(piece, error)))?,
                };
                PieceBody::Take { column, program, phrase: phrase.source.clone(), gates }
            }
            Source::Field { layout, field } => {
                let of = &self.wanted.layouts[*layout];
                let column = self.find(Some(&of.column), &of.column_span).map_err(refused)?;
                PieceBody::Field { column, layout: *layout, field: *field }
            }
            Source::Build { parts, .. } => PieceBody::Build(self.build(parts).map_err(refused)?),
            Source::Part { of, result } => {
                let (of, column) = self.divided(of, piece)?;
                PieceBody::Part { column, of, result: *result }
            }
        };
        let when = match &piece.when {
            None => None,
            Some(when) => {
                let column = match (&when.column, &piece.source) {
                    (None, Source::Take { of, of_span, .. }) => self.find(of.as_ref(), of_span),
                    (None, Source::Build { .. } | Source::Field { .. } | Source::Part { .. }) => Err(TextError::new(
                        "a piece with `build` has no source column, so the condition must name one",
                        when.span.clone(),
                        "write it as COLUMN: CONDITION",
                    )),
                    (named, _) => self.find(named.as_ref(), &when.column_span),
                };
                let condition = self.condition_of_piece(&when.condition, &when.span).map_err(refused)?;
                Some(WhenPlan { column: column.map_err(refused)?, condition })
            }
        };
        lengths_agree(&piece.checks)?;
        let checks =
            piece.checks.iter().map(|check| self.check(check).map_err(|error| BindError { origin: check.origin, error }));
        let checks = checks.collect::<Result<Vec<_>, BindError>>()?;
        let replaces = if piece.replace { Some(self.replaced(piece).map_err(refused)?) } else { None };
        let asks_missing = asks_missing(piece);
        let (name, shape, hidden, value_type) = (piece.name.clone(), piece.shape, piece.hidden, piece.value_type);
        let (adds, sources) = (ByteSet::default(), Vec::new());
        Ok(PiecePlan { name, body, when, shape, replaces, checks, value_type, asks_missing, hidden, adds, sources })
    }

    /// The piece whose results a part takes, and its column.
    fn divided(&self, of: &str, part: &Piece) -> Result<(usize, usize), BindError> {
        let divided = self.names.get(of).copied().and_then(|index| Some((index, self.pieces.get(index)?)));
        match divided {
            Some((index, Piece { source: Source::Take { of, of_span, .. }, .. })) => {
                let column = self.find(of.as_ref(), of_span).map_err(|error| unbound(part, error))?;
                Ok((index, column))
            }
            _ => {
                let message = format!("no piece {of} gives several results");
                Err(unbound(part, TextError::new(message, part.span.clone(), "name a piece of this list")))
            }
        }
    }

    fn gate(&self, gate: &Gate) -> Result<GatePlan, TextError> {
        let column = self.find(Some(&ColumnRef::parse(&gate.column)), &gate.span)?;
        Ok(GatePlan { column, condition: self.condition_of_piece(&gate.condition, &gate.span)? })
    }

    /// A condition for a piece: it must not look at earlier rows or at pieces.
    fn condition_of_piece(&self, condition: &Condition, span: &Span) -> Result<BoundCondition, TextError> {
        let refused = |message: &str, help: &str| Err(TextError::new(message, span.clone(), help));
        if condition.any(&|kind| *kind == ConditionKind::Unique) {
            return refused("a piece cannot depend on the rows before it", "write it as a check, or in `keep` of [rows]");
        }
        match self.condition(condition, span)? {
            bound if bound.needs_pieces() => refused("a piece cannot depend on another piece", "compare with a column here"),
            bound => Ok(bound),
        }
    }

    fn check(&self, check: &Check) -> Result<CheckPlan, TextError> {
        Ok(CheckPlan {
            condition: self.condition(&check.condition, &check.span)?,
            asks_nothing: check.condition.is_about_absence(),
            wants_text: check.condition.wants_text(),
            only_warns: check.only_warns,
            words: check.words.clone(),
        })
    }

    fn condition(&self, condition: &Condition, span: &Span) -> Result<BoundCondition, TextError> {
        let is_combined = !condition.parts().is_empty();
        if is_combined && condition.any(&|kind| *kind == ConditionKind::Unique) {
            let help = "write it as a condition of its own";
            return Err(TextError::new("`unique` cannot be part of a combination", span.clone(), help));
        }
        let test = match &condition.kind {
            _ if is_combined && condition.any(&|kind| matches!(kind, ConditionKind::SameAs { .. })) => {
                let (is_all, parts) = condition.split();
                let parts = parts.iter().map(|part| self.condition(part, span)).collect::<Result<Vec<_>, _>>()?;
                let test = if is_all { Test::All(parts) } else { Test::Any(parts) };
                return Ok(BoundCondition { test, negated: false });
            }
            ConditionKind::Unique => Test::Unique(self.uniques.replace(self.uniques.get() + 1)),
            ConditionKind::SameAs { name, any_case } => {
                let named = ColumnRef::parse(name);
                let other = match named.find(self.header) {
                    Ok(column) => BuildPlan::Column(column),
                    Err(_) => self.piece_or_column(&named, span)?,
                };
                let title = match &other {
                    BuildPlan::Column(column) => self.header.title(*column),
                    BuildPlan::Piece(_) | BuildPlan::Text(_) => name.clone(),
                };
                Test::SameAs { other, title, any_case: *any_case }
            }
            _ => {
                let plan = ConditionPlan::new(condition, self.setting);
                Test::Text(plan.map_err(|error| TextError { span: span.clone(), ..error.into() })?)
            }
        };
        Ok(BoundCondition { test, negated: condition.negated })
    }

    fn find(&self, named: Option<&ColumnRef>, span: &Span) -> Result<usize, TextError> {
        ColumnRef::find_or_only(named.or(self.main), self.header).map_err(|error| TextError::of_column(error, span.clone()))
    }

    fn or_piece(&self, piece: &Piece, error: TextError) -> TextError {
        let names = || self.pieces.iter().filter(|other| !other.hidden).map(|other| other.name.as_str());
        let (true, true) = (piece.hidden && piece.on_command_line, names().next().is_some()) else { return error };
        let help = match crate::words::nearest(&piece.name, names()) {
            Some(nearest) => format!("did you mean {nearest}?"),
            None => format!("the pieces are {}; {}", names().collect::<Vec<_>>().join(", "), error.help),
        };
        TextError { message: format!("no piece or column {}", piece.name), help, column: None, ..error }
    }

    fn replaced(&self, piece: &Piece) -> Result<usize, TextError> {
        ColumnRef::Name(piece.name.clone()).find(self.header).map_err(|error| {
            let help = format!("remove `replace`, or give the piece the name of a column; {}", error.help());
            TextError::new(format!("the piece {} replaces no column: {error}", piece.name), piece.span.clone(), help)
        })
    }

    fn layouts(&self) -> Result<Vec<BoundLayout>, BindError> {
        let bound = |layout: &Layout| {
            let column = self.find(Some(&layout.column), &layout.column_span);
            let column = column.map_err(|error| BindError { origin: layout.origin, error })?;
            let words = layout.forms.iter().map(|form| form.source.as_str()).collect::<Vec<_>>().join(" or ");
            Ok(BoundLayout { column, plan: LayoutPlan::new(layout), words })
        };
        self.wanted.layouts.iter().map(bound).collect()
    }

    fn proofs(&self) -> Result<Vec<ProofPlan>, BindError> {
        let bound = |proof: &Proof| {
            let refused = |error| BindError { origin: proof.origin, error };
            let column = self.find(Some(&proof.column), &proof.column_span).map_err(refused)?;
            Ok(ProofPlan { column, parts: self.build(&proof.parts).map_err(refused)?, words: proof.words.clone() })
        };
        self.wanted.proofs.iter().map(bound).collect()
    }

    fn keep(&self) -> Result<Vec<KeepPlan>, BindError> {
        let bound = |keep: &Keep| {
            let refused = |error| BindError { origin: keep.origin, error };
            let of = self.piece_or_column(&keep.of, &keep.of_span).map_err(refused)?;
            Ok(KeepPlan { of, condition: self.condition(&keep.condition, &keep.span).map_err(refused)? })
        };
        self.wanted.keep.iter().map(bound).collect()
    }

    fn unique_together(&self) -> Result<Option<Together>, BindError> {
        let Some(unique) = &self.wanted.unique else { return Ok(None) };
        let bound = |(of, span): &(ColumnRef, Span)| {
            self.piece_or_column(of, span).map_err(|error| BindError { origin: unique.origin, error })
        };
        let parts = unique.of.iter().map(bound).collect::<Result<Vec<_>, _>>()?;
        let words = unique.of.iter().map(|(of, _)| of.to_string()).collect::<Vec<_>>().join(" + ");
        self.uniques.set(self.uniques.get() + 1);
        Ok(Some((parts, words)))
    }

    fn build(&self, parts: &[BuildPart]) -> Result<Vec<BuildPlan>, TextError> {
        let plan = |part: &BuildPart| match part {
            BuildPart::Text(text) => Ok(BuildPlan::Text(text.clone())),
            BuildPart::Name(name, span) => self.piece_or_column(name, span),
        };
        parts.iter().map(plan).collect()
    }

    fn piece_or_column(&self, column: &ColumnRef, span: &Span) -> Result<BuildPlan, TextError> {
        if let ColumnRef::Name(name) = column
            && let Some(index) = self.names.get(name.as_str()).copied()
        {
            if self.pieces[index].shape != OutputForm::One {
                let help = "name pieces with one result, such as one with `joined with`";
                return Err(TextError::new(format!("{name} has several results"), span.clone(), help));
            }
            return Ok(BuildPlan::Piece(index));
        }
        column.find(self.header).map(BuildPlan::Column).map_err(|error| {
            let message = format!("no piece or column {column}");
            let names = self.pieces.iter().map(|piece| piece.name.as_str());
            match crate::words::nearest(&column.to_string(), names) {
                Some(name) => TextError::new(message, span.clone(), format!("did you mean {name}?")),
                None => TextError { message, ..TextError::of_column(error, span.clone()) },
            }
        })
    }

    fn order(&self) -> Result<Vec<usize>, BindError> {
        let mut order = Vec::with_capacity(self.pieces.len());
        let mut state = vec![Visit::Unseen; self.pieces.len()];
        for piece in 0..self.pieces.len() {
            self.visit(piece, &mut state, &mut order)?;
        }
        Ok(order)
    }

    fn visit(&self, index: usize, state: &mut [Visit], order: &mut Vec<usize>) -> Result<(), BindError> {
        if state[index] == Visit::Done {
            return Ok(());
        }
        state[index] = Visit::Open;
        if let Source::Build { parts, .. } = &self.pieces[index].source {
            for part in parts {
                let BuildPart::Name(ColumnRef::Name(name), span) = part else { continue };
                let Some(of) = self.names.get(name.as_str()).copied() else { continue };
                if state[of] == Visit::Open {
                    let message = format!("{} is built from {name}, which is built from it", self.pieces[index].name);
                    return Err(unbound(
                        &self.pieces[index],
                        TextError::new(message, span.clone(), "break the circle: take one piece from a column"),
                    ));
                }
                self.visit(of, state, order)?;
            }
        }
        if let Source::Part { of, .. } = &self.pieces[index].source
            && let Some(of) = self.names.get(of.as_str())
        {
            self.visit(*of, state, order)?;
        }
        state[index] = Visit::Done;
        order.push(index);
        Ok(())
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Visit {
    Unseen,
    Open,
    Done,
}
