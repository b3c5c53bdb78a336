//! Counts of the texts of a column that are dates.

use std::cmp::Reverse;
use std::collections::{BTreeMap, HashMap};
use std::sync::LazyLock;

use foldhash::fast::FixedState;
use jiff::ToSpan as _;
use jiff::civil::{Date, DateTime};
use jiff::fmt::strtime;

use super::PLANS;
#[cfg(feature = "cutlist")]
use crate::sightings::are_within;
use crate::sightings::{Sightings, at_rank};

/// The formats read nearly all texts of a column of dates.
const COVERED: f64 = 0.9;
/// A format of fewer texts is a mistake rather than a format.
const LEAST: f64 = 0.02;
/// Numbers that happen to be dates have other years.
const YEARS: std::ops::RangeInclusive<i16> = 1850..=2150;
/// The lengths of texts in the formats, in bytes.
const LENGTHS: std::ops::RangeInclusive<usize> = 6..=24;
/// Dates far away are joined if there would be more bars.
const MOST_BARS: usize = 36;
/// With more distinct days, months are counted.
const MOST_DAYS: usize = 20_000;

/// The formats have fewer runs.
const MOST_RUNS: usize = size_of::<u128>();

static LOOKS: LazyLock<Vec<Option<Look>>> = LazyLock::new(|| {
    let sample = DateTime::constant(2034, 11, 27, 16, 45, 38, 0);
    PLANS.iter().filter_map(|(format, _)| Some(Look::of(&strtime::format(format, sample).ok()?))).collect()
});

/// A format that reads texts of a column as dates.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RecognisedDates {
    pub format: &'static str,
    /// The number of texts that it reads.
    pub texts: u64,
    /// The number of texts that no other recognised format reads.
    pub only: u64,
    pub earliest: DatedRow,
    pub latest: DatedRow,
}

/// A date in ISO 8601, and its first row.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DatedRow {
    pub date: String,
    pub row: u64,
}

/// A bar of the histogram of dates.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DateBar {
    /// A day, month, year or decade, such as `2025-11`.
    pub period: String,
    pub count: u64,
}

/// Counts of the texts that are dates, by format. The counts of parts merge to those of the whole.
///
/// ```
/// use keen_notch_core::dates::DateCounts;
///
/// let mut counts = DateCounts::default();
/// (1..).zip(["2025-11-02", "2025-11-30", "2062-01-05"]).for_each(|(row, text)| counts.observe(row, text));
/// let after = counts.after("2026-12-01", "%Y-%m-%d");
/// assert_eq!((after.count, after.rows), (1, vec![3]));
/// ```
#[derive(Debug, Clone, Default, PartialEq)]
pub struct DateCounts {
    texts: u64,
    /// The number of texts for each set of formats that read them; a bit for each format.
    sets: BTreeMap<u32, u64>,
    of_formats: BTreeMap<usize, Days>,
    /// Whether only years are counted.
    are_years: bool,
}

/// The dates that a format reads.
#[derive(Debug, Clone, PartialEq)]
struct Days {
    /// By the first day of the period: the number of texts, and the first row.
    counts: HashMap<Date, (u64, u64), FixedState>,
    by: Period,
    earliest: (Date, u64),
    latest: (Date, u64),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Period {
    Day,
    Month,
    Year,
    Decade,
}

impl DateCounts {
    #[inline]
    pub fn observe(&mut self, row: u64, text: &str) {
        self.observe_times(row, text, 1);
    }

    /// Observes a text that `count` rows have, first `row`.
    #[inline]
    pub(crate) fn observe_times(&mut self, row: u64, text: &str, count: u64) {
        self.texts += count;
        if LENGTHS.contains(&text.len()) && may_be_date(text.as_bytes()) {
            self.read(row, text, count);
        }
    }

