//! Quoting for shells.

pub fn quoted(word: &str) -> String {
    let plain = |c: char| c.is_ascii_alphanumeric() || "-_./#:@,+=%".contains(c);
    let starts_plain = !word.starts_with(['#', '=']);
    if starts_plain && !word.is_empty() && word.chars().all(plain) {
        word.to_owned()
    } else {
        format!("'{}'", word.replace('\'', r"'\''"))
    }
}
