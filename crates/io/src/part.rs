//! The rows of a part of some inputs.
//!
//! A chunk belongs to the part of its first byte. Chunks consist of blocks, which are the same for every reader, so each row belongs to
//! exactly one part. An input that is compressed or not text belongs to one part as a whole.

use std::ops::Range;

use keen_notch_core::summary::Part;

use crate::Error;
use crate::source::blocks::STRIDE;
use crate::source::input::{Encoding, Input};
use crate::source::{Chunk, Reading};

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Bounds {
    pub inputs: Range<usize>,
    /// The byte of the first input where the part starts. Its first chunk starts there or later.
    pub from: u64,
    /// The byte of the last input where the next part starts, if any.
    pub to: Option<u64>,
}

pub struct PartRead {
    pub is_continued: bool,
    pub bounds: Bounds,
    /// Its first chunk, which was read to test whether it belongs to the part.
    pub first: Option<Box<dyn Chunk>>,
    /// The bytes read of the current input.
    pub read: u64,
    /// The byte of the first input where its first chunk starts.
    pub start: u64,
}

impl PartRead {
    pub fn is_over(&self, input: usize) -> bool {
        let Bounds { inputs, to, .. } = &self.bounds;
        input >= inputs.end || (input + 1 == inputs.end && to.is_some_and(|to| self.read >= to))
    }
}

/// The bounds of a part of some inputs. The largest part has as few bytes as the order of the rows allows.
///
/// # Errors
/// The size of an input is unknown.
pub fn bounds(inputs: &[Input], reading: &Reading, part: Part) -> Result<Bounds, Error> {
    Ok(bounds_of(&sizes(inputs, reading)?, part))
}

/// Blocks of a part. With fewer, the parts of a small input would differ in size.
const BLOCKS: u64 = 16;
const SMALLEST_STRIDE: u64 = 256;

/// The bytes per read with this number of parts, if small inputs need less than usual. It is the same for all parts.
///
/// # Errors
/// The size of an input is unknown.
pub fn stride(inputs: &[Input], reading: &Reading, parts: u32) -> Result<Option<usize>, Error> {
    let all: u64 = sizes(inputs, reading)?.iter().map(|(size, _)| size).sum();
    let stride = (all / u64::from(parts.max(1)) / BLOCKS).max(SMALLEST_STRIDE);
    Ok(usize::try_from(stride).ok().filter(|stride| *stride < STRIDE))
}

/// The bytes of each input, and whether a part can begin inside it.
fn sizes(inputs: &[Input], reading: &Reading) -> Result<Vec<(u64, bool)>, Error> {
    let size = |input: &Input| {
        let size = match input {
            Input::Memory(_, bytes) => Ok(bytes.len() as u64),
            Input::File(path) => path.metadata().map(|found| found.len()),
            Input::Stdin | Input::Database(_) => Ok(0),
        };
        let size = size.map_err(|source| Error::Read { name: input.name(), source })?;
        let is_text = reading.kind(input).is_text;
        let is_utf8 = reading.encoding.is_none_or(|encoding| encoding == Encoding::UTF_8);
        Ok((size, is_text && is_utf8 && reading.compression(input).is_none()))
    };
    inputs.iter().map(size).collect()
}

/// The bytes where parts of at most `limit` bytes end, before the end of all inputs. An input that cannot be split has at most that size.
fn ends(sizes: &[(u64, bool)], limit: u64, most: usize) -> Vec<u64> {
    let (mut ends, mut at, mut room) = (Vec::new(), 0, limit);
    for (size, is_split) in sizes {
        let mut left = *size;
        while left > room && ends.len() <= most {
            let taken = if *is_split { room } else { 0 };
            at += taken;
            left -= taken;
            ends.push(at);
            room = limit;
        }
        at += left;
        room = room.saturating_sub(left);
    }
    ends
}

