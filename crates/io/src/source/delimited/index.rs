//! The structural index of a delimited text: where cells and rows end, and which bytes need a second look, found in one
//! pass over it.

use keen_notch_core::batch::OWN_MAPPING;
use keen_notch_core::batch::Span;
use keen_notch_core::text::characters::Form;

use pulp::{Arch, Simd, WithSimd};

use super::marks::{self, Marks};
use super::quoted::Quoted;
use crate::source::blocks::{BLOCK, LONG};

/// Where the cells and the rows of a text end, and which bytes need a second look.
#[derive(Debug, Default)]
pub struct Index {
    ends: Places,
    feeds: Places,
    /// The byte that the index begins at.
    from: usize,
    /// By blocks of 64 bytes, a bit for each byte that needs a second look.
    rare: Vec<Rare>,
}

/// Which bytes of a block need a second look.
#[derive(Debug, Clone, Copy, Default)]
struct Rare {
    /// Quotes, carriage returns and bytes beyond ASCII.
    all: u64,
    /// Quotes.
    quotes: u64,
}

/// Places in a chunk, from left to right.
#[derive(Debug, Default)]
struct Places {
    /// Memory, of which `count` are in use.
    memory: Vec<u32>,
    count: usize,
}

/// The bytes that memory for places is made for at a time.
const STRETCH: usize = 64 * BLOCK;

impl Places {
    /// Memory for the places in a stretch, after those there are.
    fn unfilled(&mut self) -> Unfilled<'_> {
        if self.memory.len() < self.count + STRETCH + BLOCK {
            self.memory.resize((self.count + STRETCH) * 2, 0);
        }
        let memory = self.memory.get_mut(self.count..).unwrap_or_default();
        Unfilled { whole: memory.len(), memory, count: &mut self.count }
    }

    /// Adds a place.
    fn push(&mut self, place: usize) {
        let mut unfilled = self.unfilled();
        unfilled.add::<1>(1, place);
        unfilled.close();
    }

    fn all(&self) -> &[u32] {
        &self.memory[..self.count]
    }
}

/// Memory for places that were not found yet.
struct Unfilled<'p> {
    memory: &'p mut [u32],
    whole: usize,
    count: &'p mut usize,
}

impl Unfilled<'_> {
    /// Adds the places whose bits are set in the mask of the block at `at`, `MANY` at a time. Those too many are written
    /// over by the next: how many bits are set is as good as random, and a processor that foresees branches would be
    /// wrong if each bit were asked.
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

    /// Those that were added are among the places from now on.
    fn close(self) {
        *self.count += self.whole - self.memory.len();
    }
}

impl Index {
    /// Delimiters and line feeds that are not in quotes: where cells end.
    pub fn ends(&self) -> &[u32] {
        self.ends.all()
    }

    /// Line feeds that are not in quotes: where rows end.
    pub fn feeds(&self) -> &[u32] {
        self.feeds.all()
    }

    /// Whether any byte of a stretch needs a second look: a quote, a carriage return, or one beyond ASCII.
    #[inline]
    pub fn has_rare(&self, span: Span) -> bool {
        self.is_any(span, |rare| rare.all)
    }

    /// Whether any byte of a stretch is a quote, and whether any is beyond ASCII or a carriage return.
    pub fn has(&self, span: Span) -> (bool, bool) {
        (self.is_any(span, |rare| rare.quotes), self.is_any(span, |rare| rare.all & !rare.quotes))
    }

    /// What characters the text of a stretch is made of, and whether a carriage return is among them. Only the bytes beyond
    /// ASCII are looked at.
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

    /// Finds them in `bytes` from the row start `from` on. Places are counted from the start of `bytes`, of which there are
    /// fewer than 4 GiB. A row that ends with the text ends as if a line feed came after it.
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
        let mut quoted = Quoted::new();
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

/// Finds what is in some blocks, the first of which is at a place.
struct FindIn<'a> {
    blocks: &'a [[u8; BLOCK]],
    start: usize,
    delimiter: u8,
    quoted: &'a mut Quoted,
    ends: Unfilled<'a>,
    feeds: Unfilled<'a>,
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
    use crate::source::Reading;
    use crate::source::blocks::Blocks;
    use crate::source::delimited::record::{Cells, Record};
    use crate::source::delimited::row_ends::OutsideQuotes;

    proptest! {
        #[test]
        fn rows_and_cells_end_where_the_reader_ends_them(text in "([a,;\"\r\né]{0,30}|[a-z,\"\n]{60,200})") {
            // A chunk ends with a row, so quotes are closed in it.
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
