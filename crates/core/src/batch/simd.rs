//! Searches in parts of a text, 16 bytes at a time.
//!
//! A part is given as a range of the whole text. Reads may go beyond the end of the part, which avoids a loop over the last bytes.

use std::ops::Range;

use super::{Sixteen, Span};

/// Runs a loop compiled for the best instruction set of this CPU. `with_simd` and all functions that it calls must be inlined.
#[inline]
pub fn for_this_processor<L: pulp::WithSimd>(of: L) -> L::Output {
    pulp::Arch::new().dispatch(of)
}

/// The 16 bytes from `at`, padded with zeros at the end of the text.
#[inline(always)]
pub fn load(text: &[u8], at: usize) -> Sixteen {
    match text.get(at..at + 16).and_then(|rest| rest.first_chunk::<16>()) {
        Some(chunk) => Sixteen::new(*chunk),
        None => Sixteen::new(load_last(text.get(at..).unwrap_or_default()).to_le_bytes()),
    }
}

/// Fewer than 16 bytes, padded with zeros. The result is an integer, so that it is returned in registers.
#[cold]
#[inline(never)]
fn load_last(rest: &[u8]) -> u128 {
    let mut chunk = [0; 16];
    let width = rest.len().min(16);
    chunk[..width].copy_from_slice(&rest[..width]);
    u128::from_le_bytes(chunk)
}

/// The mask of the bytes equal to `wanted`, the lowest bit for the first byte.
#[inline(always)]
pub fn are(sixteen: Sixteen, wanted: Sixteen) -> u32 {
    sixteen.equal(wanted)
}

#[derive(Debug, Clone, Copy)]
pub struct ByteRange {
    first: Sixteen,
    wide: Sixteen,
}

impl ByteRange {
    pub const DIGITS: ByteRange = ByteRange { first: Sixteen::new([b'0'; 16]), wide: Sixteen::new([9; 16]) };

    #[inline(always)]
    pub fn new(first: u8, last: u8) -> ByteRange {
        ByteRange { first: Sixteen::splat(first), wide: Sixteen::splat(last - first) }
    }

    /// The mask of the bytes in the range, the lowest bit for the first byte.
    #[inline(always)]
    pub fn has(self, sixteen: Sixteen) -> u32 {
        sixteen.within(self.first, self.wide)
    }
}

/// Whether a part is plain: ASCII without carriage returns.
#[inline(always)]
pub fn is_plain(text: &[u8], span: Span) -> bool {
    let ascii = ByteRange::new(0, 0x7F);
    let returns = Sixteen::splat(b'\r');
    all(text, span.start as usize, span.end as usize, |sixteen| ascii.has(sixteen) & !are(sixteen, returns))
}

/// Whether a plain part contains a text, ignoring case. Returns false for a text that is not plain.
#[inline(always)]
pub fn contains_in_any_case(text: &[u8], span: Span, wanted: &[u8]) -> bool {
    let (Some(first), Some(last)) = (wanted.first(), wanted.last()) else { return true };
    // Setting the case bit finds candidates; the comparison rejects false ones.
    let folded = |byte: u8| Sixteen::splat(byte | 0x20);
    let (first, last, case) = (folded(*first), folded(*last), Sixteen::splat(0x20));
    let apart = wanted.len() - 1;
    let (mut at, end) = (span.start as usize, span.end as usize);
    while at + apart < end {
        let mut found = are(load(text, at) | case, first) & are(load(text, at + apart) | case, last);
        while found != 0 {
            let place = at + found.trailing_zeros() as usize;
            let part = text.get(place..place + wanted.len());
            if place + apart < end && part.is_some_and(|part| part.eq_ignore_ascii_case(wanted)) {
                return true;
            }
            found &= found - 1;
        }
        at += 16;
    }
    false
}

#[inline(always)]
pub fn first_bits(count: usize) -> u32 {
    (1 << count.min(16)) - 1
}

/// The first position in a part whose bit `test` sets.
#[inline(always)]
pub fn first(text: &[u8], start: usize, end: usize, test: impl Fn(Sixteen) -> u32) -> Option<usize> {
    let mut at = start;
    loop {
        let found = test(load(text, at));
        if found != 0 {
            let found = at + found.trailing_zeros() as usize;
            return (found < end).then_some(found);
        }
        at += 16;
        if at >= end {
            return None;
        }
    }
}

