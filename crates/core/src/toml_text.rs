//! Texts and keys as a cut list writes them: `draft` and hints write them without the feature `cutlist`, which reads them.

/// A text as TOML: between single quotes where it can be, as people write phrases.
pub fn toml_text(text: &str) -> String {
    let plain = !text.contains('\'') && !text.chars().any(char::is_control);
    if plain {
        return format!("'{text}'");
    }
    let escaped = text.chars().map(|c| match c {
        '"' | '\\' => format!("\\{c}"),
        c if c.is_control() => format!("\\u{:04X}", u32::from(c)),
        c => c.to_string(),
    });
    format!("\"{}\"", escaped.collect::<String>())
}

/// A key as TOML: bare where it can be.
pub fn toml_key(key: &str) -> String {
    let bare = !key.is_empty() && key.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_' || byte == b'-');
    if bare { key.to_owned() } else { toml_text(key) }
}
