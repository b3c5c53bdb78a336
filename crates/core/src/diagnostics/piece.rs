//! Observations about the values and results of one piece.

use std::collections::BTreeMap;
use std::sync::Arc;

use super::dates::DateBranches;
use super::digits::{ENDS, LOOK, MAY_BE_DIGITS, digit_look_alike};
use super::lookups::{LookupDiagnostics, ReadFiles};
use super::numbers::NumberDiagnostics;
use super::outline::{self, SAMPLE, outline};
use super::phrase::{branches, century_at, counted_ends, gives_dates, gives_numbers, markers, needs_a_marker};
use pulp::{Simd, WithSimd};

use crate::batch::simd::{self, ByteRange};
use crate::batch::{Span, Texts};
use crate::piece::{Piece, Source};
use crate::program::{Files, Results, State};
use crate::sightings::Sightings;
use crate::text::characters::Form;
use crate::text::look_alikes::looks_like;

/// Facts about a piece before a run.
#[derive(Debug, Default)]
pub struct PieceFacts {
    pub name: String,
    /// The phrase as written; empty if the piece has none.
    pub phrase: String,
    /// The first branch of the phrase, and the rest with its `or`.
    pub branches: (String, String),
    /// The files that the phrase names.
    pub files: ReadFiles,
    /// Where `from YEAR` belongs, if the phrase reads two-digit years.
    pub century_at: Option<usize>,
    pub gives_dates: bool,
    /// Whether a value of digits alone, or one with spaces at an end, deserves a closer look.
    pub looks_at_ends: bool,
    /// Whether the first step counts from the left end, so that leading spaces matter.
    pub counts_left: bool,
    pub counts_right: bool,
    /// The markers, in the order of the phrase.
    pub markers: Vec<String>,
}

#[derive(Debug, Clone, Default)]
pub struct PieceDiagnostics {
    pub facts: Arc<PieceFacts>,
    pub focus: Focus,
    /// Observations about its number step, if it has one.
    pub numbers: Option<NumberDiagnostics>,
    /// Observations about its first lookup, if it has one.
    pub lookups: Option<LookupDiagnostics>,
    /// Values with white space at an end that matters.
    pub spaces: Sightings,
    /// Look-alikes in values without the marker: marker, look-alike, and the outline of the corrected value.
    pub look_alikes: BTreeMap<(String, char, String), WithExample>,
    pub other_case: BTreeMap<String, WithExample>,
    /// Results that are digits except for letters that resemble digits: the first such letter, and the outline of the value.
    pub letters: BTreeMap<(char, String), Sightings>,
    pub digits_only: u64,
    pub there: u64,
    /// Number of values that are not empty.
    pub values: u64,
    pub sample: Vec<String>,
    /// Observations about its branches with `date`, if there are several.
    pub date_branches: Option<DateBranches>,
    pub future: Sightings,
    pub hundred_years_ago: i32,
    /// Values with text but without a result.
    pub missing: Sightings,
    pub short: Sightings,
    /// Values that are only digits, by width.
    pub widths: Vec<Sightings>,
    /// Those with a leading zero, by width.
    pub zeros: Vec<u64>,
}

/// The observations of a piece that can still lead to a hint, by the first values of a run.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Focus {
    /// Whether more sample values are needed.
    pub(super) takes_sample: bool,
    /// Whether letters between digits can lead to a hint.
    pub(super) seeks_letters: bool,
}

#[derive(Clone, Copy)]
pub struct Observation<'a> {
    pub values: Texts<'a>,
    /// The number of filled values.
    pub filled: u64,
    /// The values that need a closer look, from [`note_looks`]; empty if [`Diagnostics::looks_at_ends`] is false for all pieces of the
    /// column.
    ///
    /// [`Diagnostics::looks_at_ends`]: super::Diagnostics::looks_at_ends
    pub looks: &'a [u32],
    pub results: &'a Results,
    /// The number of a row of the batch in the table, from 1.
    pub number: &'a dyn Fn(usize) -> u64,
}

/// Records the values that need a closer look.
// A separate function, so that the loop keeps its variables in registers.
#[inline(never)]
pub fn note_looks(values: Texts, looks: &mut Vec<u32>) {
    looks.clear();
    let bytes = values.text.as_bytes();
    let end_of = |at: u32| bytes.get(at as usize).map_or(0, |byte| ENDS[usize::from(*byte)]);
    for (row, value) in (0..).zip(values.spans) {
        // The ends of an empty value are the neighbouring bytes; a closer look then finds no problem.
        if end_of(value.start) + end_of(value.end.wrapping_sub(1)) >= LOOK {
            looks.push(row);
        }
    }
}

