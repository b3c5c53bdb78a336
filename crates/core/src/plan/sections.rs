//! The sections of a text as a marker divides it.

use std::ops::Range;

use memchr::memmem::Finder;

use crate::phrase::ast::Position;
use crate::text::characters;

/// The occurrences of a marker's text, from left to right, as byte ranges; they do not overlap, and both
/// ends of each are notches (an `e` is not found in an `é` written as two code points).
pub(crate) fn occurrences<'a>(text: &'a str, marker: &'a Finder<'static>) -> impl Iterator<Item = Range<usize>> + 'a {
    let plain = characters::is_plain(text);
    let width = marker.needle().len();
    let mut at = 0;
    std::iter::from_fn(move || {
        loop {
            let start = at + marker.find(text.as_bytes().get(at..)?)?;
            let end = start + width;
            if plain || (characters::is_notch(text, start) && characters::is_notch(text, end)) {
                at = end;
                return Some(start..end);
            }
            // Not between characters: look on from the next code point.
            at = start + text[start..].chars().next().map_or(1, char::len_utf8);
        }
    })
}

/// The range from section `from` to section `to`, and whether all that were asked for are there.
/// `None` where none is there.
pub(super) fn sections(
    text: &str,
    from: Position,
    to: Position,
    bounded: bool,
    by: &Finder<'static>,
) -> Option<(Range<usize>, bool)> {
    if let (Position::FromStart(from), Position::FromStart(to)) = (from, to) {
        return from_start(text, from, to, by);
    }
    let count = occurrences(text, by).count() + 1;
    let (first, last) = (from.among(count), to.among(count));
    let (found_first, found_last) = (first.max(1), last.min(i64::try_from(count).unwrap_or(i64::MAX)));
    if found_first > found_last {
        return None;
    }
    let (range, _) = from_start(text, usize::try_from(found_first).ok()?, usize::try_from(found_last).ok()?, by)?;
    Some((range, !bounded || (first, last) == (found_first, found_last)))
}

/// [`sections`] for places counted from the start, which needs no look beyond the last of them.
fn from_start(text: &str, from: usize, to: usize, by: &Finder<'static>) -> Option<(Range<usize>, bool)> {
    let mut markers = occurrences(text, by);
    let start = match from.checked_sub(2) {
        None => 0,
        Some(before) => markers.nth(before)?.end,
    };
    for section in from..=to {
        match markers.next() {
            Some(marker) if section == to => return Some((start..marker.start, true)),
            Some(_) => {}
            // The text ended, and with it this section.
            None => return Some((start..text.len(), section == to)),
        }
    }
    None
}
