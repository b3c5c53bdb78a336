/// A range of bytes in a text. It is half the size of a `Range`, because columns hold many.
///
/// ```
/// use keen_notch_core::batch::Span;
///
/// assert_eq!(Span::new(4, 12).text("GRP-00041273"), "00041273");
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Span {
    pub start: u32,
    pub end: u32,
}

impl Span {
    /// A span of bytes. Positions must be below 4 GiB.
    #[inline(always)]
    pub fn new(start: usize, end: usize) -> Span {
        Span { start: start as u32, end: end as u32 }
    }

    /// The size in bytes.
    #[inline(always)]
    pub fn width(self) -> usize {
        (self.end - self.start) as usize
    }

    #[inline(always)]
    pub fn is_empty(self) -> bool {
        self.start == self.end
    }

    /// The part of the span from one byte to another, both relative to its start.
    #[inline(always)]
    pub fn part(self, from: usize, to: usize) -> Span {
        Span { start: self.start + from as u32, end: self.start + to as u32 }
    }

    #[inline(always)]
    pub fn bytes(self, text: &[u8]) -> &[u8] {
        text.get(self.start as usize..self.end as usize).unwrap_or_default()
    }

    #[inline(always)]
    pub fn text(self, text: &str) -> &str {
        text.get(self.start as usize..self.end as usize).unwrap_or_default()
    }
}