fn bounds_of(sizes: &[(u64, bool)], part: Part) -> Bounds {
    let all: u64 = sizes.iter().map(|(size, _)| size).sum();
    let whole = sizes.iter().filter(|(_, is_split)| !is_split).map(|(size, _)| *size).max().unwrap_or_default();
    let cuts = part.of.saturating_sub(1) as usize;
    let (mut low, mut high) = (whole.max(all.div_ceil(u64::from(part.of.max(1)))), all);
    while low < high {
        let middle = low + (high - low) / 2;
        if ends(sizes, middle, cuts).len() <= cuts { high = middle } else { low = middle + 1 }
    }
    let ends = ends(sizes, high, cuts);
    let end = |number: u32| match number.checked_sub(1) {
        None => 0,
        Some(index) => ends.get(index as usize).copied().unwrap_or(all),
    };
    let bytes = end(part.number.saturating_sub(1))..end(part.number);
    let mut bounds = Bounds { inputs: 0..0, from: 0, to: None };
    let mut start = 0;
    for (input, (size, is_split)) in sizes.iter().enumerate() {
        let end = start + size;
        // An input without bytes at the very end is of the last part.
        let is_at_end = start == all && bytes.end == all && part.number == part.of;
        if bytes.contains(&start) || is_at_end || (*is_split && start < bytes.start && bytes.start < end.min(bytes.end)) {
            if bounds.inputs.is_empty() {
                bounds.inputs.start = input;
                bounds.from = bytes.start.saturating_sub(start);
            }
            bounds.inputs.end = input + 1;
            bounds.to = (*is_split && bytes.end < end).then(|| bytes.end - start);
        }
        start = end;
    }
    bounds
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// The bytes of each part.
    fn parts(sizes: &[(u64, bool)], of: u32) -> Vec<u64> {
        let bytes = |number| {
            let Bounds { inputs, from, to } = bounds_of(sizes, Part { number, of });
            let size = |input: usize| to.filter(|_| input + 1 == inputs.end).unwrap_or(sizes[input].0);
            inputs.clone().map(size).sum::<u64>() - from
        };
        (1..=of).map(bytes).collect()
    }

    #[test]
    fn the_largest_part_is_as_small_as_it_can_be() {
        let whole = |sizes: &[u64]| sizes.iter().map(|size| (*size, false)).collect::<Vec<_>>();
        assert_eq!(parts(&whole(&[1, 1, 10]), 3), [2, 10, 0]);
        assert_eq!(parts(&whole(&[5, 4, 3, 2, 6]), 3), [5, 7, 8]);
        assert_eq!(parts(&whole(&[7, 2, 2, 2, 7]), 2), [11, 9]);
        assert_eq!(parts(&[(100, true)], 3), [34, 34, 32]);
        assert_eq!(parts(&[(10, true), (40, false), (50, true)], 2), [50, 50]);
        assert_eq!(parts(&[(40, false), (2, true)], 4), [40, 2, 0, 0]);
    }

    /// The smallest possible largest part: all ways to divide the inputs, byte by byte.
    fn smallest(sizes: &[(u64, bool)], of: u32) -> u64 {
        let places: Vec<u64> = sizes
            .iter()
            .scan(0, |at, (size, is_split)| {
                let start = *at;
                *at += size;
                Some(if *is_split { (start..*at).collect() } else { vec![start] })
            })
            .flatten()
            .chain([sizes.iter().map(|(size, _)| size).sum()])
            .collect();
        // The smallest largest part before each place.
        let mut best: Vec<u64> = places.clone();
        for _ in 1..of {
            let split = |end: usize| (0..=end).map(|cut| best[cut].max(places[end] - places[cut])).min().unwrap_or_default();
            best = (0..places.len()).map(split).collect();
        }
        best[best.len() - 1]
    }

    proptest! {
        #[test]
        fn every_byte_of_every_input_is_of_one_part(sizes in proptest::collection::vec((0..50_u64, any::<bool>()), 1..6), of in 1..20_u32) {
            let mut seen_empty = vec![0; sizes.len()];
            let mut seen: Vec<Vec<u32>> = sizes.iter().map(|(size, _)| vec![0; *size as usize]).collect();
            let mut last = (0, 0);
            for number in 1..=of {
                let Bounds { inputs, from, to } = bounds_of(&sizes, Part { number, of });
                for input in inputs.clone() {
                    let first = if input == inputs.start { from } else { 0 };
                    let end = to.filter(|_| input + 1 == inputs.end).unwrap_or(sizes[input].0);
                    prop_assert!((input, first) >= last, "parts are in the order of their rows");
                    last = (input, end);
                    seen_empty[input] += u32::from(sizes[input].0 == 0);
                    (first..end).for_each(|byte| seen[input][byte as usize] += 1);
                }
            }
            prop_assert!(seen.iter().flatten().all(|count| *count == 1), "{:?}", seen);
            let empty = sizes.iter().map(|(size, _)| u32::from(*size == 0));
            prop_assert!(seen_empty.iter().copied().eq(empty), "{:?}", seen_empty);
        }

        #[test]
        fn no_division_has_a_smaller_largest_part(sizes in proptest::collection::vec((0..20_u64, any::<bool>()), 1..6), of in 1..6_u32) {
            prop_assert_eq!(parts(&sizes, of).into_iter().max(), Some(smallest(&sizes, of)));
        }
    }
}
