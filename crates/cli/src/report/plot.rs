//! Plots as SVG: bars, and the contents of positions, with text alternatives.

use maud::{Markup, PreEscaped, html};

use super::page::Position;

/// The height of a plot, and the least width of a bar, in pixels.
const HEIGHT: f64 = 120.0;
/// The width of a character of a label.
const LETTER: f64 = 5.5;
const WIDE: f64 = 26.0;
const LABELS: f64 = 18.0;

fn number(value: f64) -> String {
    format!("{:.1}", value)
}

pub fn bars(bars: &[(String, u64)], says: &str) -> Markup {
    let most = bars.iter().map(|(_, count)| *count).max().unwrap_or(0).max(1) as f64;
    let longest = bars.iter().map(|(label, _)| label.chars().count()).max().unwrap_or(0);
    let wide = WIDE.max(longest as f64 * LETTER + 6.0);
    let width = bars.len() as f64 * wide;
    html! {
        svg role="img" aria-label=(says) viewBox=(format!("0 0 {} {}", number(width.max(wide)), number(HEIGHT + LABELS))) width=(number(width.max(wide))) height=(number(HEIGHT + LABELS)) {
            title { (says) }
            @for (index, (label, count)) in bars.iter().enumerate() {
                @let high = (*count as f64 / most * HEIGHT).max(1.0);
                @let left = index as f64 * wide;
                rect class="bar" x=(number(left + 3.0)) y=(number(HEIGHT - high)) width=(number(wide - 6.0)) height=(number(high)) {
                    title { (label) ": " (count) }
                }
                text class="label" x=(number(left + wide / 2.0)) y=(number(HEIGHT + 13.0)) { (label) }
            }
        }
    }
}

pub fn share(share: f64, class: &str) -> Markup {
    let width = (share.clamp(0.0, 1.0) * 100.0).max(if share > 0.0 { 0.8 } else { 0.0 });
    html! {
        svg.share aria-hidden="true" viewBox="0 0 100 10" preserveAspectRatio="none" width="120" height="10" {
            rect class="track" width="100" height="10" {}
            rect class=(class) width=(number(width)) height="10" {}
        }
    }
}

/// A horizontal bar of several shares with their classes.
pub fn shares(shares: &[(&str, f64)]) -> Markup {
    let before = |place: usize| shares[..place].iter().map(|(_, share)| share * 100.0).sum::<f64>();
    html! {
        svg.share aria-hidden="true" viewBox="0 0 100 10" preserveAspectRatio="none" width="120" height="10" {
            rect class="track" width="100" height="10" {}
            @for (place, (class, share)) in shares.iter().enumerate().filter(|(_, (_, share))| *share > 0.0) {
                rect class=(class) x=(number(before(place))) width=(number((share * 100.0).max(0.8))) height="10" { title { (class) } }
            }
        }
    }
}

fn class_of(what: &str, is_character: bool) -> &'static str {
    match (is_character, what) {
        (true, _) => "fixed",
        (_, "digits") => "digit",
        (_, "uppercase") => "upper",
        (_, "lowercase") => "lower",
        _ => "mixed",
    }
}

/// The contents of each position, stacked by their shares.
pub fn positions(positions: &[Position], says: &str) -> Markup {
    let width = positions.len() as f64 * WIDE;
    html! {
        svg role="img" aria-label=(says) viewBox=(format!("0 0 {} {}", number(width), number(HEIGHT + LABELS))) width=(number(width)) height=(number(HEIGHT + LABELS)) {
            title { (says) }
            @for (index, position) in positions.iter().enumerate() {
                (stack(index, position))
                text class="label" x=(number(index as f64 * WIDE + WIDE / 2.0)) y=(number(HEIGHT + 13.0)) { (index + 1) }
            }
        }
    }
}

fn stack(index: usize, position: &Position) -> Markup {
    let all = position.contents.iter().map(|content| content.count).sum::<u64>().max(1) as f64;
    let left = index as f64 * WIDE;
    let mut bottom = HEIGHT;
    let mut drawn = Vec::new();
    for content in &position.contents {
        let high = content.count as f64 / all * HEIGHT;
        bottom -= high;
        let class = class_of(&content.what, content.is_character);
        drawn.push(html! {
            rect class=(class) x=(number(left + 1.0)) y=(number(bottom)) width=(number(WIDE - 2.0)) height=(number(high)) {
                title { "position " (index + 1) ": " (content.what) ", " (content.count) }
            }
            @if content.is_character && high > 16.0 {
                text class="inside" x=(number(left + WIDE / 2.0)) y=(number(bottom + high / 2.0 + 5.0)) { (content.what) }
            }
        });
    }
    PreEscaped(drawn.into_iter().map(|Markup { 0: markup, .. }| markup).collect())
}
