//! What an encoder writes to.

use keen_notch_core::batch::Buffer;

/// Bytes beyond which what was written is handed on before a row ends.
pub const MOST_HELD: usize = 1 << 20;

/// Takes bytes after those before.
pub trait Extend {
    /// Takes them.
    fn extend(&mut self, bytes: &[u8]);
}

impl Extend for Buffer {
    fn extend(&mut self, bytes: &[u8]) {
        Buffer::extend(self, bytes);
    }
}

/// What an encoder keeps of the rows of a chunk until it writes them together.
#[derive(Debug, Default)]
pub struct Held {
    /// The rows, by their indices in the chunk.
    pub rows: Vec<u32>,
    /// The texts of each column of the output; none where they are not kept as texts.
    pub columns: Vec<HeldTexts>,
    /// Estimated size of the rows in bytes, and of the row that comes next.
    pub pending: usize,
}

/// Texts of a column, one after the other.
#[derive(Debug, Default)]
pub struct HeldTexts {
    /// All of them.
    pub text: Vec<u8>,
    /// Where each ends.
    pub ends: Vec<i32>,
    /// Which are not there.
    pub absent: Vec<bool>,
    /// Where a value is a list: for each, how many texts there are up to its end.
    pub lists: Vec<i32>,
}

impl HeldTexts {
    /// Takes one after those before, or that there is none.
    pub fn push(&mut self, text: Option<&str>) {
        self.text.extend(text.unwrap_or_default().as_bytes());
        // Those of a chunk are written before they come to so much.
        self.ends.push(self.text.len() as i32);
        self.absent.push(text.is_none());
    }

    /// The texts since the last list are another.
    pub fn end_list(&mut self) {
        self.lists.push(self.ends.len() as i32);
    }

    /// The texts, or that there is none.
    pub fn iter(&self) -> impl Iterator<Item = Option<&str>> {
        let starts = std::iter::once(0).chain(self.ends.iter().map(|end| *end as usize));
        starts.zip(self.ends.iter().zip(&self.absent)).map(|(start, (end, absent))| {
            let text = std::str::from_utf8(&self.text[start..*end as usize]).unwrap_or_default();
            (!absent).then_some(text)
        })
    }
}

/// A buffer whose bytes are handed on as soon as there are many: so a very long row is never held as it is written.
pub struct Out<'o> {
    /// What was written and not yet handed on. Whole rows that are not long are written here.
    pub buffer: &'o mut Buffer,
    /// What is kept of the rows of a chunk until they are written.
    pub held: &'o mut Held,
    /// Takes the bytes of the buffer; whether there is still somebody who wants them.
    hand_on: &'o mut dyn FnMut(&mut Buffer) -> bool,
}

impl<'o> Out<'o> {
    /// Writes to `buffer`, and calls `hand_on` with it whenever it holds many bytes. That takes them, and tells whether the
    /// run goes on.
    pub fn new((buffer, held): (&'o mut Buffer, &'o mut Held), hand_on: &'o mut dyn FnMut(&mut Buffer) -> bool) -> Out<'o> {
        Out { buffer, held, hand_on }
    }
}

impl Extend for Out<'_> {
    fn extend(&mut self, bytes: &[u8]) {
        for stretch in bytes.chunks(MOST_HELD) {
            self.buffer.extend(stretch);
            if self.buffer.width() >= MOST_HELD {
                // Where the run has ended early, nothing that is written is wanted.
                (self.hand_on)(self.buffer);
                self.buffer.clear();
            }
        }
    }
}