/// A non-empty text to search for.
#[derive(Debug, Clone, Copy)]
pub struct Needle<'w> {
    text: &'w [u8],
    first: Sixteen,
    last: Sixteen,
}

impl<'w> Needle<'w> {
    #[inline(always)]
    pub fn new(text: &'w [u8]) -> Needle<'w> {
        let splat = |byte: Option<&u8>| Sixteen::splat(byte.copied().unwrap_or_default());
        Needle { text, first: splat(text.first()), last: splat(text.last()) }
    }

    #[inline(always)]
    pub fn width(&self) -> usize {
        self.text.len()
    }

    /// Its first position in a part. Candidates have the first and the last byte at the right distance.
    #[inline(always)]
    pub fn first(&self, text: &[u8], start: usize, end: usize) -> Option<usize> {
        let (apart, between) = match self.text {
            [_, between @ .., _] => (between.len() + 1, between),
            _ => (0, &[][..]),
        };
        let mut at = start;
        while at + apart < end {
            let mut found = are(load(text, at), self.first) & are(load(text, at + apart), self.last);
            while found != 0 {
                let place = at + found.trailing_zeros() as usize;
                if place + apart >= end {
                    return None;
                }
                if has_at(text, place + 1, between) {
                    return Some(place);
                }
                found &= found - 1;
            }
            at += 16;
        }
        None
    }
}

#[inline(always)]
fn has_at(text: &[u8], at: usize, wanted: &[u8]) -> bool {
    match wanted {
        [] => true,
        [one] => text.get(at) == Some(one),
        _ => text.get(at..).unwrap_or_default().iter().zip(wanted).all(|(byte, wanted)| byte == wanted),
    }
}

/// Calls `give` with each unbroken run of bytes whose bits `test` sets, from left to right.
#[inline(always)]
pub fn each_run(text: &[u8], test: impl Fn(Sixteen) -> u32, mut give: impl FnMut(Range<usize>)) {
    // The start of a run that continues beyond the current bytes.
    let mut open = None;
    for at in (0..text.len()).step_by(64) {
        let width = (text.len() - at).min(64);
        let bits = (0..width).step_by(16).map(|from| u64::from(test(load(text, at + from))) << from);
        let mut left = bits.fold(0, |all, bits| all | bits) & (u64::MAX >> (64 - width));
        if let Some(start) = open {
            let end = left.trailing_ones();
            if end == 64 {
                continue;
            }
            give(start..at + end as usize);
            left &= u64::MAX << end;
            open = None;
        }
        while left != 0 {
            let start = left.trailing_zeros();
            let end = start + (left >> start).trailing_ones();
            if end == 64 {
                open = Some(at + start as usize);
                break;
            }
            give(at + start as usize..at + end as usize);
            left &= u64::MAX << end;
        }
    }
    if let Some(start) = open {
        give(start..text.len());
    }
}

/// The last position in a part whose bit `test` sets.
#[inline(always)]
pub fn last(text: &[u8], start: usize, end: usize, test: impl Fn(Sixteen) -> u32) -> Option<usize> {
    let mut to = end;
    while to > start {
        // Near the start of the text the bytes extend beyond `to`; those bits are masked.
        let at = to.saturating_sub(16);
        let found = test(load(text, at)) & first_bits(to - at);
        if found != 0 {
            let found = at + found.ilog2() as usize;
            return (found >= start).then_some(found);
        }
        to = at;
    }
    None
}

/// The position of the byte after `skipped` occurrences.
#[inline(always)]
pub fn nth(text: &[u8], start: usize, end: usize, byte: Sixteen, mut skipped: usize) -> Option<usize> {
    let mut at = start;
    while at < end {
        let mut found = are(load(text, at), byte);
        while found != 0 {
            if skipped == 0 {
                let found = at + found.trailing_zeros() as usize;
                return (found < end).then_some(found);
            }
            skipped -= 1;
            found &= found - 1;
        }
        at += 16;
    }
    None
}

/// The section with this index, from 0, or `None` if there are fewer.
// Inlined, because a call takes longer than the work.
#[inline(always)]
pub fn section(text: &[u8], value: Span, by: Sixteen, index: usize) -> Option<Span> {
    let (start, end) = (value.start as usize, value.end as usize);
    if value.width() <= 16 {
        let found = are(load(text, start), by) & first_bits(value.width());
        return section_by(u64::from(found), value, index);
    }
    let from = match index.checked_sub(1) {
        None => start,
        Some(before) => nth(text, start, end, by, before)? + 1,
    };
    let to = first(text, from, end, |sixteen| are(sixteen, by)).unwrap_or(end);
    Some(Span::new(from, to))
}

/// The section with this index. A set bit of `found` marks a delimiter in the value.
#[inline(always)]
pub fn section_by(mut found: u64, value: Span, index: usize) -> Option<Span> {
    let mut from = 0;
    for _ in 0..index {
        if found == 0 {
            return None;
        }
        from = found.trailing_zeros() + 1;
        found &= found - 1;
    }
    let to = if found == 0 { value.width() as u32 } else { found.trailing_zeros() };
    Some(Span { start: value.start + from, end: value.start + to })
}

/// Whether `test` sets the bits of all bytes of a part.
#[inline(always)]
pub fn all(text: &[u8], start: usize, end: usize, test: impl Fn(Sixteen) -> u32) -> bool {
    let lacks = |at: usize, width: usize| !test(load(text, at)) & first_bits(width);
    // Most parts are short and need no loop.
    if end - start <= 16 {
        return lacks(start, end - start) == 0;
    }
    (start..end).step_by(16).all(|at| lacks(at, end - at) == 0)
}

#[cfg(test)]
mod tests {
    use super::*;

