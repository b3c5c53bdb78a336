//! Counts of numbers, with the extremes.

use std::cmp::Ordering;
use std::collections::{BTreeMap, HashMap};
use std::sync::LazyLock;

use foldhash::fast::FixedState;

/// Up to this many distinct numbers are counted one by one.
const MOST_EACH: usize = 10_000;
/// The number of extreme numbers at each end.
const EXTREMES: usize = 5;
/// The relative error of a bin.
const ERROR: f64 = 0.01;
/// Smaller numbers count as zero, and larger ones as this.
const SMALLEST: f64 = 1e-12;
const LARGEST: f64 = 1e18;
/// A wide bin joins this many.
const JOINED: i32 = 8;

#[derive(Debug, Clone, PartialEq)]
pub(super) struct NumberCounts {
    count: u64,
    has_decimals: bool,
    counts: Counts,
    least: Extremes,
    greatest: Extremes,
}

#[derive(Debug, Clone, PartialEq)]
enum Counts {
    /// By the bits of the number.
    Each(HashMap<u64, u64, FixedState>),
    /// By the number of the bin, with the sign of the numbers; 0 has the zeros.
    Bins(HashMap<i32, u64, FixedState>),
    #[cfg_attr(not(feature = "cutlist"), expect(dead_code, reason = "only saved surveys have them"))]
    WideBins(HashMap<i32, u64, FixedState>),
}

/// An extreme number, with its rows.
#[derive(Debug, Clone, PartialEq)]
pub struct Extreme {
    pub number: f64,
    /// As it is written in the first row.
    pub text: Box<str>,
    pub rows: u64,
    pub first: u64,
}

impl Default for NumberCounts {
    fn default() -> NumberCounts {
        NumberCounts::with(Counts::Each(HashMap::default()), EXTREMES)
    }
}

impl NumberCounts {
    fn with(counts: Counts, extremes: usize) -> NumberCounts {
        let [least, greatest] =
            [Ordering::Less, Ordering::Greater].map(|first| Extremes { first, most: extremes, all: Vec::new() });
        NumberCounts { count: 0, has_decimals: false, counts, least, greatest }
    }

    /// Counts in wide bins, without extremes: they take little memory and reveal no number.
    #[cfg(feature = "cutlist")]
    pub fn wide() -> NumberCounts {
        NumberCounts::with(Counts::WideBins(HashMap::default()), 0)
    }

    /// The counts of these wide bins.
    #[cfg(feature = "cutlist")]
    pub fn of_wide(bins: impl IntoIterator<Item = (i32, u64)>, has_decimals: bool) -> NumberCounts {
        let bins: HashMap<i32, u64, FixedState> = bins.into_iter().collect();
        let count = bins.values().fold(0, |all: u64, count| all.saturating_add(*count));
        NumberCounts { count, has_decimals, counts: Counts::WideBins(bins), ..NumberCounts::wide() }
    }

    #[inline]
    pub fn observe(&mut self, row: u64, number: f64, text: &str, count: u64) {
        // Zero has one sign.
        let number = number + 0.0;
        self.count += count;
        self.has_decimals |= number.fract() != 0.0;
        self.add(number, count);
        for extremes in [&mut self.least, &mut self.greatest] {
            if extremes.takes(number) {
                extremes.add(number, text, (count, row));
            }
        }
    }

    #[inline]
    fn add(&mut self, number: f64, count: u64) {
        match &mut self.counts {
            Counts::Each(each) => {
                *each.entry(number.to_bits()).or_insert(0) += count;
                if each.len() > MOST_EACH {
                    self.bin_each();
                }
            }
            Counts::Bins(bins) => *bins.entry(bin(number)).or_insert(0) += count,
            Counts::WideBins(bins) => *bins.entry(wide(bin(number))).or_insert(0) += count,
        }
    }

    fn bin_each(&mut self) {
        if let Counts::Each(each) = &self.counts {
            let mut bins = HashMap::default();
            each.iter().for_each(|(bits, count)| *bins.entry(bin(f64::from_bits(*bits))).or_insert(0) += count);
            self.counts = Counts::Bins(bins);
        }
    }

    pub fn merge(&mut self, other: &NumberCounts) {
        self.count += other.count;
        self.has_decimals |= other.has_decimals;
        match &other.counts {
            Counts::Each(each) => each.iter().for_each(|(bits, count)| self.add(f64::from_bits(*bits), *count)),
            Counts::Bins(others) => {
                self.bin_each();
                match &mut self.counts {
                    Counts::WideBins(bins) => {
                        others.iter().for_each(|(bin, count)| *bins.entry(wide(*bin)).or_insert(0) += count)
                    }
                    Counts::Bins(bins) => others.iter().for_each(|(bin, count)| *bins.entry(*bin).or_insert(0) += count),
                    Counts::Each(_) => {}
                }
            }
            Counts::WideBins(others) => {
                let mut bins: HashMap<i32, u64, FixedState> = self.wide_bins().into_iter().collect();
                others.iter().for_each(|(bin, count)| *bins.entry(*bin).or_insert(0) += count);
                self.counts = Counts::WideBins(bins);
            }
        }
        self.least.merge(&other.least);
        self.greatest.merge(&other.greatest);
    }

