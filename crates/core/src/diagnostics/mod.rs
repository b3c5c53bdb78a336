//! Hints: observations that the summary does not show, with rows and a fix to paste.

mod dates;
mod digits;
mod lookups;
mod numbers;
mod outline;
mod phrase;
mod piece;

use std::collections::BTreeMap;

use numbers::{DoubtfulNumbers, NumberDoubt, SignPlace};
pub use piece::{Focus, Observation, note_looks};
use piece::{PieceDiagnostics, WithExample, append_all, note};

use crate::batch::Texts;
use crate::layout::{Expected, LayoutFits, LayoutPlan};
use crate::phrase::quoted;
use crate::piece::Piece;
use crate::program::{Files, Scratch};
use crate::sightings::{ROWS, Sightings};
use crate::text::look_alikes::{digit_of, looks_like};
use crate::text::{characters, names};
use crate::words::{counted, grouped};

pub const MOST: usize = 5;
/// A piece is reported if it is missing or short in at most this share of the rows.
const FEW: f64 = 0.02;
/// A check is questioned if at least this share of the rows fail it.
const NEARLY_ALL: f64 = 0.9;

#[derive(Debug, Clone)]
pub struct FailedCheck<'c> {
    pub of: &'c str,
    pub words: &'c str,
    pub seen: &'c Sightings,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Hint {
    /// The observation, as a sentence without a full stop.
    pub seen: String,
    pub rows: Vec<u64>,
    pub fix: Fix,
}

/// A suggestion.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum Fix {
    Piece { piece: usize, phrase: String },
    Words(String),
    LookAtRow(u64),
    DoubtTheCheck(u64),
}

/// Observations about the pieces of a run.
///
/// ```
/// use keen_notch_core::batch::{Batch, Column};
/// use keen_notch_core::diagnostics::{Diagnostics, Fix, Observation, note_looks};
/// use keen_notch_core::piece::Piece;
/// use keen_notch_core::phrase::Phrase;
/// use keen_notch_core::program::{Program, Results, Work};
/// use keen_notch_core::text::unit::Unit;
///
/// let codes = Column::of((0..500).map(|row| if row == 7 { "GRP-1  " } else { "GRP-1" }));
/// let program = Program::new(&Phrase::parse("last 1")?, Unit::Characters)?;
/// let (mut results, mut looks) = (Results::default(), Vec::new());
/// program.run(codes.texts(), &mut Work::default(), &mut results);
/// note_looks(codes.texts(), &mut looks);
/// let mut diagnostics = Diagnostics::new(&[Piece::parse("digit: last 1", 0)?], &());
/// let number = |row: usize| row as u64 + 1;
/// let (values, filled) = (codes.texts(), codes.texts().filled());
/// diagnostics.observe(0, Observation { values, filled, looks: &looks, results: &results, number: &number });
/// let hints = diagnostics.hints(500, &[]);
/// assert_eq!(hints[0].rows, [8]);
/// assert_eq!(hints[0].fix, Fix::Piece { piece: 0, phrase: "trim then last 1".to_owned() });
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default)]
pub struct Diagnostics {
    pieces: Vec<PieceDiagnostics>,
    /// The current date as ISO 8601; empty if unknown.
    today: String,
    /// Characters that break a layout but resemble the expected one: (found, expected).
    in_layouts: BTreeMap<(char, char), Sightings>,
    /// Results that equal the header of their list, by (piece, file, result).
    list_headers: BTreeMap<(String, String, String), Sightings>,
}

impl Diagnostics {
    /// Observations about these pieces. `files` are tried with suggestions.
    pub fn new(pieces: &[Piece], files: &dyn Files) -> Diagnostics {
        let pieces = pieces.iter().map(|piece| PieceDiagnostics::new(piece, files)).collect();
        Diagnostics { pieces, ..Diagnostics::default() }
    }

