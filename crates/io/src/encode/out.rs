use keen_notch_core::batch::{Buffer, Span};

/// Bytes to buffer before a flush within a row.
pub const MOST_HELD: usize = 1 << 20;

pub trait Extend {
    fn extend(&mut self, bytes: &[u8]);
}

impl Extend for Buffer {
    fn extend(&mut self, bytes: &[u8]) {
        Buffer::extend(self, bytes);
    }
}

#[derive(Debug, Default)]
pub struct Held {
    pub rows: Vec<u32>,
    /// The texts of each output column; empty if they are not buffered as texts.
    pub columns: Vec<HeldTexts>,
    /// Estimated size of the rows and of the next row, in bytes.
    pub pending: usize,
}

#[derive(Debug, Default)]
pub struct HeldTexts {
    pub text: Buffer,
    pub ends: Vec<i32>,
    pub absent: Vec<bool>,
    /// For a column of lists, the number of texts up to the end of each list.
    pub lists: Vec<i32>,
}

impl HeldTexts {
    pub fn push(&mut self, text: Option<&str>) {
        Buffer::extend(&mut self.text, text.unwrap_or_default().as_bytes());
        // The rows of a chunk are flushed before they reach this size.
        self.ends.push(self.text.width() as i32);
        self.absent.push(text.is_none());
    }

    /// Adds parts of a text. None of them is absent.
    // A separate function, so that the loop keeps its variables in registers.
    #[inline(never)]
    pub fn push_all(&mut self, text: &str, spans: &[Span]) {
        let mut end = self.text.width();
        self.ends.extend(spans.iter().map(|span| {
            end += span.width();
            end as i32
        }));
        let mut writer = self.text.writer(end - self.text.width());
        spans.iter().for_each(|span| writer.copy(text.as_bytes(), *span));
        writer.finish();
        self.absent.resize(self.absent.len() + spans.len(), false);
    }

    pub fn end_list(&mut self) {
        self.lists.push(self.ends.len() as i32);
    }

    pub fn iter(&self) -> impl Iterator<Item = Option<&str>> {
        let starts = std::iter::once(0).chain(self.ends.iter().map(|end| *end as usize));
        starts.zip(self.ends.iter().zip(&self.absent)).map(|(start, (end, absent))| {
            let text = std::str::from_utf8(&self.text.bytes()[start..*end as usize]).unwrap_or_default();
            (!absent).then_some(text)
        })
    }
}

/// A buffer that is flushed when it is large, so that a very long row is never in memory as output.
pub struct Out<'o> {
    /// The bytes that have not been flushed. Whole rows of normal length are written here.
    pub buffer: &'o mut Buffer,
    /// The buffered rows of the chunk.
    pub held: &'o mut Held,
    /// Flushes the bytes. Returns whether the run continues.
    hand_on: &'o mut dyn FnMut(&mut Buffer) -> bool,
}

impl<'o> Out<'o> {
    /// Writes to `buffer` and flushes it with `hand_on` when it is large. `hand_on` clears it and returns whether the run continues.
    pub fn new((buffer, held): (&'o mut Buffer, &'o mut Held), hand_on: &'o mut dyn FnMut(&mut Buffer) -> bool) -> Out<'o> {
        Out { buffer, held, hand_on }
    }
}

impl Extend for Out<'_> {
    fn extend(&mut self, bytes: &[u8]) {
        for stretch in bytes.chunks(MOST_HELD) {
            self.buffer.extend(stretch);
            if self.buffer.width() >= MOST_HELD {
                // After an early end of the run, the output is discarded.
                (self.hand_on)(self.buffer);
                self.buffer.clear();
            }
        }
    }
}
