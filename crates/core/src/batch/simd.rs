//! Looking at stretches of a longer text sixteen bytes at a time.
//!
//! A stretch is looked at as a part of the text it is in: so what lies after its end can be read with it and
//! need not be told apart byte by byte.

use std::ops::Range;

use super::{Sixteen, Span};

/// Runs a loop as it was compiled for the processor at hand. It is compiled several times, for older and for newer
/// processors: `with_simd` and all that it calls must be inlined.
#[inline]
pub fn for_this_processor<L: pulp::WithSimd>(of: L) -> L::Output {
    pulp::Arch::new().dispatch(of)
}

/// The sixteen bytes from `at` on; zeros stand for those after the end of the text.
#[inline(always)]
pub fn lanes(text: &[u8], at: usize) -> Sixteen {
    match text.get(at..at + 16).and_then(|rest| rest.first_chunk::<16>()) {
        Some(chunk) => Sixteen::new(*chunk),
        None => Sixteen::new(last_lanes(text.get(at..).unwrap_or_default()).to_le_bytes()),
    }
}

/// Fewer than sixteen bytes, filled up with zeros. A number is given in registers, where lanes would not be: then all
/// lanes would take the way through memory, for the sake of a few.
#[cold]
#[inline(never)]
fn last_lanes(rest: &[u8]) -> u128 {
    let mut chunk = [0; 16];
    let width = rest.len().min(16);
    chunk[..width].copy_from_slice(&rest[..width]);
    u128::from_le_bytes(chunk)
}

/// A bit for each of the lanes that is equal to that of `wanted`, the lowest for the first.
#[inline(always)]
pub fn are(lanes: Sixteen, wanted: Sixteen) -> u32 {
    lanes.equal(wanted)
}

/// Bytes from one to another, ready to be looked for.
#[derive(Debug, Clone, Copy)]
pub struct ByteRange {
    first: Sixteen,
    wide: Sixteen,
}

impl ByteRange {
    /// The digits.
    pub const DIGITS: ByteRange = ByteRange { first: Sixteen::new([b'0'; 16]), wide: Sixteen::new([9; 16]) };

    /// Those from `first` to `last`, both included.
    #[inline(always)]
    pub fn new(first: u8, last: u8) -> ByteRange {
        ByteRange { first: Sixteen::splat(first), wide: Sixteen::splat(last - first) }
    }

    /// A bit for each of the lanes that is one of them, the lowest for the first.
    #[inline(always)]
    pub fn has(self, lanes: Sixteen) -> u32 {
        lanes.within(self.first, self.wide)
    }
}

/// Whether a stretch is plain: ASCII without carriage returns.
#[inline(always)]
pub fn is_plain(text: &[u8], span: Span) -> bool {
    let ascii = ByteRange::new(0, 0x7F);
    let returns = Sixteen::splat(b'\r');
    all(text, span.start as usize, span.end as usize, |lanes| ascii.has(lanes) & !are(lanes, returns))
}