    fn read(&mut self, row: u64, text: &str, count: u64) {
        let Some(look) = Look::of(text) else { return };
        let by = self.shortest_period();
        let mut set = 0;
        for (format, (_, plan)) in PLANS.iter().enumerate().filter(|(format, _)| LOOKS.get(*format) == Some(&Some(look))) {
            if let Some(date) = plan.date(text).filter(|date| YEARS.contains(&date.year())) {
                set |= 1 << format;
                let days = self.of_formats.entry(format).or_insert_with(|| Days::new((date, row), by));
                days.note((date, row));
                days.add(date, (count, row));
            }
        }
        if set > 0 {
            *self.sets.entry(set).or_insert(0) += count;
        }
    }

    fn shortest_period(&self) -> Period {
        if self.are_years { Period::Year } else { Period::Day }
    }

    pub fn merge(&mut self, other: &DateCounts) {
        self.texts += other.texts;
        other.sets.iter().for_each(|(set, count)| *self.sets.entry(*set).or_insert(0) += count);
        let by = self.shortest_period();
        for (format, others) in &other.of_formats {
            let days = self.of_formats.entry(*format).or_insert_with(|| Days::new(others.earliest, by));
            days.lengthen(others.by);
            days.note(others.earliest);
            days.note(others.latest);
            others.counts.iter().for_each(|(date, seen)| days.add(*date, *seen));
        }
    }

    pub fn bytes(&self) -> usize {
        self.of_formats.values().map(|days| days.counts.len() * 2 * size_of::<(Date, u64, u64)>()).sum()
    }

    /// The formats that read nearly all texts together, the most frequent first; none if the texts are no dates.
    pub fn recognised(&self) -> Vec<RecognisedDates> {
        let count =
            |has: &dyn Fn(u32) -> bool| -> u64 { self.sets.iter().filter(|(set, _)| has(**set)).map(|(_, count)| count).sum() };
        let least = LEAST * self.texts as f64;
        let read_by = |format: &usize| (*format, count(&|set| set & (1 << format) > 0));
        let mut all: Vec<(usize, u64)> =
            self.of_formats.keys().map(read_by).filter(|(_, texts)| *texts as f64 >= least).collect();
        all.sort_by_key(|(_, texts)| Reverse(*texts));
        // A format that reads only what a better one reads is another reading of the same dates, unless it reads as many.
        let most = all.first().map_or(0, |(_, texts)| *texts);
        let (mut kept, mut kept_set) = (Vec::new(), 0);
        for (format, texts) in all {
            if texts == most || count(&|set| set & (1 << format) > 0 && set & kept_set == 0) > 0 {
                kept.push((format, texts));
                kept_set |= 1 << format;
            }
        }
        if (count(&|set| set & kept_set > 0) as f64) < COVERED * self.texts as f64 {
            return Vec::new();
        }
        let dated = |(date, row): (Date, u64)| DatedRow { date: date.to_string(), row };
        let found = kept.into_iter().filter_map(|(format, texts)| {
            let days = self.of_formats.get(&format)?;
            Some(RecognisedDates {
                format: PLANS.get(format)?.0,
                texts,
                only: count(&|set| set & kept_set == 1 << format),
                earliest: dated(days.earliest),
                latest: dated(days.latest),
            })
        });
        found.collect()
    }

    /// The texts that a format reads as dates after `today`, which is in ISO 8601.
    pub fn after(&self, today: &str, format: &str) -> Sightings {
        let mut after = Sightings::default();
        if let (Some(days), Ok(today)) = (self.days(format), today.parse::<Date>()) {
            for (_, (count, row)) in days.counts.iter().filter(|(date, _)| **date > today) {
                after.add(&Sightings { count: *count, rows: vec![*row] });
            }
        }
        after
    }

