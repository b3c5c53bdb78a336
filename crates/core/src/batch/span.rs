//! Where a text is in a longer one.

/// A stretch of a text, in bytes from the text's start. Half as wide as a range, since there are many.
///
/// ```
/// use keen_notch_core::batch::Span;
///
/// assert_eq!(Span::new(4, 12).text("GRP-00041273"), "00041273");
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Span {
    /// Its first byte.
    pub start: u32,
    /// After its last.
    pub end: u32,
}

impl Span {
    /// The stretch of these bytes; those beyond 4 GiB cannot be told.
    #[inline(always)]
    pub fn new(start: usize, end: usize) -> Span {
        Span { start: start as u32, end: end as u32 }
    }

    /// The number of bytes.
    #[inline(always)]
    pub fn width(self) -> usize {
        (self.end - self.start) as usize
    }

    /// Whether there is nothing in it.
    #[inline(always)]
    pub fn is_empty(self) -> bool {
        self.start == self.end
    }

    /// The stretch from one of its bytes to another, both counted from its start.
    #[inline(always)]
    pub fn part(self, from: usize, to: usize) -> Span {
        Span { start: self.start + from as u32, end: self.start + to as u32 }
    }

    /// The bytes.
    #[inline(always)]
    pub fn bytes(self, text: &[u8]) -> &[u8] {
        text.get(self.start as usize..self.end as usize).unwrap_or_default()
    }

    /// The text.
    #[inline(always)]
    pub fn text(self, text: &str) -> &str {
        text.get(self.start as usize..self.end as usize).unwrap_or_default()
    }
}
