//! Decimal digits of all scripts.

use std::sync::LazyLock;

use regex_syntax::hir::{Class, HirKind};

/// The decimal digits of Unicode (general category Nd), as ranges of ten that start with a zero.
static SETS: LazyLock<Vec<(char, char)>> = LazyLock::new(|| {
    let parsed = regex_syntax::parse(r"\p{Nd}").ok();
    match parsed.as_ref().map(regex_syntax::hir::Hir::kind) {
        Some(HirKind::Class(Class::Unicode(class))) => class.iter().map(|range| (range.start(), range.end())).collect(),
        _ => Vec::new(),
    }
});

/// The value of a decimal digit of any script, 0 to 9.
///
/// ```
/// use keen_notch_core::text::digits::value;
///
/// assert_eq!(['7', '٧', '７', '½', 'x'].map(value), [Some(7), Some(7), Some(7), None, None]);
/// ```
pub fn value(c: char) -> Option<u8> {
    if c.is_ascii() {
        return c.to_digit(10).map(|digit| digit as u8);
    }
    let index = SETS.partition_point(|(_, end)| *end < c);
    let (start, _) = SETS.get(index).filter(|(start, _)| *start <= c)?;
    Some(((u32::from(c) - u32::from(*start)) % 10) as u8)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_set_is_whole() {
        assert!(SETS.len() > 50, "{}", SETS.len());
        for (start, end) in SETS.iter() {
            assert_eq!((u32::from(*end) - u32::from(*start) + 1) % 10, 0, "{start:?} to {end:?}");
        }
    }
}