    /// The counts of wide bins.
    pub fn wide_bins(&self) -> BTreeMap<i32, u64> {
        let mut bins = BTreeMap::new();
        let mut add = |bin, count: &u64| *bins.entry(bin).or_insert(0) += count;
        match &self.counts {
            Counts::Each(each) => each.iter().for_each(|(bits, count)| add(wide(bin(f64::from_bits(*bits))), count)),
            Counts::Bins(all) => all.iter().for_each(|(bin, count)| add(wide(*bin), count)),
            Counts::WideBins(all) => all.iter().for_each(|(bin, count)| add(*bin, count)),
        }
        bins
    }

    pub fn count(&self) -> u64 {
        self.count
    }

    pub fn are_whole(&self) -> bool {
        !self.has_decimals
    }

    pub fn is_exact(&self) -> bool {
        matches!(self.counts, Counts::Each(_))
    }

    /// The numbers with their counts, in order; a bin has its middle.
    pub fn counts(&self) -> Vec<(f64, u64)> {
        let mut all: Vec<(f64, u64)> = match &self.counts {
            Counts::Each(each) => each.iter().map(|(bits, count)| (f64::from_bits(*bits), *count)).collect(),
            Counts::Bins(bins) => bins.iter().map(|(bin, count)| (middle(*bin, 1), *count)).collect(),
            Counts::WideBins(bins) => bins.iter().map(|(bin, count)| (middle(*bin, JOINED), *count)).collect(),
        };
        all.sort_unstable_by(|(one, _), (other, _)| one.total_cmp(other));
        all
    }

    /// The least and the greatest number, if extremes are kept.
    pub fn range(&self) -> Option<(f64, f64)> {
        Some((self.least.all.first()?.number, self.greatest.all.first()?.number))
    }

    /// The least numbers, in order.
    pub fn least(&self) -> impl Iterator<Item = &Extreme> {
        self.least.all.iter()
    }

    /// The greatest numbers, the greatest first.
    pub fn greatest(&self) -> impl Iterator<Item = &Extreme> {
        self.greatest.all.iter()
    }

    pub fn bytes(&self) -> usize {
        match &self.counts {
            Counts::Each(each) => each.capacity() * size_of::<(u64, u64, u8)>(),
            Counts::Bins(bins) | Counts::WideBins(bins) => bins.capacity() * size_of::<(i32, u64, u8)>(),
        }
    }
}

/// The bin of a number.
fn bin(number: f64) -> i32 {
    let size = number.abs().min(LARGEST);
    if size < SMALLEST {
        return 0;
    }
    let from_smallest = ((size / SMALLEST).ln() * *BINS_OF_E) as i32 + 1;
    if number < 0.0 { -from_smallest } else { from_smallest }
}

/// The number of bins for a factor of e.
static BINS_OF_E: LazyLock<f64> = LazyLock::new(|| growth().ln().recip());

fn growth() -> f64 {
    (1.0 + ERROR) / (1.0 - ERROR)
}

fn wide(bin: i32) -> i32 {
    bin.signum() * ((bin.abs() - 1) / JOINED + 1)
}

/// The number whose relative distance to both ends of a bin is the same.
fn middle(bin: i32, joined: i32) -> f64 {
    if bin == 0 {
        return 0.0;
    }
    let (start, growth) = (f64::from((bin.abs() - 1) * joined), growth());
    let least = SMALLEST * growth.powf(start);
    let most = least * growth.powi(joined);
    f64::from(bin.signum()) * 2.0 * least * most / (least + most)
}

/// The first distinct numbers in one order.
#[derive(Debug, Clone, PartialEq)]
struct Extremes {
    /// How a number compares with those after it.
    first: Ordering,
    most: usize,
    all: Vec<Extreme>,
}

impl Extremes {
    #[inline]
    fn takes(&self, number: f64) -> bool {
        let is_room = self.all.len() < self.most;
        is_room || self.all.last().is_some_and(|last| number.total_cmp(&last.number) != self.first.reverse())
    }

    /// Adds a number of `rows` rows, the first of which writes it as `text`.
    fn add(&mut self, number: f64, text: &str, (rows, first): (u64, u64)) {
        let place = self.all.iter().position(|extreme| extreme.number.total_cmp(&number) != self.first);
        match place.and_then(|place| self.all.get_mut(place)).filter(|extreme| extreme.number == number) {
            Some(extreme) => {
                extreme.rows += rows;
                if first < extreme.first {
                    (extreme.first, extreme.text) = (first, text.into());
                }
            }
            None => {
                self.all.insert(place.unwrap_or(self.all.len()), Extreme { number, text: text.into(), rows, first });
                self.all.truncate(self.most);
            }
        }
    }

    fn merge(&mut self, other: &Extremes) {
        other.all.iter().for_each(|extreme| self.add(extreme.number, &extreme.text, (extreme.rows, extreme.first)));
    }
}