    const DASH: Sixteen = Sixteen::new([b'-'; 16]);

    #[test]
    fn stretches_are_searched_and_nothing_around_them() {
        // The byte also occurs on both sides of the part.
        for (length, before) in (0..40).flat_map(|length| [0, 1, 5, 17].map(|before| (length, before))) {
            let mut text = vec![b'-'; before + length + 20];
            let (start, end) = (before, before + length);
            text[start..end].fill(b'x');
            for after in [0, 20] {
                text.truncate(end + after);
                let dash = |sixteen| are(sixteen, DASH);
                assert_eq!((first(&text, start, end, dash), last(&text, start, end, dash)), (None, None));
                assert_eq!(nth(&text, start, end, DASH, 0), None);
                assert!(all(&text, start, end, |sixteen| ByteRange::new(b'a', b'x').has(sixteen)));
            }
            text.resize(end + 20, b'-');
            for at in start..end {
                text[at] = b'-';
                assert_eq!(first(&text, start, end, |sixteen| are(sixteen, DASH)), Some(start), "{at} of {length}");
                assert_eq!(last(&text, start, end, |sixteen| are(sixteen, DASH)), Some(at), "{at} of {length}");
                assert_eq!(nth(&text, start, end, DASH, at - start), Some(at));
                assert_eq!(nth(&text, start, end, DASH, at - start + 1), None);
                assert!(!all(&text, start, end, |sixteen| ByteRange::new(b'a', b'x').has(sixteen)));
            }
        }
    }

    #[test]
    fn texts_are_found_where_they_stand_whole() {
        let text = b"WO WO:WO:1 and then far behind all of this WO:2 OO:";
        let find = |start: usize, end: usize, wanted: &str| Needle::new(wanted.as_bytes()).first(text, start, end);
        for start in 0..text.len() {
            for end in start..=text.len() {
                for wanted in ["WO:", "O", "WO", "WO:2", "far behind all of this"] {
                    let plain = str::from_utf8(&text[start..end]).unwrap().find(wanted).map(|at| start + at);
                    assert_eq!(find(start, end, wanted), plain, "{wanted} in {start}..{end}");
                }
            }
        }
    }

    #[test]
    fn texts_are_found_in_any_case() {
        let text = b"xxWO:1 wo- and far behind all of this Wo: OO;";
        for start in 0..text.len() {
            for end in start..=text.len() {
                for wanted in ["wo:", "O", "AND", "far Behind all OF this", "-", ""] {
                    let part = str::from_utf8(&text[start..end]).unwrap().to_lowercase();
                    let found = contains_in_any_case(text, Span::new(start, end), wanted.as_bytes());
                    assert_eq!(found, part.contains(&wanted.to_lowercase()), "{wanted} in {part}");
                }
            }
        }
    }

    #[test]
    fn ranges_of_bytes() {
        for byte in 0..=255u8 {
            assert_eq!(ByteRange::DIGITS.has(Sixteen::splat(byte)) != 0, byte.is_ascii_digit(), "{byte}");
            assert_eq!(ByteRange::new(0, 127).has(Sixteen::splat(byte)) != 0, byte < 128);
        }
    }
}