/// Whether a stretch of plain text contains another text in any case; one that is not plain it never does.
#[inline(always)]
pub fn contains_in_any_case(text: &[u8], span: Span, wanted: &[u8]) -> bool {
    let (Some(first), Some(last)) = (wanted.first(), wanted.last()) else { return true };
    // The case of a letter is one bit; what else has it apart is told by the comparison.
    let folded = |byte: u8| Sixteen::splat(byte | 0x20);
    let (first, last, case) = (folded(*first), folded(*last), Sixteen::splat(0x20));
    let apart = wanted.len() - 1;
    let (mut at, end) = (span.start as usize, span.end as usize);
    while at + apart < end {
        let mut found = are(lanes(text, at) | case, first) & are(lanes(text, at + apart) | case, last);
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

/// A bit for each of the first `count` lanes.
#[inline(always)]
pub fn first_lanes(count: usize) -> u32 {
    (1 << count.min(16)) - 1
}

/// The first lane of a stretch for which a test sets its bit.
#[inline(always)]
pub fn first(text: &[u8], start: usize, end: usize, test: impl Fn(Sixteen) -> u32) -> Option<usize> {
    let mut at = start;
    loop {
        let found = test(lanes(text, at));
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

/// A text of at least one byte, ready to be looked for.
#[derive(Debug, Clone, Copy)]
pub struct Wanted<'w> {
    text: &'w [u8],
    first: Sixteen,
    last: Sixteen,
}

impl<'w> Wanted<'w> {
    /// This text.
    #[inline(always)]
    pub fn new(text: &'w [u8]) -> Wanted<'w> {
        let splat = |byte: Option<&u8>| Sixteen::splat(byte.copied().unwrap_or_default());
        Wanted { text, first: splat(text.first()), last: splat(text.last()) }
    }

    /// The number of bytes.
    #[inline(always)]
    pub fn width(&self) -> usize {
        self.text.len()
    }

    /// Its first place in a stretch, which is where its first and its last byte are so far apart.
    #[inline(always)]
    pub fn first(&self, text: &[u8], start: usize, end: usize) -> Option<usize> {
        let (apart, between) = match self.text {
            [_, between @ .., _] => (between.len() + 1, between),
            _ => (0, &[][..]),
        };
        let mut at = start;
        while at + apart < end {
            let mut found = are(lanes(text, at), self.first) & are(lanes(text, at + apart), self.last);
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

/// Whether a text is at a place. Those that are looked for are short: a call to compare them takes longer than they
/// do.
#[inline(always)]
fn has_at(text: &[u8], at: usize, wanted: &[u8]) -> bool {
    match wanted {
        [] => true,
        [one] => text.get(at) == Some(one),
        _ => text.get(at..).unwrap_or_default().iter().zip(wanted).all(|(byte, wanted)| byte == wanted),
    }
}

/// Calls `give` with each unbroken run of bytes for which a test sets the bits, from left to right. They are found 64 bytes at
/// a time.
#[inline(always)]
pub fn each_run(text: &[u8], test: impl Fn(Sixteen) -> u32, mut give: impl FnMut(Range<usize>)) {
    // Where a run begins that reaches the end of the bytes looked at so far.
    let mut open = None;
    for at in (0..text.len()).step_by(64) {
        let width = (text.len() - at).min(64);
        let bits = (0..width).step_by(16).map(|from| u64::from(test(lanes(text, at + from))) << from);
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

/// The last lane of a stretch for which a test sets its bit.
#[inline(always)]
pub fn last(text: &[u8], start: usize, end: usize, test: impl Fn(Sixteen) -> u32) -> Option<usize> {
    let mut to = end;
    while to > start {
        // Near the start of the text the lanes reach beyond `to`: those bits are not looked at.
        let at = to.saturating_sub(16);
        let found = test(lanes(text, at)) & first_lanes(to - at);
        if found != 0 {
            let found = at + found.ilog2() as usize;
            return (found >= start).then_some(found);
        }
        to = at;
    }
    None
}

/// The place of a byte, after `skipped` of them.
#[inline(always)]
pub fn nth(text: &[u8], start: usize, end: usize, byte: Sixteen, mut skipped: usize) -> Option<usize> {
    let mut at = start;
    while at < end {
        let mut found = are(lanes(text, at), byte);
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

/// The section with this number, counted from 0, between bytes like this; `None` where there are fewer.
// Always put where it is called: a call takes longer than it does.
#[inline(always)]
pub fn section(text: &[u8], value: Span, by: Sixteen, index: usize) -> Option<Span> {
    let (start, end) = (value.start as usize, value.end as usize);
    if value.width() <= 16 {
        let found = are(lanes(text, start), by) & first_lanes(value.width());
        return section_by(u64::from(found), value, index);
    }
    let from = match index.checked_sub(1) {
        None => start,
        Some(before) => nth(text, start, end, by, before)? + 1,
    };
    let to = first(text, from, end, |lanes| are(lanes, by)).unwrap_or(end);
    Some(Span::new(from, to))
}

/// The same, where a bit is set for each byte of the value that is between sections: a section begins after one of them,
/// and ends at the next.
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

/// Whether a test sets the bits of all lanes of a stretch.
#[inline(always)]
pub fn all(text: &[u8], start: usize, end: usize, test: impl Fn(Sixteen) -> u32) -> bool {
    let lacks = |at: usize, width: usize| !test(lanes(text, at)) & first_lanes(width);
    // Most stretches are short, and need no loop.
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
        // The byte looked for is all around the stretch.
        for (length, before) in (0..40).flat_map(|length| [0, 1, 5, 17].map(|before| (length, before))) {
            let mut text = vec![b'-'; before + length + 20];
            let (start, end) = (before, before + length);
            text[start..end].fill(b'x');
            for after in [0, 20] {
                text.truncate(end + after);
                let dash = |lanes| are(lanes, DASH);
                assert_eq!((first(&text, start, end, dash), last(&text, start, end, dash)), (None, None));
                assert_eq!(nth(&text, start, end, DASH, 0), None);
                assert!(all(&text, start, end, |lanes| ByteRange::new(b'a', b'x').has(lanes)));
            }
            text.resize(end + 20, b'-');
            for at in start..end {
                text[at] = b'-';
                assert_eq!(first(&text, start, end, |lanes| are(lanes, DASH)), Some(start), "{at} of {length}");
                assert_eq!(last(&text, start, end, |lanes| are(lanes, DASH)), Some(at), "{at} of {length}");
                assert_eq!(nth(&text, start, end, DASH, at - start), Some(at));
                assert_eq!(nth(&text, start, end, DASH, at - start + 1), None);
                assert!(!all(&text, start, end, |lanes| ByteRange::new(b'a', b'x').has(lanes)));
            }
        }
    }

    #[test]
    fn texts_are_found_where_they_stand_whole() {
        let text = b"WO WO:WO:1 and then far behind all of this WO:2 OO:";
        let find = |start: usize, end: usize, wanted: &str| Wanted::new(wanted.as_bytes()).first(text, start, end);
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
