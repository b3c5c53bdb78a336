//! Where the cells and rows of a part end, found in one pass over its bytes.

use keen_notch_core::text::simd::{self, STEP};

use crate::quoted::{Quoted, steps};

/// The places of the bytes that matter for where rows and cells end and for how they are read, each kind in order.
#[derive(Debug, Default)]
pub struct Marks {
    ends: Places,
    feeds: Places,
    quotes: Places,
    odd: Places,
}

/// Places in a part, from left to right.
#[derive(Debug, Default)]
struct Places {
    /// Room, of which so many are in use.
    room: Vec<u32>,
    count: usize,
}

/// The bytes that room for places is made for at a time.
const STRETCH: usize = 64 * STEP;

impl Places {
    /// Room for the places in a stretch, behind those there are.
    fn room(&mut self) -> Room<'_> {
        if self.room.len() < self.count + STRETCH + STEP {
            self.room.resize((self.count + STRETCH) * 2, 0);
        }
        let room = self.room.get_mut(self.count..).unwrap_or_default();
        Room { whole: room.len(), room, count: &mut self.count }
    }

    /// Adds the places whose bits are set in the mask of the step at `at`, where few are.
    #[inline(never)]
    fn add(&mut self, mask: u64, at: usize) {
        if mask != 0 {
            let mut room = self.room();
            room.add::<1>(mask, at);
            room.close();
        }
    }

    fn all(&self) -> &[u32] {
        &self.room[..self.count]
    }
}

/// Room for places that were not found yet.
struct Room<'p> {
    room: &'p mut [u32],
    whole: usize,
    count: &'p mut usize,
}

impl Room<'_> {
    /// Adds the places whose bits are set in the mask of the step at `at`, so many at a time. Those too many are written
    /// over by the next: how many bits are set is as good as random, and a processor that foresees branches would be
    /// wrong if each bit were asked.
    #[inline]
    fn add<const MANY: usize>(&mut self, mut mask: u64, at: usize) {
        let count = mask.count_ones() as usize;
        for places in self.room.as_chunks_mut::<MANY>().0 {
            for place in places {
                *place = at as u32 + mask.trailing_zeros();
                mask &= mask.wrapping_sub(1);
            }
            if mask == 0 {
                break;
            }
        }
        self.room = &mut std::mem::take(&mut self.room)[count..];
    }

    /// Those that were added are among the places from now on.
    fn close(self) {
        *self.count += self.whole - self.room.len();
    }
}

impl Marks {
    /// Delimiters and line feeds that are not in quotes: where cells end.
    pub fn ends(&self) -> &[u32] {
        self.ends.all()
    }

    /// Line feeds that are not in quotes: where rows end.
    pub fn feeds(&self) -> &[u32] {
        self.feeds.all()
    }

    /// Quotes.
    pub fn quotes(&self) -> &[u32] {
        self.quotes.all()
    }

    /// Bytes beyond ASCII, and carriage returns: where a value is not plain.
    pub fn odd(&self) -> &[u32] {
        self.odd.all()
    }

    /// Finds them in `bytes` from the row start `from` on, by the rule of [`crate::record`]. Places are counted from
    /// the start of `bytes`, of which there are fewer than 4 GiB.
    // Compiled by itself: what its loops need then stays in registers.
    #[inline(never)]
    pub fn find(&mut self, bytes: &[u8], from: usize, delimiter: u8) {
        let Marks { ends: all_ends, feeds: all_feeds, quotes, odd } = self;
        for places in [&mut *all_ends, all_feeds, quotes, odd] {
            places.count = 0;
        }
        let mut quoted = Quoted::new(delimiter);
        let mut filled = [0; STEP];
        let stretches = bytes.get(from..).unwrap_or_default().chunks(STRETCH);
        for (start, stretch) in (from..).step_by(STRETCH).zip(stretches) {
            let (mut ends_room, mut feeds_room) = (all_ends.room(), all_feeds.room());
            for (at, step) in steps(stretch, start, &mut filled) {
                let simd::Marks { mut ends, mut feeds, rare } = simd::marks(step, delimiter);
                if rare != 0 || quoted.is_inside() {
                    let places = simd::places(step, b'"');
                    quotes.add(places, at);
                    odd.add(rare & !places, at);
                    let inside = quoted.inside(bytes, from, at, places);
                    (ends, feeds) = (ends & !inside, feeds & !inside);
                }
                ends_room.add::<8>(ends, at);
                feeds_room.add::<2>(feeds, at);
            }
            ends_room.close();
            feeds_room.close();
        }
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::record::{Cells, Record};

    proptest! {
        #[test]
        fn rows_and_cells_end_where_the_reader_ends_them(text in "([a,;\"\r\né]{0,30}|[a-z,\"\n]{60,200})") {
            // A part ends with a row, so quotes are closed in it.
            let open = {
                let mut blocks = crate::block::Blocks::new(String::new(), Box::new(std::io::Cursor::new(text.clone())), b',', 9999);
                std::iter::from_fn(|| blocks.next_block().transpose()).any(|block| block.is_err())
            };
            prop_assume!(!open);
            let mut marks = Marks::default();
            marks.find(text.as_bytes(), 0, b',');
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
                match record.line_end {
                    "" => _ = ends.pop(),
                    _ => {
                        *ends.last_mut().unwrap() = at as u32 - 1;
                        feeds.push(at as u32 - 1);
                    }
                }
            }
            prop_assert_eq!(marks.ends(), &ends, "{:?}", text);
            prop_assert_eq!(marks.feeds(), &feeds);
            let places = |is: fn(char) -> bool| text.char_indices().filter(move |(_, c)| is(*c)).map(|(at, _)| at as u32);
            prop_assert_eq!(marks.quotes(), places(|c| c == '"').collect::<Vec<_>>());
            let odd = places(|c| c == '\r' || c == 'é').collect::<Vec<_>>();
            prop_assert!(odd.iter().all(|at| marks.odd().contains(at)));
        }
    }
}