    /// Sets the current date as ISO 8601, for hints about future dates.
    pub fn with_today(mut self, today: impl Into<String>) -> Diagnostics {
        self.today = today.into();
        let year = self.today.get(..4).and_then(|year| year.parse::<i32>().ok()).unwrap_or(2068);
        self.pieces.iter_mut().for_each(|piece| piece.hundred_years_ago = year - 99);
        self
    }

    /// Whether any piece gives dates, so that the current date matters.
    pub fn give_dates(&self) -> bool {
        self.pieces.iter().any(|piece| piece.facts.gives_dates)
    }

    /// Returns the focus of each piece for later parts of the run.
    pub fn focus(&self) -> impl Iterator<Item = Focus> {
        self.pieces.iter().map(|piece| piece.focus)
    }

    /// Observes only what earlier parts of a run leave open.
    pub fn set_focus(&mut self, focus: &[Focus]) {
        self.pieces.iter_mut().zip(focus).for_each(|(piece, focus)| piece.focus = *focus);
    }

    /// Whether a piece needs the result of [`note_looks`] for its column.
    pub fn looks_at_ends(&self, piece: usize) -> bool {
        self.pieces[piece].facts.looks_at_ends
    }

    pub fn count(&self) -> usize {
        self.pieces.len()
    }

    pub fn observe(&mut self, piece: usize, observed: Observation) {
        self.pieces[piece].observe(&self.today, observed);
    }

    pub fn observe_layout(&mut self, plan: &LayoutPlan, fits: &LayoutFits, values: Texts, number: &dyn Fn(usize) -> u64) {
        for unfit in fits.unfit() {
            let value = values.get(unfit.row as usize);
            let character = characters::ranges(value).nth(plan.stopped_at(unfit)).map(|range| &value[range]);
            let Some(found) = character.and_then(|character| character.chars().next()) else { continue };
            let (digit, plain) = (digit_of(found), looks_like(found));
            let wanted = plan.expected(unfit).find_map(|expected| match expected {
                Expected::OfField(Some(class), _) if class.has_byte(b'0') => digit,
                Expected::Character(wanted) => plain.filter(|plain| wanted.chars().eq([*plain])),
                Expected::OfField(..) | Expected::End => None,
            });
            let fixed = |wanted: char| match wanted.is_ascii_digit() {
                true => {
                    let at = characters::ranges(value).nth(plan.stopped_at(unfit)).unwrap_or(value.len()..value.len());
                    format!("{}{wanted}{}", &value[..at.start], &value[at.end..])
                }
                // A delimiter is often the same throughout a value.
                false => value.replace(found, wanted.encode_utf8(&mut [0; 4])),
            };
            // Only if the corrected value fits.
            if let Some(wanted) = wanted.filter(|wanted| plan.fit(&fixed(*wanted)).is_ok()) {
                self.in_layouts.entry((found, wanted)).or_default().note(number(unfit.row as usize));
            }
        }
    }

    pub(crate) fn note_list_header(&mut self, piece: &str, file: &str, text: &str, row: u64) {
        note(&mut self.list_headers, (piece.to_owned(), file.to_owned(), text.to_owned()), row);
    }

    pub fn append(&mut self, later: &Diagnostics, offset: u64) {
        for (piece, later) in self.pieces.iter_mut().zip(&later.pieces) {
            piece.append(later, offset);
        }
        append_all(&mut self.in_layouts, &later.in_layouts, offset);
        append_all(&mut self.list_headers, &later.list_headers, offset);
    }