    /// The texts that a format reads, by day, month, year or decade: by the shortest with up to about 30 bars for nearly all of them. If a
    /// few dates are far away, a bar for all those before, or after, stands for them.
    pub fn bars(&self, format: &str) -> Vec<DateBar> {
        let Some(days) = self.days(format) else { return Vec::new() };
        let Some((from, to)) = days.nearly_all() else { return Vec::new() };
        let by = Period::of(from, to).max(days.by);
        let mut counts: BTreeMap<Date, u64> = BTreeMap::new();
        days.counts.iter().for_each(|(date, (count, _))| *counts.entry(by.start(*date)).or_insert(0) += count);
        let periods =
            |from, to| std::iter::successors(Some(by.start(from)), move |date| by.next(*date).filter(|next| *next <= to));
        let whole = (days.earliest.0, days.latest.0);
        let (from, to) = if periods(whole.0, whole.1).nth(MOST_BARS).is_none() { whole } else { (from, to) };
        let bar = |date| DateBar { period: by.name(date), count: counts.get(&date).copied().unwrap_or(0) };
        let others = |name: &str, date: Date, is_other: &dyn Fn(Date) -> bool| {
            let count = counts.iter().filter(|(date, _)| is_other(**date)).map(|(_, count)| count).sum();
            (count > 0).then(|| DateBar { period: format!("{name} {}", by.name(by.start(date))), count })
        };
        let before = others("before", from, &|date| date < by.start(from));
        let after = others("after", to, &|date| date > to);
        before.into_iter().chain(periods(from, to).map(bar)).chain(after).collect()
    }

    fn days(&self, format: &str) -> Option<&Days> {
        self.of_formats.get(&PLANS.iter().position(|(known, _)| *known == format)?)
    }
}

/// Saved counts of dates: by year, without single dates.
#[cfg(feature = "cutlist")]
#[derive(Debug, Clone, Default, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct SavedDates {
    pub values: u64,
    /// The number of texts for each set of formats that read them.
    pub formats: Vec<(Vec<String>, u64)>,
    /// The number of texts of each year, by format.
    pub years: BTreeMap<String, Vec<(i16, u64)>>,
}

#[cfg(feature = "cutlist")]
impl SavedDates {
    /// Whether the counts fit a number of rows. An edited file may have others.
    pub(crate) fn is_sound(&self, rows: u64) -> bool {
        let is_sound = |years: &Vec<(i16, u64)>| {
            years.iter().all(|(year, _)| YEARS.contains(year)) && are_within(years.iter().map(|(_, count)| *count), self.values)
        };
        self.values <= rows
            && are_within(self.formats.iter().map(|(_, count)| *count), self.values)
            && self.years.values().all(is_sound)
    }
}

#[cfg(feature = "cutlist")]
impl DateCounts {
    /// Counts of years only.
    pub(crate) fn of_years() -> DateCounts {
        DateCounts { are_years: true, ..DateCounts::default() }
    }

    /// The counts of years.
    pub(crate) fn saved(&self) -> SavedDates {
        let name = |format: usize| PLANS.get(format).map_or_else(String::new, |(format, _)| (*format).to_owned());
        let names = |set: u32| (0..PLANS.len()).filter(|format| set & (1 << format) > 0).map(name).collect();
        let years = self.of_formats.iter().map(|(format, days)| {
            let mut years: BTreeMap<i16, u64> = BTreeMap::new();
            days.counts.iter().for_each(|(date, (count, _))| *years.entry(date.year()).or_insert(0) += count);
            (name(*format), years.into_iter().collect())
        });
        let formats = self.sets.iter().map(|(set, count)| (names(*set), *count)).collect();
        SavedDates { values: self.texts, formats, years: years.collect() }
    }

    /// Restores saved counts. Unknown formats are left out.
    pub(crate) fn of_saved(saved: &SavedDates) -> DateCounts {
        let index = |name: &String| PLANS.iter().position(|(format, _)| format == name);
        let mut counts = DateCounts { texts: saved.values, ..DateCounts::of_years() };
        for (names, count) in &saved.formats {
            let set = names.iter().filter_map(index).fold(0, |set, format| set | 1 << format);
            if set > 0 {
                *counts.sets.entry(set).or_insert(0) += count;
            }
        }
        for (format, years) in saved.years.iter().filter_map(|(name, years)| Some((index(name)?, years))) {
            for (date, count) in years.iter().filter_map(|(year, count)| Some((Date::new(*year, 1, 1).ok()?, *count))) {
                let days = counts.of_formats.entry(format).or_insert_with(|| Days::new((date, 0), Period::Year));
                days.note((date, 0));
                days.add(date, (count, 0));
            }
        }
        counts
    }
}

