//! Evaluates the pieces of a batch.

use super::Carving;
use super::batch_results::BatchResults;
use super::condition::{AskedRows, column_of};
use super::plans::{BuildPlan, GatePlan, PieceBody};
use crate::batch::formula::{formulas, is_formula};
use crate::batch::{Batch, Mask, Span, Texts};
use crate::program::certain::Certain;
use crate::program::{Results, State};

/// The results of a batch exceed the memory limit.
///
/// ```
/// use keen_notch_core::runner::{PushError, TooLarge};
///
/// let error = PushError::TooLarge(TooLarge { of: "serial".to_owned(), most: 1 << 30 });
/// assert_eq!(error.to_string(), "the results take more than 1073741824 bytes, at serial");
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TooLarge {
    pub of: String,
    /// The limit in bytes.
    pub most: usize,
}

impl std::fmt::Display for TooLarge {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "the results take more than {} bytes, at {}", self.most, self.of)
    }
}

impl std::error::Error for TooLarge {}

impl Carving {
    /// Evaluates the conditions of `keep` on columns. Returns the indices of the remaining rows if any row is left out; only those need
    /// to be evaluated.
    pub(super) fn select<'w>(&self, batch: &Batch, batch_results: &'w mut BatchResults) -> Option<&'w [u32]> {
        let BatchResults { rows, failing, .. } = batch_results;
        failing.clear();
        for keep in self.keep[..self.first_unique_keep()].iter() {
            let Some(column) = keep.column() else { continue };
            let texts_of = |of: &BuildPlan| column_of(of, batch);
            let rows = AskedRows { row_of: &|row| row, texts_of: &texts_of };
            keep.condition.note_failing(batch.column(column), None, true, rows, failing);
        }
        if failing.is_empty() {
            return None;
        }
        others(batch.rows, failing, rows);
        Some(rows)
    }

    /// Evaluates all pieces and proofs of a batch, without `keep` and without checks. [`Carving::carve`] is for output.
    ///
    /// # Errors
    /// The results exceed the memory limit. Try a batch with fewer rows.
    pub fn evaluate(&self, batch: &Batch, batch_results: &mut BatchResults) -> Result<(), TooLarge> {
        let BatchResults { most, pieces, layouts, rebuilt, failing, rows, work, kept, repeats, .. } = batch_results;
        let mut left = *most;
        let mut take = |results: &Results, of: &dyn Fn() -> String| {
            let fits = left.checked_sub(results.memory()).filter(|_| !results.are_too_large());
            left = fits.ok_or_else(|| TooLarge { of: of(), most: *most })?;
            Ok(left)
        };
        *kept = None;
        repeats.clear();
        layouts.resize_with(self.layouts.len(), Default::default);
        for (layout, fits) in self.layouts.iter().zip(&mut *layouts) {
            layout.plan.fit_all(batch.column(layout.column), fits);
        }
        pieces.resize_with(self.pieces.len(), Results::default);
        let mut may_take = *most;
        for &index in &self.order {
            let piece = &self.pieces[index];
            let mut results = std::mem::take(&mut pieces[index]);
            results.set_most(may_take);
            work.with_most(may_take);
            failing.clear();
            if let Some(when) = &piece.when {
                let texts_of = |of: &BuildPlan| column_of(of, batch);
                let rows = AskedRows { row_of: &|row| row, texts_of: &texts_of };
                when.condition.note_failing(batch.column(when.column), None, true, rows, failing);
            }
            if let PieceBody::Take { program, .. } = &piece.body
                && program.numbers_rows()
            {
                work.set_row_numbers((0..batch.rows).map(|row| batch.numbers.get(row)));
            }
            match &piece.body {
                PieceBody::Take { column, program, gates, .. } if failing.is_empty() => {
                    program.run_where(batch.column(*column), &closed(gates, batch), work, &mut results);
                }
                PieceBody::Take { column, program, gates, .. } => {
                    others(batch.rows, failing, rows);
                    program.run_on(batch.column(*column), rows, &closed(gates, batch), work, &mut results);
                }
                PieceBody::Field { column, layout, field } => {
                    results.set_parts(batch.column(*column), layouts[*layout].field(*field));
                }
                PieceBody::Build(parts) => self.build(parts, batch, pieces, &mut results),
                PieceBody::Part { column, of, result } => {
                    results.set_result_of(&pieces[*of], *result, batch.column(*column));
                }
            }
            if !matches!(piece.body, PieceBody::Take { .. }) && !failing.is_empty() {
                results.unset(failing);
            }
            let taken = take(&results, &|| piece.name.clone());
            pieces[index] = results;
            may_take = taken?;
        }
        rebuilt.resize_with(self.proofs.len(), Results::default);
        for (proof, rebuilt) in self.proofs.iter().zip(rebuilt) {
            rebuilt.set_most(may_take);
            self.build(&proof.parts, batch, pieces, rebuilt);
            may_take = take(rebuilt, &|| format!("the proof {}", proof.words))?;
        }
        failing.clear();
        for keep in self.keep[..self.first_unique_keep()].iter() {
            if let (None, Some(texts)) = (keep.column(), self.part_texts(&keep.of, batch, pieces)) {
                let texts_of = |of: &BuildPlan| self.part_texts(of, batch, pieces);
                let rows = AskedRows { row_of: &|row| row, texts_of: &texts_of };
                keep.condition.note_failing(texts, None, true, rows, failing);
            }
        }
        if !failing.is_empty() {
            let mut left = Vec::new();
            others(batch.rows, failing, &mut left);
            *kept = Some(left);
        }
        Ok(())
    }

    /// The rows in which a spreadsheet may read a result of a piece as a formula, once for each such result. If `guarded`, an apostrophe
    /// is added in front of them.
    pub fn formulas(&self, piece: usize, batch: &Batch, batch_results: &mut BatchResults, guarded: bool) -> Vec<u32> {
        let values = self.values(piece, batch);
        let results = &mut batch_results.pieces[piece];
        let texts = results.texts(values);
        let items = match results.certain() {
            (Certain { is_no_formula: true, .. }, others) => {
                others.iter().copied().filter(|item| is_formula(texts, *item)).collect()
            }
            _ => formulas(texts),
        };
        if guarded && !items.is_empty() {
            results.quote(&items, values);
        }
        match results.offsets() {
            [] => items,
            offsets => items.iter().map(|item| offsets.partition_point(|start| start <= item) as u32 - 1).collect(),
        }
    }

    pub(super) fn values<'b>(&self, piece: usize, batch: &Batch<'b>) -> Texts<'b> {
        self.column(piece).map_or(batch.column(usize::MAX), |column| batch.column(column))
    }

    pub fn texts<'a>(&self, piece: usize, batch: &Batch<'a>, batch_results: &'a BatchResults) -> Texts<'a> {
        batch_results.pieces[piece].texts(self.values(piece, batch))
    }

    pub(super) fn part_texts<'a>(&self, part: &BuildPlan, batch: &Batch<'a>, pieces: &'a [Results]) -> Option<Texts<'a>> {
        match part {
            BuildPlan::Text(_) => None,
            BuildPlan::Piece(piece) => Some(pieces[*piece].texts(self.values(*piece, batch))),
            BuildPlan::Column(column) => Some(batch.column(*column)),
        }
    }

    /// Builds a text for each row. It is short if some parts are empty. If all are empty, it is missing if a piece among them is missing,
    /// and otherwise blank.
    pub(super) fn build(&self, parts: &[BuildPlan], batch: &Batch, pieces: &[Results], out: &mut Results) {
        enum Part<'a> {
            Text(&'a [u8]),
            Texts(&'a [u8], &'a [Span]),
        }
        let made = out.make(batch.rows);
        let sources: Vec<_> = parts.iter().map(|part| self.part_texts(part, batch, pieces)).collect();
        let mut most = 0;
        let plans: Vec<Part> = parts
            .iter()
            .zip(&sources)
            .map(|(part, texts)| match (part, texts) {
                (BuildPlan::Text(text), _) => {
                    most += text.len() * batch.rows;
                    Part::Text(text.as_bytes())
                }
                (_, Some(texts)) => {
                    made.forms.join(texts.forms);
                    most += texts.spans.iter().map(|span| span.width()).sum::<usize>();
                    Part::Texts(texts.text.as_bytes(), texts.spans)
                }
                (_, None) => Part::Text(b""),
            })
            .collect();
        if parts.iter().any(|part| matches!(part, BuildPlan::Text(text) if !text.is_ascii() || text.contains('\r'))) {
            made.forms.forget(batch.rows);
        }
        if !made.buffer.has_room_for(most) {
            out.set_none(batch.rows, State::MISSING);
            return out.set_too_large();
        }
        let mut writer = made.buffer.writer(most);
        let (mut start, mut any_odd) = (0, false);
        for row in 0..batch.rows {
            let (mut width, mut there, mut blank) = (0, false, false);
            for plan in &plans {
                match plan {
                    Part::Text(text) => {
                        writer.extend(text);
                        width += text.len();
                    }
                    Part::Texts(text, spans) => {
                        let span = spans.get(row).copied().unwrap_or_default();
                        writer.copy(text, span);
                        width += span.width();
                        if span.is_empty() { blank = true } else { there = true }
                    }
                }
            }
            if blank || width == 0 {
                any_odd = true;
            }
            let is_missing = (blank && !there) || width == 0;
            // The text of a row without parts stays in the buffer unused.
            made.spans.push(if is_missing { Span::new(start, start) } else { Span::new(start, start + width) });
            made.states.push(match is_missing {
                true if parts
                    .iter()
                    .any(|part| matches!(part, BuildPlan::Piece(piece) if pieces[*piece].state(row).missing)) =>
                {
                    State::MISSING
                }
                true => State::BLANK,
                false => State { short: blank, ..State::default() },
            });
            start += width;
        }
        writer.finish();
        if !any_odd {
            made.states.clear();
        }
    }
}

/// For each gate, the rows that fail it.
pub(super) fn closed(gates: &[GatePlan], batch: &Batch) -> Vec<Mask> {
    let texts_of = |of: &BuildPlan| column_of(of, batch);
    let rows = AskedRows { row_of: &|row| row, texts_of: &texts_of };
    let mut failing = Vec::new();
    let of_gate = |gate: &GatePlan| {
        let mut closed = Mask::default();
        closed.clear(batch.rows);
        failing.clear();
        gate.condition.note_failing(batch.column(gate.column), None, true, rows, &mut failing);
        failing.iter().for_each(|row| closed.set(*row as usize));
        closed
    };
    gates.iter().map(of_gate).collect()
}

/// The rows below `count` that are not in `some`, which may be unsorted.
fn others(count: usize, some: &mut Vec<u32>, others: &mut Vec<u32>) {
    some.sort_unstable();
    some.dedup();
    let mut some = some.iter().peekable();
    others.clear();
    others.extend((0..count as u32).filter(|row| some.next_if_eq(&row).is_none()));
}
