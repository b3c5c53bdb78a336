//! Runs the checks on the pieces of a batch and explains the failures.

use std::borrow::Cow;

use super::batch_results::{BatchResults, Failure};
use super::condition::{AskedRows, Test};
use super::memory::Repeat;
use super::plans::{AsksMissing, BuildPlan, PieceBody};
use super::{Carving, OutColumn};
use crate::batch::{Batch, Span, Texts};
use crate::check::{Violation, ViolationKind};
use crate::diagnostics::Diagnostics;
use crate::program::Results;
use crate::tally::Tally;
use crate::text::blank::is_blank;
use crate::text::characters;
use crate::value_type::ValueType;

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fault {
    /// The index of the check in [`Carving::checks`].
    pub check: usize,
    /// The failing result; empty if it is missing.
    pub result: String,
    /// Its range in the source value, in bytes; `None` if the result was built or is missing.
    pub place: Option<(usize, usize)>,
    pub violation: Violation,
}

/// A check, as reports name it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CheckName {
    /// The target: a piece, or a column for a layout or proof.
    pub of: String,
    pub piece: Option<usize>,
    /// The index of the column; `None` for a built piece.
    pub column: Option<usize>,
    pub words: String,
    pub only_warns: bool,
    pub is_implied: bool,
    /// Whether another program evaluates it, because it compares rows.
    pub is_elsewhere: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum CheckOf {
    Piece { piece: usize, number: usize },
    Type(usize),
    Found(usize),
    Columns { piece: usize, columns: usize },
    Layout(usize),
    Proof(usize),
    Together,
    Fits(usize),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct PlaceCheck {
    pub(super) of: OutColumn,
    pub(super) most: usize,
}

/// The words for the implied check that a piece is present.
pub const NOT_MISSING: &str = "not missing";

const NO_ITEM: u32 = u32::MAX;

impl Carving {
    pub(super) fn list_checks(&self) -> Vec<CheckOf> {
        let mut all = Vec::new();
        for (piece, plan) in self.pieces.iter().enumerate() {
            all.extend((0..plan.checks.len()).map(|number| CheckOf::Piece { piece, number }));
            all.extend(plan.value_type.map(|_| CheckOf::Type(piece)));
            all.extend((plan.asks_missing != AsksMissing::No).then_some(CheckOf::Found(piece)));
            if let Some(columns) = plan.shape.most() {
                all.push(CheckOf::Columns { piece, columns });
            }
        }
        all.extend((0..self.layouts.len()).map(CheckOf::Layout));
        all.extend((0..self.proofs.len()).map(CheckOf::Proof));
        all.extend(self.unique.iter().map(|_| CheckOf::Together));
        all.extend((0..self.places.len()).map(CheckOf::Fits));
        all
    }

    pub fn checks(&self) -> Vec<CheckName> {
        let of_piece = |piece: usize, words: String, only_warns| CheckName {
            of: self.pieces[piece].name.clone(),
            piece: Some(piece),
            column: self.column(piece),
            words,
            only_warns,
            is_implied: false,
            is_elsewhere: false,
        };
        let about = |of: &str, column, words: String| CheckName {
            of: of.to_owned(),
            piece: None,
            column,
            words,
            only_warns: false,
            is_implied: false,
            is_elsewhere: false,
        };
        let name = |check: &CheckOf| match *check {
            CheckOf::Piece { piece, number } => {
                let check = &self.pieces[piece].checks[number];
                of_piece(piece, check.words.clone(), check.only_warns)
            }
            CheckOf::Type(piece) => {
                let words = self.pieces[piece].value_type.map_or("", ValueType::words);
                of_piece(piece, format!("as {words}"), false)
            }
            CheckOf::Found(piece) => {
                let only_warns = self.pieces[piece].asks_missing == AsksMissing::Warns;
                CheckName { is_implied: true, ..of_piece(piece, NOT_MISSING.to_owned(), only_warns) }
            }
            CheckOf::Columns { piece, columns } if self.is_divided(piece) => {
                of_piece(piece, format!("at most {columns} results"), false)
            }
            CheckOf::Columns { piece, columns } => of_piece(piece, format!("columns = {columns}"), false),
            CheckOf::Layout(layout) => about("layout", Some(self.layouts[layout].column), self.layouts[layout].words.clone()),
            CheckOf::Proof(proof) => about("proof", Some(self.proofs[proof].column), self.proofs[proof].words.clone()),
            CheckOf::Together => {
                let words = self.unique.as_ref().map_or("", |(_, words)| words);
                about("rows", None, format!("unique: {words}"))
            }
            CheckOf::Fits(place) => {
                let PlaceCheck { of, most } = self.places[place];
                let words = format!("no wider than {most}");
                match of {
                    OutColumn::Piece { piece, .. } => CheckName { is_implied: true, ..of_piece(piece, words, false) },
                    OutColumn::Original(column) => CheckName { is_implied: true, ..about("rows", Some(column), words) },
                    OutColumn::OfInput(_) | OutColumn::Faults | OutColumn::Compared | OutColumn::Reason => {
                        CheckName { is_implied: true, ..about("rows", None, words) }
                    }
                }
            }
        };
        let mut checks: Vec<CheckName> = self.list_checks().iter().map(name).collect();
        if self.is_compared_elsewhere {
            self.unique_checks.iter().for_each(|asked| checks[asked.check].is_elsewhere = true);
        }
        checks
    }

    /// Judges a batch of results: counts the states of each piece and the rows that each check looked at, and notes the failures.
    /// Both counts are added to `tallies` (one for each piece) and `checked` (one for each of [`Carving::checks`]).
    pub(super) fn check_all(
        &self,
        batch: &Batch,
        batch_results: &mut BatchResults,
        tallies: &mut [Tally],
        checked: &mut [u64],
    ) {
        for (checked, rows) in checked.iter_mut().zip(self.rows_checked(batch, batch_results)) {
            *checked += rows;
        }
        batch_results.failures.clear();
        batch_results.is_sorted = false;
        batch_results.faulty.clear(batch.rows);
        count_states(&batch_results.pieces, batch.rows, tallies);
        let mut check = 0;
        for (index, piece) in self.pieces.iter().enumerate() {
            batch_results.warned_of_piece.clear(batch.rows);
            batch_results.faulted_of_piece.clear(batch.rows);
            let values = self.values(index, batch);
            for number in 0..piece.checks.len() {
                self.judge_piece(batch, batch_results, (index, number), check, values);
                check += 1;
            }
            if let Some(of) = piece.value_type {
                let results = &batch_results.pieces[index];
                let texts = results.texts(values);
                for row in 0..batch.rows {
                    for item in results.items(row).filter(|item| of.violation(texts.get(*item)).is_some()) {
                        batch_results.failures.push(Failure { row: row as u32, check, item: item as u32 });
                        batch_results.faulted_of_piece.set(row);
                    }
                }
                check += 1;
            }
            if piece.asks_missing != AsksMissing::No {
                let BatchResults { pieces, failures, warned_of_piece, faulted_of_piece, .. } = batch_results;
                let results = &pieces[index];
                let rows = if piece.asks_missing == AsksMissing::Warns { warned_of_piece } else { faulted_of_piece };
                if !results.are_filled() {
                    for row in (0..batch.rows).filter(|row| results.state(*row).missing) {
                        failures.push(Failure { row: row as u32, check, item: NO_ITEM });
                        rows.set(row);
                    }
                }
                check += 1;
            }
            if let Some(columns) = piece.shape.most() {
                if batch_results.pieces[index].are_several() {
                    for row in 0..batch.rows {
                        let items = batch_results.pieces[index].items(row);
                        if items.len() > columns {
                            let item = (items.start + columns) as u32;
                            batch_results.failures.push(Failure { row: row as u32, check, item });
                            batch_results.faulted_of_piece.set(row);
                        }
                    }
                }
                check += 1;
            }
            batch_results.faulty.add(&batch_results.faulted_of_piece);
            tallies[index].warned += batch_results.warned_of_piece.count() as u64;
            tallies[index].faulted += batch_results.faulted_of_piece.count() as u64;
        }
        for fits in &batch_results.layouts {
            let rows = fits.unfit().iter().map(|unfit| unfit.row);
            fail(rows, check, &mut batch_results.failures, &mut batch_results.faulty);
            check += 1;
        }
        for (proof, rebuilt) in self.proofs.iter().zip(&mut batch_results.rebuilt) {
            let values = batch.column(proof.column);
            let texts = rebuilt.texts(values);
            let differing = (0..batch.rows).filter(|row| texts.get(*row) != values.get(*row)).map(|row| row as u32);
            fail(differing, check, &mut batch_results.failures, &mut batch_results.faulty);
            check += 1;
        }
        if self.unique.is_some() {
            let repeats = batch_results.repeats.iter().filter(|repeat| repeat.check == check);
            fail(repeats.map(|repeat| repeat.row), check, &mut batch_results.failures, &mut batch_results.faulty);
            check += 1;
        }
        for place in &self.places {
            let too_wide = self.too_wide(place, batch, batch_results);
            fail(too_wide.into_iter(), check, &mut batch_results.failures, &mut batch_results.faulty);
            check += 1;
        }
    }

    fn rows_checked(&self, batch: &Batch, batch_results: &BatchResults) -> impl Iterator<Item = u64> {
        let count = |rows: &dyn Fn(usize) -> bool| (0..batch.rows).filter(|row| rows(*row)).count() as u64;
        let mut with_text: Vec<Option<u64>> = vec![None; self.pieces.len()];
        self.check_list.iter().map(move |check| {
            let piece = match *check {
                CheckOf::Piece { piece, .. } | CheckOf::Type(piece) | CheckOf::Found(piece) => piece,
                CheckOf::Columns { piece, .. } => piece,
                CheckOf::Layout(_) | CheckOf::Proof(_) | CheckOf::Together | CheckOf::Fits(_) => return batch.rows as u64,
            };
            let results = &batch_results.pieces[piece];
            match *check {
                CheckOf::Found(_) => count(&|row| !results.state(row).blank && !results.state(row).not_asked),
                CheckOf::Piece { number, .. } if self.pieces[piece].checks[number].asks_nothing => {
                    count(&|row| !results.state(row).not_asked)
                }
                _ => *with_text[piece].get_or_insert_with(|| {
                    let texts = results.texts(self.values(piece, batch));
                    match results.are_several() {
                        false => count_with_text(texts),
                        true => count(&|row| results.items(row).any(|item| !is_blank(texts.get(item)))),
                    }
                }),
            }
        })
    }

    fn out_text<'a>(&self, of: OutColumn, row: usize, batch: &Batch<'a>, batch_results: &'a BatchResults) -> &'a str {
        match of {
            OutColumn::Original(column) => batch.value(column, row),
            OutColumn::OfInput(_) | OutColumn::Faults | OutColumn::Compared | OutColumn::Reason => "",
            OutColumn::Piece { piece, result } => {
                let results = &batch_results.pieces[piece];
                let item = results.items(row).nth(result);
                item.map_or("", |item| results.texts(self.values(piece, batch)).get(item))
            }
        }
    }

    fn too_wide(&self, place: &PlaceCheck, batch: &Batch, batch_results: &BatchResults) -> Vec<u32> {
        let is_too_wide = |row: &u32| {
            let texts = match (place.of, self.rows_piece()) {
                // Each result has its own row.
                (OutColumn::Piece { piece, .. }, Some(rows)) if rows == piece => {
                    batch_results.pieces[piece].items(*row as usize).len()
                }
                _ => 1,
            };
            (0..texts).any(|result| {
                let of = match place.of {
                    OutColumn::Piece { piece, result: 0 } => OutColumn::Piece { piece, result },
                    of => of,
                };
                let text = self.out_text(of, *row as usize, batch, batch_results);
                // A character has at least one byte.
                (text.len() > place.most && characters::count(text) > place.most) || !can_stand_in_a_line(text)
            })
        };
        (0..batch.rows as u32).filter(is_too_wide).collect()
    }

    fn judge_piece(
        &self,
        batch: &Batch,
        batch_results: &mut BatchResults,
        (piece, number): (usize, usize),
        check: u32,
        values: Texts,
    ) {
        let plan = &self.pieces[piece].checks[number];
        let BatchResults { pieces, failing, failures, repeats, warned_of_piece, faulted_of_piece, .. } = batch_results;
        let results = &pieces[piece];
        let rows = if plan.only_warns { warned_of_piece } else { faulted_of_piece };
        let first = failures.len();
        let mut fail = |row: usize, item: u32| {
            failures.push(Failure { row: row as u32, check, item });
            rows.set(row);
        };
        if plan.condition.unique().is_some() {
            return repeats.iter().filter(|repeat| repeat.check == check).for_each(|repeat| {
                let row = repeat.row as usize;
                fail(row, results.items(row).start as u32 + repeat.nth);
            });
        }
        failing.clear();
        let several = results.are_several();
        let offsets = results.offsets();
        let row_of = |item: usize| if several { offsets.partition_point(|start| *start as usize <= item) - 1 } else { item };
        let texts_of = |of: &BuildPlan| self.part_texts(of, batch, pieces);
        let asked = AskedRows { row_of: &row_of, texts_of: &texts_of };
        let skips_blank =
            plan.condition.note_failing(results.texts(values), results.width(), plan.asks_nothing, asked, failing);
        for item in failing.iter() {
            let row = row_of(*item as usize);
            if !results.state(row).not_asked && (!several || !results.items(row).is_empty()) {
                fail(row, *item);
            }
        }
        if several && plan.asks_nothing {
            // A row without results has no text to check.
            if !plan.condition.holds_without_text() {
                let has_none = |row: &usize| results.items(*row).is_empty() && !results.state(*row).not_asked;
                (0..batch.rows).filter(has_none).for_each(|row| fail(row, NO_ITEM));
                failures[first..].sort_by_key(|failure| failure.row);
            }
        }
        let certain = plan.condition.certain();
        let results = &pieces[piece];
        // With more exceptions, a look at all results is cheaper.
        if certain.is_anything() && (failing.len() + results.rough()) * 8 <= results.rows() {
            pieces[piece].note_certain(certain, values, failing, skips_blank);
        }
    }

    /// Why a value does not match its layout; `None` if it matches.
    pub fn layout_violation(
        &self,
        layout: usize,
        batch: &Batch,
        batch_results: &BatchResults,
        row: usize,
    ) -> Option<Violation> {
        let (bound, fits) = (self.layouts.get(layout)?, batch_results.layouts.get(layout)?);
        let is_unfit = fits.unfit().iter().any(|unfit| unfit.row as usize == row);
        is_unfit.then(|| bound.plan.violation(batch.value(bound.column, row), row, fits))
    }

    /// Records the position where values stop matching their layouts, for hints.
    pub fn observe_layouts(
        &self,
        batch: &Batch,
        batch_results: &BatchResults,
        diagnostics: &mut Diagnostics,
        number: &dyn Fn(usize) -> u64,
    ) {
        for (layout, fits) in self.layouts.iter().zip(&batch_results.layouts) {
            diagnostics.observe_layout(&layout.plan, fits, batch.column(layout.column), number);
        }
    }

    pub fn observe_list_headers(
        &self,
        batch: &Batch,
        batch_results: &BatchResults,
        diagnostics: &mut Diagnostics,
        number: &dyn Fn(usize) -> u64,
    ) {
        for failure in &batch_results.failures {
            if let CheckOf::Piece { piece, number: of_piece } = self.check_list[failure.check as usize]
                && let Test::Text(condition) = &self.pieces[piece].checks[of_piece].condition.test
                && condition.reads_list()
                && let text = self.failing_text(*failure, batch, batch_results)
                && let Some(file) = condition.header_of_list(&text)
            {
                diagnostics.note_list_header(&self.pieces[piece].name, file, &text, number(failure.row as usize));
            }
        }
    }

    pub fn failing_text<'a>(&self, failure: Failure, batch: &Batch<'a>, batch_results: &'a BatchResults) -> Cow<'a, str> {
        let (row, item) = (failure.row as usize, failure.item as usize);
        let value = |column: Option<usize>| Cow::Borrowed(column.map_or("", |column| batch.value(column, row)));
        match self.check_list[failure.check as usize] {
            CheckOf::Piece { piece, .. } | CheckOf::Type(piece)
                if failure.item != NO_ITEM && batch_results.pieces[piece].state(row).is_there() =>
            {
                Cow::Borrowed(batch_results.pieces[piece].texts(self.values(piece, batch)).get(item))
            }
            CheckOf::Piece { piece, .. } | CheckOf::Type(piece) | CheckOf::Found(piece) | CheckOf::Columns { piece, .. } => {
                value(self.column(piece))
            }
            CheckOf::Layout(layout) => value(Some(self.layouts[layout].column)),
            CheckOf::Proof(proof) => value(Some(self.proofs[proof].column)),
            CheckOf::Together => {
                let parts = self.unique.iter().flat_map(|(parts, _)| parts);
                let texts = parts.filter_map(|part| Some(self.part_texts(part, batch, &batch_results.pieces)?.get(row)));
                Cow::Owned(texts.collect::<Vec<_>>().join(" + "))
            }
            CheckOf::Fits(place) => Cow::Borrowed(self.out_text(self.places[place].of, row, batch, batch_results)),
        }
    }

    /// The explanation of a failure. `name` formats a row number, such as `row 7`.
    pub fn fault(&self, failure: Failure, batch: &Batch, batch_results: &BatchResults, name: &dyn Fn(u64) -> String) -> Fault {
        let (row, item) = (failure.row as usize, failure.item as usize);
        // The earlier row with the same text as the first result of the row.
        let first_row = |first_item: usize| {
            let nth = item.checked_sub(first_item).and_then(|nth| u32::try_from(nth).ok())?;
            // Repeats are sorted by row, check and result.
            let asked = (failure.row, failure.check, nth);
            let key = |repeat: &Repeat| (repeat.row, repeat.check, repeat.nth);
            let found = batch_results.repeats.binary_search_by_key(&asked, key);
            found.ok().and_then(|index| batch_results.repeats[index].first).map(name)
        };
        let of_value = |column: usize, violation| {
            let value = batch.value(column, row);
            Fault { check: failure.check as usize, result: value.to_owned(), place: Some((0, value.len())), violation }
        };
        match self.check_list[failure.check as usize] {
            CheckOf::Piece { piece, number } => {
                let results = &batch_results.pieces[piece];
                let values = self.values(piece, batch);
                let text = if failure.item == NO_ITEM { "" } else { results.texts(values).get(item) };
                let place = results.place(row, item, values, text).map(|place| (place.start, place.end));
                let plan = &self.pieces[piece].checks[number];
                let violation = match results.state(row) {
                    state if state.blank && plan.wants_text => Violation::new(ViolationKind::Blank, "the value is blank"),
                    state if state.missing && plan.wants_text => self.missing_violation(piece, batch, row),
                    _ => {
                        let texts_of = |of: &BuildPlan| self.part_texts(of, batch, &batch_results.pieces);
                        let rows = AskedRows { row_of: &|row| row, texts_of: &texts_of };
                        plan.condition.violation(text, row, rows, first_row(results.items(row).start).as_deref())
                    }
                };
                Fault { check: failure.check as usize, result: text.to_owned(), place, violation }
            }
            CheckOf::Type(piece) => {
                let (results, values) = (&batch_results.pieces[piece], self.values(piece, batch));
                let text = results.texts(values).get(item);
                let place = results.place(row, item, values, text).map(|place| (place.start, place.end));
                let violation = self.pieces[piece].value_type.and_then(|of| of.violation(text));
                let violation = violation.unwrap_or_else(|| Violation::new(ViolationKind::DoesNotFit, String::new()));
                Fault { check: failure.check as usize, result: text.to_owned(), place, violation }
            }
            CheckOf::Found(piece) => {
                let violation = self.missing_violation(piece, batch, row);
                Fault { check: failure.check as usize, result: String::new(), place: None, violation }
            }
            CheckOf::Columns { piece, columns } => {
                let results = &batch_results.pieces[piece];
                let detail = format!("{} results for {columns} columns", results.items(row).len());
                let result = results.texts(self.values(piece, batch)).get(item).to_owned();
                let violation = Violation::new(ViolationKind::TooMany, detail);
                Fault { check: failure.check as usize, result, place: None, violation }
            }
            CheckOf::Layout(layout) => {
                let bound = &self.layouts[layout];
                of_value(
                    bound.column,
                    bound.plan.violation(batch.value(bound.column, row), row, &batch_results.layouts[layout]),
                )
            }
            CheckOf::Proof(proof) => {
                let bound = &self.proofs[proof];
                let detail = match batch_results.rebuilt[proof].texts(batch.column(bound.column)).get(row) {
                    "" => "its pieces are missing, so it cannot be rebuilt".to_owned(),
                    made => format!("the pieces give \"{made}\" instead"),
                };
                of_value(bound.column, Violation::new(ViolationKind::NotRebuilt, detail))
            }
            CheckOf::Together => {
                let result = self.failing_text(failure, batch, batch_results).into_owned();
                let violation = Violation::not_unique(&first_row(row).unwrap_or_default(), true);
                Fault { check: failure.check as usize, result, place: None, violation }
            }
            CheckOf::Fits(place) => {
                let text = self.failing_text(failure, batch, batch_results).into_owned();
                let violation = self.too_wide_violation(place, &text);
                Fault { check: failure.check as usize, result: text, place: None, violation }
            }
        }
    }
}

impl Carving {
    fn too_wide_violation(&self, place: usize, text: &str) -> Violation {
        let PlaceCheck { most, .. } = self.places[place];
        let count = characters::count(text);
        let detail = match () {
            () if has_line_end(text) => "its text contains a line end".to_owned(),
            () if count <= most => "its first or last character would merge with the blank beside it".to_owned(),
            () => format!("its text has {count} characters, and its column has {most}"),
        };
        Violation::new(ViolationKind::TooLong, detail)
    }

    /// Why a result of another piece is missing.
    fn part_violation(&self, of: usize, result: usize, batch: &Batch, row: usize) -> Violation {
        let results = self.trace(of, batch, row).map_or(0, |trace| trace.results.len());
        let number = crate::phrase::ordinal(result as i64 + 1);
        match results {
            0 => self.missing_violation(of, batch, row),
            count if count <= result => {
                let results = crate::words::counted(count as u64, "result");
                let why = format!("the phrase gives only {results}, and no {number} one");
                Violation::new(ViolationKind::Missing, why)
            }
            _ => Violation::new(ViolationKind::Missing, format!("the {number} result is empty")),
        }
    }

    fn missing_violation(&self, piece: usize, batch: &Batch, row: usize) -> Violation {
        let why = match &self.pieces[piece].body {
            PieceBody::Take { program, phrase, .. } => match self.trace(piece, batch, row) {
                Some(trace) => program.why_missing(phrase, &trace),
                None => String::new(),
            },
            PieceBody::Field { .. } => "the value does not fit its layout, or this part of it is absent".to_owned(),
            PieceBody::Part { of, result, .. } => return self.part_violation(*of, *result, batch, row),
            PieceBody::Build(_) => "every piece and column in its template is missing or blank".to_owned(),
        };
        Violation::new(ViolationKind::Missing, why)
    }
}

/// Whether a text keeps its characters between blanks on a line.
fn can_stand_in_a_line(text: &str) -> bool {
    // The first character could be read as a byte-order mark.
    !has_line_end(text)
        && !text.starts_with('\u{feff}')
        && (text.is_ascii() || characters::count(&format!(" {text} ")) == characters::count(text) + 2)
}

fn has_line_end(text: &str) -> bool {
    text.bytes().any(|byte| matches!(byte, b'\n' | b'\r'))
}

fn count_states(pieces: &[Results], rows: usize, tallies: &mut [Tally]) {
    for (tally, results) in tallies.iter_mut().zip(pieces) {
        match results.are_filled() {
            true => tally.filled += rows as u64,
            false => (0..rows).for_each(|row| tally.count(results.state(row))),
        }
    }
}

fn fail(rows: impl Iterator<Item = u32>, check: u32, failures: &mut Vec<Failure>, faulty: &mut crate::batch::Mask) {
    for row in rows {
        failures.push(Failure { row, check, item: row });
        faulty.set(row as usize);
    }
}

fn count_with_text(texts: Texts) -> u64 {
    let bytes = texts.text.as_bytes();
    // The first byte decides for nearly every text, which avoids slicing.
    let has_text = |span: &&Span| match bytes.get(span.start as usize) {
        Some(b'!'..0x80) if !span.is_empty() => true,
        _ => !is_blank(span.text(texts.text)),
    };
    texts.spans.iter().filter(has_text).count() as u64
}