impl PieceDiagnostics {
    pub fn new(piece: &Piece, files: &dyn Files) -> PieceDiagnostics {
        let Source::Take { phrase, .. } = &piece.source else {
            let facts = PieceFacts { name: piece.name.clone(), ..PieceFacts::default() };
            return PieceDiagnostics { facts: Arc::new(facts), ..PieceDiagnostics::default() };
        };
        let (counts_left, counts_right) = counted_ends(phrase);
        let facts = PieceFacts {
            name: piece.name.clone(),
            phrase: phrase.source.trim().to_owned(),
            branches: branches(phrase),
            files: ReadFiles::of(phrase, files),
            century_at: century_at(phrase),
            gives_dates: gives_dates(phrase),
            looks_at_ends: counts_left || counts_right || !needs_a_marker(phrase),
            counts_left,
            counts_right,
            markers: markers(phrase),
        };
        PieceDiagnostics {
            facts: Arc::new(facts),
            focus: Focus { takes_sample: true, seeks_letters: !gives_numbers(phrase) },
            numbers: NumberDiagnostics::new(phrase),
            lookups: LookupDiagnostics::new(phrase),
            date_branches: DateBranches::new(phrase),
            ..PieceDiagnostics::default()
        }
    }

    pub fn append(&mut self, later: &PieceDiagnostics, offset: u64) {
        self.spaces.append(&later.spaces, offset);
        self.missing.append(&later.missing, offset);
        self.short.append(&later.short, offset);
        self.digits_only += later.digits_only;
        self.there += later.there;
        self.values += later.values;
        self.future.append(&later.future, offset);
        if let (Some(dates), Some(later)) = (&mut self.date_branches, &later.date_branches) {
            dates.append(later, offset);
        }
        let lacking = SAMPLE.saturating_sub(self.sample.len());
        self.sample.extend(later.sample.iter().take(lacking).cloned());
        if lacking > 0 && self.sample.len() == SAMPLE {
            self.focus.takes_sample = false;
            // Only values with a common outline are reported.
            self.focus.seeks_letters = self.focus.seeks_letters && !outline::of_many(&self.sample).is_empty();
        }
        if let (Some(numbers), Some(later)) = (&mut self.numbers, &later.numbers) {
            numbers.append(later, offset);
        }
        if let (Some(lookups), Some(later)) = (&mut self.lookups, &later.lookups) {
            lookups.append(later, offset);
        }
        append_with_examples(&mut self.look_alikes, &later.look_alikes, offset);
        append_with_examples(&mut self.other_case, &later.other_case, offset);
        append_all(&mut self.letters, &later.letters, offset);
        for (width, seen) in later.widths.iter().enumerate() {
            let (all, zeros) = self.width(width);
            all.append(seen, offset);
            *zeros += later.zeros[width];
        }
    }

    /// Observes the piece in a batch: its values, then its results.
    pub fn observe(&mut self, today: &str, Observation { values, filled, looks, results, number }: Observation) {
        self.values += filled;
        let without = results.unfilled().filter(|(_, state)| !state.is_there()).count();
        self.there += (values.len() - without) as u64;
        if self.focus.takes_sample && self.sample.len() < SAMPLE {
            let lacking = SAMPLE - self.sample.len();
            self.sample.extend(values.iter().filter(|value| !value.is_empty()).take(lacking).map(str::to_owned));
        }
        if let Some(numbers) = &mut self.numbers {
            numbers.observe(values, results, number);
        }
        if let Some(dates) = &mut self.date_branches {
            dates.observe(values, results, number);
        }
        if self.facts.gives_dates && !today.is_empty() {
            let texts = results.texts(values);
            let is_future =
                |row: &usize| results.items(*row).any(|item| texts.get(item).get(..10).is_some_and(|day| day > today));
            (0..values.len()).filter(is_future).for_each(|row| self.future.note(number(row)));
        }
        // In the order of the rows.
        let mut looks = looks.iter().map(|row| *row as usize).peekable();
        let mut look = |row: usize, state| self.observe_value(number(row), values.get(row), values.forms.of(row), state);
        for (row, state) in results.unfilled() {
            while let Some(before) = looks.next_if(|look| *look < row) {
                look(before, State::default());
            }
            looks.next_if_eq(&row);
            look(row, state);
        }
        looks.for_each(|row| look(row, State::default()));
        if self.focus.seeks_letters {
            self.observe_digits(values, results, number);
        }
    }

