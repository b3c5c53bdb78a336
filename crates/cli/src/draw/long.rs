//! Long values: the surroundings of a part.

use std::ops::Range;

use keen_notch_core::text::characters;

use super::style::{self, paint};
use super::visible;

/// Longer values, in bytes, have no ruler unless requested.
pub const VERY_LONG: usize = 20_000;

/// Draws the surroundings of a part of a long value, given in bytes, and its position.
pub fn draw(name: &str, value: &str, part: &Range<usize>, width: usize) -> Vec<String> {
    let space = (width.saturating_sub(4) / 3).max(8);
    // Only the visible part is processed.
    let before = last(&value[..part.start], space);
    let after = first(&value[part.end..], space);
    let within = &value[part.clone()];
    let taken = match first(within, space) {
        shown if shown.len() == within.len() => visible::value(shown),
        shown => format!("{}…{}", visible::value(first(shown, space / 2)), visible::value(last(within, space / 2))),
    };
    let (from, width_of_part) = (characters::count(&value[..part.start]) + 1, characters::count(within));
    let all = from - 1 + width_of_part + characters::count(&value[part.end..]);
    let place = match width_of_part {
        1 => format!("character {}", visible::grouped(from as u64)),
        _ => format!("characters {} to {}", visible::grouped(from as u64), visible::grouped((from + width_of_part - 1) as u64)),
    };
    let lead = if before.len() < part.start { "…" } else { "" };
    let rest = if after.len() < value.len() - part.end { "…" } else { "" };
    vec![
        format!("  {}: {place} of {}", visible::without_controls(name), visible::grouped(all as u64)),
        format!("  {lead}{}{}{}{rest}", visible::value(before), paint(style::TAKEN, taken), visible::value(after)),
    ]
}

fn first(text: &str, most: usize) -> &str {
    let end = text.char_indices().nth(most).map_or(text.len(), |(at, _)| at);
    &text[..end]
}

fn last(text: &str, most: usize) -> &str {
    let start = text.char_indices().rev().nth(most.saturating_sub(1)).map_or(0, |(at, _)| at);
    &text[start..]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn surroundings_of_a_part() {
        let value = format!("{}GRP-7{}", "é".repeat(30_000), "z".repeat(50));
        let plain = |part: Range<usize>| draw("code", &value, &part, 52).join("\n");
        let shown = plain(60_000..60_003);
        assert!(shown.starts_with("  code: characters 30 001 to 30 003 of 30 055\n  …éééééééééééééééé"), "{shown}");
        assert!(shown.contains("GRP") && shown.ends_with("-7zzzzzzzzzzzzzz…"), "{shown}");
        assert!(plain(0..2).starts_with("  code: character 1 of 30 055\n  "));
        let whole = plain(0..value.len());
        assert!(visible::width(whole.lines().last().unwrap()) < 60 && whole.contains('…'), "{whole}");
    }
}
