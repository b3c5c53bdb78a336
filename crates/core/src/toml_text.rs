//! Writes texts and keys as TOML, also without the feature `cutlist`.

use crate::text::names::is_terminal_control;

/// A text in TOML: in single quotes if possible, like phrases.
pub fn toml_text(text: &str) -> String {
    let plain = !text.contains('\'') && !text.contains(is_terminal_control);
    if plain {
        return format!("'{text}'");
    }
    let escaped = text.chars().map(|c| match c {
        '"' | '\\' => format!("\\{c}"),
        c if is_terminal_control(c) => format!("\\u{:04X}", u32::from(c)),
        c => c.to_string(),
    });
    format!("\"{}\"", escaped.collect::<String>())
}

/// A key in TOML: without quotes if possible.
pub fn toml_key(key: &str) -> String {
    let bare = !key.is_empty() && key.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_' || byte == b'-');
    if bare { key.to_owned() } else { toml_text(key) }
}
