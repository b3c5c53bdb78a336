//! The structural index of delimited text: the ends of cells and rows, and the bytes that need a closer look, found in one pass.

use keen_notch_core::batch::OWN_MAPPING;
use keen_notch_core::batch::Span;
use keen_notch_core::text::characters::Form;

use pulp::{Arch, Simd, WithSimd};

use crate::formats::delimited::marks;
use crate::formats::delimited::marks::Marks;
use crate::formats::delimited::quotes::QuoteScanner;
use crate::source::blocks::{BLOCK, LONG};

#[derive(Debug, Default)]
pub struct Index {
    ends: Places,
    feeds: Places,
    from: usize,
    /// For each block of 64 bytes, a mask of the bytes that need a closer look.
    rare: Vec<Rare>,
}

#[derive(Debug, Clone, Copy, Default)]
struct Rare {
    all: u64,
    quotes: u64,
}

#[derive(Debug, Default)]
struct Places {
    memory: Vec<u32>,
    count: usize,
}

const STRETCH: usize = 64 * BLOCK;

impl Places {
    fn unfilled(&mut self) -> UnfilledRow<'_> {
        if self.memory.len() < self.count + STRETCH + BLOCK {
            self.memory.resize((self.count + STRETCH) * 2, 0);
        }
        let memory = self.memory.get_mut(self.count..).unwrap_or_default();
        UnfilledRow { whole: memory.len(), memory, count: &mut self.count }
    }

    fn push(&mut self, place: usize) {
        let mut unfilled = self.unfilled();
        unfilled.add::<1>(1, place);
        unfilled.close();
    }

    fn all(&self) -> &[u32] {
        &self.memory[..self.count]
    }
}

struct UnfilledRow<'p> {
    memory: &'p mut [u32],
    whole: usize,
    count: &'p mut usize,
}

impl UnfilledRow<'_> {
    /// Adds the positions of the set bits of a block at `at`, `MANY` at a time. Excess positions are overwritten by the next ones. The
    /// number of set bits is nearly random, so a branch for each bit would often be mispredicted.
    #[inline(always)]
    fn add<const MANY: usize>(&mut self, mut mask: u64, at: usize) {
        let count = mask.count_ones() as usize;
        for places in self.memory.as_chunks_mut::<MANY>().0 {
            for place in places {
                *place = at as u32 + mask.trailing_zeros();
                mask &= mask.wrapping_sub(1);
            }
            if mask == 0 {
                break;
            }
        }
        self.memory = &mut std::mem::take(&mut self.memory)[count..];
    }

    fn close(self) {
        *self.count += self.whole - self.memory.len();
    }
}

impl Index {
    /// Delimiters and line feeds outside quotes: the ends of cells.
    pub fn ends(&self) -> &[u32] {
        self.ends.all()
    }

    /// Line feeds outside quotes: the ends of rows.
    pub fn feeds(&self) -> &[u32] {
        self.feeds.all()
    }

    /// Whether a stretch contains a quote, a carriage return, or a byte beyond ASCII.
    #[inline]
    pub fn has_rare(&self, span: Span) -> bool {
        self.is_any(span, |rare| rare.all)
    }

    /// Whether a stretch contains a quote, and whether it contains a byte beyond ASCII or a carriage return.
    pub fn has(&self, span: Span) -> (bool, bool) {
        (self.is_any(span, |rare| rare.quotes), self.is_any(span, |rare| rare.all & !rare.quotes))
    }

    /// The form of the text in a stretch, and whether it contains a carriage return. Reads only the bytes beyond ASCII.
    pub fn form(&self, bytes: &[u8], span: Span) -> (Form, bool) {
        let (mut form, mut has_return) = (Form::Plain, false);
        let mut at = span.start as usize;
        while at < span.end as usize {
            let block = (at - self.from) / BLOCK;
            let start = self.from + block * BLOCK;
            let rare = self.rare.get(block).copied().unwrap_or_default();
            let mut odd = (rare.all & !rare.quotes) >> (at - start) << (at - start);
            let end = (start + BLOCK).min(span.end as usize);
            if end < start + BLOCK {
                odd &= (1 << (end - start)) - 1;
            }
            while odd != 0 {
                let byte = bytes[start + odd.trailing_zeros() as usize];
                odd &= odd - 1;
                has_return |= byte == b'\r';
                form = if form.is_simple() && Form::may_be_simple(byte) { Form::Simple } else { Form::Composite };
            }
            at = end;
        }
        (form, has_return)
    }

    #[inline]
    fn is_any(&self, span: Span, of: impl Fn(&Rare) -> u64) -> bool {
        if span.is_empty() {
            return false;
        }
        let (first, last) = (span.start as usize - self.from, span.end as usize - 1 - self.from);
        let (first_mask, last_mask) = (u64::MAX << (first % BLOCK), u64::MAX >> (BLOCK - 1 - last % BLOCK));
        match self.rare.get(first / BLOCK..=last / BLOCK) {
            Some([only]) => of(only) & first_mask & last_mask != 0,
            Some([one, between @ .., other]) => {
                let between = between.iter().fold(0, |all, rare| all | of(rare));
                (of(one) & first_mask) | (of(other) & last_mask) | between != 0
            }
            _ => false,
        }
    }

