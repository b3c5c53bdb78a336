//! Texts and keys as a cut list writes them: `draft` and hints write them without the feature `cutlist`, which reads them.

use crate::text::names::is_obeyed;

/// A text as TOML: between single quotes where it can be, as people write phrases.
pub fn toml_text(text: &str) -> String {
    let plain = !text.contains('\'') && !text.contains(is_obeyed);
    if plain {
        return format!("'{text}'");
    }
    let escaped = text.chars().map(|c| match c {
        '"' | '\\' => format!("\\{c}"),
        c if is_obeyed(c) => format!("\\u{:04X}", u32::from(c)),
        c => c.to_string(),
    });
    format!("\"{}\"", escaped.collect::<String>())
}

/// A key as TOML: bare where it can be.
pub fn toml_key(key: &str) -> String {
    let bare = !key.is_empty() && key.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_' || byte == b'-');
    if bare { key.to_owned() } else { toml_text(key) }
}
