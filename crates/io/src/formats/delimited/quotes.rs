//! Finds the bytes of delimited text that are inside quotes.
//!
//! A quote opens a cell only at its start; inside quotes, line ends are text and two quotes stand for one. 64 bytes are examined at a
//! time. If every opening quote is at the start of a cell, or follows a closing quote (as in a doubled quote), the parity of the quotes
//! before a byte shows whether it is inside (Langdale, Lemire: Parsing gigabytes of JSON per second, VLDB Journal 2019). Otherwise the
//! bytes are examined one by one. [`crate::formats::delimited::record`] reads rows by the same rule, so row ends always agree.

use crate::source::blocks::BLOCK;

/// The state of quotes at the current byte, from left to right.
#[derive(Debug, Clone)]
pub struct QuoteScanner {
    is_inside: bool,
    /// Whether a quote was found that neither opens nor closes a cell.
    is_odd: bool,
    /// Whether a quote at the next byte opens a cell or continues one: the byte before it ends a cell or is a closing quote.
    may_open: bool,
    opened: usize,
}

impl QuoteScanner {
    pub fn new() -> QuoteScanner {
        QuoteScanner::at(false, true)
    }

    /// The state at a byte. A quote that is open was opened before all positions.
    pub fn at(is_inside: bool, may_open: bool) -> QuoteScanner {
        QuoteScanner { is_inside, is_odd: false, may_open: may_open && !is_inside, opened: usize::MAX }
    }

    /// The same state, as [`QuoteScanner::at`] gives it.
    pub fn carried(&self) -> QuoteScanner {
        QuoteScanner::at(self.is_inside, self.may_open)
    }

    pub fn is_like(&self, other: &QuoteScanner) -> bool {
        (self.is_inside, self.may_open) == (other.is_inside, other.may_open)
    }

    /// Whether a quote was found that neither opens nor closes a cell.
    pub fn is_odd(&self) -> bool {
        self.is_odd
    }

    #[inline]
    pub fn is_inside(&self) -> bool {
        self.is_inside
    }

    /// The position of the opening quote, if the next byte is inside quotes.
    pub fn opened(&self) -> Option<usize> {
        self.is_inside.then_some(self.opened)
    }

    /// Moves the origin of positions forward by `bytes`.
    pub fn go_on(&mut self, bytes: usize) {
        self.opened = self.opened.saturating_sub(bytes);
    }

    /// The mask of the bytes inside quotes in the block at `at`, including opening quotes but not closing ones. `quotes` is the mask of
    /// quotes, `ends` that of delimiters and line feeds.
    #[inline(never)]
    pub fn inside(&mut self, at: usize, quotes: u64, ends: u64) -> u64 {
        let inside = parity(quotes) ^ if self.is_inside { u64::MAX } else { 0 };
        let opens = quotes & inside;
        // A delimiter ends a cell only outside quotes, and a quote before it is a closing one.
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

    /// Skips a block without quotes that is outside quotes.
    #[inline]
    pub fn go_past(&mut self, ends: u64) {
        self.may_open = ends >> 63 != 0;
    }

    #[cold]
    fn one_by_one(&mut self, at: usize, quotes: u64, ends: u64) -> u64 {
        self.is_odd = true;
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

/// For each bit, whether the number of set bits up to and including it is odd.
#[inline]
fn parity(mut bits: u64) -> u64 {
    for by in [1, 2, 4, 8, 16, 32] {
        bits ^= bits << by;
    }
    bits
}
