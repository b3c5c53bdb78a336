//! Parts that the screens of `try` share: thin rules with a title, and the last line with its keys.

use anstyle::Style;

use crate::draw::style::{self, paint};
use crate::draw::visible;

/// A thin rule that begins a panel, with a title on the left and words on the right.
pub fn rule(title: &str, right: &str, width: usize) -> String {
    styled_rule(title, right, style::HEAD, width)
}

/// The rule of a panel that has the keys.
pub fn active_rule(title: &str, right: &str, width: usize) -> String {
    styled_rule(title, right, style::TAKEN, width)
}

fn styled_rule(title: &str, right: &str, style: Style, width: usize) -> String {
    let title = visible::clipped(&visible::without_controls(title), width.saturating_sub(8));
    let most = width.saturating_sub(visible::width(&title) + 9);
    let right =
        if right.is_empty() || most < 4 { String::new() } else { visible::clipped(&visible::without_controls(right), most) };
    let end = if right.is_empty() { String::new() } else { format!(" {right} ─") };
    let between = width.saturating_sub(visible::width(&title) + 4 + visible::width(&end));
    let title = paint(style, title);
    format!("{} {title} {}", paint(style::QUIET, "──"), paint(style::QUIET, "─".repeat(between) + &end))
}

/// The last line: keys on the left while space is left, and the effect of Escape on the right.
pub fn foot(keys: &[(&str, &str)], escape: &str, width: usize) -> String {
    let escape = visible::clipped(&format!("Esc {escape}"), width);
    let mut space = width.saturating_sub(visible::width(&escape));
    let mut line = String::new();
    for (key, words) in keys {
        let needed = visible::width(key) + visible::width(words) + 3;
        if needed > space {
            break;
        }
        space -= needed;
        line += &format!("{key} {}  ", paint(style::QUIET, words));
    }
    let (key, words) = escape.split_once(' ').unwrap_or((&escape, ""));
    format!("{line}{}{key} {}", " ".repeat(space), paint(style::QUIET, words))
}

/// The part of a text that fits a width and has the cursor in it, and the column of the cursor in that part.
pub fn scrolled(text: &str, cursor: usize, width: usize) -> (String, usize) {
    let shown = visible::without_controls(text);
    let before: String = shown.chars().take(cursor).collect();
    let (mut start, mut at) = (0, visible::width(&before));
    if at < width {
        return (visible::clipped(&shown, width), at);
    }
    // The cursor stays two thirds into the line.
    let wanted = width * 2 / 3;
    for (byte, c) in before.char_indices() {
        if at <= wanted {
            break;
        }
        at -= visible::width(c.encode_utf8(&mut [0; 4]));
        start = byte + c.len_utf8();
    }
    let rest = visible::clipped(&shown[start..], width.saturating_sub(1));
    (format!("…{rest}"), at + 1)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn plain(line: &str) -> String {
        anstream::adapter::strip_str(line).to_string()
    }

    #[test]
    fn rules_and_feet_fill_a_line() {
        assert_eq!(plain(&rule("rows", "12 of 200", 40)), "── rows ──────────────────── 12 of 200 ─");
        for width in [0, 1, 5, 12, 40, 80] {
            for line in
                [rule("a long title of a table", "of a list", width), foot(&[("F1", "keys"), ("^S", "write")], "ends", width)]
            {
                assert!(visible::width(&plain(&line)) <= width.max(12), "{width}: {line:?}");
            }
        }
        assert_eq!(plain(&foot(&[("F1", "keys"), ("^S", "write")], "ends", 24)), "F1 keys         Esc ends");
    }

    #[test]
    fn the_cursor_is_always_in_the_shown_part() {
        assert_eq!(scrolled("first 3", 7, 20), ("first 3".to_owned(), 7));
        let long = "match /WO:(\\d+)/i group 1 or match /order (\\d+)/i group 1";
        for cursor in 0..=long.chars().count() {
            let (shown, at) = scrolled(long, cursor, 20);
            assert!(visible::width(&shown) <= 20 && at < 20, "{cursor}: {shown} {at}");
            if let Some(c) = long.chars().nth(cursor).filter(|_| at < visible::width(&shown) - 1) {
                assert_eq!(shown.chars().nth(at), Some(c), "{cursor}: {shown} {at}");
            }
        }
    }
}