    fn observe_digits(&mut self, values: Texts, results: &Results, number: &dyn Fn(usize) -> u64) {
        let texts = results.texts(values);
        let source = texts.text.as_bytes();
        if results.are_several() {
            let first = |row| results.items(row).next().and_then(|item| texts.spans.get(item)).copied().unwrap_or_default();
            let firsts: Vec<Span> = (0..results.rows()).map(first).collect();
            return self.count_digits(number, source, &firsts, values);
        }
        // A cut or a check may already guarantee it.
        let (certain, others) = results.certain();
        if let Some(are_digits) = certain.digits {
            let is_filled = |row: &u32| !texts.spans[*row as usize].is_empty();
            if are_digits {
                self.digits_only += texts.filled() - others.iter().filter(|row| is_filled(row)).count() as u64;
            }
            for row in others.iter().map(|row| *row as usize) {
                let text = texts.spans[row].bytes(source);
                self.digits_only += u64::from(self.observe_letters(number(row), text, values.get(row)));
            }
            return;
        }
        // Texts of other pieces are spread among the bytes of their values.
        match (!results.are_parts()).then(|| simd::for_this_processor(AreDigits(source))) {
            Some(Some(true)) => self.digits_only += texts.filled(),
            Some(Some(false)) => {}
            _ => self.count_digits(number, source, texts.spans, values),
        }
    }

    // A separate function, so that the loop keeps its variables in registers.
    #[inline(never)]
    fn count_digits(&mut self, number: &dyn Fn(usize) -> u64, source: &[u8], texts: &[Span], values: Texts) {
        let mut near = Vec::new();
        self.digits_only += simd::for_this_processor(CountDigits { source, texts, near: &mut near });
        for row in near {
            self.digits_only += u64::from(self.observe_letters(number(row), texts[row].bytes(source), values.get(row)));
        }
    }

    #[cold]
    fn observe_value(&mut self, row: u64, value: &str, form: Form, state: State) {
        const SPACES: [char; 3] = [' ', '\u{a0}', '\t'];
        if (self.facts.counts_right && value.ends_with(SPACES)) || (self.facts.counts_left && value.starts_with(SPACES)) {
            self.spaces.note(row);
        }
        if (state.missing || state.fallback) && !value.is_empty() && !self.facts.markers.is_empty() {
            self.look_for_markers(row, value, form);
        }
        if let Some(lookups) = self.lookups.as_mut().filter(|_| (state.missing || state.fallback) && !value.is_empty()) {
            lookups.note(row, value);
        }
        if state.missing {
            if !value.is_empty() {
                self.missing.note(row);
            }
            return;
        }
        if state.short {
            self.short.note(row);
        }
        if (1..=40).contains(&value.len()) && value.bytes().all(|byte| byte.is_ascii_digit()) {
            let (all, zeros) = self.width(value.len());
            all.note(row);
            *zeros += u64::from(value.starts_with('0'));
        }
    }

    fn width(&mut self, width: usize) -> (&mut Sightings, &mut u64) {
        if self.widths.len() <= width {
            self.widths.resize_with(width + 1, Sightings::default);
            self.zeros.resize(width + 1, 0);
        }
        (&mut self.widths[width], &mut self.zeros[width])
    }

    /// Observes a text that may be digits, or digits except for look-alike letters. Returns whether it is only digits.
    // A separate function, so that the loop keeps its variables in registers.
    #[inline(never)]
    fn observe_letters(&mut self, row: u64, text: &[u8], value: &str) -> bool {
        if let Some(letter) = digit_look_alike(text) {
            // Replacing a letter by a digit does not change the outline.
            note(&mut self.letters, (letter, outline(value.trim())), row);
        }
        !text.is_empty() && text.iter().all(u8::is_ascii_digit)
    }

