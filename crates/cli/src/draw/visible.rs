//! Text for display, with visible marks for invisible characters and controls.

use std::borrow::Cow;

use keen_notch_core::text::characters;
use keen_notch_core::text::names::{is_terminal_control, stand_in};
pub use keen_notch_core::words::{counted, grouped};
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

/// The width of `text` on a terminal, in columns.
pub fn width(text: &str) -> usize {
    text.width()
}

/// `text` with a visible mark for every control character.
pub fn without_controls(text: &str) -> String {
    text.chars()
        .map(|c| {
            if is_terminal_control(c) && c != '\n' {
                stand_in(c.encode_utf8(&mut [0; 4])).unwrap_or("▯").to_owned()
            } else {
                c.to_string()
            }
        })
        .collect()
}

/// JSON with all terminal controls escaped.
pub fn json(value: &serde_json::Value) -> String {
    escaped(&format!("{value:#}\n"))
}

pub fn escaped(json: &str) -> String {
    let mut shown = String::new();
    for c in json.chars() {
        if is_terminal_control(c) && c != '\n' {
            shown += &format!("\\u{:04x}", u32::from(c));
        } else {
            shown.push(c);
        }
    }
    shown
}

/// A value for a table cell: spaces at its ends and invisible characters are visible, single inner spaces unchanged.
pub fn value(text: &str) -> String {
    let start = text.len() - text.trim_start_matches(' ').len();
    let end = text.trim_end_matches(' ').len();
    characters::ranges(text)
        .map(|range| {
            let shown = &text[range.clone()];
            if shown == " " && range.start >= start && range.start < end { " ".into() } else { character(shown) }
        })
        .collect()
}

/// The display of a character: a visible mark if it is invisible. Terminals disagree about the width of joined emoji, so these appear as
/// their first code point and [`AND_MORE`], which keeps the following columns aligned.
pub fn character(character: &str) -> Cow<'_, str> {
    if let Some(stand_in) = stand_in(character) {
        return stand_in.into();
    }
    let mut code_points = character.chars();
    let first = code_points.next().and_then(UnicodeWidthChar::width).unwrap_or(0);
    let apart = first + code_points.map(|c| c.width().unwrap_or(0)).sum::<usize>();
    if apart == character.width() || first == 0 {
        return character.into();
    }
    format!("{}{AND_MORE}", &character[..character.chars().next().map_or(0, char::len_utf8)]).into()
}

/// The mark for the code points after the first.
pub const AND_MORE: &str = "⁺";

/// A short text in quotes, with visible marks for invisible characters except a single space.
pub fn quoted(text: &str) -> String {
    match text {
        " " => "\" \"".to_owned(),
        "\"" => "'\"'".to_owned(),
        text => format!("\"{}\"", value(text)),
    }
}

/// `text` shortened to `most` columns, with `…`.
pub fn clipped(text: &str, most: usize) -> String {
    if width(text) <= most {
        return text.to_owned();
    }
    let mut shown = String::new();
    for range in characters::ranges(text) {
        if width(&shown) + width(&text[range.clone()]) + 1 > most {
            break;
        }
        shown.push_str(&text[range]);
    }
    shown + "…"
}

/// A visible value shortened to `most` columns. Only the displayed part is processed.
pub fn clipped_value(text: &str, most: usize) -> String {
    let end = text.char_indices().nth(most.saturating_mul(2) + 1).map_or(text.len(), |(at, _)| at);
    let shown = value(&text[..end]);
    if end == text.len() { clipped(&shown, most) } else { clipped(&(shown + "…"), most) }
}

/// A share in per cent, never rounded to 0 or 100.
pub fn share(part: u64, whole: u64) -> String {
    if whole == 0 {
        return "0 %".to_owned();
    }
    let percent = part as f64 * 100.0 / whole as f64;
    match percent {
        _ if part == whole => "100 %".to_owned(),
        _ if part > 0 && percent < 0.1 => "< 0.1 %".to_owned(),
        percent if percent > 99.9 => "> 99.9 %".to_owned(),
        percent => format!("{percent:.1} %"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_are_made_visible() {
        for (text, expected) in [
            ("a b", "a b"),
            (" a b  ", "␣a b␣␣"),
            ("a\r\nb\tc", "a␤b␉c"),
            ("a\u{a0}b\u{200b}", "a⍽b▯"),
            ("\u{1b}[31mred", "␛[31mred"),
            ("   ", "␣␣␣"),
            ("🚀e\u{301}東", "🚀e\u{301}東"),
            ("a👩\u{200d}🚀❤\u{fe0f}1\u{fe0f}\u{20e3}", "a👩⁺❤⁺1⁺"),
        ] {
            assert_eq!(value(text), expected, "{text:?}");
        }
    }

    #[test]
    fn clipping_counts_columns() {
        assert_eq!(clipped("東京東京", 5), "東京…");
        assert_eq!(clipped("abc", 3), "abc");
        assert_eq!(grouped(1234567), "1 234 567");
        assert_eq!(grouped(100), "100");
    }
}