    /// The hints after a run of `rows` rows, the most useful first. `checks` holds the target, words and number of failing rows of each
    /// check.
    pub fn hints(&self, rows: u64, checks: &[FailedCheck]) -> Vec<Hint> {
        let mut hints: Vec<Hint> = Vec::new();
        for FailedCheck { of, words, seen } in checks {
            if rows >= 10 && seen.count as f64 >= NEARLY_ALL * rows as f64 {
                hints.push(Hint {
                    seen: format!("{} of {} rows do not meet `{words}` of {of}", grouped(seen.count), grouped(rows)),
                    rows: seen.rows.clone(),
                    fix: Fix::DoubtTheCheck(seen.rows.first().copied().unwrap_or(1)),
                });
            }
        }
        let each = |kind: fn(&PieceDiagnostics, usize, u64) -> Vec<Hint>| {
            self.pieces.iter().enumerate().flat_map(move |(index, piece)| kind(piece, index, rows))
        };
        hints.extend(each(PieceDiagnostics::spaces));
        hints.extend(self.look_alikes());
        hints.extend(self.in_layouts.iter().map(|((found, wanted), seen)| Hint {
            seen: format!(
                "{} {} where the layout wants {}",
                have(seen.count),
                named(*found),
                if wanted.is_ascii_digit() { "a digit".to_owned() } else { format!("\"{wanted}\"") }
            ),
            rows: seen.rows.clone(),
            fix: Fix::Words(format!("fix the data: {} should be \"{wanted}\"", named(*found))),
        }));
        hints.extend(self.list_headers.iter().map(|((piece, file, text), seen)| {
            let fix = format!("if the file has no header, write: listed in {} no header", quoted(file));
            header_hint(piece, text, file, seen, Fix::Words(fix))
        }));
        for kind in [
            PieceDiagnostics::headers_of_lookup,
            PieceDiagnostics::unfound,
            PieceDiagnostics::ambiguous_dates,
            PieceDiagnostics::letters,
            PieceDiagnostics::other_case,
            PieceDiagnostics::doubtful_numbers,
            PieceDiagnostics::dates_after_today,
            PieceDiagnostics::lost_zeros,
            PieceDiagnostics::few,
        ] {
            hints.extend(each(kind));
        }
        hints.truncate(MOST);
        hints
    }

    fn look_alikes(&self) -> Vec<Hint> {
        let mut noted: BTreeMap<(&str, char), (Sightings, Vec<usize>)> = BTreeMap::new();
        for (index, piece) in self.pieces.iter().enumerate().filter(|(_, piece)| !piece.look_alikes.is_empty()) {
            let many = outline::of_many(&piece.sample);
            let mut of_piece: BTreeMap<(&str, char), Sightings> = BTreeMap::new();
            for ((marker, found, _), known) in piece.look_alikes.iter().filter(|((.., outline), _)| many.contains(outline)) {
                if piece.works(&piece.with_look_alike(*found), &known.value) {
                    of_piece.entry((marker, *found)).or_default().add(&known.seen);
                }
            }
            for (key, seen) in of_piece {
                let (most, pieces) = noted.entry(key).or_default();
                if seen.count > most.count {
                    *most = seen;
                }
                pieces.push(index);
            }
        }
        let hints = noted.into_iter().map(|((marker, found), (seen, pieces))| {
            let names: Vec<_> = pieces.iter().map(|piece| self.pieces[*piece].facts.name.as_str()).collect();
            let first = pieces.first().copied().unwrap_or_default();
            Hint {
                seen: format!(
                    "{} {} instead of the marker \"{marker}\" of {}",
                    have(seen.count),
                    names::name(found),
                    names.join(", ")
                ),
                rows: seen.rows,
                fix: Fix::Piece { piece: first, phrase: self.pieces[first].with_look_alike(found) },
            }
        });
        hints.collect()
    }
}

impl PieceDiagnostics {
    fn spaces(&self, piece: usize, _rows: u64) -> Vec<Hint> {
        let Sightings { count, rows } = &self.spaces;
        hint(*count > 0, || Hint {
            seen: format!(
                "{} with spaces at an end, and `{}` counts them for {}",
                values(*count),
                self.facts.phrase,
                self.facts.name
            ),
            rows: rows.clone(),
            fix: Fix::Piece { piece, phrase: format!("trim then {}", self.facts.phrase) },
        })
    }

