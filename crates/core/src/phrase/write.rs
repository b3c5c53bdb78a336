//! Writes texts in the notation of phrases.

use crate::text::names::is_invisible;

/// A text in quotes, with escapes for invisible characters.
///
/// ```
/// assert_eq!(keen_notch_core::phrase::quoted("a\"b"), r#""a\"b""#);
/// ```
pub fn quoted(text: &str) -> String {
    let mut written = String::with_capacity(text.len() + 2);
    written.push('"');
    for c in text.chars() {
        match c {
            '"' | '\\' => written.extend(['\\', c]),
            '\t' => written.push_str("\\t"),
            '\n' => written.push_str("\\n"),
            ' ' => written.push(' '),
            c if is_invisible(c) => written.push_str(&format!("\\u{{{:x}}}", u32::from(c))),
            c => written.push(c),
        }
    }
    written.push('"');
    written
}
