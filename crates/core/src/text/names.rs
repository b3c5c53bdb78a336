//! Names of invisible and look-alike characters.

/// Whether a code point is invisible: white space, a control, a joiner, a direction mark and the like.
pub(crate) fn is_invisible(c: char) -> bool {
    c.is_whitespace()
        || c.is_control()
        || matches!(c,
            '\u{ad}' | '\u{34f}' | '\u{61c}' | '\u{115f}' | '\u{1160}' | '\u{17b4}' | '\u{17b5}'
            | '\u{180b}'..='\u{180f}' | '\u{200b}'..='\u{200f}' | '\u{202a}'..='\u{202e}'
            | '\u{2060}'..='\u{206f}' | '\u{2800}' | '\u{3164}' | '\u{fe00}'..='\u{fe0f}' | '\u{feff}'
            | '\u{ffa0}' | '\u{e0000}'..='\u{e0fff}')
}

pub(crate) fn is_unseen(character: &str) -> bool {
    character.chars().all(is_invisible)
}

/// Whether a terminal may interpret a code point: a control character, or one that changes the direction of text, which can disguise it.
pub fn is_terminal_control(c: char) -> bool {
    c.is_control() || matches!(c, '\u{61c}' | '\u{200e}' | '\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2066}'..='\u{2069}')
}

/// The name and number of a code point, such as `no-break space (U+00A0)`.
pub(crate) fn name(c: char) -> String {
    let name = match c {
        '\t' => "tab".to_owned(),
        '\n' => "line feed".to_owned(),
        '\r' => "carriage return".to_owned(),
        '\0' => "null".to_owned(),
        '\u{1b}' => "escape".to_owned(),
        '\u{85}' => "next line".to_owned(),
        _ if c.is_control() => "control character".to_owned(),
        _ => unicode_names2::name(c).map_or_else(|| "unnamed".to_owned(), |name| name.to_string().to_lowercase()),
    };
    format!("{name} (U+{:04X})", u32::from(c))
}

pub(crate) fn describe(character: &str) -> String {
    character.chars().map(name).collect::<Vec<_>>().join(" + ")
}

/// A visible mark for an invisible character, or `None` for a visible one.
///
/// Unicode's control pictures stand for spaces and controls; `▯` stands for the rest, which has none.
///
/// ```
/// assert_eq!(keen_notch_core::text::names::stand_in("\t"), Some("␉"));
/// ```
pub fn stand_in(character: &str) -> Option<&'static str> {
    if !is_unseen(character) {
        return None;
    }
    Some(match character {
        " " => "␣",
        "\t" => "␉",
        "\n" => "␊",
        "\r" => "␍",
        "\r\n" => "␤",
        "\u{a0}" => "⍽",
        "\0" => "␀",
        "\u{1b}" => "␛",
        _ => "▯",
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn unseen_characters_have_names_and_stand_ins() {
        assert_eq!(describe("\u{a0}"), "no-break space (U+00A0)");
        assert_eq!(describe("\r\n"), "carriage return (U+000D) + line feed (U+000A)");
        assert_eq!(stand_in("\u{200b}"), Some("▯"));
        assert_eq!(stand_in("x"), None);
        assert_eq!(stand_in("👩\u{200d}🚀"), None, "a joiner inside a visible character is no mystery");
    }
}
