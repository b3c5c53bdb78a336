//! Which bytes of a table are in quotes.
//!
//! A quote opens a cell only at the cell's start; within quotes, line ends are text and two quotes stand for one.
//! [`crate::record`] reads rows by the same rule, so that all agree where a row ends.

use keen_notch_core::text::simd::STEP;

/// Bytes as many at a time as are looked at in one go, with the place of the first of them, counted from `from`. Zeros
/// stand for those behind the end, in the room given.
#[inline]
pub fn steps<'b>(bytes: &'b [u8], from: usize, filled: &'b mut [u8; STEP]) -> impl Iterator<Item = (usize, &'b [u8; STEP])> {
    let (steps, rest) = bytes.as_chunks::<STEP>();
    filled[..rest.len()].copy_from_slice(rest);
    let last = (!rest.is_empty()).then_some(&*filled);
    (from..).step_by(STEP).zip(steps.iter().chain(last))
}

/// Whether the byte at hand is in quotes, for bytes that are gone through from left to right.
#[derive(Debug)]
pub struct Quoted {
    delimiter: u8,
    is_inside: bool,
    /// Where the last quote stood that opened a cell.
    opened: usize,
    /// Quotes before this place have been seen to.
    past: usize,
}

impl Quoted {
    /// Before the first byte of a row.
    pub fn new(delimiter: u8) -> Quoted {
        Quoted { delimiter, is_inside: false, opened: 0, past: 0 }
    }

    /// Whether the next byte is in quotes.
    #[inline]
    pub fn is_inside(&self) -> bool {
        self.is_inside
    }

    /// Where the quotes were opened that the next byte is in, if it is in some.
    pub fn opened(&self) -> Option<usize> {
        self.is_inside.then_some(self.opened)
    }

    /// Counts places from so many bytes further on than before.
    pub fn go_on(&mut self, bytes: usize) {
        self.opened = self.opened.saturating_sub(bytes);
        self.past = self.past.saturating_sub(bytes);
    }

    /// A bit for each byte of the step at `at` that is in quotes, but for the quotes; a bit for each of these is given.
    /// A row begins at byte `from`. Behind the last quote there has to be a byte, unless it is the very last one.
    #[inline(never)]
    pub fn inside(&mut self, bytes: &[u8], from: usize, at: usize, mut quotes: u64) -> u64 {
        let (mut inside, mut since) = (0, 0);
        while quotes != 0 {
            let bit = quotes.trailing_zeros();
            let place = at + bit as usize;
            quotes &= quotes - 1;
            if !self.is_inside {
                // A quote opens a cell at its start only; anywhere else it is text.
                let before = || bytes[place - 1];
                self.is_inside = place == from || before() == self.delimiter || before() == b'\n';
                (self.opened, since) = (place, bit);
            } else if place >= self.past {
                if bytes.get(place + 1) == Some(&b'"') {
                    self.past = place + 2;
                } else {
                    self.is_inside = false;
                    inside |= (u64::MAX << since) & ((1 << bit) - 1);
                }
            }
        }
        if self.is_inside { inside | u64::MAX << since } else { inside }
    }
}
