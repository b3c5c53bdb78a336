//! The rows of a part of some inputs.
//!
//! A chunk belongs to the part of its first byte. Chunks consist of blocks, which are the same for every reader, so each row belongs to
//! exactly one part. An input that is compressed or not text belongs to one part as a whole.

use std::ops::Range;

use keen_notch_core::summary::Part;

use crate::Error;
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

/// The bounds of a part of some inputs.
///
/// # Errors
/// The size of an input is unknown.
pub fn bounds(inputs: &[Input], reading: &Reading, part: Part) -> Result<Bounds, Error> {
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
    Ok(bounds_of(&inputs.iter().map(size).collect::<Result<Vec<_>, Error>>()?, part))
}

fn bounds_of(sizes: &[(u64, bool)], part: Part) -> Bounds {
    let all = sizes.iter().map(|(size, _)| size).sum();
    let bytes = part.bytes(all);
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
    }
}
