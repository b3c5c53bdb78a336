//! One search for several pieces: where a byte stands in the values of a column.

use super::quick::Quick;
use crate::text::simd::{self, STEP, Span};

/// Where a byte stands in each of many values.
#[derive(Debug, Default)]
pub(crate) struct Hits {
    /// A bit for each byte of a value that is the one looked for.
    masks: Vec<u64>,
    /// Whether the values have no more bytes than there are bits.
    are_all: bool,
}

impl Hits {
    /// Looks for a byte in values that stand in `text` at these places.
    // Compiled by itself: what its loop needs then stays in registers.
    #[inline(never)]
    pub(crate) fn find(&mut self, text: &[u8], values: &[Span], byte: u8) {
        self.masks.clear();
        let mut widest = 0;
        self.masks.extend(values.iter().map(|value| {
            let width = value.width();
            widest = widest.max(width);
            let inside = if width < STEP { (1 << width) - 1 } else { u64::MAX };
            simd::places_from(text, value.start as usize, byte) & inside
        }));
        self.are_all = widest <= STEP;
    }
}

impl Quick {
    /// The byte whose hits tell all that the cut needs to know of a value.
    pub(super) fn looks_for(&self) -> Option<u8> {
        match *self {
            Quick::Before(byte) | Quick::After(byte) | Quick::AfterLast(byte) | Quick::Section { by: byte, .. } => Some(byte),
            _ => None,
        }
    }

    /// What [`Quick::cut_all`] does, by the hits of the byte that the cut looks for; `None` where these do not tell.
    pub(super) fn cut_all_by(&self, hits: &Hits, values: &[Span], cuts: &mut [Span]) -> Option<bool> {
        let masks = hits.are_all.then_some(hits.masks.as_slice())?;
        Some(match *self {
            Quick::Before(_) => cut_each(values, masks, cuts, |value, mask| match mask {
                0 => Span::default(),
                _ => Span { start: value.start, end: value.start + mask.trailing_zeros() },
            }),
            Quick::After(_) => cut_each(values, masks, cuts, |value, mask| match mask {
                0 => Span::default(),
                _ => Span { start: value.start + mask.trailing_zeros() + 1, end: value.end },
            }),
            Quick::AfterLast(_) => cut_each(values, masks, cuts, |value, mask| match mask {
                0 => Span::default(),
                _ => Span { start: value.start + mask.ilog2() + 1, end: value.end },
            }),
            Quick::Section { index, .. } => {
                cut_each(values, masks, cuts, move |value, mask| simd::section_by(mask, value, index).unwrap_or_default())
            }
            _ => return None,
        })
    }
}

/// Cuts a part out of each value by its hits, empty where it is missing. Whether all are filled.
// Compiled by itself: what its loop needs then stays in registers.
#[inline(never)]
fn cut_each(values: &[Span], masks: &[u64], cuts: &mut [Span], cut: impl Fn(Span, u64) -> Span) -> bool {
    let mut unfilled = false;
    for ((value, mask), place) in values.iter().zip(masks).zip(cuts) {
        *place = cut(*value, *mask);
        unfilled |= place.is_empty();
    }
    !unfilled
}
