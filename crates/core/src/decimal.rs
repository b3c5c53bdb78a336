//! Exact comparison and formatting of decimal numbers of any length, without floating point.

use std::cmp::Ordering;

#[derive(Debug, Clone, Copy)]
struct Parts<'a> {
    negative: bool,
    whole: &'a str,
    decimals: &'a str,
}

fn parts(text: &str) -> Option<Parts<'_>> {
    let minus = text.strip_prefix(['-', '\u{2212}']);
    let (negative, digits) = (minus.is_some(), minus.or_else(|| text.strip_prefix('+')).unwrap_or(text));
    let (whole, decimals) = digits.split_once('.').map_or((digits, None), |(whole, decimals)| (whole, Some(decimals)));
    let are_digits = |text: &str| !text.is_empty() && text.bytes().all(|b| b.is_ascii_digit());
    if !are_digits(whole) || !decimals.is_none_or(are_digits) {
        return None;
    }
    let whole = whole.trim_start_matches('0');
    let decimals = decimals.unwrap_or("").trim_end_matches('0');
    Some(Parts { negative: negative && !(whole.is_empty() && decimals.is_empty()), whole, decimals })
}

/// Compares two numbers; `None` if one of them is not a number.
///
/// ```
/// use keen_notch_core::decimal::compare;
/// use std::cmp::Ordering;
///
/// assert_eq!(compare("007.50", "7.5"), Some(Ordering::Equal));
/// assert_eq!(compare("-1", "0.01"), Some(Ordering::Less));
/// assert_eq!(compare("1e3", "1"), None);
/// ```
pub fn compare(left: &str, right: &str) -> Option<Ordering> {
    let (left, right) = (parts(left)?, parts(right)?);
    let size = |a: Parts, b: Parts| {
        let whole = a.whole.len().cmp(&b.whole.len()).then_with(|| a.whole.cmp(b.whole));
        // Decimals compare as texts: a further digit is greater than none.
        whole.then_with(|| a.decimals.cmp(b.decimals))
    };
    Some(match (left.negative, right.negative) {
        (false, false) => size(left, right),
        (true, true) => size(right, left),
        (false, true) => Ordering::Greater,
        (true, false) => Ordering::Less,
    })
}

/// Appends `text` to `out` as a plain number: no leading zeros, no trailing decimal zeros, no plus sign. Returns `false` if it is not a
/// number.
///
/// ```
/// let mut plain = String::new();
/// assert!(keen_notch_core::decimal::write_plain("007.50", &mut plain));
/// assert_eq!(plain, "7.5");
/// ```
pub fn write_plain(text: &str, out: &mut String) -> bool {
    let Some(Parts { negative, whole, decimals }) = parts(text) else { return false };
    if negative {
        out.push('-');
    }
    out.push_str(if whole.is_empty() { "0" } else { whole });
    if !decimals.is_empty() {
        out.push('.');
        out.push_str(decimals);
    }
    true
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_compare_exactly() {
        for (left, right, expected) in [
            ("1", "1.0", Some(Ordering::Equal)),
            ("007", "7", Some(Ordering::Equal)),
            ("-0", "0.00", Some(Ordering::Equal)),
            ("9", "10", Some(Ordering::Less)),
            ("-9", "-10", Some(Ordering::Greater)),
            ("-1", "1", Some(Ordering::Less)),
            ("0.1", "0.09", Some(Ordering::Greater)),
            ("123456789012345678901234567890.1", "123456789012345678901234567890.10001", Some(Ordering::Less)),
            ("1.", "1", None),
            ("1", "", None),
            ("1,0", "1", None),
            ("--1", "1", None),
            ("\u{2212}9", "-10", Some(Ordering::Greater)),
        ] {
            assert_eq!(compare(left, right), expected, "{left} and {right}");
        }
    }

    #[test]
    fn plain_numbers() {
        for (text, expected) in [
            ("00041273", "41273"),
            ("1204.50", "1204.5"),
            ("000", "0"),
            ("-0.0", "0"),
            ("+7.00", "7"),
            ("-0070", "-70"),
            ("0.10", "0.1"),
        ] {
            let mut out = String::new();
            assert!(write_plain(text, &mut out));
            assert_eq!(out, expected, "{text}");
        }
        for text in ["", "-", ".5", "5.", "1e3", " 1", "٣"] {
            assert!(!write_plain(text, &mut String::new()), "{text}");
        }
    }
}
