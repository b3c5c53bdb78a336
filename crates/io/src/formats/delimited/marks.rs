//! Masks of the structural bytes of delimited text, for 64 bytes at a time (Langdale, Lemire: Parsing gigabytes of JSON per second, VLDB
//! Journal 2019).

use keen_notch_core::batch::{Sixteen, Span};

use crate::source::blocks::BLOCK;

/// Three bytes to search for in many short stretches of text.
#[derive(Debug, Clone, Copy)]
pub struct AnyOf([Sixteen; 3]);

impl AnyOf {
    pub fn new(bytes: [u8; 3]) -> AnyOf {
        AnyOf(bytes.map(Sixteen::splat))
    }

    /// Whether a stretch contains one of them. Reads 16 bytes at a time, and masks those beyond the stretch.
    #[inline(always)]
    pub fn is_in(self, text: &[u8], span: Span) -> bool {
        let [one, other, third] = self.0;
        let (mut at, end) = (span.start as usize, span.end as usize);
        while at < end {
            let bytes = match text.get(at..at + 16).and_then(|rest| rest.first_chunk::<16>()) {
                Some(sixteen) => Sixteen::new(*sixteen),
                None => Sixteen::new(last_bytes(text.get(at..).unwrap_or_default()).to_le_bytes()),
            };
            let found = bytes.equal(one) | bytes.equal(other) | bytes.equal(third);
            if found != 0 {
                return at + (found.trailing_zeros() as usize) < end;
            }
            at += 16;
        }
        false
    }
}

/// Fewer than 16 bytes, padded with zeros. The result is an integer, so that it is returned in registers.
#[cold]
#[inline(never)]
fn last_bytes(rest: &[u8]) -> u128 {
    let mut bytes = [0; 16];
    bytes.iter_mut().zip(rest).for_each(|(byte, rest)| *byte = *rest);
    u128::from_le_bytes(bytes)
}

/// Masks of a block of delimited text.
#[derive(Debug, Clone, Copy, Default)]
pub struct Marks {
    pub ends: u64,
    pub feeds: u64,
    pub quotes: u64,
    pub odd: u64,
}

/// The masks of some blocks.
// A loop without other work; otherwise the compiler splits the vector registers.
pub fn mark_all(blocks: &[[u8; BLOCK]], delimiter: u8, marks: &mut [Marks]) {
    for_each_block(blocks, marks, MarkBlock { delimiter });
}

struct MarkBlock {
    delimiter: u8,
}

impl OfBlock<Marks> for MarkBlock {
    #[inline(always)]
    fn of<B: Bytes>(&self, bytes: B) -> Marks {
        let feeds = bytes.are(b'\n');
        Marks {
            ends: feeds | bytes.are(self.delimiter),
            feeds,
            quotes: bytes.are(b'"'),
            odd: bytes.are(b'\r') | bytes.are_high(),
        }
    }
}

#[derive(Debug, Clone, Copy, Default)]
pub struct RowMarks {
    pub feeds: u64,
    pub quotes: u64,
}

pub fn mark_rows(blocks: &[[u8; BLOCK]], marks: &mut [RowMarks]) {
    struct MarkRows;
    impl OfBlock<RowMarks> for MarkRows {
        #[inline(always)]
        fn of<B: Bytes>(&self, bytes: B) -> RowMarks {
            RowMarks { feeds: bytes.are(b'\n'), quotes: bytes.are(b'"') }
        }
    }
    for_each_block(blocks, marks, MarkRows);
}

/// The mask of a byte in a block.
pub fn places(block: &[u8; BLOCK], byte: u8) -> u64 {
    Sixteens(*block).are(byte)
}

trait Bytes {
    fn are(&self, byte: u8) -> u64;

    fn are_high(&self) -> u64;
}

trait OfBlock<M> {
    fn of<B: Bytes>(&self, bytes: B) -> M;
}

struct Sixteens([u8; BLOCK]);

impl Sixteens {
    #[inline(always)]
    fn mask(&self, test: impl Fn(Sixteen) -> u32) -> u64 {
        let (sixteens, _) = self.0.as_chunks::<16>();
        sixteens.iter().rev().fold(0, |mask, sixteen| mask << 16 | u64::from(test(Sixteen::new(*sixteen))))
    }
}

