//! Texts that a spreadsheet reads as formulas.

use crate::batch::{Span, Texts};

const BEGINS: [bool; 256] = {
    let mut table = [false; 256];
    let mut index = 0;
    while index < b"=+-@\t\r".len() {
        table[b"=+-@\t\r"[index] as usize] = true;
        index += 1;
    }
    table
};

/// Whether a spreadsheet may read a text as a formula: it begins with `=`, `+`, `-`, `@`, a tab or a carriage return, and is not a
/// number.
///
/// ```
/// use keen_notch_core::batch::formula::is_like_formula;
///
/// assert!(is_like_formula("=SUM(A1:A9)") && is_like_formula("-2+3") && is_like_formula("@x") && is_like_formula("-"));
/// assert!(!is_like_formula("-2.5") && !is_like_formula("+1,200") && !is_like_formula("GRP-1") && !is_like_formula(""));
/// ```
pub fn is_like_formula(text: &str) -> bool {
    let Some(first) = text.bytes().next().filter(|byte| BEGINS[usize::from(*byte)]) else { return false };
    let rest = &text[1..];
    let is_number = matches!(first, b'+' | b'-')
        && rest.starts_with(|c: char| c.is_ascii_digit())
        && rest.bytes().all(|byte| byte.is_ascii_digit() || byte == b'.' || byte == b',');
    !is_number
}

/// Whether a text that begins with this byte may be a formula.
pub(crate) fn begins_formula(byte: u8) -> bool {
    BEGINS[usize::from(byte)]
}

/// The indices of the texts that a spreadsheet may read as formulas.
pub(crate) fn formulas(texts: Texts) -> Vec<u32> {
    let bytes = texts.text.as_bytes();
    // An empty text has no byte of its own, so it can only lead to the closer look below.
    let begins = |span: &Span| bytes.get(span.start as usize).is_some_and(|byte| begins_formula(*byte));
    if !texts.spans.iter().fold(false, |any, span| any | begins(span)) {
        return Vec::new();
    }
    (0..texts.spans.len() as u32).filter(|at| is_formula(texts, *at)).collect()
}

/// Whether a spreadsheet may read the text with this index as a formula.
pub(crate) fn is_formula(texts: Texts, at: u32) -> bool {
    is_like_formula(texts.get(at as usize))
}
