//! A reusable byte buffer.

use super::{Sixteen, Span};

/// Bytes written piece by piece. `clear` keeps the memory.
///
/// ```
/// use keen_notch_core::batch::{Buffer, Span};
///
/// let mut buffer = Buffer::default();
/// buffer.extend(b"GRP");
/// let mut writer = buffer.writer(9);
/// writer.cell(b'-', b"00041273", Span::new(0, 8));
/// writer.finish();
/// assert_eq!(buffer.text(), "GRP-00041273");
/// ```
#[derive(Debug, Clone)]
pub struct Buffer {
    memory: Vec<u8>,
    end: usize,
    /// Limit in bytes for texts that spans refer to.
    most: usize,
    is_full: bool,
}

impl Default for Buffer {
    fn default() -> Buffer {
        Buffer { memory: Vec::new(), end: 0, most: MOST_MADE, is_full: false }
    }
}

impl Buffer {
    pub(crate) fn set_most(&mut self, most: usize) {
        self.most = most.min(MOST_MADE);
    }

    pub(crate) fn most(&self) -> usize {
        self.most
    }

    pub fn clear(&mut self) {
        (self.end, self.is_full) = (0, false);
    }

    /// Writes a text that a span refers to, unless it exceeds the limit.
    #[inline]
    pub(crate) fn extend_within(&mut self, bytes: &[u8]) {
        if self.has_room_for(bytes.len()) {
            self.extend(bytes);
        }
    }

    /// Whether `bytes` more bytes fit within the limit. Records a failure.
    #[inline]
    pub(crate) fn has_room_for(&mut self, bytes: usize) -> bool {
        self.is_full |= self.end.saturating_add(bytes) > self.most;
        !self.is_full
    }

    pub(crate) fn is_full(&self) -> bool {
        self.is_full
    }

    #[inline]
    pub fn bytes(&self) -> &[u8] {
        self.memory.get(..self.end).unwrap_or_default()
    }

    /// The content.
    pub fn into_bytes(mut self) -> Vec<u8> {
        self.memory.truncate(self.end);
        self.memory
    }

    /// The content as text; empty if it is not UTF-8, which happens only after writes of partial texts.
    pub fn text(&self) -> &str {
        simdutf8::basic::from_utf8(self.bytes()).unwrap_or_default()
    }

    /// The size in bytes.
    #[inline]
    pub fn width(&self) -> usize {
        self.end
    }

    /// A writer with room for up to `most` bytes.
    #[inline]
    pub fn writer(&mut self, most: usize) -> Writer<'_> {
        if self.memory.len() < self.end + most + CHUNK {
            self.grow(most + CHUNK);
        }
        let Buffer { memory, end, .. } = self;
        let whole = memory.len();
        Writer { memory: memory.get_mut(*end..).unwrap_or_default(), whole, end }
    }

    #[inline]
    pub fn push(&mut self, byte: u8) {
        match self.memory.get_mut(self.end) {
            Some(place) => *place = byte,
            None => self.grow(1).fill(byte),
        }
        self.end += 1;
    }

    #[inline]
    pub fn extend(&mut self, bytes: &[u8]) {
        let end = self.end + bytes.len();
        match self.memory.get_mut(self.end..end) {
            Some(place) => place.copy_from_slice(bytes),
            None => self.grow(bytes.len()).copy_from_slice(bytes),
        }
        self.end = end;
    }

    #[cold]
    fn grow(&mut self, more: usize) -> &mut [u8] {
        let needed = self.end + more;
        if self.memory.len() < needed {
            // Doubles the size, up to a limit, because new memory is initialized.
            let size = needed + needed.clamp(256, MOST_AHEAD);
            if size > MOST_AHEAD {
                self.memory.reserve_exact(size.max(OWN_MAPPING) - self.memory.len());
            }
            self.memory.resize(size, 0);
        }
        &mut self.memory[self.end..needed]
    }
}

/// Default limit for the texts of one step in a batch, in bytes.
pub const MOST_MADE: usize = 1 << 30;

const MOST_AHEAD: usize = 1 << 20;

/// Initial capacity for large texts, in bytes. An allocator maps such a size separately: untouched pages cost nothing, and freeing
/// returns them to the system.
pub const OWN_MAPPING: usize = (32 << 20) + 1;

const CHUNK: usize = 32;

/// Writes into reserved memory of a buffer until `finish`.
pub struct Writer<'s> {
    memory: &'s mut [u8],
    whole: usize,
    end: &'s mut usize,
}

