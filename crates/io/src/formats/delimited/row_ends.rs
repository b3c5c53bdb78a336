//! Finds row ends of delimited text: line ends outside quotes.

use std::hint::select_unpredictable;

use pulp::{Arch, Simd, WithSimd};

use crate::formats::delimited::marks;
use crate::formats::delimited::marks::RowMarks;
use crate::formats::delimited::quotes::QuoteScanner;
use crate::source::blocks::{BLOCK, EachLine, LineEnds, RowEnds};
use crate::source::strips::GuessedRowEnds;

#[derive(Clone)]
pub struct OutsideQuotes {
    delimiter: u8,
    quoted: QuoteScanner,
}

impl OutsideQuotes {
    pub fn new(delimiter: u8) -> OutsideQuotes {
        OutsideQuotes { delimiter, quoted: QuoteScanner::new() }
    }
}

impl RowEnds for OutsideQuotes {
    fn look(&mut self, blocks: &[[u8; BLOCK]], at: usize) -> LineEnds {
        let OutsideQuotes { delimiter, quoted } = self;
        let bytes = blocks.as_flattened();
        if let Some(last) = bytes.last().filter(|_| !quoted.is_inside())
            && memchr::memchr(b'"', bytes).is_none()
        {
            // Without quotes, every line end is a row end.
            quoted.go_past(u64::from(*last == *delimiter || *last == b'\n') << (BLOCK - 1));
            return EachLine.look(blocks, at);
        }
        Arch::new().dispatch(FindRowEnds { blocks, start: at, delimiter: *delimiter, quoted })
    }

    fn opened(&self) -> Option<usize> {
        self.quoted.opened()
    }

    fn go_on(&mut self, bytes: usize) {
        self.quoted.go_on(bytes);
    }
}

impl GuessedRowEnds for OutsideQuotes {
    fn after(&self, before: u8, is_inside: bool) -> OutsideQuotes {
        let may_open = [self.delimiter, b'\n', b'"'].contains(&before);
        OutsideQuotes { delimiter: self.delimiter, quoted: QuoteScanner::at(is_inside, may_open) }
    }

    fn is_doubtful(&self) -> bool {
        self.quoted.is_odd()
    }

    fn is_like(&self, other: &OutsideQuotes) -> bool {
        self.quoted.is_like(&other.quoted)
    }

    fn carried(&self) -> OutsideQuotes {
        OutsideQuotes { delimiter: self.delimiter, quoted: self.quoted.carried() }
    }
}

struct FindRowEnds<'a> {
    blocks: &'a [[u8; BLOCK]],
    start: usize,
    delimiter: u8,
    quoted: &'a mut QuoteScanner,
}

impl WithSimd for FindRowEnds<'_> {
    type Output = LineEnds;

    #[inline(always)]
    fn with_simd<S: Simd>(self, _: S) -> LineEnds {
        let FindRowEnds { blocks, start, delimiter, quoted } = self;
        let (mut first, mut last, mut line_ends, mut at) = (0, 0, 0, start);
        let mut marks = [RowMarks::default(); 64];
        for stretch in blocks.chunks(marks.len()) {
            marks::mark_rows(stretch, &mut marks);
            for (block, RowMarks { mut feeds, quotes }) in stretch.iter().zip(marks) {
                line_ends += u64::from(feeds.count_ones());
                if quotes != 0 || quoted.is_inside() {
                    feeds &= !quoted.inside(at, quotes, feeds | marks::places(block, delimiter));
                } else {
                    quoted.go_past(feeds | u64::from(block[BLOCK - 1] == delimiter) << (BLOCK - 1));
                }
                let after_last = at + BLOCK - feeds.leading_zeros() as usize;
                if first == 0 && feeds != 0 {
                    first = at + feeds.trailing_zeros() as usize + 1;
                }
                last = select_unpredictable(feeds != 0, after_last, last);
                at += BLOCK;
            }
        }
        LineEnds { line_ends, row_ends: (last > 0).then_some((first, last)) }
    }
}

#[cfg(test)]
mod tests {
    use std::io;

    use proptest::prelude::*;

    use super::*;
    use crate::Error;
    use crate::formats::delimited::record::{Cells, Record};
    use crate::source::Reading;
    use crate::source::blocks::{Blocks, lines};

    /// The blocks with their first lines, read `stride` bytes at a time, for rows of up to 60 bytes.
    fn blocks(text: &str, stride: usize) -> Result<Vec<(String, u64)>, Error> {
        let reader = Box::new(io::Cursor::new(text.to_owned()));
        let reading = Reading { max_row: 60, stride: Some(stride), ..Reading::default() };
        let mut blocks = Blocks::new("test".into(), reader, OutsideQuotes::new(b','), &reading);
        let mut found = Vec::new();
        while let Some(block) = blocks.next_block()? {
            found.push((String::from_utf8(block.bytes().to_vec()).unwrap(), block.first_line));
        }
        Ok(found)
    }

    #[test]
    fn an_unclosed_quote_and_a_row_without_end_are_refused() {
        for stride in [1, 7, 100] {
            let error = blocks("a,b\n1,2\n3,\"x\n4,5\n", stride).unwrap_err();
            assert!(matches!(error, Error::UnclosedQuote { line: 3, .. }), "{error}");
        }
        let error = blocks("a,b\n\"0123456789012345678901234567890123456789012345678901234567890123456789\",", 10).unwrap_err();
        assert!(matches!(error, Error::RowTooLong { line: 2, limit: 60, .. }), "{error}");
    }

    /// Rows in unusual notation, but with every quote closed.
    fn rows() -> impl Strategy<Value = Vec<String>> {
        let cell = r#"[a;é]{0,3}|"([a,\r\n]|""){0,4}"|a"[a;]{0,2}"#;
        let row = proptest::collection::vec(cell, 1..5).prop_map(|cells| cells.join(","));
        proptest::collection::vec(row, 0..40)
    }

    proptest! {
        #[test]
        fn blocks_end_where_rows_end_whatever_the_stride(
            rows in rows(),
            line_end in prop_oneof![Just("\n"), Just("\r\n")],
            stride in 1..200_usize,
        ) {
            let text = rows.join(line_end);
            let mut starts = vec![0];
            let mut cells = Cells::default();
            while let Some(at) = starts.last().copied().filter(|at| *at < text.len()) {
                starts.push(at + Record::read(&text, at, b',', &mut cells).width());
            }
            let mut at = 0;
            for (block, first_line) in blocks(&text, stride).unwrap() {
                prop_assert_eq!(&text[at..at + block.len()], &block);
                prop_assert_eq!(first_line, lines(&text.as_bytes()[..at]) + 1);
                at += block.len();
                prop_assert!(starts.contains(&at), "{:?} ends within a row", block);
            }
            prop_assert_eq!(at, text.len());
        }
    }
}