    fn letters(&self, piece: usize, rows: u64) -> Vec<Hint> {
        let all: u64 = self.letters.values().map(|seen| seen.count).sum();
        // A piece is otherwise digits if nearly all of its results are.
        if self.letters.is_empty() || self.digits_only < all * 4 || rows == 0 {
            return Vec::new();
        }
        let many = outline::of_many(&self.sample);
        let mut letters: BTreeMap<char, Sightings> = BTreeMap::new();
        for ((letter, _), seen) in self.letters.iter().filter(|((_, outline), _)| many.contains(outline)) {
            letters.entry(*letter).or_default().add(seen);
        }
        let are_alone = self.there == self.digits_only + all;
        let hints = letters.into_iter().map(|(letter, seen)| Hint {
            seen: format!(
                "{} the letter {letter} in {} where the other {} have digits",
                have(seen.count),
                self.facts.name,
                grouped(self.digits_only)
            ),
            rows: seen.rows,
            fix: self.with_after(piece, &replaced(letter, are_alone)),
        });
        hints.collect()
    }

    fn with_after(&self, piece: usize, step: &str) -> Fix {
        match (self.facts.phrase.as_str(), &self.facts.branches) {
            ("", _) => Fix::Words("fix the data".to_owned()),
            (_, (first, rest)) => Fix::Piece { piece, phrase: format!("{first} then {step}{rest}") },
        }
    }

    /// The phrase with another branch after the first one. Values with a result keep it.
    fn or_else(&self, change: impl Fn(&str) -> String) -> String {
        let (first, rest) = &self.facts.branches;
        format!("{first} or {}{rest}", change(first))
    }

    fn with_look_alike(&self, found: char) -> String {
        let plain = looks_like(found).unwrap_or('-');
        self.or_else(|branch| format!("replace \"\\u{{{:x}}}\" with \"{plain}\" then {branch}", u32::from(found)))
    }

    /// Whether a phrase changes the result for a value. Suggestions are tried before they are shown.
    fn works(&self, phrase: &str, value: &str) -> bool {
        let given = |phrase: &str| {
            let program = lookups::program(phrase, &self.facts.files)?;
            let mut scratch = Scratch::default();
            let cut = program.cut(value, &mut scratch);
            cut.state.is_there().then(|| cut.text.to_owned())
        };
        given(phrase).is_some_and(|text| given(&self.facts.phrase).is_none_or(|before| before != text))
    }

    fn other_case(&self, piece: usize, _rows: u64) -> Vec<Hint> {
        let hints = self.other_case.iter().filter_map(|(marker, WithExample { seen, value })| {
            let quoted = format!("\"{marker}\"");
            let phrase = self.or_else(|branch| branch.replace(&quoted, &format!("{quoted} any case")));
            self.works(&phrase, value).then(|| Hint {
                seen: format!(
                    "the marker {quoted} of {} is written in another case in {}",
                    self.facts.name,
                    values(seen.count)
                ),
                rows: seen.rows.clone(),
                fix: Fix::Piece { piece, phrase },
            })
        });
        hints.collect()
    }

    fn headers_of_lookup(&self, _piece: usize, _rows: u64) -> Vec<Hint> {
        let known = self
            .lookups
            .as_ref()
            .and_then(|lookups| Some((lookups.file()?, lookups.headers(&self.facts.phrase, &self.facts.files)?)));
        let Some((file, (text, seen))) = known else { return Vec::new() };
        let fix = format!("if the file has no header, write: lookup in {} no header", quoted(file));
        vec![header_hint(&self.facts.name, &text, file, &seen, Fix::Words(fix))]
    }

    fn unfound(&self, piece: usize, _rows: u64) -> Vec<Hint> {
        let Some(lookups) = &self.lookups else { return Vec::new() };
        let Some(better) = lookups.better(&self.facts.phrase, &self.facts.files, &self.sample) else { return Vec::new() };
        let all = lookups.unfound(&self.facts.phrase, &self.facts.files).count;
        let first = if lookups.has_more() { "the first " } else { "" };
        let only = if better.found.count == all {
            "all of them".to_owned()
        } else {
            format!("{} of them", grouped(better.found.count))
        };
        vec![Hint {
            seen: format!(
                "{first}{} of {} {} not in {}, {only} only because of {}",
                values(all),
                self.facts.name,
                if all == 1 { "is" } else { "are" },
                lookups.file().unwrap_or("the table of `lookup`"),
                better.because
            ),
            rows: better.found.rows,
            fix: Fix::Piece { piece, phrase: better.phrase },
        }]
    }