    /// Indexes `bytes` from the row start `from`. Positions count from the start of `bytes`, which must be smaller than 4 GiB. A text
    /// without a final line feed is treated as if it had one.
    pub fn find(&mut self, bytes: &[u8], from: usize, delimiter: u8) {
        let Index { ends: all_ends, feeds: all_feeds, rare: all_rare, .. } = self;
        for places in [&mut *all_ends, all_feeds] {
            places.count = 0;
        }
        let bytes_from = bytes.get(from..).unwrap_or_default();
        let count = bytes_from.len().div_ceil(BLOCK);
        if bytes_from.len() > LONG {
            all_rare.reserve_exact((OWN_MAPPING / size_of::<Rare>()).max(count) - all_rare.len());
        }
        all_rare.resize(count, Rare::default());
        let mut quoted = QuoteScanner::new();
        let (blocks, rest) = bytes_from.as_chunks::<BLOCK>();
        let mut last = [0; BLOCK];
        last[..rest.len()].copy_from_slice(rest);
        let stretches = blocks.chunks(STRETCH / BLOCK).chain((!rest.is_empty()).then_some(std::slice::from_ref(&last)));
        let (mut at, mut rares) = (from, all_rare.as_mut_slice());
        for stretch in stretches {
            let (of_stretch, others) = std::mem::take(&mut rares).split_at_mut(stretch.len());
            Arch::new().dispatch(FindIn {
                blocks: stretch,
                start: at,
                delimiter,
                quoted: &mut quoted,
                ends: all_ends.unfilled(),
                feeds: all_feeds.unfilled(),
                rares: of_stretch,
            });
            at += stretch.len() * BLOCK;
            rares = others;
        }
        if bytes.len() > from && self.feeds.all().last().is_none_or(|feed| *feed as usize + 1 != bytes.len()) {
            self.ends.push(bytes.len());
            self.feeds.push(bytes.len());
        }
        self.from = from;
    }
}

struct FindIn<'a> {
    blocks: &'a [[u8; BLOCK]],
    start: usize,
    delimiter: u8,
    quoted: &'a mut QuoteScanner,
    ends: UnfilledRow<'a>,
    feeds: UnfilledRow<'a>,
    rares: &'a mut [Rare],
}

impl WithSimd for FindIn<'_> {
    type Output = ();

    #[inline(always)]
    fn with_simd<S: Simd>(self, _: S) {
        let FindIn { blocks, start, delimiter, quoted, ends: mut new_ends, feeds: mut new_feeds, rares } = self;
        let mut marks = [Marks::default(); STRETCH / BLOCK];
        let marks = &mut marks[..blocks.len()];
        marks::mark_all(blocks, delimiter, marks);
        for ((at, marks), place) in (start..).step_by(BLOCK).zip(marks).zip(rares) {
            let Marks { mut ends, mut feeds, quotes, odd } = *marks;
            if quotes != 0 || quoted.is_inside() {
                let inside = quoted.inside(at, quotes, ends);
                (ends, feeds) = (ends & !inside, feeds & !inside);
            } else {
                quoted.go_past(ends);
            }
            *place = Rare { all: odd | quotes, quotes };
            new_ends.add::<8>(ends, at);
            new_feeds.add::<2>(feeds, at);
        }
        new_ends.close();
        new_feeds.close();
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::formats::delimited::record::{Cells, Record};
    use crate::formats::delimited::row_ends::OutsideQuotes;
    use crate::source::Reading;
    use crate::source::blocks::Blocks;

    proptest! {
        #[test]
        fn rows_and_cells_end_where_the_reader_ends_them(text in "([a,;\"\r\né]{0,30}|[a-z,\"\n]{60,200})") {
            // A chunk ends with a row, so its quotes are closed.
            let open = {
                let mut blocks = Blocks::new(
                    String::new(),
                    Box::new(std::io::Cursor::new(text.clone())),
                    OutsideQuotes::new(b','),
                    &Reading::default(),
                );
                std::iter::from_fn(|| blocks.next_block().transpose()).any(|block| block.is_err())
            };
            prop_assume!(!open);
            let mut index = Index::default();
            index.find(text.as_bytes(), 0, b',');
            let (mut ends, mut feeds, mut at) = (Vec::new(), Vec::new(), 0);
            let mut cells = Cells::default();
            while at < text.len() {
                let record = Record::read(&text, at, b',', &mut cells);
                let mut end = at;
                for index in 0..record.count() {
                    end += record.raw_cell(index).len() + 1;
                    ends.push(end as u32 - 1);
                }
                at += record.width();
                let end = at as u32 - u32::from(!record.line_end.is_empty());
                *ends.last_mut().unwrap() = end;
                feeds.push(end);
            }
            prop_assert_eq!(index.ends(), &ends, "{:?}", text);
            prop_assert_eq!(index.feeds(), &feeds);
            for (start, _) in text.char_indices() {
                for end in (start..=text.len()).filter(|end| text.is_char_boundary(*end)) {
                    let part = &text[start..end];
                    let expected = (part.contains('"'), !part.is_ascii() || part.contains('\r'));
                    prop_assert_eq!(index.has(Span::new(start, end)), expected, "{:?} in {:?}", part, text);
                    prop_assert_eq!(index.form(text.as_bytes(), Span::new(start, end)), (Form::of(part), part.contains('\r')));
                    prop_assert_eq!(index.has_rare(Span::new(start, end)), expected.0 || expected.1);
                }
            }
        }
    }
}
