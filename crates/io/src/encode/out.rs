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

/// A buffer whose bytes are handed on as soon as there are many: so a very long row is never held as it is written.
pub struct Out<'o> {
    /// What was written and not yet handed on. Whole rows that are not long are written here.
    pub buffer: &'o mut Buffer,
    /// Takes the bytes of the buffer; whether there is still somebody who wants them.
    hand_on: &'o mut dyn FnMut(&mut Buffer) -> bool,
}

impl<'o> Out<'o> {
    /// Writes to `buffer`, and calls `hand_on` with it whenever it holds many bytes. That takes them, and tells whether the
    /// run goes on.
    pub fn new(buffer: &'o mut Buffer, hand_on: &'o mut dyn FnMut(&mut Buffer) -> bool) -> Out<'o> {
        Out { buffer, hand_on }
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