    fn doubtful_numbers(&self, piece: usize, _rows: u64) -> Vec<Hint> {
        let Some(diagnostics) = &self.numbers else { return Vec::new() };
        let name = &self.facts.name;
        let hints = diagnostics.doubts.iter().filter_map(|(doubt, DoubtfulNumbers { seen, value, part })| {
            let count = seen.count;
            let (words, added) = match doubt {
                NumberDoubt::Part(style) => (
                    format!("{name} takes only a part of the number in {}, such as \"{part}\" of \"{value}\"", values(count)),
                    style.filter(|_| !diagnostics.has_example).and_then(|style| diagnostics.with_style(style)),
                ),
                // A few values of another kind do not justify a different reading of all numbers.
                NumberDoubt::Missing(_) if diagnostics.is_plain() && count * 2 < self.values => return None,
                NumberDoubt::Missing(style) if diagnostics.is_plain() => (
                    format!(
                        "{name} is missing in {} that have marks for thousands or decimals, such as \"{value}\"",
                        values(count)
                    ),
                    style.filter(|_| !diagnostics.has_example).and_then(|style| diagnostics.with_style(style)),
                ),
                NumberDoubt::Missing(_) => (
                    format!("{name} is missing in {} with a number in another style, such as \"{value}\"", values(count)),
                    None,
                ),
                NumberDoubt::Sign(place) => (
                    format!("{name} leaves out the sign of the number in {}, such as \"{value}\"", values(count)),
                    (*place == SignPlace::Before).then(|| " signed".to_owned()),
                ),
            };
            let phrase = added.map(|added| {
                let (before, after) = self.facts.phrase.split_at_checked(diagnostics.at).unwrap_or((&self.facts.phrase, ""));
                format!("{before}{added}{after}")
            });
            let fix = match phrase.filter(|phrase| self.works(phrase, value)) {
                Some(phrase) => Fix::Piece { piece, phrase },
                None => Fix::LookAtRow(seen.rows.first().copied().unwrap_or(1)),
            };
            Some(Hint { seen: words, rows: seen.rows.clone(), fix })
        });
        hints.collect()
    }

    fn ambiguous_dates(&self, _piece: usize, _rows: u64) -> Vec<Hint> {
        let Some(dates) = self.date_branches.as_ref().filter(|dates| dates.ambiguous.count > 0) else { return Vec::new() };
        let Sightings { count, rows } = &dates.ambiguous;
        let readings: Vec<String> =
            dates.readings.iter().map(|(format, date)| format!("{date} by {}", quoted(format))).collect();
        let only = dates.formats().zip(&dates.only);
        let only = only.map(|(format, count)| format!("only {} reads {}", quoted(format), counted(*count, "other value")));
        let (are, only) = (if *count == 1 { "is" } else { "are" }, only.collect::<Vec<_>>().join(", "));
        vec![Hint {
            seen: format!(
                "{} of {} {are} read as the first of two dates, such as \"{}\" ({}); {only}",
                values(*count),
                self.facts.name,
                dates.value,
                readings.join(", ")
            ),
            rows: rows.clone(),
            fix: Fix::LookAtRow(rows.first().copied().unwrap_or(1)),
        }]
    }

    fn dates_after_today(&self, piece: usize, _rows: u64) -> Vec<Hint> {
        let Sightings { count, rows } = &self.future;
        hint(*count > 0, || Hint {
            seen: format!("{} gives dates after today for {}", self.facts.name, values(*count)),
            rows: rows.clone(),
            fix: match self.facts.century_at.and_then(|at| self.facts.phrase.split_at_checked(at)) {
                Some((before, after)) => {
                    Fix::Piece { piece, phrase: format!("{before} from {}{after}", self.hundred_years_ago) }
                }
                None => Fix::LookAtRow(rows.first().copied().unwrap_or(1)),
            },
        })
    }

