//! Where the cells and rows of a part end, found in one pass over its bytes.

use keen_notch_core::text::lanes::{self, STEP};

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

impl Places {
    /// Adds the places whose bits are set in the mask of the step at `at`, so many at a time. Those too many are written
    /// over by the next: how many bits are set is as good as random, and a processor that foresees branches would be
    /// wrong if each bit were asked.
    #[inline]
    fn add<const MANY: usize>(&mut self, mut mask: u64, at: usize) {
        if self.room.len() < self.count + STEP {
            self.room.resize((self.count + STEP) * 2, 0);
        }
        let Some(room) = self.room.get_mut(self.count..).and_then(|room| room.first_chunk_mut::<STEP>()) else { return };
        self.count += mask.count_ones() as usize;
        for places in room.as_chunks_mut::<MANY>().0 {
            for place in places {
                *place = at as u32 + mask.trailing_zeros();
                mask &= mask.wrapping_sub(1);
            }
            if mask == 0 {
                return;
            }
        }
    }

    fn all(&self) -> &[u32] {
        &self.room[..self.count]
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
        for places in [&mut self.ends, &mut self.feeds, &mut self.quotes, &mut self.odd] {
            places.count = 0;
        }
        let mut quoted = Quoted { inside: false, past: 0 };
        let mut at = from;
        while let Some(rest) = bytes.get(at..).filter(|rest| !rest.is_empty()) {
            let filled;
            let step = match rest.first_chunk::<STEP>() {
                Some(step) => step,
                None => {
                    // Zeros stand for bytes behind the end.
                    filled = std::array::from_fn(|place| rest.get(place).copied().unwrap_or(0));
                    &filled
                }
            };
            let lanes::Marks { mut ends, mut feeds, rare } = lanes::marks(step, delimiter);
            if rare != 0 || quoted.inside {
                let quotes = lanes::places(step, b'"');
                self.quotes.add::<1>(quotes, at);
                self.odd.add::<1>(rare & !quotes, at);
                if quotes != 0 || quoted.inside {
                    let outside = quoted.outside(bytes, from, delimiter, at, ends | quotes);
                    (ends, feeds) = (ends & outside, feeds & outside);
                }
            }
            self.ends.add::<8>(ends, at);
            self.feeds.add::<2>(feeds, at);
            at += STEP;
        }
    }
}

/// Whether the byte at hand is in quotes.
struct Quoted {
    inside: bool,
    /// Quotes before this place have been seen to.
    past: usize,
}

impl Quoted {
    /// Of the delimiters, line feeds and quotes in the step at `at`, those that are not in quotes.
    fn outside(&mut self, bytes: &[u8], from: usize, delimiter: u8, at: usize, mut marks: u64) -> u64 {
        let mut outside = 0;
        while marks != 0 {
            let bit = marks & marks.wrapping_neg();
            let place = at + marks.trailing_zeros() as usize;
            marks &= marks - 1;
            let is_quote = bytes.get(place) == Some(&b'"');
            if !self.inside {
                outside |= bit;
                // A quote opens a cell at its start only; anywhere else it is text.
                self.inside = is_quote && (place == from || bytes[place - 1] == delimiter || bytes[place - 1] == b'\n');
            } else if is_quote && place >= self.past {
                if bytes.get(place + 1) == Some(&b'"') {
                    self.past = place + 2;
                } else {
                    self.inside = false;
                }
            }
        }
        outside
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
