//! Observations about the values and results of one piece.

use std::collections::BTreeMap;

use super::dates::DateBranches;
use super::digits::{ENDS, LOOK, MAY_BE_DIGITS, digit_look_alike};
use super::lookups::{LookupDiagnostics, ReadFiles};
use super::numbers::NumberDiagnostics;
use super::outline::{SAMPLE, outline};
use super::phrase::{branches, century_at, counted_ends, gives_dates, markers};
use pulp::{Simd, WithSimd};

use crate::batch::simd::{self, ByteRange};
use crate::batch::{Span, Texts};
use crate::piece::{Piece, Source};
use crate::program::{Files, Results, State};
use crate::sightings::Sightings;
use crate::text::characters::Form;
use crate::text::look_alikes::looks_like;

#[derive(Debug, Clone, Default)]
pub struct PieceDiagnostics {
    pub name: String,
    /// The phrase as written; empty if the piece has none.
    pub phrase: String,
    /// The first branch of the phrase, and the rest with its `or`.
    pub branches: (String, String),
    /// Observations about its number step, if it has one.
    pub numbers: Option<NumberDiagnostics>,
    /// Observations about its first lookup, if it has one.
    pub lookups: Option<LookupDiagnostics>,
    /// The files that the phrase names.
    pub files: ReadFiles,
    /// Where `from YEAR` belongs, if the phrase reads two-digit years.
    pub century_at: Option<usize>,
    pub gives_dates: bool,
    /// Whether sample values are useful for comparison.
    pub is_sampled: bool,
    pub takes_sample: bool,
    /// Whether the first step counts from the left end, so that leading spaces matter.
    pub counts_left: bool,
    pub counts_right: bool,
    /// The markers, in the order of the phrase.
    pub markers: Vec<String>,
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

#[derive(Clone, Copy)]
pub struct Observation<'a> {
    pub values: Texts<'a>,
    /// The number of values that are not empty, from [`note_looks`].
    pub filled: u64,
    /// The values that need a closer look, from [`note_looks`].
    pub looks: &'a [u32],
    pub results: &'a Results,
    /// The number of a row of the batch in the table, from 1.
    pub number: &'a dyn Fn(usize) -> u64,
}

/// Records the values that need a closer look and counts the values that are not empty.
// A separate function, so that the loop keeps its variables in registers.
#[inline(never)]
pub fn note_looks(values: Texts, looks: &mut Vec<u32>) -> u64 {
    looks.clear();
    let mut filled = 0;
    let bytes = values.text.as_bytes();
    let end_of = |at: u32| bytes.get(at as usize).map_or(0, |byte| ENDS[usize::from(*byte)]);
    for (row, value) in (0..).zip(values.spans) {
        // The ends of an empty value are the neighbouring bytes; a closer look then finds no problem.
        if end_of(value.start) + end_of(value.end.wrapping_sub(1)) >= LOOK {
            looks.push(row);
        }
        filled += u64::from(!value.is_empty());
    }
    filled
}

impl PieceDiagnostics {
    pub fn new(piece: &Piece, files: &dyn Files) -> PieceDiagnostics {
        let Source::Take { phrase, .. } = &piece.source else {
            return PieceDiagnostics { name: piece.name.clone(), ..PieceDiagnostics::default() };
        };
        let (counts_left, counts_right) = counted_ends(phrase);
        let markers = markers(phrase);
        PieceDiagnostics {
            name: piece.name.clone(),
            phrase: phrase.source.trim().to_owned(),
            branches: branches(phrase),
            numbers: NumberDiagnostics::new(phrase),
            lookups: LookupDiagnostics::new(phrase),
            files: ReadFiles::of(phrase, files),
            century_at: century_at(phrase),
            gives_dates: gives_dates(phrase),
            date_branches: DateBranches::new(phrase),
            is_sampled: true,
            takes_sample: true,
            counts_left,
            counts_right,
            markers,
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
        if self.takes_sample && self.sample.len() < SAMPLE {
            let lacking = SAMPLE - self.sample.len();
            self.sample.extend(values.iter().filter(|value| !value.is_empty()).take(lacking).map(str::to_owned));
        }
        if let Some(numbers) = &mut self.numbers {
            numbers.observe(values, results, number);
        }
        if let Some(dates) = &mut self.date_branches {
            dates.observe(values, results, number);
        }
        if self.gives_dates && !today.is_empty() {
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
        let texts = results.texts(values);
        match results.are_digits() {
            _ if results.are_several() => {
                let first = |row| results.items(row).next().and_then(|item| texts.spans.get(item)).copied().unwrap_or_default();
                let firsts: Vec<Span> = (0..results.rows()).map(first).collect();
                self.observe_digits(number, texts.text.as_bytes(), &firsts, values);
            }
            // A cut or a check may already guarantee it.
            Some(true) if results.are_filled() => self.digits_only += values.len() as u64,
            Some(false) => {}
            _ => self.observe_digits(number, texts.text.as_bytes(), texts.spans, values),
        }
    }

    // A separate function, so that the loop keeps its variables in registers.
    #[inline(never)]
    fn observe_digits(&mut self, number: &dyn Fn(usize) -> u64, source: &[u8], texts: &[Span], values: Texts) {
        let mut near = Vec::new();
        self.digits_only += simd::for_this_processor(CountDigits { source, texts, near: &mut near });
        for row in near {
            self.digits_only += u64::from(self.observe_letters(number(row), texts[row].bytes(source), values.get(row)));
        }
    }

    #[cold]
    fn observe_value(&mut self, row: u64, value: &str, form: Form, state: State) {
        const SPACES: [char; 3] = [' ', '\u{a0}', '\t'];
        if (self.counts_right && value.ends_with(SPACES)) || (self.counts_left && value.starts_with(SPACES)) {
            self.spaces.note(row);
        }
        if (state.missing || state.fallback) && !value.is_empty() && !self.markers.is_empty() {
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
        for marker in &self.markers {
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