    fn lost_zeros(&self, piece: usize, _rows: u64) -> Vec<Hint> {
        let most = self.widths.iter().enumerate().max_by_key(|(_, seen)| seen.count);
        let Some((width, most)) = most else { return Vec::new() };
        let narrower = &self.widths[..width];
        let count: u64 = narrower.iter().map(|seen| seen.count).sum();
        let zeros = self.zeros[width];
        // Padding every value would change values that are not numbers.
        let are_digits = self.widths.iter().map(|seen| seen.count).sum::<u64>() == self.values;
        let phrase = format!("pad left to {width} with \"0\" then {}", self.facts.phrase);
        // A phrase that pads them itself, or takes them from the right, gives the same with the zeros.
        let digits = narrower.iter().position(|seen| seen.count > 0).map_or(String::new(), |width| "1".repeat(width));
        let is_open = || !are_digits || self.works(&phrase, &digits);
        hint(count > 0 && zeros > 0 && most.count >= count * 2 && is_open(), || Hint {
            seen: format!(
                "{} of the column of {} may have lost {} leading zeros: most have {width} digits",
                values(count),
                self.facts.name,
                if count == 1 { "its" } else { "their" }
            ),
            rows: narrower.iter().flat_map(|seen| seen.rows.iter().copied()).take(ROWS).collect(),
            fix: match are_digits {
                true => Fix::Piece { piece, phrase },
                false => Fix::Words(format!("fix the data: pad these values with zeros to {width} digits")),
            },
        })
    }

    fn few(&self, _piece: usize, rows: u64) -> Vec<Hint> {
        let explained = || {
            let many = if self.look_alikes.is_empty() { Vec::new() } else { outline::of_many(&self.sample) };
            let noted = self.look_alikes.iter().filter(|((.., outline), _)| many.contains(outline)).map(|(_, known)| known);
            noted.chain(self.other_case.values()).map(|known| known.seen.count).sum::<u64>()
        };
        let few = |seen: &Sightings| seen.count > 0 && rows >= 50 && (seen.count as f64) < FEW * rows as f64;
        let hint_for = |what: &str, seen: &Sightings| Hint {
            seen: format!("{} is {what} in only {} of {} rows", self.facts.name, grouped(seen.count), grouped(rows)),
            rows: seen.rows.clone(),
            fix: Fix::LookAtRow(seen.rows.first().copied().unwrap_or(1)),
        };
        let mut hints = hint(few(&self.missing) && self.missing.count > explained(), || hint_for("missing", &self.missing));
        hints.extend(hint(few(&self.short), || hint_for("short", &self.short)));
        hints
    }
}

fn header_hint(piece: &str, text: &str, file: &str, seen: &Sightings, fix: Fix) -> Hint {
    let seen_words = format!("{piece} is \"{text}\" in {}, which is the header of {file}", values(seen.count));
    Hint { seen: seen_words, rows: seen.rows.clone(), fix }
}

fn hint(holds: bool, hint: impl FnOnce() -> Hint) -> Vec<Hint> {
    if holds { vec![hint()] } else { Vec::new() }
}

fn replaced(letter: char, in_all: bool) -> String {
    let digit = digit_of(letter).unwrap_or('0');
    match in_all {
        true => format!("replace \"{letter}\" with \"{digit}\""),
        false => format!("replace /^([0-9]*){letter}([0-9]*)$/ with \"${{1}}{digit}$2\""),
    }
}

fn have(count: u64) -> String {
    format!("{} {}", values(count), if count == 1 { "has" } else { "have" })
}

fn named(c: char) -> String {
    crate::check::described(c.encode_utf8(&mut [0; 4]))
}

fn values(count: u64) -> String {
    counted(count, "value")
}

#[cfg(test)]
mod tests;