impl Days {
    fn new(first: (Date, u64), by: Period) -> Days {
        Days { counts: HashMap::default(), by, earliest: first, latest: first }
    }

    fn note(&mut self, (date, row): (Date, u64)) {
        self.earliest = self.earliest.min((date, row));
        self.latest = match date.cmp(&self.latest.0) {
            std::cmp::Ordering::Greater => (date, row),
            std::cmp::Ordering::Equal => (date, row.min(self.latest.1)),
            std::cmp::Ordering::Less => self.latest,
        };
    }

    /// The first and the last date without the outer half percents.
    fn nearly_all(&self) -> Option<(Date, Date)> {
        let mut sorted: Vec<(Date, u64)> = self.counts.iter().map(|(date, (count, _))| (*date, *count)).collect();
        sorted.sort_unstable();
        let outer = sorted.iter().map(|(_, count)| count).sum::<u64>() / 200;
        let sorted = sorted.into_iter();
        Some((at_rank(sorted.clone(), outer + 1)?, at_rank(sorted.rev(), outer + 1)?))
    }

    fn add(&mut self, date: Date, (count, row): (u64, u64)) {
        let seen = self.counts.entry(self.by.start(date)).or_insert((0, row));
        *seen = (seen.0 + count, seen.1.min(row));
        if self.counts.len() > MOST_DAYS {
            self.lengthen(Period::Month);
        }
    }

    /// Counts longer periods.
    fn lengthen(&mut self, by: Period) {
        if by > self.by {
            self.by = by;
            std::mem::take(&mut self.counts).into_iter().for_each(|(date, seen)| self.add(date, seen));
        }
    }
}

impl Period {
    /// The shortest period that gives up to about 30 bars.
    fn of(from: Date, to: Date) -> Period {
        let years = i32::from(to.year()) - i32::from(from.year());
        let months = years * 12 + i32::from(to.month()) - i32::from(from.month());
        match (to - from).get_days() {
            0..=30 => Period::Day,
            _ if months < 24 => Period::Month,
            _ if years < 30 => Period::Year,
            _ => Period::Decade,
        }
    }

    /// The first day of the period of a date.
    fn start(self, date: Date) -> Date {
        match self {
            Period::Day => date,
            Period::Month => date.first_of_month(),
            Period::Year => date.first_of_year(),
            Period::Decade => Date::new(date.year() / 10 * 10, 1, 1).unwrap_or(date),
        }
    }

    /// The start of the next period.
    fn next(self, start: Date) -> Option<Date> {
        let span = match self {
            Period::Day => 1.day(),
            Period::Month => 1.month(),
            Period::Year => 1.year(),
            Period::Decade => 10.years(),
        };
        start.checked_add(span).ok()
    }

    fn name(self, start: Date) -> String {
        match self {
            Period::Day => start.to_string(),
            Period::Month => format!("{:04}-{:02}", start.year(), start.month()),
            Period::Year => format!("{:04}", start.year()),
            Period::Decade => format!("{:04} to {:04}", start.year(), start.year() + 9),
        }
    }
}

/// Whether a text ends like all formats: in a digit. Those that begin with a month have spaces.
fn may_be_date(text: &[u8]) -> bool {
    let begins_with_digit = text.first().is_some_and(u8::is_ascii_digit);
    text.last().is_some_and(u8::is_ascii_digit) && (begins_with_digit || text.contains(&b' '))
}