    fn look_for_markers(&mut self, row: u64, value: &str, form: Form) {
        // A tab is the only plain character that resembles another one.
        let may_look_alike = !form.is_plain() || memchr::memchr(b'\t', value.as_bytes()).is_some();
        for marker in &self.facts.markers {
            let has_letters = marker.chars().any(char::is_alphabetic);
            if !may_look_alike
                && marker.is_ascii()
                && (!has_letters || !simd::contains_in_any_case(value.as_bytes(), Span::new(0, value.len()), marker.as_bytes()))
            {
                continue;
            }
            if value.contains(marker.as_str()) {
                continue;
            }
            // The character that hides the marker: replacing it makes the marker appear.
            let fixed = value.chars().filter(|c| looks_like(*c).is_some_and(|plain| marker.contains(plain))).find_map(|c| {
                let plain = looks_like(c).unwrap_or(c);
                let fixed = value.replace(c, plain.encode_utf8(&mut [0; 4]));
                fixed.contains(marker.as_str()).then_some((c, fixed))
            });
            if let Some((found, fixed)) = fixed {
                let kind = (marker.clone(), found, outline(fixed.trim()));
                note_with_example(&mut self.look_alikes, kind, row, value);
            } else if has_letters && value.to_lowercase().contains(&marker.to_lowercase()) {
                note_with_example(&mut self.other_case, marker.clone(), row, value);
            }
        }
    }
}

/// Whether a text has only digits (`true`) or none (`false`).
struct AreDigits<'a>(&'a [u8]);

impl WithSimd for AreDigits<'_> {
    type Output = Option<bool>;

    #[inline(always)]
    fn with_simd<S: Simd>(self, _: S) -> Option<bool> {
        let are_digits = self.0.first().is_some_and(u8::is_ascii_digit);
        let flip = if are_digits { 0 } else { 0xFFFF };
        simd::all(self.0, 0, self.0.len(), |sixteen| ByteRange::DIGITS.has(sixteen) ^ flip).then_some(are_digits)
    }
}

struct CountDigits<'a> {
    source: &'a [u8],
    texts: &'a [Span],
    near: &'a mut Vec<usize>,
}

impl WithSimd for CountDigits<'_> {
    type Output = u64;

    #[inline(always)]
    fn with_simd<S: Simd>(self, _: S) -> u64 {
        let CountDigits { source, texts, near } = self;
        let is_like_digits = |at: usize| source.get(at).is_some_and(|byte| MAY_BE_DIGITS[usize::from(*byte)]);
        let mut digits_only = 0;
        for (row, span) in texts.iter().enumerate() {
            let (start, width) = (span.start as usize, span.width());
            // Most texts of other kinds show it at one of their ends.
            if !(is_like_digits(start) & is_like_digits((span.end as usize).wrapping_sub(1))) {
                continue;
            }
            let others = !ByteRange::DIGITS.has(simd::load(source, start)) & simd::first_bits(width);
            // Codes are nearly random, but few resemble digits, so the branch is predictable.
            if width <= 16 && others == 0 {
                digits_only += u64::from(width > 0);
            } else if others.count_ones() as usize * 2 < width
                && (others == 0 || is_like_digits(start + others.trailing_zeros() as usize))
            {
                near.push(row);
            }
        }
        digits_only
    }
}

const MOST_KINDS: usize = 1000;

pub fn note<K: Ord>(all: &mut BTreeMap<K, Sightings>, kind: K, row: u64) {
    if all.len() < MOST_KINDS || all.contains_key(&kind) {
        all.entry(kind).or_default().note(row);
    }
}

pub fn append_all<K: Ord + Clone>(all: &mut BTreeMap<K, Sightings>, later: &BTreeMap<K, Sightings>, offset: u64) {
    for (kind, seen) in later {
        all.entry(kind.clone()).or_default().append(seen, offset);
    }
}

#[derive(Debug, Clone, Default)]
pub struct WithExample {
    pub seen: Sightings,
    pub value: String,
}

fn note_with_example<K: Ord>(all: &mut BTreeMap<K, WithExample>, kind: K, row: u64, value: &str) {
    if all.len() < MOST_KINDS || all.contains_key(&kind) {
        let first = || WithExample { value: value.to_owned(), ..WithExample::default() };
        all.entry(kind).or_insert_with(first).seen.note(row);
    }
}

fn append_with_examples<K: Ord + Clone>(all: &mut BTreeMap<K, WithExample>, later: &BTreeMap<K, WithExample>, offset: u64) {
    for (kind, WithExample { seen, value }) in later {
        let first = || WithExample { value: value.clone(), ..WithExample::default() };
        all.entry(kind.clone()).or_insert_with(first).seen.append(seen, offset);
    }
}
