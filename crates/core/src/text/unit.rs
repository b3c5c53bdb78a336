use super::characters::{self, Form};

/// The unit of positions and widths.
///
/// ```
/// use keen_notch_core::text::unit::Unit;
///
/// let counts = [Unit::Characters, Unit::Codepoints, Unit::Bytes].map(|unit| unit.count("e\u{301}1"));
/// assert_eq!(counts, [2, 3, 4]);
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[cfg_attr(feature = "cutlist", derive(serde::Serialize, serde::Deserialize))]
#[cfg_attr(feature = "cutlist", serde(rename_all = "lowercase"))]
pub enum Unit {
    #[default]
    Characters,
    Codepoints,
    /// Bytes of UTF-8. A cut never splits a code point, but leaves it out.
    Bytes,
}

impl Unit {
    /// The cheapest equivalent unit for texts of this form.
    #[inline]
    pub fn in_form(self, form: Form) -> Unit {
        match (form, self) {
            (Form::Plain, _) => Unit::Bytes,
            (Form::Simple, Unit::Characters) => Unit::Codepoints,
            (_, unit) => unit,
        }
    }

    /// The number of units in `text`.
    pub fn count(self, text: &str) -> usize {
        match self {
            Unit::Characters => characters::count(text),
            Unit::Codepoints => text.bytes().filter(|byte| byte & 0xC0 != 0x80).count(),
            Unit::Bytes => text.len(),
        }
    }

    /// The notch after the first `n` units, as a byte offset; the end of `text` if it has fewer.
    pub fn notch(self, text: &str, n: usize) -> usize {
        match self {
            Unit::Characters => characters::notch(text, n),
            Unit::Codepoints => {
                let mut starts = text.bytes().enumerate().filter(|(_, byte)| byte & 0xC0 != 0x80);
                starts.nth(n).map_or(text.len(), |(offset, _)| offset)
            }
            Unit::Bytes => text.floor_char_boundary(n),
        }
    }

    /// The notch before the last `n` units, as a byte offset; 0 if `text` has fewer.
    pub fn notch_from_end(self, text: &str, n: usize) -> usize {
        match self {
            Unit::Characters => characters::notch_from_end(text, n),
            Unit::Codepoints => match n.checked_sub(1) {
                None => text.len(),
                Some(before) => {
                    let mut starts = text.bytes().enumerate().rev().filter(|(_, byte)| byte & 0xC0 != 0x80);
                    starts.nth(before).map_or(0, |(offset, _)| offset)
                }
            },
            Unit::Bytes => text.ceil_char_boundary(text.len().saturating_sub(n)),
        }
    }

    /// Whether a marker may begin or end at byte `offset` of `text`. `known` is a notch at or before it, and is advanced, so ascending
    /// offsets take linear time.
    pub(crate) fn is_notch_after(self, text: &str, known: &mut usize, offset: usize) -> bool {
        if self != Unit::Characters {
            return text.is_char_boundary(offset);
        }
        let is_notch = characters::is_surely_notch(text, offset).unwrap_or_else(|| {
            *known = characters::notch_from(text, *known, offset);
            *known == offset
        });
        if is_notch {
            *known = offset;
        }
        is_notch
    }

    /// Whether a marker may begin or end at byte `offset` of `text`.
    pub fn is_notch(self, text: &str, offset: usize) -> bool {
        match self {
            Unit::Characters => characters::is_notch(text, offset),
            Unit::Codepoints | Unit::Bytes => text.is_char_boundary(offset),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn units_count_differently() {
        // An é of two code points and an ü of two bytes.
        let text = "e\u{301}ü-";
        for (unit, count, first_two, last_two) in
            [(Unit::Characters, 3, 5, 3), (Unit::Codepoints, 4, 3, 3), (Unit::Bytes, 6, 1, 5)]
        {
            assert_eq!(unit.count(text), count, "{unit:?}");
            assert_eq!((unit.notch(text, 2), unit.notch_from_end(text, 2)), (first_two, last_two), "{unit:?}");
            assert_eq!((unit.notch(text, 99), unit.notch_from_end(text, 99), unit.notch_from_end(text, 0)), (6, 0, 6));
        }
    }
}
