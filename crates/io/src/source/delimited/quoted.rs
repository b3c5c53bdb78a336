//! Which bytes of a delimited text are in quotes.
//!
//! A quote opens a cell only at the cell's start; within quotes, line ends are text and two quotes stand for one.
//! Sixty-four bytes are looked at in one go: where every quote that opens is at the start of a cell or follows one that has
//! just closed (which is how a doubled quote looks), which bytes are inside follows from the parity of the quotes before
//! them (Langdale, Lemire: Parsing gigabytes of JSON per second, VLDB Journal 2019). Otherwise they are gone through one by
//! one. [`super::record`] reads rows by the same rule, so that all agree where a row ends.

use crate::source::blocks::BLOCK;

/// Whether the byte at hand is in quotes, for bytes that are gone through from left to right.
#[derive(Debug, Clone)]
pub struct Quoted {
    is_inside: bool,
    /// Whether a quote at the next byte opens or goes on: the byte before it ends a cell, or is a quote that closes.
    may_open: bool,
    /// Where the last quote was that opened a cell or went on with it.
    opened: usize,
}

impl Quoted {
    /// Before the first byte of a row.
    pub fn new() -> Quoted {
        Quoted { is_inside: false, may_open: true, opened: 0 }
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

    /// Counts places from `bytes` further on than before.
    pub fn go_on(&mut self, bytes: usize) {
        self.opened = self.opened.saturating_sub(bytes);
    }

    /// A bit for each byte of the block at `at` that is in quotes; those that open are, those that close are not. `quotes`
    /// has a bit for each quote, `ends` one for each delimiter and line feed.
    #[inline(never)]
    pub fn inside(&mut self, at: usize, quotes: u64, ends: u64) -> u64 {
        let inside = parity(quotes) ^ if self.is_inside { u64::MAX } else { 0 };
        let opens = quotes & inside;
        // What ends a cell does so outside of quotes only, and that a quote before is one that closes is how it opened.
        let before = ((ends & !inside) | quotes) << 1 | u64::from(self.may_open);
        if opens & !before != 0 {
            return self.one_by_one(at, quotes, ends);
        }
        self.is_inside = inside >> 63 != 0;
        self.may_open = (((ends | quotes) & !inside) >> 63) != 0;
        if opens != 0 {
            self.opened = at + opens.ilog2() as usize;
        }
        inside
    }

    /// Goes past a block without quotes that is not in any.
    #[inline]
    pub fn go_past(&mut self, ends: u64) {
        self.may_open = ends >> 63 != 0;
    }

    #[cold]
    fn one_by_one(&mut self, at: usize, quotes: u64, ends: u64) -> u64 {
        let mut inside = 0;
        for bit in 0..BLOCK {
            let is = |mask: u64| mask >> bit & 1 != 0;
            let is_outside = !self.is_inside;
            if is(quotes) && (self.is_inside || self.may_open) {
                self.is_inside = is_outside;
                self.may_open = !is_outside;
                if is_outside {
                    self.opened = at + bit;
                }
            } else {
                self.may_open = is_outside && is(ends);
            }
            inside |= u64::from(self.is_inside) << bit;
        }
        inside
    }
}

/// For each bit, whether an odd number of bits is set up to it, itself included.
#[inline]
fn parity(mut bits: u64) -> u64 {
    for by in [1, 2, 4, 8, 16, 32] {
        bits ^= bits << by;
    }
    bits
}