/// The kinds of the runs of a text, eight bits each: digits, letters, or the byte itself. A date and its format have the same, which saves most
/// attempts to read a text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Look(u128);

impl Look {
    /// `None` for a text with more runs than any format.
    fn of(text: &str) -> Option<Look> {
        let (mut runs, mut last, mut count) = (0, 0, 0);
        for byte in text.bytes() {
            let kind = match byte {
                b'0'..=b'9' => b'd',
                byte if byte.is_ascii_alphabetic() || !byte.is_ascii() => b'L',
                byte => byte,
            };
            if kind == last && matches!(kind, b'd' | b'L') {
                continue;
            }
            if count == MOST_RUNS {
                return None;
            }
            (runs, last, count) = (runs << 8 | u128::from(kind), kind, count + 1);
        }
        Some(Look(runs))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn counted(first: u64, texts: &[String]) -> DateCounts {
        let mut counts = DateCounts::default();
        (first..).zip(texts).for_each(|(row, text)| counts.observe(row, text));
        counts
    }

    fn periods(texts: &[String], format: &str) -> Vec<(String, u64)> {
        counted(1, texts).bars(format).into_iter().map(|bar| (bar.period, bar.count)).collect()
    }

    #[test]
    fn bars_by_the_shortest_period_that_fits() {
        let bar = |period: &str, count| (period.to_owned(), count);
        let texts = |dates: &[&str]| dates.iter().map(ToString::to_string).collect::<Vec<_>>();
        let few = texts(&["30.11.2025", "2.12.2025", "02.12.2025"]);
        assert_eq!(periods(&few, "%d.%m.%Y"), [bar("2025-11-30", 1), bar("2025-12-01", 0), bar("2025-12-02", 2)]);
        let months = texts(&["30.11.2025", "02.02.2026"]);
        assert_eq!(periods(&months, "%d.%m.%Y").len(), 4);
        let years = periods(&texts(&["2019-01-05", "2025-01-05"]), "%Y-%m-%d");
        assert_eq!((years.len(), &years[6]), (7, &bar("2025", 1)));
        assert_eq!(periods(&texts(&["1969-12-31", "2025-03-01"]), "%Y-%m-%d")[0], bar("1960 to 1969", 1));
        // One date far away does not hide the months.
        let mut far: Vec<String> = (0..300).map(|n| format!("2025-{:02}-{:02}", n % 3 + 9, n % 30 + 1)).collect();
        far.push("2062-01-05".to_owned());
        let found = periods(&far, "%Y-%m-%d");
        assert_eq!(found, [bar("2025-09", 100), bar("2025-10", 100), bar("2025-11", 100), bar("after 2025-11", 1)]);
    }

    #[test]
    fn parts_merge_to_the_whole() {
        let text = |n: usize| match n % 5 {
            0 => format!("{:02}/{:02}/20{:02}", n % 28 + 1, n % 12 + 1, n % 30),
            1 => "n/a".to_owned(),
            _ => format!("20{:02}-{:02}-{:02}", n % 30, n % 12 + 1, n % 28 + 1),
        };
        let texts: Vec<String> = (0..400).map(text).collect();
        let whole = counted(1, &texts);
        for cut in [0, 1, 133, 400] {
            let mut merged = counted(cut as u64 + 1, &texts[cut..]);
            merged.merge(&counted(1, &texts[..cut]));
            assert_eq!(merged, whole);
        }
    }

    #[test]
    fn with_many_days_months_are_counted() {
        let day = |n: i32| Date::constant(1860, 1, 1).checked_add(n.days()).unwrap().to_string();
        let texts: Vec<String> = (0..30_000).map(day).collect();
        let counts = counted(1, &texts);
        assert_eq!(counts.of_formats.values().next().map(|days| days.by), Some(Period::Month));
        assert_eq!(counts.recognised()[0].latest.date, texts[29_999]);
        assert_eq!(counts.after("1941-06-15", "%Y-%m-%d").count, 234, "the days of the months from July 1941 on");
    }
}
