//! Working out the pieces of a batch of rows.

use super::bind::Carving;
use super::plans::{BuildPlan, PieceBody};
use super::worked::Worked;
use crate::batch::{Batch, Span, Texts};
use crate::program::{Results, State};
use crate::text::formula::formulas;

/// The results of a batch take more bytes than they may.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TooLarge {
    /// The piece or the proof that did not fit.
    pub of: String,
    /// How many bytes the results may take.
    pub most: usize,
}

impl std::fmt::Display for TooLarge {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "the results take more than {} bytes, at {}", self.most, self.of)
    }
}

impl std::error::Error for TooLarge {}

impl Carving {
    /// The rows of a batch that the conditions of `keep` on columns leave in, by their indices, where they leave any out:
    /// the others need not be worked out.
    pub fn select<'w>(&self, batch: &Batch, worked: &'w mut Worked) -> Option<&'w [u32]> {
        let Worked { rows, failing, .. } = worked;
        failing.clear();
        for keep in self.keep[..self.first_unique_keep()].iter() {
            let BuildPlan::Column(column) = keep.of else { continue };
            keep.condition.note_failing(batch.column(column), None, true, (batch, &|row| row), failing);
        }
        if failing.is_empty() {
            return None;
        }
        others(batch.rows, failing, rows);
        Some(rows)
    }

    /// Works out all pieces of a batch, and what proofs make of them. Afterwards, [`Worked::take_kept`] gives the rows that `keep`
    /// leaves in.
    ///
    /// # Errors
    /// Where the results take more bytes together than they may: a batch of fewer rows is to be tried.
    pub fn run(&self, batch: &Batch, worked: &mut Worked) -> Result<(), TooLarge> {
        let Worked { most, pieces, layouts, rebuilt, failing, rows, work, kept, repeats, .. } = worked;
        let mut left = *most;
        let mut take = |results: &Results, of: &dyn Fn() -> String| {
            let fits = left.checked_sub(results.made()).filter(|_| !results.are_too_large());
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
                when.condition.note_failing(batch.column(when.column), None, true, (batch, &|row| row), failing);
            }
            match &piece.body {
                PieceBody::Take { column, program, .. } if failing.is_empty() => {
                    program.run(batch.column(*column), work, &mut results);
                }
                PieceBody::Take { column, program, .. } => {
                    others(batch.rows, failing, rows);
                    program.run_on(batch.column(*column), rows, work, &mut results);
                }
                PieceBody::Field { column, layout, field } => {
                    results.set_parts(batch.column(*column), layouts[*layout].field(*field));
                }
                PieceBody::Build(parts) => self.build(parts, batch, pieces, &mut results),
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
            if let (BuildPlan::Piece(_), Some(texts)) = (&keep.of, self.part_texts(&keep.of, batch, pieces)) {
                keep.condition.note_failing(texts, None, true, (batch, &|row| row), failing);
            }
        }
        if !failing.is_empty() {
            let mut left = Vec::new();
            others(batch.rows, failing, &mut left);
            *kept = Some(left);
        }
        Ok(())
    }

    /// The rows in which a spreadsheet may take a result of a piece for a formula, each as often as that is so. Where they are to be
    /// `guarded`, an apostrophe is put before those results: they are texts then.
    pub fn formulas(&self, piece: usize, batch: &Batch, worked: &mut Worked, guarded: bool) -> Vec<u32> {
        let values = self.values(piece, batch);
        let results = &mut worked.pieces[piece];
        if results.are_digits() == Some(true) {
            return Vec::new();
        }
        let items = formulas(results.texts(values));
        if guarded && !items.is_empty() {
            results.quote(&items, values);
        }
        match results.offsets() {
            [] => items,
            offsets => items.iter().map(|item| offsets.partition_point(|start| start <= item) as u32 - 1).collect(),
        }
    }

    /// The values that a piece comes from; none for one that is built.
    pub(super) fn values<'b>(&self, piece: usize, batch: &Batch<'b>) -> Texts<'b> {
        self.column(piece).map_or(batch.column(usize::MAX), |column| batch.column(column))
    }

    /// The results of a piece as texts, in a batch that it was worked out for.
    pub fn texts<'a>(&self, piece: usize, batch: &Batch<'a>, worked: &'a Worked) -> Texts<'a> {
        worked.pieces[piece].texts(self.values(piece, batch))
    }

    /// The texts of a piece or a column; none of a text that stands for itself.
    pub(super) fn part_texts<'a>(&self, part: &BuildPlan, batch: &Batch<'a>, pieces: &'a [Results]) -> Option<Texts<'a>> {
        match part {
            BuildPlan::Text(_) => None,
            BuildPlan::Piece(piece) => Some(pieces[*piece].texts(self.values(*piece, batch))),
            BuildPlan::Column(column) => Some(batch.column(*column)),
        }
    }

    /// Builds a text of each row: short where some of what it is built of has nothing in it. Where nothing has, it is missing if
    /// a piece of it is, and blank otherwise.
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
            // A text that nothing was built of is left where it is, and nothing points to it.
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

/// The rows of `count` that are not among some, which need not be in order.
fn others(count: usize, some: &mut Vec<u32>, others: &mut Vec<u32>) {
    some.sort_unstable();
    some.dedup();
    let mut some = some.iter().peekable();
    others.clear();
    others.extend((0..count as u32).filter(|row| some.next_if_eq(&row).is_none()));
}