impl Bytes for Sixteens {
    #[inline(always)]
    fn are(&self, byte: u8) -> u64 {
        self.mask(|sixteen| sixteen.equal(Sixteen::splat(byte)))
    }

    #[inline(always)]
    fn are_high(&self) -> u64 {
        self.mask(Sixteen::high)
    }
}

#[cfg(target_arch = "x86_64")]
struct ThirtyTwos(pulp::x86::V3, [std::arch::x86_64::__m256i; 2]);

#[cfg(target_arch = "x86_64")]
impl ThirtyTwos {
    #[inline(always)]
    fn mask(&self, test: impl Fn(std::arch::x86_64::__m256i) -> std::arch::x86_64::__m256i) -> u64 {
        let mask = |bytes| u64::from(self.0.avx2._mm256_movemask_epi8(test(bytes)) as u32);
        mask(self.1[0]) | mask(self.1[1]) << 32
    }
}

#[cfg(target_arch = "x86_64")]
impl Bytes for ThirtyTwos {
    #[inline(always)]
    fn are(&self, byte: u8) -> u64 {
        let wanted = pulp::cast([byte; 32]);
        self.mask(|bytes| self.0.avx2._mm256_cmpeq_epi8(bytes, wanted))
    }

    #[inline(always)]
    fn are_high(&self) -> u64 {
        self.mask(|bytes| bytes)
    }
}

fn for_each_block<M>(blocks: &[[u8; BLOCK]], marks: &mut [M], of: impl OfBlock<M>) {
    #[cfg(target_arch = "x86_64")]
    if let Some(v3) = pulp::x86::V3::try_new() {
        struct Run<'a, M, O>(pulp::x86::V3, &'a [[u8; BLOCK]], &'a mut [M], O);
        impl<M, O: OfBlock<M>> pulp::NullaryFnOnce for Run<'_, M, O> {
            type Output = ();

            #[inline(always)]
            fn call(self) {
                let Run(v3, blocks, marks, of) = self;
                for (block, mark) in blocks.iter().zip(marks) {
                    let (halves, _) = block.as_chunks::<32>();
                    if let [first, second] = halves {
                        *mark = of.of(ThirtyTwos(v3, [pulp::cast(*first), pulp::cast(*second)]));
                    }
                }
            }
        }
        return v3.vectorize(Run(v3, blocks, marks, of));
    }
    for (block, mark) in blocks.iter().zip(marks) {
        *mark = of.of(Sixteens(*block));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bytes_are_found_in_a_stretch_and_not_after_it() {
        let text: Vec<u8> = b"abcdefghijklmnopqrs\"tuv,".to_vec();
        let special = AnyOf::new([b'"', b',', b'\n']);
        for (start, end) in (0..text.len()).flat_map(|start| (start..=text.len()).map(move |end| (start, end))) {
            let expected = text[start..end].iter().any(|byte| b"\",\n".contains(byte));
            assert_eq!(special.is_in(&text, Span::new(start, end)), expected, "{start} to {end}");
        }
    }

    #[test]
    fn marks_of_blocks() {
        let mut block = [b'x'; BLOCK];
        for (at, byte) in [(0, b','), (1, b'\n'), (2, b'"'), (3, b'\r'), (31, 0xC3), (32, b','), (62, b'"'), (63, b'\n')] {
            block[at] = byte;
        }
        let bits = |places: &[usize]| places.iter().fold(0, |bits, place| bits | 1 << place);
        let by_sixteen = MarkBlock { delimiter: b',' }.of(Sixteens(block));
        let (mut marks, mut rows) = ([Marks::default()], [RowMarks::default()]);
        mark_all(&[block], b',', &mut marks);
        mark_rows(&[block], &mut rows);
        for Marks { ends, feeds, quotes, odd } in [by_sixteen, marks[0]] {
            assert_eq!((ends, feeds), (bits(&[0, 1, 32, 63]), bits(&[1, 63])));
            assert_eq!((quotes, odd), (bits(&[2, 62]), bits(&[3, 31])));
        }
        assert_eq!((rows[0].feeds, rows[0].quotes, places(&block, b',')), (bits(&[1, 63]), bits(&[2, 62]), bits(&[0, 32])));
    }
}