impl Writer<'_> {
    #[inline(always)]
    pub fn extend(&mut self, bytes: &[u8]) {
        let (place, rest) = std::mem::take(&mut self.memory).split_at_mut(bytes.len());
        place.copy_from_slice(bytes);
        self.memory = rest;
    }

    #[inline(always)]
    pub fn copy(&mut self, text: &[u8], span: Span) {
        let (width, start) = (span.width(), span.start as usize);
        if width <= CHUNK
            && let Some(chunk) = text.get(start..start + CHUNK).and_then(|chunk| chunk.first_chunk::<CHUNK>())
            && let Some(place) = self.memory.first_chunk_mut::<CHUNK>()
        {
            *place = *chunk;
            self.go_on(width);
        } else {
            self.extend(span.bytes(text));
        }
    }

    #[inline(always)]
    pub fn line_end(&mut self, bytes: &[u8]) {
        match bytes {
            [one] => self.extend(&[*one]),
            _ => self.extend(bytes),
        }
    }

    #[inline(always)]
    pub fn fill(&mut self, byte: u8, count: usize) {
        match self.memory.first_chunk_mut::<16>().filter(|_| count <= 16) {
            // An array of a variable byte would be a call.
            Some(place) => *place = Sixteen::splat(byte).to_array(),
            None => self.memory[..count].fill(byte),
        }
        self.go_on(count);
    }

    /// Writes a part of a text, with each byte replaced by `write`.
    #[inline(always)]
    pub fn take_as(&mut self, text: &[u8], span: Span, write: impl Fn([u8; 16]) -> [u8; 16]) {
        let (width, start) = (span.width(), span.start as usize);
        if width <= 16
            && let Some(sixteen) = text.get(start..start + 16).and_then(|rest| rest.first_chunk::<16>())
            && let Some(place) = self.memory.first_chunk_mut::<16>()
        {
            *place = write(*sixteen);
            self.go_on(width);
        } else {
            self.take_long(span.bytes(text), write);
        }
    }

    #[inline(never)]
    fn take_long(&mut self, bytes: &[u8], write: impl Fn([u8; 16]) -> [u8; 16]) {
        let (sixteens, rest) = bytes.as_chunks::<16>();
        sixteens.iter().for_each(|sixteen| self.extend(&write(*sixteen)));
        let mut sixteen = [0; 16];
        sixteen[..rest.len()].copy_from_slice(rest);
        self.extend(&write(sixteen)[..rest.len()]);
    }

    #[inline(always)]
    fn go_on(&mut self, width: usize) {
        self.memory = &mut std::mem::take(&mut self.memory)[width..];
    }

    /// Writes a byte and then a part of a text.
    #[inline(always)]
    pub fn cell(&mut self, before: u8, text: &[u8], span: Span) {
        let (width, start) = (span.width(), span.start as usize);
        if width <= CHUNK
            && let Some(chunk) = text.get(start..start + CHUNK).and_then(|chunk| chunk.first_chunk::<CHUNK>())
            && let Some([first, place @ ..]) = self.memory.first_chunk_mut::<{ CHUNK + 1 }>()
        {
            *first = before;
            *place = *chunk;
            self.go_on(width + 1);
        } else {
            self.extend(&[before]);
            self.extend(span.bytes(text));
        }
    }

    #[inline(always)]
    pub fn finish(self) {
        *self.end = self.whole - self.memory.len();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_stands_there() {
        let text: Vec<u8> = (b'!'..=b'~').collect();
        let mut buffer = Buffer::default();
        let mut expected = Vec::new();
        for round in 0..2 {
            for width in (0..60).chain([0, 16, 32, 94]) {
                for start in [0, 7, text.len() - width] {
                    let span = Span::new(start.min(text.len() - width), start.min(text.len() - width) + width);
                    buffer.push(b',');
                    buffer.extend(b"\r\n");
                    expected.extend_from_slice(b",\r\n");
                    let mut writer = buffer.writer(width * 3 + 4);
                    writer.cell(b';', &text, span);
                    writer.extend(b"--");
                    writer.take_as(&text, span, |bytes| bytes.map(|byte| byte.to_ascii_lowercase()));
                    writer.fill(b'0', width);
                    writer.line_end(b"\n");
                    writer.finish();
                    expected.push(b';');
                    expected.extend_from_slice(span.bytes(&text));
                    expected.extend_from_slice(b"--");
                    expected.extend(span.bytes(&text).to_ascii_lowercase());
                    expected.extend(vec![b'0'; width]);
                    expected.push(b'\n');
                    assert_eq!(buffer.bytes(), expected, "{start} for {width} in round {round}");
                }
            }
            buffer.clear();
            expected.clear();
            assert_eq!((buffer.width(), buffer.bytes()), (0, &b""[..]));
        }
    }
}
