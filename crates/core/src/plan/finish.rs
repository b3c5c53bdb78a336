//! Finishes: steps that change the text. Each says whether anything changed, and writes only then.

use unicode_segmentation::UnicodeSegmentation;

use crate::phrase::ast::{Side, Sides};
use crate::text::characters;

/// The range of `text` without the white space (Unicode White_Space) at its ends.
pub(super) fn trim(text: &str, sides: Sides) -> std::ops::Range<usize> {
    let start = match sides {
        Sides::Only(Side::Right) => 0,
        _ => text.len() - text.trim_start().len(),
    };
    let end = match sides {
        Sides::Only(Side::Left) => text.len(),
        _ => text.trim_end().len(),
    };
    // A text of white space only is trimmed to nothing from either side.
    start..end.max(start)
}

/// Writes `text` in upper case behind `out`, if that changes it.
pub(super) fn upper(text: &str, out: &mut String) -> bool {
    if text.is_ascii() {
        return ascii(text, out, u8::is_ascii_lowercase, str::make_ascii_uppercase);
    }
    changed(text, out, |out| out.extend(text.chars().flat_map(char::to_uppercase)))
}

/// Writes `text` in lower case behind `out`, if that changes it.
pub(super) fn lower(text: &str, out: &mut String) -> bool {
    if text.is_ascii() {
        return ascii(text, out, u8::is_ascii_uppercase, str::make_ascii_lowercase);
    }
    changed(text, out, |out| {
        if text.contains('Σ') {
            // The last letter of a word has a lower case of its own, which takes a look around.
            out.push_str(&text.to_lowercase());
        } else {
            out.extend(text.chars().flat_map(char::to_lowercase));
        }
    })
}

fn ascii(text: &str, out: &mut String, is_other: fn(&u8) -> bool, make: fn(&mut str)) -> bool {
    if !text.bytes().any(|b| is_other(&b)) {
        return false;
    }
    let start = out.len();
    out.push_str(text);
    make(&mut out[start..]);
    true
}

/// Writes behind `out`, and takes it back if what was written is `text` again.
fn changed(text: &str, out: &mut String, write: impl FnOnce(&mut String)) -> bool {
    let start = out.len();
    write(out);
    let changed = out[start..] != *text;
    if !changed {
        out.truncate(start);
    }
    changed
}

/// How a text compares with the width it is padded to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Padded {
    /// It had the width already.
    Exact,
    /// It was filled up.
    Filled,
    /// It is wider.
    Long,
}

/// Writes `text` filled up to `width` characters behind `out`, if it is narrower.
pub(super) fn pad(text: &str, side: Side, width: usize, with: &str, out: &mut String) -> Padded {
    let there = characters::count(text);
    let Some(wanted) = width.checked_sub(there) else { return Padded::Long };
    if wanted == 0 {
        return Padded::Exact;
    }
    let filling = with.graphemes(true).cycle().take(wanted);
    match side {
        Side::Left => {
            out.extend(filling);
            out.push_str(text);
        }
        Side::Right => {
            out.push_str(text);
            out.extend(filling);
        }
    }
    Padded::Filled
}
